package main

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/inventory"
)

// emulated is a file in lab/windows: a registry, and what the collector must read there.
type emulated struct {
	About    string            `json:"about"`
	Registry []entry           `json:"registry"`
	Expect   map[string]string `json:"expect"`
	Software []string          `json:"software,omitempty"`
	Drivers  []string          `json:"drivers,omitempty"`
}

// entry is one value of the registry.
type entry struct {
	View   int    `json:"view,omitempty" minimum:"32" maximum:"64"`
	Key    string `json:"key"`
	Name   string `json:"name"`
	Text   string `json:"text,omitempty"`
	Texts  string `json:"texts,omitempty"`
	Number int    `json:"number,omitempty"`
}

// regFile writes the values in the form that the system's own tool imports.
func regFile(list []entry) string {
	var out strings.Builder
	out.WriteString("REGEDIT4\r\n")
	for _, e := range list {
		key := e.Key
		if e.View == 32 {
			key = strings.Replace(key, `Software\`, `Software\Wow6432Node\`, 1)
		}
		value := `"` + strings.ReplaceAll(e.Text, `\`, `\\`) + `"`
		switch {
		case e.Number != 0:
			value = fmt.Sprintf("dword:%08x", e.Number)
		case e.Texts != "":
			value = "hex(7):"
			for _, c := range e.Texts + "\x00\x00" {
				value += fmt.Sprintf("%02x,", c)
			}
			value = strings.TrimSuffix(value, ",")
		}
		fmt.Fprintf(&out, "\r\n[HKEY_LOCAL_MACHINE\\%s]\r\n\"%s\"=%s\r\n", key, e.Name, value)
	}
	return out.String()
}

// emulation is what all registries start from: a directory of the emulation, and the collector.
type emulation struct {
	work, fresh, collector string
}

// wine runs a program of the other system in a directory.
func wine(dir string, args ...string) error {
	cmd := exec.Command("timeout", append([]string{"120", "wine"}, args...)...)
	cmd.Env = append(os.Environ(), "WINEPREFIX="+dir, "WINEDEBUG=-all", "DISPLAY=")
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("%s: %w\n%s", strings.Join(args, " "), err, out)
	}
	return nil
}

// emulate sets the emulation up.
func emulate(work string) (*emulation, error) {
	e := &emulation{
		work: work, fresh: filepath.Join(work, "windows"), collector: filepath.Join(work, "collect.exe"),
	}
	if err := os.MkdirAll(e.fresh, 0o700); err != nil {
		return nil, err
	}
	if err := wine(e.fresh, "wineboot", "-i"); err != nil {
		return nil, err
	}
	build := exec.Command("go", "build", "-trimpath", "-ldflags", "-s -w", "-o", e.collector, "./cmd/rolltop-collect")
	build.Env = append(os.Environ(), "CGO_ENABLED=0", "GOOS=windows", "GOARCH=amd64")
	if out, err := build.CombinedOutput(); err != nil {
		return nil, fmt.Errorf("the collector does not build: %w\n%s", err, out)
	}
	if err := command("x86_64-w64-mingw32-gcc", "-shared", "-o",
		filepath.Join(e.fresh, "drive_c/windows/system32/bcryptprimitives.dll"), "lab/windows/shim.c",
		"-ladvapi32"); err != nil {
		return nil, err
	}
	if err := wine(e.fresh, "reg", "add", `HKCU\Software\Wine`, "/v", "Version", "/d", "win10", "/f"); err != nil {
		return nil, err
	}
	stop := exec.Command("wineserver", "-w") // what it holds in memory is then in its files
	stop.Env = append(os.Environ(), "WINEPREFIX="+e.fresh)
	return e, stop.Run()
}

// run runs the collector with a registry.
func (e *emulation) run(path string) (*result, error) {
	src, err := os.ReadFile(path)
	if err != nil {
		return nil, err
	}
	m := new(emulated)
	if err := doc.Decode(path, src, m); err != nil {
		return nil, err
	}
	start := time.Now()
	dir := filepath.Join(e.work, emulatedPrefix+strings.TrimSuffix(filepath.Base(path), ".yaml"))
	if err := command("cp", "-a", e.fresh, dir); err != nil {
		return nil, err
	}
	file := dir + ".reg"
	if err := os.WriteFile(file, []byte(regFile(m.Registry)), 0o600); err != nil {
		return nil, err
	}
	if err := wine(dir, "regedit", "/S", "Z:"+file); err != nil {
		return nil, err
	}
	out, saved := dir+".json", dir+"-capture.json"
	if err := wine(dir, e.collector, "--software", "Tidebook,Counterfoil,Tidewrack.Tidebook", "--output", "Z:"+out,
		"--save-capture", "Z:"+saved); err != nil {
		return nil, err
	}
	body, err := os.ReadFile(out)
	if err != nil {
		return nil, err
	}
	d, err := inventory.Read(out, body)
	if err != nil {
		return nil, err
	}
	r := compare(&Machine{Expect: m.Expect}, d)
	r.list("software", m.Software, func() (all []string) {
		for _, s := range d.Software {
			all = append(all, s.Name+" "+s.Version.Or("?"))
		}
		return all
	}())
	r.list("driver", m.Drivers, func() (all []string) {
		for _, s := range d.Drivers {
			all = append(all, s.Device+" "+s.Version.Or("?")+" "+s.Date.Or("?"))
		}
		return all
	}())
	r.took = time.Since(start)
	return r, nothingPersonal(saved)
}

// list holds expected rows against those that were read.
func (r *result) list(what string, want, got []string) {
	for _, w := range want {
		found := false
		for _, g := range got {
			found = found || g == w
		}
		r.fact(what, w, strings.Join(got, ", "), what, found)
	}
}

// nothingPersonal looks through a capture for what the registry had and nobody
// asked for.
func nothingPersonal(path string) error {
	src, err := os.ReadFile(path)
	if err != nil {
		return err
	}
	c, err := capture.Read(path, src)
	if err != nil {
		return err
	}
	for _, r := range c.Records {
		for _, personal := range []string{"Something personal", "updates.tidewrack", "11111111-0000", "Boathouse",
			"Somebody"} {
			text := strings.ReplaceAll(string(r.Raw), "\x00", "") // UTF-16 too
			if strings.Contains(text, personal) || strings.Contains(r.Source, personal) {
				return fmt.Errorf("the capture holds %q under %s", personal, r.Source)
			}
		}
	}
	return nil
}
