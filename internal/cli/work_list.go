package cli

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/question"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/watch"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
)

// workOptions are those of a list of the fleet's work.
type workOptions struct {
	where
	listed
}

func workCommand() *cobra.Command {
	return with(
		command("work", "Work of the fleet: visits, remote batches, parts, open questions, watch list", showWork),
		"work",
		command(
			"wins",
			"Biggest wins: the fixes that make most machines ready, alone and in the best order",
			showWins,
		),
		command("batches", "Remote work that is done on many machines at once, with its packages", showBatches),
		command("parts", "Parts to buy for the plans", showParts),
		command("questions", "Open questions, each asked once for all machines that share it", showQuestions),
		with(command("ask QUESTION WHO", "Record that an open question was put to somebody", askQuestion), "questions"),
		with(command(
			"answer QUESTION [VALUE]",
			"Record the answer to an open question: a fact, or a row of a proposed revision",
			answerQuestion,
		), "questions"),
		command("answers", "Answers to open questions", listAnswers),
		command("watch", "What should not be left as it is", showWatch),
		command("messages", "Messages for the people whose machines are visited", showMessages),
		command("sheet", "Visits as a page to print", printSheets),
		command("calendar", "Visits that have a day as a calendar file", writeCalendar),
		command(
			"assign WHO [MACHINE…]",
			"Assign the work on machines to somebody, on a day; an empty WHO alone removes the "+
				"assignment",
			assignWork,
		),
		command(
			"tick ITEM [MACHINE…]",
			"Record on many machines that a step or an item of preparation is done, or refused",
			tickMany,
		),
		command("stock PART", "Set the stock and the lead time of a part", setStock),
	)
}

// printPart prints a part of the work: as JSON, as the service exports it under its name, or as text.
func printPart[T any](c *place, format, part string, o *workOptions, order string,
	ask func(*client.Client) (T, error), text func(*paper, T),
) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	if form == "csv" || form == "ndjson" {
		return exported(c, s, part, o.Where, order, form)
	}
	answer, err := ask(s)
	switch {
	case err != nil:
		return asUsage(err)
	case form == "json":
		return printDocument(c.out(), format, answer)
	}
	text(c.paper(), answer)
	return nil
}

// exported prints a list as the service exports it.
func exported(c *place, s *client.Client, list, where, order, form string) error {
	body, err := s.ExportWork(c.ctx(), list, where, order, form)
	if err != nil {
		return asUsage(err)
	}
	_, err = c.out().Write(body)
	return err
}

func showWork(c *call[workOptions]) error {
	return printPart(c.place, "rolltop-work/1", "visits", c.o, "",
		func(s *client.Client) (api.Work, error) { return s.Work(c.ctx(), c.o.Where) }, printWork)
}

// Parts are the parts to buy, as rolltop work parts prints them.
type Parts struct {
	Parts []api.OrderLine `json:"parts" doc:"Parts, by kind"`
	Cost  api.Money       `json:"cost" doc:"Of all parts to order"`
}

// partsOptions are those of the parts order.
type partsOptions struct {
	Machines bool `option:"machines" usage:"print which machine gets which part, and where it is"`
	workOptions
}

func showParts(c *call[partsOptions]) error {
	return printPart(c.place, "rolltop-parts/1", "parts", &c.o.workOptions, "", func(s *client.Client) (Parts, error) {
		w, err := s.Work(c.ctx(), c.o.Where)
		return Parts{w.Order, w.Cost}, err
	}, func(p *paper, order Parts) {
		if len(order.Parts) == 0 {
			p.line("No parts to buy.")
			return
		}
		if c.o.Machines {
			p.table([]string{"Machine", "Site", "Part", "Where it is"}, shareRows(order.Parts))
			for i := range order.Parts {
				l := &order.Parts[i]
				if shown := len(l.Shares); shown < l.Machines {
					p.line("%s: the first %d of %d machines are shown; all of them: rolltop machines list --where '%s'",
						l.Part, shown, l.Machines, l.Where)
				}
			}
			return
		}
		p.table(partHeads, partRows(order.Parts))
		p.line("")
		p.line("Total: %s.", order.Cost.Says)
	})
}

// Batches are the remote batches, as rolltop work batches prints them.
type Batches struct {
	Batches []api.Batch `json:"batches" doc:"Remote batches, the largest first"`
}

func showBatches(c *call[workOptions]) error {
	return printPart(c.place, "rolltop-batches/1", "batches", c.o, "", func(s *client.Client) (Batches, error) {
		w, err := s.Work(c.ctx(), c.o.Where)
		return Batches{w.Batches}, err
	}, func(p *paper, l Batches) {
		if len(l.Batches) == 0 {
			p.line("No remote work.")
			return
		}
		rows, install := batchRows(l.Batches)
		p.table(batchHeads, rows)
		p.block(installHeads, install)
	})
}

// Questions are the open questions, as rolltop work questions prints them.
type Questions struct {
	Questions []question.Question `json:"questions" doc:"Open questions, the one of most machines first"`
}

func showQuestions(c *call[workOptions]) error {
	return printPart(c.place, "rolltop-questions/1", "questions", c.o, "", func(s *client.Client) (Questions, error) {
		w, err := s.Work(c.ctx(), c.o.Where)
		return Questions{w.Questions}, err
	}, func(p *paper, l Questions) {
		if len(l.Questions) == 0 {
			p.line("No open questions.")
			return
		}
		p.table(questionHeads, questionRows(l.Questions))
	})
}

// Watch is the watch list, as rolltop work watch prints it.
type Watch struct {
	Watch []watch.Item `json:"watch" doc:"What should not be left as it is, by kind"`
}

func showWatch(c *call[workOptions]) error {
	return printPart(c.place, "rolltop-watch/1", "watch", c.o, "", func(s *client.Client) (Watch, error) {
		w, err := s.Work(c.ctx(), c.o.Where)
		return Watch{w.Watch}, err
	}, func(p *paper, l Watch) {
		if len(l.Watch) == 0 {
			p.line("Nothing to watch.")
		}
		printWatch(p, l.Watch)
	})
}

var (
	batchHeads    = []string{"Remote batch", "Machines", "First on"}
	installHeads  = []string{"To install", "Release", "Package", "Machines"}
	questionHeads = []string{"Open question", "Machines", "Id", "Asked"}
)

// batchRows are batches, and what they install.
func batchRows(batches []api.Batch) (rows, install [][]string) {
	for _, b := range batches {
		pilot := "no pilot needed"
		if len(b.Pilot) > 0 {
			var names []string
			for _, m := range b.Pilot {
				names = append(names, m.Name)
			}
			pilot = strings.Join(names, ", ")
		}
		rows = append(rows, []string{b.Title, strconv.Itoa(b.Machines), pilot})
		for _, d := range b.Packages {
			install = append(install, []string{b.Title, d.Release, first(d.File, d.None), strconv.Itoa(d.Machines)})
		}
	}
	return rows, install
}

func questionRows(questions []question.Question) (rows [][]string) {
	for _, q := range questions {
		asked := ""
		if q.Asked != nil {
			asked = q.Asked.Says
		}
		rows = append(rows, []string{spaced(q.Says, q.Told), strconv.Itoa(q.Machines), q.ID, asked})
	}
	return rows
}

func printWatch(p *paper, items []watch.Item) {
	for _, x := range items {
		p.text("", x.Says)
	}
}

func showMessages(c *call[workOptions]) error {
	return printPart(c.place, "rolltop-messages/1", "messages", c.o, "",
		func(s *client.Client) (api.MessageList, error) { return s.Messages(c.ctx(), c.o.Where) }, printMessages)
}

// winsOptions are those of the biggest wins.
type winsOptions struct {
	Order string `option:"order" default:"machines" usage:"best order by machines (most machines per fix) or by time (least time per machine)" complete:"by"`
	workOptions
}

func showWins(c *call[winsOptions]) error {
	return printPart(c.place, "rolltop-wins/1", "wins", &c.o.workOptions, c.o.Order,
		func(s *client.Client) (api.Wins, error) { return s.Wins(c.ctx(), c.o.Where, c.o.Order) }, printWins)
}

// sheetOptions are those of the visits as a page.
type sheetOptions struct {
	where
	output
	serviceOptions
}

func printSheets(c *call[sheetOptions]) error {
	s, err := c.client()
	if err != nil {
		return err
	}
	page, err := s.VisitSheet(c.ctx(), c.o.Where)
	if err != nil {
		return asUsage(err)
	}
	_, err = c.out().Write(page)
	return err
}

// assignOptions are those of an assignment.
type assignOptions struct {
	where
	Note      string `option:"note" usage:"note for whoever does the work"`
	Day       string `option:"day" usage:"day of the visits, such as 2026-12-03"`
	Half      string `option:"half" usage:"half of the day: am or pm (default: the whole day)"`
	Overwrite bool   `option:"overwrite" usage:"also machines that are assigned to somebody else"`
	Overbook  bool   `option:"overbook" usage:"even if the technician's day is too short"`
	trial
	serviceOptions
}

func assignWork(c *call[assignOptions]) error {
	s, err := c.client()
	if err != nil {
		return err
	}
	who := c.args[0]
	got, err := s.Assign(c.ctx(), api.Assign{
		Where: c.o.Where, Keys: c.args[1:], Who: who, Note: c.o.Note, Day: c.o.Day, Half: c.o.Half,
		Overwrite: c.o.Overwrite, Overbook: c.o.Overbook, DryRun: c.o.DryRun,
	})
	if err != nil {
		return asUsage(err)
	}
	printMany(c.place, &got)
	return nil
}

// stockOptions are those of the stock of a part.
type stockOptions struct {
	OnHand   int `option:"on-hand" default:"0" least:"0" most:"1000000" usage:"number in stock"`
	LeadDays int `option:"lead-days" default:"0" least:"0" most:"1000" usage:"days until the rest is delivered (0: unknown)"`
	serviceOptions
}

func setStock(c *call[stockOptions]) error {
	s, err := c.client()
	if err != nil {
		return err
	}
	part := api.SetStock{Part: c.args[0], OnHand: c.o.OnHand, LeadDays: c.o.LeadDays}
	if err := s.SetStock(c.ctx(), part); err != nil {
		return asUsage(err)
	}
	c.done("%s: %d on hand.", part.Part, part.OnHand)
	return nil
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
			s.Site, strconv.Itoa(s.Machines), say.Hours(remedy.Minutes(s.Minutes)), strconv.Itoa(s.Parts), waiting,
		})
	}
	p.block([]string{"Visits at", "Machines", "Time", "With parts", ""}, rows)
	batches, install := batchRows(w.Batches)
	p.block(batchHeads, batches)
	p.block(installHeads, install)
	rows = nil
	for _, b := range w.Further {
		rows = append(rows, []string{b.Title, strconv.Itoa(b.Machines), b.Weights.Says})
	}
	p.block([]string{"Further work", "Machines", "Weight"}, rows)
	p.block(partHeads, partRows(w.Order))
	most := min(len(w.Questions), 12)
	p.block(questionHeads, questionRows(w.Questions[:most]))
	if n := len(w.Questions) - most; n > 0 {
		p.line("and %d more; rolltop work questions has all.", n)
	}
	if len(w.Watch) > 0 {
		p.line("")
		p.text("", p.style(bold, "Watch list"))
		printWatch(p, w.Watch)
	}
}

// shareRows are which machine gets which part.
func shareRows(order []api.OrderLine) [][]string {
	var rows [][]string
	for i := range order {
		for k := range order[i].Shares {
			s := &order[i].Shares[k]
			rows = append(rows, []string{s.Name, s.Site, order[i].Part, s.Says})
		}
	}
	return rows
}

var partHeads = []string{"Part", "Needed", "Stock", "To order", "Ordered", "Arrived", "Price", "Days", ""}

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
			l.Part, strconv.Itoa(l.Quantity), strconv.Itoa(l.FromStock), strconv.Itoa(l.ToOrder),
			strconv.Itoa(l.Ordered),
			strconv.Itoa(l.Arrived + l.Fitted), l.Price.Says, days,
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

func printWins(p *paper, e api.Wins) {
	var rows [][]string
	for i, k := range e.Picks {
		gain := "+" + strconv.Itoa(k.Gain)
		if k.Expected > 0 {
			gain += fmt.Sprintf(" (%d expected)", k.Expected)
		}
		rows = append(rows, []string{
			strconv.Itoa(
				i + 1,
			), strings.Join(titles(k.Steps), "; "), gain, strconv.Itoa(k.Ready), say.Hours(remedy.Minutes(k.Minutes)),
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
