// Package build is what the decoders of all platforms share: a capture on one
// side, an inventory under way on the other, and the ways in which a reading
// becomes a fact with its source or a gap with its cause.
package build

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/edid"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
)

// Draft is an inventory that is being made from a capture.
type Draft struct {
	C *capture.Document
	D *inventory.Document
	// Tables are the firmware tables, once [Draft.ReadTables] has seen them.
	Tables Tables
	rights string

	unread int                    // displays that do not describe themselves
	tiles  map[string][]edid.Tile // of screens that are kept: the others of the same screen are no displays
}

// New begins an inventory. rights is the sentence that says how to get the
// rights that a refused reading lacked.
func New(c *capture.Document, rights string) *Draft {
	d := &inventory.Document{Format: inventory.Format, TakenAt: c.TakenAt,
		Collector: inventory.Collector{
			Version:    c.Version,
			Platform:   c.Platform,
			Elevated:   Some(c.Elevated),
			DurationMS: Some(c.DurationMS),
		}}
	return &Draft{C: c, D: d, rights: rights}
}

// Some is a known value.
func Some[T any](v T) inventory.Opt[T] { return inventory.Some(v) }

// Known is a text that is known unless it is empty.
func Known(s string) inventory.Opt[string] {
	if s = inventory.Clean(s); s == "" {
		return inventory.Opt[string]{}
	}
	return inventory.Some(s)
}

// Text is a record's content without blanks around it.
func (x *Draft) Text(source string) (string, bool) {
	r := x.C.Get(source)
	return strings.TrimSpace(string(r.Raw)), r.Outcome == capture.OK
}

// Number is a record's content as a decimal number.
func (x *Draft) Number(source string) (int64, bool) {
	s, ok := x.Text(source)
	if !ok {
		return 0, false
	}
	n, err := strconv.ParseInt(s, 10, 64)
	return n, err == nil
}

// List is the names in a directory, or whatever else is listed line by line.
func (x *Draft) List(source string) ([]string, bool) {
	r := x.C.Get(source + "/")
	return strings.Fields(string(r.Raw)), r.Outcome == capture.OK
}

// Lines are the lines of a source: names that may have spaces.
func (x *Draft) Lines(source string) []string {
	return strings.FieldsFunc(string(x.C.Get(source).Raw), func(r rune) bool { return r == '\n' })
}

// Set keeps a fact that is a text with its source; an empty text is none.
func (x *Draft) Set(id fact.ID, value, source string) bool {
	if value = inventory.Clean(value); value == "" {
		return false
	}
	set(x, id, value, source)
	return true
}

// SetNumber keeps a fact that is a number with its source.
func (x *Draft) SetNumber(id fact.ID, value int64, source string) { set(x, id, value, source) }

// SetBool keeps a fact that is true or not with its source.
func (x *Draft) SetBool(id fact.ID, value bool, source string) { set(x, id, value, source) }

func set[T any](x *Draft, id fact.ID, value T, source string) {
	*fact.In[T](x.D, id) = Some(value)
	x.D.Said(id.String(), source)
}

// Why notes a gap for a list or a group of facts with the cause that its source's outcome gives;
// otherwise is the detail where the source is simply not there.
func (x *Draft) Why(name string, r capture.Record, otherwise string) {
	switch r.Outcome {
	case capture.Denied:
		if x.C.Elevated {
			x.D.AddGap(name, inventory.ReadFailed, r.Source+" is refused even with administrator rights", "")
			return
		}
		x.D.AddGap(name, inventory.NeedsRights, r.Source, x.rights)
	case capture.Failed:
		detail := r.Detail
		if detail == "" && r.Errno != 0 {
			detail = fmt.Sprintf("error %d", r.Errno)
			if r.Errno > 0xFFFF {
				detail = fmt.Sprintf("error %#x", r.Errno)
			}
		}
		if detail != "" {
			detail = ": " + detail
		}
		x.D.AddGap(name, inventory.ReadFailed, r.Source+detail, "")
	default:
		x.D.AddGap(name, inventory.NotOffered, otherwise, "")
	}
}

// WhyNot notes a gap for a fact of the machine, as [Draft.Why] does.
func (x *Draft) WhyNot(id fact.ID, r capture.Record, otherwise string) {
	x.Why(id.String(), r, otherwise)
}

// Refused is the first of sources that may be there and was not given out.
func (x *Draft) Refused(sources ...string) (r capture.Record, refused bool) {
	for _, s := range sources {
		if r := x.C.Get(s); r.Outcome == capture.Denied || r.Outcome == capture.Failed {
			return r, true
		}
	}
	return r, false
}

// RefusedOr says why a fact is not known: that one of the sources was not given out, or otherwise what is given.
func (x *Draft) RefusedOr(id fact.ID, otherwise string, sources ...string) {
	if r, is := x.Refused(sources...); is {
		x.WhyNot(id, r, "")
		return
	}
	x.Gap(id, inventory.NotOffered, otherwise, "")
}

// NotWhole marks lists as incomplete where one of the sources of their rows was not given out.
func (x *Draft) NotWhole(sources []string, lists ...fact.ID) {
	if r, is := x.Refused(sources...); is {
		for _, id := range lists {
			x.WhyNot(id, r, "")
		}
	}
}

// Gap notes why a fact of the machine is not known, and what would close the gap.
func (x *Draft) Gap(id fact.ID, cause, detail, try string) {
	x.D.AddGap(id.String(), cause, detail, try)
}

// None notes that a machine does not have what a fact is about, so that there is nothing to find.
func (x *Draft) None(name, detail string) {
	x.D.Gaps = append(x.D.Gaps,
		inventory.Gap{Fact: name, Cause: inventory.NotOffered, Detail: detail, None: true})
}

// notRated is the part of a speed that was not rated that the rated one is certainly not below: what is measured, and
// what firmware works out of a bus and a factor, is a little beside it.
const notRated = 0.98

// Speed notes that the rated speed is not known, and that it is not far below another one, in MHz; detail says of
// both.
func (x *Draft) Speed(mhz int64, detail string) {
	least := math.Floor(notRated * float64(mhz))
	x.D.Gaps = append(x.D.Gaps, inventory.Gap{
		Fact: fact.ProcessorMHz.String(), Cause: inventory.NotOffered, Detail: detail,
		AtLeast: &least,
	})
}

// Disagree notes that two sources say different things of a fact, and leaves
// the fact open.
func (x *Draft) Disagree(name string, one, other inventory.Differ) {
	detail := fmt.Sprintf("%s says %s, %s says %s", one.Source, one.Value, other.Source, other.Value)
	x.D.Gaps = append(x.D.Gaps,
		inventory.Gap{Fact: name, Cause: inventory.Disagree, Detail: detail, Readings: []inventory.Differ{one, other}})
}

// byHand are causes of gaps that a person closes who looks elsewhere.
var byHand = []string{inventory.NotOffered, inventory.NotAsked}

// Rest gives every fact without a value a gap. notRead are those that this
// platform could tell of and that are not read; other is the class of hardware
// whose facts this machine does not have.
func (x *Draft) Rest(platform string, notRead []string, other fact.Platform) {
	for _, name := range x.D.Tidy() {
		x.D.AddGap(name, inventory.ReadFailed, "the value that was read is out of range", "")
	}
	for _, name := range notRead {
		if x.D.GapOf(name) == nil {
			x.D.AddGap(name, inventory.NotAsked, "this collector does not read it on "+platform, "")
		}
	}
	f := fact.Read(x.D)
	x.without(f)
	for _, def := range fact.All() {
		r := f.Get(def.ID)
		if def.Derived || def.On == other || r.Value.Known() || x.D.GapOf(def.Name) != nil {
			continue
		}
		x.D.AddGap(def.Name, inventory.NotOffered, fmt.Sprintf("no source on this machine reports %s", def.Label), "")
	}
	for i := range x.D.Gaps {
		g := &x.D.Gaps[i]
		if g.Try == "" && !g.None && slices.Contains(byHand, g.Cause) {
			g.Try = whereToLook(g.Fact)
		}
	}
}
