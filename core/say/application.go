package say

import (
	"fmt"
	"strings"

	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/work"
)

// Takes says what an application takes before the upgrade.
func Takes(takes string) string {
	switch takes {
	case work.Possible:
		return "unknown: its version, its publisher or a fact of the machine is missing"
	case work.Unnamed:
		return "the release does not name this version"
	}
	return Known(takes)
}

// weighs are the weights of work in words.
var weighs = map[string]string{
	release.Required: "required", release.Advised: "recommended", release.AtWill: "optional",
}

// Weight is the weight of work in a word: required, recommended or optional.
func Weight(weight string) string { return weighs[weight] }

// Terms says what cures a known problem of an application, what the work on it costs and who decides; "" where
// the release says none of it.
func Terms(cure, cost, decides string) string {
	var out []string
	if cure != "" {
		out = append(out, "What cures it: "+cure)
	}
	if cost != "" {
		out = append(out, "Cost: "+cost)
	}
	if decides != "" {
		out = append(out, "Who decides: "+decides)
	}
	for i := range out {
		out[i] = Sentence(out[i])
	}
	return strings.Join(out, " ")
}

// Weighed says of how many machines work has which weight: required on 3, recommended on 9.
func Weighed(required, advised, optional int) string {
	var parts []string
	for _, p := range []struct {
		n      int
		weight string
	}{{required, release.Required}, {advised, release.Advised}, {optional, release.AtWill}} {
		if p.n > 0 {
			parts = append(parts, weighs[p.weight]+" on "+Number(p.n))
		}
	}
	return strings.Join(parts, ", ")
}

// Application says what an application takes: its most urgent state, with the versions of which it is
// true where others take less.
func Application(a *work.Application) string {
	var versions []string
	all := true
	for _, v := range a.Versions {
		if v.Takes != a.Takes {
			all = false
			continue
		}
		version := v.Version
		if version == "" {
			version = "unknown version"
		}
		versions = append(versions, version)
	}
	switch {
	case all && a.Takes == work.Unnamed:
		return "the release does not name it"
	case all:
		return Takes(a.Takes)
	}
	return Takes(a.Takes) + " (" + fewNames(versions) + ")"
}

// Answers says who settles what an application takes; "" where there is nothing to settle.
func Answers(takes string) string {
	return map[string]string{
		release.Remove:  "An administrator, after asking its users what replaces it",
		release.Update:  "An administrator",
		release.Buy:     "Purchasing",
		release.Problem: "A specialist, with its publisher",
		work.Possible:   "An administrator, who enters what is missing",
		work.Unnamed:    "A specialist, who asks its publisher",
	}[takes]
}

// ApplicationsHidden says that whoever asks may not see what is installed.
const ApplicationsHidden = "The settings hide installed applications from viewers."

// InstallationsOf says on how many machines an application is.
func InstallationsOf(name string, n int) string {
	if n == 0 {
		return fmt.Sprintf("No machine has the application %s.", name)
	}
	return Capital(Count(n, "installation", "installations")) + " of " + name + "."
}

// Applications says what the applications of some machines take, in a sentence.
func Applications(list []work.Application, read, machines int) string {
	s := Capital(Count(len(list), "application", "applications"))
	s += fmt.Sprintf(", read on %s of %s", Number(read), Count(machines, "machine", "machines"))
	n := map[string]int{}
	for i := range list {
		n[list[i].Takes]++
	}
	var parts []string
	for _, p := range []struct{ takes, one, many string }{
		{release.Remove, "has to be removed first", "have to be removed first"},
		{release.Buy, "needs a newer version that must be bought", "need a newer version that must be bought"},
		{release.Update, "has to be updated first", "have to be updated first"},
		{release.Problem, "has a known problem", "have a known problem"},
		{work.Possible, "may need work", "may need work"},
		{work.Unnamed, "has versions that the release does not name", "have versions that the release does not name"},
	} {
		if n[p.takes] > 0 {
			parts = append(parts, Count(n[p.takes], p.one, p.many))
		}
	}
	if len(parts) == 0 {
		return s + "."
	}
	return s + ": " + And(parts) + "."
}
