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

func (s settingsAPI) setSettings(ctx context.Context, in *struct{ Body api.Settings }) (api.Settings, error) {
	values, now := service.Values(in.Body), s.Settings.Get()
	values.WorkingDays = cmp.Or(values.WorkingDays, now.WorkingDays)
	values.WorkingHours = cmp.Or(values.WorkingHours, now.WorkingHours)
	err := s.Settings.Set(ctx, values)
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
		Site:      t.Site,
		Sites:     service.Lines(t.Sites),
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
	const title = "The token was not created"
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
		Site:     b.Site,
		Sites:    strings.Join(b.Sites, "\n"),
		Imported: b.Imported,
	}
	if b.Days > 0 {
		t.ExpiresAt = s.now().UTC().AddDate(0, 0, b.Days).Truncate(time.Second).UnixMilli()
	}
	if b.Scope == ScopeSubmit {
		t.UsesLeft = cmp.Or(b.Machines, machinesOfToken)
	}
	if b.Succeeds != 0 {
		switch known, err := s.store.TokenKnown(ctx, b.Succeeds); {
		case err != nil:
			return out, err
		case !known:
			return out, refuse("The token cannot be created",
				"there is no token %d to succeed; rolltop tokens lists them", b.Succeeds)
		}
	}
	store.Note(ctx, "", b.Name+", may "+b.Scope)
	id, secret, err := s.makeToken(ctx, &t)
	if err != nil {
		if strings.Contains(err.Error(), "UNIQUE") {
			return out, &api.Problem{Status: http.StatusConflict, Title: "The name is taken",
				Detail: fmt.Sprintf("the token %q already exists; choose another name", b.Name)}
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
	ofIntake := t.Machines > 0 || t.Tag != "" || t.Site != "" || t.Succeeds != 0 || t.Imported
	switch {
	case ofIntake && !submits:
		return "machines, tag, site, succeeds and imported apply only to the permission submit"
	case (submits || t.Scope == ScopeManage) && len(t.Sites) > 0:
		return "sites apply only to the permissions read and work"
	case t.Tag != "" && !goodTag(t.Tag):
		return fmt.Sprintf("%q is not a tag; a tag has letters, digits, - and _", t.Tag)
	}
	return sitesMistake(append([]string{t.Site}, t.Sites...))
}

func (s settingsAPI) removeToken(ctx context.Context, in *struct {
	ID int64 `path:"id" minimum:"1"`
}) error {
	return orMissing(s.store.DeleteToken(ctx, in.ID), "there is no token %d", in.ID)
}

func sitesMistake(sites []string) string {
	for _, p := range sites {
		if strings.ContainsAny(p, "\"\n") {
			return fmt.Sprintf("%q is not a site; a site cannot contain quotes or line breaks", p)
		}
	}
	return ""
}

func (s settingsAPI) listSites(ctx context.Context, _ *struct{}) (api.SiteList, error) {
	list, err := s.store.Sites(ctx)
	out := api.SiteList{Sites: []api.Site{}}
	for _, p := range list {
		if callerOf(ctx).Sees(p.Name) {
			out.Sites = append(out.Sites, api.Site(p))
		}
	}
	return out, err
}

func (s settingsAPI) setSites(ctx context.Context, in *struct{ Body api.SiteList }) (api.SiteList, error) {
	seen := map[string]bool{}
	list := make([]store.Site, len(in.Body.Sites))
	for i, p := range in.Body.Sites {
		if seen[p.Prefix] {
			return api.SiteList{}, refuse("The sites have a mistake", "the prefix %q appears twice", p.Prefix)
		}
		seen[p.Prefix], list[i] = true, store.Site(p)
	}
	store.Note(ctx, "", say.Count(len(list), "site", "sites"))
	return in.Body, s.Machines.SetSites(ctx, list)
}
