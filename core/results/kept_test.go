package results_test

import (
	"fmt"
	"testing"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/results"
	"rolltop.example/rolltop/internal/expect"
)

// with is an inventory with titles and free space.
func with(free int64, titles ...string) *doc {
	d := &doc{Format: inventory.Format, Software: []inventory.Software{}}
	for _, name := range titles {
		d.Software = append(d.Software, inventory.Software{Name: name, Version: inventory.Some("1")})
	}
	if free > 0 {
		d.Storage.System.FreeBytes = inventory.Some(free)
	}
	return d
}

// Titles and free space are compared by name, whatever the case and the version; nothing is said where a list was not
// read as a whole.
func TestKept(t *testing.T) {
	some := with(0, "Tidebook")
	some.Collector.Titles = []string{"Tidebook"}
	unread := with(0)
	unread.Software, unread.Gaps = nil, []inventory.Gap{{Fact: "software", Cause: inventory.NeedsRights}}
	for _, tt := range []struct {
		name          string
		before, after *doc
		gone, added   []string
		says          string
	}{
		{"all there", with(60e9, "Tidebook", "Counterfoil"), with(40e9, "counterfoil", "Tidebook"), nil, nil,
			"Two titles are still there; free space was 60 GB and is 40 GB."},
		{"one gone, one new", with(0, "Tidebook", "Lampwright"), with(40e9, "Tidebook", "Hawser"),
			[]string{"Lampwright"}, []string{"Hawser"}, "One title is no longer there (Lampwright)."},
		{"some were looked for", some, with(0, "Hawser", "Tidebook 4.0"), nil, nil,
			"Of the titles that were looked for, one title is still there."},
		{"the list was not read", with(0, "Tidebook"), unread, nil, nil,
			"Titles cannot be compared: the later inventory has no list of titles."},
	} {
		t.Run(tt.name, func(t *testing.T) {
			got := results.KeptOf(tt.before, tt.after)
			expect.Same(t, "gone and added", fmt.Sprint(got.Gone, got.Added), fmt.Sprint(tt.gone, tt.added))
			expect.Same(t, "says", got.Says, tt.says)
		})
	}
}
