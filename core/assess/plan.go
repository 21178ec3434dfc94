package assess

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/guide"
	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/part"
	"rolltop.example/rolltop/core/price"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
)

// Step is one step of the plan.
type Step struct {
	Number    int            `json:"number"`
	Step      string         `json:"step"`
	Title     string         `json:"title"`
	Phase     string         `json:"phase" enum:"remote,desk,host,install"`
	Who       string         `json:"who" enum:"administrator,technician,host-administrator,specialist,owner,purchasing" doc:"Who can do it"`
	By        string         `json:"by" doc:"Who can do it, in words"`
	Class     string         `json:"class,omitempty"`
	After     []int          `json:"after,omitempty" doc:"Numbers of the steps that it directly waits for"`
	Settles   []string       `json:"settles,omitempty" doc:"Requirements"`
	Closes    bool           `json:"closes,omitempty" doc:"It finds out what is unknown"`
	Expected  bool           `json:"expected,omitempty" doc:"Its effect is not certain"`
	Do        string         `json:"do" doc:"For the technician"`
	Tell      string         `json:"tell" doc:"For the machine's user"`
	Where     *Where         `json:"where,omitempty" doc:"Path of the firmware setting"`
	Cautions  []string       `json:"cautions,omitempty"`
	Risk      string         `json:"risk,omitempty" enum:"may-not-start,may-lose-data,may-lose-keys" doc:"The worst that can happen"`
	Worst     string         `json:"worst,omitempty" doc:"The risk in words"`
	Back      string         `json:"back,omitempty" doc:"The way back"`
	Confirm   string         `json:"confirm" doc:"How to see that it worked"`
	Otherwise []string       `json:"otherwise,omitempty" doc:"What to check if it had no effect, most likely first"`
	Minutes   remedy.Minutes `json:"minutes"`
	Restarts  int            `json:"restarts"`
	Parts     []Part         `json:"parts,omitempty" doc:"What is bought for it"`
	Instead   []Instead      `json:"instead,omitempty" doc:"Alternatives to the step"`
	Disturbs  []string       `json:"disturbs,omitempty" doc:"What it disturbs; the plan contains the safeguards"`
	Weight    string         `json:"weight,omitempty" enum:"required,advised,optional" doc:"Of further work"`
	Weighs    string         `json:"weighs,omitempty" doc:"The weight in a word: required, recommended or optional"`
	Own       bool           `json:"own,omitempty" doc:"The step is the organisation's own"`
	Ticked    *Tick          `json:"ticked,omitempty" doc:"What a person recorded"`

	shown    func(*fact.Facts) need.Truth
	installs string // the release that it installs

	// What the step is for the program itself, see remedy.Role.
	replaces, decides, firmware bool
}

// Installed is the release that the step installs; "" of another step.
func (s *Step) Installed() string { return s.installs }

// Shown says what facts taken after the work show of the step: that it was done,
// that it was not, or nothing.
func (s *Step) Shown(f *fact.Facts) need.Truth {
	if s.shown == nil {
		return need.Unknown
	}
	return s.shown(f)
}

// Part is something to buy, in words and with its price where one is known.
type Part struct {
	part.Part
	Says string `json:"says"`
	Cost string `json:"cost,omitempty" doc:"Price range in the currency of the table; missing if the table has no price"`
}

// Instead is an alternative to a step.
type Instead struct {
	Step    string   `json:"step"`
	Title   string   `json:"title"`
	Class   string   `json:"class"`
	Settles []string `json:"settles"`
	Says    string   `json:"says" doc:"Why it was not chosen"`
}

// Where says where a firmware setting stands.
type Where struct {
	General bool     `json:"general,omitempty" doc:"No guide exists for this board: names differ"`
	Path    []string `json:"path,omitempty"`
	Name    string   `json:"name,omitempty"`
	Words   []string `json:"words,omitempty" doc:"Usual names"`
	Set     string   `json:"set,omitempty"`
	Parent  string   `json:"parent,omitempty"`
	Note    string   `json:"note,omitempty"`
	Says    string   `json:"says"`
}

// Firmware is the way into the firmware set-up of this machine's board.
type Firmware struct {
	Guide   string `json:"guide" doc:"Id of the guide"`
	Title   string `json:"title"`
	Source  string `json:"source,omitempty"`
	General bool   `json:"general,omitempty" doc:"No guide exists for this board: names differ"`
	Board   string `json:"board,omitempty"`
	Setup   string `json:"setup_key,omitempty"`
	Boot    string `json:"boot_key,omitempty"`
	Enter   string `json:"enter,omitempty" doc:"How to get in"`
	Leave   string `json:"leave,omitempty" doc:"How to save and leave"`
	Says    string `json:"says"`
}

// Effort is what a plan takes together.
type Effort struct {
	Minutes  remedy.Minutes `json:"minutes"`
	Restarts int            `json:"restarts"`
	Phases   []PhaseEffort  `json:"phases"`
	Parts    int            `json:"parts" doc:"How many parts are bought"`
	Cost     *Cost          `json:"cost,omitempty" doc:"Missing if nothing is bought or no price is known"`
}

// PhaseEffort is the effort of one part of the plan.
type PhaseEffort struct {
	Phase    string         `json:"phase" enum:"remote,desk,host,install"`
	Who      []string       `json:"who"`
	Minutes  remedy.Minutes `json:"minutes"`
	Restarts int            `json:"restarts"`
	Steps    int            `json:"steps"`
}

// Cost is what parts cost together.
type Cost struct {
	Currency string    `json:"currency"`
	Least    float64   `json:"least"`
	Most     float64   `json:"most"`
	AsOf     time.Time `json:"as_of" doc:"The day of the prices"`
	Missing  int       `json:"missing,omitempty" doc:"Parts that the table has no price for"`
	Says     string    `json:"says"`
}

// Conversion is whether the disk can be converted, with the fact that decides.
type Conversion struct {
	State string `json:"state" enum:"possible,impossible,not-known"`
	Says  string `json:"says"`
}

// Withheld are steps that are not asked of anybody.
type Withheld struct {
	Titles []string `json:"titles"`
	Says   string   `json:"says" doc:"Why"`
}

// plan says the plan, with what stands around it.
func (d *Document) plan(a *Assessment) {
	v, rel, f := &a.Verdict, a.Result.Release, a.Result.Facts
	d.Plan = []Step{}
	book := a.Knowledge.Guides.For(f)
	instead := a.Knowledge.Steps.Instead(a.Result, v)
	number := map[string]int{}
	for i := range v.Plan {
		number[v.Plan[i].ID] = i + 1
	}
	var bill bill
	for i := range v.Plan {
		p := &v.Plan[i]
		s, parts := d.step(a, p)
		s.Number = i + 1
		for _, id := range p.Predecessors(a.Knowledge.Steps) {
			if n := number[id]; n > 0 && n <= i {
				s.After = append(s.After, n)
			}
		}
		s.After = direct(s.After, d.Plan)
		s.Parts = bill.add(parts, a.Knowledge.Prices)
		for _, alt := range instead[p.ID] {
			q := remedy.Planned{Step: alt.Step, Phase: alt.Phase}
			s.Instead = append(s.Instead,
				Instead{
					alt.ID, say.Words(&q, v, rel, f, nil).Title, alt.Class.String(), alt.Settles, say.Alternative(&alt),
				})
		}
		d.Plan = append(d.Plan, s)
	}
	d.Effort = effort(d.Plan)
	d.Effort.Parts, d.Effort.Cost = bill.count, bill.cost(a.Knowledge.Prices)
	if slices.ContainsFunc(d.Plan, func(s Step) bool { return s.Where != nil || s.firmware }) {
		d.Firmware = firmware(book, f)
	}
	planned := !v.Disposition.Futile() && f.Class() == fact.PC
	if state, says := say.Conversion(a.Result.Release, f); state != "" && planned {
		d.Conversion = &Conversion{state, says}
	}
	d.withheld(v, a)
	d.stay(v)
}

// step is a planned step in words, without its place in the plan and its price.
func (d *Document) step(a *Assessment, p *remedy.Planned) (Step, []part.Part) {
	f := a.Result.Facts
	parts := part.Of(p, f)
	w := say.Words(p, &a.Verdict, a.Result.Release, f, parts)
	s := Step{
		Step: p.ID, Title: w.Title, Phase: p.Phase, Who: p.By(), By: say.People[p.By()], Class: p.Class.String(),
		Settles: p.Settles, Expected: p.Expected, Do: w.Do, Tell: w.Tell, Cautions: w.Cautions, Back: w.Back,
		Confirm: w.Confirm, Otherwise: p.Otherwise, Minutes: p.Minutes, Restarts: p.Restarts, Own: p.Own,
		Disturbs: p.Disturbing(), Closes: len(p.Closes) > 0, shown: p.Shown, replaces: p.Plays(remedy.Replacing),
		decides: p.Plays(remedy.Deciding), firmware: p.Plays(remedy.EnteringFirmware),
	}
	switch {
	case p.Installs || p.Plays(remedy.Upgrading) || p.Plays(remedy.Imaging):
		s.installs, s.shown = a.Result.Release.Name, runs(a.Result.Release, "")
	case p.Class == remedy.Interim:
		s.installs, s.shown = a.Verdict.Through, runs(a.Result.Release, a.Verdict.Through)
	}
	if p.Risk != "none" {
		s.Risk, s.Worst = p.Risk, say.Risks[p.Risk]
	}
	if at, ok := a.Knowledge.Guides.For(f).Setting(p.Setting); ok && p.Setting != "" && !p.Spared() {
		s.Where = where(&at)
	}
	return s, parts
}

// runs says of facts whether the release runs, or one on the way to it.
func runs(rel *release.Release, through string) func(*fact.Facts) need.Truth {
	return func(f *fact.Facts) need.Truth {
		name := f.Value(fact.OSName).Text()
		switch {
		case rel.RunsOn(f) != release.NotInstalled, through != "" && strings.HasSuffix(through, name) && name != "":
			return need.True
		case name == "" || through != "":
			return need.Unknown
		}
		return need.False
	}
}

// direct leaves out the steps that others of the list wait for anyway.
func direct(after []int, plan []Step) []int {
	slices.Sort(after)
	after = slices.Compact(after)
	var waits func(n, on int) bool
	waits = func(n, on int) bool {
		return slices.ContainsFunc(plan[n-1].After, func(m int) bool { return m == on || m > on && waits(m, on) })
	}
	var out []int
	for _, n := range after {
		if !slices.ContainsFunc(after, func(m int) bool { return m > n && waits(m, n) }) {
			out = append(out, n)
		}
	}
	return out
}

func where(s *guide.Setting) *Where {
	return &Where{s.General, s.Path, s.Name, s.Words, s.Set, s.Parent, s.Note, say.Where(s)}
}

func firmware(g *guide.Guide, f *fact.Facts) *Firmware {
	maker, model := f.Value(fact.BoardManufacturer).Text(), f.Value(fact.BoardModel).Text()
	board := maker
	if model != "" {
		board += " " + model
	}
	return &Firmware{
		g.ID, g.Title, g.Source, g.General, board, g.Keys.Setup, g.Keys.Boot, g.Enter, g.Leave, say.Enter(g),
	}
}

// effort adds up the steps of a plan.
func effort(plan []Step) Effort {
	e := Effort{Phases: []PhaseEffort{}}
	for _, s := range plan {
		k := slices.IndexFunc(e.Phases, func(p PhaseEffort) bool { return p.Phase == s.Phase })
		if k < 0 {
			k = len(e.Phases)
			e.Phases = append(e.Phases, PhaseEffort{Phase: s.Phase, Who: []string{}})
		}
		p := &e.Phases[k]
		if !slices.Contains(p.Who, s.Who) {
			p.Who = append(p.Who, s.Who)
		}
		p.Steps++
		for _, m := range []*remedy.Minutes{&p.Minutes, &e.Minutes} {
			m.Least, m.Most = m.Least+s.Minutes.Least, m.Most+s.Minutes.Most
		}
		p.Restarts, e.Restarts = p.Restarts+s.Restarts, e.Restarts+s.Restarts
	}
	return e
}

// bill adds up parts.
type bill struct {
	count, missing int
	sum            price.Range
}

func (b *bill) add(parts []part.Part, table *price.Table) []Part {
	var out []Part
	for i := range parts {
		p := Part{Part: parts[i], Says: say.Part(&parts[i])}
		b.count += parts[i].Count
		if r, ok := table.Of(&parts[i]); ok {
			b.sum = b.sum.Add(r)
			p.Cost = table.Currency + " " + r.String()
		} else {
			b.missing += parts[i].Count
		}
		out = append(out, p)
	}
	return out
}

func (b *bill) cost(table *price.Table) *Cost {
	if table == nil || b.count == 0 || b.count == b.missing {
		return nil
	}
	c := &Cost{
		Currency: table.Currency,
		Least:    float64(b.sum.Least) / 100,
		Most:     float64(b.sum.Most) / 100,
		AsOf:     table.AsOf,
		Missing:  b.missing,
	}
	c.Says = fmt.Sprintf("%s %s by prices of %s", table.Currency, b.sum, say.Day(table.AsOf))
	if b.missing > 0 {
		c.Says += "; " + say.Count(b.missing, "part has", "parts have") + " no price"
	}
	return c
}

// withheld says what nobody is asked to do on a machine that is replaced.
func (d *Document) withheld(v *remedy.Verdict, a *Assessment) {
	if len(v.Withheld) == 0 {
		return
	}
	w := &Withheld{Says: "Not needed: the machine cannot take the release in any case."}
	if v.Disposition == remedy.Decide {
		w.Says = "They wait for the decision, and are useful only if the machine gets the release."
	}
	for i := range v.Withheld {
		p := &v.Withheld[i]
		w.Titles = append(w.Titles, say.Words(p, v, a.Result.Release, a.Result.Facts, part.Of(p, a.Result.Facts)).Title)
	}
	d.Withheld = w
}

func (d *Document) stay(v *remedy.Verdict) {
	s := d.Support
	if s == nil || s.Ends == nil || v.Disposition <= remedy.Ready || v.Foreign {
		return
	}
	extended := ""
	if s.Extended != nil {
		extended = fmt.Sprintf(" (extended support until %s", say.Day(*s.Extended))
		if s.Says != "" {
			extended += "; see support"
		}
		extended += ")"
	}
	d.Stay = say.Stay(s.Release, s.Days, say.Day(*s.Ends), extended)
}

// Buy is a part that a machine's plan takes, with what it costs.
type Buy struct {
	Step   string
	Part   part.Part
	Price  price.Range
	Priced bool
	// Warranty says that fitting it ends the machine's warranty, if that still holds.
	Warranty string // its last day; "" where there is none, or it is not known
}

// Buys are the parts of the plan of a machine, from its facts alone, which are filled from
// the release. waived are the ids of requirements that may fail. The error is
// [*check.WrongClass].
func Buys(m *knowledge.Base, rel *release.Release, f *fact.Facts, waived ...string) ([]Buy, error) {
	m.Guides.Fill(f)
	res, err := check.Run(rel, f)
	if err != nil {
		return nil, err
	}
	res.Waive(waived...)
	v := m.Steps.Solve(res, nil)
	var out []Buy
	for i := range v.Plan {
		p := &v.Plan[i]
		if p.Part == "" {
			continue
		}
		for _, one := range part.Of(p, f) {
			b := Buy{Step: p.ID, Part: one}
			if _, ends := say.Warranty(p, f); ends {
				b.Warranty = f.Value(fact.DeviceWarranty).Text()
			}
			b.Price, b.Priced = m.Prices.Of(&one)
			out = append(out, b)
		}
	}
	return out, nil
}

// Tells are what the steps of the plan mean for the person whose machine it is: those that are done
// at the desk or from afar, each once.
func (d *Document) Tells() []string {
	var out []string
	for i := range d.Plan {
		st := &d.Plan[i]
		near := st.Phase == remedy.Desk || st.Phase == remedy.Remote
		if near && st.Tell != "" && !st.Closes && !slices.Contains(out, st.Tell) {
			out = append(out, st.Tell)
		}
	}
	return out
}
