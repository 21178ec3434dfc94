package linux_test

import (
	"testing"

	"rolltop.example/rolltop/core/decode/linux"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/expect"
)

func TestUpkeep(t *testing.T) {
	const (
		account, updates, restart = "os.account", "os.pending_updates", "os.pending_restart"
		sssd, keytab              = "/etc/sssd/sssd.conf", "/etc/krb5.keytab"
	)
	unknown, broken := "? "+inventory.NotOffered, "? "+inventory.ReadFailed
	nobody := records{sssd: absent, keytab: absent}
	from := func(line string, more ...records) records {
		out := records{linux.NameSwitch: line}
		for _, r := range append(more, nobody) {
			for k, v := range r {
				if _, has := out[k]; !has {
					out[k] = v
				}
			}
		}
		return out
	}
	note := func(text string, more records) records {
		out := records{linux.UpdateNote: text}
		for k, v := range more {
			out[k] = v
		}
		return out
	}
	for _, c := range []struct {
		name string
		what records
		fact string
		want string
	}{
		{"accounts of the machine alone", from("passwd: files systemd"), account, "local"},
		{"blanks and a comment", from("# names\n  passwd:\tfiles   # sss\n"), account, "local"},
		{"a service for a directory that is not set up", from("passwd: sss files"), account, "local"},
		{"a service for a directory, and it is set up", from("passwd: sss files", records{sssd: ""}), account,
			"directory"},
		{"a key of a directory", from("passwd: files", records{keytab: ""}), account, "directory"},
		{"a service of which nothing more is known", from("passwd: files ldap"), account, unknown},
		{"the settings are not given out", from("passwd: files", records{sssd: failed}), account, broken},
		{"the service is not given out", from(failed), account, broken},
		{"no line of accounts", from("group: files"), account, unknown},
		{"an empty line of accounts", from("passwd:"), account, unknown},

		{"updates", note("3 updates can be applied immediately.\n1 of these updates is a standard security update.\n",
			nil), updates, "3"},
		{"one, after another sentence", note("\nMore is on its way.\n\n1 update can be applied immediately.\n", nil),
			updates, "1"},
		{"an older sentence", note("12 packages can be updated.\n0 updates are security updates.\n", nil), updates,
			"12"},
		{"none", note("0 updates can be applied immediately.\n", nil), updates, "0"},
		{"none, and some are prepared",
			note("0 updates can be applied immediately.\n", records{linux.Prepared: ""}), updates, unknown},
		{"none, and it is not given out whether some are prepared",
			note("0 updates can be applied immediately.\n", records{linux.Prepared: failed}), updates, broken},
		{"some, and they are prepared", note("4 updates can be applied immediately.\n", records{linux.Prepared: ""}),
			updates, "4"},
		{"another language", note("3 Aktualisierungen können sofort angewendet werden.\n", nil), updates, unknown},
		{"a number within a sentence", note("About 3 updates can be applied immediately.\n", nil), updates, unknown},
		{"a number that cannot be", note("99999999999999999999 updates can be applied immediately.\n", nil), updates,
			broken},
		{"no note", records{linux.UpdateNote: absent}, updates, unknown},
		{"a note that is not given out", records{linux.UpdateNote: failed}, updates, broken},

		{"prepared updates wait for a restart", records{linux.Prepared: ""}, restart, "true"},
		{"a mark of a restart", records{"/run/reboot-required": ""}, restart, "true"},
		{"no mark", records{linux.Prepared: absent, "/run/reboot-required": absent}, restart, unknown},
	} {
		t.Run(c.name, func(t *testing.T) {
			expect.Same(t, c.fact, text(read(c.what), c.fact), c.want)
		})
	}
}
