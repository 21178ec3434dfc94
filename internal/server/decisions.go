package server

import (
	"cmp"
	"context"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"rolltop.example/rolltop/core/decision"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/store"
)

// What people decide about machines until a date.
func (s *Server) decisionRoutes(a huma.API) {
	tag := []string{"Work"}
	huma.Register(a, secured(huma.Operation{OperationID: "decisions", Method: http.MethodGet, Path: "/decisions", Summary: "Waivers, stays, holds and machines to leave alone, with those that ended lately", Tags: tag}, ScopeRead), s.listDecisions)
	huma.Register(a, secured(huma.Operation{OperationID: "add-decision", Method: http.MethodPost, Path: "/decisions", Summary: "Decide something about machines until a date", Tags: tag, Errors: []int{http.StatusForbidden, http.StatusUnprocessableEntity},
		Description: "A technician may say that machines are left alone until a date; the other kinds are an administrator's."}, ScopeWork), s.addDecision)
	huma.Register(a, secured(huma.Operation{OperationID: "end-decision", Method: http.MethodDelete, Path: "/decisions/{id}", Summary: "End a decision before its date", Tags: tag, DefaultStatus: http.StatusNoContent, Errors: []int{http.StatusForbidden, http.StatusNotFound}}, ScopeWork), s.endDecision)
}

// endedLately is how long decisions that ended are announced.
const endedLately = 30 * 24 * time.Hour

func (s *Server) listDecisions(ctx context.Context, in *struct {
	All bool `query:"all" doc:"Those that ended long ago, too"`
}) (*struct{ Body api.DecisionList }, error) {
	list, counts, err := s.decisionsSeen(ctx, true)
	if err != nil {
		return nil, s.problem(err, "")
	}
	now := s.now()
	out := api.DecisionList{Decisions: []api.Decision{}}
	for i := range list {
		d := &list[i]
		ended := d.Until
		if !d.Ended.IsZero() {
			ended = d.Ended
		}
		if !in.All && !d.Counts(now) && now.Sub(ended) > endedLately {
			continue
		}
		out.Decisions = append(out.Decisions, s.showDecision(d, counts[d.ID], now))
	}
	return &struct{ Body api.DecisionList }{out}, nil
}

func (s *Server) showDecision(d *decision.Decision, machines int, now time.Time) api.Decision {
	out := api.Decision{ID: d.ID, Kind: d.Kind, Scope: d.Scope, Release: d.Release, Requirement: d.Requirement, Title: d.Requirement, Reason: d.Reason, By: d.By, At: d.At, Until: d.Until, Machines: machines, Counts: d.Counts(now), EndedBy: d.EndedBy, Where: d.Scope}
	if !d.Ended.IsZero() {
		out.EndedAt = d.Ended
	}
	for _, class := range []string{fact.PC, fact.Mac} {
		if t, ok := s.target(class); ok && t.release.ID == d.Release {
			if q := t.release.Requirement(d.Requirement); q != nil {
				out.Title = q.Title
			}
		}
	}
	if out.Counts {
		out.Where = fleet.Term("decision", strconv.FormatInt(d.ID, 10))
	}
	out.Says = say.Decision(d, out.Title, now)
	return out
}

func (s *Server) addDecision(ctx context.Context, in *struct{ Body api.MakeDecision }) (*struct{ Body api.Decision }, error) {
	b := &in.Body
	who := callerOf(ctx)
	if b.Kind != decision.Later && who.Scope != ScopeManage {
		return nil, &api.Problem{Status: http.StatusForbidden, Title: "Not for you", Detail: "a technician may say that machines are left alone until a date (later); the other decisions are an administrator's"}
	}
	d := decision.Decision{Kind: b.Kind, Scope: strings.TrimSpace(b.Scope), Release: b.Release, Requirement: b.Requirement, Reason: strings.TrimSpace(b.Reason), By: by(ctx), At: s.now().UTC()}
	if b.Until != "" {
		day, err := time.Parse(time.DateOnly, b.Until)
		if err != nil {
			return nil, refuse("Not a decision", "until is %q; write the last day as 2027-01-31", b.Until)
		}
		d.Until = day.AddDate(0, 0, 1).UTC() // the day itself belongs to it
	}
	var rel *release.Release
	if d.Kind == decision.Waive {
		if d.Release == "" {
			d.Release = s.releaseWith(d.Requirement)
		}
		var err error
		if rel, err = s.release(ctx, d.Release, 0); err != nil && d.Release != "" {
			return nil, s.problem(err, noRelease(d.Release))
		}
	}
	if err := decision.Check(&d, rel, s.now()); err != nil {
		return nil, refuse("Not a decision", "%s", err)
	}
	if who.limited() {
		f, err := fleet.Parse(d.Scope)
		if err != nil {
			return nil, s.problem(err, "")
		}
		d.Scope = f.Within("place", who.Places...).String()
	}
	f, err := s.where(ctx, d.Scope)
	if err != nil {
		return nil, err
	}
	machines := 0
	if err := s.look(ctx, func(x *fleet.Index) {
		x.Select(f).Each(func(r *fleet.Row) {
			if d.Kind != decision.Waive || fails(r, &d) {
				machines++
			}
		})
	}); err != nil {
		return nil, s.problem(err, "")
	}
	if machines == 0 && !b.Ahead {
		return nil, refuse("Not a decision", "no machine is meant by %q%s; correct the filter, or say with ahead that machines are to come", d.Scope, map[bool]string{true: " that fails " + d.Requirement}[d.Kind == decision.Waive])
	}
	store.Note(ctx, "", say.Decision(&d, d.Requirement, s.now())+" For "+d.Scope+".")
	if d.ID, err = s.store.AddDecision(ctx, &d); err != nil {
		return nil, s.problem(err, "")
	}
	s.redecide()
	return &struct{ Body api.Decision }{s.showDecision(&d, machines, s.now())}, nil
}

// releaseWith is the target that has a requirement.
func (s *Server) releaseWith(requirement string) string {
	first := ""
	for _, class := range []string{fact.PC, fact.Mac} {
		if t, ok := s.target(class); ok {
			if t.release.Requirement(requirement) != nil {
				return t.release.ID
			}
			first = cmp.Or(first, t.release.ID)
		}
	}
	return first
}

// redecide lays decisions over the index anew before the next answer.
func (s *Server) redecide() {
	s.live.decided.stale.Store(true)
	s.live.touch()
}

func (s *Server) endDecision(ctx context.Context, in *struct {
	ID int64 `path:"id" minimum:"1"`
}) (*struct{}, error) {
	none := fmt.Sprintf("there is no decision %d that counts", in.ID)
	list, _, err := s.decisions(ctx, false)
	if err != nil {
		return nil, s.problem(err, "")
	}
	var d *decision.Decision
	for i := range list {
		if list[i].ID == in.ID {
			d = &list[i]
		}
	}
	if d == nil {
		return nil, s.problem(store.ErrNotFound, none)
	}
	if who := callerOf(ctx); who.limited() && d.By != who.Name {
		return nil, s.problem(store.ErrNotFound, none)
	}
	if who := callerOf(ctx); d.Kind != decision.Later && who.Scope != ScopeManage {
		return nil, &api.Problem{Status: http.StatusForbidden, Title: "Not for you", Detail: "ending this decision is an administrator's"}
	}
	store.Note(ctx, say.Decision(d, d.Requirement, s.now())+" For "+d.Scope+".", "ended")
	if err := s.store.EndDecision(ctx, in.ID, by(ctx), s.now()); err != nil {
		return nil, s.problem(err, none)
	}
	s.redecide()
	return nil, nil
}
