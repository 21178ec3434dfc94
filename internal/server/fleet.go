package server

import (
	"bytes"
	"context"
	"net/http"
	"slices"
	"strconv"

	"github.com/danielgtaylor/huma/v2"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/report"
)

func (s *Server) fleet(a huma.API) {
	huma.Register(a, secured(huma.Operation{OperationID: "fleet", Method: http.MethodGet, Path: "/fleet", Summary: "Count machines", Description: whereDoc, Tags: []string{"Fleet"}, Errors: []int{http.StatusUnprocessableEntity}}, ScopeRead),
		func(ctx context.Context, in *fleetInput) (*struct{ Body api.Fleet }, error) {
			out, err := s.counted(ctx, in.Where)
			if err != nil {
				return nil, err
			}
			return &struct{ Body api.Fleet }{*out}, nil
		})
	huma.Register(a, secured(huma.Operation{OperationID: "fleet-report", Method: http.MethodGet, Path: "/fleet/report", Summary: "What the fleet looks like, to hand over", Description: "A page that needs nothing beside it.", Tags: []string{"Fleet"}, Errors: []int{http.StatusUnprocessableEntity},
		Responses: map[string]*huma.Response{"200": {Description: "The page", Content: map[string]*huma.MediaType{"text/html": {Schema: &huma.Schema{Type: huma.TypeString}}}}}}, ScopeRead),
		func(ctx context.Context, in *fleetInput) (*reportOutput, error) {
			f, err := s.counted(ctx, in.Where)
			if err != nil {
				return nil, err
			}
			days := api.Progress{}
			if in.Where == "" { // it is counted for the whole fleet only
				got, err := s.progress(ctx, &progressInput{Days: 90})
				if err != nil {
					return nil, err
				}
				days = got.Body
			}
			var b bytes.Buffer
			if err := report.Fleet(&b, f, &days, s.now()); err != nil {
				return nil, s.problem(err, "")
			}
			return &reportOutput{ContentType: "text/html; charset=utf-8", Policy: report.Policy, Body: b.Bytes()}, nil
		})
}

type fleetInput struct {
	Where string `query:"where" maxLength:"2000" doc:"A filter"`
}

// counted counts what a filter picks of what the caller sees.
func (s *Server) counted(ctx context.Context, where string) (*api.Fleet, error) {
	f, err := s.where(ctx, where)
	if err != nil {
		return nil, err
	}
	var t fleet.Tally
	var ends []fleet.Support
	var stale, doubted int
	newly := map[string]int{} // by class: each has a target, and a release that follows, of its own
	days := strconv.Itoa(s.settings().StaleDays)
	err = s.look(ctx, func(x *fleet.Index) {
		picked := x.Select(f)
		t, ends = picked.Count(), picked.Supported(s.now())
		stale, doubted = x.Select(f.Within("older", days)).Len(), x.Select(f.Within("doubt", "yes")).Len()
		stopped := x.Select(f.Within("disposition", remedy.Ready.String()).Within("next", notReady...)).Count()
		for _, c := range stopped.Classes {
			newly[c.Name] = c.Total
		}
	})
	if err != nil {
		return nil, s.problem(err, "")
	}
	said, _ := fleet.Parse(s.said(ctx, f, where)) // it was read before
	out := s.describe(&t, ends, said)
	out.Stale = api.Count{Name: "stale", Count: stale, Where: within(said.String(), fleet.Term("older", days))}
	out.Waived = api.Count{Name: "waived", Count: t.Waived, Where: within(said.String(), "disposition=ready decision=waive")}
	out.Unsupported = api.Count{Name: "unsupported", Count: t.Unsupported, Where: within(said.String(), "unsupported=yes")}
	out.Doubted = api.Count{Name: "doubted", Count: doubted, Where: within(said.String(), "doubt=yes")}
	for i := range out.Next {
		at := slices.IndexFunc(t.Next, func(n fleet.NextCounts) bool { return n.Target.Name == out.Next[i].Target })
		class := t.Next[at].Target.InstallsOn
		out.Next[i].Newly = api.Count{Name: "newly", Count: newly[class], Where: within(said.String(), fleet.Term("class", class)+" disposition=ready "+fleet.Term("next", notReady...))}
	}
	return &out, nil
}

// notReady are the dispositions of machines that something stands in the way of.
var notReady = []string{remedy.Reconfigure.String(), remedy.Refit.String(), remedy.Decide.String(), remedy.Replace.String()}

func (s *Server) describe(t *fleet.Tally, ends []fleet.Support, f fleet.Filter) api.Fleet {
	within := func(term string) string { return within(f.String(), term) }
	targets := map[string]*release.Release{}
	out := api.Fleet{Where: f.String(), Total: t.Total, Unjudged: t.Unjudged, Obstacles: []api.Obstacle{}, Places: []api.PlaceCounts{}, Support: []api.Support{}, Classes: []api.PlaceCounts{}, Causes: []api.Count{}, Next: []api.NextCounts{}}
	for _, class := range []string{fact.PC, fact.Mac} {
		target := api.Target{Class: class}
		if t, ok := s.target(class); ok {
			ref := t.release.Ref()
			target.Release, targets[class] = &ref, t.release
		}
		out.Targets = append(out.Targets, target)
	}
	out.Headline = t.Headline(targets)
	for _, sup := range ends {
		out.Support = append(out.Support, api.Support{Release: sup.Release, Ends: sup.Ends, Days: sup.Days, Machines: sup.Machines, Says: sup.Says(), Where: within(fleet.Term("installed", sup.Release))})
	}
	out.Dispositions = counts(&t.Counts, within)
	for _, o := range t.Obstacles {
		id := o.Requirement.ID
		// Two releases may name a requirement alike, and nothing stands in the way of a
		// machine that is there.
		only := " class=" + o.Release.InstallsOn + " " + fleet.Term("disposition", remedy.Dispositions()[remedy.Ready:]...)
		out.Obstacles = append(out.Obstacles, api.Obstacle{Requirement: id, Title: o.Requirement.Title, Release: o.Release.Name, Fails: o.Fails, Alone: o.Alone, Unknown: o.Unknown,
			Where: within(fleet.Term("fails", id) + only), WhereAlone: within(fleet.Term("alone", id) + only), WhereUnsure: within(fleet.Term("unknown", id) + only)})
	}
	for _, c := range t.Classes {
		where := within(fleet.Term("class", c.Name))
		out.Classes = append(out.Classes, api.PlaceCounts{Place: c.Name, Total: c.Total, Where: where, Dispositions: counts(&c.Counts, func(term string) string { return where + " " + term })})
	}
	for _, c := range t.Causes {
		out.Causes = append(out.Causes, api.Count{Name: c.Cause, Count: c.Machines, Where: within(fleet.Term("cause", c.Cause))})
	}
	for _, n := range t.Next {
		current, ok := s.target(n.Target.InstallsOn)
		if !ok || current.next == nil {
			continue
		}
		next := api.NextCounts{Target: n.Target.Name, Release: current.next.Name}
		for d, count := range n.By {
			name := remedy.Disposition(d).String()
			next.Dispositions = append(next.Dispositions, api.Count{Name: name, Count: count, Where: within(fleet.Term("class", n.Target.InstallsOn) + " " + fleet.Term("next", name))})
		}
		out.Next = append(out.Next, next)
	}
	for _, p := range t.Places {
		where := within(fleet.Term("place", p.Name))
		if p.Name == "" {
			continue // machines that no place's prefix covers are in the counts above
		}
		out.Places = append(out.Places, api.PlaceCounts{Place: p.Name, Total: p.Total, Where: where,
			Dispositions: counts(&p.Counts, func(term string) string { return where + " " + term })})
	}
	return out
}

func counts(c *fleet.Counts, within func(string) string) []api.Count {
	out := make([]api.Count, 0, len(c.By))
	for d, n := range c.By {
		name := remedy.Disposition(d).String()
		out = append(out, api.Count{Name: name, Count: n, Where: within(fleet.Term("disposition", name))})
	}
	return out
}
