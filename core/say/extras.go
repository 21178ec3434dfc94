package say

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
)

// TPM says the four facts of a TPM in one sentence, and for one that is not
// seen how likely it is there. state is as it was read; announced is a state,
// too. It claims no more than the facts carry.
func TPM(f *fact.Facts, state string) string {
	version, kind := f.Value(fact.TPMVersion), f.Value(fact.TPMKind)
	what := "a TPM"
	if version.Known() {
		what = "a TPM " + version.Text()
	}
	if kind.Known() {
		what += ", " + Value(fact.TPMKind.Def(), kind) + ","
	}
	switch state {
	case "ready":
		return Sentence(what + " is present and ready")
	case "not-ready":
		return Sentence(what + " is present but not ready: it may be locked or may have failed")
	case "off":
		return Sentence(what + " is present but turned off")
	case "announced":
		return "The firmware reports a TPM but no driver uses it; its state is unknown."
	case "not-seen":
		return tpmReason(f)
	}
	return "Whether there is a TPM is " + Gap(f.Get(fact.TPMState).Gap) + "."
}

// Hold says that an organisation's policy keeps the machine back, which is
// apart from what its hardware can do.
func Hold(f *fact.Facts) string {
	at := f.Value(fact.OSHeldAt)
	if !at.Known() {
		return ""
	}
	by := f.Value(fact.OSManagedBy)
	if by.Known() {
		return fmt.Sprintf("Held at %s by %s. Its administrator can lift the hold; the hold says nothing about the "+
			"hardware.",
			at.Text(), by.Text())
	}
	return fmt.Sprintf("Held at %s by a policy on this machine. Its administrator can lift the hold; the hold says "+
		"nothing about the hardware.", at.Text())
}

// Offer says whether the release is offered to a machine already, which is
// apart from whether the machine can take it.
func Offer(o release.Offer, name string, now time.Time) string {
	says := offer(o, name)
	if says == "" || o.Media.IsZero() || o.Now {
		return says
	}
	if o.Media.After(now) {
		return says + " Installation media can be used from " + Day(o.Media) + ", without waiting for the offer."
	}
	return says + " Installation media can be used now, without waiting for the offer."
}

func offer(o release.Offer, name string) string {
	switch {
	case !o.Known:
		return ""
	case o.Maybe != "" && !o.Now:
		return fmt.Sprintf("Whether %s is offered to this machine is unknown: it is offered to %s; whether this is "+
			"one of them is unknown.", name, o.Maybe)
	case o.To == "":
		return fmt.Sprintf("No stage of the offer of %s includes this machine. This does not affect whether it can "+
			"take the release.", name)
	case o.Now:
		return fmt.Sprintf("%s is offered to %s since %s.", name, o.To, Day(o.From))
	}
	return fmt.Sprintf("%s is not offered to this machine before %s (%s). This does not affect whether it can take "+
		"the release.", name, Day(o.From), o.To)
}

// Delivery says which edition a machine gets and from which package.
func Delivery(d *release.Delivery, rel *release.Release, f *fact.Facts) string {
	var out []string
	if len(rel.Editions) > 0 {
		switch installed := f.Value(fact.OSEdition); d.EditionTruth {
		case need.True:
			if strings.EqualFold(installed.Text(), d.Edition) {
				out = append(out, Sentence("the edition remains "+d.Edition))
				break
			}
			out = append(out, Sentence(fmt.Sprintf("%s becomes %s", installed.Text(), d.Edition)))
		case need.False:
			out = append(out, Sentence(fmt.Sprintf("the edition %s becomes none of the editions of %s",
				installed.Text(), rel.Name)))
		default:
			out = append(out, "Which edition it becomes is unknown, because the installed edition is unknown.")
		}
	}
	switch {
	case d.Package != nil && d.Package.Before != "":
		out = append(out, Sentence(fmt.Sprintf("the package is %s, after %s", d.Package.File, d.Package.Before)))
	case d.Package != nil:
		out = append(out, Sentence("the package is "+d.Package.File))
	case len(rel.Packages) == 0:
	case d.PackageTruth == need.Unknown:
		out = append(out, "Which package it needs is unknown, because the edition, the architecture or the "+
			"language is unknown.")
	default:
		out = append(out, "The release names no package for it.")
	}
	return strings.Join(out, " ")
}

// HopDelivery says from which package an intermediate release is installed; "" where the document names none.
func HopDelivery(d *release.Delivery, x *release.Interim) string {
	switch {
	case len(x.Packages) == 0:
		return ""
	case d.Package != nil && d.Package.Before != "":
		return Sentence(fmt.Sprintf("the package of %s is %s, after %s", x.Name, d.Package.File, d.Package.Before))
	case d.Package != nil:
		return Sentence(fmt.Sprintf("the package of %s is %s", x.Name, d.Package.File))
	case d.PackageTruth == need.Unknown:
		return fmt.Sprintf("Which package of %s it needs is unknown, because the edition, the architecture or the "+
			"language is unknown.", x.Name)
	}
	return fmt.Sprintf("%s has no package for its edition, language and architecture.", x.Name)
}

// Keeps says what stays on a way; nil is what nothing says.
func Keeps(list []string) string {
	if list == nil {
		return "what stays is unknown; the release document does not say it"
	}
	var lost []string
	for _, what := range []string{"programs", "files", "settings"} {
		if !slices.Contains(list, what) {
			lost = append(lost, what)
		}
	}
	switch {
	case len(list) == 0:
		return "nothing is kept"
	case lost == nil:
		return And(list) + " stay"
	}
	return And(list) + " stay; " + And(lost) + " do not"
}

// verdictWords say what is known of a title or a driver.
var verdictWords = map[string]string{
	release.Fine:    "fine",
	release.Update:  "to be updated first",
	release.Buy:     "a newer version must be bought",
	release.Remove:  "to be removed first",
	release.Problem: "has a known problem",
}

// Known says the verdict on a title or a driver.
func Known(is string) string { return verdictWords[is] }

// Possible says what may be the verdict on a title or a driver, and what has to be known first.
func Possible(j *release.Judged) string {
	var words []string
	for _, v := range j.Maybe {
		if w := Known(v.Is); !slices.Contains(words, w) {
			words = append(words, w)
		}
	}
	why := map[release.Missing]string{
		release.MissingVersion:   "its version is unknown",
		release.MissingPublisher: "the release means the one by " + j.Named,
		release.MissingFact:      "whether the condition of the release applies is unknown",
	}[j.Missing]
	return "possibly " + Or(words) + ": " + why
}

// State of an item of preparation.
const (
	Done      = "done"
	NotDone   = "not-done"
	NotKnown  = "not-known"
	ByHand    = "by-hand"
	NotNeeded = "not-needed"
)

// Prepared says where an item of preparation stands, as the facts show it.
func Prepared(p *release.Preparation, f *fact.Facts) (state, says string) {
	if p.When != nil && check.Decide(p.When, f) == need.False {
		return NotNeeded, "Not needed here."
	}
	if p.Need == nil {
		return ByHand, "No program can see it; a person confirms it."
	}
	var shown []string
	for l := range p.Need.Leaves() {
		if def := l.Fact().Def(); def.ID.Group() == fact.NoGroup {
			shown = append(shown, def.Label+": "+Reading(def, f.Get(def.ID)))
		}
	}
	switch check.Decide(p.Need, f) {
	case need.True:
		return Done, Sentence(strings.Join(shown, "; "))
	case need.False:
		return NotDone, Sentence(strings.Join(shown, "; ") + "; needed: " + Need(p.Need))
	}
	return NotKnown, Sentence(strings.Join(shown, "; "))
}

// Rule is the rule of sizes that a comparison went by, so that nobody wonders
// why 8 GB of memory are 8 GiB and a 64 GB drive holds less; nothing where the
// fact has none.
func Rule(fd *check.Finding, f *fact.Facts) string {
	for _, e := range fd.Evidence {
		x, ok := e.Leaf.(*need.AtLeast)
		if !ok || e.Condition {
			continue
		}
		switch x.ID.Def().Unit {
		case fact.Binary:
			return "Memory sizes are binary: 8 GB of memory, as sold, is 8 GiB."
		case fact.Drive:
			least, most := need.Sold(x.Limit.Float(), f.Value(fact.DiskKind).Text())
			if least != most {
				return fmt.Sprintf("A drive sold as %s holds at least %s; built-in flash at least %s.",
					Value(x.ID.Def(), x.Limit), gigabytes(most), gigabytes(least))
			}
			return fmt.Sprintf("A drive sold as %s holds at least %s (%s).", Value(x.ID.Def(), x.Limit),
				gigabytes(least), percentLess(x.Limit.Float(), least))
		case fact.Space:
			return "Space on a volume is decimal and exact: 1 GB is 1 000 000 000 bytes."
		}
	}
	return ""
}

func gigabytes(x float64) string { return fmt.Sprintf("%.1f GB", x/1e9) }

func percentLess(limit, least float64) string {
	return fmt.Sprintf("%s %% less", digits(100*(1-least/limit), 1))
}

// Extended says until when extended support goes, and what it takes.
func Extended(s *release.SupportDoc, now time.Time) string {
	if s.NotDecided == "extended" {
		return "Whether support is extended is not decided."
	}
	if s.Extended.IsZero() {
		return ""
	}
	out := "Extended support goes on until " + Day(s.Extended)
	if s.Extended.Before(now) {
		out = "Extended support ended on " + Day(s.Extended)
	}
	if s.ExtendedNote != "" {
		out += " (" + s.ExtendedNote + ")"
	}
	return out + "."
}
