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

	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/store"
)

// settings are those in force, with what counts where nobody set any.
func (s *Server) settings() api.Settings {
	s.mu.RLock()
	defer s.mu.RUnlock()
	return s.set
}

func (s *Server) loadSettings(ctx context.Context) error {
	stored, err := s.store.Settings(ctx)
	if err != nil {
		return err
	}
	number := func(name string, otherwise int) int {
		if n, err := strconv.Atoi(stored[name]); err == nil {
			return n
		}
		return otherwise
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.set = api.Settings{StaleDays: number("stale-days", 30), HistoryMonths: number("history-months", 13), RetiredDays: number("retired-days", 90), ViewersSeeAll: stored["viewers-see-all"] == "yes", WebhooksPrivate: stored["webhooks-private"] == "yes"}
	return nil
}

func (s *Server) putSettings(ctx context.Context, in *struct{ Body api.Settings }) (*struct{ Body api.Settings }, error) {
	store.Note(ctx, fmt.Sprintf("%+v", s.settings()), fmt.Sprintf("%+v", in.Body))
	yes := map[bool]string{true: "yes", false: "no"}
	values := map[string]string{
		"stale-days":       strconv.Itoa(in.Body.StaleDays),
		"history-months":   strconv.Itoa(in.Body.HistoryMonths),
		"retired-days":     strconv.Itoa(in.Body.RetiredDays),
		"viewers-see-all":  yes[in.Body.ViewersSeeAll],
		"webhooks-private": yes[in.Body.WebhooksPrivate],
	}
	if err := s.store.SetSettings(ctx, values); err != nil {
		return nil, s.problem(err, "")
	}
	if err := s.loadSettings(ctx); err != nil {
		return nil, s.problem(err, "")
	}
	return &struct{ Body api.Settings }{s.settings()}, nil
}

func (s *Server) tokens(a huma.API) {
	tag := []string{"Settings"}
	huma.Register(a, secured(huma.Operation{OperationID: "settings", Method: http.MethodGet, Path: "/settings", Summary: "How long things are kept, and who sees what", Tags: tag}, ScopeRead),
		func(context.Context, *struct{}) (*struct{ Body api.Settings }, error) {
			return &struct{ Body api.Settings }{s.settings()}, nil
		})
	huma.Register(a, secured(huma.Operation{OperationID: "put-settings", Method: http.MethodPut, Path: "/settings", Summary: "Change them", Tags: tag, Errors: []int{http.StatusUnprocessableEntity}}, ScopeManage), s.putSettings)
	huma.Register(a, secured(huma.Operation{OperationID: "tokens", Method: http.MethodGet, Path: "/tokens", Summary: "List tokens", Tags: tag}, ScopeManage),
		func(ctx context.Context, _ *struct{}) (*struct{ Body api.TokenList }, error) {
			list, err := s.store.Tokens(ctx)
			if err != nil {
				return nil, s.problem(err, "")
			}
			out := api.TokenList{Tokens: []api.TokenRow{}}
			recent := s.uses.all()
			for i := range list {
				if at, ok := recent[list[i].ID]; ok {
					list[i].UsedAt = at.UnixMilli()
				}
				out.Tokens = append(out.Tokens, tokenRow(&list[i]))
			}
			return &struct{ Body api.TokenList }{out}, nil
		})
	huma.Register(a, secured(huma.Operation{OperationID: "add-token", Method: http.MethodPost, Path: "/tokens", Summary: "Make a token", Tags: tag, Errors: []int{http.StatusConflict}}, ScopeManage),
		func(ctx context.Context, in *struct{ Body api.NewToken }) (*struct{ Body api.TokenMade }, error) {
			b := &in.Body
			t := store.Token{Name: b.Name, Scope: b.Scope, UsesLeft: -1, Tag: b.Tag, Place: b.Place, Places: strings.Join(b.Places, "\n"), Imported: b.Imported}
			if b.Days > 0 {
				t.ExpiresAt = s.now().UTC().AddDate(0, 0, b.Days).Truncate(time.Second).UnixMilli()
			}
			if b.Scope == ScopeSubmit {
				t.UsesLeft = cmp.Or(b.Machines, machinesOfToken)
			}
			if err := tokenMistake(b); err != "" {
				return nil, refuse("The token was not made", "%s", err)
			}
			wrong, err := s.takenName(ctx, b.Name)
			if err != nil {
				return nil, s.problem(err, "")
			}
			if wrong != "" {
				return nil, &api.Problem{Status: http.StatusConflict, Title: "The token was not made", Detail: wrong}
			}
			store.Note(ctx, "", b.Name+", may "+b.Scope)
			id, secret, err := s.addToken(ctx, &t)
			if err != nil {
				if strings.Contains(err.Error(), "UNIQUE") {
					return nil, &api.Problem{Status: http.StatusConflict, Title: "The name is taken", Detail: fmt.Sprintf("there is a token %q already; choose another name", b.Name)}
				}
				return nil, s.problem(err, "")
			}
			t.ID = id
			made := api.TokenMade{TokenRow: tokenRow(&t), Secret: secret}
			if b.Succeeds != 0 {
				if made.Taken, err = s.store.Succeed(ctx, id, b.Succeeds); err != nil {
					return nil, s.problem(err, "")
				}
			}
			return &struct{ Body api.TokenMade }{made}, nil
		})
	huma.Register(a, secured(huma.Operation{OperationID: "delete-token", Method: http.MethodDelete, Path: "/tokens/{id}", Summary: "End a token", Tags: tag, DefaultStatus: http.StatusNoContent, Errors: []int{http.StatusNotFound}}, ScopeManage),
		func(ctx context.Context, in *struct {
			ID int64 `path:"id" minimum:"1"`
		}) (*struct{}, error) {
			if err := s.store.DeleteToken(ctx, in.ID); err != nil {
				return nil, s.problem(err, fmt.Sprintf("there is no token %d", in.ID))
			}
			return nil, nil
		})
}

func tokenRow(t *store.Token) api.TokenRow {
	created, used := t.Times()
	out := api.TokenRow{ID: t.ID, Name: t.Name, Scope: t.Scope, CreatedAt: created}
	if !used.IsZero() {
		out.UsedAt = &used
	}
	if expires := t.Expires(); !expires.IsZero() {
		out.ExpiresAt = &expires
	}
	if t.UsesLeft >= 0 {
		out.Machines = &t.UsesLeft
	}
	out.Imported = t.Imported
	out.Tag, out.Place, out.Places = t.Tag, t.Place, lines(t.Places)
	return out
}

// machinesOfToken is how many machines a token may add where nobody says it.
const machinesOfToken = 10_000

// tokenMistake says what does not go together in a token that is asked for.
func tokenMistake(t *api.NewToken) string {
	submits := t.Scope == ScopeSubmit
	switch {
	case !submits && (t.Machines > 0 || t.Tag != "" || t.Place != "" || t.Succeeds != 0 || t.Imported):
		return "machines, tag, place, succeeds and imported are for tokens that submit"
	case (submits || t.Scope == ScopeManage) && len(t.Places) > 0:
		return "places limit what is seen, by tokens that read or work"
	case t.Tag != "" && !goodTag(t.Tag):
		return fmt.Sprintf("%q is no tag; a tag has letters, digits, - and _", t.Tag)
	}
	return placesMistake(append([]string{t.Place}, t.Places...))
}

func placesMistake(places []string) string {
	for _, p := range places {
		if strings.ContainsAny(p, "\"\n") {
			return fmt.Sprintf("%q is no place; a place has no quotes and no line ends", p)
		}
	}
	return ""
}

func (s *Server) places(a huma.API) {
	tag := []string{"Settings"}
	huma.Register(a, secured(huma.Operation{OperationID: "places", Method: http.MethodGet, Path: "/places", Summary: "List places", Tags: tag}, ScopeRead),
		func(ctx context.Context, _ *struct{}) (*struct{ Body api.PlaceList }, error) {
			list, err := s.store.Places(ctx)
			if err != nil {
				return nil, s.problem(err, "")
			}
			out := api.PlaceList{Places: []api.Place{}}
			for _, p := range list {
				if callerOf(ctx).sees(p.Name) {
					out.Places = append(out.Places, api.Place(p))
				}
			}
			return &struct{ Body api.PlaceList }{out}, nil
		})
	huma.Register(a, secured(huma.Operation{OperationID: "set-places", Method: http.MethodPut, Path: "/places", Summary: "Replace all places", Tags: tag, Errors: []int{http.StatusUnprocessableEntity}}, ScopeManage),
		func(ctx context.Context, in *struct{ Body api.PlaceList }) (*struct{ Body api.PlaceList }, error) {
			seen := map[string]bool{}
			list := make([]store.Place, len(in.Body.Places))
			for i, p := range in.Body.Places {
				if seen[p.Prefix] {
					return nil, &api.Problem{Status: http.StatusUnprocessableEntity, Title: "The places have a mistake", Detail: fmt.Sprintf("the prefix %q stands twice", p.Prefix)}
				}
				seen[p.Prefix], list[i] = true, store.Place(p)
			}
			store.Note(ctx, "", say.Count(len(list), "place", "places"))
			if err := s.setPlaces(ctx, list); err != nil {
				return nil, s.problem(err, "")
			}
			return &struct{ Body api.PlaceList }{in.Body}, nil
		})
}

// setPlaces replaces all places, which moves machines in lists.
func (s *Server) setPlaces(ctx context.Context, list []store.Place) error {
	defer s.live.stale()
	return s.store.SetPlaces(ctx, list)
}
