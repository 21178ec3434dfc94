package server

import (
	"cmp"
	"context"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/store"
	"rolltop.example/rolltop/internal/tables"
)

// Machines go to their target in waves.
func (s *Server) waves(a huma.API) {
	tag := []string{"Waves"}
	reg := func(id, method, path, summary string) huma.Operation {
		return huma.Operation{OperationID: id, Method: method, Path: path, Summary: summary, Tags: tag, Errors: []int{http.StatusNotFound, http.StatusUnprocessableEntity}}
	}
	huma.Register(a, secured(reg("waves", http.MethodGet, "/waves", "Waves, blackout days and forecasts"), ScopeRead), s.listWaves)
	huma.Register(a, secured(reg("add-wave", http.MethodPost, "/waves", "Add a wave"), ScopeManage), s.addWave)
	huma.Register(a, secured(reg("wave", http.MethodGet, "/waves/{id}", "A wave with its machines, and why others may not enter"), ScopeRead), s.showWave)
	huma.Register(a, secured(reg("put-wave", http.MethodPut, "/waves/{id}", "Change a wave"), ScopeManage), s.putWave)
	end := reg("end-wave", http.MethodDelete, "/waves/{id}", "End a wave; machines that were not handed over are free again")
	end.DefaultStatus = http.StatusNoContent
	huma.Register(a, secured(end, ScopeManage), s.endWave)
	huma.Register(a, secured(reg("fill-wave", http.MethodPost, "/waves/{id}/machines", "Put machines into a wave"), ScopeManage), s.fillWave)
	drop := reg("drop-wave-machine", http.MethodDelete, "/waves/{id}/machines/{key}", "Take a machine out of a wave")
	drop.DefaultStatus = http.StatusNoContent
	huma.Register(a, secured(drop, ScopeManage), s.dropMember)
	off := reg("hand-off", http.MethodGet, "/waves/{id}/hand-off", "The machines of a wave for a deployment system")
	off.Responses = map[string]*huma.Response{"200": {Description: "rolltop-handoff/1, or its machines as CSV or NDJSON", Content: map[string]*huma.MediaType{"application/json": {}, "text/csv": {}, "application/x-ndjson": {}}}}
	huma.Register(a, secured(off, ScopeRead), s.handOff)
	huma.Register(a, secured(reg("handed", http.MethodPost, "/waves/{id}/hand-off", "Note that the machines of a wave were handed over, and tell those who are told of changes"), ScopeManage), s.handed)
	huma.Register(a, secured(reg("outcomes", http.MethodPost, "/waves/{id}/outcomes", "What a deployment system says became of machines"), ScopeWork), s.outcomes)
	file := reg("outcomes-file", http.MethodPost, "/waves/{id}/outcomes/file", "What became of machines, in a file")
	file.Description, file.MaxBodyBytes = "CSV with the columns machine, outcome (arrived, failed, back) and reason, or an object a line. A row that is refused takes nothing from the others.", tables.MaxBytes*2
	huma.Register(a, secured(file, ScopeWork), s.outcomesFile)
	dark := reg("set-blackout", http.MethodPut, "/blackout", "Set the days on which nothing is upgraded")
	dark.DefaultStatus = http.StatusNoContent
	huma.Register(a, secured(dark, ScopeManage), s.setBlackout)
}

// WaveInput names a wave.
type WaveInput struct {
	ID int64 `path:"id" minimum:"1"`
}

func noWave(id int64) string { return fmt.Sprintf("there is no wave %d; rolltop waves lists them", id) }

// wavesNow are all waves with their machines.
type wavesNow struct {
	waves   []wave.Wave
	dark    []wave.Blackout
	members map[int64][]store.Member // by wave
	in      map[int64]int64          // machine → a wave that has not ended
}

func (s *Server) wavesNow(ctx context.Context) (*wavesNow, error) {
	var out wavesNow
	var err error
	if out.waves, err = s.store.Waves(ctx); err != nil {
		return nil, s.problem(err, "")
	}
	if out.dark, err = s.store.Blackouts(ctx); err != nil {
		return nil, s.problem(err, "")
	}
	all, err := s.store.Members(ctx)
	if err != nil {
		return nil, s.problem(err, "")
	}
	out.members, out.in = map[int64][]store.Member{}, map[int64]int64{}
	for _, m := range all {
		out.members[m.WaveID] = append(out.members[m.WaveID], m)
		if w := out.wave(m.WaveID); w != nil && !w.Ended {
			out.in[m.DeviceID] = m.WaveID
		}
	}
	return &out, nil
}

func (n *wavesNow) wave(id int64) *wave.Wave {
	for i := range n.waves {
		if n.waves[i].ID == id {
			return &n.waves[i]
		}
	}
	return nil
}

// found is a wave with all others, or the problem that there is none.
func (s *Server) found(ctx context.Context, id int64) (*wavesNow, *wave.Wave, error) {
	all, err := s.wavesNow(ctx)
	if err != nil {
		return nil, nil, err
	}
	w := all.wave(id)
	if w == nil {
		return nil, nil, s.problem(store.ErrNotFound, noWave(id))
	}
	return all, w, nil
}

func (s *Server) listWaves(ctx context.Context, _ *struct{}) (*struct{ Body api.WaveList }, error) {
	all, err := s.wavesNow(ctx)
	if err != nil {
		return nil, err
	}
	taken, err := s.takenAt(ctx)
	if err != nil {
		return nil, err
	}
	out := api.WaveList{Waves: []api.Wave{}, Blackout: []api.Blackout{}}
	for i := range all.waves {
		w := &all.waves[i]
		if callerOf(ctx).limited() && !anyTaken(all.members[w.ID], taken) {
			continue
		}
		out.Waves = append(out.Waves, s.sayWave(ctx, w, all.members[w.ID], taken))
	}
	for _, b := range all.dark {
		out.Blackout = append(out.Blackout, api.Blackout{From: string(b.From), To: string(b.To), Reason: b.Reason})
	}
	if out.Forecasts, err = s.forecasts(ctx, all.dark); err != nil {
		return nil, err
	}
	return &struct{ Body api.WaveList }{out}, nil
}

// anyTaken says that one of the members is among machines.
func anyTaken(members []store.Member, taken map[int64]time.Time) bool {
	return slices.ContainsFunc(members, func(m store.Member) bool {
		_, seen := taken[m.DeviceID]
		return seen
	})
}

// sayWave says a wave as a caller may see it: its rule may name sites that they do not see.
func (s *Server) sayWave(ctx context.Context, w *wave.Wave, members []store.Member, taken map[int64]time.Time) api.Wave {
	out := api.Wave{ID: w.ID, Name: w.Name, Release: w.Release, Pilot: w.Pilot, Rule: w.Rule, Most: w.Most, Starts: string(w.Starts), Ends: string(w.Ends), Note: w.Note, Ended: w.Ended, Outcomes: map[string]int{}}
	if callerOf(ctx).limited() {
		out.Rule = fleet.Term(fleet.SoughtWave, strconv.FormatInt(w.ID, 10))
	}
	for i := range members {
		if at, seen := taken[members[i].DeviceID]; seen {
			out.Machines++
			out.Outcomes[outcomeOf(&members[i], at)]++
		}
	}
	for _, class := range []string{fact.PC, fact.Mac} {
		if t, ok := s.target(class); ok && t.release.ID == w.Release {
			out.To = t.release.Name
		}
	}
	out.To = cmp.Or(out.To, w.Release)
	out.Says = w.Says(out.Outcomes)
	return out
}

func (s *Server) showWave(ctx context.Context, in *WaveInput) (*struct{ Body api.WaveDetail }, error) {
	all, w, err := s.found(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	got, err := s.wave(ctx, all, w)
	if err != nil {
		return nil, err
	}
	return &struct{ Body api.WaveDetail }{*got}, nil
}

func (s *Server) wave(ctx context.Context, all *wavesNow, w *wave.Wave) (*api.WaveDetail, error) {
	of, rows, picked, err := s.candidates(ctx, all, w)
	if err != nil {
		return nil, err
	}
	packs, err := s.packages(ctx, w, rows, of)
	if err != nil {
		return nil, err
	}
	taken, now := map[int64]time.Time{}, s.now()
	for id, r := range rows {
		taken[id] = r.TakenAt
	}
	members := all.members[w.ID]
	if callerOf(ctx).limited() && !anyTaken(members, taken) {
		return nil, s.problem(store.ErrNotFound, noWave(w.ID))
	}
	out := &api.WaveDetail{Wave: s.sayWave(ctx, w, members, taken), Members: []api.WaveMachine{}}
	mine := map[int64]bool{}
	for i := range members {
		m := &members[i]
		r, seen := rows[m.DeviceID]
		if !seen {
			continue
		}
		mine[r.ID] = true
		one := packs[r.ID]
		one.MachineRef = rowRef(&r)
		one.Outcome, one.Reason, one.ByName, one.HandedAt = outcomeOf(m, r.TakenAt), m.Reason, m.ByName, m.Handed()
		if one.Outcome == wave.Waiting {
			one.Reason = wave.Refuse(of[r.ID], now)
			one.Refused = one.Reason != ""
		}
		out.Members = append(out.Members, one)
	}
	slices.SortFunc(out.Members, func(a, b api.WaveMachine) int { return strings.Compare(a.Place+a.Name, b.Place+b.Name) })
	days, err := s.daysOf(ctx, members, w, all.dark)
	if err != nil {
		return nil, err
	}
	for i := range out.Members {
		out.Members[i].Day = string(days[out.Members[i].Key])
	}
	no := refusals{}
	for _, id := range picked {
		if mine[id] {
			continue
		}
		r := rows[id]
		of[id].Fails = "" // many machines: the kinds of reasons are enough
		if why := wave.Refuse(of[id], now); why != "" {
			no.add(why, rowRef(&r))
		} else {
			out.Free++
		}
	}
	out.Refusals = no.list()
	return out, nil
}

// daysOf are the days on which the machines of a wave go, by their keys. They are the
// same whoever asks: spread over all members, and not over those that somebody sees.
func (s *Server) daysOf(ctx context.Context, members []store.Member, w *wave.Wave, dark []wave.Blackout) (map[string]wave.Day, error) {
	mine := make(map[int64]bool, len(members))
	for i := range members {
		mine[members[i].DeviceID] = true
	}
	type standing struct{ at, key string }
	var list []standing
	if err := s.look(ctx, func(x *fleet.Index) {
		x.Select(fleet.Filter{}.Within("retired", "yes", "no")).Each(func(r *fleet.Row) {
			if mine[r.ID] {
				list = append(list, standing{r.Place + r.Name, r.Key})
			}
		})
	}); err != nil {
		return nil, s.problem(err, "")
	}
	slices.SortFunc(list, func(a, b standing) int {
		return cmp.Or(strings.Compare(a.at, b.at), strings.Compare(a.key, b.key))
	})
	out := make(map[string]wave.Day, len(list))
	for i, day := range wave.Spread(len(list), w.Starts, w.Ends, dark) {
		out[list[i].key] = day
	}
	return out, nil
}

func (s *Server) readWave(b *api.MakeWave, id int64) (wave.Wave, error) {
	w := wave.Wave{ID: id, Name: strings.TrimSpace(b.Name), Release: b.Release, Pilot: b.Pilot, Rule: strings.TrimSpace(b.Rule), Most: b.Most, Note: b.Note}
	for _, d := range []struct {
		text string
		to   *wave.Day
	}{{b.Starts, &w.Starts}, {b.Ends, &w.Ends}} {
		if d.text == "" {
			continue
		}
		var err error
		if *d.to, err = wave.ReadDay(d.text); err != nil {
			return w, refuse("Not a wave", "%s", err)
		}
	}
	if t, ok := s.target(fact.PC); ok && w.Release == "" {
		w.Release = t.release.ID
	}
	for _, class := range []string{fact.PC, fact.Mac} {
		if t, ok := s.target(class); ok && t.release.ID == w.Release {
			return w, nil
		}
	}
	return w, refuse("Not a wave", "%q is no target; waves go to a target release", w.Release)
}

func (s *Server) saveWave(ctx context.Context, b *api.MakeWave, id int64) (*struct{ Body api.WaveDetail }, error) {
	w, err := s.readWave(b, id)
	if err != nil {
		return nil, err
	}
	all, err := s.wavesNow(ctx)
	if err != nil {
		return nil, err
	}
	today := wave.On(s.now())
	if old := all.wave(id); old != nil && old.Starts < today && w.Starts == old.Starts {
		today = old.Starts // it has begun, and goes on
	}
	if err := wave.Check(&w, all.waves, all.dark, today); err != nil {
		return nil, refuse("Not a wave", "%s", err)
	}
	store.Note(ctx, "", fmt.Sprintf("%s to %s, %s to %s, at most %d: %s", w.Name, w.Release, w.Starts, w.Ends, w.Most, w.Rule))
	if w.ID, err = s.store.PutWave(ctx, &w, by(ctx), s.now()); err != nil {
		return nil, s.problem(err, noWave(id))
	}
	s.live.touch()
	return s.showWave(ctx, &WaveInput{w.ID})
}

func (s *Server) addWave(ctx context.Context, in *struct{ Body api.MakeWave }) (*struct{ Body api.WaveDetail }, error) {
	return s.saveWave(ctx, &in.Body, 0)
}

func (s *Server) putWave(ctx context.Context, in *struct {
	WaveInput
	Body api.MakeWave
}) (*struct{ Body api.WaveDetail }, error) {
	return s.saveWave(ctx, &in.Body, in.ID)
}

func (s *Server) endWave(ctx context.Context, in *WaveInput) (*struct{}, error) {
	if err := s.store.EndWave(ctx, in.ID, s.now()); err != nil {
		return nil, s.problem(err, noWave(in.ID))
	}
	s.live.touch()
	return nil, nil
}

func (s *Server) fillWave(ctx context.Context, in *struct {
	WaveInput
	Body api.FillWave
}) (*struct{ Body api.WaveFilled }, error) {
	all, w, err := s.found(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	if w.Ended {
		return nil, refuse("The wave has ended", "%q takes no machines any more", w.Name)
	}
	of, rows, picked, err := s.candidates(ctx, all, w)
	if err != nil {
		return nil, err
	}
	if _, err := s.packages(ctx, w, rows, of); err != nil {
		return nil, err
	}
	named, only := map[string]bool{}, len(in.Body.Keys) > 0
	for _, k := range in.Body.Keys {
		named[k] = true
	}
	mine := map[int64]bool{}
	for _, m := range all.members[w.ID] {
		mine[m.DeviceID] = true
	}
	byName := ""
	if in.Body.ByName {
		if len(named) == 0 {
			return nil, refuse("By name", "machines of which a requirement is waived enter by name: give their keys")
		}
		byName = by(ctx)
	}
	no, now := refusals{}, s.now()
	var add []int64
	for _, id := range picked {
		r, c := rows[id], of[id]
		if mine[id] || only && !named[r.Key] {
			delete(named, r.Key)
			continue
		}
		delete(named, r.Key)
		if !only {
			c.Fails = "" // many machines: the kinds of reasons are enough
		}
		if byName != "" {
			c.ByName = byName
		}
		switch why := wave.Refuse(c, now); {
		case why != "":
			no.add(why, rowRef(&r))
		case len(all.members[w.ID])+len(add) >= w.Most:
			no.add(fmt.Sprintf("the wave is full: it takes %d machines", w.Most), rowRef(&r))
		default:
			add = append(add, id)
		}
	}
	for key := range named {
		no.add("the wave's rule does not pick it", api.MachineRef{Key: key, Name: key})
	}
	store.Note(ctx, "", fmt.Sprintf("%s: %s more", w.Name, say.Count(len(add), "machine", "machines")))
	if err := s.store.AddMembers(ctx, w.ID, add, byName); err != nil {
		return nil, s.problem(err, "")
	}
	s.live.touch()
	return &struct{ Body api.WaveFilled }{api.WaveFilled{Added: len(add), Refusals: no.list()}}, nil
}

func (s *Server) dropMember(ctx context.Context, in *struct {
	WaveInput
	Key string `path:"key" maxLength:"80"`
}) (*struct{}, error) {
	d, err := s.store.DeviceByKey(ctx, in.Key)
	if err == nil {
		err = s.store.DropMember(ctx, in.ID, d.ID)
	}
	if err != nil {
		return nil, s.problem(err, fmt.Sprintf("the machine %q is in no wave %d", in.Key, in.ID))
	}
	s.live.touch()
	return nil, nil
}

func (s *Server) setBlackout(ctx context.Context, in *struct{ Body api.Blackouts }) (*struct{}, error) {
	var list []wave.Blackout
	for _, d := range in.Body.Days {
		b := wave.Blackout{Reason: strings.TrimSpace(d.Reason)}
		var err error
		if b.From, err = wave.ReadDay(d.From); err == nil {
			b.To, err = wave.ReadDay(cmp.Or(d.To, d.From))
		}
		if err != nil {
			return nil, refuse("Not blackout days", "%s", err)
		}
		if b.To < b.From {
			return nil, refuse("Not blackout days", "they end on %s, before they begin on %s", b.To, b.From)
		}
		list = append(list, b)
	}
	store.Note(ctx, "", say.Count(len(list), "range of blackout days", "ranges of blackout days"))
	if err := s.store.SetBlackouts(ctx, list); err != nil {
		return nil, s.problem(err, "")
	}
	s.live.touch()
	return nil, nil
}
