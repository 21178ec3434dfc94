package server

import (
	"bytes"
	"context"
	"slices"
	"strconv"
	"time"

	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/report"
	"rolltop.example/rolltop/internal/service"
)

// fleetAPI has the operations that count the fleet.
type fleetAPI struct{ *Server }

func (s fleetAPI) showFleet(ctx context.Context, in *whereInput) (api.Fleet, error) {
	f, err := s.Index.Where(ctx, in.Where)
	if err != nil {
		return api.Fleet{}, err
	}
	var t fleet.Tally
	var ends []fleet.Support
	var urgency []fleet.BandCount
	var stale, duplicate int
	newly := map[string]int{} // by class: each has a target, and a release that follows, of its own
	days := strconv.Itoa(s.Settings.Get().StaleDays)
	err = s.Index.View(ctx, func(x *fleet.Index) {
		picked := x.Select(f)
		t, ends, urgency = picked.Count(), picked.Supported(s.now()), picked.Urgency(s.now())
		stale, duplicate = x.Select(f.Within("older", days)).Len(), x.Select(f.Within("duplicate", "yes")).Len()
		stopped := x.Select(f.Within("disposition", remedy.Ready.String()).Within("next", notReady...)).Count()
		for _, c := range stopped.Classes {
			newly[c.Name] = c.Total
		}
	})
	if err != nil {
		return api.Fleet{}, err
	}
	where := s.Index.Canonical(ctx, f, in.Where)
	count := func(name string, n int, term string) api.Count {
		return api.Count{Name: name, Count: n, Where: fleet.And(where, term)}
	}
	out := s.fleet(&t, ends, where)
	out.Urgency = []api.Count{}
	for _, b := range urgency {
		c := count(b.Word, b.Machines, fleet.Term("support", b.Word))
		c.Says = b.Title
		out.Urgency = append(out.Urgency, c)
	}
	out.Stale = count("stale", stale, fleet.Term("older", days))
	out.Waived = count("waived", t.Waived, "disposition=ready decision=waive")
	out.Unsupported = count("unsupported", t.Unsupported, "unsupported=yes")
	out.Duplicate = count("duplicates", duplicate, "duplicate=yes")
	for i := range out.Next {
		at := slices.IndexFunc(t.Next, func(n fleet.NextCounts) bool { return n.Target.Name == out.Next[i].Target })
		class := t.Next[at].Target.InstallsOn
		term := fleet.Term("class", class) + " disposition=ready " + fleet.Term("next", notReady...)
		out.Next[i].Newly = count("newly", newly[class], term)
	}
	return out, nil
}

func (s fleetAPI) answers(ctx context.Context, in *whereInput) (api.FleetAnswers, error) {
	got, err := s.Work.Answers(ctx, in.Where)
	out := api.FleetAnswers{Where: in.Where, Answers: []api.FleetAnswer{}}
	for _, a := range got {
		out.Answers = append(out.Answers, api.FleetAnswer(a))
	}
	return out, err
}

// notReady are the dispositions of machines that something stands in the way of.
var notReady = []string{
	remedy.Reconfigure.String(), remedy.Refit.String(), remedy.Decide.String(), remedy.Replace.String(),
}

// fleet is what was counted, every number with the filter that lists its machines.
func (s fleetAPI) fleet(t *fleet.Tally, ends []fleet.Support, where string) api.Fleet {
	within := func(term string) string { return fleet.And(where, term) }
	targets := map[string]*release.Release{}
	out := api.Fleet{
		Where:        where,
		Total:        t.Total,
		Unjudged:     t.Unjudged,
		Dispositions: counts(&t.Counts, where),
		Obstacles:    []api.Obstacle{},
		Sites:        groups(t.Sites, "site", where),
		Support:      []api.Support{},
		Classes:      groups(t.Classes, "class", where),
		Causes:       []api.Count{},
		Next:         []api.NextCounts{},
	}
	for _, class := range service.Classes() {
		target := api.Target{Class: class}
		if t, ok := s.Releases.Target(class); ok {
			ref := t.Release.Ref()
			target.Release, targets[class] = &ref, t.Release
		}
		out.Targets = append(out.Targets, target)
	}
	out.Headline = t.Headline(targets)
	for _, sup := range ends {
		out.Support = append(out.Support, api.Support{
			Release:  sup.Release,
			Edition:  sup.Edition,
			Ends:     sup.Ends,
			Days:     sup.Days,
			Machines: sup.Machines,
			Says:     sup.Says(),
			Where:    within(sup.Where()),
		})
	}
	for i := range t.Obstacles {
		out.Obstacles = append(out.Obstacles, obstacle(&t.Obstacles[i], where))
	}
	for _, c := range t.Causes {
		out.Causes = append(out.Causes, api.Count{
			Name:  c.Cause,
			Says:  say.Cause(c.Cause),
			Count: c.Machines,
			Where: within(fleet.Term("cause", c.Cause)),
		})
	}
	for _, n := range t.Next {
		current, ok := s.Releases.Target(n.Target.InstallsOn)
		if !ok || current.Next == nil {
			continue
		}
		next := api.NextCounts{Target: n.Target.Name, Release: current.Next.Name}
		for d, count := range n.By {
			name := remedy.Disposition(d).String()
			term := fleet.Term("class", n.Target.InstallsOn) + " " + fleet.Term("next", name)
			next.Dispositions = append(next.Dispositions, api.Count{Name: name, Count: count, Where: within(term)})
		}
		out.Next = append(out.Next, next)
	}
	return out
}

func obstacle(o *fleet.Obstacle, where string) api.Obstacle {
	id := o.Requirement.ID
	// Two releases may name a requirement alike, and nothing stands in the way of a machine that is
	// there.
	only := " class=" + o.Release.InstallsOn + " " + fleet.Term("disposition", remedy.Dispositions()[remedy.Ready:]...)
	return api.Obstacle{
		Requirement: id,
		Title:       o.Requirement.Title,
		Release:     o.Release.Name,
		Fails:       o.Fails,
		Alone:       o.Alone,
		Unknown:     o.Unknown,
		Where:       fleet.And(where, fleet.Term("fails", id)+only),
		WhereAlone:  fleet.And(where, fleet.Term("alone", id)+only),
		WhereUnsure: fleet.And(where, fleet.Term("unknown", id)+only),
	}
}

// groups are the counts of sites or classes. Machines that no site's prefix covers are in the
// other counts.
func groups(list []fleet.Group, key, where string) []api.SiteCounts {
	out := []api.SiteCounts{}
	for i := range list {
		g := &list[i]
		if g.Name == "" {
			continue
		}
		mine := fleet.And(where, fleet.Term(key, g.Name))
		out = append(out, api.SiteCounts{
			Site: g.Name, Total: g.Total, Where: mine, Dispositions: counts(&g.Counts, mine),
		})
	}
	return out
}

func counts(c *fleet.Counts, where string) []api.Count {
	out := make([]api.Count, 0, len(c.By))
	for d, n := range c.By {
		name := remedy.Disposition(d).String()
		out = append(out, api.Count{Name: name, Count: n, Where: fleet.And(where, fleet.Term("disposition", name))})
	}
	return out
}

func (s fleetAPI) fleetReport(ctx context.Context, in *whereInput) (*page, error) {
	f, err := s.showFleet(ctx, in)
	if err != nil {
		return nil, err
	}
	days := api.Progress{}
	if in.Where == "" { // it is counted for the whole fleet only
		if days, err = s.progress(ctx, &progressInput{Days: 90}); err != nil {
			return nil, err
		}
	}
	var b bytes.Buffer
	if err := report.Fleet(&b, &f, &days, s.now()); err != nil {
		return nil, err
	}
	return &page{ContentType: htmlType, Policy: report.Policy, Body: b.Bytes()}, nil
}

// progressDays are the days of progress that are shown.
const progressDays = 400

type progressInput struct {
	Days int `query:"days" default:"90" minimum:"1" maximum:"400"`
}

func (s fleetAPI) progress(ctx context.Context, in *progressInput) (api.Progress, error) {
	since := s.now().UTC().AddDate(0, 0, 1-min(in.Days, progressDays)).Format(time.DateOnly) // with today
	rows, err := s.store.Progress(ctx, since, callerOf(ctx).Sites)
	out := api.Progress{Days: []api.ProgressDay{}}
	for _, r := range rows {
		if n := len(out.Days); n == 0 || out.Days[n-1].Day != r.Day {
			out.Days = append(out.Days, api.ProgressDay{Day: r.Day, Dispositions: map[string]int{}})
		}
		day := &out.Days[len(out.Days)-1]
		day.Total += r.Machines
		day.Dispositions[dispositionName(r.Disposition)] = r.Machines
	}
	return out, err
}

// showMatrix shows machines beside the requirements of the target of their class.
func (s fleetAPI) showMatrix(ctx context.Context, in *struct {
	ListInput
	Class string `query:"class" default:"pc" enum:"pc,mac" doc:"Class of hardware whose target is shown"`
}) (out api.Matrix, err error) {
	t, ok := s.Releases.Target(in.Class)
	if !ok {
		return out, noTarget()
	}
	q := in.query()
	q.Where = fleet.And(in.Where, fleet.Term("class", in.Class))
	var standings []fleet.Standing
	got, err := s.Index.List(ctx, q, func(_ *fleet.Index, picked fleet.Selection) {
		standings = picked.Standings(t.Release)
	})
	if err != nil {
		return out, err
	}
	out = api.Matrix{
		Total:        got.Total,
		From:         got.From,
		Next:         got.Next,
		Where:        in.Where,
		Release:      t.Release.Name,
		Requirements: []api.MatrixColumn{},
		Rows:         []api.MatrixRow{},
	}
	var shown []int // features are not shown: they decide nothing
	for i := range t.Release.Requirements {
		r := &t.Release.Requirements[i]
		if r.Level != release.Must && r.Level != release.Should {
			continue
		}
		shown = append(shown, i)
		out.Requirements = append(out.Requirements, api.MatrixColumn{
			Requirement: r.ID,
			Title:       r.Title,
			Needs:       say.Requirement(r),
			Level:       r.Level,
			Fails:       standings[i].Fails,
			Unknown:     standings[i].Unknown,
			WhereFails:  fleet.And(q.Where, fleet.Term("fails", r.ID)),
		})
	}
	cells, err := s.Answers.Cells(ctx, t.Release, got.Rows)
	if err != nil {
		return out, err
	}
	for i := range got.Rows {
		r := &got.Rows[i]
		row := api.MatrixRow{Key: r.Key, Name: r.Name, Site: r.Site, Disposition: r.Disposition.String()}
		if all := cells[r.ID]; all != nil {
			for _, n := range shown {
				row.Cells = append(row.Cells, api.MatrixCell(all[n]))
			}
		}
		out.Rows = append(out.Rows, row)
	}
	return out, nil
}

// noTarget is the problem where no release is the target of a class of hardware.
func noTarget() error {
	return refuse("No target", "no target release is set for this class of hardware")
}
