package assess

import (
	"time"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/list"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
)

func route(v *remedy.Verdict, rel *release.Release) Route {
	return Route{
		Way:     v.Route,
		Through: v.Through,
		Keeps:   v.Keeps,
		Known:   v.RouteKnown,
		Says:    say.Way(v, rel.Name),
		Back:    v.Back,
	}
}

func side(v *remedy.Verdict, rel *release.Release) Side {
	return Side{v.Disposition.String(), say.Certainty(v), say.Answer(v, rel)}
}

// beside fills what stands beside the disposition and is never mixed into it.
func (d *Document) beside(a *Assessment, now time.Time) {
	rel, f := a.Result.Release, a.Result.Facts
	if o := a.Verdict.Other; o != nil {
		d.Other = &OtherRoute{route(o, rel), side(o, rel)}
	}
	d.support(rel, f, now)
	if d.Support != nil {
		d.Support.Not = len(a.Verdict.Unsupported) > 0
		d.Support.Text = d.Support.Sentence()
	}
	// another system has no edition that becomes one of these
	if !a.Verdict.Foreign && a.Verdict.Disposition != remedy.Done {
		d.delivery(rel, f, a.Verdict.Route)
		if a.Verdict.Route == release.ByInterim {
			d.hops(&a.Result.Path, f)
		}
	}
	if f.Class() != fact.Mac {
		d.tpm(a)
	}
	d.Hold = say.Hold(f)
	if o := rel.OfferTo(f, now); o.Known && !f.Planned() && a.Verdict.Disposition != remedy.Done {
		d.Offer = &Offer{Now: o.Now, Says: say.Offer(o, rel.Name, now)}
		if !o.From.IsZero() && (o.Now || o.Maybe == "") {
			d.Offer.From = &o.From
		}
	}
	if rel.Draft {
		d.Warnings = append(d.Warnings,
			"This is a draft of the requirements: it cannot judge the fleet, and it may change.")
	}
	if rel.TestRelease {
		d.Warnings = append(d.Warnings,
			rel.Name+" is a release for testing. Its requirements may still change, and it may be impossible to "+
				"leave it.")
	}
	if slots := f.SlotsTwice(); len(slots) > 0 {
		d.Warnings = append(d.Warnings, say.SlotsTwice(slots))
	}
	d.Warnings = append(d.Warnings, ruleAge(rel.Published, rel.Retrieved, now)...)
	d.Software, d.Strangers = known(f, rel.Known, check.Titles(f))
	d.Drivers, _ = known(f, rel.KnownDrivers, check.Drivers(f))
	for i := range rel.Prepare {
		if a.Verdict.Disposition == remedy.Done {
			break // there is nothing to prepare for
		}
		p := &rel.Prepare[i]
		state, says := say.Prepared(p, f)
		d.Preparation = append(d.Preparation,
			Prepared{ID: p.ID, Title: p.Title, Reason: p.Reason, State: state, Says: says})
	}
}

func (d *Document) support(rel *release.Release, f *fact.Facts, now time.Time) {
	name := f.Value(fact.OSName).Text()
	s := rel.SupportEnds(name, f.Value(fact.OSEdition).Text())
	if s == nil {
		return
	}
	d.Support = &Support{
		Release: name,
		Edition: s.Edition,
		Says:    say.Extended(s, now),
		Source:  s.Source,
	}
	if !s.Ends.IsZero() {
		d.Support.Ends, d.Support.Days = &s.Ends, days(now, s.Ends)
	}
	if !s.Extended.IsZero() {
		d.Support.Extended = &s.Extended
	}
}

// hops says what is installed on the way to the release, in its order.
func (d *Document) hops(path *release.Path, f *fact.Facts) {
	if path.Truth != need.True {
		return
	}
	for _, x := range path.Interim {
		if got := x.Deliver(f); len(x.Packages) > 0 {
			d.Hops = append(d.Hops, *delivered(&got, x.Name, say.HopDelivery(&got, x)))
		}
	}
}

// Delivered says what is installed, release by release, a sentence or two each; nothing of a machine that is replaced.
func (d *Document) Delivered() []string {
	if d.Disposition == remedy.Replace.String() {
		return nil
	}
	var out []string
	for i := range d.Hops {
		out = append(out, d.Hops[i].Says)
	}
	if d.Delivery != nil {
		out = append(out, d.Delivery.Says)
	}
	return out
}

// delivered is what a machine gets as the document has it.
func delivered(got *release.Delivery, name, says string) *Delivery {
	out := &Delivery{Release: name, Edition: got.Edition, Says: says}
	if p := got.Package; p != nil {
		out.Package, out.File, out.SHA256, out.Bytes, out.Before = p.ID, p.File, p.SHA256, p.Bytes, p.Before
	}
	return out
}

func (d *Document) delivery(rel *release.Release, f *fact.Facts, way string) {
	if len(rel.Editions) == 0 && len(rel.Packages) == 0 {
		return
	}
	got := rel.Deliver(f, way)
	d.Delivery = delivered(&got, "", say.Delivery(&got, rel, f))
}

func (d *Document) tpm(a *Assessment) {
	f := a.Result.Facts
	state := a.Inventory.TPM.State.Or("") // announced is a state, too
	t := &TPM{
		State:   state,
		Version: f.Value(fact.TPMVersion).Text(),
		Kind:    f.Value(fact.TPMKind).Text(),
		Says:    say.TPM(f, state),
	}
	switch state {
	case "":
		t.Seen = "not-known"
	case "not-seen":
		built := f.Get(fact.ProcessorTPM)
		t.Seen, t.Likely, t.Source = "no", "not-known", built.Source
		if built.Value.Known() {
			t.Likely = "no"
			if built.Value.Bool() {
				t.Likely = "yes"
			}
		}
	default:
		t.Seen = "yes"
	}
	for _, other := range a.Inventory.TPM.Others {
		t.Says += " " + say.OtherTPM(other.Version.Or(""), other.Kind.Or(""))
	}
	d.TPM = t
}

// known lists the titles that the release knows, and the others by name.
func known(f *fact.Facts, entries []release.Known, titles []release.Title) (out []Known, strangers []string) {
	if len(entries) == 0 {
		return nil, nil
	}
	for _, t := range titles {
		j := release.Judge(entries, f, t)
		if j.Range == nil && j.Maybe == nil {
			strangers = append(strangers, t.String())
			continue
		}
		k := Known{Name: t.Name.Text(), Version: t.Version.Text(), Is: Possible, Says: say.Possible(&j)}
		if v := j.Range; v != nil {
			k.Is, k.Says, k.Note, k.Source = v.Is, say.Known(v.Is), v.Note, v.Source
			k.Weight, k.Cure, k.Cost, k.Decides = v.Work(), v.Cure, v.Cost, v.Decides
			k.Terms = say.Terms(v.Cure, v.Cost, v.Decides)
		}
		out = append(out, k)
	}
	return out, strangers
}

func listMatch(e *check.Evidence) *ListMatch {
	m, l := e.Match, e.Leaf.(*need.Listed).List
	out := &ListMatch{
		List:       l.ID,
		Result:     map[list.Result]string{list.On: "on", list.Off: "off", list.Unread: "not-read"}[m.Result],
		Generation: m.Generation,
		Exception:  m.Excepted,
	}
	if m.Row != nil {
		out.Row = m.Row.Name
	} else if row := l.Nearest(e.Reading.Value.Text()); row != nil && m.Result != list.On {
		out.Nearest = row.Name
	}
	if m.Rule != nil {
		out.Rule = m.Rule.ID
	}
	return out
}

// AddNext adds what the same machine takes for a release that follows.
func (d *Document) AddNext(next *Assessment) {
	n := Next{Release: next.Result.Release.Ref(), Side: side(&next.Verdict, next.Result.Release)}
	here := map[string]string{}
	for _, f := range d.Findings {
		here[f.Title] = f.Outcome
	}
	for i := range next.Result.Findings {
		fd := &next.Result.Findings[i]
		if q := fd.Requirement; q.Level == release.Must && fd.Outcome == check.Fail &&
			here[q.Title] != check.Fail.String() {
			n.Fails = append(n.Fails, q.Title)
		}
	}
	d.Next = append(d.Next, n)
}
