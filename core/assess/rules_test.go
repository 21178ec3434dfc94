package assess_test

import (
	"bytes"
	"encoding/json"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/internal/expect"
)

func plain(t testing.TB, v any) string {
	t.Helper()
	var b bytes.Buffer
	e := json.NewEncoder(&b)
	e.SetEscapeHTML(false)
	if err := e.Encode(v); err != nil {
		t.Fatal(err)
	}
	return b.String()
}

// The rules of evaluation of the design, each by its name.
func TestRulesOfEvaluation(t *testing.T) {
	unknownTPM := func(d *doc) { d.TPM = inventory.TPM{} }
	titles := func(complete bool, names ...string) func(*doc) {
		return func(d *doc) {
			d.Software = []inventory.Software{}
			for _, n := range names {
				name, version, _ := strings.Cut(n, " ")
				d.Software = append(d.Software, inventory.Software{Name: name, Version: inventory.Some(version)})
			}
			if !complete {
				d.AddGap("software", inventory.NotAsked, "only some were read", "")
			}
		}
	}
	noLampwright := must("{in: software, none: {fact: software.name, begins_with: [Lampwright]}}")
	known := "software: [{name: [Counterfoil], versions: [{at_least: \"5.0\", is: fine}, {below: \"5.0\", is: " +
		"buy}]}, {name: [Lampwright], versions: [{is: remove}]}]"
	tests := []struct {
		name   string
		asks   []string
		more   string
		change func(*doc)
		want   string
		says   string
	}{
		{"unknown with fail is fail under all",
			[]string{must("{all: [{fact: tpm.state, equals: ready}, {fact: processor.cores, at_least: 99}]}")}, "",
			unknownTPM, "fail", ""},
		{"unknown with pass is pass under any",
			[]string{must("{any: [{fact: tpm.state, equals: ready}, {fact: processor.cores, at_least: 2}]}")}, "",
			unknownTPM, "pass", ""},
		{"condition unknown and the need met is a pass",
			[]string{"when: {fact: tpm.state, equals: ready}, " + must("{fact: processor.cores, at_least: 2}")}, "",
			unknownTPM, "pass", ""},
		{"condition unknown and the need not met is unknown, never not applicable",
			[]string{"when: {fact: tpm.state, equals: ready}, " + must("{fact: processor.cores, at_least: 99}")}, "",
			unknownTPM, "unknown", "Whether the requirement applies is unknown as well."},
		{"condition known not to hold",
			[]string{"when: {fact: tpm.state, equals: \"off\"}, " + must("{fact: processor.cores, at_least: 99}")}, "",
			nil, "not-applicable", "It applies only if"},
		{"sources disagree and agree on the answer", []string{must("{fact: memory.installed_bytes, at_least: 2 GiB}")},
			"", func(d *doc) { disagree(d, "4294967296", "8589934592") }, "pass",
			"Two sources conflict, but the result is the same for both."},
		{"a lower bound that is enough decides", []string{must("{fact: memory.installed_bytes, at_least: 6 GiB}")}, "",
			func(d *doc) { d.Memory.Installed = inventory.Opt[int64]{} }, "pass", "but at least 7 GiB, which is " +
				"enough"},
		{"a lower bound that is too little decides nothing",
			[]string{must("{fact: memory.installed_bytes, at_least: 8 GiB}")}, "",
			func(d *doc) { d.Memory.Installed = inventory.Opt[int64]{} }, "unknown", ""},
		{"absent from a complete list", []string{noLampwright}, "", titles(true, "Tidebook 4.1"), "pass", ""},
		{"present in a list that is not complete", []string{noLampwright}, "", titles(false, "Lampwright 7.3"), "fail",
			"It has Lampwright, which is not allowed."},
		{"absent from a list that is not complete", []string{noLampwright}, "", titles(false, "Tidebook 4.1"),
			"unknown", ""},
		{"a missing list is not an empty one", []string{noLampwright}, "", nil, "unknown", ""},
		{"titles that were asked for are known not to be there", []string{noLampwright}, "", func(d *doc) {
			titles(false, "Tidebook 4.1")(d)
			d.Collector.Titles = []string{"tidebook", "lampwright"}
		}, "pass", ""},
		{"titles that were not asked for stay unknown", []string{noLampwright}, "", func(d *doc) {
			titles(false, "Tidebook 4.1")(d)
			d.Collector.Titles = []string{"tidebook"}
		}, "unknown", ""},
		{"titles of other names were not asked for", []string{must("{in: software, none: {fact: software.publisher, " +
			"equals: Hawser Works}}"), must("{in: software, none: {fact: software.version, at_least: \"9\"}}")}, "",
			func(d *doc) {
				titles(false, "Tidebook 4.1")(d)
				d.Software[0].Publisher = inventory.Some("Rivet")
				d.Collector.Titles = []string{"tidebook"}
			}, "unknown unknown", ""},
		{"known software: what has to be bought",
			[]string{must("{fact: software.to_buy, empty: true}"), must("{fact: software.to_remove, empty: true}")},
			known, titles(true, "Counterfoil 4.2"), "fail pass", "Counterfoil 4.2"},
		{"known software: a version at the limit is fine", []string{must("{fact: software.to_buy, empty: true}")},
			known, titles(true, "Counterfoil 5.0"), "pass", ""},
		{"known software: an unread list decides nothing", []string{must("{fact: software.to_buy, empty: true}")},
			known, nil, "unknown", ""},
		{"a row of a list whose fact is not known",
			[]string{must(`{in: graphics, every: {fact: graphics.interface_level, at_least: "11.1"}}`)}, "", nil,
			"unknown", "Built-in graphics: graphics interface level"},
		{"no row at all: some fails, every and none pass",
			[]string{
				must(`{in: displays, some: {fact: displays.internal, equals: true}}`),
				must(`{in: displays, every: {fact: displays.internal, equals: true}}`),
				must(`{in: displays, none: {fact: displays.internal, equals: true}}`),
			}, "",
			func(d *doc) { d.Displays = []inventory.Display{} }, "fail pass pass", "It has no display."},
		{"sources that disagree on a row decide where they agree on the answer",
			[]string{must(`{in: graphics, some: {fact: graphics.interface_level, at_least: "11.1"}}`)}, "",
			func(d *doc) {
				d.Gaps = append(d.Gaps, inventory.Gap{
					Fact:     "graphics[0].interface_level",
					Cause:    inventory.Disagree,
					Readings: []inventory.Differ{{Value: "11.2", Source: "a"}, {Value: "12.0", Source: "b"}},
				})
			}, "pass", ""},
		{"a processor that its name does not tell of, on a complete list",
			[]string{must("{fact: processor.name, on_list: p}")},
			"lists: [{id: p, of: processors, complete: true, rows: [{name: Corvane K5-9300}]}]", nil, "unknown",
			"The list p has neither a naming rule nor a row for this name"},
		{"a feature that the list's row says the part has is switched off",
			[]string{must("{fact: processor.features, has_all: [avx2]}")},
			"lists: [{id: p, of: processors, rows: [{name: Corvane K5-9400, features: [avx2]}]}]",
			func(d *doc) { d.Processor.Features = []string{"sse4.2"} }, "fail", "so it is turned off in firmware"},
		{"advice never changes the disposition",
			[]string{
				must("{fact: processor.cores, at_least: 2}"),
				"level: should, need: {fact: processor.cores, at_least: 99}",
				"level: feature, feature: F, need: {fact: processor.cores, at_least: 99}",
			}, "", nil, "pass fail fail", `"disposition":"ready"`},
		{"an advised value is only advised",
			[]string{"advised: {fact: memory.installed_bytes, at_least: 32 GiB}, " +
				must("{fact: memory.installed_bytes, at_least: 6 GiB}")}, "", nil, "pass",
			`"advised":"installed memory of at least 32 GiB"`},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			c := on(t, asks(t, tt.asks, tt.more), tt.change)
			if got := outcomes(t, c, len(tt.asks)); got != tt.want {
				t.Errorf("%s, want %s", got, tt.want)
			}
			if text := plain(t, c); tt.says != "" && !strings.Contains(text, tt.says) {
				t.Errorf("nothing says %q in\n%.2500s", tt.says, text)
			}
		})
	}
}

const waysThere = `
support:
  - {release: Skerry 11, ends: 2027-04-13, extended: 2028-04-13, extended_note: paid}
  - {release: Skerry 10, ends: 2026-11-01}
offered:
  - {from: 2027-01-12, to: every machine}
upgrade:
  - {platform: windows, at_least: "11.0", architecture: [x86-64], edition: [Office], way: in-place}
  - {platform: windows, at_least: "11.0", architecture: [x86-64], way: image, keeps: [files]}
  - {platform: windows, at_least: "9.0", at_most: "10.9", architecture: [x86-64], way: interim, through: skerry-11}
interim:
  - id: skerry-11
    name: Skerry 11
    upgrade:
      - {platform: windows, at_least: "10.0", way: in-place}
      - {platform: windows, at_least: "9.0", way: interim, through: skerry-10}
    requirements:
      - {id: on-the-way, title: Room on the way, level: must, consequence: installer-refuses, reason: R., need: {fact: memory.installed_bytes, at_least: 10 GiB}}
  - {id: skerry-10, name: Skerry 10}
editions:
  - {from: [Office, Counter], to: Office}
packages:
  - {id: office, edition: Office, architecture: x86-64, file: office.img, sha256: 5f1c3a8e0b7d49262c8d51f3a6e9b4700d1e2f3a4b5c6d7e8f90a1b2c3d4e5f6}
`

// The shortest allowed way, what it keeps, what is installed, and what stands
// beside the disposition.
func TestWayEditionAndPackage(t *testing.T) {
	rel := asks(t, []string{must("{fact: processor.cores, at_least: 2}")}, waysThere)
	tests := []struct {
		name, version, arch, edition string
		way, through, pack, says     string
	}{
		{"in place", "11.2", "x86-64", "Office", release.InPlace, "", "office", "programs, files and settings stay"},
		{"an edition that only an image takes", "11.2", "x86-64", "Counter", release.Image, "", "office",
			"files stay; programs and settings do not"},
		{"by one intermediate release", "10.4", "x86-64", "Office", release.ByInterim, "Skerry 11", "office",
			"First Skerry 11, then Skerry 12"},
		{"by two intermediate releases", "9.1", "x86-64", "Office", release.ByInterim, "Skerry 10, then Skerry 11",
			"office",
			"First Skerry 10, then Skerry 11"},
		{"too old for any", "8.0", "x86-64", "Office", release.Reinstall, "", "office",
			"installed as a clean installation"},
		{"another word size", "11.2", "x86", "Office", release.Reinstall, "", "office",
			"installed as a clean installation"},
		{"an edition that becomes none", "11.2", "x86-64", "Harbour", release.Image, "", "",
			"becomes none of the editions"},
		{"edition unknown: the shortest that is not ruled out", "11.2", "x86-64", "", release.InPlace, "", "",
			"Which package it needs is unknown"},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			c := on(t, rel, func(d *doc) {
				d.OS.Version, d.OS.Architecture = inventory.Some(tt.version), inventory.Some(tt.arch)
				if tt.edition != "" {
					d.OS.Edition = inventory.Some(tt.edition)
				}
			})
			expect.That(t, "!(c.Route.Way != tt.way && c.Route.Way != release.Reinstall)",
				!(c.Route.Way != tt.way && c.Route.Way != release.Reinstall))
			expect.That(t, "!(c.Route.Way == tt.way && c.Route.Through != tt.through)",
				!(c.Route.Way == tt.way && c.Route.Through != tt.through))
			expect.Same(t, "c.Delivery.Package", c.Delivery.Package, tt.pack)
			if text := plain(t, c); !strings.Contains(text, tt.says) {
				t.Errorf("nothing says %q: %s %s", tt.says, c.Route.Says, c.Delivery.Says)
			}
			if known := tt.edition != ""; c.Route.Known != known {
				t.Errorf("the way is known: %v", c.Route.Known)
			}
		})
	}
}

// Another system has no edition that becomes one of the release's.
func TestNoDeliveryToAnotherSystem(t *testing.T) {
	c := on(t, asks(t, []string{must("{fact: processor.cores, at_least: 2}")}, waysThere),
		func(d *doc) { d.OS.Platform = inventory.Some("linux") })
	expect.That(t, "c.Delivery == nil", c.Delivery == nil)
	expect.Same(t, "c.Disposition", c.Disposition, "ready")
	expect.Same(t, "c.Route.Way", c.Route.Way, release.Reinstall)
}

// A intermediate release asks for something that fails: both routes are shown, and
// its requirements do not count on another way.
func TestReleaseBetweenHasRequirements(t *testing.T) {
	rel := asks(t, []string{must("{fact: processor.cores, at_least: 2}")}, waysThere)
	c := on(t, rel, func(d *doc) { d.OS.Version = inventory.Some("10.4"); d.OS.Name = inventory.Some("Skerry 10") })
	if f := finding(t, c, "on-the-way"); f.Outcome != "fail" || f.Interim != "Skerry 11" {
		t.Errorf("%+v", f)
	}
	expect.Same(t, "c.Disposition", c.Disposition, "refit")
	expect.Same(t, "c.Route.Way", c.Route.Way, release.ByInterim)
	expect.That(t, "c.Other != nil", c.Other != nil)
	expect.Same(t, "c.Other.Way", c.Other.Way, release.Reinstall)
	expect.Same(t, "c.Other.Disposition", c.Other.Disposition, "reconfigure")
	// Where nothing settles it, the fresh installation is the way.
	c = on(t, rel, func(d *doc) {
		d.OS.Version = inventory.Some("10.4")
		d.Memory = inventory.Memory{
			Installed: inventory.Some(int64(8 << 30)),
			Slots:     inventory.Some(int64(0)),
			SlotsUsed: inventory.Some(int64(0)),
			Modules:   []inventory.Module{{Bytes: inventory.Some(int64(8 << 30)), Soldered: inventory.Some(true)}},
		}
	})
	expect.Same(t, "c.Disposition", c.Disposition, "reconfigure")
	expect.Same(t, "c.Route.Way", c.Route.Way, release.Reinstall)
	expect.That(t, "c.Other != nil", c.Other != nil)
	expect.Same(t, "c.Other.Disposition", c.Other.Disposition, "replace")
	c = on(t, rel, func(d *doc) { d.OS.Edition = inventory.Some("Office") })
	f := finding(t, c, "on-the-way")
	expect.Same(t, "f.Outcome", f.Outcome, "not-applicable")
	expect.Same(t, "c.Disposition", c.Disposition, "ready")
	expect.Same(t, "c.Counts.Other", c.Counts.Other, 0)
}

// Software, drivers, adapters and displays have remedies of their own.
func TestRemediesOfListsAndSoftware(t *testing.T) {
	known := "software: [{name: [Lampwright], versions: [{is: remove}]}, {name: [Hawser VPN], versions: [{below: " +
		"\"3\", is: update}, {at_least: \"3\", is: fine}]}, {name: [Counterfoil], versions: [{below: \"5\", is: " +
		"buy}]}]\n" +
		"drivers: [{name: [Label printer], versions: [{below: \"6\", is: update}, {at_least: \"6\", below: \"7\", " +
		"is: remove}]}]"
	titles := func(d *doc) {
		d.Software = []inventory.Software{
			{Name: "Lampwright", Version: inventory.Some("7")}, {Name: "Hawser VPN", Version: inventory.Some("2.1")},
			{Name: "Counterfoil", Version: inventory.Some("4")}, {Name: "Tidebook", Version: inventory.Some("1")},
		}
		d.Drivers = []inventory.Driver{
			{
				Device:  "Label printer",
				Version: inventory.Some("5.1"),
			}, {Device: "Label printer", Version: inventory.Some("6.1")},
		}
	}
	tests := []struct {
		name, need, more        string
		change                  func(*doc)
		disposition, plan, says string
	}{
		{"a title to remove", "{fact: software.to_remove, empty: true}", known, titles, "reconfigure", "remove-titles",
			"Titles to remove first: Lampwright 7"},
		{"a title to update", "{fact: software.to_update, empty: true}", known, titles, "reconfigure", "update-titles",
			"Hawser VPN 2.1"},
		{"a title to buy", "{fact: software.to_buy, empty: true}", known, titles, "reconfigure", "buy-titles",
			"Counterfoil 4"},
		{"titles that the release does not name", "{not: {fact: software.not_known, empty: true}}", known, titles,
			"ready",
			"", "Tidebook 1"},
		{"a driver to update", "{fact: drivers.to_update, empty: true}", known, titles, "reconfigure", "update-drivers",
			"Label printer 5.1"},
		{"a driver to remove", "{fact: drivers.to_remove, empty: true}", known, titles, "reconfigure", "remove-drivers",
			"Label printer 6.1"},
		{"no display at all", "{in: displays, some: {fact: displays.diagonal_inches, at_least: 9 in}}", "",
			func(d *doc) { d.Displays = []inventory.Display{} }, "refit", "display", "It has no display."},
		{"a display that is too small", "{in: displays, some: {fact: displays.diagonal_inches, at_least: 9 in}}", "",
			func(d *doc) {
				d.Displays = []inventory.Display{{Name: inventory.Some("Counter"), DiagonalInches: inventory.Some(7.0)}}
			},
			"refit", "display", "Counter does not have diagonal of at least 9 in"},
		{"an old driver model", `{in: graphics, some: {fact: graphics.driver_model, at_least: "3.0"}}`, "", nil,
			"reconfigure", "graphics-driver", "Built-in graphics does not have driver model 3.0 or later."},
		{"an adapter that cannot, in a desktop",
			`{in: graphics, some: {fact: graphics.interface_level, at_least: "12.0"}}`, "",
			func(d *doc) { d.Graphics[0].InterfaceLevel = inventory.Some("10.1") }, "refit", "graphics-card",
			"Built-in graphics does not have graphics interface level 12.0 or later."},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			c := on(t, asks(t, []string{must(tt.need)}, tt.more, "upgrade: [{platform: windows, way: in-place}]"),
				tt.change)
			var steps []string
			for _, s := range c.Plan {
				if s.Class != "" {
					steps = append(steps, s.Step)
				}
			}
			if got := strings.Join(steps, " "); c.Disposition != tt.disposition || got != tt.plan {
				t.Errorf("%s by %q, want %s by %q", c.Disposition, got, tt.disposition, tt.plan)
			}
			if text := plain(t, c); !strings.Contains(text, tt.says) {
				t.Errorf("nothing says %q in\n%.2500s", tt.says, text)
			}
		})
	}
}

// What stands beside the disposition is never mixed into it.
func TestBesideTheDisposition(t *testing.T) {
	rel := asks(t, []string{must("{fact: processor.cores, at_least: 2}")}, waysThere, "test_release: true",
		"preparation:\n  - {id: backup, title: Backup, reason: R.}\n  - {id: health, title: Health, reason: R., "+
			"need: {fact: storage.system.health, equals: good}}\n  - {id: restart, title: Restart, reason: R., need: "+
			"{fact: os.pending_restart, equals: false}}\n"+
			"  - {id: key, title: Key, reason: R., when: {fact: storage.system.encryption.state, equals: \"on\"}, "+
			"need: {fact: storage.system.encryption.key_kept, equals: true}}")
	c := on(t, rel, func(d *doc) {
		d.OS.Edition = inventory.Some("Office")
		d.OS.HeldAt = inventory.Some("Skerry 11")
		d.OS.ManagedBy = inventory.Some("Tidewrack update service")
		d.OS.PendingRestart = inventory.Some(true)
	})
	if c.Disposition != "ready" {
		t.Errorf("%s", c.Disposition)
	}
	expect.Contains(t, c.Hold, "Held at Skerry 11 by Tidewrack update service")
	expect.That(t, "c.Offer != nil", c.Offer != nil)
	expect.That(t, "!c.Offer.Now", !c.Offer.Now)
	expect.Contains(t, c.Offer.Says, "not offered to this machine before 12 January 2027")
	s := c.Support
	expect.That(t, "s != nil", s != nil)
	expect.Same(t, "s.Days", s.Days, 141)
	expect.That(t, "s.Extended != nil", s.Extended != nil)
	expect.Same(t, "s.Says", s.Says, "Extended support goes on until 13 April 2028 (paid).")
	if len(c.Warnings) != 1 || !strings.Contains(c.Warnings[0], "a release for testing") {
		t.Errorf("warnings %q", c.Warnings)
	}
	var states []string
	for _, p := range c.Preparation {
		states = append(states, p.State)
	}
	if got := strings.Join(states, " "); got != "by-hand done not-done not-needed" {
		t.Errorf("preparation %s", got)
	}
	later, err := assess.Run(rel, sound())
	if err != nil {
		t.Fatal(err)
	}
	if d := later.Document(time.Date(2027, 2, 1, 0, 0, 0, 0, time.UTC), "test"); !d.Offer.Now {
		t.Errorf("after the date: %+v", d.Offer)
	}
}

// Passes this target, fails the next.
func TestNextRelease(t *testing.T) {
	this := asks(t, []string{must("{fact: memory.installed_bytes, at_least: 6 GiB}")})
	next := asks(t, []string{must("{fact: memory.installed_bytes, at_least: 12 GiB}")})
	c := on(t, this, nil)
	b, err := assess.Run(next, sound())
	if err != nil {
		t.Fatal(err)
	}
	c.AddNext(b)
	n := c.Next[0]
	expect.Same(t, "c.Disposition", c.Disposition, "ready")
	expect.Same(t, "n.Disposition", n.Disposition, "refit")
	expect.Same(t, "len(n.Fails)", len(n.Fails), 1)
	expect.Same(t, "n.Fails[0]", n.Fails[0], "R0")
}

// A judge decides as a check does, whatever it has seen before.
func TestTPMBlock(t *testing.T) {
	rows := func(built string) string {
		return "lists: [{id: p, of: processors, rows: [{name: Corvane K5-9400, built_in_tpm: " + built + "}]}]"
	}
	announced := func(d *doc) { d.TPM = inventory.TPM{State: inventory.Some("announced")} }
	tests := []struct {
		name, more               string
		change                   func(*doc)
		seen, state, likely, has string
	}{
		{"ready", "", func(d *doc) { d.TPM.Kind = inventory.Some("firmware") }, "yes", "ready", "",
			"A TPM 2.0, built-in, is present and ready."},
		{
			"off",
			"",
			func(d *doc) { d.TPM = inventory.TPM{State: inventory.Some("off")} },
			"yes",
			"off",
			"",
			"turned off",
		},
		{"announced without a driver", "", announced, "yes", "announced", "", "no driver uses it"},
		{"not seen, likely", rows("true"), noTPM, "no", "not-seen", "yes", "most likely turned off"},
		{"not seen, not likely", rows("false"), noTPM, "no", "not-seen", "no", "no built-in TPM"},
		{"not seen, nothing known", "", noTPM, "no", "not-seen", "not-known", "look the same to the system"},
		{"not seen, known by hand", "", func(d *doc) { noTPM(d); d.Processor.BuiltInTPM = inventory.Some(true) }, "no",
			"not-seen", "yes", "most likely"},
		{"not read", "", func(d *doc) {
			d.TPM = inventory.TPM{}
			d.AddGap("tpm", inventory.NeedsRights, "", "")
		}, "not-known", "", "", "administrator rights"},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			c := on(t, asks(t, []string{must(tpmNeed)}, tt.more), tt.change)
			b := c.TPM
			expect.Same(t, "b.Seen", b.Seen, tt.seen)
			expect.Same(t, "b.State", b.State, tt.state)
			expect.Same(t, "b.Likely", b.Likely, tt.likely)
			expect.Contains(t, b.Says, tt.has)
		})
	}
}
