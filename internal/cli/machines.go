package cli

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
)

// machinesOptions are the options of the list of machines.
type machinesOptions struct {
	where
	Filter string   `option:"filter" usage:"name of a saved filter; --where narrows it" complete:"saved"`
	Facts  []string `option:"facts" usage:"facts to add as columns, separated by commas" complete:"facts" split:"yes"`
	Sort   string   `option:"sort" usage:"order: name, site, disposition, model, installed, fails, taken, a fact, or needs.ID; prefix with - for descending order" complete:"order" default:"name"`
	Cursor string   `option:"cursor" usage:"cursor of the next page"`
	Page   int      `option:"page" usage:"page number" default:"1" least:"1" most:"10000000"`
	Size   int      `option:"size" usage:"machines per page (max 1000)" default:"200" least:"1" most:"1000"`
	listed
}

// machineOptions are those of a command that shows a machine.
type machineOptions struct {
	Verbose bool `option:"verbose,v" usage:"print the whole plan, every finding with its evidence, and the inventory"`
	shown
}

// documentOptions are those of a command that prints a document as it is kept.
type documentOptions struct {
	output
	serviceOptions
}

func machinesCommand() *cobra.Command {
	machines := noun(
		"machines",
		"Machines of the service: list, show, get, set, remove, export",
		"machines",
		listMachines,
		command("show MACHINE", "Show a machine with its check", showMachine),
		command("get MACHINE", "Print the inventory of a machine", getInventory),
		with(
			command(
				"set",
				"Set tags, site, contact, desk or retirement of the machines that a filter selects",
				setMachines,
			),
			"machines-set",
		),
		command("remove MACHINE", "Remove a machine with everything that is known of it", removeMachine),
		with(command("export", "Export the machines that a filter selects as a table", exportMachines), "export"),
		with(command("bundle MACHINE", "Write everything about a machine into one file, for a specialist", bundleCase),
			"bundle"),
		group("notes", "Notes about a machine: add, remove; machines show lists them",
			command("add MACHINE TEXT…", "Write a note about a machine, with your name and the time", addNote),
			command("remove MACHINE NOTE", "Remove a note", removeNote)),
		group("facts", "Facts of a machine that are entered by hand: set, remove",
			with(command("set MACHINE FACT=VALUE", "Enter a fact of a machine by hand", setFact), "facts-set"),
			command("remove MACHINE FACT", "Remove a fact that was entered by hand", removeFact)),
		modelsCommand(),
		with(command("rekey MACHINE --reason TEXT",
			"Allow a machine to sign with another key, after its board or disk was replaced", rekey), "rekey"),
	)
	machines.AddCommand(workCommands()...)
	return machines
}

func listMachines(c *call[machinesOptions]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	ask := client.List{
		Where: c.o.Where, Sort: c.o.Sort, Cursor: c.o.Cursor, Page: c.o.Page, Size: c.o.Size, Facts: c.o.Facts,
	}
	if err := savedFilter(c, s, &ask); err != nil {
		return err
	}
	if form != "text" {
		return listForPrograms(c, s, ask, form)
	}
	l, err := s.MachineList(c.ctx(), ask)
	if err != nil {
		return asUsage(err)
	}
	table := listing[api.MachineRow]{columns: []column[api.MachineRow]{
		{head: "Machine", value: func(m *api.MachineRow) string { return m.Name }},
		{head: "Site", value: func(m *api.MachineRow) string { return m.Site }},
		{head: "Model", value: func(m *api.MachineRow) string { return m.Model }},
		{head: "Runs", value: func(m *api.MachineRow) string { return m.Installed }},
		{head: "Support", value: func(m *api.MachineRow) string { return leftText(m.DaysLeft) }},
		{head: "Disposition", value: func(m *api.MachineRow) string {
			return say.Marks[m.Disposition] + " " + first(m.Disposition, "not checked")
		}},
	}, none: "No machine matches."}
	for _, fact := range ask.Facts {
		table.columns = append(table.columns, column[api.MachineRow]{head: fact,
			value: func(m *api.MachineRow) string { return first(m.Facts[fact], "?") }})
	}
	if len(ask.Facts) == 0 {
		table.columns = append(table.columns, column[api.MachineRow]{head: "What it takes",
			value: func(m *api.MachineRow) string { return say.Capital(m.Answer) }})
	}
	table.after = func(p *paper) {
		if l.Total > 0 {
			p.line("")
		}
		switch {
		case l.Total > len(l.Machines):
			p.line("%d of %d machines; --page shows the others.", len(l.Machines), l.Total)
			if l.Next != "" {
				p.line("Next page: --cursor %s", l.Next)
			}
		case l.Total > 0:
			p.line("%s.", say.Capital(say.Count(l.Total, "machine", "machines")))
		}
		if l.Loading {
			p.text("", "The service has just started and does not apply decisions yet. Try again in a few seconds.")
		}
	}
	return table.print(c.place, form, nil, l.Machines)
}

// savedFilter gives --filter its place in --where, --sort and the columns.
func savedFilter(c *call[machinesOptions], s *client.Client, l *client.List) error {
	if c.o.Filter == "" {
		return nil
	}
	all, err := s.Filters(c.ctx())
	if err != nil {
		return err
	}
	names := make([]string, len(all.Filters))
	for i, f := range all.Filters {
		if names[i] = f.Name; f.Name != c.o.Filter {
			continue
		}
		l.Where = strings.TrimSpace(inParentheses(c, s, f.Filter) + " " + l.Where)
		if f.Sort != "" && !c.changed("sort") {
			l.Sort = f.Sort
		}
		if len(l.Facts) == 0 {
			l.Facts = f.Facts
		}
		return nil
	}
	return wrongUsage(
		"the saved filter %q does not exist; %s",
		c.o.Filter,
		nearest(c.o.Filter, names, "rolltop filters"),
	)
}

// inParentheses is a saved filter that something is added to.
func inParentheses(c *call[machinesOptions], s *client.Client, filter string) string {
	if c.o.Where == "" {
		return filter
	}
	if f, err := s.ReadFilter(c.ctx(), filter); err == nil && f.Simple {
		return filter
	}
	return "(" + filter + ")"
}

// everyPage is how many machines are asked for at a time, where all are.
const everyPage = 1000

// listForPrograms prints machines for a program: all that the filter picks, or the page
// that was asked for, and then how many there are beside it.
func listForPrograms(c *call[machinesOptions], s *client.Client, ask client.List, form string) error {
	onePage := c.changed("page") || c.changed("size")
	if !onePage {
		ask.Size = everyPage
	}
	out := newMachineWriter(c.out(), form, ask.Facts)
	written := 0
	for {
		l, err := s.MachineList(c.ctx(), ask)
		if err != nil {
			return asUsage(err)
		}
		if err := out.write(&l); err != nil {
			return err
		}
		written += len(l.Machines)
		if !onePage && l.Next != "" && len(l.Machines) > 0 {
			ask.Cursor = l.Next
			continue
		}
		if onePage && written < l.Total {
			next := ""
			if l.Next != "" {
				next = "; next page: --cursor " + l.Next
			}
			c.note("%d of %d machines; omit --page and --size to print all%s.", written, l.Total, next)
		}
		return out.end(&l)
	}
}

// leftText says how long what a machine runs is still supported.
func leftText(days *int) string {
	switch {
	case days == nil:
		return ""
	case *days < 0:
		return "ended"
	case *days == 1:
		return "1 day"
	}
	return fmt.Sprintf("%d days", *days)
}

// machineWriter prints machines, page after page.
type machineWriter struct {
	to    io.Writer
	form  string
	facts []string
	begun bool
	all   []api.MachineRow
}

func newMachineWriter(to io.Writer, form string, facts []string) *machineWriter {
	return &machineWriter{to: to, form: form, facts: facts, all: []api.MachineRow{}}
}

func (w *machineWriter) write(l *api.MachineList) error {
	switch w.form {
	case "ndjson":
		return printLines(w.to, l.Machines)
	case "csv":
		rows := make([][]string, len(l.Machines))
		for i := range l.Machines {
			rows[i] = w.cells(&l.Machines[i])
		}
		heads := append([]string{ // as machines export has them
			"key", "name", "site", "class", "manufacturer", "model", "installed", "taken_at", "release", "disposition",
			"certainty", "fails", "answer", "support_ends",
		}, append(slices.Clone(w.facts), "tags")...)
		if w.begun {
			heads = nil
		}
		w.begun = true
		return printCSV(w.to, heads, rows)
	}
	w.all = append(w.all, l.Machines...)
	return nil
}

func (w *machineWriter) cells(d *api.MachineRow) []string {
	out := []string{d.Key, d.Name, d.Site, d.Class, d.Manufacturer, d.Model, d.Installed,
		d.TakenAt.UTC().Format(time.RFC3339), d.Release, d.Disposition, d.Certainty, strconv.Itoa(d.Fails), d.Answer,
		d.SupportEnds}
	for _, f := range w.facts {
		out = append(out, d.Facts[f])
	}
	return append(out, strings.Join(d.Tags, " "))
}

// end prints what has to be whole: one JSON document of everything.
func (w *machineWriter) end(last *api.MachineList) error {
	if w.form != "json" {
		return nil
	}
	whole := *last
	whole.Machines = w.all
	if len(w.all) == whole.Total {
		whole.Page, whole.Size, whole.Next = 1, max(1, len(w.all)), ""
	}
	return printDocument(w.to, "rolltop-machines/1", &whole)
}

// asUsage makes a refused filter or order wrong usage.
func asUsage(err error) error {
	var p *api.Problem
	if errors.As(err, &p) && p.Status == http.StatusUnprocessableEntity {
		return usage{err}
	}
	return err
}

func showMachine(c *call[machineOptions]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	d, err := s.Machine(c.ctx(), c.args[0])
	if err != nil {
		return err
	}
	if form == "json" {
		return printDocument(c.out(), "rolltop-machine/1", d)
	}
	p := c.paper()
	printStanding(p, &d)
	if d.Check == nil {
		p.line("%s · %s", d.Name, spaced(d.Manufacturer, d.Model))
		p.text("", d.NoCheck)
	} else {
		printCheck(p, d.Check, c.o.Verbose)
	}
	if c.o.Verbose {
		printHistory(p, d.Changes)
		p.line("")
		for _, g := range d.Facts {
			p.line("%s", p.style(bold, g.Group))
			for _, f := range g.Facts {
				value := f.Value
				if !f.Known {
					value = f.Why
				}
				p.text(fmt.Sprintf("  %-37s", f.Label), value)
			}
		}
	}
	return nil
}

// causes are what changed a disposition, in words.
var causes = map[string]string{
	"inventory": "a new inventory",
	"facts":     "facts entered by hand",
	"rules":     "other rules",
	"proof":     "a proof by its TPM",
}

func printHistory(p *paper, changes []api.DispositionChange) {
	for i, c := range changes {
		if i == 0 {
			p.line("")
			p.line("%s", p.style(bold, "Disposition over time"))
		}
		p.text("  ", fmt.Sprintf("%s: %s → %s against %s, by %s", say.Moment(c.At), c.Was, c.Becomes, c.Release,
			causes[c.Cause]))
	}
}

func getInventory(c *call[documentOptions]) error {
	s, err := c.client()
	if err != nil {
		return err
	}
	b, err := s.Inventory(c.ctx(), c.args[0], 0)
	if err != nil {
		return err
	}
	return printJSON(c.out(), json.RawMessage(b))
}

// removeOptions are those of a command that deletes one thing.
type removeOptions struct {
	sure
	serviceOptions
}

func removeMachine(c *call[removeOptions]) error {
	s, err := c.client()
	if err != nil {
		return err
	}
	d, err := s.Machine(c.ctx(), c.args[0])
	if err != nil {
		return err
	}
	if err := c.sure(c.o.Yes, "Remove %s with %s and all its records?", d.Name,
		say.Count(len(d.History), "inventory", "inventories")); err != nil {
		return err
	}
	if err := s.RemoveMachine(c.ctx(), d.Key); err != nil {
		return err
	}
	c.done("%s removed.", d.Name)
	return nil
}

// factOptions are those of a fact that is entered by hand.
type factOptions struct {
	Note string `option:"note" usage:"where the value was read"`
	Days int    `option:"days" usage:"days until the fact expires; it expires with the board in any case" default:"0" least:"1" most:"3650"`
	serviceOptions
}

func factAndValue(text string) (name, value string, err error) {
	name, value, ok := strings.Cut(text, "=")
	if !ok {
		return "", "", wrongUsage("%q has no value; write it as processor.built_in_tpm=true", text)
	}
	return name, value, nil
}

func setFact(c *call[factOptions]) error {
	name, value, err := factAndValue(c.args[1])
	if err != nil {
		return err
	}
	s, err := c.client()
	if err != nil {
		return err
	}
	d, err := s.SetFact(c.ctx(), c.args[0], name, api.SetFact{Value: value, Note: c.o.Note, Days: c.o.Days})
	if err != nil {
		return asUsage(err)
	}
	printNow(c.place, &d)
	return nil
}

func removeFact(c *call[removeOptions]) error {
	s, err := c.client()
	if err != nil {
		return err
	}
	m, err := s.Machine(c.ctx(), c.args[0])
	if err != nil {
		return err
	}
	if slices.ContainsFunc(
		m.Hand,
		func(h api.HandFact) bool { return h.Fact.Fact == c.args[1] },
	) { // or it is refused
		if err := c.sure(c.o.Yes, "Remove the fact %s of %s?", c.args[1], m.Name); err != nil {
			return err
		}
	}
	d, err := s.RemoveFact(c.ctx(), c.args[0], c.args[1])
	if err != nil {
		return err
	}
	printNow(c.place, &d)
	return nil
}

// printNow says what a machine takes after a change.
func printNow(c *place, d *api.Machine) {
	if quiet(c.cmd) {
		return
	}
	p := c.paper()
	p.text("", fmt.Sprintf("%s: %s. %s", d.Name, say.Capital(first(d.Disposition, "not checked")),
		say.Capital(first(d.Answer, d.NoCheck))))
	for _, h := range d.Hand {
		s := fmt.Sprintf("%s = %s, %s", h.Fact.Fact, h.Value, h.Source())
		if h.Problem != "" {
			s += "; it does not fit the latest inventory: " + h.Problem
		}
		p.text("  ", s)
	}
}

// changeOptions are what is changed on many machines at once.
type changeOptions struct {
	where
	Keys     []string `option:"machine" usage:"name, serial number or key of a machine (repeatable)" complete:"MACHINE"`
	Tag      []string `option:"tag" usage:"tag to add (repeatable)" complete:"tag"`
	Untag    []string `option:"untag" usage:"tag to remove (repeatable)" complete:"tag"`
	Site     string   `option:"site" usage:"site of the machines; empty restores the site derived from the name" complete:"site"`
	Retire   bool     `option:"retire" usage:"retire the machines"`
	Unretire bool     `option:"unretire" usage:"reactivate the machines"`
	Contact  string   `option:"contact" usage:"whom to ask about the machines, as a role; empty: nobody"`
	Desk     string   `option:"desk" usage:"where they stand, such as a room or a counter; empty: nowhere"`
	trial
	serviceOptions
}

func setMachines(c *call[changeOptions]) error {
	s, err := c.client()
	if err != nil {
		return err
	}
	m := api.MachineChanges{Where: c.o.Where, Keys: c.o.Keys, Tag: c.o.Tag, Untag: c.o.Untag}
	if c.changed("site") {
		m.Site = &c.o.Site
	}
	if c.o.Retire && c.o.Unretire {
		return wrongUsage("--retire and --unretire exclude each other")
	}
	if c.o.Retire || c.o.Unretire {
		m.Retire = &c.o.Retire
	}
	if c.changed("contact") {
		m.Contact = &c.o.Contact
	}
	if c.changed("desk") {
		m.Desk = &c.o.Desk
	}
	m.DryRun = c.o.DryRun
	got, err := s.Change(c.ctx(), m)
	if err != nil {
		return asUsage(err)
	}
	printMany(c.place, &got)
	return nil
}

// exportOptions are those of the export of machines.
type exportOptions struct {
	where
	Facts  []string `option:"facts" split:"yes" usage:"facts to add as columns, separated by commas" complete:"facts"`
	Format string   `option:"format" forms:"csv,json,ndjson"`
	output
	serviceOptions
}

func exportMachines(c *call[exportOptions]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	return asUsage(s.Export(c.ctx(), c.o.Where, form, c.o.Facts, c.out()))
}

// rekeyOptions are those of a machine that gets another key.
type rekeyOptions struct {
	Reason string `option:"reason" usage:"reason, for the audit log"`
	serviceOptions
}

func rekey(c *call[rekeyOptions]) error {
	if strings.TrimSpace(c.o.Reason) == "" {
		return wrongUsage("give the reason for the new key: --reason 'its disk was replaced'")
	}
	s, err := c.client()
	if err != nil {
		return err
	}
	if err := s.Rekey(c.ctx(), c.args[0], c.o.Reason); err != nil {
		return asUsage(err)
	}
	d, err := s.Machine(c.ctx(), c.args[0])
	if err == nil && !d.Keyed {
		c.done("%s has no key now. Its next signed inventory binds a new key.", d.Name)
	} else if err == nil {
		c.done("%s has a new key now; the inventory that was signed with it is the latest.", d.Name)
	}
	return err
}
