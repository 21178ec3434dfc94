package fleet

import (
	"slices"
	"strings"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
)

// Selection is machines that a filter picked. It is good until the index is
// changed.
type Selection struct {
	x  *Index
	at []int32
}

// Each calls f with every one of them, in no order. f must not keep the row.
func (s Selection) Each(f func(*Row)) {
	for _, at := range s.at {
		f(&s.x.rows[at])
	}
}

// EachByName calls f with every one of them, in the order of their names. f must not keep the row.
func (s Selection) EachByName(f func(*Row)) {
	picked := make([]bool, len(s.x.rows))
	for _, at := range s.at {
		picked[at] = true
	}
	for _, at := range s.x.order {
		if picked[at] {
			f(&s.x.rows[at])
		}
	}
}

// Among are those that another filter picks, too. Machines out of use are among them where the selection has them.
func (s Selection) Among(f Filter) Selection {
	out := Selection{x: s.x}
	tests := s.x.tests(&f)
	for _, at := range s.at {
		if passes(tests, at) {
			out.at = append(out.at, at)
		}
	}
	return out
}

// Any says that another filter picks one of them.
func (s Selection) Any(f Filter) bool {
	tests := s.x.tests(&f)
	return slices.ContainsFunc(s.at, func(at int32) bool { return passes(tests, at) })
}

func passes(tests []pick, at int32) bool {
	for _, t := range tests {
		if !t(at) {
			return false
		}
	}
	return true
}

// Row is the machine of a number if it is one of them; otherwise nil. It must not be kept.
func (s Selection) Row(id int64) *Row {
	at, ok := s.x.at[id]
	if !ok {
		return nil
	}
	if _, ok := slices.BinarySearch(s.at, at); !ok {
		return nil
	}
	return &s.x.rows[at]
}

// Planned are machines of a selection that have the same plan and disposition.
type Planned struct {
	Plan        string
	Disposition remedy.Disposition
	Machines    []int64
}

// Plans groups the machines that were judged by their plans.
func (s Selection) Plans() []Planned {
	type key struct {
		plan uint32
		of   remedy.Disposition
	}
	at := map[key]int{}
	var out []Planned
	codes := &s.x.texts[textPlan]
	for _, i := range s.at {
		r := &s.x.rows[i]
		if !r.Judged {
			continue
		}
		k := key{codes.codes[i], r.Disposition}
		n, ok := at[k]
		if !ok {
			n = len(out)
			at[k], out = n, append(out, Planned{Plan: r.Plan, Disposition: r.Disposition})
		}
		out[n].Machines = append(out[n].Machines, r.ID)
	}
	return out
}

// Len is how many they are.
func (s Selection) Len() int { return len(s.at) }

// Select picks machines.
func (x *Index) Select(f Filter) Selection {
	s := Selection{x, make([]int32, 0, len(x.rows))}
	tests := x.tests(&f)
	if !f.Has("retired") {
		tests = append(tests, func(at int32) bool { return !x.gone[at] })
	}
	for at := range int32(len(x.rows)) {
		if passes(tests, at) {
			s.at = append(s.at, at)
		}
	}
	return s
}

// tests are what a machine must all pass.
func (x *Index) tests(f *Filter) []pick {
	switch {
	case f.root == nil:
		return nil
	case f.root.join == every:
		return x.each(f.root.parts, f)
	}
	return []pick{x.part(f.root, f)}
}

func (x *Index) each(parts []*node, f *Filter) []pick {
	out := make([]pick, len(parts), len(parts)+1)
	for i, p := range parts {
		out[i] = x.part(p, f)
	}
	return out
}

// part makes the test of a part of a filter.
func (x *Index) part(n *node, f *Filter) pick {
	if n.term != nil {
		test := x.test(n.term, f)
		if n.term.op == "!=" && n.term.def == nil {
			return func(at int32) bool { return !test(at) }
		}
		return test
	}
	parts := x.each(n.parts, f)
	switch n.join {
	case not:
		return func(at int32) bool { return !parts[0](at) }
	case some:
		return func(at int32) bool { return slices.ContainsFunc(parts, func(p pick) bool { return p(at) }) }
	}
	return func(at int32) bool { return !slices.ContainsFunc(parts, func(p pick) bool { return !p(at) }) }
}

// by makes a test of a column: the question is asked once for each value.
func (c *column) by(ask func(fact.Value) bool) func(int32) bool {
	yes := make([]bool, len(c.values))
	for i, v := range c.values {
		yes[i] = i > 0 && ask(v)
	}
	return func(at int32) bool { return int(at) < len(c.codes) && yes[c.codes[at]] }
}

// test makes the test of a term.
func (x *Index) test(t *term, f *Filter) func(int32) bool {
	if t.key == "" {
		return x.word(t.values[0], f.found[externalKey(fact.DeviceSerial.Def().Name, t.values[0])])
	}
	if t.def != nil && t.def.ID == fact.DeviceName {
		return func(at int32) bool {
			return (t.op != "!=") == slices.ContainsFunc(t.wanted,
				func(v fact.Value) bool { return matches(x.rows[at].Name, v.Text()) })
		}
	}
	if t.def != nil && identifying[t.def.ID] {
		return func(at int32) bool {
			return (t.op != "!=") == slices.ContainsFunc(t.wanted,
				func(v fact.Value) bool { return f.found[externalKey(t.def.Name, v.Text())][x.ids[at]] })
		}
	}
	if t.def != nil {
		c := x.facts[t.def.ID]
		if c == nil {
			return func(int32) bool { return false }
		}
		return c.by(func(v fact.Value) bool {
			if t.op == "!=" {
				return !slices.ContainsFunc(t.wanted, func(w fact.Value) bool { return t.holds(v, w) })
			}
			return slices.ContainsFunc(t.wanted, func(w fact.Value) bool { return t.holds(v, w) })
		})
	}
	return byName[t.key].test(x, t, f)
}

// yesNo picks machines by yes and no.
func yesNo(values []string, ask func(int32) bool) func(int32) bool {
	return func(at int32) bool {
		got := ask(at)
		return slices.ContainsFunc(values, func(v string) bool { return got == (v == yes) })
	}
}

// editionAt is the edition of the system of a machine, with its code; 0 and "" where it is unknown.
func (x *Index) editionAt(at int32) (code uint32, name string) {
	c := x.facts[fact.OSEdition]
	if c == nil || int(at) >= len(c.codes) {
		return 0, ""
	}
	code = c.codes[at]
	return code, c.values[code].Text()
}

func dispositions(names []string) (of [remedy.Undetermined + 1]bool) {
	for _, n := range names {
		if d, ok := remedy.DispositionOf(n); ok {
			of[d] = true
		}
	}
	return of
}

// holds compares a machine's value with a wanted one.
func (t *term) holds(v, w fact.Value) bool {
	switch {
	case t.op == ">=":
		return v.Compare(w) >= 0
	case t.op == ">":
		return v.Compare(w) > 0
	case t.op == "<=":
		return v.Compare(w) <= 0
	case t.op == "<":
		return v.Compare(w) < 0
	case v.Kind() == fact.Set:
		return slices.ContainsFunc(v.Set(), func(s string) bool { return matches(s, w.Set()[0]) })
	case w.Kind() == fact.Text:
		return matches(v.Text(), w.Text())
	}
	return v.Equal(w)
}

// word picks machines whose texts contain it, whose asset tag it is, and those that it
// was found to name.
func (x *Index) word(word string, named map[int64]bool) func(int32) bool {
	contains := strings.Contains // of a text in lower case
	if strings.Contains(word, anything) {
		contains = func(text, word string) bool { return matches(text, anything+word+anything) }
	}
	tagged := func(int32) bool { return false }
	if c := x.facts[fact.DeviceAssetTag]; c != nil {
		tagged = c.by(func(v fact.Value) bool { return matches(v.Text(), word) })
	}
	var texts [searched]func(int32) bool
	for i := range texts {
		texts[i] = x.texts[i].by(func(v fact.Value) bool { return contains(strings.ToLower(v.Text()), word) })
	}
	return func(at int32) bool {
		for _, t := range texts {
			if t(at) {
				return true
			}
		}
		return contains(x.names[at], word) || tagged(at) || named[x.ids[at]]
	}
}

// outcome picks machines with a letter at one of some requirements.
func (x *Index) outcome(requirements []string, letter byte) func(int32) bool {
	sites := map[*release.Release][]int{}
	return func(at int32) bool {
		r := &x.rows[at]
		if r.Release == nil {
			return false
		}
		where, known := sites[r.Release]
		if !known {
			for i := range r.Release.Requirements {
				if slices.Contains(requirements, r.Release.Requirements[i].ID) {
					where = append(where, i)
				}
			}
			sites[r.Release] = where
		}
		return slices.ContainsFunc(where, func(i int) bool { return i < len(r.Outcomes) && r.Outcomes[i] == letter })
	}
}

// letters gives the letter of a machine at a requirement; 'n' where it has none.
func (x *Index) letters(id string) func(int32) byte {
	sites := map[*release.Release]int{}
	return func(at int32) byte {
		r := &x.rows[at]
		if r.Release == nil {
			return 'n'
		}
		i, known := sites[r.Release]
		if !known {
			i = slices.IndexFunc(r.Release.Requirements, func(q release.Requirement) bool { return q.ID == id })
			sites[r.Release] = i
		}
		if i < 0 || i >= len(r.Outcomes) {
			return 'n'
		}
		return r.Outcomes[i]
	}
}

// missing picks machines of which one of some facts is not known, and that are
// of a class that has it.
func (x *Index) missing(names []string) func(int32) bool {
	return func(at int32) bool {
		return slices.ContainsFunc(names, func(name string) bool {
			def := fact.ByName(name)
			c := x.facts[def.ID]
			return def.Has(x.rows[at].Class) && (c == nil || int(at) >= len(c.codes) || c.codes[at] == 0)
		})
	}
}
