package server

import (
	"bytes"
	"context"
	"encoding/base64"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"rsc.io/qr"

	"rolltop.example/rolltop/core/after"
	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/report"
	"rolltop.example/rolltop/internal/store"
)

// The work on one machine: what people say is done, the page for the telephone,
// and what the work has come to.
func (s *Server) work(a huma.API) {
	tag := []string{"Devices"}
	huma.Register(a, secured(huma.Operation{OperationID: "tick", Method: http.MethodPut, Path: "/devices/{key}/ticks/{kind}/{item}", Summary: "Say that an item of preparation or a step is done, or refuse it", Tags: tag, Errors: []int{http.StatusNotFound, http.StatusUnprocessableEntity},
		Description: "It stands with the name of who says it. It makes no fact: the next inventory confirms a step, or shows that it had no effect."}, ScopeWork), s.tick)
	huma.Register(a, secured(huma.Operation{OperationID: "untick", Method: http.MethodDelete, Path: "/devices/{key}/ticks/{kind}/{item}", Summary: "Take back what was said of an item", Tags: tag, Errors: []int{http.StatusNotFound}}, ScopeWork), s.untick)
	huma.Register(a, secured(huma.Operation{OperationID: "visit-link", Method: http.MethodPost, Path: "/devices/{key}/visit-link", Summary: "Make a link to the page of the visit, for a telephone", Tags: tag, Errors: []int{http.StatusNotFound, http.StatusUnprocessableEntity},
		Description: "Whoever has the link sees the steps of the visit and no serial numbers, without signing in, until it expires."}, ScopeWork), s.makeLink)
	huma.Register(a, secured(huma.Operation{OperationID: "end-visit-links", Method: http.MethodDelete, Path: "/devices/{key}/visit-link", Summary: "End all links to the page of the visit", Tags: tag, DefaultStatus: http.StatusNoContent, Errors: []int{http.StatusNotFound}}, ScopeWork), s.endLinks)
	huma.Register(a, secured(huma.Operation{OperationID: "after", Method: http.MethodGet, Path: "/devices/{key}/after", Summary: "What the work since an earlier inventory has come to", Tags: tag, Errors: []int{http.StatusNotFound, http.StatusUnprocessableEntity}}, ScopeRead), s.after)
}

// TickInput names an item of a machine.
type TickInput struct {
	Key  string `path:"key" maxLength:"80"`
	Kind string `path:"kind" enum:"prepare,step,leave"`
	Item string `path:"item" maxLength:"64" doc:"Id of the item of preparation, of the step, or of what is done when the machine leaves"`
}

func (s *Server) tick(ctx context.Context, in *struct {
	TickInput
	Body api.SayTick
}) (*struct{ Body api.Device }, error) {
	note := strings.TrimSpace(in.Body.Note)
	if in.Body.State == "refused" && note == "" {
		return nil, &api.Problem{Status: http.StatusUnprocessableEntity, Title: "A refusal has a reason", Detail: "say in note why it is not done, for whoever comes next"}
	}
	if in.Kind+"/" == assess.TickLeaving {
		return s.leave(ctx, &in.TickInput, in.Body.State, note)
	}
	d, got, err := s.judged(ctx, in.Key)
	if err != nil {
		return nil, err
	}
	t := assess.Tick{Item: in.Kind + "/" + in.Item, State: in.Body.State, By: by(ctx), At: s.now().UTC(), Note: note}
	if items := got.Items(); !slices.Contains(items, t.Item) {
		return nil, &api.Problem{Status: http.StatusNotFound, Title: "Not found", Detail: fmt.Sprintf("the machine %q has no %s; %s", in.Key, t.Item, suggestItem(t.Item, items))}
	}
	before := "nothing was said"
	if old := got.Ticked(t.Item); old != nil {
		before = old.Says()
	}
	store.Note(ctx, before, t.Says())
	if err := s.store.PutTick(ctx, d.ID, &t); err != nil {
		return nil, s.problem(err, "")
	}
	return s.showDevice(ctx, &deviceInput{in.Key})
}

// noTarget is the problem of a machine for whose class no target is chosen.
func noTarget() error {
	return &api.Problem{Status: http.StatusUnprocessableEntity, Title: "Nothing to check against", Detail: "no target release is chosen for this class of hardware"}
}

func suggestItem(item string, items []string) string {
	if right := doc.Suggest(item, items); right != "" {
		return right
	}
	return "its items are " + strings.Join(items, ", ")
}

func (s *Server) untick(ctx context.Context, in *TickInput) (*struct{ Body api.Device }, error) {
	d, err := s.store.DeviceByKey(ctx, in.Key)
	if err != nil {
		return nil, s.problem(err, noDevice(in.Key))
	}
	if err := s.store.EndTick(ctx, d.ID, in.Kind+"/"+in.Item, by(ctx), s.now()); err != nil {
		return nil, s.problem(err, fmt.Sprintf("nobody has said anything of %s/%s on the machine %q", in.Kind, in.Item, in.Key))
	}
	return s.showDevice(ctx, &deviceInput{in.Key})
}

// judged is a machine with its check against the target, and what people said.
func (s *Server) judged(ctx context.Context, key string) (*store.Device, *assess.Document, error) {
	d, err := s.store.DeviceByKey(ctx, key)
	if err != nil {
		return nil, nil, s.problem(err, noDevice(key))
	}
	inv, _, _, err := s.whole(ctx, d, d.InventoryID)
	if err != nil {
		return nil, nil, s.problem(err, noDevice(key))
	}
	t, ok := s.target(d.Class)
	if !ok {
		return nil, nil, noTarget()
	}
	waivers, err := s.waiversOn(ctx, key, t)
	if err != nil {
		return nil, nil, s.problem(err, "")
	}
	got, err := s.checked(ctx, t, inv, waivers...)
	if err != nil {
		return nil, nil, err
	}
	ticks, err := s.store.Ticks(ctx, d.ID)
	if err != nil {
		return nil, nil, s.problem(err, "")
	}
	got.Apply(ticks)
	return d, got, nil
}

// linkHours is how long a link lasts where nothing is said: a working day.
const linkHours = 10

func (s *Server) makeLink(ctx context.Context, in *struct {
	Key    string `path:"key" maxLength:"80"`
	Hours  int    `query:"hours" minimum:"0" maximum:"168" doc:"How long it lasts; 10 where it is not given"`
	Origin string `query:"origin" maxLength:"200" doc:"Address under which the telephone reaches the service: https://rolltop.ferries.example"`
}) (*struct{ Body api.VisitLink }, error) {
	d, err := s.store.DeviceByKey(ctx, in.Key)
	if err != nil {
		return nil, s.problem(err, noDevice(in.Key))
	}
	origin, err := originOf(in.Origin)
	if err != nil {
		return nil, err
	}
	hours := in.Hours
	if hours == 0 {
		hours = linkHours
	}
	secret, expires := NewSecret(""), s.now().UTC().Add(time.Duration(hours)*time.Hour).Truncate(time.Second)
	store.Note(ctx, "", "a link until "+say.Moment(expires))
	if err := s.store.AddLink(ctx, hash(secret), d.ID, by(ctx), expires, s.now()); err != nil {
		return nil, s.problem(err, "")
	}
	out := api.VisitLink{Path: visitPath + secret, Expires: expires}
	if origin != "" {
		out.Address = origin + out.Path
		if out.Picture, err = picture(out.Address); err != nil {
			return nil, s.problem(err, "")
		}
	}
	return &struct{ Body api.VisitLink }{out}, nil
}

// originOf takes the address of a service: a scheme and a host, nothing else.
func originOf(text string) (string, error) {
	if text == "" {
		return "", nil
	}
	u, err := url.Parse(text)
	if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" || u.User != nil || strings.Trim(u.Path, "/") != "" || u.RawQuery != "" || u.Fragment != "" {
		return "", &api.Problem{Status: http.StatusUnprocessableEntity, Title: "Not the address of a service", Detail: fmt.Sprintf("origin is %q; write it as https://rolltop.ferries.example, without a path", text)}
	}
	return u.Scheme + "://" + u.Host, nil
}

func (s *Server) endLinks(ctx context.Context, in *deviceInput) (*struct{}, error) {
	d, err := s.store.DeviceByKey(ctx, in.Key)
	if err != nil {
		return nil, s.problem(err, noDevice(in.Key))
	}
	if err := s.store.EndLinks(ctx, d.ID, s.now()); err != nil {
		return nil, s.problem(err, "")
	}
	return nil, nil
}

func (s *Server) after(ctx context.Context, in *struct {
	Key       string `path:"key" maxLength:"80"`
	Inventory int64  `query:"inventory" minimum:"1" required:"true" doc:"The earlier one, of the machine's history"`
	To        int64  `query:"to" minimum:"0" doc:"The later one; the latest where it is not given"`
}) (*struct{ Body after.Document }, error) {
	d, err := s.store.DeviceByKey(ctx, in.Key)
	if err != nil {
		return nil, s.problem(err, noDevice(in.Key))
	}
	t, ok := s.target(d.Class)
	if !ok {
		return nil, noTarget()
	}
	if in.To == 0 {
		in.To = d.InventoryID
	}
	var sides [2]after.Check
	for i, id := range []int64{in.Inventory, in.To} {
		inv, _, _, err := s.whole(ctx, d, id)
		if err != nil {
			return nil, s.problem(err, fmt.Sprintf("the machine %q has no inventory %d", in.Key, id))
		}
		got, err := s.checked(ctx, t, inv)
		if err != nil {
			return nil, err
		}
		sides[i] = after.Check{Inventory: inv, Check: got}
	}
	out, err := after.Confirm(sides[0], sides[1])
	if err != nil {
		return nil, &api.Problem{Status: http.StatusUnprocessableEntity, Title: "These cannot be put beside each other", Detail: err.Error()}
	}
	return &struct{ Body after.Document }{*out}, nil
}

// visitPath is where the pages of visits are.
const visitPath = "/v/"

// visit shows the page of a visit to whoever has its link.
func (s *Server) visit(w http.ResponseWriter, r *http.Request) {
	h := w.Header()
	h.Set("Cache-Control", "no-store")
	h.Set("X-Robots-Tag", "noindex")
	h.Set("Content-Security-Policy", report.Policy)
	h.Set("Content-Type", "text/html; charset=utf-8")
	d, expires, err := s.store.LinkDevice(r.Context(), hash(strings.TrimPrefix(r.URL.Path, visitPath)), s.now())
	refuse := func(status int, title, says string) {
		w.WriteHeader(status)
		_ = report.Notice(w, title, says)
	}
	switch {
	case errors.Is(err, store.ErrExpired):
		refuse(http.StatusGone, "This link has expired", "Links to a visit last for a short time. Make a new one on the machine's page in the console.")
		return
	case errors.Is(err, store.ErrNotFound):
		refuse(http.StatusNotFound, "There is no such link", "It may have been copied in part. Make a new one on the machine's page in the console.")
		return
	case err != nil:
		s.log.Error("request failed", "error", err)
		refuse(http.StatusInternalServerError, "The service failed", "It could not show the visit; its log says why.")
		return
	}
	_, got, err := s.judged(r.Context(), d.Key)
	if err != nil {
		refuse(http.StatusUnprocessableEntity, "There is nothing to show", err.Error())
		return
	}
	var b bytes.Buffer
	if err := report.Visit(&b, got, expires); err != nil {
		s.log.Error("request failed", "error", err)
		refuse(http.StatusInternalServerError, "The service failed", "It could not show the visit; its log says why.")
		return
	}
	_, _ = b.WriteTo(w)
}

// picture is the square code of an address as a PNG in a data address.
func picture(address string) (string, error) {
	code, err := qr.Encode(address, qr.M)
	if err != nil {
		return "", err
	}
	code.Scale = 4
	return "data:image/png;base64," + base64.StdEncoding.EncodeToString(code.PNG()), nil
}
