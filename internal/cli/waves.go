package cli

import (
	"fmt"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
)

func wavesCommand() *cobra.Command {
	return noun("waves", "Waves: which machines are upgraded when, with outcomes and a forecast", "waves", listWaves,
		command("show WAVE", "Show a wave: its machines, their packages, and why others cannot enter", showWave),
		command("add NAME", "Add a wave", addWave),
		command("set WAVE", "Change a wave; options that are omitted keep their values", setWave),
		group("machines", "Machines of a wave: add, remove",
			command("add WAVE [MACHINE…]",
				"Add machines to a wave: these, or as many that match its rule as there is room for; --day moves them",
				fillWave),
			command("remove WAVE MACHINE", "Remove a machine from a wave", leaveWave)),
		command("hand-off WAVE", "Write the machines of a wave for a deployment system, with package and checksum",
			handOff),
		command(
			"handed-off WAVE",
			"Record that the machines of a wave were handed off, and notify webhooks",
			handedOff,
		),
		command("outcomes WAVE FILE",
			"Import the outcomes of machines: CSV with machine, outcome, reason and release, or NDJSON", tellOutcomes),
		command("resume WAVE", "Let a wave go on that its stop rule paused", resumeWave),
		command("forecast", "Forecast whether machines arrive before their support ends, and at which pace they would",
			showForecast),
		command("end WAVE", "End a wave; machines that were not handed off are free for others", endWave),
		noun("blackout", "Blackout days: list, add, remove", "", listBlackout,
			command("add FROM [TO]", "Add days: from the first to the last, inclusive", addBlackout),
			command("remove FROM", "Remove the days that begin on this day", removeBlackout)),
	)
}

// wave is the number of the wave that a command is about, and the service.
func (c *call[O]) wave() (int64, *client.Client, error) {
	id, err := c.id(0, "a wave number", "rolltop waves")
	if err != nil {
		return 0, nil, err
	}
	s, err := c.client()
	return id, s, err
}

func listWaves(c *call[listed]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	if form == "csv" {
		return exported(c.place, s, "waves", "", "", form)
	}
	l, err := s.Waves(c.ctx())
	if err != nil {
		return err
	}
	if form == "text" {
		p := c.paper()
		for _, f := range l.Forecasts {
			p.text("", p.style(bold, f.Says))
			p.text("", f.Needs)
			for _, a := range f.Assumes {
				p.styled("  ", a, dim)
			}
		}
		p.line("")
	}
	table := listing[api.Wave]{
		format: "rolltop-waves/1",
		none:   "No waves. Add one with rolltop waves add; start with a pilot.",
		columns: []column[api.Wave]{
			{head: "Id", value: func(w *api.Wave) string { return strconv.FormatInt(w.ID, 10) }},
			{head: "Wave", value: func(w *api.Wave) string {
				if w.Pilot {
					return w.Name + " (pilot)"
				}
				return w.Name
			}},
			{head: "Release", value: func(w *api.Wave) string { return w.Release }},
			{head: "From", value: func(w *api.Wave) string { return w.Starts }},
			{head: "To", value: func(w *api.Wave) string { return w.Ends }},
			{head: "Machines", value: func(w *api.Wave) string { return fmt.Sprintf("%d of %d", w.Machines, w.Most) }},
			{head: "State", value: func(w *api.Wave) string { return w.Says }},
		},
		after: func(p *paper) {
			for i, b := range l.Blackout {
				if i == 0 {
					p.line("")
				}
				p.text("", fmt.Sprintf("Nothing is upgraded from %s to %s%s.", b.From, b.To, because(b.Reason)))
			}
		},
	}
	return table.print(c.place, form, l, l.Waves)
}

func because(reason string) string {
	if reason == "" {
		return ""
	}
	return " (" + reason + ")"
}

func showWave(c *call[listed]) error {
	id, s, err := c.wave()
	if err != nil {
		return err
	}
	form, err := format(c.cmd)
	if err != nil {
		return err
	}
	w, err := s.Wave(c.ctx(), id)
	if err != nil {
		return err
	}
	if form == "text" {
		p := c.paper()
		p.text("", p.style(bold, w.Name+": "+w.Says))
		p.text("", fmt.Sprintf("To %s from %s to %s; at most %d; %s", w.Release, w.Starts, w.Ends, w.Most, w.Rule))
		if w.Note != "" {
			p.text("", w.Note)
		}
		if len(w.Members) > 0 {
			p.line("")
		}
	}
	table := listing[wave.Machine]{format: "rolltop-wave/1", columns: memberColumns, after: func(p *paper) {
		p.line("")
		p.text("", fmt.Sprintf("%s more can enter.", say.Capital(say.Count(w.Free, "machine", "machines"))))
		printRefusals(p, w.Refusals)
	}}
	return table.print(c.place, form, w, w.Members)
}

var memberColumns = []column[wave.Machine]{
	{name: "machine", head: "Machine", value: func(m *wave.Machine) string { return m.Name }},
	{name: "key", only: true, value: func(m *wave.Machine) string { return m.Key }},
	{name: "site", head: "Site", value: func(m *wave.Machine) string { return m.Site }},
	{name: "model", only: true, value: func(m *wave.Machine) string { return m.Model }},
	{name: "day", head: "Day", value: func(m *wave.Machine) string { return m.Day }},
	{name: "outcome", head: "Outcome", value: func(m *wave.Machine) string { return m.Outcome }},
	{name: "way", head: "Way", value: func(m *wave.Machine) string { return m.Way }},
	{name: "edition", only: true, value: func(m *wave.Machine) string { return m.Edition }},
	{name: "package", head: "Package", value: func(m *wave.Machine) string { return m.Package }},
	{name: "file", only: true, value: func(m *wave.Machine) string { return m.File }},
	{name: "sha256", only: true, value: func(m *wave.Machine) string { return m.SHA256 }},
	{name: "by_name", only: true, value: func(m *wave.Machine) string { return m.ByName }},
	{name: "left_to_prepare", only: true, value: func(m *wave.Machine) string { return strings.Join(m.Prepare, "; ") }},
	{name: "hops", only: true, value: func(m *wave.Machine) string { return hopsText(m.Hops) }},
	{name: "reason", head: "Remark", value: func(m *wave.Machine) string { return m.Reason },
		text: func(m *wave.Machine) string {
			if m.Reason == "" && len(m.Hops) > 0 && m.Outcome != wave.Arrived {
				return hopsText(m.Hops)
			}
			if m.Reason == "" && len(m.Prepare) > 0 && m.Outcome == "waiting" {
				return "left to prepare: " + strconv.Itoa(len(m.Prepare))
			}
			return m.Reason
		}},
}

// hopsText are the releases on the way of a machine: its day, what became of it, and its package.
func hopsText(hops []wave.Hop) string {
	var out []string
	for i := range hops {
		h := &hops[i]
		out = append(out, strings.Join(strings.Fields(h.Release+": "+h.Day+" "+h.Outcome+" "+h.Package), " "))
	}
	return strings.Join(out, "; ")
}

func printRefusals(p *paper, list []wave.Refusal) {
	var rows [][]string
	for _, r := range list {
		var names []string
		for _, m := range r.Some[:min(len(r.Some), 5)] {
			names = append(names, m.Name)
		}
		if r.Machines > len(names) {
			names = append(names, "…")
		}
		rows = append(rows, []string{strconv.Itoa(r.Machines), r.Reason, strings.Join(names, ", ")})
	}
	if len(rows) > 0 {
		p.line("")
		p.table([]string{"Refused", "Because", "Machines"}, rows)
	}
}

// waveOptions are what a wave is. Those that are omitted stay as they are.
type waveOptions struct {
	Rule    string `option:"rule" usage:"filter of the machines that can enter" complete:"filter"`
	Release string `option:"release" usage:"release that the machines get (default: the target of PCs)" complete:"release"`
	Pilot   bool   `option:"pilot" usage:"make the wave a pilot: small, and before all others"`
	Most    int    `option:"most" usage:"maximum number of machines" default:"0" least:"1" most:"1000000"`
	Starts  string `option:"starts" usage:"first day, such as 2026-12-01"`
	Ends    string `option:"ends" usage:"last day"`
	Note    string `option:"note" usage:"note for whoever does the work"`
	Stop    int    `option:"stop-percent" default:"0" least:"0" most:"100" usage:"pause when more than so many percent of the machines that were handed off failed (0: never)"`
	serviceOptions
}

// changeWaveOptions are those of a wave that exists.
type changeWaveOptions struct {
	Name       string `option:"name" usage:"new name"`
	Reschedule bool   `option:"reschedule" usage:"give machines that were not handed off new days"`
	waveOptions
}

func addWave(c *call[waveOptions]) error {
	s, err := c.client()
	if err != nil {
		return err
	}
	return c.o.save(c.place, s, 0, api.MakeWave{Name: c.args[0]})
}

func setWave(c *call[changeWaveOptions]) error {
	id, s, err := c.wave()
	if err != nil {
		return err
	}
	old, err := s.Wave(c.ctx(), id)
	if err != nil {
		return err
	}
	return c.o.save(c.place, s, id, api.MakeWave{
		Name: first(c.o.Name, old.Name), Release: old.Release, Pilot: old.Pilot, Rule: old.Rule, Most: old.Most,
		Starts: old.Starts, Ends: old.Ends, Note: old.Note, StopPercent: old.StopPercent, Reschedule: c.o.Reschedule,
	})
}

// save saves a wave with the options that were given.
func (o *waveOptions) save(c *place, s *client.Client, id int64, w api.MakeWave) error {
	for option, take := range map[string]func(){
		"rule":    func() { w.Rule = o.Rule },
		"release": func() { w.Release = o.Release },
		"pilot":   func() { w.Pilot = o.Pilot },
		"most":    func() { w.Most = o.Most },
		"starts":  func() { w.Starts = o.Starts },
		"ends":    func() { w.Ends = o.Ends },
		"note":    func() { w.Note = o.Note },

		"stop-percent": func() { w.StopPercent = o.Stop },
	} {
		if c.changed(option) {
			take()
		}
	}
	got, err := s.SetWave(c.ctx(), id, w)
	if err != nil {
		return asUsage(err)
	}
	c.done("Wave %d, %s, from %s to %s. %s can enter.", got.ID, got.Name, got.Starts, got.Ends,
		say.Capital(say.Count(got.Free, "machine", "machines")))
	if !quiet(c.cmd) {
		printRefusals(c.paper(), got.Refusals)
	}
	return nil
}

// fillOptions are those of machines that enter a wave.
type fillOptions struct {
	ByName bool   `option:"by-name" usage:"admit these machines although a requirement is waived, or something is lost"`
	Day    string `option:"day" usage:"day for these machines, also for those in the wave, such as 2026-12-01"`
	serviceOptions
}

func fillWave(c *call[fillOptions]) error {
	id, s, err := c.wave()
	if err != nil {
		return err
	}
	machines := c.args[1:]
	got, err := s.FillWave(c.ctx(), id, api.FillWave{Keys: machines, ByName: c.o.ByName, Day: c.o.Day})
	if err != nil {
		return asUsage(err)
	}
	c.done("%s added to wave %d.", say.Capital(say.Count(got.Added, "machine was", "machines were")), id)
	if got.Moved > 0 {
		c.done("%s to %s.", say.Capital(say.Count(got.Moved, "machine was moved", "machines were moved")), c.o.Day)
	}
	if !quiet(c.cmd) {
		printRefusals(c.paper(), got.Refusals)
	}
	if len(machines) > 0 && len(got.Refusals) > 0 {
		return status(ExitFailed)
	}
	return nil
}

func leaveWave(c *call[removeOptions]) error {
	id, s, err := c.wave()
	if err != nil {
		return err
	}
	if err := c.sure(c.o.Yes, "Remove %s from wave %d?", c.args[1], id); err != nil {
		return err
	}
	if err := s.LeaveWave(c.ctx(), id, c.args[1]); err != nil {
		return err
	}
	c.done("%s is removed from wave %d.", c.args[1], id)
	return nil
}

func endWave(c *call[serviceOptions]) error {
	id, s, err := c.wave()
	if err != nil {
		return err
	}
	if err := s.EndWave(c.ctx(), id); err != nil {
		return err
	}
	c.done("Wave %d has ended.", id)
	return nil
}

// handOffOptions are those of the machines for a deployment system.
type handOffOptions struct {
	Format string `option:"format" forms:"json,csv,ndjson"`
	output
	serviceOptions
}

func handOff(c *call[handOffOptions]) error {
	id, s, err := c.wave()
	if err != nil {
		return err
	}
	form, err := format(c.cmd)
	if err != nil {
		return err
	}
	body, err := s.HandOff(c.ctx(), id, form)
	if err != nil {
		return err
	}
	if _, err = c.out().Write(body); err == nil {
		c.note("When the deployment system has it, run: rolltop waves handed-off %d", id)
	}
	return err
}

func handedOff(c *call[serviceOptions]) error {
	id, s, err := c.wave()
	if err != nil {
		return err
	}
	h, err := s.HandedOff(c.ctx(), id)
	if err != nil {
		return asUsage(err)
	}
	c.done("%s handed off.", say.Capital(say.Count(len(h.Machines), "machine is", "machines are")))
	for _, m := range h.Refused {
		c.done("Not %s: %s.", m.Name, m.Reason)
	}
	return nil
}

// outcomeOptions are how a file of outcomes is read.
type outcomeOptions struct {
	Column []string `option:"column" usage:"heading of a field, such as outcome=Status (repeatable); usual headings are recognized"`
	Word   []string `option:"word" usage:"outcome that a text of the file means, such as Finished=arrived (repeatable)"`
	DryRun bool     `option:"dry-run" usage:"show how the file is understood, and record nothing"`
	serviceOptions
}

func tellOutcomes(c *call[outcomeOptions]) error {
	id, s, err := c.wave()
	if err != nil {
		return err
	}
	src, err := readLarge(c.cmd, c.args[1])
	if err != nil {
		return err
	}
	if len(src) == 0 {
		return fmt.Errorf("%s is empty", c.args[1])
	}
	file := api.OutcomesFile{Name: filepath.Base(c.args[1]), Content: src, DryRun: c.o.DryRun}
	if file.Columns, err = pairs("column", "outcome=Status", c.o.Column); err != nil {
		return err
	}
	if file.Words, err = pairs("word", "Finished=arrived", c.o.Word); err != nil {
		return err
	}
	got, err := s.OutcomesFile(c.ctx(), id, file)
	if err != nil {
		return asUsage(err)
	}
	if c.o.DryRun {
		printOutcomes(c.paper(), &got)
	} else {
		c.done("%s recorded.", say.Capital(say.Count(got.Taken, "outcome", "outcomes")))
	}
	for _, p := range got.Problems {
		fmt.Fprintf(c.errOut(), "not recorded: %s\n", p)
	}
	if len(got.Problems) > 0 {
		return status(ExitFailed)
	}
	return nil
}

// printOutcomes shows how a file of outcomes is understood.
func printOutcomes(p *paper, got *api.OutcomesTaken) {
	var rows [][]string
	for i := range got.Outcomes {
		o := &got.Outcomes[i]
		rows = append(rows, []string{o.Machine, o.Outcome, o.Release, o.Reason})
	}
	heads, rows := withoutEmpty([]string{"Machine", "Outcome", "Release", "Reason"}, rows)
	p.table(heads, rows)
	p.line("%s would be recorded; nothing was.", say.Capital(say.Count(got.Taken, "outcome", "outcomes")))
}

// resumeOptions are those of a wave that goes on.
type resumeOptions struct {
	Reason string `option:"reason" usage:"why it can go on"`
	serviceOptions
}

func resumeWave(c *call[resumeOptions]) error {
	id, s, err := c.wave()
	if err != nil {
		return err
	}
	w, err := s.ResumeWave(c.ctx(), id, c.o.Reason)
	if err != nil {
		return asUsage(err)
	}
	c.done("Wave %d, %s, goes on. %s", id, w.Name, w.Says)
	return nil
}

// forecastOptions are those of a forecast.
type forecastOptions struct {
	where
	Pace string `option:"pace" usage:"machines a working day to assume, such as 4 or 0.5 (default: the pace of the last 28 days)"`
	listed
}

func showForecast(c *call[forecastOptions]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	pace := 0.0
	if c.o.Pace != "" {
		if pace, err = strconv.ParseFloat(c.o.Pace, 64); err != nil || !(pace > 0 && pace <= 100_000) {
			return wrongUsage("--pace %q is not a number of machines a working day; write it as 4 or 0.5", c.o.Pace)
		}
	}
	l, err := s.Forecast(c.ctx(), c.o.Where, pace)
	if err != nil {
		return asUsage(err)
	}
	if form == "text" {
		printForecasts(c.paper(), l.Forecasts)
		return nil
	}
	type row struct {
		f *api.Forecast
		d *api.Deadline
	}
	var rows []row
	for i := range l.Forecasts {
		for k := range l.Forecasts[i].Deadlines {
			rows = append(rows, row{&l.Forecasts[i], &l.Forecasts[i].Deadlines[k]})
		}
	}
	number := func(x float64) string { return strconv.FormatFloat(x, 'f', 2, 64) }
	table := listing[row]{format: "rolltop-forecast/1", columns: []column[row]{
		{name: "release", value: func(r *row) string { return r.f.Release }},
		{name: "support_ends", value: func(r *row) string { return r.d.Day }},
		{name: "machines", value: func(r *row) string { return strconv.Itoa(r.d.Machines) }},
		{name: "due", value: func(r *row) string { return strconv.Itoa(r.d.Due) }},
		{name: "in_time", value: func(r *row) string { return strconv.Itoa(r.d.InTime) }},
		{name: "working_days", value: func(r *row) string { return strconv.Itoa(r.d.Days) }},
		{name: "assumed_pace", value: func(r *row) string { return number(r.f.Assumed) }},
		{name: "needed_pace", value: func(r *row) string { return number(r.d.Needed) }},
		{name: "latest_start", value: func(r *row) string { return r.d.Start }},
	}}
	return table.print(c.place, form, l, rows)
}

func printForecasts(p *paper, list []api.Forecast) {
	for i := range list {
		f := &list[i]
		if i > 0 {
			p.line("")
		}
		p.text("", p.style(bold, f.Says))
		p.text("", f.Needs)
		var rows [][]string
		for _, d := range f.Deadlines {
			start := d.Start
			if start == "" {
				start = "too late at this pace"
			}
			rows = append(rows, []string{
				d.Day, strconv.Itoa(d.Machines), strconv.Itoa(d.Due), strconv.Itoa(d.InTime), strconv.Itoa(d.Days),
				strconv.FormatFloat(d.Needed, 'f', 2, 64), start,
			})
		}
		if len(rows) > 0 {
			p.line("")
			p.table([]string{"Support ends", "Machines", "Due by then", "In time", "Working days", "Needed a day",
				"Start by"}, rows)
		}
		for _, a := range f.Assumes {
			p.styled("  ", a, dim)
		}
	}
}

func listBlackout(c *call[listed]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	l, err := s.Blackout(c.ctx())
	if err != nil {
		return err
	}
	table := listing[api.Blackout]{
		format: "rolltop-blackout/1",
		none:   "No blackout days.",
		columns: []column[api.Blackout]{
			{name: "from", head: "From", value: func(b *api.Blackout) string { return b.From }},
			{name: "to", head: "To", value: func(b *api.Blackout) string { return b.To }},
			{name: "reason", head: "Reason", value: func(b *api.Blackout) string { return b.Reason }},
		},
	}
	return table.print(c.place, form, l, l.Days)
}

// blackoutOptions are those of blackout days.
type blackoutOptions struct {
	Reason string `option:"reason" usage:"reason, such as the season or the end of the year"`
	serviceOptions
}

func addBlackout(c *call[blackoutOptions]) error {
	return changeBlackout(c.place, func(had []api.Blackout) ([]api.Blackout, error) {
		return append(had, api.Blackout{From: c.args[0], To: c.args[len(c.args)-1], Reason: c.o.Reason}), nil
	})
}

func removeBlackout(c *call[removeOptions]) error {
	return changeBlackout(c.place, func(had []api.Blackout) ([]api.Blackout, error) {
		left := slices.DeleteFunc(slices.Clone(had), func(b api.Blackout) bool { return b.From == c.args[0] })
		if len(left) == len(had) {
			return nil, wrongUsage("no blackout days begin on %s; rolltop waves blackout lists them", c.args[0])
		}
		return left, c.sure(c.o.Yes, "Remove the blackout days that begin on %s?", c.args[0])
	})
}

func changeBlackout(c *place, change func([]api.Blackout) ([]api.Blackout, error)) error {
	s, err := c.client()
	if err != nil {
		return err
	}
	l, err := s.Blackout(c.ctx())
	if err != nil {
		return err
	}
	if l.Days, err = change(l.Days); err != nil {
		return err
	}
	if err := s.SetBlackout(c.ctx(), l); err != nil {
		return asUsage(err)
	}
	c.done("%s of blackout days.", say.Capital(say.Count(len(l.Days), "range", "ranges")))
	return nil
}
