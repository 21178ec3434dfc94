package wave_test

import (
	"fmt"
	"testing"
	"time"

	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/core/work"
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
			if s.Forecast != tt.want {
				t.Errorf("got %+v, want %+v", s.Forecast, tt.want)
			}
		})
	}
}

// The end that counts is that of the release that most machines run, of those that have an end.
func TestEndOfWhatMostRun(t *testing.T) {
	for _, tt := range []struct {
		name string
		runs []string
		want wave.Day
	}{
		{"most run Skerry 11", []string{"Skerry 10", "Skerry 11", "Skerry 11"}, "2027-04-13"},
		{"most run what has no end", []string{"Ebb 3", "Ebb 3", "Skerry 10"}, "2026-12-08"},
		{"as many run each", []string{"Skerry 11", "Skerry 10"}, "2026-12-08"},
		{"nobody knows an end", []string{"Ebb 3"}, ""},
	} {
		t.Run(tt.name, func(t *testing.T) {
			s := wave.NewStanding(coretest.Release(t, "skerry-12"), now)
			for _, name := range tt.runs {
				s.Add(&fleet.Row{Installed: name, TakenAt: now})
			}
			if got := s.Counted().End; got != tt.want {
				t.Errorf("the end is %q, want %q", got, tt.want)
			}
		})
	}
}

// Of each reason all machines are counted and 20 are named; the commonest reason comes first.
func TestRefusals(t *testing.T) {
	f := wave.Refusals{}
	f.Add("it is held back", work.MachineRef{Key: "first"})
	for i := range 25 {
		f.Add("it is not ready", work.MachineRef{Key: fmt.Sprint(i)})
	}
	list := f.List()
	if len(list) != 2 || list[0].Reason != "it is not ready" {
		t.Fatalf("got %+v", list)
	}
	if list[0].Machines != 25 || len(list[0].Some) != 20 {
		t.Errorf("%d machines, %d named", list[0].Machines, len(list[0].Some))
	}
}
