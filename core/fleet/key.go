package fleet

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/work"
)

// pick says whether the machine at a place of the index is picked.
type pick = func(at int32) bool

// key is a key of terms that is not a fact. This table is all that there is to one: what it
// is called, what a person reads of it, which values it takes, and what it picks.
type key struct {
	name  string
	doc   string                                  // behind the name, in brackets; "" where the name says it
	words []string                                // it takes only these; nil: any
	ids   bool                                    // it takes ids, which are in lower case
	like  bool                                    // it takes texts, in which * stands for any characters
	check func(v string) error                    // refuses a value that no machine can have; nil: none
	test  func(x *Index, t *term, f *Filter) pick // of the term's values
}

// AnyRequirement is the value of alone for whichever requirement it is.
const AnyRequirement = "any"

// keys are all of them, by their names.
var keys = []key{
	{
		name: "alone",
		doc:  "the one requirement that fails; any: whichever it is",
		ids:  true,
		test: byRow(func(r *Row, v string) bool { return r.Sole == v || v == AnyRequirement && r.Sole != "" }),
	},
	{name: ExternalWho, doc: "has the work", test: pickExternal},
	{name: "attested", doc: "by its TPM; contradicted: its system reports something else; asked: a person has to " +
		"confirm its TPM", words: []string{yes, "no", "contradicted", "refused", "asked"}, test: pickAttested},
	{name: "cause", doc: "why a machine is undetermined", words: CauseNames, test: pickCause},
	{name: "certainty", words: []string{"confirmed", "expected"},
		test: byRow(func(r *Row, v string) bool { return r.Judged && r.Certain == (v == "confirmed") })},
	{name: "class", words: []string{fact.PC, fact.Mac}, test: byText(textClass)},
	{name: "decision", doc: "its kind or number", check: checkDecision, test: pickDecision},
	{name: "disposition", words: remedy.Dispositions(),
		test: byDisposition(func(r *Row) (remedy.Disposition, bool) { return r.Disposition, r.Judged })},
	{name: "duplicate", words: yesOrNo, test: byRow(func(r *Row, v string) bool { return r.Doubted == (v == yes) })},
	{name: "ends", doc: "days until the end of support",
		check: days("ends", "ends=90 for machines whose release goes out of support within 90 days"), test: pickEnds},
	{name: "fails", doc: "a requirement", ids: true, test: byOutcome('f')},
	{name: "fixed_by", doc: "these steps alone make it ready", ids: true, test: pickFreed},
	{name: "further", doc: "a step of further work", ids: true, test: pickFurther},
	{name: "hold", words: yesOrNo, test: pickHold},
	{name: "installed", like: true, test: byText(textInstalled)},
	{name: "judged", words: yesOrNo, test: byRow(func(r *Row, v string) bool { return r.Judged == (v == yes) })},
	{name: "key", doc: "of a machine", like: true,
		test: byRow(func(r *Row, v string) bool { return matches(r.Key, v) })},
	{name: "maker", like: true, test: byText(textMaker)},
	{name: "missing", doc: "an unknown fact", check: checkMissing,
		test: func(x *Index, t *term, _ *Filter) pick { return x.missing(t.values) }},
	{name: "model", like: true, test: byText(textModel)},
	{name: "next", doc: "disposition for the next release", words: remedy.Dispositions(),
		test: byDisposition(func(r *Row) (remedy.Disposition, bool) {
			return remedy.Disposition(max(r.Next, 0)), r.Judged && r.Next != NoNext
		})},
	{name: ExternalOffer, doc: "when the target is offered; late: after the end of support of what is installed",
		words: release.OfferWords(), test: pickExternal},
	{name: "older", doc: "days since the latest inventory",
		check: days("older", "older=14 for machines whose inventory is more than 14 days old"), test: pickOlder},
	{name: ExternalOrder, doc: "the number of an order that has parts for it", test: pickExternal},
	{name: ExternalOutcome, doc: "in a wave", words: OutcomeNames, test: pickExternal},
	{name: ExternalPart, doc: "a part that its plan takes, as the parts order names it", test: pickExternal},
	{name: "publisher", doc: "disposition by the publisher's requirements alone", words: remedy.Dispositions(),
		test: byDisposition(func(r *Row) (remedy.Disposition, bool) { return r.Publisher, r.Judged })},
	{name: "retired", words: yesOrNo, test: byRow(func(r *Row, v string) bool { return r.Retired == (v == yes) })},
	{name: "route", words: release.Ways(), test: byRow(func(r *Row, v string) bool { return r.Judged && r.Way == v })},
	{name: ExternalChanged, doc: "the number of a change of rules",
		check: number(ExternalChanged, "rolltop releases changes lists the changes of rules"), test: pickExternal},
	{name: "site", like: true, test: byText(textPlace)},
	{name: "step", doc: "of the plan", ids: true, test: pickStep},
	{name: "support", doc: "days until the end of support of its edition: " +
		"over, up to 30, 31 to 90, 91 to 180, later, or unknown", words: bandWords, test: pickBand},
	{name: "tag", like: true, test: func(x *Index, t *term, _ *Filter) pick {
		return x.tags.by(func(v fact.Value) bool {
			return slices.ContainsFunc(v.Set(), func(tag string) bool {
				return slices.ContainsFunc(t.values, func(s string) bool { return matches(tag, s) })
			})
		})
	}},
	{name: "unknown", doc: "a requirement", ids: true, test: byOutcome('u')},
	{name: "unsupported", doc: "runs the target without meeting it", words: yesOrNo, test: pickUnsupported},
	{name: ExternalVisit, doc: "the day of a visit, as 2026-12-03", check: checkVisit, test: pickExternal},
	{name: "waived", doc: "a requirement", ids: true, test: byOutcome('w')},
	{name: ExternalWave, doc: "its number", check: number(ExternalWave, "rolltop waves lists the waves"),
		test: pickExternal},
}

const yes = "yes"

var yesOrNo = []string{yes, "no"}

// byName are the keys by their names.
var byName = func() map[string]*key {
	out := make(map[string]*key, len(keys))
	for i := range keys {
		out[keys[i].name] = &keys[i]
	}
	return out
}()

// Keys lists the keys of terms that are no facts.
func Keys() []string {
	out := make([]string, len(keys))
	for i := range keys {
		out[i] = keys[i].name
	}
	return out
}

// Doc is what a person reads about filters.
func Doc() string {
	var b strings.Builder
	b.WriteString("A filter: terms separated by spaces must all match; or, not and parentheses combine them. " +
		"A term is a word or key=value[,value]; != excludes, and numbers also compare with <, <=, > and >=. " +
		"Spaces around a comparison do not matter. " +
		"* stands for any characters; put values with spaces in double quotes. Keys: name, serial, uuid, ")
	for i := range keys {
		k := &keys[i]
		b.WriteString(k.name)
		if k.doc != "" {
			b.WriteString(" (" + k.doc + ")")
		}
		b.WriteString(", ")
	}
	b.WriteString("and facts, as tpm.state=off or memory.installed_bytes>=8GiB")
	return b.String()
}

// allows refuses a value that no machine can have, and is the value as the fleet writes it.
func (k *key) allows(v string) (string, error) {
	v = folded(v, k.words)
	if k.words != nil && !slices.Contains(k.words, v) {
		return "", errors.New(doc.With(fmt.Sprintf("unknown value %s=%s", k.name, shown(v)), doc.Suggest(v, k.words)))
	}
	if k.ids {
		v = strings.ToLower(v)
	}
	if strings.Contains(v, anything) && !k.like {
		return "", fmt.Errorf("%s=%s: * stands for other characters only in names and texts; write the whole value",
			k.name, shown(v))
	}
	if k.check == nil {
		return v, nil
	}
	return v, k.check(v)
}

func days(name, right string) func(string) error {
	return func(v string) error {
		if n, err := strconv.Atoi(v); err != nil || n < 0 || n > 36500 {
			return fmt.Errorf("%s=%s is not a number of days; write %s", name, v, right)
		}
		return nil
	}
}

func number(name, right string) func(string) error {
	return func(v string) error {
		if n, err := strconv.Atoi(v); err != nil || n < 1 {
			return fmt.Errorf("%s=%s is not a number; %s", name, v, right)
		}
		return nil
	}
}

func checkDecision(v string) error {
	if n, err := strconv.Atoi(v); (err != nil || n < 1) && !slices.Contains(DecisionNames, v) {
		return fmt.Errorf("unknown value decision=%s; use %s, or the number of a decision", v,
			strings.Join(DecisionNames, ", "))
	}
	return nil
}

func checkVisit(v string) error {
	if _, err := time.Parse(time.DateOnly, v); err != nil {
		return fmt.Errorf("%s=%s is not a day; write %s=2026-12-03", ExternalVisit, v, ExternalVisit)
	}
	return nil
}

func checkMissing(v string) error {
	def := fact.ByName(v)
	if err := ofEachRow(def); err != nil {
		return err
	}
	if def == nil {
		return errors.New(doc.With(fmt.Sprintf("missing=%s: there is no fact %q", v, v),
			doc.Suggest(v, fact.Names())))
	}
	return nil
}

// byRow asks each machine's row for each value.
func byRow(ask func(*Row, string) bool) func(*Index, *term, *Filter) pick {
	return func(x *Index, t *term, _ *Filter) pick {
		if len(t.values) == 1 { // most are, and every machine is asked
			v := t.values[0]
			return func(at int32) bool { return ask(&x.rows[at], v) }
		}
		return func(at int32) bool {
			r := &x.rows[at]
			return slices.ContainsFunc(t.values, func(v string) bool { return ask(r, v) })
		}
	}
}

// byText compares one of the texts of which a fleet has few, whatever their case.
func byText(which int) func(*Index, *term, *Filter) pick {
	return func(x *Index, t *term, _ *Filter) pick {
		return x.texts[which].by(func(v fact.Value) bool {
			return slices.ContainsFunc(t.values, func(s string) bool { return matches(v.Text(), s) })
		})
	}
}

// byDisposition asks whether a machine's disposition is one of several; of says which it
// has, where it has one.
func byDisposition(of func(*Row) (remedy.Disposition, bool)) func(*Index, *term, *Filter) pick {
	return func(x *Index, t *term, _ *Filter) pick {
		wanted := dispositions(t.values)
		return func(at int32) bool {
			d, has := of(&x.rows[at])
			return has && wanted[d]
		}
	}
}

// byOutcome asks for requirements that have an outcome.
func byOutcome(letter byte) func(*Index, *term, *Filter) pick {
	return func(x *Index, t *term, _ *Filter) pick { return x.outcome(t.values, letter) }
}

// pickExternal picks what was found by whoever keeps what an index does not hold.
func pickExternal(x *Index, t *term, f *Filter) pick {
	return func(at int32) bool {
		return slices.ContainsFunc(t.values, func(v string) bool { return f.found[externalKey(t.key, v)][x.ids[at]] })
	}
}

func pickCause(x *Index, t *term, _ *Filter) pick {
	var want Causes
	for _, v := range t.values {
		want |= 1 << slices.Index(CauseNames, v)
	}
	return func(at int32) bool { return x.rows[at].Causes&want != 0 }
}

func pickDecision(x *Index, t *term, _ *Filter) pick {
	var want Decided
	var numbers []string
	for _, v := range t.values {
		if i := slices.Index(DecisionNames, v); i >= 0 {
			want |= 1 << i
		} else {
			numbers = append(numbers, " "+v+" ")
		}
	}
	return func(at int32) bool {
		r := &x.rows[at]
		return r.Decided&want != 0 ||
			slices.ContainsFunc(numbers, func(n string) bool { return strings.Contains(r.DecidedBy, n) })
	}
}

func pickOlder(x *Index, t *term, f *Filter) pick {
	since := f.now.AddDate(0, 0, -t.whole()).UnixMilli()
	return func(at int32) bool { return x.taken[at] < since }
}

func pickHold(x *Index, t *term, _ *Filter) pick {
	c := x.facts[fact.OSHeldAt]
	return yesNo(t.values, func(at int32) bool { return c != nil && int(at) < len(c.codes) && c.codes[at] > 0 })
}

func pickAttested(x *Index, t *term, _ *Filter) pick {
	c := x.facts[fact.Attestation]
	states := map[string]string{yes: "attested", "contradicted": "contradicted", "refused": "refused",
		"asked": "another-tpm"}
	var wanted []string
	for _, v := range t.values {
		wanted = append(wanted, states[v])
	}
	no := slices.Contains(t.values, "no")
	return func(at int32) bool {
		is := ""
		if c != nil && int(at) < len(c.codes) {
			is = c.values[c.codes[at]].Text()
		}
		return no && is != states[yes] || is != "" && slices.Contains(wanted, is)
	}
}

func pickUnsupported(x *Index, t *term, _ *Filter) pick {
	want := t.values[0] == yes
	return func(at int32) bool { return x.rows[at].Unsupported() == want }
}

func pickStep(x *Index, t *term, _ *Filter) pick {
	return x.texts[textPlan].by(func(v fact.Value) bool {
		plan := work.Parse(v.Text())
		return slices.ContainsFunc(t.values, plan.Has)
	})
}

func pickFurther(x *Index, t *term, _ *Filter) pick {
	return x.texts[textPlan].by(func(v fact.Value) bool {
		return slices.ContainsFunc(t.values, work.ParseFurther(v.Text()).Has)
	})
}

func pickFreed(x *Index, t *term, _ *Filter) pick {
	only := x.texts[textPlan].by(func(v fact.Value) bool {
		left := work.Parse(v.Text()).Remedies()
		return len(left) > 0 && !slices.ContainsFunc(left,
			func(id string) bool { return !slices.Contains(t.values, id) })
	})
	return func(at int32) bool {
		d := x.rows[at].Disposition
		return d > remedy.Ready && d != remedy.Undetermined && only(at)
	}
}
