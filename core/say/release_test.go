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
		"Known applications": {"Counterfoil before 5.0: a newer version must be bought, required. Version 5 has to " +
			"be bought for each counter.", "Hawser VPN or Hawser from 2.5, before 2.8: has a known problem."},
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
		t.Run(title, func(t *testing.T) {
			for _, w := range want {
				if !strings.Contains(sections[title], w) {
					t.Errorf("%s does not say %q:\n%s", title, w, sections[title])
				}
			}
		})
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
		t.Run(id, func(t *testing.T) {
			if got := say.Requirement(rel.Requirement(id)); got != want {
				t.Errorf("%s: %q, want %q", id, got, want)
			}
		})
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
	expect.Same(t, "what an empty list keeps", say.Keeps([]string{}), "nothing is kept")
	expect.Same(t, "what no list keeps", say.Keeps(nil), "what stays is unknown; the release document does not say it")
	for list, want := range map[string]string{
		"programs files settings": "programs, files and settings stay",
		"files":                   "files stay; programs and settings do not",
		"programs":                "programs stay; files and settings do not",
		"files settings":          "files and settings stay; programs do not",
	} {
		t.Run(list, func(t *testing.T) {
			if got := say.Keeps(strings.Fields(list)); got != want {
				t.Errorf("%s: %q", list, got)
			}
		})
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
	f := fact.Read(&inventory.Document{OS: inventory.OS{HeldAt: inventory.Some("Skerry 11")}})
	if got := say.Hold(f); got != "Held at Skerry 11 by a policy on this machine. Its administrator can lift the "+
		"hold; the hold says nothing about the hardware." {
		t.Error(got)
	}
	expect.Same(t, "extension", say.Extended(&release.SupportDoc{NotDecided: "extended"}, now),
		"Whether support is extended is not decided.")
	later := now.AddDate(0, 2, 0)
	for _, tt := range []struct {
		o    release.Offer
		want string
	}{
		{release.Offer{}, ""}, {release.Offer{Known: true},
			"No stage of the offer of Skerry 12 includes this machine. This does not affect whether it can take " +
				"the release."},
		{release.Offer{Known: true, Now: true, From: now, To: "every machine"},
			"Skerry 12 is offered to every machine since 23 November 2026."},
		{release.Offer{Known: true, From: later, To: "every machine", Media: now},
			"Skerry 12 is not offered to this machine before 23 January 2027 (every machine). This does not affect " +
				"whether it can take the release. Installation media can be used now, without waiting for the offer."},
		{release.Offer{Known: true, From: later, To: "every machine", Media: later.AddDate(0, 0, -1)},
			"Skerry 12 is not offered to this machine before 23 January 2027 (every machine). This does not affect " +
				"whether it can take the release. Installation media can be used from 22 January 2027, without " +
				"waiting for the offer."},
	} {
		t.Run(tt.want, func(t *testing.T) {
			expect.Same(t, "what is said", say.Offer(tt.o, "Skerry 12", now), tt.want)
		})
	}
}

// What a document says of ways, support, offers and applications is said whole.
func TestWhatADocumentSays(t *testing.T) {
	rel, err := release.Read("f", []byte(`format: rolltop-release/1
id: r
name: Skerry 12
installs_on: pc
revision: 1
published: 2026-06-02
source: x
media_from: 2026-07-01
requirements:
  - {id: a, title: A, level: must, consequence: unsupported, reason: R., need: {fact: processor.cores, at_least: 2}}
upgrade:
  - {platform: windows, from: Skerry 11, at_least: "11.0", below: "12.0", language: [de, en-GB], way: in-place}
  - {platform: windows, below: "11.0", when: {fact: processor.cores, at_least: 4}, way: image}
support:
  - {release: Skerry 11, ends: 2027-04-13, not_decided: extended}
  - {release: Skerry 11, edition: Counter, not_decided: ends}
offered: [{from: 2026-08-01, to: every machine}]
lists:
  - id: cpus
    of: processors
    rows: [{name: K5 1}]
    naming: [{id: k, reads: [{text: [K5-]}, {generation: 1}], from: 8, ignored_endings: [U, H], unclear_endings: [ES, QS]}]
software:
  - {name: [Tidebook], publisher: Tallow Works, versions: [{is: problem, when: {fact: processor.cores, at_least: 8}}]}
`), nil)
	if err != nil {
		t.Fatal(err)
	}
	var said []string
	for _, s := range say.Release(rel) {
		said = append(said, s.Lines...)
	}
	want := []string{
		"From Skerry 11 (version 11.0 or later, but before 12.0), in de (any region) or en-GB: in-place upgrade.",
		"From a PC system of a version before 11.0, if this applies: at least 4 processor cores: installed from a " +
			"full image.",
		"Skerry 11: 13 April 2027; whether support is extended is not decided.",
		"Skerry 11 Counter: the end of support is not decided.",
		"Installation media can be used from 1 July 2026, without waiting for the offer.",
		"From 1 August 2026 to every machine.",
		"Tidebook by Tallow Works: has a known problem, if this applies: at least 8 processor cores.",
		"cpus: one row of processors, not complete.",
		"Rule k: K5-, then the generation in one digit; includes generation 8 and later; the endings U and H do not " +
			"matter; of names that end in ES or QS it is unknown: ask the maker.",
	}
	if got := strings.Join(said, "\n"); got != strings.Join(want, "\n") {
		t.Errorf("what is said:\n%s", got)
	}
}
