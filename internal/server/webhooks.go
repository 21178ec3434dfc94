package server

import (
	"context"
	"net/url"
	"slices"
	"time"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/store"
)

// webhooksAPI has the operations on webhooks.
type webhooksAPI struct{ *Server }

func hookRow(h *store.Hook) api.Hook {
	return api.Hook{
		Name:    h.Name,
		URL:     h.URL,
		SentAt:  moment(h.SentAt),
		Tries:   h.Tries,
		NextAt:  moment(h.NextAt),
		Problem: h.Problem,
		Waiting: h.Waiting,
	}
}

// moment is a time of the store, or nil where there is none.
func moment(millis int64) *time.Time {
	if millis <= 0 {
		return nil
	}
	at := time.UnixMilli(millis).UTC()
	return &at
}

func (s webhooksAPI) listWebhooks(ctx context.Context, _ *struct{}) (api.HookList, error) {
	list, err := s.store.Hooks(ctx)
	out := api.HookList{Hooks: []api.Hook{}}
	for i := range list {
		out.Hooks = append(out.Hooks, hookRow(&list[i]))
	}
	return out, err
}

func (s webhooksAPI) putWebhook(ctx context.Context, in *struct {
	Name string `path:"name" minLength:"1" maxLength:"64"`
	Body api.PutHook
}) (out api.HookPut, err error) {
	if wrong := s.sender.Mistake(in.Name, in.Body.URL); wrong != "" {
		return out, refuse("The address was not taken", "%s", wrong)
	}
	list, err := s.store.Hooks(ctx)
	if err != nil {
		return out, err
	}
	h := store.Hook{Name: in.Name, URL: in.Body.URL}
	isNew := !slices.ContainsFunc(list, func(h store.Hook) bool { return h.Name == in.Name })
	if isNew || in.Body.Renew {
		h.Secret = NewSecret("")
	}
	if u, err := url.Parse(in.Body.URL); err == nil {
		store.Note(ctx, "", u.Redacted())
	}
	if err := s.store.PutHook(ctx, &h); err != nil {
		return out, err
	}
	return api.HookPut{Hook: hookRow(&h), Secret: h.Secret}, nil
}

func (s webhooksAPI) removeWebhook(ctx context.Context, in *struct {
	Name string `path:"name" maxLength:"64"`
}) error {
	return orMissing(s.store.RemoveHook(ctx, in.Name), "there is no address %q", in.Name)
}
