package say_test

import (
	"strings"
	"testing"

	"rolltop.example/rolltop/core/price"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/expect"
)

// Sentences about a fleet, as they are shown.
func TestFleetSentences(t *testing.T) {
	four := release.Ref{ID: "skerry-12", Name: "Skerry 12", Revision: 4}
	five := release.Ref{ID: "skerry-12", Name: "Skerry 12", Revision: 5}
	next := release.Ref{ID: "skerry-13", Name: "Skerry 13", Revision: 1}
	hours := remedy.Minutes{Least: 1560, Most: 3300}
	for _, tt := range []struct{ name, got, want string }{
		{"nothing would change", say.WhatIf(284, 0, 0), "No machine of 284 would change its disposition."},
		{"more would be ready", say.WhatIf(284, 6, 4), "Six machines of 284 would change; 4 more would be ready."},
		{"fewer would be ready", say.WhatIf(284, 1, -1), "One machine of 284 would change; 1 fewer would be ready."},
		{"as many would be ready", say.WhatIf(284, 2, 0),
			"Two machines of 284 would change; as many would be ready as now."},
		{"a revision", say.RuleChange(four, five, 6, -6),
			"Skerry 12, revision 5: six machines changed, six fewer are ready."},
		{"another release", say.RuleChange(five, next, 1, 1),
			"Skerry 13, revision 1 instead of Skerry 12: one machine changed, one more is ready."},
		{"other steps", say.RuleChange(five, five, 0, 0),
			"Skerry 12, revision 5, with other steps, guides or another version of the program: no machine changed."},
		{"no work", say.Worklist(0, 0, remedy.Minutes{}, 0, 0, "", 0), "Nothing is left to do."},
		{"all kinds of work", say.Worklist(75, 9, hours, 10, 12, "EUR 10–20", 1),
			"75 visits at nine sites, 26 to 55 hours at the desks; ten remote batches; parts for EUR 10–20; one open " +
				"question."},
		{"questions alone", say.Worklist(0, 0, remedy.Minutes{}, 0, 0, "", 2), "Two open questions."},
		{"a batch", say.Batch("Free space on the system volume", 40, 0),
			"Free space on the system volume on 40 machines."},
		{"a batch with a pilot", say.Batch("Free space on the system volume", 40, 4),
			"Free space on the system volume on 40 machines. On 4 of them first."},
		{"nothing to buy", say.Money("EUR", price.Range{}, 0), "nothing to buy"},
		{"no price", say.Money("EUR", price.Range{}, 2), "two parts without a price"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			if tt.got != tt.want {
				t.Errorf("got  %q\nwant %q", tt.got, tt.want)
			}
		})
	}
}

func TestMachinesChanged(t *testing.T) {
	for _, tt := range []struct {
		picked, changed int
		want            string
	}{
		{0, 0, "No machine matches; nothing was changed."},
		{1, 1, "One machine was changed."},
		{30, 30, "30 machines were changed."},
		{1, 0, "One machine is so already; nothing was changed."},
		{30, 0, "30 machines are so already; nothing was changed."},
		{30, 29, "29 machines were changed; one was so already."},
		{30, 1, "One machine was changed; 29 were so already."},
	} {
		t.Run(tt.want, func(t *testing.T) {
			expect.Same(t, "what is said", say.MachinesChanged(tt.picked, tt.changed), tt.want)
		})
	}
}

func TestUnanimous(t *testing.T) {
	a, b := &release.Requirement{Title: "Cores"}, &release.Requirement{Title: "Memory"}
	for _, tt := range []struct {
		failed, passed []*release.Requirement
		want           string
	}{
		{nil, nil, ""},
		{[]*release.Requirement{a}, nil, "No machine of 12,500 meets “Cores”. Check the limit and its unit."},
		{[]*release.Requirement{a, b}, []*release.Requirement{b},
			"No machine of 12,500 meets “Cores” and “Memory”. Check the limit and its unit. " +
				"No machine of 12,500 fails “Memory”."},
	} {
		t.Run(tt.want, func(t *testing.T) {
			expect.Same(t, "what is said", strings.Join(say.Unanimous(tt.failed, tt.passed, 12500), " "), tt.want)
		})
	}
}
