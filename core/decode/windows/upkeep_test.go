package windows_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/sample"
	"rolltop.example/rolltop/core/decode/windows"
)

// encrypts is a volume of which the system says how far it is encrypted, whether that protects it, and how many of each
// type unlock it; the first number is that of all.
func encrypts(converted, protects int, types ...int) func(pc) {
	return func(c pc) {
		lines := fmt.Sprintf("%s 0 %d\n%s 0 %d\n", windows.Conversion, converted, windows.Protects, protects)
		for kind := range windows.Protectors + 1 {
			n := 0
			if kind < len(types) {
				n = types[kind]
			}
			lines += fmt.Sprintf("%s 0 %d\n", windows.Unlocks(kind), n)
		}
		c.ok(windows.Volume, lines)
	}
}

// without takes a line of what the system says of its volume away.
func without(method string, and func(pc)) func(pc) {
	return func(c pc) {
		and(c)
		var kept []string
		for _, line := range strings.Split(string(c.Get(windows.Volume).Raw), "\n") {
			if !strings.HasPrefix(line, method+" ") {
				kept = append(kept, line)
			}
		}
		c.ok(windows.Volume, strings.Join(kept, "\n"))
	}
}

func TestProtection(t *testing.T) {
	sector := func(c pc) { c.ok(windows.VolumeHead, sample.Put(512, map[int]string{0: "\xEB\x58\x90-FVE-FS-"})) }
	for _, c := range []struct {
		name                        string
		change                      func(pc)
		state, kind, unlocks, bound string
	}{
		{"a TPM and a recovery key", encrypts(1, 1, 2, 1, 0, 1), "on", "platform", "tpm, recovery-key", "true"},
		{"a passphrase alone", encrypts(1, 1, 1, 0, 0, 0, 0, 0, 0, 0, 1), "on", "platform", "passphrase", "false"},
		{"a TPM with more", encrypts(1, 1, 4, 0, 1, 0, 1, 1, 1), "on", "platform",
			"key-file, tpm-and-pin, tpm-and-key-file, tpm-and-pin-and-key-file", "true"},
		{"kinds that may use a TPM", encrypts(1, 1, 3, 0, 0, 0, 0, 0, 0, 1, 0, 1, 1), "on", "platform", "other",
			"? not-offered"},
		{"a type that is not known yet", encrypts(1, 1, 2, 0, 0, 1), "on", "platform", "recovery-key, other",
			"? not-offered"},
		{"paused", encrypts(1, 0, 1, 1), "paused", "platform", "tpm", "true"},
		{"paused, whatever the system noted at its start", func(c pc) {
			encrypts(1, 0, 1, 1)(c)
			c.number(windows.KeyEncryption, "BootStatus", 1)
		}, "paused", "platform", "tpm", "true"},
		{"under way", encrypts(2, 0, 0), "? not-offered", "platform", "", "false"},
		{"on its way back", encrypts(5, 0, 0), "? not-offered", "platform", "", "false"},
		{"not encrypted", encrypts(0, 0), "off", "? not-offered", "? not-offered", "? not-offered"},
		{"not by the system itself, and the sector is another one's", func(c pc) {
			encrypts(0, 0)(c)
			c.ok(windows.VolumeHead, sample.Zeros(512))
		}, "? not-offered", "? not-offered", "? not-offered", "? not-offered"},
		{"it says neither whether it protects nor what unlocks it", func(c pc) {
			sector(c)
			c.ok(windows.Volume, windows.Conversion+" 0 1\n")
		}, "? not-offered", "platform", "? not-offered", "? not-offered"},
		{"a type is not told", without(windows.Unlocks(4), encrypts(1, 1, 1, 1)), "on", "platform", "? not-offered",
			"? not-offered"},
		{"the sum is not told", without(windows.Unlocks(0), encrypts(1, 1, 1, 1)), "on", "platform",
			"? not-offered", "? not-offered"},
		{"methods that fail", func(c pc) {
			sector(c)
			c.ok(windows.Volume, windows.Conversion+" 2150694920 0\n"+windows.Protects+" 2150694920 1\nnonsense\n")
		}, "? not-offered", "platform", "? not-offered", "? not-offered"},
		{"without rights", func(c pc) {
			c.number(windows.KeyEncryption, "BootStatus", 1)
			refuses(windows.Volume, windows.VolumeHead)(c)
		}, "on", "platform", "? needs-rights", "? needs-rights"},
		{"the sector, and the rest is refused", func(c pc) {
			sector(c)
			c.no(windows.Volume, capture.Failed, 1359)
		}, "? read-failed", "platform", "? read-failed", "? read-failed"},
	} {
		t.Run(c.name, func(t *testing.T) {
			changed(t, c.change, map[string]string{
				"storage.system.encryption.state": c.state, "storage.system.encryption.kind": c.kind,
				"storage.system.encryption.key_protectors": c.unlocks, "storage.system.encryption.tpm_bound": c.bound,
			})
		})
	}
}

func TestUpkeep(t *testing.T) {
	at := time.Date(2026, 11, 18, 21, 30, 5, 0, time.UTC)
	set := func(source, raw string) func(pc) { return func(c pc) { c.ok(source, raw) } }
	not := func(source, outcome string, code int64) func(pc) {
		return func(c pc) { c.no(source, outcome, code) }
	}
	event := sample.EventTime(at)
	for _, c := range []struct {
		name, fact, want string
		change           func(pc)
	}{
		{"accounts of the machine alone", "os.account", "local", set(windows.Accounts, "local\nlocal\n")},
		{"one is linked to the vendor", "os.account", "vendor", set(windows.Accounts, "local\nvendor\n")},
		{"one of many is linked", "os.account", "vendor", set(windows.Accounts, "vendor\nmore\n")},
		{"more than were asked for", "os.account", "? not-offered", set(windows.Accounts, "local\nmore\n")},
		{"no account", "os.account", "? not-offered", set(windows.Accounts, "")},
		{"a system that keeps no such note", "os.account", "? not-offered",
			not(windows.Accounts, capture.NotExposed, 124)},
		{"it does not say whether it has joined", "os.account", "? read-failed", func(c pc) {
			c.no(windows.Joined, capture.Failed, 1)
			c.ok(windows.Accounts, "vendor")
		}},
		{"joined", "os.account", "directory", func(c pc) {
			c.ok(windows.Joined, sample.U32(3))
			c.ok(windows.Accounts, "vendor")
		}},
		{"updates wait", "os.pending_updates", "3", set(windows.Updates, "3")},
		{"none wait", "os.pending_updates", "0", set(windows.Updates, "0")},
		{"a number that is none", "os.pending_updates", "? not-offered", set(windows.Updates, "many")},
		{"more than there can be", "os.pending_updates", "? read-failed", set(windows.Updates, "-1")},
		{"it takes too long", "os.pending_updates", "? read-failed", not(windows.Updates, capture.Failed, 0)},
		{"a backup", "backup.last_at", "2026-11-18", set(windows.BackupEvent, event)},
		{"no backup", "backup.last_at", "? not-offered", not(windows.BackupEvent, capture.Absent, 259)},
		{"a note of no time", "backup.last_at", "? read-failed", set(windows.BackupEvent, event[:12]+sample.U32(1))},
		{"a note cut short", "backup.last_at", "? read-failed", set(windows.BackupEvent, event[:15])},
		{"a time before there were any", "backup.last_at", "? read-failed",
			set(windows.BackupEvent, sample.U64(1)+event[8:])},
		{"a time that no inventory can hold", "backup.last_at", "? read-failed",
			set(windows.BackupEvent, sample.EventTime(at.AddDate(700, 0, 0)))},
		{"a time that no calendar has", "backup.last_at", "? read-failed",
			set(windows.BackupEvent, sample.U64(1<<63)+event[8:])},
	} {
		t.Run(c.name, func(t *testing.T) { changed(t, c.change, map[string]string{c.fact: c.want}) })
	}
}

func TestFlagsOfATPM12(t *testing.T) {
	for _, c := range []struct {
		name, state, enabled, activated string
		flags                           func(pc)
	}{
		{"ready", "ready", "true", "true", func(c pc) { c.ok(windows.Flags12, sample.TPM12Flags(true, true)) }},
		{"disabled", "off", "false", "true", func(c pc) { c.ok(windows.Flags12, sample.TPM12Flags(false, true)) }},
		{"deactivated", "off", "true", "false", func(c pc) { c.ok(windows.Flags12, sample.TPM12Flags(true, false)) }},
		{"not asked", "? not-offered", "? not-offered", "? not-offered", func(pc) {}},
		{"an answer of another kind", "? read-failed", "? read-failed", "? read-failed",
			func(c pc) { c.ok(windows.Flags12, sample.TPM12Answer("PLVR", 1, 2)) }},
	} {
		t.Run(c.name, func(t *testing.T) {
			changed(t, func(p pc) {
				p.ok(windows.TBS, sample.U32(1)+sample.U32(1)+sample.U32(3)+sample.U32(1))
				p.ok(windows.Ask12, sample.TPM12Answer("PLVR", 4, 32))
				c.flags(p)
			}, map[string]string{
				"tpm.version": "1.2", "tpm.state": c.state, "tpm.enabled": c.enabled, "tpm.activated": c.activated,
			})
		})
	}
}
