package fact

import (
	"fmt"
	"time"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/placeholder"
)

// access is the one way to the place that a fact has in a document, for reading and for setting.
// The number is of a row, for facts of lists; others do not look at it.
type access struct {
	read func(d *document, row int) Value
	slot func(d *document, row int) any // *inventory.Opt[T], *string or *[]string
}

// The makers of places are not inlined: the catalogue calls them a hundred times while a program
// starts, and their bodies there would make the collector 65 kB larger.

// text is the place of a text, a word or a version.
//
//go:noinline
func text(k Kind, at func(*document) *optText) access {
	return rowText(k, func(d *document, _ int) *optText { return at(d) })
}

//go:noinline
func rowText(k Kind, at func(*document, int) *optText) access {
	return access{
		read: func(d *document, row int) Value {
			if s, ok := at(d, row).Get(); ok {
				return Of(k, s)
			}
			return Value{}
		},
		slot: func(d *document, row int) any { return at(d, row) },
	}
}

// filled is the place of a text that makers may have left to be filled: a placeholder is none.
//
//go:noinline
func filled(at func(*document) *optText) access {
	return filledBy(placeholder.Text, at)
}

//go:noinline
func filledBy(clean func(string) string, at func(*document) *optText) access {
	return access{
		read: func(d *document, _ int) Value {
			if s := clean(at(d).Or("")); s != "" {
				return Of(Text, s)
			}
			return Value{}
		},
		slot: func(d *document, _ int) any { return at(d) },
	}
}

//go:noinline
func number(at func(*document) *optInt) access {
	return rowNumber(func(d *document, _ int) *optInt { return at(d) })
}

//go:noinline
func rowNumber(at func(*document, int) *optInt) access {
	return access{
		read: func(d *document, row int) Value {
			if n, ok := at(d, row).Get(); ok {
				return Num(float64(n))
			}
			return Value{}
		},
		slot: func(d *document, row int) any { return at(d, row) },
	}
}

//go:noinline
func rowFraction(at func(*document, int) *inventory.Opt[float64]) access {
	return access{
		read: func(d *document, row int) Value {
			if n, ok := at(d, row).Get(); ok {
				return Num(n)
			}
			return Value{}
		},
		slot: func(d *document, row int) any { return at(d, row) },
	}
}

//go:noinline
func truth(at func(*document) *optBool) access {
	return rowTruth(func(d *document, _ int) *optBool { return at(d) })
}

//go:noinline
func rowTruth(at func(*document, int) *optBool) access {
	return access{
		read: func(d *document, row int) Value {
			if b, ok := at(d, row).Get(); ok {
				return Truth(b)
			}
			return Value{}
		},
		slot: func(d *document, row int) any { return at(d, row) },
	}
}

// day is the place of a time of which only the day counts.
//
//go:noinline
func day(at func(*document) *inventory.Opt[time.Time]) access {
	return access{
		read: func(d *document, _ int) Value {
			if is, ok := at(d).Get(); ok {
				return Of(Text, is.UTC().Format(time.DateOnly))
			}
			return Value{}
		},
		slot: func(d *document, _ int) any { return at(d) },
	}
}

// items is the place of a set; one that is nil is not known.
//
//go:noinline
func items(at func(*document) *[]string) access {
	return access{
		read: func(d *document, _ int) Value {
			if list := *at(d); list != nil {
				return Items(list)
			}
			return Value{}
		},
		slot: func(d *document, _ int) any { return at(d) },
	}
}

// rowName is the place of the name of a row, without which there is no row.
//
//go:noinline
func rowName(at func(*document, int) *string) access {
	return access{
		read: func(d *document, row int) Value { return Of(Text, *at(d, row)) },
		slot: func(d *document, row int) any { return at(d, row) },
	}
}

// value reads the fact from a document; row is for facts of lists.
func (d *Def) value(doc *document, row int) Value {
	switch {
	case d.of != nil:
		return d.of(doc)
	case d.in.read != nil:
		return d.in.read(doc, row)
	}
	return d.at.read(doc, row)
}

// Slot is the place of the fact in a document, as a pointer to what holds it:
// *inventory.Opt[T], *string or *[]string. row counts from 0 and is for facts of lists, of which
// the document has to have so many. It is nil for facts that have no place of their own.
func (d *Def) Slot(doc *inventory.Document, row int) any {
	switch {
	case d.in.slot != nil:
		return d.in.slot(doc, row)
	case d.at.slot != nil:
		return d.at.slot(doc, row)
	}
	return nil
}

// In is the place of a fact of the machine in a document. It panics where the fact is of another
// type: that is a mistake of the program.
func In[T any](doc *inventory.Document, id ID) *inventory.Opt[T] {
	slot, ok := id.Def().Slot(doc, 0).(*inventory.Opt[T])
	if !ok {
		panic(fmt.Sprintf("fact: %s is not of the type %T", id, *new(T)))
	}
	return slot
}
