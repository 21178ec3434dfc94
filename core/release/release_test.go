package release_test

import (
	"fmt"
	"os"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/internal/expect"
)

const head = `format: rolltop-release/1
id: skerry-12
name: Skerry 12
installs_on: pc
revision: 1
published: 2026-06-02
source: https://skerry.example/12
`

const one = `requirements:
  - {id: cores, title: Cores, level: must, consequence: installer-refuses, reason: Enough., need: {fact: processor.cores, at_least: 2}}
`

func TestDemoDocumentsAreRight(t *testing.T) {
	for _, name := range []string{"skerry-12", "fathom-9"} {
		src, err := os.ReadFile("../../internal/standin/releases/" + name + ".yaml")
		if err != nil {
			t.Fatal(err)
		}
		rel, err := release.Read(name, src, coretest.Beside)
		if err != nil {
			t.Fatal(err)
		}
		expect.Same(t, name+": rel.ID", rel.ID, name)
		expect.That(t, name+": len(rel.Requirements) >= 6", len(rel.Requirements) >= 6)
		expect.That(t, name+": len(rel.Needed) >= 5", len(rel.Needed) >= 5)
	}
}

func TestBadReleases(t *testing.T) {
	tests := []struct{ name, src, want string }{
		{"no requirements", head, `the key "requirements" is missing`},
		{"empty requirements", head + "requirements: []\n", "would find every machine ready"},
		{
			"id",
			strings.Replace(head, "skerry-12", "Skerry 12", 1) + one,
			"use lower-case letters, digits and hyphens",
		},
		{"id twice", head + one + strings.TrimPrefix(one, "requirements:\n"),
			`10:10: requirements[1].id: the id "cores" appears twice`},
		{"class", strings.Replace(head, "installs_on: pc", "installs_on: tablet", 1) + one, "use pc, mac"},
		{"revision", strings.Replace(head, "revision: 1", "revision: 0", 1) + one, "0 is out of range"},
		{"version of the format", strings.Replace(head, "release/1", "release/9", 1) + one,
			`unknown version "9" of this format`},
		{"must without consequence", head + strings.Replace(one, "consequence: installer-refuses, ", "", 1),
			"a must says what follows if it is not met"},
		{"feature without name",
			head + strings.Replace(one, "level: must, consequence: installer-refuses", "level: feature", 1),
			"the level feature names its feature"},
		{"fact", head + strings.Replace(one, "processor.cores", "processor.core", 1),
			`did you mean "processor.cores"?`},
		{"need in the condition",
			head + strings.Replace(one, "reason:", "when: {fact: os.editon, equals: Office}, reason:", 1),
			`did you mean "os.edition"?`},
		{"need in the advice", head + strings.Replace(one, "reason:",
			"advised: {fact: processor.cores, at_least: many}, reason:", 1),
			`"many" is not a value of processor.cores`},
		{"list", head + strings.Replace(one, "fact: processor.cores, at_least: 2",
			"fact: processor.name, on_list: nowhere", 1), `there is no list "nowhere"`},
		{"interim without name", head + "upgrade: [{platform: windows, way: interim}]\n" + one,
			"names the intermediate release"},
		{"in place with name", head + "upgrade: [{platform: windows, way: in-place, through: Skerry 11}]\n" + one,
			"names the intermediate release"},
		{"need is a list", head + strings.Replace(one, "{fact: processor.cores, at_least: 2}", "[1]", 1),
			"a group of keys is needed here"},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			_, err := release.Read("f", []byte(tt.src), nil)
			coretest.Refused(t, err, tt.want)
		})
	}
}

func TestWaivable(t *testing.T) {
	tests := []struct {
		q    release.Requirement
		want bool
	}{
		{release.Requirement{Consequence: "will-not-start"}, false},
		{release.Requirement{Consequence: "installer-refuses"}, false},
		{release.Requirement{Consequence: "unsupported"}, true},
		{release.Requirement{Consequence: "works-less-well"}, true},
		{release.Requirement{Consequence: "installer-refuses", AskedBy: release.House}, true},
	}
	for _, tt := range tests {
		t.Run(fmt.Sprint(tt.q), func(t *testing.T) {
			if got := tt.q.Waivable(); got != tt.want {
				t.Errorf("%+v: %v", tt.q, got)
			}
		})
	}
}

func TestPathFrom(t *testing.T) {
	rel, err := release.Read("f", []byte(head+`upgrade:
  - {platform: windows, at_least: "11.0", architecture: [x86-64], way: in-place}
  - {platform: windows, at_least: "10.2", at_most: "10.9", architecture: [x86-64], way: interim, through: skerry-11}
  - {platform: windows, way: reinstall}
interim: [{id: skerry-11, name: Skerry 11}]
`+one), nil)
	if err != nil {
		t.Fatal(err)
	}
	tests := []struct {
		platform, version, arch string
		way, through            string
		truth                   need.Truth
	}{
		{"windows", "11.0", "x86-64", release.InPlace, "", need.True},
		{"windows", "11.2", "x86-64", release.InPlace, "", need.True},
		{"windows", "10.2", "x86-64", release.ByInterim, "Skerry 11", need.True},
		{"windows", "10.10", "x86-64", release.Reinstall, "", need.True},
		{"windows", "10.1", "x86-64", release.Reinstall, "", need.True},
		{"windows", "11.2", "x86", release.Reinstall, "", need.True},
		{"linux", "12", "x86-64", release.Reinstall, "", need.True},
		{"windows", "", "x86-64", release.InPlace, "", need.Unknown},
		{"windows", "11.2", "", release.InPlace, "", need.Unknown},
		{"", "", "", release.InPlace, "", need.Unknown},
	}
	for _, tt := range tests {
		t.Run(tt.platform, func(t *testing.T) {
			f := fact.Read(&inventory.Document{})
			for id, v := range map[fact.ID]string{
				fact.OSPlatform:     tt.platform,
				fact.OSVersion:      tt.version,
				fact.OSArchitecture: tt.arch,
			} {
				if v != "" {
					f.Set(id, fact.Of(id.Def().Kind, v), "")
				}
			}
			p := rel.PathFrom(f)
			expect.Same(t, "p.Way", p.Way, tt.way)
			expect.Same(t, "p.Through()", p.Through(), tt.through)
			expect.Same(t, "p.Truth", p.Truth, tt.truth)
		})
	}
}

func TestSupportEnds(t *testing.T) {
	rel, err := release.Read("f", []byte(head+`support:
  - {release: Skerry 11, ends: 2027-04-13}
  - {release: Skerry 11, edition: Harbour, ends: 2028-04-13}
`+one), nil)
	if err != nil {
		t.Fatal(err)
	}
	for _, tt := range []struct{ name, edition, want string }{
		{"Skerry 11", "Office", "2027-04-13"}, {"skerry 11", "harbour", "2028-04-13"}, {"Skerry 9", "", ""},
	} {
		t.Run(tt.name, func(t *testing.T) {
			got := ""
			if s := rel.SupportEnds(tt.name, tt.edition); s != nil {
				got = s.Ends.Format("2006-01-02")
			}
			if got != tt.want {
				t.Errorf("%s %s: %s, want %q", tt.name, tt.edition, got, tt.want)
			}
		})
	}
}

// A way is for the versions, the languages and the machines that the document names.
func TestWaysOfSomeMachines(t *testing.T) {
	rel, err := release.Read("f", []byte(head+`upgrade:
  - {platform: windows, from: Skerry 11, at_least: "11.0", below: "12.0", language: [de, en-GB], way: in-place}
  - {platform: windows, when: {fact: os.edition, equals: Office}, way: image}
packages:
  - {id: any, language: de, file: de.img, sha256: `+sum+`}
  - {id: at, language: de-AT, file: de-at.img, sha256: `+sum+`}
`+one), nil)
	expect.NoError(t, err)
	for _, tt := range []struct {
		version, language, edition string
		way                        string
		truth                      need.Truth
		file                       string
	}{
		{"11.0", "de", "Counter", release.InPlace, need.True, "de.img"},
		{"11.9", "de-CH", "Counter", release.InPlace, need.True, "de.img"},
		{"11.9", "DE-at", "Counter", release.InPlace, need.True, "de-at.img"},
		{"11.9", "en-GB", "Counter", release.InPlace, need.True, ""},
		{"11.9", "en", "Counter", release.Reinstall, need.True, ""},
		{"11.9", "den", "Counter", release.Reinstall, need.True, ""},
		{"12.0", "de", "Counter", release.Reinstall, need.True, "de.img"},
		{"12.0", "de", "Office", release.Image, need.True, "de.img"},
		{"12.0", "de", "", release.Image, need.Unknown, "de.img"},
		{"11.9", "", "Counter", release.InPlace, need.Unknown, ""},
	} {
		t.Run(tt.version+" "+tt.language+" "+tt.edition, func(t *testing.T) {
			f := installed("windows", "", tt.version)
			if tt.language != "" {
				f.Set(fact.OSLanguage, fact.Of(fact.Text, tt.language), "")
			}
			if tt.edition != "" {
				f.Set(fact.OSEdition, fact.Of(fact.Text, tt.edition), "")
			}
			p := rel.PathFrom(f)
			expect.Same(t, "the way", p.Way, tt.way)
			expect.Same(t, "how sure it is", p.Truth, tt.truth)
			file := ""
			if d := rel.Deliver(f, p.Way); d.Package != nil {
				file = d.Package.File
			}
			expect.Same(t, "the package", file, tt.file)
		})
	}
	expect.That(t, "the edition decides", rel.RoutesBy(fact.OSEdition))
}

// When a release is offered depends on the stage that takes the machine in, and late is after the end of support.
func TestWhenOffered(t *testing.T) {
	src := head + one + `version: "12.0"
support: [{release: Skerry 10, ends: 2026-12-08}, {release: Skerry 10, edition: Counter, ends: 2027-06-08}]
offered: [{from: 2026-06-02, to: some, when: {fact: os.version, at_least: "11.0"}}, {from: 2027-01-12, to: every machine}]
`
	at := time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)
	for _, tt := range []struct{ name, media, version, installed, edition, want string }{
		{"offered", "", "11.2", "Skerry 11", "", "now"},
		{"before support ends", "", "10.2", "Skerry 10", "Counter", "later"},
		{"after support ends", "", "10.2", "Skerry 10", "Office", "later late"},
		{"no end of support", "", "10.2", "Skerry 9", "", "later"},
		{"a stage may take it in", "", "", "Skerry 10", "Office", "unknown"},
		{"media can be used", "media_from: 2026-10-01\n", "10.2", "Skerry 10", "Office", "now"},
		{"media in time", "media_from: 2026-12-01\n", "10.2", "Skerry 10", "Office", "later"},
		{"it runs it already", "", "12.0", "Skerry 12", "", ""},
	} {
		t.Run(tt.name, func(t *testing.T) {
			rel, err := release.Read("f", []byte(src+tt.media), nil)
			expect.NoError(t, err)
			d := &inventory.Document{}
			d.OS.Platform = inventory.Some("windows")
			for to, v := range map[*inventory.Opt[string]]string{
				&d.OS.Version: tt.version, &d.OS.Name: tt.installed, &d.OS.Edition: tt.edition,
			} {
				if v != "" {
					*to = inventory.Some(v)
				}
			}
			expect.Same(t, "when it is offered", strings.Join(rel.WhenOffered(fact.Read(d), at), " "), tt.want)
		})
	}
}
