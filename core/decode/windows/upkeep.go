package windows

import (
	"encoding/binary"
	"slices"
	"time"

	"rolltop.example/rolltop/core/decode/build"
	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
)

// The kinds of accounts that the machine itself keeps, and that there are more than were asked for.
const (
	AccountLocal  = "local"
	AccountVendor = "vendor"
	AccountsMore  = "more"
)

// accounts decides between the two kinds that the machine itself keeps. One that is linked to the vendor is enough;
// that there is none is known only where all were asked for, and no directory can have others.
func accounts(x *decoder) {
	kinds := x.Lines(Accounts)
	_, refused := x.Refused(Joined, View64.Mark(KeyCloud, "*"))
	switch {
	case refused:
	case slices.Contains(kinds, AccountVendor):
		x.Set(fact.OSAccount, "vendor", Accounts)
		return
	case len(kinds) > 0 && !slices.ContainsFunc(kinds, func(k string) bool { return k != AccountLocal }):
		x.Set(fact.OSAccount, "local", Accounts)
		return
	}
	x.RefusedOr(
		fact.OSAccount,
		"the machine has joined no directory; the system does not tell which kinds of account it has",
		Joined,
		View64.Mark(KeyCloud, "*"),
		Accounts,
	)
}

// updates are those that the system found when it last looked.
func updates(x *decoder) {
	if n, ok := x.Number(Updates); ok {
		x.SetNumber(fact.OSPendingUpdates, n, Updates)
		return
	}
	x.RefusedOr(fact.OSPendingUpdates, "the system does not tell which updates it found", Updates)
}

// eventTime reads an EVT_VARIANT that holds a time: a number of 100 nanoseconds since 1601 in eight bytes, a count and
// a type in four each.
func eventTime(b []byte) (time.Time, bool) {
	const size, filetime = 16, 17
	if len(b) < size || binary.LittleEndian.Uint32(b[12:]) != filetime {
		return time.Time{}, false
	}
	const second, from1601To1970 = 10_000_000, 11_644_473_600
	at := time.Unix(int64(binary.LittleEndian.Uint64(b)/second)-from1601To1970, 0).UTC()
	return at, doc.TimeFits(at)
}

// backups: the system notes in its log when a backup of its own is finished.
func backups(x *decoder) {
	r := x.C.Get(BackupEvent)
	if at, ok := eventTime(r.Raw); ok {
		x.D.Backup.LastAt = build.Some(at)
		x.D.Said(fact.BackupAt.String(), BackupEvent)
		return
	}
	if len(r.Raw) > 0 {
		x.Gap(fact.BackupAt, inventory.ReadFailed, "the log's note of the last backup has no time", "")
		return
	}
	x.RefusedOr(fact.BackupAt, "the system's log notes no backup of its own; another program may do it", BackupEvent)
}
