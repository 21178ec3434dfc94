package assess_test

import (
	"strings"
	"testing"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/internal/expect"
)

const conditional = `format: rolltop-release/1
id: tern-3
name: Tern 3
installs_on: pc
revision: 1
published: 2026-10-06
source: https://tern.example/3
upgrade: [{platform: windows, way: in-place}]
conditions:
  - {id: laptop, says: in laptops only, need: {fact: device.form, equals: laptop}}
  - {id: big, says: with 16 GB of memory, need: {fact: memory.installed_bytes, at_least: 16 GiB}}
requirements:
  - {id: listed, title: Processor on the list, level: must, consequence: installer-refuses, reason: Tested., need: {fact: processor.name, on_list: p}}
lists:
  - {id: p, of: processors, complete: true, file: p.csv}
`

// A row of a list can count only where a condition holds. What the rows of other names ask for says nothing.
func TestRowsUnderConditions(t *testing.T) {
	rows := "name,only\nCorvane K5-8500T,\nCorvane K5-8130U,laptop\nCorvane K3-8130U,big\n"
	files := func(string) ([]byte, error) { return []byte(rows), nil }
	rel, err := release.Read("tern-3.yaml", []byte(conditional), files)
	expect.NoError(t, err)
	for _, tt := range []struct {
		name, form string
		memory     int64
		outcome    string
		says, not  string
	}{
		{"Corvane K5-8500T", "desktop", 4, "pass", "", "laptop"},
		{"Corvane K5-8130U", "laptop", 4, "pass", "", ""},
		{"Corvane K5-8130U", "desktop", 4, "fail", "Form is desktop", "memory of"},
		{"Corvane K5-8130U", "", 4, "unknown", "", ""},
		{"Corvane K3-8130U", "desktop", 8, "fail", "8 GiB more", "Form"},
		{"Corvane K3-8130U", "desktop", 16, "pass", "", ""},
		{"Tessaly Onyx 9 9950", "laptop", 16, "unknown", "", "Form"},
		{"", "laptop", 16, "unknown", "", ""},
	} {
		t.Run(strings.TrimSpace(tt.name+" "+tt.form+" "+tt.outcome), func(t *testing.T) {
			d := made(func(d *doc) {
				d.Processor.Name, d.Device.Form = inventory.Opt[string]{}, inventory.Opt[string]{}
				d.Memory.Installed = inventory.Some(tt.memory << 30)
				if tt.name != "" {
					d.Processor.Name = inventory.Some(tt.name)
				}
				if tt.form != "" {
					d.Device.Form = inventory.Some(tt.form)
				}
			})
			a, err := assess.Run(rel, d)
			expect.NoError(t, err)
			f := a.Document(now, "").Findings[0]
			expect.Same(t, "the outcome", f.Outcome, tt.outcome)
			if tt.says != "" {
				expect.Contains(t, f.Reason+" "+f.Distance, tt.says)
			}
			if tt.not != "" {
				expect.Lacks(t, f.Reason+" "+f.Distance, tt.not)
			}
			expect.Contains(t, f.Needs, "where its row says “in laptops only”: form: laptop")
		})
	}
	for name, tt := range map[string]struct{ was, is, wrong string }{
		"no such condition": {"8130U,laptop", "8130U,laptops", `names a condition "laptops" that does not exist; did you mean "laptop"?`},
	} {
		t.Run(name, func(t *testing.T) {
			changed := strings.Replace(rows, tt.was, tt.is, 1)
			_, err := release.Read(
				"tern-3.yaml",
				[]byte(conditional),
				func(string) ([]byte, error) { return []byte(changed), nil },
			)
			expect.Error(t, err, tt.wrong)
		})
	}
	_, err = release.Read("tern-3.yaml", []byte(strings.Replace(conditional, "id: big", "id: laptop", 1)), files)
	expect.Error(t, err, "appears twice")
}
