package server

import (
	"context"

	"rolltop.example/rolltop/core/decision"
	"rolltop.example/rolltop/core/watch"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/service"
)

// decisionsAPI has the operations on decisions.
type decisionsAPI struct{ *Server }

func decided(d *service.Decided) api.Decision {
	return api.Decision{
		ID:          d.ID,
		Kind:        d.Kind,
		Says:        d.Says,
		Scope:       d.Scope,
		Release:     d.Release,
		Requirement: d.Requirement,
		Title:       d.Title,
		Reason:      d.Reason,
		By:          d.By,
		At:          d.At,
		Until:       d.Until,
		Counts:      d.Counts,
		EndedAt:     d.Ended,
		EndedBy:     d.EndedBy,
		Machines:    d.Machines,
		Where:       d.Where,
	}
}

func (s decisionsAPI) listDecisions(ctx context.Context, in *struct {
	All bool `query:"all" doc:"Include decisions that ended long ago"`
}) (api.DecisionList, error) {
	list, err := s.Decisions.List(ctx)
	out := api.DecisionList{Decisions: []api.Decision{}}
	for i := range list {
		d := &list[i]
		ended := d.Until
		if !d.Ended.IsZero() {
			ended = d.Ended
		}
		if in.All || d.Counts || s.now().Sub(ended) <= watch.EndedLately {
			out.Decisions = append(out.Decisions, decided(d))
		}
	}
	return out, err
}

func (s decisionsAPI) addDecision(
	ctx context.Context, in *struct{ Body api.MakeDecision },
) (out api.Decision, err error) {
	b := &in.Body
	if b.Kind != decision.Later && callerOf(ctx).Scope != ScopeManage {
		return out, notForYou("a technician can postpone machines until a date (later); only an administrator can " +
			"add other decisions")
	}
	got, err := s.Decisions.Add(ctx, &service.NewDecision{
		Kind:        b.Kind,
		Scope:       b.Scope,
		Release:     b.Release,
		Requirement: b.Requirement,
		Reason:      b.Reason,
		Until:       b.Until,
		Ahead:       b.Ahead,
		Trial:       b.DryRun,
	})
	if err != nil {
		return out, err
	}
	out = decided(&got)
	out.DryRun, out.Some = b.DryRun, got.Some
	return out, nil
}

func (s decisionsAPI) changeDecision(ctx context.Context, in *struct {
	ID   int64 `path:"id" minimum:"1"`
	Body api.ChangeDecision
}) (out api.Decision, err error) {
	d, err := s.Decisions.Find(ctx, in.ID)
	if err != nil {
		return out, err
	}
	if d.Kind != decision.Later && callerOf(ctx).Scope != ScopeManage {
		return out, notForYou("only an administrator can change this decision")
	}
	got, err := s.Decisions.Move(ctx, d, in.Body.Until)
	return decided(&got), err
}

func (s decisionsAPI) endDecision(ctx context.Context, in *struct {
	ID int64 `path:"id" minimum:"1"`
}) error {
	d, err := s.Decisions.Find(ctx, in.ID)
	if err != nil {
		return err
	}
	if d.Kind != decision.Later && callerOf(ctx).Scope != ScopeManage {
		return notForYou("only an administrator can end this decision")
	}
	return s.Decisions.End(ctx, d)
}
