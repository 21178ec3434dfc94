package watch_test

import (
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/decision"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/watch"
	"rolltop.example/rolltop/core/wave"
)

var now = time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)

func kinds(items []watch.Item) string {
	var out []string
	for _, i := range items {
		out = append(out, i.Kind)
	}
	return strings.Join(out, " ")
}

func TestWork(t *testing.T) {
	tick := func(step, state string, at time.Time) assess.Tick {
		return assess.Tick{Item: assess.TickStep + step, State: state, By: "brodie", At: at}
	}
	before, after := now.Add(-time.Hour), now.Add(time.Hour)
	for _, tt := range []struct {
		name, plan string
		said       []assess.Tick
		want       string
	}{
		{"said before the inventory, and still a remedy", "tpm-on*", []assess.Tick{tick("tpm-on", "done", before)},
			watch.NoEffect},
		{"said after the inventory", "tpm-on*", []assess.Tick{tick("tpm-on", "done", after)}, ""},
		{"refused", "tpm-on*", []assess.Tick{tick("tpm-on", "refused", before)}, ""},
		{"no longer in the plan", "", []assess.Tick{tick("tpm-on", "done", before)}, ""},
		{"no remedy", "tpm-on", []assess.Tick{tick("tpm-on", "done", before)}, ""},
		{"a step that nobody knows", "tpm-on*", []assess.Tick{tick("gone", "done", before)}, ""},
		{"begun without the key", "recovery-key tpm-on*", []assess.Tick{tick("tpm-on", "done", after)},
			watch.KeyNotChecked},
		{"begun with the key", "recovery-key tpm-on*",
			[]assess.Tick{tick("recovery-key", "done", before), tick("tpm-on", "done", after)}, ""},
		{"the key alone", "recovery-key tpm-on*", []assess.Tick{tick("recovery-key", "done", before)}, ""},
	} {
		t.Run(tt.name, func(t *testing.T) {
			r := &fleet.Row{Key: "gull-1", Name: "GULL-1", Plan: tt.plan, TakenAt: now}
			if got := kinds(watch.Work(r, tt.said, remedy.Shipped())); got != tt.want {
				t.Errorf("got %q, want %q", got, tt.want)
			}
		})
	}
}

func TestInWave(t *testing.T) {
	r, w := &fleet.Row{Key: "gull-1", Name: "GULL-1"}, &wave.Wave{Name: "East", Release: "skerry-12"}
	for outcome, want := range map[string]string{
		wave.Failed:  `GULL-1 failed in the wave "East": the disk was full.`,
		wave.Back:    "GULL-1 went back from skerry-12. Find out why before you try again.",
		wave.Arrived: "",
		wave.Waiting: "",
	} {
		t.Run(outcome, func(t *testing.T) {
			got, ok := watch.InWave(r, w, outcome, "the disk was full")
			if ok != (want != "") || got.Says != want {
				t.Errorf("got %v %q", ok, got.Says)
			}
		})
	}
}

func TestDecision(t *testing.T) {
	day := func(n int) time.Time { return now.AddDate(0, 0, n) }
	for _, tt := range []struct {
		name string
		d    decision.Decision
		want string
	}{
		{"ends soon", decision.Decision{Kind: decision.Waive, Until: day(13)}, watch.DecisionEnds},
		{"ends later", decision.Decision{Kind: decision.Waive, Until: day(15)}, ""},
		{"left alone, which ends soon by itself", decision.Decision{Kind: decision.Later, Until: day(3)}, ""},
		{"ended lately", decision.Decision{Kind: decision.Hold, Until: day(-29)}, watch.DecisionEnded},
		{"ended long ago", decision.Decision{Kind: decision.Hold, Until: day(-31)}, ""},
		{"ended by a person", decision.Decision{Kind: decision.Hold, Until: day(-1), Ended: day(-2)}, ""},
	} {
		t.Run(tt.name, func(t *testing.T) {
			got, ok := watch.Decision(&tt.d, "It is waived.", "site=East", now)
			if ok != (tt.want != "") || got.Kind != tt.want {
				t.Errorf("got %v %q", ok, got.Kind)
			}
		})
	}
}
