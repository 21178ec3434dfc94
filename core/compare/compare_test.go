package compare_test

import (
	"testing"
	"time"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/compare"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/internal/expect"
)

func machine(name string, change func(*inventory.Document)) *inventory.Document {
	d := &inventory.Document{Format: inventory.Format, TakenAt: time.Date(2026, 11, 22, 8, 0, 0, 0, time.UTC)}
	d.Device.Name = inventory.Some(name)
	d.Device.Serial = inventory.Some("TW-" + name)
	d.OS.Platform = inventory.Some("windows")
	d.Memory.Installed, d.TPM.State = inventory.Some(int64(8<<30)), inventory.Some("ready")
	d.Software = []inventory.Software{{Name: "Tidebook", Version: inventory.Some("4.1")}, {Name: "Hawser"}}
	d.Displays = []inventory.Display{{Name: inventory.Some("OS-14 panel")}}
	if change != nil {
		change(d)
	}
	return d
}

func checked(t *testing.T, d *inventory.Document) *assess.Document {
	t.Helper()
	rel, err := release.Read("r",
		[]byte("format: rolltop-release/1\nid: r\nname: R\ninstalls_on: pc\nrevision: 1\npublished: "+
			"2026-06-02\nsource: x\nrequirements:\n"+
			"  - {id: memory, title: M, level: must, consequence: unsupported, reason: R, need: {fact: "+
			"memory.installed_bytes, at_least: 6 GiB}}\n  - {id: tpm, title: T, level: must, consequence: "+
			"unsupported, reason: R, need: {fact: tpm.state, equals: ready}}\n"), nil)
	if err != nil {
		t.Fatal(err)
	}
	a, err := assess.Run(rel, d)
	if err != nil {
		t.Fatal(err)
	}
	return a.Document(d.TakenAt, "test")
}

func facts(d *compare.Document) map[string]string {
	out := map[string]string{}
	for _, f := range d.Facts {
		out[f.Fact] = f.Kind
	}
	return out
}

func TestTwoMachines(t *testing.T) {
	a := machine("GULL-001", nil)
	b := machine("GULL-002", func(d *inventory.Document) {
		d.Memory.Installed = inventory.Some(int64(4 << 30))
		d.TPM = inventory.TPM{}
		d.OS.Edition = inventory.Some("Office")
		d.Software = []inventory.Software{{Name: "Tidebook", Version: inventory.Some("3.9")}, {Name: "Hawser"}}
		d.Gaps = []inventory.Gap{{
			Fact:     "os.version",
			Cause:    inventory.Disagree,
			Readings: []inventory.Differ{{Value: "11.1", Source: "a"}, {Value: "11.2", Source: "b"}},
		}}
	})
	d := compare.Run(a, b, checked(t, a), checked(t, b))
	got := facts(d)
	expect.That(t, "!d.SameMachine", !d.SameMachine)
	expect.Same(t, `got["memory.installed_bytes"]`, got["memory.installed_bytes"], compare.Differs)
	expect.Same(t, `got["tpm.state"]`, got["tpm.state"], compare.OnlyA)
	expect.Same(t, `got["os.edition"]`, got["os.edition"], compare.OnlyB)
	expect.Same(t, `got["os.platform"]`, got["os.platform"], "")
	expect.Same(t, "len(d.Rows)", len(d.Rows), 2)
	expect.Same(t, "d.Rows[0].Row", d.Rows[0].Row, "Tidebook 4.1")
	expect.Same(t, "d.Rows[0].In", d.Rows[0].In, "a")
	expect.Same(t, "d.Rows[1].Row", d.Rows[1].Row, "Tidebook 3.9")
	expect.Same(t, "d.Rows[1].In", d.Rows[1].In, "b")
	expect.Same(t, "len(d.Disagree)", len(d.Disagree), 1)
	expect.Same(t, "d.Disagree[0].In", d.Disagree[0].In, "b")
	expect.Same(t, "d.Disagree[0].Readings", d.Disagree[0].Readings, "11.1 (a) or 11.2 (b)")
	expect.Same(t, "len(d.Findings)", len(d.Findings), 2)
	expect.Same(t, "d.Findings[0].A", d.Findings[0].A, "pass")
	expect.Same(t, "d.Findings[0].B", d.Findings[0].B, "fail")
	expect.That(t, "!d.Findings[1].Invisible", !d.Findings[1].Invisible)
}

// One machine read again with fewer rights has not become worse.
func TestFewerRightsAreNoStepBack(t *testing.T) {
	a := machine("GULL-001", nil)
	b := machine("GULL-001", func(d *inventory.Document) {
		d.TPM = inventory.TPM{}
		d.AddGap("tpm", inventory.NeedsRights, "", "")
	})
	d := compare.Run(a, b, checked(t, a), checked(t, b))
	expect.That(t, "d.SameMachine", d.SameMachine)
	expect.Same(t, `facts(d)["tpm.state"]`, facts(d)["tpm.state"], compare.Invisible)
	expect.Same(t, "len(d.Findings)", len(d.Findings), 1)
	expect.That(t, "d.Findings[0].Invisible", d.Findings[0].Invisible)
	if want := "One machine at two times: no facts differ, one finding differs; one fact is no longer visible, since " +
		"the later one was read with fewer rights."; d.Says != want {
		t.Errorf("%q", d.Says)
	}
	if e := compare.Run(a, a, nil, nil); len(e.Facts)+len(e.Rows)+len(e.Findings) != 0 || e.Release != "" {
		t.Errorf("the same twice: %+v", e)
	}
	// A list that one of the two did not read says nothing of its rows.
	c := machine("GULL-001", func(d *inventory.Document) { d.Software = nil })
	if e := compare.Run(a, c, nil, nil); len(e.Rows) != 0 {
		t.Errorf("%+v", e.Rows)
	}
}
