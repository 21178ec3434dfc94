package need_test

import (
	"fmt"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/internal/expect"
)

// Every quantifier over every list of up to two rows that are true, false or
// unknown, complete and not, against the definition.
func TestEachAgainstItsDefinition(t *testing.T) {
	needs := map[need.Quantifier]need.Need{
		need.Every: compile(t, `{in: displays, every: {fact: displays.internal, equals: true}}`),
		need.Some:  compile(t, `{in: displays, some: {fact: displays.internal, equals: true}}`),
		need.None:  compile(t, `{in: displays, none: {fact: displays.internal, equals: true}}`),
	}
	truths := []need.Truth{need.False, need.Unknown, need.True}
	lists := [][]need.Truth{{}}
	for _, a := range truths {
		lists = append(lists, []need.Truth{a})
		for _, b := range truths {
			lists = append(lists, []need.Truth{a, b})
		}
	}
	for _, rows := range lists {
		for _, complete := range []bool{true, false} {
			d := &inventory.Document{Displays: []inventory.Display{}}
			every, some := need.True, need.False
			for _, r := range rows {
				s := inventory.Display{}
				if r != need.Unknown {
					s.Internal = inventory.Some(r == need.True)
				}
				d.Displays = append(d.Displays, s)
				every, some = min(every, r), max(some, r)
			}
			if !complete { // a row that may be missing can be anything
				d.AddGap("displays", inventory.ReadFailed, "", "")
				every, some = min(every, need.Unknown), max(some, need.Unknown)
			}
			f := fact.Read(d)
			for how, want := range map[need.Quantifier]need.Truth{
				need.Every: every, need.Some: some, need.None: -some,
			} {
				if got := needs[how].Test(f.View()); got != want {
					t.Errorf("%s of %v, complete %v: %s, want %s", how, rows, complete, got, want)
				}
			}
		}
	}
	missing := fact.Read(&inventory.Document{})
	for how, n := range needs {
		if got := n.Test(missing.View()); got != need.Unknown {
			t.Errorf("%s of a list that is not there: %s", how, got)
		}
	}
}

// A title is known not to be there where the collector was asked for it and could look,
// or where all titles were read.
func TestTitlesThatWereAskedFor(t *testing.T) {
	one := compile(t, `{in: software, none: {fact: software.name, equals: Lampwright}}`)
	two := compile(t, `{in: software, none: {fact: software.name, one_of: [Lampwright, Hawser VPN]}}`)
	others := []need.Need{ // a title of any name may meet these
		compile(t, `{in: software, none: {fact: software.publisher, equals: Rivet}}`),
		compile(t, `{in: software, none: {fact: software.publisher, begins_with: [Lampwright]}}`),
		compile(t, `{in: software, none: {fact: software.version, at_least: "9"}}`),
		compile(t, `{in: software, none: {any: [{fact: software.name, equals: Lampwright}, `+
			`{fact: software.version, at_least: "9"}]}}`),
	}
	for _, tt := range []struct {
		asked    string
		cause    string
		one, two need.Truth
	}{
		{"Lampwright", inventory.NotAsked, need.True, need.Unknown},
		{"Lampwright,Hawser VPN", inventory.NotAsked, need.True, need.True},
		{"Lamp,Hawser", inventory.NotAsked, need.True, need.True},
		{"Hawser VPN", inventory.NotAsked, need.Unknown, need.Unknown},
		{"Lampwright Viewer", inventory.NotAsked, need.Unknown, need.Unknown},
		{"Lampwright,Hawser VPN", inventory.ReadFailed, need.Unknown, need.Unknown},
		{"", inventory.NotAsked, need.Unknown, need.Unknown},
	} {
		t.Run(tt.asked+" "+tt.cause, func(t *testing.T) {
			d := &inventory.Document{}
			if tt.asked != "" {
				d.Collector.Titles = strings.Split(tt.asked, ",")
			}
			d.AddGap("software", tt.cause, "", "")
			f := fact.Read(d)
			expect.Same(t, "for one title", one.Test(f.View()), tt.one)
			expect.Same(t, "for two titles", two.Test(f.View()), tt.two)
			for i, n := range others {
				expect.Same(t, fmt.Sprintf("for titles of any name, %d", i), n.Test(f.View()), need.Unknown)
			}
		})
	}
}

func TestBegins(t *testing.T) {
	for _, tt := range []struct {
		title, name string
		want        bool
	}{
		{"Lampwright", "lampwright", true}, {"Lampwright 7.3", "Lampwright", true},
		{"Lampwrights", "Lampwright", false}, {"Lamp", "Lampwright", false},
		{"Lampwright-Viewer", "Lampwright", true}, {"Lampwrightü", "Lampwright", false},
		{"Hawser VPN", "Hawser VPN", true}, {"Hawser", "Hawser VPN", false},
	} {
		t.Run(tt.title, func(t *testing.T) {
			if got := need.Begins(tt.title, tt.name); got != tt.want {
				t.Errorf("%q begins with %q: %v", tt.title, tt.name, got)
			}
		})
	}
}

func TestBadLooksAtLists(t *testing.T) {
	for src, want := range map[string]string{
		`{in: displays}`: "goes with one of every, some and none; this has 0",
		`{in: displays, some: {fact: displays.internal, equals: true}, none: {fact: displays.internal, equals: true}}`: "this has 2 of them",
		`{in: screens, some: {fact: displays.internal, equals: true}}`:                                                 "use graphics, displays",
		`{in: displays, some: {fact: processor.cores, at_least: 2}}`:                                                   "is a fact of the machine, not of a row of displays",
		`{fact: displays.internal, equals: true}`:                                                                      "write in: displays, and every, some or none",
		`{in: displays, some: {fact: graphics.name, equals: x}}`:                                                       "is a fact of each row of a list",
		`{in: displays, some: {in: graphics, some: {fact: graphics.name, equals: x}}}`:                                 "a row of a list has no list of its own",
		`{fact: processor.name, begins_with: []}`:                                                                      "give one item at least",
	} {
		t.Run(src, func(t *testing.T) {
			_, err := read(src)
			coretest.Refused(t, err, want)
		})
	}
}

func TestCompare(t *testing.T) {
	const a, b, c = `{fact: processor.cores, at_least: 2}`, `{fact: processor.cores, at_least: 4}`, `{fact: tpm.state, equals: ready}`
	tests := []struct {
		was, is string
		want    need.Change
	}{
		{a, a, need.Same}, {a, b, need.Tighter}, {b, a, need.Looser}, {a, c, need.Other}, {"", a, need.Tighter},
		{a, "", need.Looser}, {"", "", need.Same},
		{`{fact: processor.cores, at_most: 8}`, `{fact: processor.cores, at_most: 4}`, need.Tighter},
		{`{fact: firmware.secure_boot, one_of: ["on", full]}`, `{fact: firmware.secure_boot, equals: "on"}`,
			need.Tighter},
		{`{fact: firmware.secure_boot, one_of: ["on", full]}`, `{fact: firmware.secure_boot, one_of: [full, reduced]}`,
			need.Other},
		{`{fact: storage.system.kind, none_of: [hdd]}`, `{fact: storage.system.kind, none_of: [hdd, emmc]}`,
			need.Tighter},
		{`{fact: processor.features, has_all: [nx]}`, `{fact: processor.features, has_all: [nx, avx2]}`, need.Tighter},
		{`{fact: processor.features, has_any: [avx2]}`, `{fact: processor.features, has_any: [avx2, sve]}`,
			need.Looser},
		{`{not: ` + a + `}`, `{not: ` + b + `}`, need.Looser},
		{a, `{all: [` + a + `, ` + c + `]}`, need.Tighter}, {`{all: [` + a + `, ` + c + `]}`, a, need.Looser},
		{`{all: [` + a + `, ` + c + `]}`, `{all: [` + c + `, ` + b + `]}`, need.Tighter},
		{a, `{any: [` + a + `, ` + c + `]}`, need.Looser}, {`{any: [` + a + `, ` + c + `]}`, c, need.Tighter},
		{`{any: [` + a + `, ` + c + `]}`, `{any: [` + b + `, ` + c + `]}`, need.Tighter},
		{`{in: displays, some: {fact: displays.height_px, at_least: "720"}}`,
			`{in: displays, some: {fact: displays.height_px, at_least: "1080"}}`, need.Tighter},
		{`{in: displays, none: {fact: displays.height_px, at_least: "720"}}`,
			`{in: displays, none: {fact: displays.height_px, at_least: "1080"}}`, need.Looser},
		{`{in: displays, none: {fact: displays.height_px, at_least: "720"}}`,
			`{in: displays, some: {fact: displays.height_px, at_least: "720"}}`, need.Other},
	}
	parse := func(s string) need.Need {
		if s == "" {
			return nil
		}
		return compile(t, s)
	}
	for _, tt := range tests {
		t.Run(tt.was, func(t *testing.T) {
			if got := need.Compare(parse(tt.was), parse(tt.is)); got != tt.want {
				t.Errorf("%s → %s: %s, want %s", tt.was, tt.is, got, tt.want)
			}
		})
	}
}

// Tighter and Looser are certain: under all facts, what a tighter need passes,
// the earlier one passed, for every pair out of many needs.
func TestTighterIsCertain(t *testing.T) {
	var needs []need.Need
	leaves := []string{
		"{fact: processor.cores, at_least: 2}", "{fact: processor.cores, at_least: 3}",
		"{fact: processor.cores, at_most: 2}", "{fact: tpm.state, equals: ready}",
		`{fact: tpm.state, one_of: [ready, "off"]}`,
	}
	for _, a := range leaves {
		needs = append(needs, compile(t, a), compile(t, "{not: "+a+"}"))
		for _, b := range leaves {
			needs = append(needs, compile(t, "{any: ["+a+", "+b+"]}"))
			if strings.Contains(a, "at_least: 3") != strings.Contains(b, "at_most: 2") || a == b {
				needs = append(needs, compile(t, "{all: ["+a+", "+b+"]}"))
			}
		}
	}
	var worlds []*fact.Facts
	for _, cores := range []string{
		"processor.cores=1", "processor.cores=2", "processor.cores=3", "processor.cores=4", "",
	} {
		for _, tpm := range []string{"tpm.state=ready", "tpm.state=off", "tpm.state=not-seen", ""} {
			var pairs []string
			for _, p := range []string{cores, tpm} {
				if p != "" {
					pairs = append(pairs, p)
				}
			}
			worlds = append(worlds, facts(t, pairs...))
		}
	}
	certain := 0
	for _, was := range needs {
		for _, is := range needs {
			change := need.Compare(was, is)
			for _, w := range worlds {
				a, b := was.Test(w.View()), is.Test(w.View())
				wrong := false
				switch change {
				case need.Same:
					wrong = a != b
				case need.Tighter:
					wrong = b == need.True && a != need.True
				case need.Looser:
					wrong = a == need.True && b != need.True
				}
				if wrong {
					t.Fatalf("%s, and under some facts %s became %s", change, a, b)
				}
			}
			if change != need.Other {
				certain++
			}
		}
	}
	if certain < len(needs) {
		t.Errorf("only %d pairs are certain", certain)
	}
}
