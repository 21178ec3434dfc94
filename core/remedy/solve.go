package remedy

import (
	"cmp"
	"slices"
	"strings"
	"sync"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
)

// world is how the open questions of a machine are taken to be answered.
//
// A gap hides a set of values. The solver does not try them one by one: every
// requirement and every condition of a step that cannot be decided is left free by
// itself, so that what follows is never narrower than the truth. Fewer failing
// requirements and more steps never take more, so the least and the most that a
// machine can take are found in the two extreme worlds, and whatever is between lies
// between them. This makes three rules hold by construction: a gap only widens the
// range, one more requirement only raises it, and a verdict is confirmed only where
// the range is a single point.
type world struct {
	kind  bool // what is not known is as one would wish; otherwise it is as one would fear
	works bool // steps whose effect is not certain have it
	luck  bool // what is unlikely and not ruled out is tried, too
}

// The worlds that a verdict is made of.
var (
	luckiest = world{kind: true, works: true, luck: true}
	likely   = world{kind: true, works: true}
	feared   = world{works: true}
	worst    = world{}
)

// solver looks for the least steps for one machine, one set of musts, one route
// and one world.
type solver struct {
	lib     *Library
	world   world
	was     *fact.Facts // as read
	room    *room
	sim     *fact.Facts // as the chosen steps would leave it
	route   string
	guest   bool
	install int // index of the step that installs the release; -1: the route's own
	failing []*check.Finding
	open    []*check.Finding // musts that are not known
	goals   []*check.Finding // what has to be settled in this world
	chosen  []Planned
	asking  []int    // steps whose conditions are being brought about
	log     []change // what was simulated, to be taken back
	doubt   bool     // something that is not known had a part in the choice
	unsure  bool     // a step was considered whose effect is not certain
	chance  bool     // a step that is unlikely could have had a part
	stuck   bool     // something that has to be done in any case cannot be
}

// outcome is what a world takes.
type outcome struct {
	*solver
	disposition Disposition
	most        Class
	left        []*check.Finding // goals that no step settles
	maybe       bool             // whether its installation can be done is not known
}

// room is what a solver works in.
type room struct {
	sim    fact.Facts
	chosen []Planned
	log    []change
	asking []int
}

// rooms are kept to be used again: nothing of them outlives a solution, and a fleet
// asks for many.
var rooms = sync.Pool{New: func() any { return new(room) }}

// enter takes a room and begins in it with the facts as they were read.
func (s *solver) enter() {
	s.room = rooms.Get().(*room)
	s.room.sim = *s.was
	r := s.room
	s.sim, s.chosen, s.log, s.asking = &r.sim, r.chosen[:0], r.log[:0], r.asking[:0]
}

// leave gives the room back.
func (s *solver) leave() {
	s.room.chosen, s.room.log, s.room.asking = s.chosen[:0], s.log[:0], s.asking[:0]
	rooms.Put(s.room)
	s.room, s.sim = nil, nil
}

// Solve works out the verdict over the musts that ask admits (nil: all).
func (l *Library) Solve(res *check.Result, ask func(*release.Requirement) bool) Verdict {
	if runs := res.Release.RunsOn(res.Facts); runs != release.NotInstalled {
		return done(res, ask, runs)
	}
	if res.Facts.Astray() {
		return l.astray(res)
	}
	l = l.under(res.Release)
	v := solve(l, res, ask, res.Path, true)
	if v.Route != release.ByInterim || res.Path.Truth != need.True ||
		!slices.ContainsFunc(res.Findings, func(fd check.Finding) bool {
			return fd.Requirement.Interim != nil && fd.Requirement.Level == release.Must && fd.Outcome == check.Fail
		}) {
		return v
	}
	other := solve(l, res, ask, release.Path{Way: release.Reinstall, Truth: res.Path.Truth}, false)
	if v.Disposition.Futile() && !other.Disposition.Futile() {
		v, other = other, v
	}
	if !other.Disposition.Futile() || v.Disposition.Futile() {
		v.Other = &other
	} else {
		v.Other = &Verdict{
			Disposition: other.Disposition,
			Best:        other.Best,
			Worst:       other.Worst,
			Confirmed:   other.Confirmed,
			Route:       other.Route,
			Through:     other.Through,
			NoRemedy:    other.NoRemedy,
			Proven:      other.Proven,
			RouteKnown:  other.RouteKnown,
		}
	}
	return v
}

// astray is the verdict on a Mac that does not run a Mac system: what it is meant to run is asked
// before anything is planned for it.
func (l *Library) astray(res *check.Result) Verdict {
	step := l.Step(Deciding)
	return Verdict{
		Disposition: Decide, Best: Decide, Worst: Decide, Confirmed: true, Astray: true, Route: release.Reinstall,
		RouteKnown: true, Foreign: true,
		Plan: []Planned{{Step: step, Phase: step.Phase, index: l.playing[Deciding]}},
	}
}

// done is the verdict on a machine that runs the release, or a later one, already.
func done(res *check.Result, ask func(*release.Requirement) bool, runs release.Installed) Verdict {
	v := Verdict{
		Disposition: Done,
		Best:        Done,
		Worst:       Done,
		Confirmed:   true,
		Route:       release.InPlace,
		RouteKnown:  true,
		Guest:       res.Facts.Guest(),
	}
	for i := range res.Findings {
		fd := &res.Findings[i]
		q := fd.Requirement
		if q.Level != release.Must || ask != nil && !ask(q) || q.Interim != nil {
			continue
		}
		switch {
		case fd.Outcome == check.Waived:
			v.Waived = append(v.Waived, q.ID)
		case fd.Outcome == check.Fail && runs == release.ThisOne && q.AskedBy != release.House:
			v.Unsupported = append(v.Unsupported, q.ID)
		}
	}
	return v
}

// solve works out the verdict for a path. others says that every path counts that
// what is not known leaves possible.
func solve(
	lib *Library, res *check.Result, ask func(*release.Requirement) bool, path release.Path, others bool,
) Verdict {
	f := res.Facts
	v := Verdict{
		Route:      path.Way,
		Through:    path.Through(),
		Keeps:      path.Keeps,
		Back:       path.Back,
		RouteKnown: path.Truth == need.True,
		Guest:      f.Guest(),
		Planned:    f.Planned(),
	}
	for i := range res.Findings {
		if fd := &res.Findings[i]; fd.Outcome == check.Waived && asked(fd, ask) &&
			fd.Requirement.Level == release.Must {
			v.Waived = append(v.Waived, fd.Requirement.ID)
		}
	}
	s := newSolver(lib, res, ask, path)
	l := s.in(likely).solve(res, path)
	defer l.free()
	v.hull(&l, &s, res, path)
	if others {
		for _, p := range res.Release.PathsFrom(f) {
			if p.Way != path.Way || !slices.Equal(p.Interim, path.Interim) {
				v.widen(lib, res, ask, p)
			}
		}
	}
	v.sum(&l, res, path)
	v.Plan = planner{l.solver}.plan(&v)
	return v
}

func asked(fd *check.Finding, ask func(*release.Requirement) bool) bool {
	return ask == nil || ask(fd.Requirement)
}

// newSolver is a solver for a path that is in no world yet.
func newSolver(lib *Library, res *check.Result, ask func(*release.Requirement) bool, path release.Path) solver {
	s := solver{lib: lib, was: res.Facts, route: path.Way, guest: res.Facts.Guest(), install: -1}
	for i := range res.Findings {
		fd := &res.Findings[i]
		q := fd.Requirement
		switch {
		case q.Level != release.Must || !asked(fd, ask):
		case fd.Outcome == check.Fail && (q.Interim == nil || path.By(q.Interim)):
			s.failing = append(s.failing, fd)
		case fd.Outcome == check.Unknown && s.was.Planned() && setLater(q, s.was):
		case fd.Outcome == check.Unknown && (q.Interim == nil || path.By(q.Interim) || path.Truth != need.True):
			s.open = append(s.open, fd)
		}
	}
	// The order of the document counts for nothing.
	slices.SortFunc(s.failing, byID)
	slices.SortFunc(s.open, byID)
	return s
}

func byID(a, b *check.Finding) int { return strings.Compare(a.Requirement.ID, b.Requirement.ID) }

// in is the solver with the goals of a world.
func (s solver) in(w world) solver {
	s.world, s.goals = w, s.failing
	if !w.kind && len(s.open) > 0 {
		s.goals = slices.Concat(s.failing, s.open)
		slices.SortFunc(s.goals, byID)
	}
	return s
}

// solve finds the least steps. The outcome has to be freed.
func (s solver) solve(res *check.Result, path release.Path) outcome {
	lib := s.lib
	foreignHere := path.Way == release.Reinstall && path.Truth == need.True && foreign(res)
	var best outcome
	if path.Way != release.Reinstall {
		best = s.alone(-1, path, foreignHere)
	}
	// A fresh installation is a way of its own. It is looked at where it is the
	// route, and where without it something is left or takes a part.
	if best.solver == nil || len(best.left) > 0 || best.most == Part && s.installMends() {
		for i := range lib.steps {
			st := &lib.steps[i]
			if !st.Installs || !st.on(release.Reinstall, s.guest) || !s.possible(st.can(s.was)) {
				continue
			}
			if !s.available(st) && (best.solver != nil || s.otherInstall(i)) {
				continue // it may not work, and there is another way
			}
			again := s
			again.doubt = again.doubt || st.can(s.was) == need.Unknown
			if best.solver != nil {
				again.doubt, again.unsure, again.chance = again.doubt || best.doubt, best.unsure, best.chance
			}
			o := again.alone(i, path, foreignHere)
			o.maybe = st.can(s.was) == need.Unknown
			if best.solver == nil || o.less(&best) {
				o.carry(&best)
				best.free()
				best = o
			} else {
				best.carry(&o)
				o.free()
			}
		}
	}
	return best
}

// carry takes over what another try has seen: it had a part in the choice.
func (o *outcome) carry(other *outcome) {
	if other.solver != nil {
		o.doubt, o.unsure, o.chance = o.doubt || other.doubt, o.unsure || other.unsure, o.chance || other.chance
	}
}

func (o *outcome) free() {
	if o.solver != nil && o.room != nil {
		o.leave()
	}
}

// less says whether an outcome takes less than another: less in all, then fewer
// things left, then a lesser class, then what keeps programs and files, then fewer
// remedies, then the order of the files.
func (o *outcome) less(p *outcome) bool {
	doubtful := func(o *outcome) int {
		if o.maybe {
			return 1
		}
		return 0
	}
	afresh := func(o *outcome) int { return min(o.install, 0) } // 0, or -1 where nothing installs afresh
	return cmp.Or(cmp.Compare(o.disposition, p.disposition), cmp.Compare(len(o.left), len(p.left)),
		doubtful(o)-doubtful(p), cmp.Compare(o.most, p.most),
		afresh(o)-afresh(p), cmp.Compare(o.remedies(), p.remedies())) < 0
}

func (o *outcome) remedies() int {
	n := 0
	for i := range o.chosen {
		if o.chosen[i].Class != NoClass {
			n++
		}
	}
	return n
}

// alone solves with one step that installs the release, or with the route's own.
func (s solver) alone(install int, path release.Path, foreign bool) outcome {
	s.enter()
	s.install = install
	if install >= 0 {
		s.route = release.Reinstall
		s.apply(install)
	}
	s.alwaysThere()
	left := s.settleAll()
	s.prune()
	o := outcome{solver: &s, left: left}
	for i := range s.chosen {
		c := &s.chosen[i]
		if foreign && c.Installs && c.Phase == Install || !c.Counts() && !s.settlesAny(c) {
			continue // another system is replaced in any case
		}
		o.most = max(o.most, s.class(c.Step))
	}
	if s.route == release.ByInterim {
		o.most = max(o.most, Interim)
	}
	o.disposition = o.most.disposition()
	if s.stuck {
		o.disposition = Decide
	}
	for _, fd := range left {
		o.disposition = max(o.disposition, s.unmet(fd))
	}
	return o
}

// unmet is the disposition where no step settles a finding.
func (s *solver) unmet(fd *check.Finding) Disposition {
	if s.world.kind && proven(fd.Requirement, s.was) || !s.world.kind && possible(fd.Requirement, s.was) {
		return Replace
	}
	return Decide
}

// class is what a step asks for in this world: where its effect is not certain and
// does not come about, what it says it takes then.
func (s *solver) class(st *Step) Class {
	if !s.world.works && st.Class != NoClass && !st.sure(s.was) {
		return max(st.Class, st.Worst)
	}
	return st.Class
}

// available says whether a step can have its effect in this world.
func (s *solver) available(st *Step) bool {
	return s.world.works || st.Class == NoClass || st.sure(s.was) || st.Worst != NoClass && st.Worst < Decision
}

// possible says whether a truth is taken as true in this world.
func (s *solver) possible(t need.Truth) bool {
	return t == need.True || t == need.Unknown && s.world.kind
}

// otherInstall says whether another installation than a step's surely works.
func (s *solver) otherInstall(than int) bool {
	for i := range s.lib.steps {
		st := &s.lib.steps[i]
		if i != than && st.Installs && st.on(release.Reinstall, s.guest) && s.possible(st.can(s.was)) &&
			s.available(st) {
			return true
		}
	}
	return false
}

// installMends says whether a fresh installation could spare a part.
func (s *solver) installMends() bool {
	for i := range s.lib.steps {
		st := &s.lib.steps[i]
		if st.Installs && slices.ContainsFunc(s.goals,
			func(fd *check.Finding) bool { return st.touches(fd.Requirement.Need) }) {
			return true
		}
	}
	return false
}

// alwaysThere adds the steps that stand in every plan of such a machine: what
// they change comes before anything is chosen.
func (s *solver) alwaysThere() {
	if s.was.Planned() {
		return
	}
	for i := range s.lib.steps {
		st := &s.lib.steps[i]
		if st.Always == nil || s.lib.guarded(st.ID) || !st.on(s.route, s.guest) ||
			st.Always.Test(s.was.View()) != need.True {
			continue
		}
		can := st.can(s.sim)
		if can == need.False {
			continue
		}
		if st.Class != NoClass && can == need.Unknown {
			if s.doubt = true; !s.world.kind {
				s.stuck = true
				continue
			}
		}
		s.apply(i)
	}
}

func copyOf(f *fact.Facts) *fact.Facts {
	g := *f
	return &g
}

// setLater says whether all that is not known of a requirement on a machine that
// nobody has yet is set when the machine is set up: nothing of it is asked of the
// seller.
func setLater(q *release.Requirement, f *fact.Facts) bool {
	for l := range q.Need.Leaves() {
		id := l.Fact()
		if l.Test(f.View()) != need.Unknown && id.Group() == fact.NoGroup {
			continue
		}
		switch id {
		case fact.TPMState, fact.TPMVersion, fact.BootMode:
			return false // whether it can is the seller's to say
		}
		if c := id.Change(); c == fact.ByNothing || c == fact.ByPart {
			return false
		}
	}
	return true
}

// foreign: the release has no upgrade from any version of the platform that
// runs on the machine.
func foreign(res *check.Result) bool {
	if res.Facts.Planned() {
		return true
	}
	p := res.Facts.Value(fact.OSPlatform).Text()
	return p != "" && !slices.ContainsFunc(res.Release.Upgrade,
		func(s release.SourceDoc) bool { return s.Platform == p })
}

// budgets are the classes of work that are allowed, one after the other: what the
// least class settles is settled by it.
var budgets = [...]Class{CleanUp, Software, Setting, Interim, Afresh, Part}

// settleAll chooses steps for all goals and returns those that nothing settles.
func (s *solver) settleAll() []*check.Finding {
	left := slices.Clone(s.goals)
	least := Replacement // what no step of a budget changes is not looked at before its turn
	for _, fd := range left {
		least = min(least, s.lib.leastFor(fd.Requirement.Need))
	}
	for _, budget := range budgets {
		if budget < min(least, Part) {
			continue
		}
		for again := true; again && len(left) > 0; {
			before := len(left)
			left = slices.DeleteFunc(left, func(fd *check.Finding) bool {
				return (budget == Part || s.lib.leastFor(fd.Requirement.Need) <= budget) &&
					s.achieve(fd.Requirement.Need, budget)
			})
			again = len(left) < before && len(left) > 0
		}
	}
	return left
}

// leastFor is the least class of a step that changes something that a need reads; more
// than any class where there is none.
func (l *Library) leastFor(n need.Need) Class {
	least := Replacement + 1
	need.SomeLeaf(n, func(leaf need.Leaf) bool {
		least = min(least, l.least[leaf.Fact()])
		return false
	})
	return least
}

// met says whether a need is met in this world by what was chosen.
func (s *solver) met(n need.Need) bool {
	t := check.Decide(n, s.sim)
	s.doubt = s.doubt || t == need.Unknown
	return s.possible(t)
}

// settledForGood: whatever an unknown requirement turns out to be, what was chosen
// settles it.
func (s *solver) settledForGood(fd *check.Finding) bool {
	return fd.Applies == need.True && check.Decide(fd.Requirement.Need, s.sim) == need.True
}
