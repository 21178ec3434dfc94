package release_test

import (
	"errors"
	"fmt"
	"os"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/internal/expect"
)

const sum = "5f1c3a8e0b7d49262c8d51f3a6e9b4700d1e2f3a4b5c6d7e8f90a1b2c3d4e5f6"

func TestBadSections(t *testing.T) {
	req := func(id, need string) string {
		return fmt.Sprintf("  - {id: %s, title: T, level: must, consequence: unsupported, reason: R, need: %s}\n", id,
			need)
	}
	tests := []struct{ name, src, want string }{
		{"interim that is not there",
			one + "upgrade: [{platform: windows, way: interim, through: skerry-10}]\ninterim: [{id: skerry-11, name: " +
				"Skerry 11}]\n", `did you mean "skerry-11"?`},
		{"interim in a circle", one +
			"interim: [{id: a, name: A, upgrade: [{platform: windows, way: interim, through: b}]}, {id: b, name: B, " +
			"upgrade: [{platform: windows, way: interim, through: a}]}]\n", "goes in a circle"},
		{"interim that leads to itself",
			one + "interim: [{id: a, name: A, upgrade: [{platform: windows, way: interim, through: a}]}]\n",
			"goes in a circle"},
		{"requirement of an interim with an id of the target",
			one + "interim: [{id: a, name: A, requirements: [{id: cores, title: T, level: must, consequence: " +
				"unsupported, reason: R, need: {fact: processor.cores, at_least: 2}}]}]\n",
			`the id "cores" appears twice`},
		{"versions the wrong way round",
			one + "upgrade: [{platform: windows, at_least: \"11\", at_most: \"10\", way: in-place}]\n",
			"leave no version"},
		{"what is kept", one + "upgrade: [{platform: windows, way: image, keeps: [program]}]\n",
			`did you mean "programs"?`},
		{"edition that becomes two", one + "editions: [{from: [Office], to: A}, {from: [office], to: B}]\n",
			`the edition "office" becomes two`},
		{"package of no edition",
			one + "editions: [{from: [Office], to: Office}]\npackages: [{id: p, edition: Offce, file: f, sha256: " +
				sum + "}]\n", `no installed edition becomes "Offce"; did you mean "Office"?`},
		{"package without a checksum", one + "packages: [{id: p, file: f}]\n", `the key "sha256" is missing`},
		{"package with half a checksum", one + "packages: [{id: p, file: f, sha256: 5f1c}]\n", "64 hexadecimal digits"},
		{"packages for the same machines",
			one + "packages: [{id: p, file: f, sha256: " + sum + "}, {id: q, file: g, sha256: " + sum + "}]\n",
			"are for the same machines"},
		{"extended support that ends before", one + "support: [{release: X, ends: 2027-01-01, extended: 2026-01-01}]\n",
			"extended support ends before support does"},
		{"support without an end", one + "support: [{release: X}]\n", "write not_decided: ends"},
		{"support with an end that is not decided",
			one + "support: [{release: X, ends: 2027-01-01, not_decided: ends}]\n", "keep one of the two"},
		{"an extension that is dated and not decided",
			one + "support: [{release: X, ends: 2027-01-01, extended: 2028-01-01, not_decided: extended}]\n",
			"keep one of the two"},
		{"two highest versions",
			one + "upgrade: [{platform: windows, at_most: \"11\", below: \"12\", way: in-place}]\n",
			"at_most and below"},
		{"no version below",
			one + "upgrade: [{platform: windows, at_least: \"11\", below: \"11\", way: in-place}]\n",
			"leave no version"},
		{"a language that is none", one + "upgrade: [{platform: windows, language: [german], way: in-place}]\n",
			`"german" is not a language tag; a language, with or without its region: en, en-GB`},
		{"a language that is nearly one", one + "upgrade: [{platform: windows, language: [dee-AT], way: in-place},\n" +
			"  {platform: windows, language: [ed], way: in-place}]\n", `"ed" is not a language tag`},
		{"a region that is none", one + "upgrade: [{platform: windows, language: [\"en_GB\"], way: in-place}]\n",
			`"en_GB" is not a language tag`},
		{"the language of a package", one + "packages: [{id: p, language: german, file: f, sha256: " + sum + "}]\n",
			`"german" is not a language tag`},
		{"follows itself", one + "follows: skerry-12\n", "cannot be the release before"},
		{"known software without versions", one + "software: [{name: [A], versions: []}]\n",
			"nothing is said of any version"},
		{"known software with an empty name", one + "software: [{name: [''], versions: [{is: fine}]}]\n",
			"it would mean every title"},
		{"known software twice",
			one + "software: [{name: [A], versions: [{is: fine}]}, {name: [a], versions: [{is: fine}]}]\n",
			`"a" stands in two entries`},
		{"ranges that overlap", one +
			"software: [{name: [A], versions: [{at_least: \"2\", is: fine}, {below: \"3\", is: update}]}]\n",
			"two ranges mean the same versions"},
		{"range of no version", one +
			"software: [{name: [A], versions: [{at_least: \"3\", below: \"3\", is: fine}]}]\n",
			"no version is at least 3 and below 3"},
		{"known software that is not there", "requirements:\n" + req("a", "{fact: software.to_remove, empty: true}"),
			"comes from the section software, which the document does not have"},
		{"contradiction of limits",
			"requirements:\n" + req("a", "{fact: processor.cores, at_least: 8}") + req("b",
				"{all: [{fact: processor.cores, at_most: 4}]}"),
			"a and b contradict each other on processor.cores: at least 8 and at most 4"},
		{"contradiction of values",
			"requirements:\n" + req("a", "{fact: firmware.boot_mode, equals: uefi}") + req("b",
				"{fact: firmware.boot_mode, equals: legacy}"), "a and b contradict each other on firmware.boot_mode"},
		{"a list that nothing of the class can be on",
			"requirements:\n" + req("a",
				"{fact: device.model_id, on_list: m}") + "lists: [{id: m, of: models, rows: [{name: x}]}]\n",
			`the list "m" matches nothing: hardware of the class pc has no device.model_id`},
		{"a file that is not there", one + "lists: [{id: m, of: models, file: nowhere.csv}]\n",
			"the file cannot be read"},
		{"a file elsewhere", one + "lists: [{id: m, of: models, file: ../m.csv}]\n", "without a directory"},
		{"list with a bad id", one + "lists: [{id: A b, of: models, complete: true, rows: [{name: x}]}]\n",
			`"A b" cannot be an id`},
		{"lists with one id",
			one + "lists: [{id: m, of: models, rows: [{name: x}]}, {id: m, of: models, rows: [{name: x}]}]\n",
			`the id "m" appears twice`},
		{"rows and a file", one + "lists: [{id: m, of: models, file: m.csv, rows: [{name: x}]}]\n",
			"keep one of the two"},
		{"a mistake in the file", one + "lists: [{id: m, of: models, file: bad.csv}]\n",
			"bad.csv:2:3: \"six\" is not a number for cores"},
		{"anchors", one + "lists: &a []\n", "anchors and aliases"},
	}
	files := func(name string) ([]byte, error) {
		if name == "bad.csv" {
			return []byte("name,cores\na,six\n"), nil
		}
		return nil, errors.New("no such file")
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			_, err := release.Read("f", []byte(head+tt.src), files)
			coretest.Refused(t, err, tt.want)
		})
	}
}

// A contradiction that a condition takes away is none.
func TestConditionsContradictNothing(t *testing.T) {
	src := head + `requirements:
  - {id: a, title: T, level: must, consequence: unsupported, reason: R, need: {fact: processor.cores, at_least: 8}}
  - {id: b, title: T, level: must, consequence: unsupported, reason: R, when: {fact: os.edition, equals: Home}, need: {fact: processor.cores, at_most: 4}}
  - {id: c, title: T, level: should, reason: R, need: {fact: processor.cores, at_most: 4}}
`
	if _, err := release.Read("f", []byte(src), nil); err != nil {
		t.Error(err)
	}
}

// Documents of hostile size are refused at once.
func TestHostileDocuments(t *testing.T) {
	deep := strings.Repeat("{not: ", 60) + "{fact: processor.cores, at_least: 1}" + strings.Repeat("}", 60)
	for name, src := range map[string]string{
		"a bomb of aliases": "a: &a [x,x,x,x,x,x,x,x]\nb: &b [*a,*a,*a,*a,*a,*a,*a,*a]\nc: &c " +
			"[*b,*b,*b,*b,*b,*b,*b,*b]\n",
		"a deep need":      head + "requirements: [{id: a, title: T, level: should, reason: R, need: " + deep + "}]\n",
		"a large document": head + "#" + strings.Repeat("x", doc.MaxBytes),
	} {
		t.Run(name, func(t *testing.T) {
			if _, err := release.Read("f", []byte(src), nil); err == nil {
				t.Errorf("%s is taken", name)
			}
		})
	}
}

// A part of a need that is not a group of keys is told by the reader, and nothing that comes after it falls over it.
func TestPartsThatAreNoNeeds(t *testing.T) {
	for _, part := range []string{"3", "word", "[]", "~"} {
		for _, need := range []string{
			"{all: [%s]}", "{any: [{fact: processor.cores, at_least: 2}, %s]}", "{not: %s}", "{in: drives, some: %s}",
			"{all: [{not: {any: [%s]}}]}", "%s",
		} {
			need = fmt.Sprintf(need, part)
			for _, site := range []string{
				"when: " + need + ", need: {fact: processor.cores, at_least: 2}", "need: " + need,
			} {
				t.Run(site, func(t *testing.T) {
					src := head + "requirements:\n  - {id: a, title: T, level: should, reason: R, " + site + "}\n"
					if _, err := release.Read("f", []byte(src), nil); err == nil {
						t.Error("it is taken")
					}
				})
			}
		}
	}
}

func TestSkeletonHasNoMistakes(t *testing.T) {
	day := time.Date(2026, 11, 23, 0, 0, 0, 0, time.UTC)
	for _, class := range []string{"pc", "mac"} {
		rel, err := release.Read("new.yaml", []byte(release.Skeleton("my-release", `"My release"`, class, day)), nil)
		expect.NoError(t, err)
		expect.Same(t, class+": rel.Name", rel.Name, "My release")
		expect.Same(t, class+": rel.InstallsOn", rel.InstallsOn, class)
		expect.That(t, class+": rel.Draft", rel.Draft)
	}
}

func TestBundle(t *testing.T) {
	src, err := os.ReadFile("../../internal/standin/releases/skerry-12.yaml")
	if err != nil {
		t.Fatal(err)
	}
	packed, err := release.Pack("skerry-12.yaml", src, coretest.Beside)
	if err != nil {
		t.Fatal(err)
	}
	a, err := release.Read("packed", packed, nil)
	if err != nil {
		t.Fatal(err)
	}
	b, err := release.Read("skerry-12.yaml", src, coretest.Beside)
	expect.NoError(t, err)
	expect.Same(t, "len(a.Lists[0].Rows)", len(a.Lists[0].Rows), 58)
	expect.Same(t, "len(b.Lists[0].Rows)", len(b.Lists[0].Rows), 58)
	parts, err := release.Unpack("packed", packed)
	expect.NoError(t, err)
	expect.Same(t, "string(parts.Document)", string(parts.Document), string(src))
	expect.Same(t, "len(parts.Files)", len(parts.Files), 2)
	expect.Same(t, "parts.Files[0].Name", parts.Files[0].Name, "skerry-12-processors.csv")
	if again, err := release.Pack("packed", packed, nil); err != nil || string(again) != string(packed) {
		t.Errorf("a bundle is packed again: %v", err)
	}
	plain := []byte(head + one)
	if got, err := release.Pack("f", plain, nil); err != nil || string(got) != string(plain) {
		t.Errorf("a document without files became something else: %v", err)
	}
	if _, err := release.Read("x", []byte(`{"format":"rolltop-bundle/1","document":"","flies":[]}`), nil); err == nil ||
		!strings.Contains(err.Error(), `did you mean "files"?`) {
		t.Errorf("a bundle with a mistake: %v", err)
	}
	_, err = release.Read("f", src, nil)
	if err == nil || !strings.Contains(err.Error(), "refers to a file that is missing") {
		t.Errorf("without its file: %v", err)
	}
}

// judged is what a release says of a title: the verdict, or what is missing and what may be.
func judged(j *release.Judged) string {
	if j.Range != nil {
		return j.Range.Is
	}
	var words []string
	for _, r := range j.Maybe {
		words = append(words, r.Is)
	}
	missing := map[release.Missing]string{
		release.MissingVersion: "version: ", release.MissingPublisher: "publisher: ", release.MissingFact: "fact: ",
	}[j.Missing]
	return missing + strings.Join(words, " ")
}

func TestJudgeOfTitles(t *testing.T) {
	rel, err := release.Read("f", []byte(head+one+`software:
  - {name: [Hawser], versions: [{is: fine}]}
  - {name: [Hawser VPN], publisher: Lodestar, versions: [{at_least: "2.0", below: "3.0", is: problem}, {at_least: "3.0", is: fine}]}
  - {name: [Halyard], code: ["{0001-HALYARD}"], versions: [{below: "2", is: buy}, {at_least: "2", is: fine}]}
  - {name: [Sextant], versions: [{is: problem, when: {fact: displays, at_least: "2"}}, {is: fine}]}
`), nil)
	if err != nil {
		t.Fatal(err)
	}
	text := func(s string) fact.Value {
		if s == "" {
			return fact.Value{}
		}
		return fact.Of(fact.Text, s)
	}
	for _, tt := range []struct{ name, publisher, version, want string }{
		{"Halyard", "", "1.0", "buy"},
		{"Rigging Suite {0001-halyard}", "Another", "1.0", "buy"},
		{"Rigging Suite {0001-HALYARD}", "", "2.0", "fine"},
		{"Rigging Suite {0002}", "", "1.0", ""},
		{"Halyard {0002}", "", "1.0", "buy"},
		{"Hawser VPN", "", "2.0", "problem"},
		{"hawser vpn 2.9.9 (64-bit)", "lodestar", "2.9.9", "problem"},
		{"Hawser® VPN(TM) 2.9", "Lodestar", "2.9", "problem"},
		{"Hawser VPN", "LODESTAR™, Ltd.", "2.0", "problem"},
		{"Hawser VPN", "The Lodestar Company", "2.0", "problem"},
		{"Hawser VPN", "Lodestar S.A.", "2.0", "problem"},
		{"Hawser VPN", "Lodestar GmbH & Co. KG", "2.0", "problem"},
		{"Hawser VPN", "Lodestar Works", "2.0", "publisher: problem"},
		{"hawser vpn client", "lodestar", "2.9.9", ""},
		{"Hawser VPN", "", "3.0", "fine"},
		{"Hawser VPN", "", "1.9", ""},
		{"Hawser VPN", "", "", "version: problem fine"},
		{"Hawser VPN", "Another", "2.0", "publisher: problem"},
		{"Hawser VPN", "Another", "1.0", ""},
		{"Hawser", "", "", "fine"},
		{"Hawsers", "", "2", ""},
		{"Tidebook", "", "4", ""},
		{"Sextant", "", "1.0", "fact: problem fine"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			name, code, _ := strings.Cut(tt.name, " {")
			title := release.Title{Name: text(name), Publisher: text(tt.publisher), Version: text(tt.version)}
			if code != "" {
				title.Code = text("{" + code)
			}
			j := release.Judge(rel.Known, fact.Read(&inventory.Document{}), title)
			expect.Same(t, tt.name+" "+tt.version+" by "+tt.publisher, judged(&j), tt.want)
		})
	}
	for screens, want := range map[float64]string{2: "problem", 1: "fine"} {
		f := fact.Read(&inventory.Document{}).With(fact.DisplayCount, fact.Num(screens), "a test")
		j := release.Judge(rel.Known, f, release.Title{Name: text("Sextant"), Version: text("1.0")})
		expect.Same(t, fmt.Sprintf("Sextant with %v displays", screens), judged(&j), want)
	}
	if got := strings.Join(rel.Titles(), ", "); got != "Halyard, Hawser, Hawser VPN, Sextant, {0001-HALYARD}" {
		t.Errorf("titles that matter: %s", got)
	}
}

func TestCompareRevisions(t *testing.T) {
	read := func(name string) *release.Release {
		src, err := os.ReadFile("../../internal/standin/releases/" + name)
		if err != nil {
			t.Fatal(err)
		}
		rel, err := release.Read(name, src, coretest.Beside)
		if err != nil {
			t.Fatal(err)
		}
		return rel
	}
	was, is := read("skerry-12-revision-4.yaml"), read("skerry-12.yaml")
	got := map[string]need.Change{}
	for _, p := range release.Compare(was, is) {
		if p.Was == nil {
			got["+"+p.Is.ID] = need.Same
		} else {
			got[p.Is.ID] = p.Change()
		}
	}
	if got["free-space"] != need.Tighter || len(got) != 7 {
		t.Errorf("%v", got)
	}
	for _, id := range []string{
		"+graphics", "+display", "+quick-enough", "+titles-to-remove", "+titles-to-update", "+skerry-11-space",
	} {
		if _, ok := got[id]; !ok {
			t.Errorf("%s was not found to be new", id)
		}
	}
	lists := release.CompareLists(was, is)
	expect.Same(t, "len(lists)", len(lists), 1)
	expect.Same(t, "len(lists[0].Came)", len(lists[0].Came), 54)
	expect.Same(t, "len(lists[0].Went)", len(lists[0].Went), 0)
	if back := release.Compare(is, was); len(back) != 7 || release.Compare(is, is) != nil {
		t.Errorf("the other way round: %d", len(back))
	}
	// A must that becomes advice is eased; a condition that goes is tighter.
	for change, want := range map[string]need.Change{
		"level: must=level: should":                                  need.Looser,
		"consequence: installer-refuses=consequence: will-not-start": need.Tighter,
		"reason:=when: {fact: os.edition, equals: Home}, reason:":    need.Looser,
	} {
		t.Run(change, func(t *testing.T) {
			a, b, _ := strings.Cut(change, "=")
			p, q := head+one, head+strings.Replace(one, a, b, 1)
			x, err := release.Read("f", []byte(p), nil)
			if err != nil {
				t.Fatal(err)
			}
			y, err := release.Read("f", []byte(q), nil)
			if err != nil {
				t.Fatal(err)
			}
			if pairs := release.Compare(x, y); len(pairs) != 1 || pairs[0].Change() != want {
				t.Errorf("%s: %v", change, pairs)
			}
		})
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(head + one))
	for _, name := range []string{"skerry-12.yaml", "fathom-9.yaml"} {
		if src, err := os.ReadFile("../../internal/standin/releases/" + name); err == nil {
			f.Add(src)
		}
	}
	f.Add([]byte(release.Skeleton("a", "A", "pc", time.Unix(0, 0))))
	facts := fact.Read(&inventory.Document{})
	f.Fuzz(func(t *testing.T, src []byte) {
		rel, err := release.Read("f", src, coretest.Beside)
		if wrong := new(doc.Mistakes); err != nil && !errors.As(err, &wrong) {
			t.Fatalf("the error names no mistakes: %v", err)
		}
		if err != nil {
			return
		}
		for i := range rel.Requirements {
			if got := rel.Requirements[i].Need.Test(facts.View()); got < need.False || got > need.True {
				t.Errorf("a truth of %d", got)
			}
		}
		rel.PathFrom(facts)
		if release.Compare(rel, rel) != nil {
			t.Error("a release differs from itself")
		}
	})
}

// BenchmarkRead reads a document with a list of 2,000 rows, in a file beside it
// and within it.
func BenchmarkRead(b *testing.B) {
	var rows, inline strings.Builder
	rows.WriteString("name,cores,rated_mhz,built_in_tpm\n")
	for i := range 2000 {
		fmt.Fprintf(&rows, "Corvane K5-%d,6,2900,true\n", 10_000+i)
		fmt.Fprintf(&inline, "      - {name: Corvane K5-%d, cores: 6, rated_mhz: 2900, built_in_tpm: true}\n", 10_000+i)
	}
	list := "lists:\n  - id: p\n    of: processors\n    complete: true\n"
	files := func(string) ([]byte, error) { return []byte(rows.String()), nil }
	for name, src := range map[string]string{
		"file":   head + one + list + "    file: p.csv\n",
		"inline": head + one + list + "    rows:\n" + inline.String(),
	} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				if _, err := release.Read("f", []byte(src), files); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}
