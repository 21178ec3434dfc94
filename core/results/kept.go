package results

import (
	"fmt"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/say"
)

// Kept is what of a machine's content is still there: after an upgrade, or on the machine that takes its place.
type Kept struct {
	Says      string   `json:"says" doc:"In one sentence"`
	Gone      []string `json:"gone,omitempty" doc:"Titles that were installed before and are not now"`
	Added     []string `json:"added,omitempty" doc:"Titles that are installed now and were not before"`
	Unknown   string   `json:"unknown,omitempty" doc:"Why titles cannot be compared"`
	FreeWas   int64    `json:"free_bytes_before,omitempty" doc:"Free space on the system volume before"`
	FreeIs    int64    `json:"free_bytes_after,omitempty" doc:"Free space on the system volume after"`
	TitlesWas int      `json:"titles_before" doc:"Titles before"`
	TitlesIs  int      `json:"titles_after" doc:"Titles after"`
	Some      bool     `json:"some_titles,omitempty" doc:"Only titles that were looked for are compared"`
}

// KeptOf compares the titles and the free space of two inventories. Titles are compared by name: an update is no loss.
// Where an inventory looked for some titles only, these alone are compared.
func KeptOf(before, after *inventory.Document) Kept {
	out := Kept{FreeWas: freeOf(before), FreeIs: freeOf(after)}
	if why := unreadTitles(before, "earlier"); why != "" {
		out.Unknown = why
	} else if why := unreadTitles(after, "later"); why != "" {
		out.Unknown = why
	} else {
		sought := [][]string{before.Collector.Titles, after.Collector.Titles}
		was, is := titlesOf(before, sought), titlesOf(after, sought)
		out.TitlesWas, out.TitlesIs = len(was), len(is)
		out.Gone, out.Added = without(was, is), without(is, was)
		out.Some = len(sought[0])+len(sought[1]) > 0
	}
	out.Says = out.says()
	return out
}

// unreadTitles says why an inventory has no list of titles; "" if it has one.
func unreadTitles(d *inventory.Document, which string) string {
	switch looked := len(d.Collector.Titles) > 0; {
	case d.Software != nil && looked:
		return "" // the gap of the whole list is that only some were looked for
	case d.GapOf("software") != nil, d.Software == nil && !looked: // looked for and none found is a result
		return "the " + which + " inventory has no list of titles"
	}
	return ""
}

// titlesOf are the titles of an inventory that each list of sought titles looks for; an empty list looks for all.
func titlesOf(d *inventory.Document, sought [][]string) []string {
	var out []string
	for i := range d.Software {
		name := need.Stem(d.Software[i].Name)
		if !slices.ContainsFunc(sought, func(list []string) bool { return len(list) > 0 && !looksFor(list, name) }) {
			out = append(out, name)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// looksFor says whether a title is one of those that were looked for.
func looksFor(list []string, title string) bool {
	return slices.ContainsFunc(list, func(name string) bool { return need.Called(title, name) })
}

// without are the names of a list that another one does not have, whatever their case.
func without(list, other []string) []string {
	has := map[string]bool{}
	for _, name := range other {
		has[strings.ToLower(name)] = true
	}
	return slices.DeleteFunc(slices.Clone(list), func(name string) bool { return has[strings.ToLower(name)] })
}

func freeOf(d *inventory.Document) int64 {
	v := fact.Read(d).Value(fact.FreeBytes)
	if !v.Known() {
		return 0
	}
	return int64(v.Float())
}

// says puts it in one sentence.
func (k *Kept) says() string {
	var out []string
	of := ""
	if k.Some {
		of = "of the titles that were looked for, "
	}
	switch {
	case k.Unknown != "":
		out = append(out, "titles cannot be compared: "+k.Unknown)
	case k.TitlesWas == 0:
		out = append(out, of+"none was installed before")
	case len(k.Gone) == 0:
		out = append(out, of+say.Count(k.TitlesWas, "title is still there", "titles are still there"))
	default:
		out = append(out, fmt.Sprintf("%s%s (%s)", of,
			say.Count(len(k.Gone), "title is no longer there", "titles are no longer there"),
			strings.Join(k.Gone[:min(len(k.Gone), 5)], ", ")))
	}
	if k.FreeWas > 0 && k.FreeIs > 0 {
		out = append(out, fmt.Sprintf("free space was %s and is %s", gigabytes(k.FreeWas), gigabytes(k.FreeIs)))
	}
	return say.Sentence(say.Capital(strings.Join(out, "; ")))
}

func gigabytes(n int64) string { return say.Value(fact.FreeBytes.Def(), fact.Num(float64(n))) }
