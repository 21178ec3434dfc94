package say

import (
	"fmt"
	"strings"
	"time"
)

// AsOf puts the age of the inventory into the answer on a machine that is ready: it
// was ready on that day, and may not be now.
func AsOf(answer string, taken time.Time, days int) string {
	return strings.TrimSuffix(NotNow(answer), ".") + ", as of " + Day(taken) + " (" + ago(days) + ")."
}

// NotNow takes “now” out of the answer on a machine that is ready: of which day its inventory is, is unknown.
func NotNow(answer string) string {
	return strings.TrimSuffix(strings.TrimSuffix(answer, "."), " now") + "."
}

func ago(days int) string { return Count(days, "day", "days") + " ago" }

// InventoryAge says how old an inventory is.
func InventoryAge(taken time.Time, days int) string {
	return Sentence("the inventory is from " + Day(taken) + ", " + ago(days))
}

// FutureInventory says that an inventory is dated after the check.
func FutureInventory(taken, now time.Time) string {
	return fmt.Sprintf("The inventory is dated %s, after this check (%s): the clock of the machine or of this "+
		"computer is wrong.", Day(taken), Day(now))
}

// AgeBasis is the age of an inventory as something that an expected verdict rests on.
func AgeBasis(taken time.Time, days int) string {
	if days < 0 {
		return "an inventory that is dated in the future, " + Day(taken)
	}
	return "an inventory that is " + Count(days, "day", "days") + " old"
}

// OldRules warns of a document that nobody has compared with its page for long.
func OldRules(seen time.Time, days int) string {
	return fmt.Sprintf(
		"The requirements are from %s, %s. Compare them with the publisher's page before you rely on them.", Day(seen),
		ago(days))
}

// FutureRules warns of a document that is dated after the check.
func FutureRules(seen time.Time) string {
	return fmt.Sprintf("The requirements are dated %s, which is in the future: the date in the document or the "+
		"clock of this computer is wrong.", Day(seen))
}
