package check

import (
	"fmt"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/list"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
)

// Fill fills gaps from what a release knows: from the rows of its lists that the
// machine's processor and model match, which are then their source, and from
// what it knows of installed titles and drivers. A row never overrides a
// reading. The match is that of the processor.
func Fill(rel *release.Release, f *fact.Facts) list.Match {
	if len(rel.Known) > 0 {
		fillKnown(f, &titles, rel.Known, rel.NamesOf)
	}
	if len(rel.KnownDrivers) > 0 {
		fillKnown(f, &drivers, rel.KnownDrivers, nil)
	}
	var part list.Match
	for _, l := range rel.Lists {
		if m, ok := onList(l, f); ok {
			carry(f, &m)
			if l.Of == list.Processors && part.Row == nil {
				part = m
			}
		}
	}
	return part
}

// onList finds the machine's processor or model on a list.
func onList(l *list.List, f *fact.Facts) (list.Match, bool) {
	name := f.Value(fact.ProcessorName)
	if l.Of == list.Models {
		if name = f.Value(fact.DeviceModelID); !name.Known() {
			name = f.Value(fact.DeviceModel)
		}
	}
	if !name.Known() {
		return list.Match{}, false
	}
	return l.Find(name.Text()), true
}

// carry fills gaps from what a row or a rule says of its part.
func carry(f *fact.Facts, m *list.Match) {
	carries, source := m.Carries()
	for i := range carries {
		c := &carries[i]
		if c.ID == fact.ProcessorTPM && f.Guest() {
			continue // a guest has the TPM that its host gives it, not the processor's
		}
		if threads := f.Value(fact.ProcessorThreads); c.ID == fact.ProcessorCores && threads.Known() &&
			threads.Float() < c.Value.Float() {
			continue // a processor has no more cores than threads: the row is of another one, or some are off
		}
		if c.ID == fact.ProcessorFeatures {
			if seen := f.Value(fact.ProcessorFeatures); seen.Known() {
				f.Set(fact.ProcessorFeaturesOff, fact.Items(need.Missing(c.Value.Set(), seen)), source)
			}
		}
		if r := f.Get(c.ID); !r.Value.Known() && len(r.Others()) == 0 {
			f.Set(c.ID, c.Value, source)
		}
	}
}

// known says where the rows of a list go by what a release knows of them.
type known struct {
	group                          fact.Group
	name, publisher, version, code fact.ID
	to                             map[string]fact.ID
	unknown                        fact.ID // rows that nothing is known of
}

var titles = known{fact.Titles, fact.TitleName, fact.TitlePublisher, fact.TitleVersion, fact.TitleCode,
	map[string]fact.ID{
		release.Update:  fact.SoftwareToUpdate,
		release.Buy:     fact.SoftwareToBuy,
		release.Remove:  fact.SoftwareToRemove,
		release.Problem: fact.SoftwareProblems,
	}, fact.SoftwareNotKnown}

var drivers = known{fact.Drivers, fact.DriverDevice, fact.DriverProvider, fact.DriverVersion, 0,
	map[string]fact.ID{
		release.Update:  fact.DriversToUpdate,
		release.Buy:     fact.DriversToUpdate,
		release.Remove:  fact.DriversToRemove,
		release.Problem: fact.DriverProblems,
	}, fact.DriversNotKnown}

// title is what a row has of its title.
func (k *known) title(row fact.View) release.Title {
	t := release.Title{Name: row.Value(k.name), Publisher: row.Value(k.publisher), Version: row.Value(k.version)}
	if k.code != 0 {
		t.Code = row.Value(k.code)
	}
	return t
}

// Titles are the installed titles of a machine, one for each row of its list.
func Titles(f *fact.Facts) []release.Title { return titles.all(f) }

// Drivers are the drivers of a machine, one for each row of its list; their names are those of devices.
func Drivers(f *fact.Facts) []release.Title { return drivers.all(f) }

func (k *known) all(f *fact.Facts) []release.Title {
	out := make([]release.Title, f.Rows(k.group))
	for i := range out {
		out[i] = k.title(f.Row(k.group, i))
	}
	return out
}

// Weights are the weights of the work on the titles and drivers of a machine, by the fact that lists them.
// What only may apply asks for no work yet.
func Weights(rel *release.Release, f *fact.Facts) map[fact.ID]string {
	out := map[fact.ID]string{}
	for _, of := range []struct {
		k       *known
		entries []release.Known
	}{{&titles, rel.Known}, {&drivers, rel.KnownDrivers}} {
		if len(of.entries) == 0 {
			continue
		}
		for _, t := range of.k.all(f) {
			if j := release.Judge(of.entries, f, t); j.Range != nil {
				id := of.k.to[j.Range.Is]
				out[id] = release.Heavier(out[id], j.Range.Work())
			}
		}
	}
	delete(out, 0) // fine
	return out
}

const knownSource = "what the release says of known software and drivers"

// fillKnown sorts the rows of a list by the verdict on them. What an incomplete
// list holds is there, and what it does not hold is not known.
func fillKnown(f *fact.Facts, k *known, entries []release.Known, names map[string][]string) {
	complete := f.Value(k.group.List()).Known()
	var sets [fact.Count][]string
	var open [fact.Count]*inventory.Gap // where a title may belong of which something is unknown
	for i := range f.Rows(k.group) {
		row := f.Row(k.group, i)
		title := k.title(row)
		j := release.Judge(entries, f, title)
		id := k.unknown
		switch {
		case j.Range != nil:
			id = k.to[j.Range.Is] // 0: fine
		case len(j.Maybe) > 0:
			id = 0
			gap := k.gap(i, row, &j)
			for _, r := range j.Maybe {
				open[k.to[r.Is]] = gap // 0, which is fine, is not asked for
			}
			if j.Missing == release.MissingPublisher {
				open[k.unknown] = gap // it may be another title of that name
			}
		}
		if id != 0 {
			sets[id] = append(sets[id], title.String())
		}
	}
	unread := f.Get(k.group.List()).Gap
	for is, id := range k.to {
		// Where only some titles were read, those that matter here may all be among them.
		whole := complete || f.AskedFor(names[is])
		whole = whole || len(entries) > 0 && k.group == fact.Titles && len(names[is]) == 0
		gap := unread
		if whole && open[id] != nil {
			gap = open[id]
		}
		f.SetList(id, sets[id], whole && open[id] == nil, gap, knownSource)
	}
	gap := unread
	if complete && open[k.unknown] != nil {
		gap = open[k.unknown]
	}
	f.SetList(k.unknown, sets[k.unknown], complete && open[k.unknown] == nil, gap, knownSource)
}

// gap says what is missing to say what the release says of a row.
func (k *known) gap(i int, row fact.View, j *release.Judged) *inventory.Gap {
	title := k.title(row).String()
	at := fmt.Sprintf("%s[%d]", k.group.List().Def().Name, i)
	g := &inventory.Gap{Fact: k.version.Def().Name, Cause: inventory.NotOffered}
	switch j.Missing {
	case release.MissingPublisher:
		g.Fact = k.publisher.Def().Name
		g.Detail = fmt.Sprintf("%s is by %s; the release means the title of %s", title,
			row.Value(k.publisher).Text(), j.Named)
		g.Try = "if both are the same, enter the publisher as the release names it: " + at + ".publisher"
	case release.MissingFact:
		g.Detail = "whether what the release says of " + title + " applies to this machine is unknown"
		g.Try = "enter the facts that the release names in its condition"
	default:
		g.Detail = "the version of " + title + " is unknown"
		g.Try = "enter the version by hand: " + at + ".version"
	}
	return g
}
