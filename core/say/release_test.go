package say_test

import (
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/expect"
)

// Everything that a document says beside its requirements becomes a sentence
// that could be published.
func TestReleaseInSentences(t *testing.T) {
	sections := map[string]string{}
	for _, s := range say.Release(coretest.Release(t, "skerry-12")) {
		sections[s.Title] = strings.Join(s.Lines, "\n")
		for _, l := range s.Lines {
			expect.Lacks(t, l, "..")
			expect.Lacks(t, l, "  ")
			expect.Lacks(t, l, "%!")
		}
	}
	for title, want := range map[string][]string{
		"Ways to the release": {"From a PC system of version 11.0 or later, 64-bit or 64-bit ARM: in-place " +
			"upgrade; for ten days the system can go back.", "through Skerry 11.",
			"From a PC system: a clean installation."},
		"Intermediate release: Skerry 11": {"Installed memory for Skerry 11: Installed memory of at least 4 GiB."},
		"Editions and packages": {"Office or Counter becomes Office.",
			"For Office, 64-bit: skerry-12-office-64.img, 5.2 GB, after the update 2026-09 of the installed release."},
		"End of support": {"Skerry 10: 8 December 2026; extended until 14 December 2027 (paid by machine and " +
			"year).", "Skerry 10 Counter: 8 June 2027."},
		"Offer": {"From 2 June 2026 to machines that run Skerry 11: if this applies: version of the installed " +
			"release 11.0 or later.", "From 12 January 2027 to every machine."},
		"Known applications": {"Counterfoil before 5.0: a newer version must be bought. Version 5 has to be bought " +
			"for each counter.", "Hawser VPN or Hawser from 2.5, before 2.8: has a known problem."},
		"Known drivers": {"Pier label printer before 6.0: to be updated first."},
		"Before the upgrade": {"No restart pending. A half-installed update stops the upgrade half-way. Seen " +
			"from: restart pending: no."},
		"What ends with the upgrade": {"The side panel is gone after the upgrade. What it showed is on the notice " +
			"board of the start page.",
			"Hawser VPN is different after the upgrade. Its stored connections have to be entered again. Of machines " +
				"with: "},
		"Lists": {"skerry-12-processors: 58 rows of processors, complete.",
			"Rule corvane-k-four-digits: Corvane K3-, Corvane K5-, Corvane K7-, then the generation in one digit, " +
				"then 3 digits, then U, H, T, HQ or nothing; includes generation 8 and later; except Corvane " +
				"K3-8130U."},
	} {
		for _, w := range want {
			if !strings.Contains(sections[title], w) {
				t.Errorf("%s does not say %q:\n%s", title, w, sections[title])
			}
		}
	}
}

func TestNeedsOverListsInSentences(t *testing.T) {
	rel := coretest.Release(t, "skerry-12")
	for id, want := range map[string]string{
		"graphics": "If this applies: platform: PC system. At least one graphics adapter with driver model 2.0 or " +
			"later.",
		"display": "Recommended: At least one display with height in pixels of at least 720 and diagonal of at " +
			"least 9 in.",
		"titles-to-remove": "Recommended: No titles to remove first.",
	} {
		if got := say.Requirement(rel.Requirement(id)); got != want {
			t.Errorf("%s: %q, want %q", id, got, want)
		}
	}
}

// The difference of two revisions, what was tightened first; nothing stands in
// it twice, and turned round, what came went.
func TestDifference(t *testing.T) {
	was, is := coretest.Release(t, "skerry-12-revision-4"), coretest.Release(t, "skerry-12")
	lines := say.Difference(was, is)
	if lines[0].Kind != say.Tightened ||
		lines[0].Says != "Needed: free space on the system volume of at least 28 GB → free space on the system "+
			"volume of at least 30 GB." {
		t.Errorf("%+v", lines[0])
	}
	count := map[string]int{}
	seen := map[say.Differing]bool{}
	for _, l := range lines {
		count[l.Kind]++
		if seen[l] {
			t.Errorf("twice: %+v", l)
		}
		seen[l] = true
		if l.Subject == "" || l.Says == "" {
			t.Errorf("%+v", l)
		}
	}
	expect.Same(t, "count[say.Tightened]", count[say.Tightened], 1)
	expect.Same(t, "count[say.Eased]", count[say.Eased], 1)
	expect.Same(t, "count[say.Removed]", count[say.Removed], 2)
	expect.That(t, "count[say.Added] >= 20", count[say.Added] >= 20)
	back := map[string]int{}
	for _, l := range say.Difference(is, was) {
		back[l.Kind]++
	}
	expect.Same(t, "back[say.Added]", back[say.Added], count[say.Removed])
	expect.Same(t, "back[say.Eased]", back[say.Eased], count[say.Tightened])
	expect.Same(t, "back[say.Removed]", back[say.Removed], count[say.Added])
	expect.Same(t, "back[say.Tightened]", back[say.Tightened], count[say.Eased])
	if same := say.Difference(is, is); len(same) != 0 {
		t.Errorf("a release differs from itself: %v", same)
	}
}

func TestWhatStandsBeside(t *testing.T) {
	if got := say.Keeps(nil); got != "nothing is kept" {
		t.Error(got)
	}
	for list, want := range map[string]string{
		"programs files settings": "programs, files and settings stay",
		"files":                   "files stay; programs and settings do not",
		"programs":                "programs stay; files and settings do not",
		"files settings":          "files and settings stay; programs do not",
	} {
		if got := say.Keeps(strings.Fields(list)); got != want {
			t.Errorf("%s: %q", list, got)
		}
	}
	now := time.Date(2026, 11, 23, 0, 0, 0, 0, time.UTC)
	ends := func(day string) *release.SupportDoc {
		d, err := time.Parse(time.DateOnly, day)
		if err != nil {
			t.Fatal(err)
		}
		return &release.SupportDoc{Extended: d}
	}
	if got := say.Extended(ends("2027-04-13"), now); got != "Extended support goes on until 13 April 2027." {
		t.Error(got)
	}
	if got := say.Extended(ends("2026-04-13"), now); got != "Extended support ended on 13 April 2026." {
		t.Error(got)
	}
	f := fact.Read(&inventory.Document{OS: inventory.OS{HeldAt: some("Skerry 11")}})
	if got := say.Hold(f); got != "Held at Skerry 11 by a policy on this machine. Its administrator can lift the "+
		"hold; the hold says nothing about the hardware." {
		t.Error(got)
	}
	for _, tt := range []struct {
		o    release.Offer
		want string
	}{
		{release.Offer{}, ""}, {release.Offer{Known: true},
			"No stage of the offer of Skerry 12 includes this machine. This does not affect whether it can take " +
				"the release."},
		{release.Offer{Known: true, Now: true, From: now, To: "every machine"},
			"Skerry 12 is offered to every machine since 23 November 2026."},
	} {
		t.Run(tt.want, func(t *testing.T) {
			if got := say.Offer(tt.o, "Skerry 12"); got != tt.want {
				t.Errorf("%q, want %q", got, tt.want)
			}
		})
	}
}
