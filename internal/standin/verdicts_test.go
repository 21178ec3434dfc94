package standin_test

import (
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/standin"
	"rolltop.example/rolltop/internal/standin/recorded"
)

// verdicts of the recorded machines: disposition, and the titles of what fails
// and of what is not known, worked out by hand from their descriptions.
var verdicts = map[string]struct{ disposition, fails, unknown string }{
	"LANT-101": {"ready", "", ""},
	"GULL-101": {"reconfigure", "Partition style GPT; Boot mode UEFI; Secure boot on; TPM 2.0 ready",
		"Able to do secure boot"},
	"NSLIP-101": {"reconfigure", "Secure boot on", ""},
	"CORB-101": {"undetermined", "Free space on the system volume; Secure boot on",
		"TPM 2.0 ready; Graphics driver; Solid-state system disk"},
	"HOLM-101": {"replace",
		"64-bit system; Processor cores; Installed memory; Capacity of the system disk; Free space on the system " +
			"volume", ""},
	"NSLIP-102": {"ready", "", ""},
	"NARR-101":  {"undetermined", "", "Processor features; Processor on the list; Graphics driver"},
	"EELG-101": {"undetermined", "TPM 2.0 ready",
		"Capacity of the system disk; Partition style GPT; Secure boot on; Solid-state system disk"},
	"SANDP-101": {"replace",
		"Processor features; Processor on the list; Installed memory; Partition style GPT; Boot mode UEFI; Secure " +
			"boot on; Graphics driver; Solid-state system disk", "Able to do secure boot; TPM 2.0 ready"},
	"EELG-102": {"ready", "", ""}, // another system; the release is a clean installation
	"OUTER-101": {"undetermined", "Boot mode UEFI; Secure boot on; TPM 2.0 ready",
		"Capacity of the system disk; Partition style GPT; Able to do secure boot; Solid-state system disk"},
	"NSLIP-M51": {"ready", "", ""},
	"GULL-M51":  {"replace", "Model on the list; Free space on the system volume", ""},
	"LANT-M51":  {"replace", "Model on the list; Start-up security", "Capacity of the system disk"},
}

func TestVerdictsOfRecordedMachines(t *testing.T) {
	rel := map[string]*release.Release{}
	for name, src := range standin.Releases() {
		r, err := release.Read(name, src, nil)
		if err != nil {
			t.Fatal(err)
		}
		rel[r.InstallsOn] = r
	}
	list, err := recorded.Inventories(now)
	if err != nil {
		t.Fatal(err)
	}
	for i, name := range recorded.Names() {
		d := list[i]
		if age := now.Sub(d.TakenAt); age <= 0 || age.Hours() > 71 {
			t.Errorf("%s is %v old", name, age)
		}
		a, err := assess.Run(rel[fact.Read(d).Class()], d)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		c := a.Document(now, "test")
		var fails, unknown []string
		for _, f := range c.Findings {
			switch {
			case f.Level != release.Must:
			case f.Outcome == "fail":
				fails = append(fails, f.Title)
			case f.Outcome == "unknown":
				unknown = append(unknown, f.Title)
			}
		}
		want := verdicts[name]
		got := c.Disposition + " | " + strings.Join(fails, "; ") + " | " + strings.Join(unknown, "; ")
		if got != want.disposition+" | "+want.fails+" | "+want.unknown {
			t.Errorf("%s:\n got %s\nwant %s | %s | %s", name, got, want.disposition, want.fails, want.unknown)
		}
	}
}

// A judge of the fleet decides as a check of each machine does, from packed
// facts, in whatever order machines come, and with facts taken away at random.
func TestJudgeDecidesAsCheckDoes(t *testing.T) {
	rel := map[string]*release.Release{}
	judges := map[string]*assess.Judge{}
	for name, src := range standin.Releases() {
		r, err := release.Read(name, src, nil)
		if err != nil {
			t.Fatal(err)
		}
		rel[r.InstallsOn], judges[r.InstallsOn] = r, assess.NewJudge(knowledge.Shipped(), r)
	}
	org, err := standin.Load()
	if err != nil {
		t.Fatal(err)
	}
	machines, err := org.Fleet(now)
	if err != nil {
		t.Fatal(err)
	}
	captured, err := recorded.Inventories(now)
	if err != nil {
		t.Fatal(err)
	}
	machines = append(machines, captured...)
	r := rand.New(rand.NewPCG(5, 5))
	defs := fact.All()
	seen := map[string]int{}
	f := new(fact.Facts)
	for range 30 {
		for _, d := range machines {
			whole := fact.Read(d)
			class := whole.Class()
			for range r.IntN(4) { // what is not known, and what other machines have
				def := &defs[r.IntN(len(defs))]
				if def.ID == fact.DeviceClass {
					continue
				}
				if other := fact.Read(machines[r.IntN(len(machines))]); r.IntN(2) == 0 && other.Class() == class {
					whole.Set(def.ID, other.Value(def.ID), "")
				} else {
					whole.Set(def.ID, fact.Value{}, "")
				}
				if g := whole.Get(def.ID); !g.Value.Known() {
					g.Gap = &inventory.Gap{Cause: inventory.NotAsked}
				}
			}
			if err := f.Unpack(whole.Pack(nil)); err != nil {
				t.Fatal(err)
			}
			got, err := judges[class].Judge(f)
			if err != nil {
				t.Fatal(err)
			}
			want, err := assess.Decide(knowledge.Shipped(), rel[class], whole)
			if err != nil {
				t.Fatal(err)
			}
			if got != want {
				t.Fatalf("%s: the judge says %+v, the check %+v", d.Device.Name.Or(""), got, want)
			}
			seen[got.Disposition.String()]++
		}
	}
	if len(seen) != len(remedy.Dispositions()) {
		t.Errorf("not every disposition came up: %v", seen)
	}
}

// Where sources disagree on a fact of a row, the fleet's list and the machine's
// page still say the same.
func TestJudgeOfARowInDoubt(t *testing.T) {
	rel, err := release.Read("skerry-12.yaml", standin.Releases()["skerry-12.yaml"], nil)
	if err != nil {
		t.Fatal(err)
	}
	org, err := standin.Load()
	if err != nil {
		t.Fatal(err)
	}
	machines, err := org.Fleet(now)
	if err != nil {
		t.Fatal(err)
	}
	judge, f := assess.NewJudge(knowledge.Shipped(), rel), new(fact.Facts)
	seen := map[string]int{}
	for _, d := range machines {
		if d.OS.Platform.Or("") != "windows" || len(d.Graphics) != 1 {
			continue
		}
		for _, readings := range [][]inventory.Differ{
			{{Value: "2.0", Source: "a"}, {Value: "2.7", Source: "b"}},
			{{Value: "1.3", Source: "a"}, {Value: "2.7", Source: "b"}},
			{{Value: "1.2", Source: "a"}, {Value: "1.3", Source: "b"}},
		} {
			one := *d
			one.Graphics = []inventory.Adapter{{Name: d.Graphics[0].Name}}
			one.Gaps = append(slices.Clone(d.Gaps),
				inventory.Gap{Fact: "graphics[0].driver_model", Cause: inventory.Disagree, Readings: readings})
			whole := fact.Read(&one)
			if err := f.Unpack(whole.Pack(nil)); err != nil {
				t.Fatal(err)
			}
			got, err := judge.Judge(f)
			if err != nil {
				t.Fatal(err)
			}
			want, err := assess.Decide(knowledge.Shipped(), rel, whole)
			if err != nil {
				t.Fatal(err)
			}
			if got != want {
				t.Fatalf("%s: the judge says %+v, the check %+v", d.Device.Name.Or(""), got, want)
			}
			seen[got.Disposition.String()]++
		}
	}
	expect.That(t, `seen["ready"] != 0`, seen["ready"] != 0)
	expect.That(t, `seen["undetermined"] != 0`, seen["undetermined"] != 0)
	expect.That(t, `seen["reconfigure"]+seen["refit"] != 0`, seen["reconfigure"]+seen["refit"] != 0)
}

// BenchmarkJudge judges one machine of the fleet after another from its packed
// facts; BenchmarkDecide does without remembering.
func BenchmarkJudge(b *testing.B) {
	rel, rows := packedPCs(b)
	judge, f := assess.NewJudge(knowledge.Shipped(), rel), new(fact.Facts)
	b.ReportAllocs()
	for i := 0; b.Loop(); i++ {
		if err := f.Unpack(rows[i%len(rows)]); err != nil {
			b.Fatal(err)
		}
		if _, err := judge.Judge(f); err != nil {
			b.Fatal(err)
		}
	}
}

func BenchmarkDecide(b *testing.B) {
	rel, rows := packedPCs(b)
	f := new(fact.Facts)
	for i := 0; b.Loop(); i++ {
		if err := f.Unpack(rows[i%len(rows)]); err != nil {
			b.Fatal(err)
		}
		if _, err := assess.Decide(knowledge.Shipped(), rel, f); err != nil {
			b.Fatal(err)
		}
	}
}

func packedPCs(b *testing.B) (*release.Release, [][]byte) {
	b.Helper()
	rel, err := release.Read("skerry-12.yaml", standin.Releases()["skerry-12.yaml"], nil)
	if err != nil {
		b.Fatal(err)
	}
	org, err := standin.Load()
	if err != nil {
		b.Fatal(err)
	}
	machines, err := org.Fleet(now)
	if err != nil {
		b.Fatal(err)
	}
	var rows [][]byte
	for _, d := range machines {
		if f := fact.Read(d); f.Class() == fact.PC {
			rows = append(rows, f.Pack(nil))
		}
	}
	return rel, rows
}
