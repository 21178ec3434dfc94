package wave_test

import (
	"fmt"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/wave"
)

func TestWaveSays(t *testing.T) {
	for _, tt := range []struct {
		wave     wave.Wave
		outcomes map[string]int
		want     string
	}{
		{wave.Wave{Most: 5}, nil, "No machines yet; at most 5."},
		{wave.Wave{Most: 5, Ended: true}, nil, "It has ended without machines."},
		{wave.Wave{Most: 5}, map[string]int{wave.Waiting: 5}, "Five are waiting."},
		{wave.Wave{Most: 9}, map[string]int{wave.Arrived: 3, wave.Failed: 1, wave.Back: 1, wave.Handed: 2},
			"Of seven machines, three are on the release, two are under way, one has failed and one went back. There " +
				"is room for 2."},
		{wave.Wave{Most: 9, Ended: true}, map[string]int{wave.Arrived: 1}, "One is on the release. It has ended."},
	} {
		t.Run(tt.want, func(t *testing.T) {
			if got := tt.wave.Says(tt.outcomes); got != tt.want {
				t.Errorf("%+v %v: %q, want %q", tt.wave, tt.outcomes, got, tt.want)
			}
		})
	}
}

// Each outcome that a machine may have has a name.
func TestOutcomeNames(t *testing.T) {
	names := wave.OutcomeNames()
	for _, outcome := range fleet.OutcomeNames {
		if names[outcome] == "" {
			t.Errorf("%s has no name", outcome)
		}
	}
	if len(names) != len(fleet.OutcomeNames) {
		t.Errorf("%d names of %d outcomes", len(names), len(fleet.OutcomeNames))
	}
}

// A forecast says when, or why no day can be named, and assumes nothing in silence.
func TestForecastSays(t *testing.T) {
	for _, tt := range []struct {
		f    wave.Forecast
		want []string
	}{
		{wave.Forecast{}, []string{"No machine is to get Ebb 4."}},
		{wave.Forecast{Machines: 3, On: 3}, []string{"All of three machines that are to get Ebb 4 run it."}},
		{wave.Forecast{Machines: 20, On: 3, Days: 28},
			[]string{"3 of 20 machines that are to get Ebb 4 run it.", "no day can be named for the other 17"}},
		{wave.Forecast{Machines: 20, On: 1, Days: 28, Pace: 0.5, Assumed: 0.5, Done: "2026-12-30", InTime: 20, Firm: 20,
			Deadlines: []wave.Deadline{{Day: "2027-04-13", Machines: 19, Due: 19, Days: 90}}, Needed: 0.2111},
			[]string{"1 of 20 machines that are to get Ebb 4 runs it.", "(0.5 a working day), none loses " +
				"support before it arrives; the last arrives on 30 December 2026.",
				"To meet the end of support on 13 April 2027, " +
					"0.21 machines must arrive on each working day from tomorrow on."}},
		{wave.Forecast{Machines: 20, On: 3, Days: 28, Pace: 0.1, Assumed: 0.1, Done: "2027-05-30", Late: 5, InTime: 15,
			Firm: 12, Overdue: 1, Needed: 1,
			Deadlines: []wave.Deadline{{Day: "2026-12-08", Days: 5}, {Day: "2027-04-13", Days: 90}}},
			[]string{"One machine runs what is out of support already.", "five machines lose support before they " +
				"arrive; the last arrives on 30 May 2027. Of those in time, only nine are ready now.",
				"To meet the ends of support from 8 December 2026 on, one machine must arrive on each"}},
		{wave.Forecast{Machines: 20, On: 3, Days: 28, Pace: 0.1, Assumed: 4, Done: "2026-12-30"},
			[]string{"At a pace of 4 machines a working day, the last arrives on 30 December 2026."}},
		{wave.Forecast{Machines: 20, On: 3, Days: 28, Pace: 0.001, Assumed: 0.001},
			[]string{"no day within ten years can be named for the last"}},
	} {
		t.Run(fmt.Sprint(tt.f), func(t *testing.T) {
			got := tt.f.Says("Ebb 4") + " " + tt.f.Needs()
			for _, want := range tt.want {
				if !strings.Contains(got, want) {
					t.Errorf("%+v: %q, want %q", tt.f, got, want)
				}
			}
		})
	}
	all := (&wave.Forecast{
		Days:     28,
		Ready:    4,
		Blocked:  3,
		Parts:    2,
		LeadDays: 21,
		Unknown:  1,
		Unseen:   2,
		Silent:   1,
		Held:     1,
		Stay:     5,
	}).Assumes()
	text := strings.Join(all, "\n")
	for _, want := range []string{
		"Four machines are ready", "Three machines are not ready",
		"Two of these wait for parts or another machine; the longest delivery takes 21 days.",
		"One machine is undetermined and included", "Two machines were expected but never reported",
		"not reported recently", "on hold", "Five machines stay",
	} {
		if !strings.Contains(text, want) {
			t.Errorf("it assumes %q in silence:\n%s", want, text)
		}
	}
	if few := (&wave.Forecast{Days: 28}).Assumes(); len(few) != 1 {
		t.Errorf("%v", few)
	}
	asked := (&wave.Forecast{Days: 28, Pace: 0.5, Assumed: 2, Deadlines: make([]wave.Deadline, 1)}).Assumes()
	if len(asked) != 2 || !strings.Contains(asked[0], "that of the last 28 days was 0.5") {
		t.Errorf("%v", asked)
	}
}

func TestDeadlineSays(t *testing.T) {
	for _, tt := range []struct {
		d    wave.Deadline
		want string
	}{
		{wave.Deadline{Day: "2026-11-20", Machines: 2, Due: 2},
			"Support ends on 20 November 2026 for two machines; no working day is left."},
		{wave.Deadline{Day: "2026-12-08", Machines: 7, Due: 9, InTime: 9, Days: 6, Needed: 1.5, Start: "2026-12-02"},
			"Support ends on 8 December 2026 for seven machines (9 with earlier days); all are in time at this pace " +
				"if upgrading starts by 2 December 2026."},
		{wave.Deadline{Day: "2026-12-08", Machines: 9, Due: 9, InTime: 3, Days: 6, Needed: 1.5},
			"Support ends on 8 December 2026 for nine machines; 3 of nine are in time at this pace; it takes 1.5 " +
				"machines a working day."},
	} {
		t.Run(string(tt.d.Day), func(t *testing.T) {
			if got := tt.d.Says(); got != tt.want {
				t.Errorf("%q, want %q", got, tt.want)
			}
		})
	}
}
