package assess_test

import (
	"encoding/json"
	"fmt"
	"maps"
	"os"
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/internal/expect"
)

// everything is a release that asks for whatever some step brings about.
func everything(t *testing.T) *release.Release {
	t.Helper()
	src, err := os.ReadFile("../remedy/testdata/every-remedy.yaml")
	if err != nil {
		t.Fatal(err)
	}
	rel, err := release.Read("every-remedy", src, nil)
	if err != nil {
		t.Fatal(err)
	}
	return rel
}

// whole is a machine that meets all that the release asks for.
func whole() *doc {
	d := sound()
	d.OS.Edition = inventory.Some("Office")
	d.OS.Account = inventory.Some("directory")
	d.OS.Licence = inventory.Some("valid")
	d.OS.PendingRestart = inventory.Some(false)
	d.OS.Language = inventory.Some("en")
	d.OS.Version = inventory.Some("11.2")
	d.Firmware.LegacySupport = inventory.Some(false)
	d.Software, d.Drivers = []inventory.Software{}, []inventory.Driver{}
	d.Displays = []inventory.Display{{
		WidthPx:        inventory.Some(int64(1920)),
		HeightPx:       inventory.Some(int64(1080)),
		BitsPerChannel: inventory.Some(int64(8)),
		DiagonalInches: inventory.Some(14.0),
	}}
	d.Graphics = []inventory.Adapter{{
		DriverModel:    inventory.Some("2.7"),
		DriverVersion:  inventory.Some("3.1"),
		InterfaceLevel: inventory.Some("12.0"),
		AddIn:          inventory.Some(false),
	}}
	d.Storage.Boot.Dynamic, d.Storage.Boot.ESP.Loader = inventory.Some(false), inventory.Some(true)
	d.Storage.Disks[0].Bytes = inventory.Some(int64(256e9))
	d.Storage.Boot.Partitions = []inventory.Partition{{Kind: inventory.Some("primary")}}
	return d
}

func titles(name string) func(*doc) {
	return func(d *doc) { d.Software = []inventory.Software{{Name: name, Version: inventory.Some("1.0")}} }
}

func driver(machine string) func(*doc) {
	return func(d *doc) { d.Drivers = []inventory.Driver{{Device: machine, Version: inventory.Some("1.0")}} }
}

func encrypted(state, kind string) func(*doc) {
	return func(d *doc) {
		d.Storage.System.Encryption = inventory.Encryption{State: inventory.Some(state), Kind: inventory.Some(kind)}
	}
}

func secureOff(d *doc) { d.Firmware.SecureBoot = inventory.Some("off") }

// rows are a small machine for each step, which its plan holds.
var rows = []struct {
	step   string
	change func(*doc)
}{
	{"read-again", func(d *doc) {
		d.TPM = inventory.TPM{}
		d.AddGap("tpm.state", inventory.NeedsRights, "", "")
	}},
	{"read-anew", func(d *doc) { d.TPM.State = inventory.Opt[string]{} }},
	{"enter-by-hand", func(d *doc) {
		d.OS.Licence = inventory.Opt[string]{}
		d.AddGap("os.licence", inventory.NotOffered, "", "")
	}},
	{"examine-contradicted", func(d *doc) {
		d.Firmware.SecureBoot = inventory.Opt[string]{}
		d.TPM.Attestation = inventory.Some("contradicted")
		d.Gaps = append(d.Gaps, inventory.Gap{Fact: "firmware.secure_boot", Cause: inventory.Disagree,
			Readings: []inventory.Differ{{Value: "on", Source: "the system"}, {Value: "off", Source: "the TPM"}}})
	}},
	{"save-capture", func(d *doc) {
		d.TPM = inventory.TPM{}
		d.AddGap("tpm.state", inventory.ReadFailed, "", "")
	}},
	{"decide", func(d *doc) {
		d.TPM.State = inventory.Some("not-seen")
		d.Device.Form = inventory.Some("laptop")
		d.Processor.Name = inventory.Some("Corvane K5-8250U")
	}},
	{"restart-first", func(d *doc) { d.OS.PendingRestart = inventory.Some(true) }},
	{"backup", nil},
	{"recovery-key", with(encrypted("on", "platform"), secureOff)},
	{"other-system", with(secureOff, func(d *doc) { d.Storage.OtherSystems = []string{"Lodestar Linux"} })},
	{"find-other-system", with(secureOff, func(d *doc) { d.Storage.OtherSystems = nil })},
	{"free-space", func(d *doc) { d.Storage.System.FreeBytes = inventory.Some(int64(9e9)) }},
	{"link-account", func(d *doc) {
		d.OS.Edition = inventory.Some("Home")
		d.OS.Account = inventory.Some("local")
	}},
	{"change-edition", func(d *doc) { d.OS.Edition = inventory.Some("Pier") }},
	{"put-licence-right", func(d *doc) { d.OS.Licence = inventory.Some("invalid") }},
	{"lift-hold", func(d *doc) { d.OS.HeldAt = inventory.Some("Skerry 11") }},
	{"update-titles", titles("Tidebook")},
	{"buy-titles", titles("Counterfoil")},
	{"remove-titles", titles("Lampwright")},
	{"solve-problems", titles("Hawser VPN")},
	{"research-titles", titles("Kedge")},
	{"update-drivers", driver("Plover scanner")},
	{"remove-drivers", driver("Plover plotter")},
	{"solve-driver-problems", driver("Plover gate")},
	{"research-drivers", driver("Plover till")},
	{"graphics-driver", func(d *doc) { d.Graphics[0].DriverModel = inventory.Some("1.3") }},
	{"pause-encryption", with(encrypted("on", "platform"), secureOff)},
	{"passphrase", with(encrypted("on", "luks"), secureOff)},
	{"other-encryption", with(encrypted("on", "other"), secureOff)},
	{"unbind-tpm", func(d *doc) { d.TPM.State = inventory.Some("not-ready") }},
	{"add-memory", memory(4, 1)},
	{"swap-memory", memory(4, 2)},
	{"failing-drive", func(d *doc) { d.Storage.Disks[0].Health = inventory.Some("bad") }},
	{"failing-flash", func(d *doc) {
		d.Storage.Disks[0].Health = inventory.Some("bad")
		d.Storage.Disks[0].Kind = inventory.Some("emmc")
	}},
	{"change-drive", func(d *doc) { d.Storage.System.DiskBytes = inventory.Some(int64(64e9)) }},
	{"add-drive", func(d *doc) {
		d.Storage.System.DiskBytes = inventory.Some(int64(64e9))
		d.Storage.Disks[0].Kind = inventory.Some("emmc")
	}},
	{"look-for-tpm", func(d *doc) {
		d.TPM.State = inventory.Some("not-seen")
		d.Processor.Name = inventory.Some("Corvane K5-8250U")
	}},
	{"tpm-module", func(d *doc) {
		d.TPM.State = inventory.Some("not-seen")
		d.Processor.Name = inventory.Some("Corvane K5-8250U")
	}},
	{"graphics-card", func(d *doc) { d.Graphics[0].InterfaceLevel = inventory.Some("11.0") }},
	{"display", func(d *doc) { d.Displays[0].WidthPx = inventory.Some(int64(1024)) }},
	{"convert-disk", legacy},
	{"efi-loader", func(d *doc) {
		legacy(d)
		d.Storage.System.PartitionStyle = inventory.Some("gpt")
		d.Storage.Boot.PartitionStyle = inventory.Some("gpt")
		d.Storage.Boot.ESP.Loader = inventory.Some(false)
	}},
	{"enter-firmware", secureOff},
	{"boot-mode", legacy},
	{"legacy-support-off", func(d *doc) { d.Firmware.LegacySupport = inventory.Some(true) }},
	{"tpm-on", func(d *doc) { d.TPM.State = inventory.Some("off") }},
	{"tpm-recover", func(d *doc) { d.TPM.State = inventory.Some("not-ready") }},
	{"tpm-other", func(d *doc) { d.TPM.Version = inventory.Some("1.2") }},
	{"tpm-mode", func(d *doc) {
		d.TPM.Version = inventory.Some("1.2")
		d.Processor.Name = inventory.Some("Corvane K5-8250U")
		d.TPM.Changeable = inventory.Some(true)
	}},
	{"secure-boot-keys", func(d *doc) { d.Firmware.SecureBoot = inventory.Some("setup") }},
	{"secure-boot-on", secureOff},
	{"processor-feature", func(d *doc) { d.Processor.Features = []string{"cmpxchg16b", "sse4.2"} }},
	{"check-again", secureOff},
	{"enrol-again", func(d *doc) { d.TPM.State = inventory.Some("not-ready") }},
	{"resume-encryption", encrypted("paused", "platform")},
	{"encrypt-again", with(encrypted("on", "other"), secureOff)},
	{"host-memory", with(guest, memory(4, 1))},
	{"host-cores", with(guest,
		func(d *doc) {
			d.Processor.Cores = inventory.Some(int64(1))
			d.Processor.Threads = inventory.Some(int64(1))
		})},
	{"host-disk", with(guest, func(d *doc) { d.Storage.System.DiskBytes = inventory.Some(int64(64e9)) })},
	{"host-tpm", with(guest, func(d *doc) { d.TPM.State = inventory.Some("not-seen") })},
	{"host-secure-boot", with(guest, secureOff)},
	{"new-guest", with(guest, legacy)},
	{"interim", func(d *doc) { d.OS.Version = inventory.Some("10.4") }},
	{"uefi-reinstall", with(legacy, func(d *doc) { d.Storage.Boot.Dynamic = inventory.Some(true) })},
	{"reinstall", func(d *doc) { d.OS.Architecture = inventory.Some("x86") }},
	{"upgrade", nil},
	{"replace", func(d *doc) { legacy(d); d.Firmware.UEFICapable = inventory.Some(false) }},
}

// others are steps whose machine the rows above cannot be: a list that does not read a
// name, a Mac, a firmware guide, an own step.
func others(t *testing.T) map[string]*assess.Document {
	t.Helper()
	withImage := asks(t, []string{"level: must, consequence: unsupported, need: {fact: processor.cores, at_least: 2}"},
		"upgrade: [{platform: windows, way: image, keeps: [files]}]")
	with := func(text string, d *doc) *assess.Document {
		m, err := knowledge.Read(knowledge.Document{Name: "own", Text: []byte(text)})
		if err != nil {
			t.Fatal(err)
		}
		a, err := assess.With(m, everything(t), d)
		if err != nil {
			t.Fatal(err)
		}
		return a.Document(now, "record")
	}
	sample, permissive, old := sound(), mac(), whole()
	sample.Processor.Name = inventory.Some("Corvane 0000 sample")
	permissive.Firmware.SecureBoot = inventory.Some("permissive")
	old.Device.Board.Manufacturer = inventory.Some("Ostrel")
	old.Device.Board.Model = inventory.Some("OB-300")
	old.Firmware.Version = inventory.Some("1.02")
	return map[string]*assess.Document{
		"image":        run(t, withImage, sound()).Document(now, "record"),
		"ask-maker":    run(t, coretest.Release(t, "skerry-12"), sample).Document(now, "record"),
		"mac-security": run(t, coretest.Release(t, "fathom-9"), permissive).Document(now, "record"),
		"firmware-update": with("format: rolltop-guides/1\nguides: [{id: o, title: Ostrel boards, maker: Ostrel, "+
			"update: {below: \"1.12\", to: \"1.14\"}}]", old),
		"start-once": with("format: rolltop-steps/1\nsteps: [{id: fans, title: Fans, phase: desk, always: {fact: "+
			"device.form, equals: desktop}, disturbs: [boot], "+
			"do: Do., tell: Tell., confirm: Yes., minutes: {least: 1, most: 2}}]", whole()),
	}
}

// ways are installed systems from which each way leads to the release.
var ways = []struct {
	name   string
	change func(*doc)
}{
	{"in-place", func(*doc) {}},
	{"interim", func(d *doc) { d.OS.Version = inventory.Some("10.4") }},
	{"image", func(d *doc) { d.OS.Edition = inventory.Some("Pier") }},
	{"reinstall", func(d *doc) { d.OS.Version = inventory.Some("9.0") }},
}

func made(change ...func(*doc)) *doc {
	d := whole()
	for _, c := range change {
		if c != nil {
			c(d)
		}
	}
	return d
}

func verdictOf(t *testing.T, rel *release.Release, f *fact.Facts) string {
	t.Helper()
	res, err := check.Run(rel, f)
	if err != nil {
		return "another class of hardware"
	}
	v := remedy.Shipped().Solve(res, nil)
	var plan []string
	for i := range v.Plan {
		p := &v.Plan[i]
		mark := ""
		if p.Expected {
			mark = "?"
		}
		plan = append(plan, p.ID+mark)
	}
	certain := "expected"
	if v.Confirmed {
		certain = "confirmed"
	}
	return fmt.Sprintf("%s, %s, %s to %s: %s", v.Disposition, certain, v.Best, v.Worst, strings.Join(plan, " "))
}

// conditionValues are facts that a step's conditions read, with the values that they know.
func conditionValues(s *remedy.Step) map[fact.ID][]fact.Value {
	return valuesIn(s.When, s.Unless, s.Skip, s.Sure, s.Always, s.Unlikely)
}

// valuesIn are facts that needs read, each with the values that it can have.
func valuesIn(needs ...need.Need) map[fact.ID][]fact.Value {
	out := map[fact.ID][]fact.Value{}
	for _, n := range needs {
		if n == nil {
			continue
		}
		for l := range n.Leaves() {
			id := l.Fact()
			if id.Group() != fact.NoGroup || out[id] != nil {
				continue
			}
			values := []fact.Value{{}}
			switch def := id.Def(); def.Kind {
			case fact.Bool:
				values = append(values, fact.Truth(false), fact.Truth(true))
			case fact.Word:
				var words []string
				for w := range def.Words {
					words = append(words, w)
				}
				slices.Sort(words)
				for _, w := range words {
					values = append(values, fact.Of(fact.Word, w))
				}
			case fact.Number:
				for _, n := range []float64{0, 1, 3, 4} {
					values = append(values, fact.Num(n))
				}
			}
			out[id] = values
		}
	}
	return out
}

// A row for each step: its machine, by each way, and under each value of its conditions.
// The record is rewritten with -update, after the difference was read.
func TestRowOfEachStep(t *testing.T) {
	rel, lib := everything(t), remedy.Shipped()
	var b strings.Builder
	has := map[string]bool{}
	for _, r := range rows {
		has[r.step] = true
		s := lib.Find(r.step)
		if s == nil {
			t.Fatalf("there is not a step %s", r.step)
		}
		base := verdictOf(t, rel, fact.Read(made(r.change)))
		if !slices.Contains(strings.Fields(strings.ReplaceAll(base, "?", "")), r.step) {
			t.Errorf("the plan of the row for %s does not have it: %s", r.step, base)
		}
		fmt.Fprintf(&b, "%s\n", r.step)
		for _, w := range ways {
			fmt.Fprintf(&b, "  %s: %s\n", w.name, verdictOf(t, rel, fact.Read(made(w.change, r.change))))
		}
		values := conditionValues(s)
		for _, id := range slices.Sorted(maps.Keys(values)) {
			for _, v := range values[id] {
				f := fact.Read(made(r.change))
				f.Set(id, v, "")
				said := "unknown"
				if v.Known() {
					said = v.Plain()
				}
				fmt.Fprintf(&b, "  %s %s: %s\n", id, said, verdictOf(t, rel, f))
			}
		}
	}
	for _, id := range lib.IDs() {
		if !has[id] && others(t)[id] == nil {
			t.Errorf("%s has no row", id)
		}
	}
	expect.Record(t, "testdata/rows.txt", b.String())
}

// What an inventory that was taken after the work shows of each step, by the facts that
// show it: that it was done, that it was not, or nothing.
func TestWhatShowsThatAStepWasDone(t *testing.T) {
	lib := remedy.Shipped()
	var b strings.Builder
	for _, id := range lib.IDs() {
		s := lib.Find(id)
		values := valuesIn(s.Seen, s.Unseen)
		for _, id := range slices.Sorted(maps.Keys(values)) {
			for _, v := range values[id] {
				f := fact.Read(sound())
				f.Set(id, v, "")
				fmt.Fprintf(&b, "%s: %s %s: %s\n", s.ID, id, v.Plain(), s.Shown(f))
			}
		}
	}
	expect.Record(t, "testdata/shown.txt", b.String())
}

// What is said of each step: whole sentences, effort by phase, cautions, ways back.
func TestWordsOfEachStep(t *testing.T) {
	rel := everything(t)
	var b strings.Builder
	say := func(step string, c *assess.Document) {
		i := slices.IndexFunc(c.Plan, func(s assess.Step) bool { return s.Step == step })
		if i < 0 {
			t.Errorf("no plan has %s: %s", step, planOf(c))
			return
		}
		s := &c.Plan[i]
		s.Number, s.After = 0, nil
		text, err := json.MarshalIndent(s, "  ", " ")
		if err != nil {
			t.Fatal(err)
		}
		fmt.Fprintf(&b, "%s\n  %s\n  effort:", step, text)
		for _, e := range c.Effort.Phases {
			fmt.Fprintf(&b, " %s %d–%d min, %d restarts by %s;", e.Phase, e.Minutes.Least, e.Minutes.Most, e.Restarts,
				strings.Join(e.Who, " and "))
		}
		fmt.Fprintf(&b, "\n  bring: %s\n", strings.Join(c.Bring, "; "))
	}
	for _, r := range rows {
		say(r.step, run(t, rel, made(r.change)).Document(now, "record"))
	}
	more := others(t)
	for _, id := range slices.Sorted(maps.Keys(more)) {
		say(id, more[id])
	}
	expect.Record(t, "testdata/words.txt", b.String())
}
