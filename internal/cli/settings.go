package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"
)

// settingsOptions are settings to change; those that are omitted stay.
type settingsOptions struct {
	StaleDays       int    `option:"stale-days" default:"30" least:"1" most:"3650" usage:"days without an inventory after which a machine is overdue"`
	HistoryMonths   int    `option:"history-months" default:"13" least:"1" most:"600" usage:"months for which every inventory is kept; of older ones, one per quarter"`
	RetiredDays     int    `option:"retired-days" default:"90" least:"0" most:"36500" usage:"days after which a retired machine is removed (0: never)"`
	ViewersSeeAll   bool   `option:"viewers-see-all" usage:"show serial numbers, UUIDs and installed applications to viewers"`
	WebhooksPrivate bool   `option:"webhooks-private" usage:"allow webhooks to private networks and to the service's own host"`
	WorkingDays     string `option:"working-days" default:"mon,tue,wed,thu,fri" usage:"days of the week on which machines are upgraded and visited"`
	WorkingHours    string `option:"working-hours" default:"08:00-16:00" usage:"hours of a working day"`
	serviceOptions
}

func settingsCommand() *cobra.Command {
	return with(
		command("settings", "Settings of retention, visibility, webhooks and working days: show, set", showSettings),
		"",
		command("set", "Change settings; options that are omitted keep their values", setSettings),
	)
}

func showSettings(c *call[listed]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	set, err := s.Settings(c.ctx())
	if err != nil {
		return err
	}
	switch form {
	case "json":
		return printDocument(c.out(), "rolltop-settings/1", set)
	case "ndjson":
		return printLines(c.out(), []any{set})
	}
	label, see := "viewers cannot see", "serial numbers, UUIDs and installed applications"
	if set.ViewersSeeAll {
		label, see = "viewers see", "everything"
	}
	private := "to public addresses only"
	if set.WebhooksPrivate {
		private = "to private networks and to this host as well"
	}
	retired := fmt.Sprintf("after %d days", set.RetiredDays)
	if set.RetiredDays == 0 {
		retired = "never"
	}
	rows := [][]string{
		{"a machine is overdue", fmt.Sprintf("after %d days", set.StaleDays)},
		{"every inventory is kept", fmt.Sprintf("%d months, then one per quarter", set.HistoryMonths)},
		{"a retired machine is removed", retired}, {label, see}, {"webhooks are sent", private},
		{
			"machines are upgraded and visited",
			strings.ReplaceAll(set.WorkingDays, ",", ", ") + ", " + set.WorkingHours,
		},
	}
	if form == "csv" {
		return printCSV(c.out(), []string{"setting", "value"}, rows)
	}
	c.paper().table([]string{"Setting", ""}, rows)
	return nil
}

func setSettings(c *call[settingsOptions]) error {
	s, err := c.client()
	if err != nil {
		return err
	}
	set, err := s.Settings(c.ctx())
	if err != nil {
		return err
	}
	var changed []string
	take := func(option string, change func()) {
		if c.changed(option) {
			change()
			changed = append(changed, option+" "+c.cmd.Flags().Lookup(option).Value.String())
		}
	}
	take("stale-days", func() { set.StaleDays = c.o.StaleDays })
	take("history-months", func() { set.HistoryMonths = c.o.HistoryMonths })
	take("retired-days", func() { set.RetiredDays = c.o.RetiredDays })
	take("viewers-see-all", func() { set.ViewersSeeAll = c.o.ViewersSeeAll })
	take("webhooks-private", func() { set.WebhooksPrivate = c.o.WebhooksPrivate })
	take("working-days", func() { set.WorkingDays = c.o.WorkingDays })
	take("working-hours", func() { set.WorkingHours = c.o.WorkingHours })
	if changed == nil {
		return wrongUsage("the setting is missing; give at least one option, such as --stale-days 45")
	}
	if _, err := s.SetSettings(c.ctx(), set); err != nil {
		return asUsage(err)
	}
	c.done("Changed: %s.", strings.Join(changed, ", "))
	return nil
}
