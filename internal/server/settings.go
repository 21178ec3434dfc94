package server

import (
	"context"
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/store"
)

func (s *Server) tokens(a huma.API) {
	tag := []string{"Settings"}
	huma.Register(a, secured(huma.Operation{OperationID: "tokens", Method: http.MethodGet, Path: "/tokens", Summary: "List tokens", Tags: tag}, ScopeManage),
		func(ctx context.Context, _ *struct{}) (*struct{ Body api.TokenList }, error) {
			list, err := s.store.Tokens(ctx)
			if err != nil {
				return nil, s.problem(err, "")
			}
			out := api.TokenList{Tokens: []api.TokenRow{}}
			for i := range list {
				out.Tokens = append(out.Tokens, tokenRow(&list[i]))
			}
			return &struct{ Body api.TokenList }{out}, nil
		})
	huma.Register(a, secured(huma.Operation{OperationID: "add-token", Method: http.MethodPost, Path: "/tokens", Summary: "Make a token", Tags: tag, Errors: []int{http.StatusConflict}}, ScopeManage),
		func(ctx context.Context, in *struct{ Body api.NewToken }) (*struct{ Body api.TokenMade }, error) {
			var expires time.Time
			if in.Body.Days > 0 {
				expires = s.now().UTC().AddDate(0, 0, in.Body.Days).Truncate(time.Second)
			}
			store.Note(ctx, "", in.Body.Name+", may "+in.Body.Scope)
			id, secret, err := s.addToken(ctx, in.Body.Name, in.Body.Scope, expires)
			if err != nil {
				if strings.Contains(err.Error(), "UNIQUE") {
					return nil, &api.Problem{Status: http.StatusConflict, Title: "The name is taken", Detail: fmt.Sprintf("there is a token %q already; choose another name", in.Body.Name)}
				}
				return nil, s.problem(err, "")
			}
			return &struct{ Body api.TokenMade }{api.TokenMade{TokenRow: tokenRow(&store.Token{ID: id, Name: in.Body.Name, Scope: in.Body.Scope, CreatedAt: s.now().UnixMilli(), ExpiresAt: millis(expires)}), Secret: secret}}, nil
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
	return out
}

// millis is a time as the store has it; 0 is never.
func millis(t time.Time) int64 {
	if t.IsZero() {
		return 0
	}
	return t.UnixMilli()
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
				out.Places = append(out.Places, api.Place(p))
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
