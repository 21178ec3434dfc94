package check

import (
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
	group                    fact.Group
	name, publisher, version fact.ID
	to                       map[string]fact.ID
	unknown                  fact.ID // rows that nothing is known of
	versions                 inventory.Gap
}

var titles = known{fact.Titles, fact.TitleName, fact.TitlePublisher, fact.TitleVersion,
	map[string]fact.ID{
		release.Update:  fact.SoftwareToUpdate,
		release.Buy:     fact.SoftwareToBuy,
		release.Remove:  fact.SoftwareToRemove,
		release.Problem: fact.SoftwareProblems,
	}, fact.SoftwareNotKnown,
	inventory.Gap{
		Fact:   "software.version",
		Cause:  inventory.NotOffered,
		Detail: "the version of a title is unknown",
		Try:    "enter the version by hand: software[0].version for the first title",
	}}

var drivers = known{fact.Drivers, fact.DriverDevice, fact.DriverProvider, fact.DriverVersion,
	map[string]fact.ID{
		release.Update:  fact.DriversToUpdate,
		release.Buy:     fact.DriversToUpdate,
		release.Remove:  fact.DriversToRemove,
		release.Problem: fact.DriverProblems,
	}, fact.DriversNotKnown,
	inventory.Gap{
		Fact:   "drivers.version",
		Cause:  inventory.NotOffered,
		Detail: "the version of a driver is unknown",
		Try:    "enter the version by hand: drivers[0].version for the first driver",
	}}

const knownSource = "what the release says of known software and drivers"

// fillKnown sorts the rows of a list by the verdict on them. What an incomplete
// list holds is there, and what it does not hold is not known.
func fillKnown(f *fact.Facts, k *known, entries []release.Known, names map[string][]string) {
	complete := f.Value(k.group.List()).Known()
	var sets [fact.Count][]string
	var open [fact.Count]bool // where a title may belong whose version is unknown
	for i := range f.Rows(k.group) {
		row := f.Row(k.group, i)
		v := release.Judge(entries, row.Value(k.name), row.Value(k.publisher), row.Value(k.version))
		id := k.unknown
		if v != nil {
			id = k.to[v.Is] // 0: fine
		} else if !row.Value(k.version).Known() {
			for _, r := range release.Versions(entries, row.Value(k.name), row.Value(k.publisher)) {
				open[k.to[r.Is]] = true // 0, which is fine, is not asked for
			}
		}
		if id != 0 {
			sets[id] = append(sets[id], Title(row, k.name, k.version))
		}
	}
	unread := f.Get(k.group.List()).Gap
	for is, id := range k.to {
		// Where only some titles were read, those that matter here may all be among them.
		whole := complete || f.AskedFor(names[is])
		whole = whole || len(entries) > 0 && k.group == fact.Titles && len(names[is]) == 0
		gap := unread
		if whole && open[id] {
			gap = &k.versions
		}
		f.SetList(id, sets[id], whole && !open[id], gap, knownSource)
	}
	f.SetList(k.unknown, sets[k.unknown], complete, unread, knownSource)
}

// Title is a title or device with its version.
func Title(row fact.View, name, version fact.ID) string {
	s := row.Value(name).Text()
	if v := row.Value(version); v.Known() {
		s += " " + v.Text()
	}
	return s
}
