package server

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"net/http"
	"reflect"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/byhand"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/identity"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/store"
)

// placeOf is the place with the longest prefix of a name.
func placeOf(name string, places []store.Place) string {
	best, place := 0, ""
	for _, p := range places {
		if len(p.Prefix) > best && len(name) >= len(p.Prefix) && strings.EqualFold(name[:len(p.Prefix)], p.Prefix) {
			best, place = len(p.Prefix), p.Name
		}
	}
	return place
}

// placeOfDevice is the place that a person gave a machine, or that of its name.
func placeOfDevice(d *store.Device, places []store.Place) string {
	if d.Placed != "" {
		return d.Placed
	}
	return placeOf(d.Name, places)
}

func (s *Server) deviceRow(r *fleet.Row) api.DeviceRow {
	out := api.DeviceRow{Key: r.Key, Name: r.Name, Place: r.Place, Class: r.Class, Manufacturer: r.Manufacturer, Model: r.Model, Installed: r.Installed, TakenAt: r.TakenAt, Fails: r.Fails,
		Tags: lines(r.Tags), Retired: r.Retired, Doubted: r.Doubted, Stale: r.TakenAt.Before(s.now().AddDate(0, 0, -s.settings().StaleDays))}
	for i, name := range fleet.DecisionNames {
		if r.Decided&(1<<i) != 0 {
			out.Decided = append(out.Decided, name)
		}
	}
	if r.Judged {
		out.Disposition, out.Certainty, out.Release = r.Disposition.String(), "expected", r.Release.Name
		if r.Certain && !assess.Stale(r.TakenAt, s.now()) {
			out.Certainty = "confirmed"
		}
	}
	return out
}

// whereDoc is what the description of the API says of filters.
var whereDoc = fleet.Doc()

// where reads a filter for a caller, who picks from what they see, or gives the
// problem that they are told.
func (s *Server) where(ctx context.Context, text string) (fleet.Filter, error) {
	f, err := fleet.Parse(text)
	if err != nil {
		return f, &api.Problem{Status: http.StatusUnprocessableEntity, Title: "The filter has a mistake", Detail: err.Error()}
	}
	who := callerOf(ctx)
	for _, id := range hidden {
		if !who.Plain && f.Asks(id) {
			return f, &api.Problem{Status: http.StatusForbidden, Title: "Not for you", Detail: fmt.Sprintf("%s names one machine, and your role does not show that", id.Def().Name)}
		}
	}
	if f, err = s.seek(ctx, f, who.Plain); err != nil {
		return f, s.problem(err, "")
	}
	if who.limited() {
		f = f.Within("place", who.Places...)
	}
	return f.At(s.now()), nil
}

// seek finds the machines that parts of a filter name. Without plain, serial numbers find
// none.
func (s *Server) seek(ctx context.Context, f fleet.Filter, plain bool) (fleet.Filter, error) {
	for _, sought := range f.Sought() {
		var ids []int64
		var err error
		switch {
		case sought.What == fleet.SoughtWho:
			ids, err = s.store.AssignedTo(ctx, sought.Value)
		case !sought.Naming():
			ids, err = s.inWaves(ctx, sought)
		case plain:
			ids, err = s.store.Named(ctx, sought.What, sought.Value)
		}
		if err != nil {
			return f, err
		}
		f = f.Found(sought.Key, ids)
	}
	return f, nil
}

type deviceInput struct {
	Key string `path:"key" maxLength:"80"`
}

func noDevice(key string) string {
	return fmt.Sprintf("there is no machine %q; rolltop devices lists them", key)
}

func (s *Server) devices(a huma.API) {
	tag := []string{"Devices"}
	huma.Register(a, secured(huma.Operation{OperationID: "devices", Method: http.MethodGet, Path: "/devices", Summary: "List machines", Tags: tag, Errors: []int{http.StatusUnprocessableEntity}}, ScopeRead), s.listDevices)
	huma.Register(a, secured(huma.Operation{OperationID: "device", Method: http.MethodGet, Path: "/devices/{key}", Summary: "One machine, checked now", Tags: tag, Errors: []int{http.StatusNotFound}}, ScopeRead), s.showDevice)
	huma.Register(a, secured(huma.Operation{OperationID: "remove-device", Method: http.MethodDelete, Path: "/devices/{key}", Summary: "Remove a machine with everything that is known of it", Tags: tag, DefaultStatus: http.StatusNoContent, Errors: []int{http.StatusNotFound},
		Description: "Its inventories, facts, ticks and links go; of what was done to it, only that something was done to a machine of that number stays."}, ScopeManage), s.removeDevice)
	op := huma.Operation{OperationID: "inventory", Method: http.MethodGet, Path: "/devices/{key}/inventory", Summary: "The inventory document of a machine", Tags: tag, Errors: []int{http.StatusNotFound},
		Responses: map[string]*huma.Response{"200": {Description: "The document", Content: map[string]*huma.MediaType{"application/json": {Schema: a.OpenAPI().Components.Schemas.Schema(reflect.TypeFor[inventory.Document](), true, "")}}}}}
	huma.Register(a, secured(op, ScopeRead), s.deviceInventory)
	huma.Register(a, secured(huma.Operation{OperationID: "check", Method: http.MethodGet, Path: "/devices/{key}/check", Summary: "Check one machine against any release", Tags: tag, Errors: []int{http.StatusNotFound, http.StatusUnprocessableEntity}}, ScopeRead), s.checkDevice)
	huma.Register(a, secured(huma.Operation{OperationID: "enter-fact", Method: http.MethodPut, Path: "/devices/{key}/facts/{fact}", Summary: "Enter a fact by hand", Description: "It fills a gap. Where it differs from what was read, both stay, as sources that disagree.", Tags: tag, Errors: []int{http.StatusNotFound, http.StatusUnprocessableEntity}}, ScopeWork), s.enterFact)
	huma.Register(a, secured(huma.Operation{OperationID: "take-back-fact", Method: http.MethodDelete, Path: "/devices/{key}/facts/{fact}", Summary: "Take back a fact that was entered by hand", Tags: tag, Errors: []int{http.StatusNotFound}}, ScopeWork), s.takeBackFact)
	huma.Register(a, secured(huma.Operation{OperationID: "compare", Method: http.MethodGet, Path: "/compare", Summary: "Two machines, or two inventories of one, side by side", Tags: tag, Errors: []int{http.StatusNotFound}}, ScopeRead), s.compare)
}

// ListInput asks for a page of machines.
type ListInput struct {
	Where string `query:"where" maxLength:"2000" doc:"A filter"`
	Sort  string `query:"sort" default:"name" maxLength:"100" doc:"name, place, disposition, model, installed, fails or taken, a fact, or needs.ID for those that fail a requirement; a leading minus turns it round"`
	Page  int    `query:"page" default:"1" minimum:"1" maximum:"1000000"`
	After string `query:"after" maxLength:"1000" doc:"What a page gave as next, in place of a number of a page"`
	Size  int    `query:"size" default:"50" minimum:"1" maximum:"1000"`
}

// listed is a page of machines.
type listed struct {
	filter      fleet.Filter
	total, from int
	next        string
	rows        []fleet.Row
}

// list picks a page. more, where it is given, sees the whole selection.
func (s *Server) list(ctx context.Context, in *ListInput, more func(*fleet.Index, fleet.Selection)) (*listed, error) {
	order, err := fleet.ParseOrder(in.Sort)
	if err != nil {
		return nil, &api.Problem{Status: http.StatusUnprocessableEntity, Title: "The order has a mistake", Detail: err.Error()}
	}
	f, err := s.where(ctx, in.Where)
	if err != nil {
		return nil, err
	}
	var mark fleet.Mark
	if in.After != "" {
		if b, err := base64.RawURLEncoding.DecodeString(in.After); err != nil || json.Unmarshal(b, &mark) != nil {
			return nil, refuse("No such page", "after=%s is not what a page gave as next", in.After)
		}
	}
	out := &listed{filter: f}
	err = s.look(ctx, func(x *fleet.Index) {
		picked := x.Select(f)
		out.total = picked.Len()
		if in.After != "" {
			out.rows, out.from = picked.After(order, mark, in.Size)
		} else {
			out.from = (in.Page - 1) * in.Size
			out.rows = picked.Page(order, out.from, in.Size)
		}
		if n := len(out.rows); n > 0 && out.from+n < out.total {
			if m, ok := x.MarkOf(order, out.rows[n-1].ID); ok {
				b, _ := json.Marshal(m) // texts and numbers
				out.next = base64.RawURLEncoding.EncodeToString(b)
			}
		}
		if more != nil {
			more(x, picked)
		}
	})
	if err != nil {
		return nil, s.problem(err, "")
	}
	return out, nil
}

func (s *Server) listDevices(ctx context.Context, in *struct {
	ListInput
	Facts []string `query:"facts" maxItems:"40" doc:"Facts that become columns, parted by commas"`
}) (*struct{ Body api.DeviceList }, error) {
	defs, err := factsNamed(callerOf(ctx), in.Facts)
	if err != nil {
		return nil, err
	}
	got, early, err := s.early(ctx, &in.ListInput, defs)
	if err != nil {
		return nil, s.problem(err, "")
	}
	if !early {
		if got, err = s.list(ctx, &in.ListInput, nil); err != nil {
			return nil, err
		}
	}
	out := api.DeviceList{Loading: early, Total: got.total, Page: in.Page, Size: in.Size, From: got.from, Next: got.next, Where: s.said(ctx, got.filter, in.Where), Devices: []api.DeviceRow{}}
	answers, err := s.answers(ctx, got.rows, defs)
	if err != nil {
		return nil, s.problem(err, "")
	}
	for i := range got.rows {
		row := s.deviceRow(&got.rows[i])
		a := answers[got.rows[i].ID]
		row.Answer, row.Facts = assess.Dated(a.says, row.Disposition, row.TakenAt, s.now()), a.facts
		out.Devices = append(out.Devices, row)
	}
	return &struct{ Body api.DeviceList }{out}, nil
}

// said is a filter as the caller wrote it, in its canonical text: without what
// limits them.
func (s *Server) said(ctx context.Context, f fleet.Filter, text string) string {
	if callerOf(ctx).limited() {
		f, _ = fleet.Parse(text) // it was read before
	}
	return f.String()
}

func (s *Server) showDevice(ctx context.Context, in *deviceInput) (*struct{ Body api.Device }, error) {
	d, err := s.store.DeviceByKey(ctx, in.Key)
	if err != nil {
		return nil, s.problem(err, noDevice(in.Key))
	}
	inv, hand, left, err := s.whole(ctx, d, d.InventoryID)
	if err != nil {
		return nil, s.problem(err, noDevice(in.Key))
	}
	places, err := s.store.Places(ctx)
	if err != nil {
		return nil, s.problem(err, "")
	}
	history, err := s.store.History(ctx, d.ID)
	if err != nil {
		return nil, s.problem(err, "")
	}
	r := row(&store.Row{Device: *d}, nil, places)
	shown := callerOf(ctx).show(inv)
	out := api.Device{DeviceRow: s.deviceRow(&r), Facts: factGroups(shown), History: []api.InventoryRef{}}
	if err := s.marksOf(ctx, d, &out); err != nil {
		return nil, s.problem(err, "")
	}
	for _, h := range history {
		first, last := h.Times()
		out.History = append(out.History, api.InventoryRef{ID: h.ID, TakenAt: first, LastSeen: last, Beside: h.Beside})
	}
	out.Hand = callerOf(ctx).handFacts(hand, left)
	ticks, err := s.store.Ticks(ctx, d.ID)
	if err != nil {
		return nil, s.problem(err, "")
	}
	out.Leaving = leavings(ticks)
	if err := s.workOn(ctx, d, &out); err != nil {
		return nil, s.problem(err, "")
	}
	t, ok := s.target(d.Class)
	if !ok {
		out.NoCheck = fmt.Sprintf("No target release is chosen for this class of hardware (%s).", d.Class)
		return &struct{ Body api.Device }{out}, nil
	}
	on, err := s.decisionsOn(ctx, d.Key)
	if err != nil {
		return nil, s.problem(err, "")
	}
	for i := range on {
		out.Decisions = append(out.Decisions, s.showDecision(&on[i], 1, s.now()))
	}
	waivers, err := s.waiversOn(ctx, d.Key, t)
	if err != nil {
		return nil, s.problem(err, "")
	}
	if out.Check, err = s.check(ctx, t, inv, waivers...); err != nil {
		out.NoCheck = say.Sentence(err.Error())
		return &struct{ Body api.Device }{out}, nil
	}
	out.Check.Apply(ticks)
	out.Check.Vouched = out.Vouched
	out.Disposition, out.Certainty, out.Answer, out.Release, out.Fails = out.Check.Disposition, out.Check.Certainty, out.Check.Answer, t.release.Name, out.Check.Counts.Fail
	return &struct{ Body api.Device }{out}, nil
}

// senderOf is who the facts of a machine come from.
func senderOf(d *store.Device) say.Sender {
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

// marksOf adds what people wrote on a machine, and what is to be settled about it.
func (s *Server) marksOf(ctx context.Context, d *store.Device, out *api.Device) error {
	rows := []store.Row{{Device: *d}}
	if err := s.store.Marked(ctx, rows); err != nil {
		return err
	}
	out.Vouched = say.Vouched(senderOf(d), time.UnixMilli(d.KeyAt).UTC())
	out.Keyed = d.PublicKey != ""
	out.Tags, out.Doubted = rows[0].Tags, rows[0].Doubted
	list, err := s.store.DoubtsOf(ctx, d.ID)
	if err != nil {
		return err
	}
	flips, err := s.store.FlipsOf(ctx, d.ID)
	if err != nil {
		return err
	}
	for i := range flips {
		f := &flips[i]
		out.Changes = append(out.Changes, api.DispositionChange{Release: f.Release, Was: dispositionName(f.Was), Becomes: dispositionName(f.Becomes), Cause: f.Cause, By: strings.Fields(f.Why), At: f.At()})
	}
	who := callerOf(ctx)
	for i := range list {
		if !who.limited() || s.sees(ctx, who, list[i].Key) && s.sees(ctx, who, list[i].Other) {
			out.Doubts = append(out.Doubts, doubt(&list[i]))
		}
	}
	keys, err := s.store.KeysOfModel(ctx, d.Maker, d.Model)
	if d.Model != "" && !who.limited() {
		out.SameModel = &api.ModelCount{Maker: d.Maker, Model: d.Model, Machines: len(keys)}
	}
	return err
}

func factGroups(d *inventory.Document) []api.FactGroup {
	out := []api.FactGroup{}
	for _, g := range say.Facts(d) {
		group := api.FactGroup{Group: g.Name, Summary: g.Summary}
		for _, r := range g.Rows {
			row := api.FactRow{Fact: r.Fact, Label: r.Label, Value: r.Value, Known: r.Known, Source: r.Source, Why: r.Why, Try: r.Try}
			if def := fact.ByName(byhand.Plain(r.Fact)); def != nil && !r.Known {
				row.Choices, row.Example = need.Choices(def), need.Example(def)
			}
			group.Facts = append(group.Facts, row)
		}
		out = append(out, group)
	}
	return out
}

func (s *Server) deviceInventory(ctx context.Context, in *struct {
	Key string `path:"key" maxLength:"80"`
	ID  int64  `query:"id" minimum:"0" doc:"One of the machine's history; the latest where it is not given"`
}) (*raw, error) {
	d, err := s.store.DeviceByKey(ctx, in.Key)
	if err != nil {
		return nil, s.problem(err, noDevice(in.Key))
	}
	id := in.ID
	if id == 0 {
		id = d.InventoryID
	}
	inv, err := s.store.Inventory(ctx, d.ID, id)
	if err != nil {
		return nil, s.problem(err, fmt.Sprintf("the machine %q has no inventory %d", in.Key, id))
	}
	b, err := json.Marshal(callerOf(ctx).show(inv))
	if err != nil {
		return nil, s.problem(err, "")
	}
	return &raw{ContentType: "application/json", Body: b}, nil
}

// raw is an answer that is a document as it is kept.
type raw struct {
	ContentType string `header:"Content-Type"`
	Body        []byte
}

func (s *Server) removeDevice(ctx context.Context, in *deviceInput) (*struct{}, error) {
	id, err := s.store.RemoveDevice(ctx, in.Key)
	if err != nil {
		return nil, s.problem(err, noDevice(in.Key))
	}
	s.live.touch(id)
	return nil, nil
}
