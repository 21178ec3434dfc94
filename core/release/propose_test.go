package release_test

import (
	"strings"
	"testing"

	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/internal/expect"
)

const proposed = `format: rolltop-release/1
# A remark stays.
id: skerry-99
name: Skerry 99
installs_on: pc
version: "99.0"
revision: 3
published: 2026-10-06
source: https://skerry.example/99
requirements:
  - {id: memory, title: Installed memory, level: must, consequence: installer-refuses, reason: It is slow., need: {fact: memory.installed_bytes, at_least: 4 GiB}}
  - {id: list, title: On the list, level: must, consequence: unsupported, reason: Listed only., need: {fact: processor.name, on_list: them}}
lists:
  - id: them
    of: processors
    source: https://skerry.example/99/processors
    rows:
      - {name: Corvane K5-9400}
software:
  - name: [Tidebook]
    versions:
      - {is: fine}
`

// A proposal is the document with one row more and another number; all else stays as it was written.
func TestPropose(t *testing.T) {
	for _, tt := range []struct {
		name    string
		p       release.Proposal
		more    []string // lines that came
		refuses string
	}{
		{"a processor", release.Proposal{Section: release.InProcessors, Name: `Corvane "Q1"`, Note: "mail"},
			[]string{`      - {name: "Corvane \"Q1\"", note: "mail"}`}, ""},
		{"a title", release.Proposal{Section: release.InSoftware, Name: "Lampwright", Is: "update", Note: "4: new"},
			[]string{`  - name: ["Lampwright"]`, "    versions:", `      - {is: update, note: "4: new"}`}, ""},
		{"a driver, in a section of its own",
			release.Proposal{Section: release.InDrivers, Name: "Pier scanner", Is: "fine"},
			[]string{"drivers:", `  - name: ["Pier scanner"]`, "    versions:", "      - {is: fine}", ""}, ""},
		{"an unknown state", release.Proposal{Section: release.InSoftware, Name: "Lampwright", Is: "good"}, nil,
			"fine, update, buy, remove, problem"},
		{"no such list", release.Proposal{Section: release.InModels, Name: "Slipway 14"}, nil, "no list of models"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			tt.p.Revision = 4
			got, err := release.Propose("x", []byte(proposed), &tt.p)
			if tt.refuses != "" {
				expect.Error(t, err, tt.refuses)
				return
			}
			if err != nil {
				t.Fatal(err)
			}
			before := strings.Split(strings.Replace(proposed, "revision: 3", "revision: 4", 1), "\n")
			var more []string
			for _, line := range strings.Split(string(got), "\n") {
				if len(before) > 0 && before[0] == line {
					before = before[1:]
				} else {
					more = append(more, line)
				}
			}
			expect.Same(t, "the lines that came", strings.Join(more, "\n"), strings.Join(tt.more, "\n"))
			rel, err := release.Read("x", got, nil)
			if err != nil {
				t.Fatalf("%v\n%s", err, got)
			}
			expect.Same(t, "the revision", rel.Revision, 4)
		})
	}
}

// The row of a list in a file goes into the file, below the headings that the file has.
func TestProposeInAFile(t *testing.T) {
	rows := "    rows:\n      - {name: Corvane K5-9400}\n"
	text := strings.Replace(proposed, rows, "    file: them.csv\n", 1)
	csv := "name,cores,note\nCorvane K5-9400,6,\n"
	src, err := release.Pack("x", []byte(text), func(string) ([]byte, error) { return []byte(csv), nil })
	if err != nil {
		t.Fatal(err)
	}
	got, err := release.Propose("x", src, &release.Proposal{Section: release.InProcessors, Name: "Corvane Q1",
		Note: "mail, of Monday", Revision: 4})
	if err != nil {
		t.Fatal(err)
	}
	b, err := release.Unpack("x", got)
	if err != nil {
		t.Fatal(err)
	}
	expect.Same(t, "the file", string(b.Files[0].Text), csv+"Corvane Q1,,\"mail, of Monday\"\n")
	rel, err := release.Read("x", got, nil)
	if err != nil {
		t.Fatal(err)
	}
	expect.Same(t, "the revision", rel.Revision, 4)
}
