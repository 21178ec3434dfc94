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
		{wave.Forecast{}, []string{"No machine will get Ebb 4."}},
		{wave.Forecast{Machines: 3, On: 3}, []string{"All of three machines run Ebb 4."}},
		{wave.Forecast{Machines: 20, On: 3, Days: 28}, []string{"no day can be named for the other 17"}},
		{wave.Forecast{
			Machines: 20,
			On:       3,
			Days:     28,
			Pace:     0.5,
			Done:     "2026-12-30",
			End:      "2027-04-13",
			InTime:   20,
			Firm:     20,
		}, []string{"0.5 a day", "the last arrives on 30 December 2026, before support ends on 13 April 2027."}},
		{wave.Forecast{
			Machines: 20,
			On:       3,
			Days:     28,
			Pace:     0.5,
			Done:     "2026-12-30",
			End:      "2027-04-13",
			InTime:   20,
			Firm:     12,
		}, []string{"Only 9 of them are ready now."}},
		{wave.Forecast{
			Machines: 20,
			On:       3,
			Days:     28,
			Pace:     0.1,
			Done:     "2027-05-30",
			End:      "2027-04-13",
			InTime:   15,
			Firm:     15,
		}, []string{"five are not on the target when support ends on 13 April 2027; the last arrives on 30 May 2027"}},
		{wave.Forecast{Machines: 20, On: 3, Days: 28, Pace: 2, Done: "2026-12-30"},
			[]string{"the last of the other 17 arrives on 30 December 2026."}},
	} {
		t.Run(fmt.Sprint(tt.f), func(t *testing.T) {
			got := tt.f.Says("Ebb 4")
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
}
