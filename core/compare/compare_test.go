package compare_test

import (
	"testing"
	"time"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/compare"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/release"
)

func some[T any](v T) inventory.Opt[T] { return inventory.Some(v) }

func machine(name string, change func(*inventory.Document)) *inventory.Document {
	d := &inventory.Document{Format: inventory.Format, TakenAt: time.Date(2026, 11, 22, 8, 0, 0, 0, time.UTC)}
	d.Device.Name, d.Device.Serial, d.OS.Platform = some(name), some("TW-"+name), some("windows")
	d.Memory.Installed, d.TPM.State = some(int64(8<<30)), some("ready")
	d.Software = []inventory.Software{{Name: "Tidebook", Version: some("4.1")}, {Name: "Hawser"}}
	d.Displays = []inventory.Display{{Name: some("OS-14 panel")}}
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
		d.Memory.Installed = some(int64(4 << 30))
		d.TPM = inventory.TPM{}
		d.OS.Edition = some("Office")
		d.Software = []inventory.Software{{Name: "Tidebook", Version: some("3.9")}, {Name: "Hawser"}}
		d.Gaps = []inventory.Gap{{
			Fact:     "os.version",
			Cause:    inventory.Disagree,
			Readings: []inventory.Differ{{Value: "11.1", Source: "a"}, {Value: "11.2", Source: "b"}},
		}}
	})
	d := compare.Run(a, b, checked(t, a), checked(t, b))
	got := facts(d)
	if d.SameDevice || got["memory.installed_bytes"] != compare.Differs || got["tpm.state"] != compare.OnlyA ||
		got["os.edition"] != compare.OnlyB || got["os.platform"] != "" {
		t.Errorf("%v", got)
	}
	if len(d.Rows) != 2 || d.Rows[0].Row != "Tidebook 4.1" || d.Rows[0].In != "a" || d.Rows[1].Row != "Tidebook 3.9" ||
		d.Rows[1].In != "b" {
		t.Errorf("%+v", d.Rows)
	}
	if len(d.Disagree) != 1 || d.Disagree[0].In != "b" || d.Disagree[0].Readings != "11.1 (a) or 11.2 (b)" {
		t.Errorf("%+v", d.Disagree)
	}
	if len(d.Findings) != 2 || d.Findings[0].A != "pass" || d.Findings[0].B != "fail" || d.Findings[1].Invisible {
		t.Errorf("%+v", d.Findings)
	}
}

// One machine read again with fewer rights has not become worse.
func TestFewerRightsAreNoStepBack(t *testing.T) {
	a := machine("GULL-001", nil)
	b := machine("GULL-001", func(d *inventory.Document) {
		d.TPM = inventory.TPM{}
		d.AddGap("tpm", inventory.NeedsRights, "", "")
	})
	d := compare.Run(a, b, checked(t, a), checked(t, b))
	if !d.SameDevice || facts(d)["tpm.state"] != compare.Invisible || len(d.Findings) != 1 || !d.Findings[0].Invisible {
		t.Errorf("%+v", d)
	}
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
