package server

import (
	"context"
	"fmt"
	"net/http"
	"strings"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/store"
)

// leave keeps what somebody says of a machine that leaves. Closing its record takes it out
// of use.
func (s *Server) leave(ctx context.Context, in *TickInput, state, note string) (*struct{ Body api.Device }, error) {
	d, err := s.store.DeviceByKey(ctx, in.Key)
	if err != nil {
		return nil, s.problem(err, noDevice(in.Key))
	}
	if work.LeavingOf(in.Item) == nil {
		var items []string
		for _, l := range work.Leavings {
			items = append(items, assess.TickLeaving+l.ID)
		}
		return nil, &api.Problem{Status: http.StatusNotFound, Title: "Not found", Detail: fmt.Sprintf("there is no %s/%s; %s", in.Kind, in.Item, suggestItem(in.Kind+"/"+in.Item, items))}
	}
	before := "nothing was said"
	said := map[string]bool{}
	ticks, err := s.store.Ticks(ctx, d.ID)
	if err != nil {
		return nil, s.problem(err, "")
	}
	for _, t := range ticks {
		if id, ok := strings.CutPrefix(t.Item, assess.TickLeaving); ok {
			said[id] = true
			if id == in.Item {
				before = t.Says()
			}
		}
	}
	if in.Item == work.Closed {
		if state == "refused" {
			return nil, refuse("The record stays open", "closing it is not refused; leave it as it is")
		}
		if err := work.Close(said); err != nil {
			return nil, refuse("The record stays open", "%s", err)
		}
	}
	t := assess.Tick{Item: in.Kind + "/" + in.Item, State: state, By: by(ctx), At: s.now().UTC(), Note: note}
	store.Note(ctx, before, t.Says())
	if err := s.store.PutTick(ctx, d.ID, &t); err != nil {
		return nil, s.problem(err, "")
	}
	if in.Item == work.Closed {
		yes := true
		if _, err := s.store.Mark(ctx, []int64{d.ID}, &store.Marking{Retire: &yes}, s.now()); err != nil {
			return nil, s.problem(err, "")
		}
		s.live.touch(d.ID)
	}
	return s.showDevice(ctx, &deviceInput{in.Key})
}

// leavings are what is done when a machine leaves, with what people said.
func leavings(ticks []assess.Tick) []api.Leaving {
	out := make([]api.Leaving, len(work.Leavings))
	for i, l := range work.Leavings {
		out[i] = api.Leaving{ID: l.ID, Title: l.Title, Says: l.Says}
		for j := range ticks {
			if ticks[j].Item == assess.TickLeaving+l.ID {
				out[i].Ticked = &ticks[j]
			}
		}
	}
	return out
}

// workOn adds who has the work on a machine, and the wave that it is in.
func (s *Server) workOn(ctx context.Context, d *store.Device, out *api.Device) error {
	given, err := s.store.Assignments(ctx)
	if err != nil {
		return err
	}
	out.Who, out.WorkNote = given[d.ID].Who, given[d.ID].Note
	all, err := s.wavesNow(ctx)
	if err != nil {
		return err
	}
	for id, members := range all.members {
		for i := range members {
			if w := all.wave(id); members[i].DeviceID == d.ID && (!w.Ended || out.Wave == nil) {
				out.Wave = &api.InWave{ID: id, Name: w.Name, Starts: string(w.Starts), Ends: string(w.Ends), Outcome: outcomeOf(&members[i], d.Taken()), Reason: members[i].Reason}
			}
		}
	}
	return nil
}
