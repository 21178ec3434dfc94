package need

import (
	"slices"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/list"
)

// kind is a way to compare a fact: one row, and the only place that knows its key, the kinds of
// facts that it suits, and how it is made from a document.
type kind struct {
	key     string // in documents
	suits   []fact.Kind
	compile func(c *compiler, def *fact.Def, d *Document, at *doc.Node) Leaf
	// sample is a need of the kind; tighter is one that asks more, or nil where none can.
	sample, tighter func() Leaf
}

var (
	ordered = []fact.Kind{fact.Number, fact.Version}
	plain   = []fact.Kind{fact.Number, fact.Version, fact.Word, fact.Text}
	named   = []fact.Kind{fact.Text}
	sets    = []fact.Kind{fact.Set}
)

// kinds are all ways to compare a fact, in the order in which documents are told of them.
var kinds = []kind{
	{
		key:   "at_least",
		suits: ordered,
		compile: func(c *compiler, def *fact.Def, d *Document, at *doc.Node) Leaf {
			return &AtLeast{on{def.ID}, c.value(def, d.AtLeast, at)}
		},
		sample:  func() Leaf { return &AtLeast{on{fact.ProcessorCores}, fact.Num(2)} },
		tighter: func() Leaf { return &AtLeast{on{fact.ProcessorCores}, fact.Num(4)} },
	},
	{
		key:   "at_most",
		suits: ordered,
		compile: func(c *compiler, def *fact.Def, d *Document, at *doc.Node) Leaf {
			return &AtMost{on{def.ID}, c.value(def, d.AtMost, at)}
		},
		sample:  func() Leaf { return &AtMost{on{fact.ProcessorCores}, fact.Num(64)} },
		tighter: func() Leaf { return &AtMost{on{fact.ProcessorCores}, fact.Num(32)} },
	},
	{
		key:   "equals",
		suits: slices.Concat(plain, []fact.Kind{fact.Bool}),
		compile: func(c *compiler, def *fact.Def, d *Document, at *doc.Node) Leaf {
			return &OneOf{on{def.ID}, []fact.Value{c.value(def, d.Equals, at)}}
		},
		sample: func() Leaf { return &OneOf{on{fact.BootMode}, words("uefi")} },
	},
	{
		key:   "one_of",
		suits: plain,
		compile: func(c *compiler, def *fact.Def, d *Document, at *doc.Node) Leaf {
			return &OneOf{on{def.ID}, c.values(def, d.OneOf, at)}
		},
		sample:  func() Leaf { return &OneOf{on{fact.BootMode}, words("uefi", "legacy")} },
		tighter: func() Leaf { return &OneOf{on{fact.BootMode}, words("uefi")} },
	},
	{
		key:   "none_of",
		suits: plain,
		compile: func(c *compiler, def *fact.Def, d *Document, at *doc.Node) Leaf {
			return &NoneOf{on{def.ID}, c.values(def, d.NoneOf, at)}
		},
		sample:  func() Leaf { return &NoneOf{on{fact.DeviceForm}, words("tablet")} },
		tighter: func() Leaf { return &NoneOf{on{fact.DeviceForm}, words("tablet", "server")} },
	},
	{
		key:   "has_all",
		suits: sets,
		compile: func(c *compiler, def *fact.Def, d *Document, at *doc.Node) Leaf {
			return &HasAll{on{def.ID}, c.items(d.HasAll, at)}
		},
		sample:  func() Leaf { return &HasAll{on{fact.ProcessorFeatures}, []string{"sse4.2"}} },
		tighter: func() Leaf { return &HasAll{on{fact.ProcessorFeatures}, []string{"sse4.2", "avx2"}} },
	},
	{
		key:   "has_any",
		suits: sets,
		compile: func(c *compiler, def *fact.Def, d *Document, at *doc.Node) Leaf {
			return &HasAny{on{def.ID}, c.items(d.HasAny, at)}
		},
		sample:  func() Leaf { return &HasAny{on{fact.ProcessorFeatures}, []string{"avx2", "sve"}} },
		tighter: func() Leaf { return &HasAny{on{fact.ProcessorFeatures}, []string{"avx2"}} },
	},
	{
		key:   "empty",
		suits: sets,
		compile: func(c *compiler, def *fact.Def, d *Document, at *doc.Node) Leaf {
			if !d.Empty {
				c.r.Add(at, "empty: false says nothing", "write empty: true, or put it below not")
			}
			return &Empty{on{def.ID}}
		},
		sample: func() Leaf { return &Empty{on{fact.SoftwareToRemove}} },
	},
	{
		key:   "begins_with",
		suits: named,
		compile: func(c *compiler, def *fact.Def, d *Document, at *doc.Node) Leaf {
			return &BeginsWith{on{def.ID}, c.items(d.Begins, at)}
		},
		sample:  func() Leaf { return &BeginsWith{on{fact.OSName}, []string{"Skerry", "Fathom"}} },
		tighter: func() Leaf { return &BeginsWith{on{fact.OSName}, []string{"Skerry"}} },
	},
	{
		key:   "on_list",
		suits: named,
		compile: func(c *compiler, def *fact.Def, d *Document, at *doc.Node) Leaf {
			return c.listed(def, d.OnList, at)
		},
		sample: func() Leaf { return &Listed{on{fact.ProcessorName}, &list.List{}} },
	},
}

// words are values of a fact that is a word.
func words(list ...string) []fact.Value {
	out := make([]fact.Value, len(list))
	for i, w := range list {
		out[i] = fact.Of(fact.Word, w)
	}
	return out
}

// kindsFor are the keys of the comparisons that suit a fact.
func kindsFor(def *fact.Def) []string {
	var out []string
	for i := range kinds {
		if slices.Contains(kinds[i].suits, def.Kind) {
			out = append(out, kinds[i].key)
		}
	}
	return out
}

// Sample is a need of one kind, with one that asks more.
type Sample struct {
	Key     string
	Leaf    Leaf
	Tighter Leaf // nil where nothing asks more
}

// Samples are one need of every kind. Whoever walks over needs proves with them that no kind was
// forgotten.
func Samples() []Sample {
	out := make([]Sample, len(kinds))
	for i := range kinds {
		out[i] = Sample{Key: kinds[i].key, Leaf: kinds[i].sample()}
		if kinds[i].tighter != nil {
			out[i].Tighter = kinds[i].tighter()
		}
	}
	return out
}
