package titles

import (
	"bytes"
	"fmt"
	"strings"

	"rolltop.example/rolltop/core/inventory"
)

// fields of a package's stanza that are kept.
var fields = []string{"Package:", "Version:", "Architecture:", "Status:"}

// Trim keeps of a dpkg status file the stanzas of titles asked for, and of
// those only the fields that an inventory has.
func Trim(status []byte, k Keep) []byte {
	var out bytes.Buffer
	for stanza := range bytes.SplitSeq(status, []byte("\n\n")) {
		var kept []string
		name := ""
		for line := range strings.Lines(string(stanza)) {
			for _, f := range fields {
				if value, ok := strings.CutPrefix(line, f); ok {
					kept = append(kept, f+" "+strings.TrimSpace(value))
					if f == "Package:" {
						name = strings.TrimSpace(value)
					}
				}
			}
		}
		if name != "" && k.Has(name) {
			out.WriteString(strings.Join(kept, "\n") + "\n\n")
		}
	}
	return out.Bytes()
}

// Stanza adds an installed package in the form that [Dpkg] reads.
func Stanza(to []byte, name, version, architecture string) []byte {
	return fmt.Appendf(to, "Package: %s\nVersion: %s\nArchitecture: %s\nStatus: install ok installed\n\n", line(name),
		line(version), line(architecture))
}

// line keeps a value from becoming several.
func line(s string) string { return strings.Join(strings.Fields(s), " ") }

// Dpkg reads the installed packages of a status file: stanzas with blank lines
// between, of fields in the manner of mail headers.
func Dpkg(status []byte) []inventory.Software {
	out := []inventory.Software{}
	for stanza := range bytes.SplitSeq(status, []byte("\n\n")) {
		value := map[string]string{}
		for line := range strings.Lines(string(stanza)) {
			if key, v, ok := strings.Cut(line, ":"); ok && key != "" && key[0] != ' ' && key[0] != '\t' {
				value[key] = strings.TrimSpace(v)
			}
		}
		if value["Package"] == "" || !strings.HasSuffix(value["Status"], " installed") {
			continue
		}
		s := inventory.Software{Name: value["Package"], Source: inventory.Some("package")}
		if v := value["Version"]; v != "" {
			s.Version = inventory.Some(v)
		}
		if a := value["Architecture"]; a != "" {
			s.Architecture = inventory.Some(a)
		}
		out = append(out, s)
	}
	return out
}
