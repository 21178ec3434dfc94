package remedy

import (
	"slices"

	"rolltop.example/rolltop/core/fact"
)

// orderByHazard adds the edges that the table calls for: a safeguard before or after
// the steps that disturb, and before the installation.
func (l *Library) orderByHazard() {
	l.rank()
	l.reach()
	for k := range l.guards {
		g := &l.guards[k]
		at, ok := l.at[g.step]
		if !ok || g.stands == behind {
			continue
		}
		for i := range l.steps {
			s := &l.steps[i]
			switch {
			case l.guarded(s.ID):
			case g.stands == before && s.hazards&g.against != 0 &&
				(s.Phase == anyPhase || slices.Contains(g.phases, s.Phase)):
				l.comesAfter(i, at)
			case g.stands == after && s.Phase == Install:
				l.comesAfter(i, at)
			case g.stands == after && s.hazards&g.against != 0:
				l.comesAfter(at, i)
			}
		}
	}
	l.orderVisit()
	l.orderByNeed()
}

// firmwareStage is the stage of an update of the firmware itself.
const firmwareStage = 2

// stage is where a step of a visit stands by what it disturbs: parts, the firmware
// itself, the partition table, settings of the firmware. 0: anywhere.
func (s *Step) stage() int {
	switch h := s.hazards; {
	case s.Phase != Desk:
		return 0
	case h&FirmwareImage != 0:
		return firmwareStage
	case h&DiskLayout != 0:
		return 3
	case h&Firmware != 0:
		return 4
	case h&(Hardware|SystemDisk) != 0:
		return 1
	}
	return 0
}

// orderVisit puts the steps of a visit in the order of their stages. Where steps say
// otherwise of each other, they are right.
func (l *Library) orderVisit() {
	for i := range l.steps {
		for j := range l.steps {
			a, b := &l.steps[i], &l.steps[j]
			if b.stage() > 0 && b.stage() != firmwareStage && a.stage() > b.stage() && !l.waitsFor(j, i) {
				l.comesAfter(i, j)
			}
		}
	}
}

// seldomFirst puts whatever is done to a failing drive behind its change, and settings
// behind an update of the firmware. It holds where both stand, and nothing follows from
// it for the many plans without the one or the other.
func (l *Library) seldomFirst() {
	mends := func(s *Step) bool { return s.Always != nil && s.sets(fact.DiskHealth, "good") }
	for i := range l.steps {
		for j := range l.steps {
			a, b := &l.steps[i], &l.steps[j]
			mended := mends(b) && !mends(a) && a.hazards&(Files|System|DiskLayout|DiskContents) != 0
			updated := b.stage() == firmwareStage && a.stage() > firmwareStage
			if (mended || updated) && !slices.Contains(a.after, j) && !slices.Contains(b.after, i) {
				a.after = append(a.after, j)
			}
		}
	}
}

// orderByNeed: what a step leaves to be done is done next, so whatever that waits for
// comes before the step, unless it neither disturbs anything nor starts the machine, or
// installs the release, which nothing is converted for.
func (l *Library) orderByNeed() {
	for i := range l.steps {
		for _, c := range l.steps[i].leaves {
			for _, j := range l.changing[c.id] {
				next := &l.steps[j]
				if !next.sets(c.id, c.value.Text()) || next.Installs {
					continue
				}
				for _, k := range next.after {
					quiet := l.steps[k].Installs || l.steps[k].hazards == 0 && l.steps[k].Restarts == 0
					if !quiet && !l.waitsFor(k, i) {
						l.comesAfter(i, k)
					}
				}
			}
		}
	}
}

// close makes edges of what follows from edges: a step comes after another one also where
// the one between them is not in the plan.
func (l *Library) close() {
	for i := range l.steps {
		l.steps[i].after = nil
		for j := range l.steps {
			if i != j && l.waitsFor(i, j) {
				l.steps[i].after = append(l.steps[i].after, j)
			}
		}
	}
}

// reach notes for each step all that it comes after, by itself or through others.
func (l *Library) reach() {
	l.earlier = make([][]bool, len(l.steps))
	for i := range l.steps {
		l.earlier[i] = make([]bool, len(l.steps))
		var visit func(int)
		visit = func(k int) {
			for _, j := range l.steps[k].after {
				if !l.waitsFor(i, j) {
					l.earlier[i][j] = true
					visit(j)
				}
			}
		}
		visit(i)
	}
}

// comesAfter puts a step behind another one, with all that follows from it.
func (l *Library) comesAfter(i, j int) {
	if i == j || slices.Contains(l.steps[i].after, j) {
		return
	}
	l.steps[i].after = append(l.steps[i].after, j)
	for k := range l.steps {
		if k == i || l.waitsFor(k, i) {
			for w := range l.earlier[k] {
				l.earlier[k][w] = l.earlier[k][w] || l.earlier[j][w]
			}
			l.earlier[k][j] = true
		}
	}
}

// waitsFor says whether a step comes after another one, by itself or through others.
func (l *Library) waitsFor(i, j int) bool { return l.earlier[i][j] }

// rank puts an administrator's step among those of its phase that disturb the same: one
// that opens the case stands with the parts.
func (l *Library) rank() {
	for i := range l.steps {
		l.steps[i].rank = i
	}
	for i := range l.steps {
		s := &l.steps[i]
		if !s.Own || s.hazards == 0 {
			continue
		}
		for j := range l.steps {
			if o := &l.steps[j]; !o.Own && o.Phase == s.Phase && o.hazards&-o.hazards == s.hazards&-s.hazards {
				s.rank = j
			}
		}
	}
}
