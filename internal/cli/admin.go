package cli

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
)

func hooksCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "hooks",
		Short: "Addresses that are told when dispositions change",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			form, c, err := asked(cmd)
			if err != nil {
				return err
			}
			l, err := c.Hooks(contextOf(cmd))
			if err != nil {
				return err
			}
			if form == "json" {
				return printJSON(cmd.OutOrStdout(), l)
			}
			rows := make([][]string, len(l.Hooks))
			for i, h := range l.Hooks {
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
		Short: "Add an address or change one; the key that messages are signed with is printed this once",
		Args:  cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := clientOf(cmd)
			if err != nil {
				return err
			}
			renew, _ := cmd.Flags().GetBool("renew")
			h, err := c.PutHook(contextOf(cmd), args[0], api.PutHook{URL: args[1], Renew: renew})
			if err == nil && h.Secret != "" {
				fmt.Fprintln(cmd.OutOrStdout(), h.Secret)
			}
			return asUsage(err)
		},
	}
	set.Flags().Bool("renew", false, "give a new key")
	serviceFlags(set)
	remove := &cobra.Command{
		Use:   "remove NAME",
		Short: "Tell an address no more",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := clientOf(cmd)
			if err != nil {
				return err
			}
			return c.RemoveHook(contextOf(cmd), args[0])
		},
	}
	serviceFlags(remove)
	cmd.AddCommand(set, remove)
	return cmd
}

func settingsCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "settings",
		Short: "How long things are kept, and who sees what: show, change",
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
				if s, err = c.PutSettings(contextOf(cmd), s); err != nil {
					return asUsage(err)
				}
			}
			if form == "json" {
				return printJSON(cmd.OutOrStdout(), s)
			}
			see := "no serial numbers, UUIDs and installed titles"
			if s.ViewersSeeAll {
				see = "everything"
			}
			private := "to public addresses only"
			if s.WebhooksPrivate {
				private = "to private networks and this host, too"
			}
			retired := fmt.Sprintf("after %d days", s.RetiredDays)
			if s.RetiredDays == 0 {
				retired = "never"
			}
			newPaper(cmd.OutOrStdout()).table([]string{"Setting", ""},
				[][]string{
					{"a machine is stale", fmt.Sprintf("after %d days", s.StaleDays)},
					{"every inventory is kept", fmt.Sprintf("%d months, then one a quarter", s.HistoryMonths)},
					{"a retired machine leaves", retired}, {"viewers see", see}, {"webhooks are sent", private},
				})
			return nil
		},
	}
	cmd.Flags().Int("stale-days", 30, "after how many days without an inventory a machine is stale")
	cmd.Flags().Int("history-months", 13, "how long every inventory is kept; of those before, one a quarter stays")
	cmd.Flags().Int("retired-days", 90, "after how many days a retired machine is removed; 0 is never")
	cmd.Flags().Bool("viewers-see-all", false, "viewers see serial numbers, UUIDs and installed titles, too")
	cmd.Flags().Bool("webhooks-private", false,
		"webhooks may be sent to private networks and to the service's own host")
	formatFlag(cmd, "text", "json")
	serviceFlags(cmd)
	return cmd
}

func markCommands() []*cobra.Command {
	mark := &cobra.Command{
		Use:   "mark",
		Short: "Tag machines, place them, take them out of use: those that a filter picks",
		Args:  cobra.NoArgs,
		RunE:  mark,
		Long:  help("mark"),
	}
	mark.Flags().String("where", "", "filter")
	mark.Flags().StringArray("key", nil, "a machine; may be given several times")
	mark.Flags().StringArray("tag", nil, "a tag to add")
	mark.Flags().StringArray("untag", nil, "a tag to take off")
	mark.Flags().String("place", "", "a place in the place of that by the name; empty is that by the name again")
	mark.Flags().Bool("retire", false, "take them out of use")
	mark.Flags().Bool("use", false, "take them back into use")
	serviceFlags(mark)
	doubts := &cobra.Command{
		Use:   "doubts",
		Short: "Machines that may be one, and inventories that may be of another machine",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			form, c, err := asked(cmd)
			if err != nil {
				return err
			}
			l, err := c.Doubts(contextOf(cmd))
			if err != nil {
				return err
			}
			if form == "json" {
				return printJSON(cmd.OutOrStdout(), l)
			}
			p := newPaper(cmd.OutOrStdout())
			for _, d := range l.Doubts {
				says := d.Says
				if !d.TakenAt.IsZero() {
					says = "its inventory of " + say.Moment(d.TakenAt) + ". " + says
				}
				p.text(fmt.Sprintf("%4d  ", d.ID), fmt.Sprintf("%s (%s): %s", d.Name, d.Key, says))
			}
			if len(l.Doubts) == 0 {
				p.line("Nothing is in doubt.")
			} else {
				p.line("\nSettle one with: rolltop devices settle ID same|apart")
			}
			return nil
		},
	}
	formatFlag(doubts, "text", "json")
	serviceFlags(doubts)
	settle := &cobra.Command{
		Use:   "settle ID same|apart",
		Short: "Say whether it is one machine or two",
		Args:  cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			id, err := strconv.ParseInt(args[0], 10, 64)
			if err != nil {
				return wrongUsage("%q is not the id of a doubt; rolltop devices doubts lists them", args[0])
			}
			c, err := clientOf(cmd)
			if err != nil {
				return err
			}
			return asUsage(c.SettleDoubt(contextOf(cmd), id, args[1]))
		},
	}
	serviceFlags(settle)
	models := &cobra.Command{
		Use:   "models",
		Short: "Facts of every machine of a model: list, enter, take back",
		Args:  cobra.NoArgs,
		RunE:  listModelFacts,
		Long:  help("models"),
	}
	formatFlag(models, "text", "json")
	serviceFlags(models)
	enter := &cobra.Command{
		Use:   "enter MAKER MODEL FACT=VALUE",
		Short: "Enter a fact for every machine of a model",
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
			got, err := c.EnterModelFact(contextOf(cmd),
				api.EnterModelFact{Maker: args[0], Model: args[1], Fact: name, Value: value, Note: note})
			if err == nil {
				fmt.Fprintf(cmd.OutOrStdout(), "Entered for %s; it changed the disposition of %d.\n",
					say.Count(got.Machines, "machine", "machines"), got.Settled)
			}
			return asUsage(err)
		},
	}
	enter.Flags().String("note", "", "where it was read")
	serviceFlags(enter)
	back := &cobra.Command{
		Use:   "take-back ID",
		Short: "Take one back",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			id, err := strconv.ParseInt(args[0], 10, 64)
			if err != nil {
				return wrongUsage("%q is not the id of a fact of a model; rolltop devices models lists them", args[0])
			}
			c, err := clientOf(cmd)
			if err != nil {
				return err
			}
			_, err = c.TakeBackModelFact(contextOf(cmd), id)
			return err
		},
	}
	serviceFlags(back)
	models.AddCommand(enter, back)
	rekey := &cobra.Command{
		Use:   "rekey KEY --reason TEXT",
		Short: "Let a machine speak with another key, after its board or disk was changed",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			reason, _ := cmd.Flags().GetString("reason")
			if strings.TrimSpace(reason) == "" {
				return wrongUsage("say why the machine has another key: --reason 'its disk was changed'")
			}
			c, err := clientOf(cmd)
			if err != nil {
				return err
			}
			if err := c.Rekey(contextOf(cmd), args[0], reason); err != nil {
				return asUsage(err)
			}
			d, err := c.Device(contextOf(cmd), args[0])
			if err == nil && !d.Keyed {
				fmt.Fprintf(cmd.OutOrStdout(),
					"%s has no key now. The next inventory of it that is signed binds one.\n", d.Name)
			} else if err == nil {
				fmt.Fprintf(cmd.OutOrStdout(),
					"%s has another key now; its latest inventory is the one that came with it.\n", d.Name)
			}
			return err
		},
		Long: help("rekey"),
	}
	rekey.Flags().String("reason", "", "why; it stands in the audit log")
	serviceFlags(rekey)
	return []*cobra.Command{mark, doubts, settle, models, rekey}
}

func mark(cmd *cobra.Command, _ []string) error {
	c, err := clientOf(cmd)
	if err != nil {
		return err
	}
	var m api.Marks
	m.Where, _ = cmd.Flags().GetString("where")
	m.Keys, _ = cmd.Flags().GetStringArray("key")
	m.Tag, _ = cmd.Flags().GetStringArray("tag")
	m.Untag, _ = cmd.Flags().GetStringArray("untag")
	if cmd.Flags().Changed("place") {
		place, _ := cmd.Flags().GetString("place")
		m.Place = &place
	}
	retire, _ := cmd.Flags().GetBool("retire")
	if use, _ := cmd.Flags().GetBool("use"); use || retire {
		if use && retire {
			return wrongUsage("--retire and --use are opposites")
		}
		m.Retire = &retire
	}
	got, err := c.Mark(contextOf(cmd), m)
	if err != nil {
		return asUsage(err)
	}
	fmt.Fprintf(cmd.OutOrStdout(), "%s, %d of them changed.\n",
		say.Capital(say.Count(got.Picked, "machine", "machines")), got.Changed)
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
