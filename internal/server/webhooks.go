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

func webhookRow(h *store.Webhook) api.Webhook {
	return api.Webhook{
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

func (s webhooksAPI) listWebhooks(ctx context.Context, _ *struct{}) (api.WebhookList, error) {
	list, err := s.store.Webhooks(ctx)
	out := api.WebhookList{Webhooks: []api.Webhook{}}
	for i := range list {
		out.Webhooks = append(out.Webhooks, webhookRow(&list[i]))
	}
	return out, err
}

func (s webhooksAPI) showWebhook(ctx context.Context, in *struct {
	Name string `path:"name" maxLength:"64"`
}) (api.Webhook, error) {
	list, err := s.listWebhooks(ctx, nil)
	if err != nil {
		return api.Webhook{}, err
	}
	return named(list.Webhooks, func(h *api.Webhook) string { return h.Name }, in.Name, "webhook")
}

func (s webhooksAPI) setWebhook(ctx context.Context, in *struct {
	Name string `path:"name" minLength:"1" maxLength:"64"`
	Body api.SetWebhook
}) (out api.WebhookPut, err error) {
	if wrong := s.sender.Mistake(in.Name, in.Body.URL); wrong != "" {
		return out, refuse("The webhook was refused", "%s", wrong)
	}
	list, err := s.store.Webhooks(ctx)
	if err != nil {
		return out, err
	}
	h := store.Webhook{Name: in.Name, URL: in.Body.URL}
	isNew := !slices.ContainsFunc(list, func(h store.Webhook) bool { return h.Name == in.Name })
	if isNew || in.Body.Renew {
		h.Secret = NewSecret("")
	}
	if u, err := url.Parse(in.Body.URL); err == nil {
		store.Note(ctx, "", u.Redacted())
	}
	if err := s.store.SetWebhook(ctx, &h); err != nil {
		return out, err
	}
	return api.WebhookPut{Webhook: webhookRow(&h), Secret: h.Secret}, nil
}

func (s webhooksAPI) removeWebhook(ctx context.Context, in *struct {
	Name string `path:"name" maxLength:"64"`
}) error {
	return orMissing(s.store.RemoveWebhook(ctx, in.Name), "there is no webhook %q", in.Name)
}
