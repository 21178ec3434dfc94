package server

import (
	"context"
	"encoding/base64"
	"net/url"
	"strings"
	"time"

	"rsc.io/qr"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/results"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/store"
)

// visitsAPI has the operations on the work at one machine.
type visitsAPI struct{ *Server }

// TickInput names an item of a machine.
type TickInput struct {
	Key  string `path:"key" maxLength:"80"`
	Kind string `path:"kind" enum:"prepare,step,leave,after"`
	Item string `path:"item" maxLength:"64" doc:"Id of the item of preparation, of the step, of the item for a machine that leaves, or of the question to the user after the upgrade"`
}

func (s visitsAPI) tick(ctx context.Context, in *struct {
	TickInput
	Body api.SayTick
}) (out api.Machine, err error) {
	t := assess.Tick{Item: in.Kind + "/" + in.Item, State: in.Body.State, Note: strings.TrimSpace(in.Body.Note)}
	if t.State == "refused" && t.Note == "" {
		return out, refuse("Reason is missing", "a refusal needs a reason in note, for whoever comes next")
	}
	switch in.Kind + "/" {
	case assess.TickLeaving:
		err = s.Work.Leave(ctx, in.Key, in.Item, t)
	case assess.TickAfter:
		err = s.Work.AfterUpgrade(ctx, in.Key, in.Item, t)
	default:
		err = s.Work.SetTick(ctx, in.Key, t)
	}
	if err != nil {
		return out, err
	}
	return machinesAPI(s).showMachine(ctx, &keyInput{in.Key})
}

func (s visitsAPI) removeTick(ctx context.Context, in *TickInput) (api.Machine, error) {
	if err := s.Work.RemoveTick(ctx, in.Key, in.Kind+"/"+in.Item); err != nil {
		return api.Machine{}, err
	}
	return machinesAPI(s).showMachine(ctx, &keyInput{in.Key})
}

// linkHours is how long a link lasts where nothing is said: a working day.
const linkHours = 10

func (s visitsAPI) makeLink(ctx context.Context, in *struct {
	Key    string `path:"key" maxLength:"80"`
	Hours  int    `query:"hours" minimum:"0" maximum:"168" doc:"Hours until the link expires (default 10)"`
	Origin string `query:"origin" maxLength:"200" doc:"Address under which the phone reaches the service, such as https://rolltop.ferries.example"`
}) (out api.VisitLink, err error) {
	d, err := s.Machines.Find(ctx, in.Key)
	if err != nil {
		return out, err
	}
	origin, err := originOf(in.Origin)
	if err != nil {
		return out, err
	}
	hours := in.Hours
	if hours == 0 {
		hours = linkHours
	}
	secret, expires := NewSecret(""), s.now().UTC().Add(time.Duration(hours)*time.Hour).Truncate(time.Second)
	store.Note(ctx, "", "a link until "+say.Moment(expires))
	if err := s.store.AddLink(ctx, hash(secret), d.ID, callerOf(ctx).Name, expires, s.now()); err != nil {
		return out, err
	}
	out = api.VisitLink{Path: visitPath + secret, Expires: expires}
	if origin != "" {
		out.Address = origin + out.Path
		out.Picture, err = picture(out.Address)
	}
	return out, err
}

// originOf takes the address of a service: a scheme and a host, nothing else.
func originOf(text string) (string, error) {
	if text == "" {
		return "", nil
	}
	u, err := url.Parse(text)
	if err != nil || !bareOrigin(u) {
		return "", refuse("Invalid origin",
			"origin is %q; write it as https://rolltop.ferries.example, without a path", text)
	}
	return u.Scheme + "://" + u.Host, nil
}

func bareOrigin(u *url.URL) bool {
	web := u.Scheme == "http" || u.Scheme == "https"
	more := u.User != nil || strings.Trim(u.Path, "/") != "" || u.RawQuery != "" || u.Fragment != ""
	return web && u.Host != "" && !more
}

func (s visitsAPI) endLinks(ctx context.Context, in *keyInput) error {
	d, err := s.Machines.Find(ctx, in.Key)
	if err != nil {
		return err
	}
	return s.store.EndLinks(ctx, d.ID, s.now())
}

func (s visitsAPI) after(ctx context.Context, in *struct {
	Key       string `path:"key" maxLength:"80"`
	Inventory int64  `query:"inventory" minimum:"1" required:"true" doc:"Id of the earlier inventory in the machine's history"`
	To        int64  `query:"to" minimum:"0" doc:"Id of the later inventory (default: the latest)"`
}) (results.Document, error) {
	got, err := s.Machines.Since(ctx, in.Key, in.Inventory, in.To)
	if err != nil {
		return results.Document{}, err
	}
	return *got, nil
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
