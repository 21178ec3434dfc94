package client

import (
	"context"
	"io"
	"net/http"
	"net/url"

	"rolltop.example/rolltop/internal/api"
)

// settings are the operations on settings, sites and webhooks.
type settings struct{ *conn }

// Sites lists the sites.
func (c settings) Sites(ctx context.Context) (api.SiteList, error) {
	return get[api.SiteList](ctx, c.conn, "sites", nil)
}

// SetSites replaces all sites.
func (c settings) SetSites(ctx context.Context, l api.SiteList) error {
	return c.send(ctx, http.MethodPut, "sites", l)
}

// Backup writes a copy of the service's database to w.
func (c settings) Backup(ctx context.Context, w io.Writer) error { return c.download(ctx, "backup", w) }

// Webhooks lists the webhooks.
func (c settings) Webhooks(ctx context.Context) (api.WebhookList, error) {
	return get[api.WebhookList](ctx, c.conn, "webhooks", nil)
}

// Webhook is one webhook.
func (c settings) Webhook(ctx context.Context, name string) (api.Webhook, error) {
	return get[api.Webhook](ctx, c.conn, "webhooks/"+url.PathEscape(name), nil)
}

// SetWebhook adds a webhook, or changes one.
func (c settings) SetWebhook(ctx context.Context, name string, h api.SetWebhook) (api.WebhookPut, error) {
	return send[api.WebhookPut](ctx, c.conn, http.MethodPut, "webhooks/"+url.PathEscape(name), h)
}

// RemoveWebhook deletes a webhook.
func (c settings) RemoveWebhook(ctx context.Context, name string) error {
	return c.remove(ctx, "webhooks/"+url.PathEscape(name))
}

// Settings are those of the service.
func (c settings) Settings(ctx context.Context) (api.Settings, error) {
	return get[api.Settings](ctx, c.conn, "settings", nil)
}

// SetSettings changes the settings.
func (c settings) SetSettings(ctx context.Context, in api.Settings) (api.Settings, error) {
	return send[api.Settings](ctx, c.conn, http.MethodPut, "settings", in)
}
