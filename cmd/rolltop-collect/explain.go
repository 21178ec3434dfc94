package main

import (
	"fmt"
	"io"

	"rolltop.example/rolltop/internal/collect"
	"rolltop.example/rolltop/internal/machinekey"
)

// explain says what the program does, in words for the person whose machine
// it is.
func explain(out io.Writer) {
	fmt.Fprintf(out, `rolltop-collect reads this machine and changes nothing on it.

%s

It never reads user names, home directories, files of people, network addresses or
names, keys, or licences. A saved capture holds the raw bytes of the sources above and
nothing else; --redact replaces serial numbers, UUIDs, the host name and names of mapped
devices.

It keeps nothing, unless --output or --save-capture name a file; that file can be read by
you alone. It sends nothing, unless --server names where; then it sends the inventory,
which --output - shows. Where an administrator sends, it makes a key once, which
administrators alone can read, and signs with it:
  %s
--no-key makes none; whoever has the token can then send in this machine's name.

If there is a TPM 2.0 and the service asks for it, the machine also proves secure boot and
boot mode: the TPM signs what the firmware measured while the machine started, with a key
that is in the TPM for that moment only. The list of those measurements and the TPM's
certificate are sent with it. --attest=false sends no proof.

%s These facts are marked as not known.
`, collect.Explain, machinekey.DefaultPath(), collect.RightsAdd)
}
