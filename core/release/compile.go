package release

import (
	"encoding/hex"
	"fmt"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/list"
	"rolltop.example/rolltop/core/need"
)

// compiler checks a document and makes it ready.
type compiler struct {
	*Release
	lists map[string]*need.List
	r     *doc.Report
}

func compile(d *Document, r *doc.Report) *Release {
	c := &compiler{&Release{Document: d}, map[string]*need.List{}, r}
	c.id(d.Node.Of("id"), d.ID, map[string]bool{})
	if v := d.Version; v != "" && (v[0] < '0' || v[0] > '9') {
		r.Add(d.Node.Of("version"), fmt.Sprintf("%q is not a version", v),
			"write the version that the release reports of itself, in quotes: \"12.0\"")
	}
	conditions := c.conditions()
	seen := map[string]bool{}
	for i := range d.Lists {
		c.id(d.Lists[i].Node.Of("id"), d.Lists[i].ID, seen)
		if !d.Lists[i].Node.Has("file") || len(d.Lists[i].Rows) > 0 || len(d.Lists[i].Naming) > 0 {
			l := list.Compile(&d.Lists[i], r)
			c.Lists = append(c.Lists, l)
			c.lists[l.ID] = &need.List{List: l, Only: c.asked(l, &d.Lists[i], conditions)}
		} else { // its file is missing or has mistakes, and that has been said
			c.lists[d.Lists[i].ID] = &need.List{List: &list.List{ID: d.Lists[i].ID, Of: d.Lists[i].Of}}
		}
	}
	if len(d.Requirements) == 0 && d.Node.Has("requirements") {
		r.Add(d.Node.Of("requirements"), "there are no requirements",
			"a release without any would find every machine ready")
	}
	c.pages()
	seen = map[string]bool{}
	c.requirements(d.Requirements, nil, seen)
	c.interims(seen)
	c.ways = c.sources(d.Upgrade)
	c.circles()
	c.known()
	c.contradictions()
	c.rest()
	return c.Release
}

// conditions compiles the conditions that rows of lists may name.
func (c *compiler) conditions() []need.Only {
	seen := map[string]bool{}
	var out []need.Only
	for i := range c.Document.Conditions {
		d := &c.Document.Conditions[i]
		c.id(d.Node.Of("id"), d.ID, seen)
		if n := c.need(&d.Need); n != nil {
			out = append(out, need.Only{ID: d.ID, Says: d.Says, Need: n})
		}
	}
	return out
}

// asked are the conditions that rows of a list name. A row that names another one is refused.
func (c *compiler) asked(l *list.List, d *list.Document, conditions []need.Only) []need.Only {
	var ids []string
	for _, one := range conditions {
		ids = append(ids, one.ID)
	}
	used := map[string]bool{}
	for i := range d.Rows {
		row := &d.Rows[i]
		if row.Only == "" {
			continue
		}
		if used[row.Only] = true; !slices.Contains(ids, row.Only) {
			right := "describe it below conditions, with its id, what it says and its need"
			if len(ids) > 0 {
				right = doc.Suggest(row.Only, ids)
			}
			c.r.Add(row.Node, fmt.Sprintf("the row %s of the list %s names a condition %q that does not exist",
				row.Name, l.ID, row.Only), right)
		}
	}
	return slices.DeleteFunc(slices.Clone(conditions), func(one need.Only) bool { return !used[one.ID] })
}

func (c *compiler) id(at *doc.Node, id string, seen map[string]bool) {
	switch {
	case id == "" && at != nil && at.Kind == doc.Map: // that the key is missing has been said
	case !ValidID(id):
		c.r.Add(at, fmt.Sprintf("%q cannot be an id", id), "use lower-case letters, digits and hyphens, 64 at most")
	case seen[id]:
		c.r.Add(at, fmt.Sprintf("the id %q appears twice", id), "ids are named in results; give each its own")
	}
	seen[id] = true
}

func (c *compiler) requirements(docs []RequirementDoc, interim *Interim, seen map[string]bool) {
	for i := range docs {
		q := c.requirement(&docs[i], seen)
		q.Interim = interim
		c.Release.Requirements = append(c.Release.Requirements, q)
	}
}

func (c *compiler) requirement(d *RequirementDoc, seen map[string]bool) Requirement {
	c.id(d.Node.Of("id"), d.ID, seen)
	q := Requirement{
		ID:          d.ID,
		Title:       d.Title,
		Level:       d.Level,
		Consequence: d.Consequence,
		AskedBy:     d.AskedBy,
		Feature:     d.Feature,
		Reason:      d.Reason,
	}
	if q.AskedBy == "" {
		q.AskedBy = Publisher
	}
	if d.Level == Must && d.Consequence == "" {
		c.r.Add(d.Node, "a must says what follows if it is not met",
			"give consequence: will-not-start, installer-refuses, unsupported or works-less-well")
	}
	if (d.Level == Feature) != (d.Feature != "") {
		c.r.Add(d.Node, "the level feature names its feature, and no other level does",
			"give feature with level: feature")
	}
	if d.Node.Has("need") {
		q.Need = need.Compile(&d.Need, c.lists, c.r)
		c.matchable(&d.Need, q.Need)
		if d.Attested != "" {
			q.Need = c.attested(d, q.Need)
		}
	}
	q.When, q.Advised, q.Quote = c.need(d.When), c.need(d.Advised), c.quote(d.Quote)
	return q
}

// attested asks for a need's facts to be attested, which only some can be.
func (c *compiler) attested(d *RequirementDoc, n need.Need) need.Need {
	if n == nil {
		return nil
	}
	for _, id := range need.Facts(n) {
		if !id.Attestable() {
			c.r.Add(d.Node.Of("attested"), fmt.Sprintf("a TPM cannot attest %s", id),
				"it attests "+strings.Join(fact.AttestableNames(), ", "))
			return n
		}
	}
	return need.Attested(n)
}

func (c *compiler) need(d *need.Document) need.Need {
	if d == nil {
		return nil
	}
	return need.Compile(d, c.lists, c.r)
}

// matchable refuses a comparison with a list that no machine of the class can
// be on.
func (c *compiler) matchable(d *need.Document, n need.Need) {
	if n == nil {
		return
	}
	for l := range n.Leaves() {
		on, ok := l.(*need.Listed)
		if ok && !l.Fact().Def().Has(c.InstallsOn) {
			c.r.Add(d.Node, fmt.Sprintf("the list %q matches nothing: hardware of the class %s has no %s", on.List.ID,
				c.InstallsOn, l.Fact()), "compare it with a fact that this hardware has")
		}
	}
}

func (c *compiler) interims(seen map[string]bool) {
	ids := map[string]bool{}
	for i := range c.Interim {
		d := &c.Interim[i]
		c.id(d.Node.Of("id"), d.ID, ids)
		x := &Interim{InterimDoc: d}
		c.Interims = append(c.Interims, x)
		c.requirements(d.Requirements, x, seen)
		c.delivered(d.Editions, d.Packages)
	}
	for _, x := range c.Interims {
		x.ways = c.sources(x.Upgrade)
	}
}

func (c *compiler) sources(docs []SourceDoc) []way {
	out := make([]way, len(docs))
	for i := range docs {
		s := &docs[i]
		out[i].SourceDoc, out[i].when = s, c.need(s.When)
		switch {
		case (s.Way == ByInterim) != (s.Through != ""):
			c.r.Add(s.Node, "the way interim names the intermediate release, and no other way does",
				"give through with way: interim")
		case s.Through != "":
			at := slices.IndexFunc(c.Interims, func(x *Interim) bool { return x.ID == s.Through })
			if at < 0 {
				c.r.Add(s.Node.Of("through"), fmt.Sprintf("there is no intermediate release %q in this document",
					s.Through),
					c.orInterims(s.Through))
				continue
			}
			out[i].through = c.Interims[at]
			out[i].alone = c.Interims[at : at+1 : at+1]
		}
		c.versionRange(s)
		for j, tag := range s.Language {
			if wrong, right := languageTag(tag); wrong != "" {
				c.r.Add(s.Node.Of("language").Items[j], wrong, right)
			}
		}
		for j, k := range s.Keeps {
			if !slices.Contains(kept, k) {
				c.r.Add(s.Node.Of("keeps").Items[j], fmt.Sprintf("%q is nothing that a way keeps", k),
					doc.Suggest(k, kept))
			}
		}
	}
	return out
}

// versionRange refuses limits that leave no version.
func (c *compiler) versionRange(s *SourceDoc) {
	switch {
	case s.AtMost != "" && s.Below != "":
		c.r.Add(s.Node, "the way has at_most and below", "keep one: below is the first version that is not included")
	case s.AtLeast != "" && s.AtMost != "" && fact.CompareVersions(s.AtLeast, s.AtMost) > 0:
		c.r.Add(s.Node, fmt.Sprintf("at least %s and at most %s leave no version", s.AtLeast, s.AtMost),
			"turn the two round")
	case s.AtLeast != "" && s.Below != "" && fact.CompareVersions(s.AtLeast, s.Below) >= 0:
		c.r.Add(s.Node, fmt.Sprintf("at least %s and below %s leave no version", s.AtLeast, s.Below),
			"turn the two round; below is the first version that is not included")
	}
}

func (c *compiler) orInterims(id string) string {
	var ids []string
	for _, x := range c.Interims {
		if x.ID != "" {
			ids = append(ids, x.ID)
		}
	}
	if len(ids) == 0 {
		return "describe it below interim, with its id, name and requirements"
	}
	return doc.Suggest(id, ids)
}

// circles refuses intermediate releases that lead back to themselves.
func (c *compiler) circles() {
	var walk func(x *Interim, path []*Interim) bool
	walk = func(x *Interim, path []*Interim) bool {
		if slices.Contains(path, x) || len(path) > maxInterim {
			return true
		}
		return slices.ContainsFunc(x.ways,
			func(w way) bool { return w.through != nil && walk(w.through, append(path, x)) })
	}
	for _, x := range c.Interims {
		if walk(x, nil) {
			c.r.Add(x.Node.Of("upgrade"), fmt.Sprintf("the way to %s goes in a circle", x.ID),
				"an intermediate release is reached in place, or through another that does not lead back")
			return
		}
	}
}

// known compiles what is known of titles and drivers.
func (c *compiler) known() {
	compileKnown := func(docs []KnownDoc) []Known {
		var out []Known
		seen := map[string]*KnownDoc{}
		for i := range docs {
			d := &docs[i]
			if len(d.Name) == 0 {
				c.r.Add(d.Node.Of("name"), "the entry has no name", "give one name at least")
			}
			for _, n := range d.Name {
				key := strings.ToLower(n) + "\n" + strings.Join(publisherWords(d.Publisher), " ")
				if strings.TrimSpace(n) == "" {
					c.r.Add(d.Node.Of("name"), "a name is empty", "it would mean every title")
				} else if seen[key] != nil {
					c.r.Add(d.Node.Of("name"), fmt.Sprintf("%q stands in two entries", n), "put its versions into one")
				}
				seen[key] = d
			}
			for j, code := range d.Code {
				key := "\n" + strings.ToLower(code)
				if strings.TrimSpace(code) == "" || seen[key] != nil {
					c.r.Add(d.Node.Of("code").Items[j],
						fmt.Sprintf("the product code %q is empty or appears twice", code),
						"a product code means one application")
				}
				seen[key] = d
			}
			c.ranges(d)
			k := Known{KnownDoc: d, When: make([]need.Need, len(d.Versions))}
			for j := range d.Versions {
				k.When[j] = c.need(d.Versions[j].When)
			}
			out = append(out, k)
		}
		return out
	}
	c.Known, c.KnownDrivers = compileKnown(c.Software), compileKnown(c.Drivers)
}

// ranges refuses versions that two ranges mean.
func (c *compiler) ranges(d *KnownDoc) {
	if len(d.Versions) == 0 {
		c.r.Add(d.Node.Of("versions"), "nothing is said of any version",
			"give one range at least; without at_least and below it means all versions")
	}
	for i := range d.Versions {
		v := &d.Versions[i]
		if v.AtLeast != "" && v.Below != "" && fact.CompareVersions(v.AtLeast, v.Below) >= 0 {
			c.r.Add(v.Node, fmt.Sprintf("no version is at least %s and below %s", v.AtLeast, v.Below),
				"turn the two round; below is the first version that is not meant")
		}
		if v.Is == Fine && (v.Weight != "" || v.Cure != "" || v.Cost != "" || v.Decides != "") {
			c.r.Add(v.Node, "versions that are fine ask for no work", "take out weight, cure, cost and decides")
		}
		for j := range i {
			if w := &d.Versions[j]; v.When == nil && w.When == nil && overlap(v, w) {
				c.r.Add(v.Node, "two ranges mean the same versions", "below of the one is at_least of the next")
			}
		}
	}
}

func overlap(a, b *RangeDoc) bool {
	under := func(x, y *RangeDoc) bool {
		return x.Below == "" || y.AtLeast == "" || fact.CompareVersions(y.AtLeast, x.Below) < 0
	}
	return under(a, b) && under(b, a)
}

// derived are the facts that only a release's own knowledge gives a value.
var derived = map[fact.ID]string{
	fact.SoftwareToUpdate: "software",
	fact.SoftwareToBuy:    "software",
	fact.SoftwareToRemove: "software",
	fact.SoftwareProblems: "software",
	fact.SoftwareNotKnown: "software",
	fact.DriversToUpdate:  "drivers",
	fact.DriversToRemove:  "drivers",
	fact.DriverProblems:   "drivers",
}

// rest compiles what stands by itself: stages, editions, packages, preparation.
func (c *compiler) rest() {
	for i := range c.Document.Requirements {
		d := &c.Document.Requirements[i]
		if n := c.Release.Requirements[i].Need; n != nil {
			for l := range n.Leaves() {
				if section := derived[l.Fact()]; section != "" && !c.Node.Has(section) {
					c.r.Add(d.Node.Of("need"),
						fmt.Sprintf("%s comes from the section %s, which the document does not have", l.Fact(),
							section), "say there what is known of which versions")
				}
			}
		}
	}
	if c.Follows != "" && (!ValidID(c.Follows) || c.Follows == c.ID) {
		c.r.Add(c.Node.Of("follows"), fmt.Sprintf("%q cannot be the release before %s", c.Follows, c.ID),
			"give the id of another release")
	}
	for i := range c.Offered {
		d := &c.Offered[i]
		c.Stages = append(c.Stages, Stage{d, c.need(d.When)})
	}
	for i := range c.Support {
		s := &c.Support[i]
		switch {
		case !s.Extended.IsZero() && !s.Extended.After(s.Ends):
			c.r.Add(s.Node.Of("extended"), "extended support ends before support does", "check both dates")
		case s.Ends.IsZero() && s.NotDecided != "ends":
			c.r.Add(s.Node, "the entry has no last day of support",
				"give ends; if the publisher has not decided it, write not_decided: ends")
		case !s.Ends.IsZero() && s.NotDecided == "ends":
			c.r.Add(s.Node.Of("not_decided"), "the entry gives the last day of support and says that it is not decided",
				"keep one of the two")
		case !s.Extended.IsZero() && s.NotDecided == "extended":
			c.r.Add(s.Node.Of("not_decided"),
				"the entry gives the end of extended support and says that it is not decided", "keep one of the two")
		}
	}
	c.editions()
	if d := c.Conversion; d != nil {
		c.Convertible = c.need(&d.Need)
	}
	seen := map[string]bool{}
	for i := range c.Preparation {
		d := &c.Preparation[i]
		c.id(d.Node.Of("id"), d.ID, seen)
		c.Prepare = append(c.Prepare, Preparation{d, c.need(d.When), c.need(d.Need)})
	}
	seen = map[string]bool{}
	for i := range c.Ends {
		d := &c.Ends[i]
		c.id(d.Node.Of("id"), d.ID, seen)
		c.Endings = append(c.Endings, End{d, c.need(d.When)})
	}
}

func (c *compiler) editions() { c.delivered(c.Editions, c.Packages) }

// delivered refuses editions that become two, and packages that no machine or one machine twice gets.
func (c *compiler) delivered(editions []EditionDoc, packages []PackageDoc) {
	from, to := map[string]bool{}, []string{}
	for i := range editions {
		e := &editions[i]
		to = append(to, e.To)
		for j, name := range e.From {
			if from[strings.ToLower(name)] {
				c.r.Add(e.Node.Of("from").Items[j], fmt.Sprintf("the edition %q becomes two", name), "keep one of them")
			}
			from[strings.ToLower(name)] = true
		}
	}
	seen, same := map[string]bool{}, map[[4]string]string{}
	for i := range packages {
		p := &packages[i]
		c.id(p.Node.Of("id"), p.ID, seen)
		if b, err := hex.DecodeString(p.SHA256); p.SHA256 != "" && (err != nil || len(b) != 32) {
			c.r.Add(p.Node.Of("sha256"), "this is no SHA-256 checksum",
				"64 hexadecimal digits, as sha256sum prints them")
		}
		if p.Edition != "" && len(to) > 0 && !slices.Contains(to, p.Edition) {
			c.r.Add(p.Node.Of("edition"), fmt.Sprintf("no installed edition becomes %q", p.Edition),
				doc.Suggest(p.Edition, to))
		}
		if wrong, right := languageTag(p.Language); p.Language != "" && wrong != "" {
			c.r.Add(p.Node.Of("language"), wrong, right)
		}
		key := [4]string{strings.ToLower(p.Edition), p.Architecture, strings.ToLower(p.Language), p.Way}
		if other := same[key]; other != "" {
			c.r.Add(p.Node, fmt.Sprintf("the packages %s and %s are for the same machines", other, p.ID),
				"a machine gets one package; say by edition, architecture, language or way which")
		}
		same[key] = p.ID
	}
}

// contradictions refuses musts that no machine can meet together.
func (c *compiler) contradictions() {
	type bound struct {
		least, most fact.Value
		low, high   string
	}
	bounds := map[fact.ID]*bound{}
	one := map[fact.ID][]fact.Value{}
	by := map[fact.ID]string{}
	for i := range c.Document.Requirements {
		q := &c.Release.Requirements[i]
		if q.Level != Must || q.When != nil || q.Need == nil {
			continue
		}
		d := &c.Document.Requirements[i]
		for l := range need.Demands(q.Need) {
			id := l.Fact()
			b := bounds[id]
			if b == nil {
				b = &bound{}
				bounds[id] = b
			}
			switch x := l.(type) {
			case *need.AtLeast:
				if !b.least.Known() || x.Limit.Compare(b.least) > 0 {
					b.least, b.low = x.Limit, q.ID
				}
			case *need.AtMost:
				if !b.most.Known() || x.Limit.Compare(b.most) < 0 {
					b.most, b.high = x.Limit, q.ID
				}
			case *need.OneOf:
				left := x.Values
				if before, ok := one[id]; ok {
					left = slices.DeleteFunc(slices.Clone(before),
						func(v fact.Value) bool { return !slices.ContainsFunc(x.Values, v.Equal) })
				}
				if len(left) == 0 && len(x.Values) > 0 {
					c.r.Add(d.Node, fmt.Sprintf("%s and %s contradict each other on %s: no value meets both", by[id],
						q.ID, id), "give one of them a condition, or take it out")
				}
				one[id], by[id] = left, q.ID
			}
			if b.least.Known() && b.most.Known() && b.least.Compare(b.most) > 0 {
				c.r.Add(d.Node, fmt.Sprintf("%s and %s contradict each other on %s: at least %s and at most %s", b.low,
					b.high, id, b.least.Plain(), b.most.Plain()), "give one of them a condition, or take it out")
				b.most = fact.Value{} // said once
			}
		}
	}
}
