package remedy

import (
	"fmt"
	"math/rand/v2"
	"os"
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
)

// hazards are pairs of which the first must never come after the second where
// both stand in a plan.
var hazards = [][2]string{
	{"convert-disk", "boot-mode"}, {"boot-mode", "secure-boot-on"}, {"boot-mode", "tpm-on"}, {"tpm-on", "secure-boot-on"},
	{"backup", "convert-disk"}, {"backup", "free-space"}, {"backup", "add-memory"}, {"backup", "reinstall"}, {"backup", "interim"}, {"recovery-key", "pause-encryption"},
	{"pause-encryption", "convert-disk"}, {"pause-encryption", "tpm-on"}, {"pause-encryption", "secure-boot-on"}, {"pause-encryption", "tpm-module"},
	{"secure-boot-on", "check-again"}, {"check-again", "resume-encryption"}, {"resume-encryption", "upgrade"}, {"interim", "upgrade"}, {"read-again", "backup"},
	{"free-space", "upgrade"}, {"secure-boot-keys", "secure-boot-on"}, {"legacy-support-off", "secure-boot-on"}, {"boot-mode", "legacy-support-off"}, {"lift-hold", "upgrade"}, {"other-system", "convert-disk"},
	{"failing-drive", "convert-disk"}, {"enter-firmware", "tpm-on"}, {"enter-firmware", "boot-mode"}, {"efi-loader", "boot-mode"}, {"restart-first", "backup"}, {"firmware-update", "tpm-on"}, {"change-drive", "convert-disk"}, {"boot-mode", "reinstall"},
}

// random is the inventory of a PC whose states are drawn at random.
func random(r *rand.Rand) *inventory.Document {
	d := &inventory.Document{}
	word := func(into *inventory.Opt[string], words ...string) {
		if w := words[r.IntN(len(words))]; w != "" {
			*into = inventory.Some(w)
		}
	}
	number := func(into *inventory.Opt[int64], values ...int64) {
		if v := values[r.IntN(len(values))]; v >= 0 {
			*into = inventory.Some(v)
		}
	}
	truth := func(into *inventory.Opt[bool], likely bool) {
		switch n := r.IntN(6); {
		case n == 0: // not known
		case n == 1:
			*into = inventory.Some(!likely)
		default:
			*into = inventory.Some(likely)
		}
	}
	word(&d.Device.Form, "desktop", "laptop")
	word(&d.Device.Environment, "hardware", "hardware", "hardware", "hardware", "guest")
	word(&d.OS.Platform, "windows", "windows", "windows", "linux")
	word(&d.OS.Version, "11.2", "11.2", "11.2", "10.4", "")
	word(&d.OS.Edition, "Office", "Office", "Home", "Pier")
	word(&d.OS.Account, "directory", "local", "vendor")
	word(&d.OS.Licence, "valid", "valid", "valid", "invalid", "")
	word(&d.OS.HeldAt, "", "", "Skerry 11")
	truth(&d.OS.PendingRestart, false)
	word(&d.OS.Architecture, "x86-64", "x86-64", "x86-64", "x86-64", "x86")
	d.Processor.Architecture = inventory.Some("x86-64")
	word(&d.Processor.Name, "Corvane K5-9400", "Corvane K5-9400", "Corvane K5-8500T", "Corvane K5-8250U", "Corvane sample", "Corvane K5-7300U")
	d.Processor.RatedMHz = inventory.Some[int64](2900)
	number(&d.Processor.Cores, 6, 6, 6, 6, 2)
	d.Processor.Features = []string{"cmpxchg16b", "sse4.2", "avx2"}[:2+min(1, r.IntN(5))]
	number(&d.Memory.Installed, 4<<30, 8<<30, 16<<30, -1)
	number(&d.Memory.Slots, 2, 2, -1)
	number(&d.Memory.SlotsUsed, 1, 2)
	number(&d.Storage.System.DiskBytes, 64e9, 256e9, 256e9)
	number(&d.Storage.System.FreeBytes, 9e9, 90e9, 90e9)
	disk := inventory.Disk{System: inventory.Some(true)}
	word(&disk.Kind, "ssd", "ssd", "hdd", "emmc")
	word(&disk.Health, "good", "good", "good", "bad", "")
	d.Storage.Disks = []inventory.Disk{disk}
	word(&d.Storage.System.PartitionStyle, "gpt", "mbr")
	d.Storage.Boot.PartitionStyle = d.Storage.System.PartitionStyle
	word(&d.Storage.System.Encryption.State, "on", "off", "paused", "")
	word(&d.Storage.System.Encryption.Kind, "platform", "platform", "luks", "other", "")
	truth(&d.Storage.Boot.Dynamic, false)
	truth(&d.Storage.Boot.ESP.Loader, true)
	for range r.IntN(5) {
		p := inventory.Partition{}
		word(&p.Kind, "primary", "primary", "primary", "primary", "primary", "extended", "logical")
		d.Storage.Boot.Partitions = append(d.Storage.Boot.Partitions, p)
	}
	if r.IntN(3) == 0 {
		d.Storage.OtherSystems = []string{"Lodestar Linux"}
	} else if r.IntN(2) == 0 {
		d.Storage.OtherSystems = []string{}
	}
	word(&d.Firmware.BootMode, "uefi", "legacy")
	word(&d.Firmware.Password, "set", "not-set", "")
	truth(&d.Firmware.UEFICapable, true)
	truth(&d.Firmware.LegacySupport, false)
	if d.Firmware.BootMode.Or("") == "legacy" {
		d.Firmware.SecureBoot = inventory.Some("inactive")
	} else {
		word(&d.Firmware.SecureBoot, "on", "off", "setup")
		truth(&d.Firmware.SecureBootCapable, true)
	}
	word(&d.TPM.State, "ready", "off", "not-seen", "not-ready", "")
	if s := d.TPM.State.Or(""); s == "ready" || s == "not-ready" {
		word(&d.TPM.Version, "2.0", "2.0", "1.2")
	}
	truth(&d.TPM.Header, true)
	truth(&d.TPM.Changeable, true)
	for _, title := range []string{"Tidebook", "Counterfoil", "Lampwright", "Hawser VPN", "Kedge"} {
		if r.IntN(6) == 0 {
			d.Software = append(d.Software, inventory.Software{Name: title, Version: inventory.Some("1.0")})
		}
	}
	for _, device := range []string{"Plover scanner", "Plover plotter", "Plover till", "Plover gate"} {
		if r.IntN(6) == 0 {
			d.Drivers = append(d.Drivers, inventory.Driver{Device: device, Version: inventory.Some("1.0")})
		}
	}
	if r.IntN(8) > 0 {
		d.Software, d.Drivers = append([]inventory.Software{}, d.Software...), append([]inventory.Driver{}, d.Drivers...)
	}
	card := inventory.Adapter{}
	word(&card.DriverModel, "2.7", "2.7", "1.3")
	word(&card.InterfaceLevel, "12", "12", "12", "11")
	truth(&card.AddIn, false)
	d.Graphics = []inventory.Adapter{card}
	return d
}

// everyRemedy is a release that asks for all that some step brings about.
func everyRemedy(t *testing.T) *release.Release {
	t.Helper()
	src, err := os.ReadFile("testdata/every-remedy.yaml")
	if err != nil {
		t.Fatal(err)
	}
	rel, err := release.Read("every-remedy", src, nil)
	if err != nil {
		t.Fatal(err)
	}
	return rel
}

func skerry(t *testing.T) *release.Release {
	t.Helper()
	src, err := os.ReadFile("../../internal/standin/releases/skerry-12.yaml")
	if err != nil {
		t.Fatal(err)
	}
	rel, err := release.Read("skerry-12", src, beside)
	if err != nil {
		t.Fatal(err)
	}
	return rel
}

// reversed is the library with its files read backwards, so that the order in
// which steps are written helps no plan: only what they say of each other does.
// The edges named as “step after step” are left out.
func reversed(t *testing.T, drop ...string) *Library {
	t.Helper()
	var docs []StepDoc
	left := len(drop)
	for _, s := range slices.Backward(Shipped().steps) {
		d := s.StepDoc
		d.After = nil
		for _, a := range s.After {
			if slices.Contains(drop, s.ID+" after "+a) {
				left--
			} else {
				d.After = append(d.After, a)
			}
		}
		docs = append(docs, d)
	}
	if left != 0 {
		t.Errorf("some of the edges %q are not there", drop)
	}
	r := &doc.Report{}
	lib := compile(docs, nil, r)
	if err := r.Err(); err != nil {
		t.Fatal(err)
	}
	return lib
}

// plansOf runs f over the plans of many machines until it returns false.
func plansOf(t *testing.T, rel *release.Release, lib *Library, count int, f func(*fact.Facts, *Verdict) bool) {
	t.Helper()
	plans(t, rel, lib, count, func(res *check.Result, v *Verdict) bool { return f(res.Facts, v) })
}

// plans runs f over the plans of many machines until it returns false.
func plans(t *testing.T, rel *release.Release, lib *Library, count int, f func(*check.Result, *Verdict) bool) {
	t.Helper()
	r := rand.New(rand.NewPCG(7, 7))
	for range count {
		res, err := check.Run(rel, fact.Read(random(r)))
		if err != nil {
			t.Fatal(err)
		}
		v := solve(lib, res, nil, res.Path, -1)
		if !f(res, &v) {
			return
		}
	}
}

// broken names what is unsafe or futile in the plan of a machine, or "".
func broken(lib *Library, f *fact.Facts, v *Verdict) string {
	at := map[string]int{}
	for i, p := range v.Plan {
		at[p.ID] = i + 1
	}
	for _, h := range hazards {
		if a, b := at[h[0]], at[h[1]]; a > 0 && b > 0 && a > b {
			return h[1] + " before " + h[0]
		}
	}
	if v.Disposition == Replace {
		if len(v.Plan) != 1 {
			return "steps on a machine to replace"
		}
		return ""
	}
	sealed := at["pause-encryption"]+at["passphrase"]+at["other-encryption"] > 0 || f.Is(fact.EncryptionState, "off") || f.Is(fact.EncryptionState, "paused")
	sim := &solver{lib: lib, was: f, sim: copyOf(f)}
	for i := range v.Plan {
		p := &v.Plan[i]
		if p.Class != NoClass && p.can(sim.sim) == need.False {
			return p.ID + " cannot be done at its place"
		}
		// Nothing is changed in firmware, on the disk or in the case of a machine
		// whose encryption was not thought of, unless its disk is emptied.
		if p.Phase == Desk && p.Class == Setting && !sealed && v.Route != release.Reinstall {
			return p.ID + " with the encryption on"
		}
		if p.Risk == "may-lose-data" && at["backup"] == 0 {
			return p.ID + " without a backup"
		}
		switch p.ID {
		case "boot-mode":
			if !sim.sim.Is(fact.DiskStyle, "gpt") || !sim.sim.Value(fact.ESPLoader).Bool() {
				return "the boot mode is changed with nothing there that starts in it"
			}
			if p.Restarts == 0 {
				return "the system is not started once after the boot mode"
			}
		case "convert-disk", "free-space":
			if sim.sim.Is(fact.DiskHealth, "bad") {
				return p.ID + " on a failing drive"
			}
		}
		if others := f.Value(fact.OtherSystems); len(others.Set()) > 0 && (p.ID == "convert-disk" || p.ID == "boot-mode" || p.ID == "secure-boot-on") {
			if !slices.ContainsFunc(p.Cautions(f), func(s string) bool { return strings.Contains(s, "nother system") }) || at["other-system"] == 0 {
				return p.ID + " without a word on the other system"
			}
		}
		if p.Class != NoClass && len(p.Settles) == 0 && !p.Installs && p.Always == nil && !pulled(lib, v, p) && p.ID != "interim" {
			return p.ID + " settles nothing"
		}
		sim.simulate(p, nil)
	}
	return ""
}

// pulled says whether another step of the plan needs this one.
func pulled(lib *Library, v *Verdict, p *Planned) bool {
	return slices.ContainsFunc(v.Plan, func(q Planned) bool { return slices.Contains(q.Pulls, p.ID) })
}

func TestPlansAreSafeAndEndReady(t *testing.T) {
	stood := map[string]int{}
	for _, rel := range []*release.Release{skerry(t), everyRemedy(t)} {
		lib := reversed(t)
		seen := map[Disposition]int{}
		plans(t, rel, lib, 10_000, func(res *check.Result, v *Verdict) bool {
			seen[v.Disposition]++
			for i := range v.Plan {
				stood[v.Plan[i].ID]++
			}
			what := broken(lib, res.Facts, v)
			if what == "" {
				what = unsettled(lib, res, v)
			}
			if what != "" {
				t.Errorf("%s: %s, in %s", rel.ID, what, ids(v))
			}
			return what == ""
		})
		for d := range Undetermined + 1 {
			if seen[d] == 0 && d != Ready {
				t.Errorf("no machine is %s for %s: the test says nothing of it", d, rel.ID)
			}
		}
	}
	for i := range Shipped().steps {
		if id := Shipped().steps[i].ID; stood[id] == 0 && !slices.Contains([]string{"mac-security", "firmware-update", "display", "save-capture", "enter-by-hand", "update-titles"}, id) {
			t.Errorf("%s stands in no plan: nothing tests it", id)
		}
	}
}

// unsettled names a must that fails and of which the plan does not take care,
// or "". Where the steps of a plan are done, one after the other, a machine that
// takes settings or parts is ready.
func unsettled(lib *Library, res *check.Result, v *Verdict) string {
	sim := &solver{lib: lib, was: res.Facts, sim: copyOf(res.Facts)}
	spoken := slices.Clone(v.NoRemedy)
	for _, p := range append(slices.Clone(v.Plan), v.Withheld...) {
		spoken = append(spoken, p.Settles...)
	}
	for i := range res.Findings {
		if fd := &res.Findings[i]; fd.Outcome == check.Fail && fd.Requirement.Level == release.Must {
			sim.failing = append(sim.failing, fd)
		} else if fd.Outcome == check.Unknown && fd.Requirement.Level == release.Must {
			sim.open = append(sim.open, fd)
		}
	}
	for i := range v.Plan {
		p := &v.Plan[i]
		for k := range res.Findings {
			if q := res.Findings[k].Requirement; slices.Contains(p.Settles, q.ID) {
				sim.simulate(p, q)
			}
		}
		sim.simulate(p, nil)
	}
	for i := range res.Findings {
		fd := &res.Findings[i]
		q := fd.Requirement
		if q.Level != release.Must || q.Interim != nil && v.Route != release.ByInterim {
			continue
		}
		if fd.Outcome == check.Fail && !slices.Contains(spoken, q.ID) {
			return q.ID + " fails, and nothing is said of it"
		}
		if v.Disposition == Replace || v.Disposition == Undetermined && fd.Outcome != check.Fail {
			continue
		}
		applies := q.When == nil || q.When.Test(sim.sim.View()) != need.False
		if fd.Outcome == check.Fail && applies && q.Need.Test(sim.sim.View()) != need.True || (fd.Outcome == check.Unknown && applies && fd.Applies == need.True && q.Need.Test(sim.sim.View()) == need.False) {
			return q.ID + " still fails at the end"
		}
	}
	return ""
}

func ids(v *Verdict) string {
	var out []string
	for _, p := range v.Plan {
		out = append(out, p.ID)
	}
	return fmt.Sprint(out)
}

// The test above proves something only if it fails when what it guards is
// taken away: without these edges, a plan must be unsafe.
func TestEdgesAreNeeded(t *testing.T) {
	rel := everyRemedy(t)
	for _, edges := range [][]string{
		{"boot-mode after convert-disk", "enter-firmware after convert-disk", "efi-loader after convert-disk"},
		{"boot-mode after efi-loader", "enter-firmware after efi-loader"},
		{"check-again after secure-boot-on"}, {"resume-encryption after check-again"},
		{"tpm-on after boot-mode"}, {"upgrade after interim"}, {"backup after read-again"}, {"free-space after backup"},
		{"convert-disk after failing-drive", "enter-firmware after failing-drive"},
		{"secure-boot-on after secure-boot-keys"},
	} {
		lib, ran := reversed(t, edges...), false
		plans(t, rel, lib, 6000, func(res *check.Result, v *Verdict) bool {
			ran = broken(lib, res.Facts, v) != ""
			return !ran
		})
		if !ran {
			t.Errorf("without %q no plan is unsafe: nothing tests it", edges)
		}
	}
}

func TestSolveIsTheSameAtEveryRun(t *testing.T) {
	rel := skerry(t)
	first := map[int]string{}
	for run := range 3 {
		i := 0
		plans(t, rel, Shipped(), 500, func(_ *check.Result, v *Verdict) bool {
			s := v.Disposition.String() + ids(v)
			if run == 0 {
				first[i] = s
			} else if first[i] != s {
				t.Errorf("machine %d: %s, then %s", i, first[i], s)
			}
			i++
			return true
		})
	}
}

// beside reads a file beside the demo's release documents.
func beside(name string) ([]byte, error) {
	return os.ReadFile("../../internal/standin/releases/" + name)
}

// The aim is a plan for one machine in 50 µs.
func BenchmarkPlan(b *testing.B) {
	src, err := os.ReadFile("../../internal/standin/releases/skerry-12.yaml")
	if err != nil {
		b.Fatal(err)
	}
	rel, err := release.Read("skerry-12", src, beside)
	if err != nil {
		b.Fatal(err)
	}
	r := rand.New(rand.NewPCG(7, 7))
	var results []*check.Result
	for len(results) < 200 {
		res, err := check.Run(rel, fact.Read(random(r)))
		if err != nil {
			b.Fatal(err)
		}
		if v := Shipped().Solve(res, nil); v.Disposition == Reconfigure || v.Disposition == Refit {
			results = append(results, res)
		}
	}
	b.ReportAllocs()
	for i := 0; b.Loop(); i++ {
		Shipped().Solve(results[i%len(results)], nil)
	}
}
