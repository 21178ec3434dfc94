package server

import (
	"cmp"
	"context"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"sync"

	"github.com/danielgtaylor/huma/v2"

	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/store"
)

// judgings is how far the judging of a fleet has come.
type judgings struct {
	mu  sync.Mutex
	now api.Judging
}

func (j *judgings) begin(of release.Ref, all int) (told func(int)) {
	j.mu.Lock()
	defer j.mu.Unlock()
	j.now = api.Judging{Running: true, Release: &of, Machines: all}
	return func(more int) {
		j.mu.Lock()
		defer j.mu.Unlock()
		j.now.Done = min(j.now.Done+more, j.now.Machines)
	}
}

func (j *judgings) end() {
	j.mu.Lock()
	defer j.mu.Unlock()
	j.now.Running = false
}

func (j *judgings) get() api.Judging {
	j.mu.Lock()
	defer j.mu.Unlock()
	return j.now
}

// Requirements change, and with them what is true of machines that nobody touched.
func (s *Server) ruleChanges(a huma.API) {
	tag := []string{"Releases"}
	huma.Register(a, secured(huma.Operation{OperationID: "judging", Method: http.MethodGet, Path: "/judging", Summary: "How far the judging of the fleet by other rules has come", Tags: tag}, ScopeRead),
		func(ctx context.Context, _ *struct{}) (*struct{ Body api.Judging }, error) {
			out := s.judgings.get()
			if callerOf(ctx).limited() {
				out.Machines, out.Done = 0, 0 // of the whole fleet
			}
			return &struct{ Body api.Judging }{out}, nil
		})
	huma.Register(a, secured(huma.Operation{OperationID: "rule-changes", Method: http.MethodGet, Path: "/rule-changes", Summary: "Which rules were put in force, and how many machines changed with them", Tags: tag}, ScopeRead), s.listRuleChanges)
	huma.Register(a, secured(huma.Operation{OperationID: "rule-change", Method: http.MethodGet, Path: "/rule-changes/{id}", Summary: "Which machines changed with other rules, and by which requirements", Tags: tag, Errors: []int{http.StatusNotFound}}, ScopeRead), s.showRuleChange)
}

// mostRuleChanges are listed.
const mostRuleChanges = 50

// turning says which requirements changed a machine's disposition between the judgement
// in force and a release. Where the former can no longer be read, it says nothing.
func (s *Server) turning(ctx context.Context, judgement int64, is *release.Release) func(was, now string) string {
	silent := func(string, string) string { return "" }
	id, revision, err := s.store.Judged(ctx, judgement)
	if err != nil {
		return silent
	}
	was, err := s.release(ctx, id, revision)
	if err != nil {
		return silent
	}
	w := fleet.NewWhatIf(was, is)
	return func(before, after string) string { return strings.Join(w.Turned(before, after), " ") }
}

func (s *Server) listRuleChanges(ctx context.Context, _ *struct{}) (*struct{ Body api.RuleChangeList }, error) {
	list, err := s.store.RuleChanges(ctx, mostRuleChanges)
	if err != nil {
		return nil, s.problem(err, "")
	}
	out := api.RuleChangeList{Changes: []api.RuleChange{}}
	for i := range list {
		one, err := s.ruleChange(ctx, &list[i])
		if err != nil {
			return nil, err
		}
		one.Flips = nil
		out.Changes = append(out.Changes, *one)
	}
	return &struct{ Body api.RuleChangeList }{out}, nil
}

// latestChange is what putting a revision in force did; nil where it was the first.
func (s *Server) latestChange(ctx context.Context, rel *release.Release) (*api.RuleChange, error) {
	list, err := s.store.RuleChanges(ctx, 1)
	if err != nil {
		return nil, s.problem(err, "")
	}
	if len(list) == 0 || list[0].Release != rel.ID || list[0].Revision != rel.Revision {
		return nil, nil
	}
	out, err := s.ruleChange(ctx, &list[0])
	if err == nil {
		out.Flips = nil
	}
	return out, err
}

func (s *Server) showRuleChange(ctx context.Context, in *struct {
	ID int64 `path:"id" minimum:"1"`
}) (*struct{ Body api.RuleChange }, error) {
	list, err := s.store.RuleChanges(ctx, 1<<30)
	if err != nil {
		return nil, s.problem(err, "")
	}
	i := slices.IndexFunc(list, func(c store.RuleChange) bool { return c.ID == in.ID })
	if i < 0 {
		return nil, s.problem(store.ErrNotFound, fmt.Sprintf("there is no change of rules %d; rolltop releases changes lists them", in.ID))
	}
	one, err := s.ruleChange(ctx, &list[i])
	if err != nil {
		return nil, err
	}
	return &struct{ Body api.RuleChange }{*one}, nil
}

// ruleChange is a change with the machines that the caller sees.
func (s *Server) ruleChange(ctx context.Context, c *store.RuleChange) (*api.RuleChange, error) {
	flips, err := s.store.Turned(ctx, c.ID)
	if err != nil {
		return nil, s.problem(err, "")
	}
	f, err := s.where(ctx, "")
	if err != nil {
		return nil, err
	}
	rows := map[int64]fleet.Row{}
	if err := s.look(ctx, func(x *fleet.Index) {
		x.Select(f.Within("retired", "yes", "no")).Each(func(r *fleet.Row) { rows[r.ID] = *r })
	}); err != nil {
		return nil, s.problem(err, "")
	}
	out := &api.RuleChange{ID: c.ID, At: c.At(), Machines: c.Machines, Release: s.refOf(ctx, c.Release, c.Revision), Was: s.refOf(ctx, c.WasRelease, c.WasRevision), Flips: []api.FlipRow{}, By: []api.Count{}, Where: fleet.Term(fleet.SoughtTurned, strconv.FormatInt(c.ID, 10))}
	if callerOf(ctx).limited() {
		out.Machines = 0
		for _, r := range rows {
			if r.Release != nil && r.Release.ID == c.Release {
				out.Machines++
			}
		}
	}
	titles := map[string]string{}
	if rel, err := s.release(ctx, c.Release, c.Revision); err == nil {
		for i := range rel.Requirements {
			titles[rel.Requirements[i].ID] = rel.Requirements[i].Title
		}
	}
	var moves fleet.Shifts
	by := map[string]int{}
	for i := range flips {
		fl := &flips[i]
		r, seen := rows[fl.Device]
		if !seen {
			continue
		}
		out.Moved++
		moves[fl.Was][fl.Becomes]++
		m := rowRef(&r)
		row := api.FlipRow{Key: r.Key, Name: r.Name, Place: r.Place, Model: m.Model, Was: dispositionName(fl.Was), Becomes: dispositionName(fl.Becomes), By: []string{}}
		for _, id := range strings.Fields(fl.Why) {
			by[id]++
			row.By = append(row.By, cmp.Or(titles[id], id))
		}
		if len(out.Flips) < flipsShown {
			out.Flips = append(out.Flips, row)
		}
	}
	out.Shifts = shifts(&moves)
	for id, n := range by {
		out.By = append(out.By, api.Count{Name: cmp.Or(titles[id], id), Count: n})
	}
	slices.SortFunc(out.By, func(a, b api.Count) int {
		if a.Count != b.Count {
			return b.Count - a.Count
		}
		return strings.Compare(a.Name, b.Name)
	})
	out.Says = ruleChangeSays(out)
	return out, nil
}

func (s *Server) refOf(ctx context.Context, id string, revision int) release.Ref {
	if rel, err := s.release(ctx, id, revision); err == nil {
		return rel.Ref()
	}
	return release.Ref{ID: id, Name: id, Revision: revision}
}

func ruleChangeSays(c *api.RuleChange) string {
	now := fmt.Sprintf("%s, revision %d", c.Release.Name, c.Release.Revision)
	switch {
	case c.Release.ID != c.Was.ID:
		now += " in place of " + c.Was.Name
	case c.Release.Revision == c.Was.Revision:
		now += ", with other steps, guides or another version of the program"
	}
	if c.Moved == 0 {
		return now + ": no machine changed."
	}
	ready := 0
	for _, sh := range c.Shifts {
		if sh.Becomes == remedy.Ready.String() {
			ready += sh.Machines
		}
		if sh.Was == remedy.Ready.String() {
			ready -= sh.Machines
		}
	}
	out := fmt.Sprintf("%s: %s changed", now, say.Count(c.Moved, "machine", "machines"))
	switch {
	case ready > 0:
		out += ", " + say.Count(ready, "more is ready", "more are ready")
	case ready < 0:
		out += ", " + say.Count(-ready, "fewer is ready", "fewer are ready")
	}
	return out + "."
}
