package cli

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
)

func webhooksCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "webhooks",
		Short: "Webhooks, which are notified when dispositions change: list, set, remove",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			form, c, err := asked(cmd)
			if err != nil {
				return err
			}
			l, err := c.Webhooks(contextOf(cmd))
			if err != nil {
				return err
			}
			if form == "json" {
				return printJSON(cmd.OutOrStdout(), l)
			}
			rows := make([][]string, len(l.Webhooks))
			for i, h := range l.Webhooks {
				state := "nothing sent yet"
				if h.SentAt != nil {
					state = "taken " + say.Moment(*h.SentAt)
				}
				if h.Problem != "" {
					state = fmt.Sprintf("failed %s: %s", say.Count(h.Tries, "time", "times"), h.Problem)
				}
				rows[i] = []string{h.Name, h.URL, strconv.Itoa(h.Waiting), state}
			}
			newPaper(cmd.OutOrStdout()).table([]string{"Name", "Address", "Waiting", "State"}, rows)
			return nil
		},
	}
	formatFlag(cmd, "text", "json")
	serviceFlags(cmd)
	set := &cobra.Command{
		Use:   "set NAME ADDRESS",
		Short: "Add or change a webhook; the key that signs its messages is shown only once",
		Args:  cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := clientOf(cmd)
			if err != nil {
				return err
			}
			renew, _ := cmd.Flags().GetBool("renew")
			h, err := c.SetWebhook(contextOf(cmd), args[0], api.SetWebhook{URL: args[1], Renew: renew})
			if err == nil && h.Secret != "" {
				fmt.Fprintln(cmd.OutOrStdout(), h.Secret)
			}
			return asUsage(err)
		},
	}
	set.Flags().Bool("renew", false, "create a new key")
	serviceFlags(set)
	remove := &cobra.Command{
		Use:   "remove NAME",
		Short: "Remove a webhook",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := clientOf(cmd)
			if err != nil {
				return err
			}
			return c.RemoveWebhook(contextOf(cmd), args[0])
		},
	}
	serviceFlags(remove)
	cmd.AddCommand(set, remove)
	return cmd
}

func settingsCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "settings",
		Short: "Settings of retention, visibility and webhooks: show, change",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			form, c, err := asked(cmd)
			if err != nil {
				return err
			}
			s, err := c.Settings(contextOf(cmd))
			if err != nil {
				return err
			}
			changed := false
			for name, to := range map[string]*int{
				"stale-days":     &s.StaleDays,
				"history-months": &s.HistoryMonths,
				"retired-days":   &s.RetiredDays,
			} {
				if cmd.Flags().Changed(name) {
					*to, _ = cmd.Flags().GetInt(name)
					changed = true
				}
			}
			for name, to := range map[string]*bool{
				"viewers-see-all":  &s.ViewersSeeAll,
				"webhooks-private": &s.WebhooksPrivate,
			} {
				if cmd.Flags().Changed(name) {
					*to, _ = cmd.Flags().GetBool(name)
					changed = true
				}
			}
			if changed {
				if s, err = c.SetSettings(contextOf(cmd), s); err != nil {
					return asUsage(err)
				}
			}
			if form == "json" {
				return printJSON(cmd.OutOrStdout(), s)
			}
			label, see := "viewers cannot see", "serial numbers, UUIDs and installed applications"
			if s.ViewersSeeAll {
				label, see = "viewers see", "everything"
			}
			private := "to public addresses only"
			if s.WebhooksPrivate {
				private = "to private networks and to this host as well"
			}
			retired := fmt.Sprintf("after %d days", s.RetiredDays)
			if s.RetiredDays == 0 {
				retired = "never"
			}
			newPaper(cmd.OutOrStdout()).table([]string{"Setting", ""},
				[][]string{
					{"a machine is overdue", fmt.Sprintf("after %d days", s.StaleDays)},
					{"every inventory is kept", fmt.Sprintf("%d months, then one per quarter", s.HistoryMonths)},
					{"a retired machine is removed", retired}, {label, see}, {"webhooks are sent", private},
				})
			return nil
		},
	}
	numberFlag(cmd, "stale-days", 30, 1, 3650, "days without an inventory after which a machine is overdue")
	numberFlag(cmd, "history-months", 13, 1, 600,
		"months for which every inventory is kept; of older ones, one per quarter")
	numberFlag(cmd, "retired-days", 90, 0, 36500, "days after which a retired machine is removed (0: never)")
	cmd.Flags().Bool("viewers-see-all", false, "show serial numbers, UUIDs and installed applications to viewers")
	cmd.Flags().Bool("webhooks-private", false,
		"allow webhooks to private networks and to the service's own host")
	formatFlag(cmd, "text", "json")
	serviceFlags(cmd)
	return cmd
}

// machineCommands are the commands for many machines at once.
func machineCommands() []*cobra.Command {
	set := &cobra.Command{
		Use:   "set",
		Short: "Set tags, site or retirement of the machines that a filter selects",
		Args:  cobra.NoArgs,
		RunE:  setMachines,
		Long:  help("machines-set"),
	}
	set.Flags().String("where", "", "filter")
	set.Flags().StringArray("key", nil, "key of a machine (repeatable)")
	set.Flags().StringArray("tag", nil, "tag to add (repeatable)")
	set.Flags().StringArray("untag", nil, "tag to remove (repeatable)")
	set.Flags().String("site", "", "site of the machines; empty restores the site derived from the name")
	set.Flags().Bool("retire", false, "retire the machines")
	set.Flags().Bool("unretire", false, "reactivate the machines")
	serviceFlags(set)
	models := &cobra.Command{
		Use:   "models",
		Short: "Facts of all machines of a model: list, set, remove",
		Args:  cobra.NoArgs,
		RunE:  listModelFacts,
		Long:  help("models"),
	}
	formatFlag(models, "text", "json")
	serviceFlags(models)
	enter := &cobra.Command{
		Use:   "set MAKER MODEL FACT=VALUE",
		Short: "Enter a fact for all machines of a model",
		Args:  cobra.ExactArgs(3),
		RunE: func(cmd *cobra.Command, args []string) error {
			name, value, err := factAndValue(args[2])
			if err != nil {
				return err
			}
			c, err := clientOf(cmd)
			if err != nil {
				return err
			}
			note, _ := cmd.Flags().GetString("note")
			got, err := c.AddModelFact(contextOf(cmd),
				api.AddModelFact{Maker: args[0], Model: args[1], Fact: name, Value: value, Note: note})
			if err == nil {
				fmt.Fprintf(cmd.OutOrStdout(), "Entered for %s. The disposition of %d changed.\n",
					say.Count(got.Machines, "machine", "machines"), got.Settled)
			}
			return asUsage(err)
		},
	}
	enter.Flags().String("note", "", "where the value was read")
	serviceFlags(enter)
	back := &cobra.Command{
		Use:   "remove ID",
		Short: "Remove a fact of a model",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			id, err := strconv.ParseInt(args[0], 10, 64)
			if err != nil {
				return wrongUsage("%q is not the id of a fact of a model; rolltop machines models lists them", args[0])
			}
			c, err := clientOf(cmd)
			if err != nil {
				return err
			}
			_, err = c.RemoveModelFact(contextOf(cmd), id)
			return err
		},
	}
	serviceFlags(back)
	models.AddCommand(enter, back)
	rekey := &cobra.Command{
		Use:   "rekey KEY --reason TEXT",
		Short: "Allow a machine to sign with another key, after its board or disk was replaced",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			reason, _ := cmd.Flags().GetString("reason")
			if strings.TrimSpace(reason) == "" {
				return wrongUsage("give the reason for the new key: --reason 'its disk was replaced'")
			}
			c, err := clientOf(cmd)
			if err != nil {
				return err
			}
			if err := c.Rekey(contextOf(cmd), args[0], reason); err != nil {
				return asUsage(err)
			}
			d, err := c.Machine(contextOf(cmd), args[0])
			if err == nil && !d.Keyed {
				fmt.Fprintf(cmd.OutOrStdout(),
					"%s has no key now. Its next signed inventory binds a new key.\n", d.Name)
			} else if err == nil {
				fmt.Fprintf(cmd.OutOrStdout(),
					"%s has a new key now; the inventory that was signed with it is the latest.\n", d.Name)
			}
			return err
		},
		Long: help("rekey"),
	}
	rekey.Flags().String("reason", "", "reason, for the audit log")
	serviceFlags(rekey)
	return []*cobra.Command{set, models, rekey}
}

func duplicatesCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "duplicates",
		Short: "Possible duplicates: list, resolve",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			form, c, err := asked(cmd)
			if err != nil {
				return err
			}
			l, err := c.Duplicates(contextOf(cmd))
			if err != nil {
				return err
			}
			if form == "json" {
				return printJSON(cmd.OutOrStdout(), l)
			}
			p := newPaper(cmd.OutOrStdout())
			for _, d := range l.Duplicates {
				says := d.Says
				if !d.TakenAt.IsZero() {
					says = "its inventory of " + say.Moment(d.TakenAt) + ". " + says
				}
				p.text(fmt.Sprintf("%4d  ", d.ID), fmt.Sprintf("%s (%s): %s", d.Name, d.Key, says))
			}
			if len(l.Duplicates) == 0 {
				p.line("No duplicates to resolve.")
			} else {
				p.line("\nResolve one with: rolltop duplicates resolve ID same|apart")
			}
			return nil
		},
	}
	formatFlag(cmd, "text", "json")
	serviceFlags(cmd)
	resolve := &cobra.Command{
		Use:   "resolve ID same|apart",
		Short: "Resolve a possible duplicate: same machine, or apart",
		Args:  cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			id, err := strconv.ParseInt(args[0], 10, 64)
			if err != nil {
				return wrongUsage("%q is not the id of a duplicate; rolltop duplicates lists them", args[0])
			}
			c, err := clientOf(cmd)
			if err != nil {
				return err
			}
			return asUsage(c.ResolveDuplicate(contextOf(cmd), id, args[1]))
		},
	}
	serviceFlags(resolve)
	cmd.AddCommand(resolve)
	return cmd
}

func setMachines(cmd *cobra.Command, _ []string) error {
	c, err := clientOf(cmd)
	if err != nil {
		return err
	}
	var m api.MachineChanges
	m.Where, _ = cmd.Flags().GetString("where")
	m.Keys, _ = cmd.Flags().GetStringArray("key")
	m.Tag, _ = cmd.Flags().GetStringArray("tag")
	m.Untag, _ = cmd.Flags().GetStringArray("untag")
	if cmd.Flags().Changed("site") {
		site, _ := cmd.Flags().GetString("site")
		m.Site = &site
	}
	retire, _ := cmd.Flags().GetBool("retire")
	if use, _ := cmd.Flags().GetBool("unretire"); use || retire {
		if use && retire {
			return wrongUsage("--retire and --unretire exclude each other")
		}
		m.Retire = &retire
	}
	got, err := c.Change(contextOf(cmd), m)
	if err != nil {
		return asUsage(err)
	}
	fmt.Fprintln(cmd.OutOrStdout(), got.Says)
	return nil
}

func listModelFacts(cmd *cobra.Command, _ []string) error {
	form, c, err := asked(cmd)
	if err != nil {
		return err
	}
	l, err := c.ModelFacts(contextOf(cmd))
	if err != nil {
		return err
	}
	if form == "json" {
		return printJSON(cmd.OutOrStdout(), l)
	}
	rows := make([][]string, len(l.Facts))
	for i, f := range l.Facts {
		rows[i] = []string{
			strconv.FormatInt(f.ID, 10), spaced(f.Maker, f.Model), f.Fact + " = " + f.Value, strconv.Itoa(f.Machines),
			f.By, f.Note,
		}
	}
	newPaper(cmd.OutOrStdout()).table([]string{"Id", "Model", "Fact", "Machines", "By", "Note"}, rows)
	return nil
}
