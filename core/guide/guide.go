// Package guide finds the way through a machine's firmware set-up: which key
// leads there, where a setting stands and what it is called, by board maker and
// model. Guides are data, rolltop-guides/1; a general one says the usual words,
// and that names differ.
package guide

import (
	_ "embed"
	"fmt"
	"path"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/remedy"
)

// Format is the value of the key “format”.
const Format = "rolltop-guides/1"

// Document is a file of guides.
type Document struct {
	Format string     `json:"format" enum:"rolltop-guides/1"`
	Guides []GuideDoc `json:"guides"`
}

// GuideDoc is a guide as it is written.
type GuideDoc struct {
	ID       string                `json:"id"`
	Title    string                `json:"title"`
	Maker    string                `json:"maker" doc:"Maker of the board, as the machine reports it; * matches any text, ? any character"`
	Models   []string              `json:"models,omitempty" doc:"Patterns of board models, as for the maker (default: every model)"`
	Source   string                `json:"source,omitempty" doc:"Source of the value: the manual's address"`
	Keys     Keys                  `json:"keys,omitzero"`
	Enter    string                `json:"enter,omitempty" doc:"How to get into the set-up"`
	Leave    string                `json:"leave,omitempty" doc:"How to save and leave"`
	Settings map[string]SettingDoc `json:"settings,omitempty" doc:"By the name of the setting: boot-mode, legacy-support, tpm, tpm-choice, secure-boot, secure-boot-keys, processor-feature, firmware-update"`
	Facts    map[string]doc.Scalar `json:"facts,omitempty" doc:"What is true of every such board and no system reports: tpm.header, tpm.changeable, firmware.uefi_capable, firmware.secure_boot_capable"`
	Update   Update                `json:"update,omitzero" doc:"A firmware update that these boards need"`

	Node *doc.Node `json:"-"`
}

// Keys to press at the start.
type Keys struct {
	Setup string `json:"setup,omitempty" doc:"Into the firmware set-up"`
	Boot  string `json:"boot,omitempty" doc:"Into the menu of what to start from"`
}

// SettingDoc is where a setting stands.
type SettingDoc struct {
	Path   []string `json:"path,omitempty" doc:"Pages and sections, in order"`
	Name   string   `json:"name,omitempty" doc:"What it is called there"`
	Words  []string `json:"words,omitempty" doc:"Usual names, where they differ"`
	Set    string   `json:"set,omitempty" doc:"What to choose"`
	Parent string   `json:"parent,omitempty" doc:"What must be changed first"`
	Note   string   `json:"note,omitempty"`
}

// Update is a firmware update that a guide asks for.
type Update struct {
	Below string `json:"below,omitempty" doc:"Machines with an older version need it"`
	To    string `json:"to,omitempty" doc:"The version to bring them to"`
	Why   string `json:"why,omitempty"`
}

// Carried are the facts that a guide may state.
var Carried = []string{"tpm.header", "tpm.changeable", "firmware.uefi_capable", "firmware.secure_boot_capable"}

// Book is guides that were read.
type Book struct {
	guides  []entry
	carries bool // some guide states facts or an update

	matched sync.Map // board → the guides that are for it: a fleet has few boards
	boards  atomic.Int64
}

// maxBoards bounds what is remembered.
const maxBoards = 10_000

type entry struct {
	GuideDoc
	own   bool
	facts []carried
}

type carried struct {
	id    fact.ID
	value fact.Value
}

//go:embed general.yaml
var general []byte

// Shipped is the book of the program: the general guide.
var Shipped = sync.OnceValue(func() *Book {
	b, err := Read("general.yaml", nil)
	if err != nil {
		panic(err) // a defect of the program
	}
	return b
})

// ShippedText is the general guide, as an example to start from.
func ShippedText() []byte { return general }

// Read adds an administrator's guides to the general one; nil are none. The
// error is [*doc.Mistakes].
func Read(name string, src []byte) (*Book, error) {
	b := new(Book)
	if src != nil {
		d := new(Document)
		_, r, err := doc.Open(name, src, Format, d)
		if err != nil {
			return nil, err
		}
		b.add(d, true, r)
		if err := r.Err(); err != nil {
			return nil, err
		}
	}
	r := &doc.Report{Name: "general.yaml"}
	b.add(generalDocument(), false, r)
	return b, r.Err()
}

// generalDocument is read once. A mistake in it is a defect of the program.
var generalDocument = sync.OnceValue(func() *Document {
	d := new(Document)
	if err := doc.Decode("general.yaml", general, d); err != nil {
		panic(err)
	}
	return d
})

func (b *Book) add(d *Document, own bool, r *doc.Report) {
	for i := range d.Guides {
		g := &d.Guides[i]
		if g.Node == nil {
			continue // the reader has said so
		}
		e := entry{GuideDoc: *g, own: own}
		if slices.ContainsFunc(b.guides, func(o entry) bool { return own && o.ID == g.ID }) {
			r.Add(g.Node, fmt.Sprintf("the guide %q appears twice", g.ID), "give it another id, or remove one")
		}
		e.patterns(r)
		for _, o := range b.guides {
			if p := e.sameBoards(&o); p != "" && own {
				r.Add(g.Node, fmt.Sprintf("the guides %s and %s are both for %s", o.ID, g.ID, p),
					"put the two together, or make one of the patterns narrower")
			}
		}
		for name := range g.Settings {
			if !slices.Contains(remedy.Settings(), name) {
				right := doc.Suggest(name, remedy.Settings())
				if right == "" {
					right = "it is one of " + strings.Join(remedy.Settings(), ", ")
				}
				r.Add(g.Node.Of("settings").Of(name), fmt.Sprintf("unknown setting %q", name), right)
			}
		}
		e.states(r)
		b.carries = b.carries || len(e.facts) > 0 || e.Update.To != ""
		b.guides = append(b.guides, e)
	}
}

// patterns refuses patterns that can match nothing.
func (e *entry) patterns(r *doc.Report) {
	if e.Maker == "" && e.Node.Has("maker") {
		r.Add(e.Node.Of("maker"), "the guide has no maker",
			"give the board maker as the machine reports it, or * for any")
	}
	for i, p := range append([]string{e.Maker}, e.Models...) {
		if _, err := path.Match(flat(p), ""); err != nil {
			at := e.Node.Of("maker")
			if i > 0 {
				at = e.Node.Of("models").Items[i-1]
			}
			r.Add(at, fmt.Sprintf("the pattern %q is invalid", p),
				"* matches any text, ? any character, [ab] one of these characters; brackets must be closed")
		}
	}
}

// sameBoards names a pattern that both guides have.
func (e *entry) sameBoards(o *entry) string {
	if !strings.EqualFold(e.Maker, o.Maker) {
		return ""
	}
	if len(e.Models) == 0 && len(o.Models) == 0 {
		return e.Maker
	}
	for _, m := range e.Models {
		if slices.ContainsFunc(o.Models, func(n string) bool { return strings.EqualFold(m, n) }) {
			return e.Maker + " " + m
		}
	}
	return ""
}

// states reads the facts and the update of a guide.
func (e *entry) states(r *doc.Report) {
	for _, name := range Carried {
		text, ok := e.Facts[name]
		if !ok {
			continue
		}
		id := fact.ByName(name).ID
		v, right := need.Value(id.Def(), string(text))
		if !v.Known() {
			r.Add(e.Node.Of("facts").Of(name), fmt.Sprintf("%q is not a value of %s", text, name), right)
			continue
		}
		e.facts = append(e.facts, carried{id, v})
	}
	for name := range e.Facts {
		if !slices.Contains(Carried, name) {
			r.Add(e.Node.Of("facts").Of(name), fmt.Sprintf("a guide cannot state %s", name),
				"it states what no system tells: "+strings.Join(Carried, ", "))
		}
	}
	if u := e.Update; (u.To == "") != (u.Below == "") {
		r.Add(e.Node.Of("update"), "an update needs both below and to", "update: {below: \"1.12\", to: \"1.14\"}")
	}
}

// flat makes a text a single element for [path.Match], which treats a slash
// apart, in lower case.
func flat(s string) string { return strings.ToLower(strings.ReplaceAll(s, "/", "\x01")) }

// fits says how closely a guide is for a board: the letters of its patterns
// that stand for themselves, or -1 where it is for another board.
func (e *entry) fits(maker, model string) int {
	ok, _ := path.Match(flat(e.Maker), flat(maker))
	if !ok {
		return -1
	}
	best := -1
	if len(e.Models) == 0 {
		best = 0
	}
	for _, m := range e.Models {
		if ok, _ := path.Match(flat(m), flat(model)); ok {
			best = max(best, 1+literal(m))
		}
	}
	if best < 0 {
		return -1
	}
	return best + 1000*min(1, literal(e.Maker))
}

func literal(pattern string) int {
	return len(pattern) - strings.Count(pattern, "*") - strings.Count(pattern, "?")
}

// matching are the guides for a board, the closest first.
func (b *Book) matching(maker, model string) []*entry {
	board := [2]string{maker, model}
	if had, ok := b.matched.Load(board); ok {
		return had.([]*entry)
	}
	var out []*entry
	for i := range b.guides {
		if b.guides[i].fits(maker, model) >= 0 {
			out = append(out, &b.guides[i])
		}
	}
	slices.SortStableFunc(out, func(x, y *entry) int { return y.fits(maker, model) - x.fits(maker, model) })
	if b.boards.Add(1) <= maxBoards {
		b.matched.Store(board, out)
	}
	return out
}

// boardOf is what guides go by: the board, or the machine where the board does
// not say.
func boardOf(f *fact.Facts) (maker, model string) {
	maker, model = f.Value(fact.BoardManufacturer).Text(), f.Value(fact.BoardModel).Text()
	if maker == "" {
		maker = f.Value(fact.DeviceManufacturer).Text()
	}
	if model == "" {
		model = f.Value(fact.DeviceModel).Text()
	}
	return maker, model
}

// Fill fills gaps from what guides state of the machine's board. A guide never
// overrides a reading.
func (b *Book) Fill(f *fact.Facts) {
	if !b.carries || f.Guest() || f.Class() == fact.Mac {
		return
	}
	for _, e := range b.matching(boardOf(f)) {
		source := "the firmware guide " + e.ID
		for _, c := range e.facts {
			if r := f.Get(c.id); !r.Value.Known() && len(r.Others()) == 0 {
				f.Set(c.id, c.value, source)
			}
		}
		if has := f.Value(fact.FirmwareVersion).Text(); e.Update.To != "" && has != "" &&
			!f.Value(fact.FirmwareUpdate).Known() &&
			fact.Of(fact.Version, has).Compare(fact.Of(fact.Version, e.Update.Below)) < 0 {
			f.Set(fact.FirmwareUpdate, fact.Of(fact.Text, e.Update.To), source)
		}
	}
}

// Guide is the way through one machine's firmware, put together from the guides
// that are for its board: what the closest does not say, the next one does.
type Guide struct {
	ID      string
	Title   string
	Source  string
	General bool // no guide is for this board; names differ
	Keys    Keys
	Enter   string
	Leave   string

	settings map[string]Setting
}

// Setting is where a setting stands.
type Setting struct {
	SettingDoc
	General bool // from the general guide
}

// For is the guide for a machine.
func (b *Book) For(f *fact.Facts) *Guide {
	list := b.matching(boardOf(f))
	g := &Guide{settings: map[string]Setting{}}
	for i, e := range list {
		if i == 0 {
			g.ID, g.Title, g.Source, g.General = e.ID, e.Title, e.Source, !e.own
		}
		if g.Keys.Setup == "" {
			g.Keys.Setup = e.Keys.Setup
		}
		if g.Keys.Boot == "" {
			g.Keys.Boot = e.Keys.Boot
		}
		if g.Enter == "" {
			g.Enter = e.Enter
		}
		if g.Leave == "" {
			g.Leave = e.Leave
		}
		for name, s := range e.Settings {
			if _, ok := g.settings[name]; !ok {
				g.settings[name] = Setting{s, !e.own}
			}
		}
	}
	return g
}

// Setting finds a setting.
func (g *Guide) Setting(name string) (Setting, bool) {
	s, ok := g.settings[name]
	return s, ok
}

// Ways are the guides of the book for a list of them: id, title, and the boards
// they are for.
func (b *Book) Ways() []GuideDoc {
	var out []GuideDoc
	for _, e := range b.guides {
		out = append(out, e.GuideDoc)
	}
	return out
}
