// Package manual puts facts that a person entered into an inventory. They fill
// gaps and never silently override a reading: where the two differ, the fact is
// one on which sources disagree, and both stay.
package manual

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/need"
)

// Fact is one fact that a person entered.
type Fact struct {
	Fact  string    `json:"fact" doc:"Name of the fact; in a list with its position, such as graphics[0].interface_level; an adapter also by its PCI ids: graphics[7e5a:0c21].interface_level"`
	Value string    `json:"value" doc:"As in release documents, with its unit: 16 GiB"`
	By    string    `json:"by" doc:"Who entered it"`
	At    time.Time `json:"at"`
	Note  string    `json:"note,omitempty" doc:"Source of the value: the board's manual, page 12"`
	Until time.Time `json:"until,omitzero" doc:"When it expires"`
	Model string    `json:"model,omitempty" doc:"For a fact of a model: the model"`

	From string `json:"-"` // the source in full, of what no person entered; the others say nothing then
}

// Source says where the fact is from.
func (f *Fact) Source() string {
	if f.From != "" {
		return f.From
	}
	s := byHand
	if f.Model != "" {
		s += " for every " + f.Model
	}
	if f.By != "" {
		s += " by " + f.By
	}
	if !f.At.IsZero() {
		s += " on " + f.At.UTC().Format(time.DateOnly)
	}
	if f.Note != "" {
		s += " (" + f.Note + ")"
	}
	return s
}

const byHand = "entered by hand"

// Anonymous is the source of a fact without who entered it, when and why; other sources stay as they are.
func Anonymous(source string) string {
	if strings.HasPrefix(source, byHand) {
		return byHand
	}
	return source
}

// Check says what is wrong with a fact before it is kept.
func (f *Fact) Check() error {
	d := &inventory.Document{Format: inventory.Format, TakenAt: time.Unix(0, 0).UTC()}
	d.OS.Platform = inventory.Some("windows")
	// A place in a list is only there on the machine itself.
	for range 8 {
		d.Graphics, d.Displays = append(d.Graphics, inventory.Adapter{}), append(d.Displays, inventory.Display{})
		d.Storage.Disks, d.Memory.Modules = append(d.Storage.Disks, inventory.Disk{}),
			append(d.Memory.Modules, inventory.Module{})
	}
	if vendor, device, ok := strings.Cut(IDs(f.Fact), ":"); ok {
		d.Graphics[0].VendorID, d.Graphics[0].DeviceID = inventory.Some(vendor), inventory.Some(device)
	}
	return enter(d, f)
}

// Enter returns the inventory with the facts in it; d itself stays as it is.
// A fact that does not go into this inventory is left out and returned with the
// reason: another inventory of the same machine may have its place.
func Enter(d *inventory.Document, facts []Fact) (*inventory.Document, []error) {
	if len(facts) == 0 {
		return d, nil
	}
	out := d.Clone()
	var left []error
	for i := range facts {
		next := out.Clone()
		if err := enter(next, &facts[i]); err != nil {
			left = append(left, fmt.Errorf("%s: %w", facts[i].Fact, err))
			continue
		}
		out = next
	}
	return out, left
}

// Fill returns the inventory with facts that hold for every machine of its model.
// They fill gaps only: what was read of the machine itself counts more, and so does
// what a person entered for it, which own lists.
func Fill(d *inventory.Document, ofModel, own []Fact) *inventory.Document {
	if len(ofModel) == 0 {
		return d
	}
	var use []Fact
	read := fact.Read(d)
	for _, f := range ofModel {
		def := fact.ByName(Plain(f.Fact))
		if def == nil || slices.ContainsFunc(own, func(o Fact) bool { return o.Fact == f.Fact }) {
			continue
		}
		open := func(r *fact.Reading) bool { return !r.Value.Known() && len(r.Others()) == 0 }
		if def.ID.Group() == fact.NoGroup {
			if open(read.Get(def.ID)) {
				use = append(use, f)
			}
			continue
		}
		ids := IDs(f.Fact)
		for _, row := range adapters(d, ids) {
			one := f
			one.Fact = def.In(strconv.Itoa(row))
			if open(read.Row(def.ID.Group(), row).Get(def.ID)) &&
				!slices.ContainsFunc(own, func(o Fact) bool { return o.Fact == one.Fact }) {
				use = append(use, one)
			}
		}
	}
	out, _ := Enter(d, use) // what does not go in would contradict what was read
	return out
}

// Plain is the name of a fact without its place in a list.
func Plain(name string) string {
	if i, j := strings.IndexByte(name, '['), strings.IndexByte(name, ']'); i >= 0 && j > i {
		return name[:i] + name[j+1:]
	}
	return name
}

// IDs are the ids by which the name of a fact picks adapters, in graphics[7e5a:0c21].interface_level; "" for a name
// without them.
func IDs(name string) string {
	_, rest, _ := strings.Cut(name, "[")
	ids, _, _ := strings.Cut(rest, "]")
	if ids = strings.ToLower(ids); !inventory.AreIDs(ids) || !strings.HasPrefix(name, fact.Adapters.String()+"[") {
		return ""
	}
	return ids
}

// Canonical is the name of a fact as it is kept: the ids that pick an adapter are in small letters.
func Canonical(name string) string {
	if ids := IDs(name); ids != "" {
		return picked(name, ids)
	}
	return name
}

// picked is the name of a fact of a list with another row in its brackets.
func picked(name, row string) string {
	return name[:strings.IndexByte(name, '[')+1] + row + name[strings.IndexByte(name, ']'):]
}

// adapters are the positions of the graphics adapters with some ids.
func adapters(d *inventory.Document, ids string) []int {
	var rows []int
	for i := range d.Graphics {
		if ids != "" && d.Graphics[i].IDs() == ids {
			rows = append(rows, i)
		}
	}
	return rows
}

// Has says whether a machine has an adapter with the ids in the name of a fact. It is false for names without ids.
func Has(f *fact.Facts, name string) bool {
	r := f.Get(fact.AdapterKinds)
	return r.Value.Has(IDs(name)) || r.Floor().Has(IDs(name))
}

// enterByIDs enters a fact of every adapter that has the ids.
func enterByIDs(d *inventory.Document, f *Fact, ids string) error {
	rows := adapters(d, ids)
	if rows == nil {
		return fmt.Errorf("no graphics adapter of the inventory has the ids %s", ids)
	}
	for _, row := range rows {
		one := *f
		one.Fact = picked(f.Fact, strconv.Itoa(row))
		if err := enter(d, &one); err != nil {
			return err
		}
	}
	return nil
}

// site is a fact's name parted at its list's place.
func site(name string) (def *fact.Def, row int, err error) {
	plain, row := name, -1
	if i := strings.IndexByte(name, '['); i >= 0 {
		j := strings.IndexByte(name, ']')
		if j < i {
			return nil, 0, fmt.Errorf("%q is not the name of a fact; write a position in a list as "+
				"graphics[0].interface_level",
				name)
		}
		if row, err = strconv.Atoi(name[i+1 : j]); err != nil || row < 0 {
			return nil, 0, fmt.Errorf("%q is not a position in a list; positions count from 0, and an adapter can be "+
				"picked by its PCI ids, as in graphics[7e5a:0c21].interface_level", name[i:j+1])
		}
		plain = name[:i] + name[j+1:]
	}
	def = fact.ByName(plain)
	switch {
	case def == nil:
		return nil, 0, errors.New(doc.With(fmt.Sprintf("unknown fact %q", plain), doc.Suggest(plain, fact.Names())))
	case def.ID == fact.Attestation || def.ID == fact.AttestedFacts:
		return nil, 0, fmt.Errorf("%s cannot be entered: only a proof by the machine's TPM states it; run "+
			"rolltop-collect on the machine as administrator, with the service's address", plain)
	case def.ID == fact.AdapterIDs:
		return nil, 0, fmt.Errorf("%s cannot be entered: the bus tells it, and what is entered for an adapter rests "+
			"on it", plain)
	case def.Derived && !worked[def.ID] && !def.Counts():
		return nil, 0, fmt.Errorf("%s is derived from other facts; enter those", plain)
	case def.ID.Group() != fact.NoGroup && row < 0:
		return nil, 0, fmt.Errorf("%s is a fact of the rows of a list; give the position: %s[0]%s", plain,
			def.ID.Group(),
			strings.TrimPrefix(plain, def.ID.Group().String()))
	case def.ID.Group() == fact.NoGroup && row >= 0:
		return nil, 0, fmt.Errorf("%s is not in a list; write it without a position", plain)
	}
	return def, row, nil
}

func enter(d *inventory.Document, f *Fact) error {
	if ids := IDs(f.Fact); ids != "" {
		return enterByIDs(d, f, ids)
	}
	def, row, err := site(f.Fact)
	if err != nil {
		return err
	}
	value, right := need.Value(def, f.Value)
	if !value.Known() {
		return fmt.Errorf("%q is not a value of %s; %s", f.Value, def.Name, right)
	}
	if def.Derived {
		return derived(d, def, value, f)
	}
	if err := addRow(d, def, row, f); err != nil {
		return err
	}
	slot, err := find(d, def, row)
	if err != nil {
		return err
	}
	if _, is := slot.(*inventory.Opt[time.Time]); is {
		if day, err := time.Parse(time.DateOnly, value.Text()); err != nil || !doc.TimeFits(day) {
			return fmt.Errorf("%s: %q is not a day; write it as 2026-11-22", f.Fact, f.Value)
		}
	}
	name := f.Fact
	if was := fact.Read(d); row < 0 {
		r := was.Get(def.ID)
		if r.Value.Known() && !r.Value.Equal(value) {
			return disagree(d, slot, name, r, value, f.Source())
		}
		if r.Value.Known() {
			return nil // it says what was read
		}
		if len(r.Others()) > 0 && !settles(r, value) {
			for i := range d.Gaps {
				if d.Gaps[i].Fact == name {
					d.Gaps[i].Readings = append(d.Gaps[i].Readings,
						inventory.Differ{Value: value.Plain(), Source: f.Source()})
				}
			}
			return nil
		}
	} else if r := was.Row(def.ID.Group(), row).Get(def.ID); r.Value.Known() {
		if r.Value.Equal(value) {
			return nil
		}
		return disagree(d, slot, name, r, value, f.Source())
	}
	put(slot, value)
	d.DropGap(name)
	d.Said(name, f.Source())
	return valid(d)
}

// settles: a person who looked at the machine agrees with one of the sources
// that disagree.
func settles(r *fact.Reading, v fact.Value) bool {
	for _, o := range r.Others() {
		if o.Value.Equal(v) {
			return true
		}
	}
	return false
}

// disagree takes the reading back and keeps both.
func disagree(
	d *inventory.Document, slot any, name string, r *fact.Reading, v fact.Value, source string,
) error {
	put(slot, v)
	if err := valid(d); err != nil {
		return err // nobody has to settle what cannot be
	}
	clearSlot(slot)
	delete(d.Sources, name)
	read := r.Source
	if read == "" {
		read = "the inventory"
	}
	d.DropGap(name)
	d.Gaps = append(d.Gaps, inventory.Gap{
		Fact:     name,
		Cause:    inventory.Disagree,
		Detail:   "the value read and the value entered by hand differ",
		Try:      "Check on the machine which value is right, and correct the entered value.",
		Readings: []inventory.Differ{{Value: r.Value.Plain(), Source: read}, {Value: v.Plain(), Source: source}},
	})
	return nil
}

// find is the place of a fact in the document; row is -1 for facts of the machine.
func find(d *inventory.Document, def *fact.Def, row int) (any, error) {
	if g := def.ID.Group(); g != fact.NoGroup && row >= g.Rows(d) {
		return nil, fmt.Errorf("the inventory lists %d of them; position %d does not exist", g.Rows(d), row)
	}
	slot := def.Slot(d, max(row, 0))
	if slot == nil {
		return nil, fmt.Errorf("%s cannot be stored in an inventory", def.Name)
	}
	return slot, nil
}

// Put sets a fact of a document, whatever was there. It returns an error for facts of lists, and
// for those that are worked out from others.
func Put(d *inventory.Document, def *fact.Def, v fact.Value) error {
	if def.Derived || def.ID.Group() != fact.NoGroup {
		return fmt.Errorf("%s cannot be stored in an inventory", def.Name)
	}
	slot, err := find(d, def, -1)
	if err == nil {
		put(slot, v)
	}
	return err
}

// put sets what a slot of package fact points to.
func put(slot any, v fact.Value) {
	switch to := slot.(type) {
	case *inventory.Opt[string]:
		*to = inventory.Some(v.Text())
	case *inventory.Opt[int64]:
		*to = inventory.Some(int64(v.Float()))
	case *inventory.Opt[float64]:
		*to = inventory.Some(v.Float())
	case *inventory.Opt[bool]:
		*to = inventory.Some(v.Bool())
	case *inventory.Opt[time.Time]:
		day, _ := time.Parse(time.DateOnly, v.Text()) // enter has looked at it
		*to = inventory.Some(day)
	case *string:
		*to = v.Text()
	case *[]string:
		*to = v.Set()
	}
}

// clearSlot takes away what a slot of package fact points to.
func clearSlot(slot any) {
	switch to := slot.(type) {
	case *inventory.Opt[string]:
		*to = inventory.Opt[string]{}
	case *inventory.Opt[int64]:
		*to = inventory.Opt[int64]{}
	case *inventory.Opt[float64]:
		*to = inventory.Opt[float64]{}
	case *inventory.Opt[bool]:
		*to = inventory.Opt[bool]{}
	case *inventory.Opt[time.Time]:
		*to = inventory.Opt[time.Time]{}
	case *string:
		*to = ""
	case *[]string:
		*to = nil
	}
}

// valid refuses what the inventory's own reader would: more free space than the
// volume has.
func valid(d *inventory.Document) error {
	b, err := json.Marshal(d)
	if err != nil {
		return err
	}
	_, err = inventory.Read("the inventory", b)
	var mistakes *doc.Mistakes
	if errors.As(err, &mistakes) && len(mistakes.List) > 0 { // where it stands in a text that nobody wrote says nothing
		return errors.New(doc.With(mistakes.List[0].Wrong, mistakes.List[0].Right))
	}
	return err
}
