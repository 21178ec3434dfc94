package server

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/identity"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/manual"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/service"
	"rolltop.example/rolltop/internal/store"
)

// machinesAPI has the operations on machines, one at a time and in lists.
type machinesAPI struct{ *Server }

func (s machinesAPI) machineRow(r *fleet.Row) api.MachineRow {
	out := api.MachineRow{
		Key:          r.Key,
		Name:         r.Name,
		Site:         r.Site,
		Class:        r.Class,
		Manufacturer: r.Manufacturer,
		Model:        r.Model,
		Installed:    r.Installed,
		TakenAt:      r.TakenAt,
		Fails:        r.Fails,
		Tags:         service.Lines(r.Tags),
		Retired:      r.Retired,
		Duplicate:    r.Doubted,
		Stale:        r.TakenAt.Before(s.now().AddDate(0, 0, -s.Settings.Get().StaleDays)),
	}
	for i, name := range fleet.DecisionNames {
		if r.Decided&(1<<i) != 0 {
			out.Decided = append(out.Decided, name)
		}
	}
	if ends := r.SupportEnds(); !ends.IsZero() {
		days := r.DaysLeft(s.now())
		out.SupportEnds, out.DaysLeft = ends.Format(time.DateOnly), &days
	}
	if r.Judged {
		out.Disposition, out.Certainty, out.Release = r.Disposition.String(), "expected", r.Release.Name
		if r.Certain && !assess.Stale(r.TakenAt, s.now()) {
			out.Certainty = "confirmed"
		}
	}
	return out
}

// answered is a machine of a list with the sentence on what it takes.
func (s machinesAPI) answered(r *fleet.Row, a service.Answer) api.MachineRow {
	out := s.machineRow(r)
	out.Answer, out.Facts = assess.Dated(a.Says, out.Disposition, out.TakenAt, s.now()), a.Facts
	return out
}

func (s machinesAPI) listMachines(ctx context.Context, in *struct {
	ListInput
	Facts []string `query:"facts" maxItems:"40" doc:"Facts to add as columns, separated by commas"`
}) (out api.MachineList, err error) {
	defs, err := s.Index.Facts(ctx, in.Facts)
	if err != nil {
		return out, err
	}
	var got *service.Page
	if len(defs) == 0 {
		if got, err = s.Index.EarlyList(ctx, in.query()); err != nil {
			return out, err
		}
	}
	if got == nil {
		if got, err = s.Index.List(ctx, in.query(), nil); err != nil {
			return out, err
		}
	}
	out = api.MachineList{
		Loading:  got.Early,
		Total:    got.Total,
		Page:     in.Page,
		Size:     in.Size,
		From:     got.From,
		Next:     got.Next,
		Machines: []api.MachineRow{},
	}
	if out.Filter, err = readFilter(in.Where); err != nil {
		return out, err
	}
	out.Where = out.Filter.Where
	answers, err := s.Answers.Of(ctx, got.Rows, defs)
	if err != nil {
		return out, err
	}
	for i := range got.Rows {
		r := &got.Rows[i]
		out.Machines = append(out.Machines, s.answered(r, answers[r.ID]))
	}
	return out, nil
}

func (s machinesAPI) showMachine(ctx context.Context, in *keyInput) (out api.Machine, err error) {
	d, err := s.Machines.Find(ctx, in.Key)
	if err != nil {
		return out, err
	}
	facts, err := s.Machines.Facts(ctx, d, 0)
	if err != nil {
		return out, err
	}
	sites, err := s.store.Sites(ctx)
	if err != nil {
		return out, err
	}
	row := s.Index.Row(d, sites)
	out = api.Machine{
		MachineRow: s.machineRow(&row),
		Facts:      factGroups(callerOf(ctx).show(facts.Inventory)),
		Attested:   attestation(&facts, callerOf(ctx).Plain),
		Vouched:    vouched(d, &facts),
		Hand:       callerOf(ctx).manualFacts(&facts),
		History:    []api.InventoryRef{},
	}
	for _, add := range []func(context.Context, *store.Machine, *api.Machine) error{
		s.addMarks, s.addHistory, s.addDuplicates, s.addChanges, s.addWork,
	} {
		if err := add(ctx, d, &out); err != nil {
			return out, err
		}
	}
	return out, s.addCheck(ctx, d, &facts, &out)
}

// addCheck adds the check of a machine against the target of its class, with what people decided
// about it and said of its work.
func (s machinesAPI) addCheck(ctx context.Context, d *store.Machine, facts *service.Facts, out *api.Machine) error {
	ticks, err := s.store.Ticks(ctx, d.ID)
	if err != nil {
		return err
	}
	out.Leaving = listed(work.Leavings, assess.TickLeaving, ticks)
	if t, ok := s.Releases.Target(d.Class); ok && d.Installed == t.Release.Name {
		out.After = listed(work.UserQuestions, assess.TickAfter, ticks)
	}
	t, ok := s.Releases.Target(d.Class)
	if !ok {
		out.NoCheck = fmt.Sprintf("No target release is set for this class of hardware (%s).", d.Class)
		return nil
	}
	on, err := s.Decisions.On(ctx, d.Key)
	if err != nil {
		return err
	}
	for i := range on {
		shown := s.Decisions.Show(ctx, &on[i], 1)
		out.Decisions = append(out.Decisions, decided(&shown))
	}
	waivers, err := s.Decisions.WaiversOn(ctx, d.Key, t.Release)
	if err != nil {
		return err
	}
	got, err := s.Machines.Check(ctx, t.Release, facts.Inventory, waivers...)
	if err != nil {
		out.NoCheck = say.Sentence(err.Error())
		return nil
	}
	got.Apply(ticks)
	got.Vouched = out.Vouched
	out.Check, out.Release, out.Fails = got, t.Release.Name, got.Counts.Fail
	out.Disposition, out.Certainty, out.Answer = got.Disposition, got.Certainty, got.Answer
	return nil
}

// senderOf is who the facts of a machine come from.
func senderOf(d *store.Machine) say.Sender {
	switch {
	case d.PublicKey != "":
		return say.KeySender
	case d.TokenID > 0:
		return say.TokenSender
	case d.TokenID == identity.ByPerson:
		return say.PersonSender
	}
	return say.UnknownSender
}

// vouched says how it is assured that the facts of a machine are its own, and true.
func vouched(d *store.Machine, facts *service.Facts) string {
	return say.Vouched(senderOf(d), time.UnixMilli(d.KeyAt).UTC()) + " " +
		say.Attestation(facts.Standing, fact.Read(facts.Inventory))
}

// addMarks adds what people wrote on a machine, who speaks for it and how many are of its model.
func (s machinesAPI) addMarks(ctx context.Context, d *store.Machine, out *api.Machine) error {
	rows := []store.Row{{Machine: *d}}
	if err := s.store.AddMarks(ctx, rows); err != nil {
		return err
	}
	out.Keyed = d.PublicKey != ""
	out.Tags, out.Duplicate = rows[0].Tags, rows[0].Duplicate
	keys, err := s.store.KeysOfModel(ctx, d.Maker, d.Model)
	if d.Model != "" && !callerOf(ctx).Limited() {
		out.SameModel = &api.ModelCount{Maker: d.Maker, Model: d.Model, Machines: len(keys)}
	}
	return err
}

func (s machinesAPI) addHistory(ctx context.Context, d *store.Machine, out *api.Machine) error {
	history, err := s.store.History(ctx, d.ID)
	for _, h := range history {
		first, last := h.Times()
		out.History = append(out.History, api.InventoryRef{ID: h.ID, TakenAt: first, LastSeen: last, Beside: h.Beside})
	}
	return err
}

// addDuplicates adds what is to be settled about which machine it is.
func (s machinesAPI) addDuplicates(ctx context.Context, d *store.Machine, out *api.Machine) error {
	list, err := s.store.DuplicatesOf(ctx, d.ID)
	for i := range list {
		if s.Machines.SeesDuplicate(ctx, &list[i]) {
			out.Duplicates = append(out.Duplicates, duplicate(&list[i]))
		}
	}
	return err
}

// addChanges adds how the machine's disposition changed.
func (s machinesAPI) addChanges(ctx context.Context, d *store.Machine, out *api.Machine) error {
	flips, err := s.store.FlipsOf(ctx, d.ID)
	for i := range flips {
		f := &flips[i]
		out.Changes = append(out.Changes, api.DispositionChange{
			Release: f.Release,
			Was:     dispositionName(f.Was),
			Becomes: dispositionName(f.Becomes),
			Cause:   f.Cause,
			By:      strings.Fields(f.Why),
			At:      f.At(),
		})
	}
	return err
}

func dispositionName(n int) string { return remedy.Disposition(n).String() }

// addWork adds who has the work on a machine, and the wave that it is in.
func (s machinesAPI) addWork(ctx context.Context, d *store.Machine, out *api.Machine) error {
	given, err := s.store.Assignments(ctx)
	if err != nil {
		return err
	}
	a := given[d.ID]
	out.Who, out.WorkNote, out.VisitDay, out.VisitHalf = a.Who, a.Note, a.Day, a.Half
	if err := s.addStanding(ctx, d, out); err != nil {
		return err
	}
	in, err := s.Waves.Of(ctx, d)
	if in != nil {
		out.Wave = &api.InWave{
			ID:      in.ID,
			Name:    in.Name,
			Starts:  string(in.Starts),
			Ends:    string(in.Ends),
			Outcome: in.Outcome,
			Says:    wave.OutcomeNames()[in.Outcome],
			Reason:  in.Reason,
			Paused:  in.Paused,

			Day:         in.Day,
			HandedOffAt: in.HandedOffAt,
			Hops:        in.Hops,
		}
	}
	if err != nil {
		return err
	}
	records, err := s.Waves.Recorded(ctx, d.ID)
	for i := range records {
		r := &records[i]
		out.WaveRecords = append(out.WaveRecords, api.WaveRecord{
			Wave:    r.Wave,
			WaveID:  r.WaveID,
			Release: r.To,
			Outcome: r.Outcome,
			Reason:  r.Reason,
			By:      r.By,
			At:      r.At(),
		})
	}
	return err
}

// addStanding adds what was decided and what is under way, with notes, contact and desk.
func (s machinesAPI) addStanding(ctx context.Context, d *store.Machine, out *api.Machine) error {
	stands, err := s.Standings.Of(ctx, d)
	out.Standing = []api.Standing{}
	for _, one := range stands {
		out.Standing = append(out.Standing, api.Standing(one))
		if one.Kind == service.StandsStart {
			out.Start = one.Day
		}
	}
	if err != nil {
		return err
	}
	err = s.Index.View(ctx, func(x *fleet.Index) { // what is stored of a machine alone does not say when support ends
		if r := x.Row(d.ID); r != nil {
			row := s.machineRow(r)
			out.SupportEnds, out.DaysLeft = row.SupportEnds, row.DaysLeft
		}
	})
	if err != nil {
		return err
	}
	if !callerOf(ctx).Plain {
		return nil
	}
	contacts, err := s.store.Contacts(ctx)
	if err != nil {
		return err
	}
	out.Contact, out.Desk = contacts[d.ID].Contact, contacts[d.ID].Desk
	notes, err := techniciansAPI(s).notes(ctx, d.Key)
	out.Notes = notes.Notes
	return err
}

func factGroups(d *inventory.Document) []api.FactGroup {
	out := []api.FactGroup{}
	for _, g := range say.Facts(d) {
		group := api.FactGroup{Group: g.Name, Summary: g.Summary}
		for _, r := range g.Rows {
			row := api.FactRow{
				Fact:   r.Fact,
				Label:  r.Label,
				Value:  r.Value,
				Known:  r.Known,
				None:   r.None,
				Source: r.Source,
				Why:    r.Why,
				Try:    r.Try,
			}
			if def := fact.ByName(manual.Plain(r.Fact)); def != nil && !r.Known {
				row.Choices, row.Example = need.Choices(def), need.Example(def)
			}
			group.Facts = append(group.Facts, row)
		}
		out = append(out, group)
	}
	return out
}

func (s machinesAPI) showInventory(ctx context.Context, in *struct {
	Key string `path:"key" maxLength:"80"`
	ID  int64  `query:"id" minimum:"0" doc:"Id in the machine's history (default: the latest)"`

	Proven bool `query:"proven" doc:"The latest one with what the machine's TPM attests, as it is checked; it cannot be handed in"`
}) (*raw, error) {
	d, err := s.Machines.Find(ctx, in.Key)
	if err != nil {
		return nil, err
	}
	id := in.ID
	if id == 0 {
		id = d.InventoryID
	}
	inv, err := s.store.Inventory(ctx, d.ID, id)
	if err != nil {
		return nil, orMissing(err, "%s", service.NoInventory(in.Key, id))
	}
	if in.Proven {
		if inv, err = s.Machines.Proven(ctx, d, id, inv); err != nil {
			return nil, err
		}
	}
	b, err := json.Marshal(callerOf(ctx).show(inv))
	return &raw{ContentType: "application/json", Body: b}, err
}

func (s machinesAPI) removeMachine(ctx context.Context, in *keyInput) error {
	return s.Machines.Remove(ctx, in.Key)
}
