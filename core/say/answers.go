package say

import (
	"strings"

	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/work"
)

// UpgradableInPlace says how many machines can be upgraded in place: as they are, and after work.
func UpgradableInPlace(ready, after int) string {
	s := Capital(Count(ready, "machine", "machines")) + " as they are"
	if after > 0 {
		s += ", and " + Number(after) + " more after work"
	}
	return s + "."
}

// OfferedLate says how many machines lose support before the release is offered to them.
func OfferedLate(n int) string {
	return Capital(Count(n, "machine loses", "machines lose")) + " support before the day of the offer."
}

// FailOnlyOne says how many machines fail one requirement alone.
func FailOnlyOne(n int) string {
	return Capital(Count(n, "machine fails", "machines fail")) + " one requirement, and nothing else."
}

// FirstApplications says which applications have to be removed, bought or updated first, those that take most first.
func FirstApplications(list []work.Application) string {
	if len(list) == 0 {
		return "None that the release names."
	}
	var parts []string
	for _, g := range []struct{ takes, says string }{
		{release.Remove, "remove"}, {release.Buy, "buy a newer version of"}, {release.Update, "update"},
	} {
		var names []string
		for i := range list {
			if list[i].Takes == g.takes {
				names = append(names, list[i].Name)
			}
		}
		if len(names) > 0 {
			parts = append(parts, g.says+" "+fewNames(names))
		}
	}
	return Sentence(Capital(strings.Join(parts, "; ")))
}

// ToBuy says what has to be bought: parts to order, and newer versions of applications.
func ToBuy(parts int, list []work.Application) string {
	var names []string
	for i := range list {
		if list[i].Takes == release.Buy {
			names = append(names, list[i].Name)
		}
	}
	s := Capital(Count(parts, "part", "parts")) + " to order"
	if len(names) > 0 {
		s += "; newer versions of " + fewNames(names)
	}
	return s + "."
}
