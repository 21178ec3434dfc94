package release

import (
	"slices"
	"strings"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/list"
	"rolltop.example/rolltop/core/need"
)

// Stranger is a name that a document writes in one place only, and that is nearly one that it writes
// elsewhere, or that machines have: probably a slip of the pen, which would match nothing.
type Stranger struct {
	Of   fact.ID // OSEdition, OSName, TitleName or OSLanguage
	Name string
	At   string // where it stands: upgrade[1].edition
	Near string // "" of a language
	// Fleet says that machines have Near, and none has the name; otherwise only the document was compared.
	Fleet bool
}

// Strangers finds the names of editions, releases and titles that probably match nothing. fleet are the
// editions, the names of systems and the languages that machines have, by fact; nil where no fleet is at hand.
func (rel *Release) Strangers(fleet map[fact.ID][]string) []Stranger {
	var out []Stranger
	for _, id := range []fact.ID{fact.OSEdition, fact.OSName, fact.TitleName} {
		all := rel.mentions(id)
		for i := range all {
			m := &all[i]
			has := func(name string) bool { return strings.EqualFold(name, m.name) }
			if slices.ContainsFunc(fleet[id], has) || m.defines {
				continue
			}
			var others []string
			twice := false
			for j := range all {
				switch {
				case j != i && has(all[j].name):
					twice = true
				case j != i:
					others = append(others, all[j].name)
				}
			}
			near := nearest(m.name, fleet[id])
			known := near != ""
			if near == "" && !twice {
				near = nearest(m.name, others)
			}
			if near != "" {
				out = append(out, Stranger{id, m.name, m.at, near, known})
			}
		}
	}
	return append(out, rel.languagesNobodyHas(fleet[fact.OSLanguage])...)
}

// languagesNobodyHas are the languages of the document that no machine has, each once; none where nothing is known
// of the machines' languages.
func (rel *Release) languagesNobodyHas(has []string) []Stranger {
	var out []Stranger
	if len(has) == 0 {
		return nil
	}
	look := func(at *doc.Node, tags ...string) {
		for _, tag := range tags {
			known := tag == "" || slices.ContainsFunc(has, func(h string) bool { return LanguageIn(h, tag) }) ||
				slices.ContainsFunc(out, func(x Stranger) bool { return strings.EqualFold(x.Name, tag) })
			if !known {
				out = append(out, Stranger{Of: fact.OSLanguage, Name: tag, At: at.Path(), Fleet: true})
			}
		}
	}
	ways := rel.Upgrade
	for i := range rel.Interim {
		ways = append(slices.Clip(ways), rel.Interim[i].Upgrade...)
	}
	for i := range ways {
		look(ways[i].Node.Of("language"), ways[i].Language...)
	}
	for _, packages := range rel.allPackages() {
		for i := range packages {
			look(packages[i].Node.Of("language"), packages[i].Language)
		}
	}
	return out
}

// allPackages are the packages of the target, and of each intermediate release.
func (rel *Release) allPackages() [][]PackageDoc {
	out := [][]PackageDoc{rel.Packages}
	for i := range rel.Interim {
		out = append(out, rel.Interim[i].Packages)
	}
	return out
}

// nearest is the name that was probably meant; names that differ in a number alone are two names.
func nearest(name string, others []string) string {
	words := func(s string) string {
		return strings.ToLower(strings.Map(func(c rune) rune {
			if c >= '0' && c <= '9' || c == '.' {
				return -1
			}
			return c
		}, s))
	}
	different := slices.DeleteFunc(slices.Clone(others), func(o string) bool { return words(o) == words(name) })
	return doc.Nearest(name, different)
}

// mention is a name with the place where it stands.
type mention struct {
	name, at string
	defines  bool // the place is where the name comes from
}

// mentions are the editions, the names of systems, or the titles that the document writes.
func (rel *Release) mentions(id fact.ID) []mention {
	if id == fact.TitleName {
		return rel.titleMentions()
	}
	var out []mention
	add := func(at *doc.Node, names ...string) {
		for _, n := range names {
			if n != "" {
				out = append(out, mention{name: n, at: at.Path()})
			}
		}
	}
	sources := func(docs []SourceDoc) {
		for i := range docs {
			if id == fact.OSEdition {
				add(docs[i].Node.Of("edition"), docs[i].Edition...)
			} else {
				add(docs[i].Node.Of("from"), docs[i].From)
			}
		}
	}
	sources(rel.Upgrade)
	for i := range rel.Interim {
		sources(rel.Interim[i].Upgrade)
		if id == fact.OSName {
			add(rel.Interim[i].Node.Of("name"), rel.Interim[i].Name)
		}
	}
	for i := range rel.Support {
		if id == fact.OSEdition {
			add(rel.Support[i].Node.Of("edition"), rel.Support[i].Edition)
		} else {
			add(rel.Support[i].Node.Of("release"), rel.Support[i].Release)
		}
	}
	if id == fact.OSEdition {
		editions := rel.Editions
		for i := range rel.Interim {
			editions = append(slices.Clip(editions), rel.Interim[i].Editions...)
		}
		for i := range editions {
			add(editions[i].Node.Of("from"), editions[i].From...)
		}
		for _, packages := range rel.allPackages() {
			for i := range packages {
				add(packages[i].Node.Of("edition"), packages[i].Edition)
			}
		}
	} else {
		add(rel.Node.Of("name"), rel.Name)
	}
	return append(out, rel.needMentions(id)...)
}

// needMentions are the names that needs of requirements compare a fact with.
func (rel *Release) needMentions(id fact.ID) []mention {
	var out []mention
	for i := range rel.Requirements {
		q := &rel.Requirements[i]
		for _, n := range []need.Need{q.When, q.Need} {
			out = append(out, named(n, id, "the requirement "+q.ID)...)
		}
	}
	return out
}

// named are the names that a need compares a fact with.
func named(n need.Need, id fact.ID, at string) []mention {
	if n == nil {
		return nil
	}
	var out []mention
	for l := range n.Leaves() {
		if l.Fact() != id {
			continue
		}
		switch x := l.(type) {
		case *need.OneOf:
			for _, v := range x.Values {
				out = append(out, mention{name: v.Text(), at: at})
			}
		case *need.BeginsWith:
			for _, text := range x.Texts {
				out = append(out, mention{name: text, at: at})
			}
		}
	}
	return out
}

// titleMentions are the titles that the document writes.
func (rel *Release) titleMentions() []mention {
	var out []mention
	for i := range rel.Software {
		for _, n := range rel.Software[i].Name {
			out = append(out, mention{n, rel.Software[i].Node.Of("name").Path(), true})
		}
	}
	for i := range rel.Endings {
		out = append(out, named(rel.Endings[i].When, fact.TitleName, "what ends, "+rel.Endings[i].ID)...)
	}
	return append(out, rel.needMentions(fact.TitleName)...)
}

// Differ is what two lists of a document state differently of one name.
type Differ struct {
	Name         string
	Of           fact.ID
	A, B         *list.List
	SaysA, SaysB fact.Value
}

// ListsDiffer finds the names of which two lists state different facts. The first list counts.
func (rel *Release) ListsDiffer() []Differ {
	var out []Differ
	for i, a := range rel.Lists {
		for _, b := range rel.Lists[i+1:] {
			if a.Of != b.Of {
				continue
			}
			for k := range b.Rows {
				row := b.Rows[k]
				m := a.Find(row.Name)
				if m.Row == nil {
					continue
				}
				for _, one := range m.Row.Facts {
					for _, other := range row.Facts {
						if one.ID == other.ID && !one.Value.Equal(other.Value) {
							out = append(out, Differ{row.Name, one.ID, a, b, one.Value, other.Value})
						}
					}
				}
			}
		}
	}
	return out
}
