package fleet_test

import (
	"slices"
	"testing"
	"time"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/remedy"
)

// supported is a fleet of one machine each: what it runs, in which edition, and what it takes.
func supported(t *testing.T) *fleet.Index {
	t.Helper()
	rel := coretest.Release(t, "skerry-12") // Skerry 10 ends on 2026-12-08, its edition Counter on 2027-06-08
	x := fleet.NewIndex()
	type machine struct {
		name, runs, edition string
		takes               remedy.Disposition
	}
	machines := []machine{
		{"office", "Skerry 10", "Office", remedy.Ready},
		{"counter", "Skerry 10", "Counter", remedy.Reconfigure},
		{"eleven", "Skerry 11", "Office", remedy.Replace},
		{"other", "Ebb 3", "", remedy.Ready},
		{"target", "Skerry 12", "Office", remedy.Done},
		{"later", "Skerry 13", "Office", remedy.Done},
	}
	for i, m := range machines {
		d := &inventory.Document{}
		if m.edition != "" {
			d.OS.Edition = inventory.Some(m.edition)
		}
		x.Put(int64(i+1), fleet.Row{ID: int64(i + 1), Key: m.name, Name: m.name, Class: fact.PC, Installed: m.runs,
			Judged: true, Release: rel, Disposition: m.takes}, fact.Read(d))
	}
	x.Sort()
	return x
}

// The end of support is that of the edition: as order, in bands, and in filters.
func TestUrgency(t *testing.T) {
	x := supported(t)
	names := func(where string, by string, now time.Time) []string {
		f, err := fleet.Parse(where)
		if err != nil {
			t.Fatal(err)
		}
		var out []string
		for _, r := range x.Select(f.At(now)).Page(order1(t, by), 0, 99) {
			out = append(out, r.Name)
		}
		return out
	}
	now := time.Date(2026, 11, 30, 15, 0, 0, 0, time.UTC)
	for _, tt := range []struct {
		where string
		now   time.Time
		want  []string
	}{
		{"", now, []string{"office", "eleven", "counter", "other", "later", "target"}},
		{"support=30", now, []string{"office"}},
		{"support=over", now, nil},
		{"support=over", time.Date(2026, 12, 9, 0, 0, 0, 0, time.UTC), []string{"office"}},
		{"support=30", time.Date(2026, 12, 8, 23, 0, 0, 0, time.UTC), []string{"office"}},
		{"support=30", time.Date(2026, 11, 8, 0, 0, 0, 0, time.UTC), []string{"office"}},
		{"support=90", time.Date(2026, 11, 7, 0, 0, 0, 0, time.UTC), []string{"office"}},
		{"support=180", now, []string{"eleven"}},
		{"support=later", now, []string{"counter"}},
		{"support=180,later", now, []string{"eleven", "counter"}},
		{"support=unknown", now, []string{"other"}},
		{"ends=8", now, []string{"office"}},
		{"ends=7", now, nil},
		{"ends=190", now, []string{"office", "eleven", "counter"}},
	} {
		t.Run(tt.where+" "+tt.now.Format(time.DateOnly), func(t *testing.T) {
			if got := names(tt.where, "ends", tt.now); !slices.Equal(got, tt.want) {
				t.Errorf("%q are %v, want %v", tt.where, got, tt.want)
			}
		})
	}
	var counted []string
	total := 0
	for _, b := range x.Select(fleet.Filter{}).Urgency(now) {
		counted, total = append(counted, b.Word), total+b.Machines
	}
	if want := []string{"30", "180", "later", "unknown"}; !slices.Equal(counted, want) || total != 4 {
		t.Errorf("%v, %d machines", counted, total)
	}
	row := x.Row(1)
	if got := row.SupportEnds().Format(time.DateOnly); got != "2026-12-08" || row.DaysLeft(now) != 8 {
		t.Errorf("%s, %d days left", got, row.DaysLeft(now))
	}
	if done := x.Row(5); !done.SupportEnds().IsZero() || done.Band(now) != "" {
		t.Errorf("a machine that is done waits until %s, band %q", done.SupportEnds(), done.Band(now))
	}
}
