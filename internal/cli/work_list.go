package cli

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
)

func workCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "work",
		Short: "Work of the fleet: visits, remote batches, parts, open questions, watch list",
		Args:  cobra.NoArgs,
		RunE:  workList("visits", askWork, printWork),
		Long:  help("work"),
	}
	cmd.Flags().String("where", "", "filter")
	formatFlag(cmd, "text", "json", "csv")
	serviceFlags(cmd)
	wins := &cobra.Command{
		Use:   "wins",
		Short: "Biggest wins: the fixes that make most machines ready, alone and in the best order",
		Args:  cobra.NoArgs,
		RunE:  workList("wins", askWins, printWins),
	}
	wins.Flags().String("order", "machines",
		"best order by machines (most machines per fix) or by time (least time per machine)")
	parts := &cobra.Command{Use: "parts", Short: "Parts to buy for the plans", Args: cobra.NoArgs, RunE: showParts}
	messages := &cobra.Command{
		Use:   "messages",
		Short: "Messages for the people whose machines are visited",
		Args:  cobra.NoArgs,
		RunE:  workList("messages", askMessages, printMessages),
	}
	for _, c := range []*cobra.Command{wins, parts, messages} {
		c.Flags().String("where", "", "filter")
		formatFlag(c, "text", "json", "csv")
		serviceFlags(c)
	}
	sheet := &cobra.Command{
		Use:   "sheet",
		Short: "Visits as a page to print",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := clientOf(cmd)
			if err != nil {
				return err
			}
			page, err := c.VisitSheet(contextOf(cmd), flagText(cmd, "where"))
			if err != nil {
				return asUsage(err)
			}
			_, err = cmd.OutOrStdout().Write(page)
			return err
		},
	}
	sheet.Flags().String("where", "", "filter, such as site=\"Gull Quay\"")
	serviceFlags(sheet)
	assign := &cobra.Command{
		Use:   "assign WHO [KEY…]",
		Short: "Assign the work on machines to somebody; an empty WHO removes the assignment",
		Args:  cobra.MinimumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := clientOf(cmd)
			if err != nil {
				return err
			}
			got, err := c.Assign(contextOf(cmd),
				api.Assign{Where: flagText(cmd, "where"), Keys: args[1:], Who: args[0], Note: flagText(cmd, "note")})
			if err != nil {
				return asUsage(err)
			}
			if args[0] == "" {
				fmt.Fprintf(cmd.OutOrStdout(), "%s: the work is no longer assigned.\n",
					say.Capital(say.Count(got.Machines, "machine", "machines")))
				return nil
			}
			fmt.Fprintf(cmd.OutOrStdout(), "%s assigned to %s.\n",
				say.Capital(say.Count(got.Machines, "machine", "machines")), args[0])
			return nil
		},
	}
	assign.Flags().String("where", "", "filter, instead of keys")
	assign.Flags().String("note", "", "note for whoever does the work")
	serviceFlags(assign)
	stock := &cobra.Command{
		Use:   "stock PART",
		Short: "Set the stock and the lead time of a part",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := clientOf(cmd)
			if err != nil {
				return err
			}
			n, _ := cmd.Flags().GetInt("on-hand")
			days, _ := cmd.Flags().GetInt("lead-days")
			if err := c.SetStock(contextOf(cmd), api.SetStock{Part: args[0], OnHand: n, LeadDays: days}); err != nil {
				return asUsage(err)
			}
			fmt.Fprintf(cmd.OutOrStdout(), "%s: %d on hand.\n", args[0], n)
			return nil
		},
	}
	numberFlag(stock, "on-hand", 0, 0, 1000000, "number in stock")
	numberFlag(stock, "lead-days", 0, 0, 1000, "days until the rest is delivered (0: unknown)")
	serviceFlags(stock)
	cmd.AddCommand(wins, parts, messages, sheet, assign, stock)
	return cmd
}

func flagText(cmd *cobra.Command, name string) string {
	text, _ := cmd.Flags().GetString(name)
	return text
}

// workList runs a command that shows a part of the work, under its name in the export: as JSON, as
// CSV, or as text.
func workList[T any](
	part string, ask func(cmd *cobra.Command, c *client.Client) (T, error), text func(p *paper, answer T),
) func(*cobra.Command, []string) error {
	return func(cmd *cobra.Command, _ []string) error {
		form, c, err := asked(cmd)
		if err != nil {
			return err
		}
		answer, err := ask(cmd, c)
		if err != nil {
			return asUsage(err)
		}
		switch form {
		case "json":
			return printJSON(cmd.OutOrStdout(), answer)
		case "csv":
			return exportWork(cmd, c, part)
		}
		text(newPaper(cmd.OutOrStdout()), answer)
		return nil
	}
}

func askWork(cmd *cobra.Command, c *client.Client) (api.Work, error) {
	return c.Work(contextOf(cmd), flagText(cmd, "where"))
}

func printWork(p *paper, w api.Work) {
	p.text("", p.style(bold, w.Says))
	var rows [][]string
	for _, s := range w.Stops {
		waiting := ""
		if s.Waiting > 0 {
			waiting = say.Count(s.Waiting, "is", "are") + " postponed"
		}
		rows = append(rows, []string{
			s.Site, strconv.Itoa(s.Machines), say.Hours(s.Minutes), strconv.Itoa(s.Parts), waiting,
		})
	}
	table := func(heads []string, rows [][]string) {
		if len(rows) > 0 {
			p.line("")
			p.table(heads, rows)
		}
	}
	table([]string{"Visits at", "Machines", "Time", "With parts", ""}, rows)
	rows = nil
	for _, b := range w.Batches {
		pilot := "no pilot needed"
		if len(b.Pilot) > 0 {
			var names []string
			for _, m := range b.Pilot {
				names = append(names, m.Name)
			}
			pilot = strings.Join(names, ", ")
		}
		rows = append(rows, []string{b.Title, strconv.Itoa(b.Machines), pilot})
	}
	table([]string{"Remote batch", "Machines", "First on"}, rows)
	table(partHeads, partRows(w.Order))
	rows = nil
	for i, q := range w.Questions {
		if i < 12 {
			rows = append(rows, []string{q.Says, strconv.Itoa(q.Machines)})
		}
	}
	table([]string{"Open question", "Machines"}, rows)
	if n := len(w.Questions) - len(rows); n > 0 && len(rows) > 0 {
		p.line("and %d more; --format json has all.", n)
	}
	if len(w.Watch) > 0 {
		p.line("")
		p.text("", p.style(bold, "Watch list"))
		for _, x := range w.Watch {
			p.text("", x.Says)
		}
	}
}

var partHeads = []string{"Part", "Needed", "On hand", "To order", "Price", "Days", ""}

func partRows(order []api.OrderLine) [][]string {
	var rows [][]string
	for _, l := range order {
		days := ""
		var notes []string
		switch {
		case l.Confirm > 0 && l.Confirm == l.Quantity:
			notes = append(notes, "confirm in the manual first")
		case l.Confirm > 0:
			notes = append(notes, fmt.Sprintf("confirm %d in the manual first", l.Confirm))
		}
		if l.Voids > 0 {
			notes = append(notes, "installing it ends "+say.Count(l.Voids, "warranty", "warranties"))
		}
		if l.LeadDays > 0 {
			days = strconv.Itoa(l.LeadDays)
		}
		rows = append(rows, []string{
			l.Part, strconv.Itoa(l.Quantity), strconv.Itoa(l.OnHand), strconv.Itoa(l.ToOrder), l.Price.Says, days,
			strings.Join(notes, "; "),
		})
	}
	return rows
}

func titles(steps []api.StepRef) []string {
	out := make([]string, len(steps))
	for i, s := range steps {
		out[i] = s.Title
	}
	return out
}

// exportWork prints a list of the fleet's work as the service writes it.
func exportWork(cmd *cobra.Command, c *client.Client, list string) error {
	body, err := c.ExportWork(contextOf(cmd), list, flagText(cmd, "where"), flagText(cmd, "order"), "csv")
	if err != nil {
		return asUsage(err)
	}
	_, err = cmd.OutOrStdout().Write(body)
	return err
}

func showParts(cmd *cobra.Command, _ []string) error {
	form, c, err := asked(cmd)
	if err != nil {
		return err
	}
	w, err := c.Work(contextOf(cmd), flagText(cmd, "where"))
	if err != nil {
		return asUsage(err)
	}
	switch form {
	case "json":
		return printJSON(cmd.OutOrStdout(), w.Order)
	case "csv":
		return exportWork(cmd, c, "parts")
	}
	p := newPaper(cmd.OutOrStdout())
	if len(w.Order) == 0 {
		p.line("No parts to buy.")
		return nil
	}
	p.table(partHeads, partRows(w.Order))
	p.line("")
	p.line("Total: %s.", w.Cost.Says)
	return nil
}

func askMessages(cmd *cobra.Command, c *client.Client) (api.MessageList, error) {
	return c.Messages(contextOf(cmd), flagText(cmd, "where"))
}

func printMessages(p *paper, l api.MessageList) {
	for _, m := range l.Messages {
		p.text("", p.style(bold, m.Subject))
		for _, t := range m.Text {
			p.text("  ", t)
		}
		p.line("")
	}
	p.line("%s of %s.", say.Capital(say.Count(len(l.Messages), "message", "messages")),
		say.Count(l.Total, "machine that is visited", "machines that are visited"))
}

func askWins(cmd *cobra.Command, c *client.Client) (api.Wins, error) {
	return c.Wins(contextOf(cmd), flagText(cmd, "where"), flagText(cmd, "order"))
}

func printWins(p *paper, e api.Wins) {
	var rows [][]string
	for i, k := range e.Picks {
		gain := "+" + strconv.Itoa(k.Gain)
		if k.Expected > 0 {
			gain += fmt.Sprintf(" (%d expected)", k.Expected)
		}
		rows = append(rows, []string{
			strconv.Itoa(i + 1), strings.Join(titles(k.Steps), "; "), gain, strconv.Itoa(k.Ready), say.Hours(k.Minutes),
			k.Cost.Says,
		})
	}
	p.text("", p.style(bold,
		fmt.Sprintf("%d of %s ready now.", e.Ready, say.Count(e.Machines, "machine is", "machines are"))))
	p.line("")
	p.table([]string{"", "Next", "Machines", "Ready afterwards", "Time", "Parts"}, rows)
	if e.Decide > 0 {
		p.line("")
		p.text("", fmt.Sprintf("No known step makes %s ready; decide on them (%s).",
			say.Count(e.Decide, "machine", "machines"), e.WhereDecide))
	}
	if e.Undetermined > 0 {
		p.line("")
		p.text("", fmt.Sprintf("%s undetermined not included (%s).",
			say.Count(e.Undetermined, "machine that is", "machines that are"), e.WhereUndetermined))
	}
	rows = nil
	for _, r := range e.Remedies {
		rows = append(rows, []string{
			r.Title, strconv.Itoa(r.Needs), strconv.Itoa(r.Alone), strconv.Itoa(r.Expected), r.WhereNeeds,
		})
	}
	p.line("")
	p.table([]string{"Remedy", "Affected", "Fixed by this alone", "Expected", "Filter"}, rows)
}
