package work_test

import (
	"fmt"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/expect"
)

// The titles of machines are one application under its name, with what each version takes; what has to
// go first stands first.
func TestApplications(t *testing.T) {
	title := func(name, version, publisher string) inventory.Software {
		s := inventory.Software{Name: name}
		if version != "" {
			s.Version = inventory.Some(version)
		}
		if publisher != "" {
			s.Publisher = inventory.Some(publisher)
		}
		return s
	}
	skerry := coretest.Release(t, "skerry-12")
	a := work.NewApplications("counterfoil")
	for i, titles := range [][]inventory.Software{
		{title("Counterfoil 4.2", "4.2", "Counterfoil Works"), title("Sextant 3.1 (64-bit)", "3.1", "Tallow Works")},
		{title("COUNTERFOIL™ 5.0", "5.0", "Counterfoil Works Ltd."), title("Sextant", "3.2", "")},
		{title("Counterfoil", "", "")},
		{title("Counterfoil Viewer", "1.0", ""), title("Sextant", "3.2", "")},
		nil,
	} {
		a.Add(int64(i), skerry, fact.Read(&inventory.Document{Software: titles}))
	}
	a.Add(9, nil, fact.Read(&inventory.Document{Software: []inventory.Software{title("Sextant", "3.2", "")}}))
	expect.Same(t, "machines whose titles were read", a.Read, 5)
	var got []string
	for _, app := range a.List() {
		line := fmt.Sprintf("%s by %s: %d, %s", app.Name, app.Publisher, app.Machines, app.Takes)
		for _, v := range app.Versions {
			line += fmt.Sprintf("; %s %d %s", v.Version, v.Machines, v.Takes)
		}
		got = append(got, line)
	}
	expect.Same(t, "the applications", strings.Join(got, "\n"),
		"Counterfoil by Counterfoil Works: 3, buy;  1 possible; 4.2 1 buy; 5.0 1 fine\n"+
			"Sextant by Tallow Works: 4, unnamed; 3.1 1 unnamed; 3.2 3 unnamed\n"+
			"Counterfoil Viewer by : 1, unnamed; 1.0 1 unnamed")
	var on []string
	for _, x := range a.On {
		on = append(on, fmt.Sprint(x.Machine, " ", x.Version, " ", x.Takes))
	}
	expect.Same(t, "where it is", strings.Join(on, ", "), "0 4.2 buy, 1 5.0 fine, 2  possible")
}
