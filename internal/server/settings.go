package server

import (
	"cmp"
	"context"
	"fmt"
	"net/http"
	"strings"
	"time"

	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/service"
	"rolltop.example/rolltop/internal/store"
)

// settingsAPI has the operations on settings, tokens and sites.
type settingsAPI struct{ *Server }

func (s settingsAPI) showSettings(context.Context, *struct{}) (api.Settings, error) {
	return api.Settings(s.Settings.Get()), nil
}

func (s settingsAPI) putSettings(ctx context.Context, in *struct{ Body api.Settings }) (api.Settings, error) {
	err := s.Settings.Set(ctx, service.Values(in.Body))
	return api.Settings(s.Settings.Get()), err
}

func (s settingsAPI) listTokens(ctx context.Context, _ *struct{}) (api.TokenList, error) {
	list, err := s.store.Tokens(ctx)
	out := api.TokenList{Tokens: []api.TokenRow{}}
	recent := s.uses.all()
	for i := range list {
		if at, ok := recent[list[i].ID]; ok {
			list[i].UsedAt = at.UnixMilli()
		}
		out.Tokens = append(out.Tokens, tokenRow(&list[i]))
	}
	return out, err
}

func tokenRow(t *store.Token) api.TokenRow {
	created, used := t.Times()
	out := api.TokenRow{
		ID:        t.ID,
		Name:      t.Name,
		Scope:     t.Scope,
		CreatedAt: created,
		Imported:  t.Imported,
		Tag:       t.Tag,
		Place:     t.Place,
		Places:    service.Lines(t.Places),
	}
	if !used.IsZero() {
		out.UsedAt = &used
	}
	if expires := t.Expires(); !expires.IsZero() {
		out.ExpiresAt = &expires
	}
	if t.UsesLeft >= 0 {
		out.Machines = &t.UsesLeft
	}
	return out
}

// machinesOfToken is how many machines a token may add where nobody says it.
const machinesOfToken = 10_000

func (s settingsAPI) addToken(ctx context.Context, in *struct{ Body api.NewToken }) (out api.TokenMade, err error) {
	const title = "The token was not made"
	b := &in.Body
	if wrong := tokenMistake(b); wrong != "" {
		return out, refuse(title, "%s", wrong)
	}
	wrong, err := s.takenName(ctx, b.Name)
	if err != nil {
		return out, err
	}
	if wrong != "" {
		return out, &api.Problem{Status: http.StatusConflict, Title: title, Detail: wrong}
	}
	t := store.Token{
		Name:     b.Name,
		Scope:    b.Scope,
		UsesLeft: -1,
		Tag:      b.Tag,
		Place:    b.Place,
		Places:   strings.Join(b.Places, "\n"),
		Imported: b.Imported,
	}
	if b.Days > 0 {
		t.ExpiresAt = s.now().UTC().AddDate(0, 0, b.Days).Truncate(time.Second).UnixMilli()
	}
	if b.Scope == ScopeSubmit {
		t.UsesLeft = cmp.Or(b.Machines, machinesOfToken)
	}
	store.Note(ctx, "", b.Name+", may "+b.Scope)
	id, secret, err := s.makeToken(ctx, &t)
	if err != nil {
		if strings.Contains(err.Error(), "UNIQUE") {
			return out, &api.Problem{Status: http.StatusConflict, Title: "The name is taken",
				Detail: fmt.Sprintf("there is a token %q already; choose another name", b.Name)}
		}
		return out, err
	}
	t.ID = id
	out = api.TokenMade{TokenRow: tokenRow(&t), Secret: secret}
	if b.Succeeds != 0 {
		out.Taken, err = s.store.Succeed(ctx, id, b.Succeeds)
	}
	return out, err
}

// tokenMistake says what does not go together in a token that is asked for.
func tokenMistake(t *api.NewToken) string {
	submits := t.Scope == ScopeSubmit
	ofIntake := t.Machines > 0 || t.Tag != "" || t.Place != "" || t.Succeeds != 0 || t.Imported
	switch {
	case ofIntake && !submits:
		return "machines, tag, place, succeeds and imported are for tokens that submit"
	case (submits || t.Scope == ScopeManage) && len(t.Places) > 0:
		return "places limit what is seen, by tokens that read or work"
	case t.Tag != "" && !goodTag(t.Tag):
		return fmt.Sprintf("%q is no tag; a tag has letters, digits, - and _", t.Tag)
	}
	return sitesMistake(append([]string{t.Place}, t.Places...))
}

func (s settingsAPI) removeToken(ctx context.Context, in *struct {
	ID int64 `path:"id" minimum:"1"`
}) error {
	return orMissing(s.store.DeleteToken(ctx, in.ID), "there is no token %d", in.ID)
}

func sitesMistake(sites []string) string {
	for _, p := range sites {
		if strings.ContainsAny(p, "\"\n") {
			return fmt.Sprintf("%q is no place; a place has no quotes and no line ends", p)
		}
	}
	return ""
}

func (s settingsAPI) listSites(ctx context.Context, _ *struct{}) (api.PlaceList, error) {
	list, err := s.store.Places(ctx)
	out := api.PlaceList{Places: []api.Place{}}
	for _, p := range list {
		if callerOf(ctx).Sees(p.Name) {
			out.Places = append(out.Places, api.Place(p))
		}
	}
	return out, err
}

func (s settingsAPI) setSites(ctx context.Context, in *struct{ Body api.PlaceList }) (api.PlaceList, error) {
	seen := map[string]bool{}
	list := make([]store.Place, len(in.Body.Places))
	for i, p := range in.Body.Places {
		if seen[p.Prefix] {
			return api.PlaceList{}, refuse("The places have a mistake", "the prefix %q stands twice", p.Prefix)
		}
		seen[p.Prefix], list[i] = true, store.Place(p)
	}
	store.Note(ctx, "", say.Count(len(list), "place", "places"))
	return in.Body, s.Machines.SetSites(ctx, list)
}
