package linux

import (
	"slices"
	"strconv"
	"strings"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/pattern"
)

// Sources of what the system notes of its own upkeep, and of where its accounts come from.
const (
	UpdateNote = "/var/lib/update-notifier/updates-available" // in sentences
	Prepared   = "/system-update"                             // a mark (systemd.offline-updates(7))
	NameSwitch = "/etc/nsswitch.conf"                         // of it, the line of accounts alone (nsswitch.conf(5))
)

// Directory are marks of a machine that has joined a directory.
var Directory = []string{"/etc/sssd/sssd.conf", "/etc/krb5.keytab"}

// counted is a sentence with the number of updates, as the program writes it that keeps the note.
var counted = pattern.Of(`(?m)^(\d+) (?:updates? can be applied immediately|packages? can be updated)\.`)

// updates are those that the system found when it last looked, if it keeps a note of them.
func updates(x *decoder) {
	note := x.C.Get(UpdateNote)
	found := counted().FindSubmatch(note.Raw)
	if note.Outcome != capture.OK || found == nil {
		x.RefusedOr(fact.OSPendingUpdates, "this system keeps no note of how many updates it found", UpdateNote)
		return
	}
	n, err := strconv.ParseInt(string(found[1]), 10, 64)
	prepared := x.C.Get(Prepared)
	_, refused := x.Refused(Prepared)
	switch {
	case err != nil:
		x.Gap(fact.OSPendingUpdates, inventory.ReadFailed, UpdateNote+" states a number that cannot be", "")
	case n == 0 && refused:
		x.WhyNot(fact.OSPendingUpdates, prepared, "")
	case n == 0 && prepared.Outcome == capture.OK:
		x.Gap(fact.OSPendingUpdates, inventory.NotOffered,
			"updates are prepared for the next start, and the system's note does not count them",
			"Restart the machine and take the inventory again.")
	default:
		x.SetNumber(fact.OSPendingUpdates, n, UpdateNote)
	}
}

// restart: two marks say that one is due. Without them it is unknown, for many systems leave none.
func restart(x *decoder) {
	for _, mark := range []string{"/run/reboot-required", Prepared} {
		if r := x.C.Get(mark); r.Outcome == capture.OK {
			x.SetBool(fact.OSPendingRestart, true, r.Source)
			return
		}
	}
	x.Gap(fact.OSPendingRestart, inventory.NotOffered,
		"only some systems leave a mark when a restart is due, and there is none", "")
}

// localAccounts are services that know accounts of the machine itself, and of nobody else.
var localAccounts = []string{"files", "compat", "systemd", "mymachines", "altfiles", "extrausers"}

// OfAccounts is the line of a name service switch that says where accounts come from, without a comment, or empty.
func OfAccounts(text string) string {
	for line := range strings.Lines(text) {
		line, _, _ = strings.Cut(strings.TrimSpace(line), "#")
		if strings.HasPrefix(line, "passwd:") {
			return strings.Join(strings.Fields(line), " ")
		}
	}
	return ""
}

// accounts: of a directory where the machine has joined one, local where it asks nobody else. A service for accounts of
// elsewhere that is named and not set up leaves it open, except the one whose settings were looked for.
func accounts(x *decoder) {
	for _, mark := range Directory {
		if x.C.Get(mark).Outcome == capture.OK {
			x.Set(fact.OSManagedBy, "a directory", mark)
			x.Set(fact.OSAccount, "directory", mark)
		}
	}
	if !x.D.OS.Account.IsZero() {
		return
	}
	line, _ := x.Text(NameSwitch)
	services := strings.Fields(strings.TrimPrefix(OfAccounts(line), "passwd:"))
	sssd := x.C.Get(Directory[0]).Outcome
	notSetUp := sssd == capture.Absent || sssd == capture.NotExposed // without its settings, it knows nobody
	elsewhere := slices.ContainsFunc(services, func(s string) bool {
		return !slices.Contains(localAccounts, s) && !(s == "sss" && notSetUp)
	})
	if _, refused := x.Refused(Directory...); len(services) > 0 && !elsewhere && !refused {
		x.Set(fact.OSAccount, "local", NameSwitch)
		return
	}
	x.RefusedOr(
		fact.OSAccount,
		"the system does not tell where its accounts come from, or they can come from elsewhere",
		slices.Concat(Directory, []string{NameSwitch})...)
}
