package main

import (
	"context"
	"encoding/hex"
	"errors"
	"fmt"
	"maps"
	"os"
	"os/exec"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode"
	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/inventory"
)

// emulated is a file in lab/windows: a registry, and what the collector must read there.
type emulated struct {
	About      string            `json:"about"`
	Apart      bool              `json:"apart,omitempty" doc:"Not among the machines of --part"`
	Bits       int               `json:"bits,omitempty" minimum:"32" maximum:"32" doc:"Of the system; without it, 64"`
	Twice      bool              `json:"twice,omitempty" doc:"Once more on a system of 32 bits, which stands apart and has -32 behind its name"`
	Refused    []string          `json:"refused,omitempty" doc:"Keys that nobody may read"`
	Registry   []entry           `json:"registry"`
	Structures bool              `json:"structures,omitempty" doc:"Its readings are structures that a program of the system lays out"`
	Attests    *Attests          `json:"attests,omitempty" doc:"It has a made-up TPM, reports to a service, and proves what the TPM attests"`
	InSoftware bool              `json:"in_software,omitempty" doc:"The TPM that attests is one in software, not a made-up one"`
	OldTPM     string            `json:"old_tpm,omitempty" enum:"activated,deactivated" doc:"It has a TPM 1.2 in software"`
	Answers    *answers          `json:"answers,omitempty" doc:"Of services that the emulation does not have"`
	Expect     map[string]string `json:"expect"`
	Software   []string          `json:"software,omitempty"`
	Drivers    []string          `json:"drivers,omitempty"`
}

// answers are what lab/windows/answers.c says.
type answers struct {
	Volume   string `json:"volume" doc:"How far the system volume is encrypted, whether that protects it, and how many keys of each type unlock it"`
	Updates  string `json:"updates,omitempty" doc:"How many wait; without it, the service is switched off"`
	Accounts string `json:"accounts" doc:"A letter each: l local, v linked to the vendor, o switched off"`
	Settings string `json:"settings,omitempty" doc:"Of the firmware: name=present,one,other, with semicolons between; without it, nobody offers them"`
	Backup   string `json:"backup" doc:"When the last one was finished, in seconds since 1970; empty where there was none"`
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

// readEmulated reads the files in lab/windows, by their names; only: those alone, where there are any; part: none that
// stands apart.
func readEmulated(only []string, part bool) (map[string]*emulated, error) {
	paths, err := filepath.Glob("lab/windows/*.yaml")
	if err != nil {
		return nil, err
	}
	out := map[string]*emulated{}
	for _, path := range paths {
		name := emulatedPrefix + strings.TrimSuffix(filepath.Base(path), ".yaml")
		src, err := os.ReadFile(path)
		if err != nil {
			return nil, err
		}
		m := new(emulated)
		if err := doc.Decode(path, src, m); err != nil {
			return nil, err
		}
		out[name] = m
		if m.Twice {
			again := *m
			again.Apart, again.Bits, again.About = true, 32, m.About+", of 32 bits"
			out[name+"-32"] = &again
		}
	}
	maps.DeleteFunc(out, func(name string, m *emulated) bool {
		return len(only) > 0 && !slices.Contains(only, name) || len(only) == 0 && part && m.Apart
	})
	return out, nil
}

// emulation is what all registries of a kind of system start from: a directory of the emulation, and the programs.
type emulation struct {
	*windowsKind
	work, fresh, collector, refuse, answers string
}

// windowsKind is a kind of the other system.
type windowsKind struct {
	arch, goarch, compiler string
	root                   string // where the emulation is installed; "" is the machine that the lab runs on
}

// windowsKinds are all kinds, by the bits of the system.
var windowsKinds = map[int]*windowsKind{
	0:  {arch: "win64", goarch: "amd64", compiler: "x86_64-w64-mingw32-gcc"},
	32: {arch: "win32", goarch: "386", compiler: "i686-w64-mingw32-gcc", root: unpacked + "windows32"},
}

// inRoot runs a program in another root directory, where the work is at /work.
const inRoot = `root=$0; work=$1; shift
mkdir -p "$root/work"
mount -t proc proc "$root/proc" && mount --bind /dev "$root/dev" && mount --bind "$work" "$root/work" || exit 1
exec chroot "$root" "$@"`

// program runs a program of the emulation, or of the other system.
func (e *emulation) program(dir string, args ...string) error {
	args = append([]string{"env", "WINEPREFIX=" + dir, "WINEARCH=" + e.arch, "WINEDEBUG=-all", "DISPLAY=", "timeout",
		"120"}, args...)
	if e.root != "" {
		for i := range args {
			args[i] = strings.ReplaceAll(args[i], e.work, "/work")
		}
		args = append([]string{"unshare", "-m", "sh", "-c", inRoot, e.root, e.work}, args...)
	}
	err := command(args[0], args[1:]...)
	if err != nil && strings.Contains(err.Error(), notStarted) {
		err = command(args[0], args[1:]...)
	}
	return err
}

// notStarted is what the emulation says when it did not start the program at all, as happens now and then on a busy
// machine. It is asked once more: what a program itself does wrong says something else.
const notStarted = "ShellExecuteEx failed"

// wine runs a program of the other system in a directory.
func (e *emulation) wine(dir string, args ...string) error {
	return e.program(dir, append([]string{"wine"}, args...)...)
}

// objectClasses are the classes of objects that answers.c makes.
var objectClasses = []string{"{76A64158-CB41-11D1-8B02-00600806D9B6}", "{4CB43D7F-7EEE-4906-8698-60DA1C38F2FE}"}

// answering sets services up that the emulation does not have, and returns the program before the collector that says
// what they answer.
func (e *emulation) answering(dir string, a *answers) ([]string, error) {
	system := filepath.Join(dir, "drive_c/windows/system32")
	for _, name := range []string{"answers.dll", "netapi32.dll", "wevtapi.dll"} {
		if err := command("cp", e.answers, filepath.Join(system, name)); err != nil {
			return nil, err
		}
	}
	for _, class := range objectClasses {
		key := `HKLM\Software\Classes\CLSID\` + class + `\InprocServer32`
		if err := errors.Join(
			e.wine(dir, "reg", "add", key, "/ve", "/d", `C:\windows\system32\answers.dll`, "/f"),
			e.wine(dir, "reg", "add", key, "/v", "ThreadingModel", "/d", "Both", "/f"),
		); err != nil {
			return nil, err
		}
	}
	with := []string{
		"env", "WINEDLLOVERRIDES=netapi32,wevtapi=n", "LAB_VOLUME=" + a.Volume, "LAB_ACCOUNTS=" + a.Accounts,
		"LAB_BACKUP=" + a.Backup,
	}
	if a.Updates != "" {
		with = append(with, "LAB_UPDATES="+a.Updates)
	}
	if a.Settings != "" {
		with = append(with, "LAB_SETTINGS="+a.Settings)
	}
	return with, nil
}

// emulate sets the emulation of a kind of system up.
func emulate(work string, k *windowsKind) (*emulation, error) {
	work = filepath.Join(work, k.arch)
	e := &emulation{
		windowsKind: k, work: work, fresh: filepath.Join(work, "fresh"), collector: filepath.Join(work, "collect.exe"),
		refuse: filepath.Join(work, "refuse.exe"), answers: filepath.Join(work, "answers.dll"),
	}
	if err := os.MkdirAll(e.fresh, 0o700); err != nil {
		return nil, err
	}
	if err := e.wine(e.fresh, "wineboot", "-i"); err != nil {
		return nil, err
	}
	build := exec.Command("go", "build", "-trimpath", "-ldflags", "-s -w", "-o", e.collector, "./cmd/rolltop-collect")
	build.Env = append(os.Environ(), "CGO_ENABLED=0", "GOOS=windows", "GOARCH="+k.goarch)
	if out, err := build.CombinedOutput(); err != nil {
		return nil, fmt.Errorf("the collector does not build: %w\n%s", err, out)
	}
	shim := filepath.Join(e.fresh, "drive_c/windows/system32/bcryptprimitives.dll")
	if err := errors.Join(
		command(k.compiler, "-shared", "-Wl,--kill-at", "-o", shim, "lab/windows/shim.c", "-ladvapi32"),
		command(k.compiler, "-shared", "-Wl,--kill-at", "-o",
			filepath.Join(e.fresh, "drive_c/windows/system32/tbs.dll"), "lab/windows/tbs.c", "-lws2_32"),
		command(k.compiler, "-o", e.refuse, "lab/windows/refuse.c", "-ladvapi32"),
		command(k.compiler, "-shared", "-Wl,--kill-at,--export-all-symbols", "-o", e.answers, "lab/windows/answers.c",
			"-lole32", "-loleaut32", "-luuid"),
		e.wine(e.fresh, "reg", "add", `HKCU\Software\Wine`, "/v", "Version", "/d", "win10", "/f"),
	); err != nil {
		return nil, err
	}
	return e, e.program(e.fresh, "wineserver", "-w") // what it holds in memory is then in its files
}

// run runs the collector with a registry.
func (e *emulation) run(name string, m *emulated) (*result, error) {
	start := time.Now()
	dir := filepath.Join(e.work, name)
	if err := command("cp", "-a", e.fresh, dir); err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir) // a directory of the emulation is large
	file := dir + ".reg"
	if err := os.WriteFile(file, []byte(regFile(m.Registry)), 0o600); err != nil {
		return nil, err
	}
	if m.Structures {
		return e.structures(dir, m, start)
	}
	if err := e.wine(dir, "regedit", "/S", "Z:"+file); err != nil {
		return nil, err
	}
	out, saved := dir+".json", dir+"-capture.json"
	args := []string{
		"Z:" + e.collector, "--software", "Tidebook,Counterfoil,Tidewrack.Tidebook", "--output", "Z:" + out,
		"--save-capture", "Z:" + saved,
	}
	if len(m.Refused) > 0 {
		args = slices.Concat([]string{e.refuse}, m.Refused, []string{"--"}, args)
	}
	var with []string
	if m.Answers != nil {
		var err error
		if with, err = e.answering(dir, m.Answers); err != nil {
			return nil, err
		}
	}
	proof, err := e.report(dir, m, with, args)
	if err != nil {
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
	r.proven = proof
	judgeProof(&Machine{Attests: m.Attests}, r, nil)
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

// structures decodes what a program of the system lays out.
func (e *emulation) structures(dir string, m *emulated, start time.Time) (*result, error) {
	program, out := dir+".exe", dir+".txt"
	if err := command(e.compiler, "-o", program, "lab/windows/structures.c"); err != nil {
		return nil, err
	}
	if err := e.wine(dir, "Z:"+program, "Z:"+out); err != nil {
		return nil, err
	}
	text, err := os.ReadFile(out)
	if err != nil {
		return nil, err
	}
	c := &capture.Document{Format: capture.Format, TakenAt: start.UTC(), Platform: "windows", Elevated: true}
	for line := range strings.Lines(string(text)) {
		source, bytes, _ := strings.Cut(strings.TrimSpace(line), "\t")
		raw, err := hex.DecodeString(bytes)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", source, err)
		}
		c.Add(capture.Record{Source: source, Outcome: capture.OK, Raw: raw})
	}
	d, err := decode.Inventory(c)
	if err != nil {
		return nil, err
	}
	r := compare(&Machine{Expect: m.Expect}, d)
	r.took = time.Since(start)
	return r, nil
}

// report runs the collector with its arguments, in an environment; with a made-up TPM and a service of its own where it
// reports to one.
func (e *emulation) report(dir string, m *emulated, with, args []string) (*proven, error) {
	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	if m.OldTPM != "" {
		c, err := startOldChip(ctx, dir, m.OldTPM == "deactivated")
		if err != nil {
			return nil, err
		}
		defer c.Close()
		with = []string{"env", "LAB_TPM=" + c.port(), "LAB_TPM_GENERATION=1", "WINEDLLOVERRIDES=tbs=n"}
	}
	if m.Attests == nil {
		return nil, e.program(dir, slices.Concat(with, []string{"wine"}, args)...)
	}
	to, err := startReporting(ctx, dir, nil)
	if err != nil {
		return nil, err
	}
	defer to.close()
	log := filepath.Join(dir, "boot.log")
	start := func() (*chip, error) { return startChip(filepath.Base(dir), log) }
	if m.InSoftware {
		start = func() (*chip, error) { return startSoftwareChip(ctx, dir, log) }
	}
	c, err := start()
	if err != nil {
		return nil, err
	}
	defer c.Close()
	args = append([]string{"env", "LAB_TPM=" + c.port(), "LAB_LOG=Z:" + log, "WINEDLLOVERRIDES=tbs=n", "wine"}, args...)
	args = append(args, "--server", fmt.Sprintf("http://127.0.0.1:%d", to.port), "--token", to.token, "--attest")
	if err := e.program(dir, args...); err != nil {
		return nil, err
	}
	return to.proven(ctx)
}

// list holds expected rows against those that were read. In an expected row, [ab] is either.
func (r *result) list(what string, want, got []string) {
	for _, w := range want {
		found := false
		for _, g := range got {
			same, err := path.Match(strings.ReplaceAll(w, "?", `\?`), g) // a ? stands for what is unknown, not for any
			found = found || same && err == nil
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
