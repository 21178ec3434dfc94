package say_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/decision"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/expect"
)

func TestHours(t *testing.T) {
	for _, tt := range []struct {
		least, most int
		want        string
	}{
		{0, 0, "not counted"},
		{20, 20, "20 minutes"},
		{25, 40, "25 to 40 minutes"},
		{60, 119, "60 to 119 minutes"},
		{90, 120, "2 hours"}, // 1.5 rounds up
		{89, 120, "1 to 2 hours"},
		{12 * 60, 28 * 60, "12 to 28 hours"},
		{1_200_000, 1_800_000, "20,000 to 30,000 hours"},
	} {
		t.Run(tt.want, func(t *testing.T) {
			if got := say.Hours(remedy.Minutes{Least: tt.least, Most: tt.most}); got != tt.want {
				t.Errorf("%d to %d: %q, want %q", tt.least, tt.most, got, tt.want)
			}
		})
	}
}

func TestMessage(t *testing.T) {
	for _, tt := range []struct {
		plain, tells []string
		restarts     int
		has, lacks   []string
		paragraphs   int
	}{
		{[]string{"It needs a part."}, nil, 0, []string{"It needs a part.", "for about 25 to 40 minutes. You"},
			[]string{"restarts", "Nothing to do"}, 3},
		{[]string{"One.", "Two."}, []string{"Nothing to do.", "Have your passphrase ready."}, 1,
			[]string{"One. Two.", "will restart once", "Have your passphrase ready."}, []string{"Nothing to do"}, 4},
		{[]string{"One."}, []string{"Nothing to do."}, 2, []string{"will restart twice"}, []string{"Nothing to do"}, 3},
		{[]string{"One."}, nil, 5, []string{"will restart 5 times"}, nil, 3},
	} {
		t.Run(fmt.Sprint(tt.plain), func(t *testing.T) {
			subject, text := say.Message("GULL-014", "Skerry 12", tt.plain, tt.tells,
				remedy.Minutes{Least: 25, Most: 40}, tt.restarts)
			if subject != "Your computer GULL-014 is prepared for Skerry 12" {
				t.Errorf("the subject is %q", subject)
			}
			all := strings.Join(text, "\n")
			if len(text) != tt.paragraphs || !strings.Contains(text[len(text)-1], "save your work") {
				t.Errorf("%d paragraphs, want %d: %q", len(text), tt.paragraphs, all)
			}
			for _, s := range tt.has {
				if !strings.Contains(all, s) {
					t.Errorf("%q is not in %q", s, all)
				}
			}
			for _, s := range tt.lacks {
				if strings.Contains(all, s) {
					t.Errorf("%q is in %q", s, all)
				}
			}
		})
	}
}

func TestDecision(t *testing.T) {
	day := func(month time.Month, d int) time.Time { return time.Date(2026, month, d, 0, 0, 0, 0, time.UTC) }
	now := day(11, 23)
	for _, tt := range []struct {
		d    decision.Decision
		want string
	}{
		{decision.Decision{Kind: decision.Waive, Until: day(12, 24), Reason: "goes in spring", By: "wren"},
			"“Memory” may fail until 23 December 2026: Goes in spring. Decided by wren."},
		{decision.Decision{Kind: decision.Stay, Until: day(12, 24), Reason: "goes in spring.", By: "wren"},
			"Stays on its release until 23 December 2026: Goes in spring. Decided by wren."},
		{decision.Decision{Kind: decision.Hold, Until: day(11, 23), Reason: "season", By: "wren"},
			"On hold until 22 November 2026, which is over: Season. Decided by wren."},
		{decision.Decision{Kind: decision.Later, Until: day(12, 24), Ended: day(11, 20), Reason: "season", By: "wren"},
			"Postponed until 23 December 2026, ended on 20 November 2026: Season. Decided by wren."},
	} {
		t.Run(tt.want, func(t *testing.T) {
			if got := say.Decision(&tt.d, "Memory", now); got != tt.want {
				t.Errorf("%q\nwant %q", got, tt.want)
			}
		})
	}
}

func TestApplicationsInWords(t *testing.T) {
	buy := work.Application{Takes: "buy", Versions: []work.ApplicationVersion{
		{
			Version: "3.9",
			Said:    work.Said{Takes: "buy"},
		}, {Version: "", Said: work.Said{Takes: "buy"}}, {Version: "5.0", Said: work.Said{Takes: "fine"}},
	}}
	expect.Same(t, "some versions", say.Application(&buy), "a newer version must be bought (3.9 and unknown version)")
	fine := work.Application{
		Takes:    "fine",
		Versions: []work.ApplicationVersion{{Version: "5.0", Said: work.Said{Takes: "fine"}}},
	}
	expect.Same(t, "all versions", say.Application(&fine), "fine")
	strange := work.Application{
		Takes:    work.Unnamed,
		Versions: []work.ApplicationVersion{{Version: "1", Said: work.Said{Takes: work.Unnamed}}},
	}
	expect.Same(t, "no version is named", say.Application(&strange), "the release does not name it")
	strange.Versions = append(strange.Versions, fine.Versions...)
	expect.Same(t, "one version is not", say.Application(&strange), "the release does not name this version (1)")
	for _, takes := range []string{"remove", "buy", "update", "problem", work.Possible, work.Unnamed} {
		expect.That(t, takes+" has words", say.Takes(takes) != "")
		expect.That(t, takes+" has somebody who answers", say.Answers(takes) != "")
	}
	expect.Same(t, "nobody answers for", say.Answers("fine"), "")
	for _, tt := range []struct {
		list           []work.Application
		read, machines int
		want           string
	}{
		{nil, 0, 1, "No applications, read on 0 of one machine."},
		{[]work.Application{fine}, 3, 4, "One application, read on 3 of four machines."},
		{[]work.Application{buy, {Takes: work.Unnamed}, {Takes: work.Unnamed}}, 20, 251,
			"Three applications, read on 20 of 251 machines: one needs a newer version that must " +
				"be bought and two have versions that the release does not name."},
	} {
		t.Run(tt.want, func(t *testing.T) {
			expect.Same(t, "what is said", say.Applications(tt.list, tt.read, tt.machines), tt.want)
		})
	}
}
