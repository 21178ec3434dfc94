package cli

import (
	"fmt"
	"strconv"
	"time"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
)

func webhooksCommand() *cobra.Command {
	return noun(
		"webhooks",
		"Webhooks, which are notified when dispositions change: list, set, remove",
		"",
		listWebhooks,
		command("set WEBHOOK ADDRESS", "Add or change a webhook; the key that signs its messages is shown only once",
			setWebhook),
		command("remove WEBHOOK", "Remove a webhook", removeWebhook),
	)
}

func listWebhooks(c *call[listed]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	l, err := s.Webhooks(c.ctx())
	if err != nil {
		return err
	}
	table := listing[api.Webhook]{format: "rolltop-webhooks/1", none: "No webhooks.", columns: []column[api.Webhook]{
		{name: "name", head: "Name", value: func(h *api.Webhook) string { return h.Name }},
		{name: "url", head: "Address", value: func(h *api.Webhook) string { return h.URL }},
		{name: "waiting", head: "Waiting", value: func(h *api.Webhook) string { return strconv.Itoa(h.Waiting) }},
		{name: "sent_at", only: true, value: func(h *api.Webhook) string { return instant(h.SentAt) }},
		{name: "problem", head: "State", value: func(h *api.Webhook) string { return h.Problem },
			text: func(h *api.Webhook) string {
				switch {
				case h.Problem != "":
					return fmt.Sprintf("failed %s: %s", say.Count(h.Tries, "time", "times"), h.Problem)
				case h.SentAt != nil:
					return "taken " + say.Moment(*h.SentAt)
				}
				return "nothing sent yet"
			}},
	}}
	return table.print(c.place, form, l, l.Webhooks)
}

// instant is a time in files; "" where there is none.
func instant(at *time.Time) string {
	if at == nil {
		return ""
	}
	return at.UTC().Format(time.RFC3339)
}

// webhookOptions are those of a webhook.
type webhookOptions struct {
	Renew bool `option:"renew" usage:"create a new key"`
	serviceOptions
}

func setWebhook(c *call[webhookOptions]) error {
	s, err := c.client()
	if err != nil {
		return err
	}
	was, err := standing(c.place, c.args[0], s.Webhook)
	if err != nil {
		return err
	}
	h, err := s.SetWebhook(c.ctx(), c.args[0], api.SetWebhook{URL: c.args[1], Renew: c.o.Renew})
	if err != nil {
		return asUsage(err)
	}
	says := fmt.Sprintf("The webhook %s notifies %s", h.Name, h.URL)
	if was != nil && was.URL != h.URL {
		says += " instead of " + was.URL
	}
	if h.Secret == "" {
		c.done("%s; its key is unchanged.", says)
		return nil
	}
	c.note("%s. Its key, shown only once:", says)
	fmt.Fprintln(c.out(), h.Secret)
	return nil
}

func removeWebhook(c *call[removeOptions]) error {
	s, err := c.client()
	if err != nil {
		return err
	}
	if _, err := s.Webhook(c.ctx(), c.args[0]); err != nil {
		return err
	}
	if err := c.sure(c.o.Yes, "Remove the webhook %s?", c.args[0]); err != nil {
		return err
	}
	if err := s.RemoveWebhook(c.ctx(), c.args[0]); err != nil {
		return err
	}
	c.done("The webhook %s is removed.", c.args[0])
	return nil
}
