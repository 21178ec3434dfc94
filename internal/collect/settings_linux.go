package collect

import (
	"strings"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/build"
	"rolltop.example/rolltop/core/decode/linux"
	"rolltop.example/rolltop/core/decode/luks"
)

// settings reads the interface through which the running system can change settings of the firmware: the names of all
// of them, and the values of those that facts need. It changes none.
func (r *reader) settings() {
	for _, name := range r.dir(linux.SettingsClass) {
		dir := linux.SettingsClass + "/" + name
		for _, setting := range r.lines(dir + "/attributes") {
			if build.SettingOf(setting) == "" {
				continue
			}
			for _, f := range []string{"/type", "/current_value", "/possible_values"} {
				r.file(dir + "/attributes/" + setting + f)
			}
		}
		for _, who := range r.lines(dir + "/authentication") {
			r.file(dir + "/authentication/" + who + "/role")
			r.file(dir + "/authentication/" + who + "/is_enabled")
		}
	}
}

// lines notes the names in a directory, which may have spaces.
func (r *reader) lines(path string) []string {
	r.dir(path)
	return strings.FieldsFunc(string(r.c.Get(path+"/").Raw), func(c rune) bool { return c == '\n' })
}

// protectors reads how the root volume is unlocked: of the header in front of it, kinds alone are kept.
func (r *reader) protectors() {
	for _, name := range r.encrypted {
		path := "/dev/" + name
		rec := r.fetch(linux.Protectors+path, path, smallFile)
		if size, err := luks.Size(rec.Raw); err == nil && size > smallFile {
			rec = r.fetch(linux.Protectors+path, path, size)
		}
		if rec.Outcome == capture.OK {
			kinds, err := luks.Protectors(rec.Raw)
			rec.Raw = []byte(strings.Join(kinds, "\n"))
			if err != nil {
				rec.Outcome, rec.Detail = capture.Failed, err.Error()
			}
		} else {
			rec.Raw = nil
		}
		r.c.Add(rec)
	}
}
