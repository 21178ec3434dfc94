package work

import (
	"fmt"
	"strings"
)

// Leaving is one thing that is done when a machine leaves: somebody ticks it, no program
// sees it.
type Leaving struct{ ID, Title, Says string }

// Closed is the last of them: with it the machine is out of use.
const Closed = "record-closed"

// Leavings are all of them, in their order.
var Leavings = []Leaving{
	{"data-moved", "Move the data",
		"What the user needs is on the new machine or in its storage location, and the user has checked it."},
	{"licences-freed", "Free the licences",
		"Licences that are bound to the machine are returned, so that another machine can use them."},
	{"management-removed", "Remove it from management",
		"It is removed from what manages its updates and policies, and from the directory."},
	{"lock-removed", "Lift the ownership lock",
		"Activation and ownership locks and firmware passwords are removed, so that it can be reused or recycled."},
	{"disk-wiped", "Wipe the disk",
		"All drives are wiped with a suitable method, or removed and destroyed; record which."},
	{Closed, "Close the record", "Its record is closed: it disappears from all lists and counts, and is removed " +
		"later."},
}

// UserQuestions are put to whoever uses a machine after its upgrade: somebody ticks them, no program sees them.
var UserQuestions = []Leaving{
	{"files-there", "Are the files there?",
		"The user finds their files, on the machine and in its storage location."},
	{"applications-start", "Do the applications start?",
		"The user starts the applications of their work, and opens a document in each."},
	{"devices-work", "Do printers, scanners and displays work?",
		"What is plugged into the machine, or reached over the network, works as before."},
}

// UserQuestionOf finds one by its id; nil where there is none.
func UserQuestionOf(id string) *Leaving {
	for i := range UserQuestions {
		if UserQuestions[i].ID == id {
			return &UserQuestions[i]
		}
	}
	return nil
}

// LeavingOf finds one by its id; nil where there is none.
func LeavingOf(id string) *Leaving {
	for i := range Leavings {
		if Leavings[i].ID == id {
			return &Leavings[i]
		}
	}
	return nil
}

// Close refuses to close the record of a machine of which something is neither done nor
// refused; said are the ids of what is.
func Close(said map[string]bool) error {
	var open []string
	for _, l := range Leavings {
		if l.ID != Closed && !said[l.ID] {
			open = append(open, strings.ToLower(l.Title[:1])+l.Title[1:])
		}
	}
	if len(open) == 0 {
		return nil
	}
	return fmt.Errorf("the record cannot be closed before these are ticked: %s; tick each, or refuse it with a "+
		"reason", strings.Join(open, ", "))
}
