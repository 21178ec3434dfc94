package wave_test

import (
	"fmt"
	"reflect"
	"testing"
	"time"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/expect"
)

func TestStanding(t *testing.T) {
	silent := now.Add(-14 * 24 * time.Hour)
	row := func(d remedy.Disposition, installed string) fleet.Row {
		return fleet.Row{Judged: true, Disposition: d, Installed: installed, TakenAt: now}
	}
	with := func(r fleet.Row, change func(*fleet.Row)) fleet.Row { change(&r); return r }
	ready := row(remedy.Ready, "Skerry 11")
	for _, tt := range []struct {
		name string
		row  fleet.Row
		want wave.Forecast
	}{
		{"runs the target", row(remedy.Reconfigure, "Skerry 12"), wave.Forecast{Machines: 1, On: 1}},
		{"done", row(remedy.Done, "Skerry 13"), wave.Forecast{Machines: 1, On: 1}},
		{"ready", ready, wave.Forecast{Machines: 1, Ready: 1}},
		{"needs settings", row(remedy.Reconfigure, ""), wave.Forecast{Machines: 1, Blocked: 1}},
		{"needs parts", row(remedy.Refit, ""), wave.Forecast{Machines: 1, Blocked: 1, Parts: 1}},
		{"undetermined", row(remedy.Undetermined, ""), wave.Forecast{Machines: 1, Unknown: 1}},
		{"not judged", fleet.Row{TakenAt: now}, wave.Forecast{Machines: 1, Unknown: 1}},
		{"stays", with(ready, func(r *fleet.Row) { r.Decided = fleet.Stays }), wave.Forecast{Stay: 1}},
		{"held", with(ready, func(r *fleet.Row) { r.Decided = fleet.Held }),
			wave.Forecast{Machines: 1, Ready: 1, Held: 1}},
		{"silent", with(ready, func(r *fleet.Row) { r.TakenAt = silent.Add(-time.Hour) }),
			wave.Forecast{Machines: 1, Ready: 1, Silent: 1}},
	} {
		t.Run(tt.name, func(t *testing.T) {
			s := wave.NewStanding(coretest.Release(t, "skerry-12"), silent)
			s.Add(&tt.row)
			if !reflect.DeepEqual(s.Forecast, tt.want) {
				t.Errorf("got %+v, want %+v", s.Forecast, tt.want)
			}
		})
	}
}

// Deadlines are the ends of support of what machines run, by their editions.
func TestDeadlinesAreByEdition(t *testing.T) {
	x := fleet.NewIndex()
	rel := coretest.Release(t, "skerry-12")
	for i, m := range [][2]string{{"Skerry 10", "Office"}, {"Skerry 10", "Counter"}, {"Skerry 10", "Counter"},
		{"Skerry 11", ""}, {"Ebb 3", ""}, {"Skerry 12", "Office"}} {
		d := &inventory.Document{}
		if m[1] != "" {
			d.OS.Edition = inventory.Some(m[1])
		}
		x.Put(int64(i), fleet.Row{ID: int64(i), Installed: m[0], Release: rel, TakenAt: now}, fact.Read(d))
	}
	s := wave.NewStanding(rel, now)
	x.Sort()
	x.Select(fleet.Filter{}).Each(func(r *fleet.Row) { s.Add(r) })
	got := s.Counted()
	want := []wave.Deadline{
		{Day: "2026-12-08", Machines: 1}, {Day: "2027-04-13", Machines: 1}, {Day: "2027-06-08", Machines: 2},
	}
	expect.Same(t, "deadlines", fmt.Sprint(got.Deadlines), fmt.Sprint(want))
	expect.Same(t, "machines, and those that are there", fmt.Sprint(got.Machines, got.On), "6 1")
}

// Of each reason all machines are counted and 20 are named; the commonest reason comes first.
func TestRefusals(t *testing.T) {
	f := wave.Refusals{}
	of := func(key string) func() work.MachineRef {
		return func() work.MachineRef { return work.MachineRef{Key: key} }
	}
	f.Add("it is held back", of("first"))
	for i := range 25 {
		f.Add("it is not ready", of(fmt.Sprint(i)))
	}
	list := f.List()
	if len(list) != 2 || list[0].Reason != "it is not ready" {
		t.Fatalf("got %+v", list)
	}
	if list[0].Machines != 25 || len(list[0].Some) != 20 {
		t.Errorf("%d machines, %d named", list[0].Machines, len(list[0].Some))
	}
}
