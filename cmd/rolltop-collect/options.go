package main

import (
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"rolltop.example/rolltop/internal/client"
)

// bind makes the options of the program.
func (o *options) bind(fs *flag.FlagSet) {
	fs.StringVar(&o.out, "output", "", "write the inventory to this `file` (-: standard output)")
	fs.StringVar(&o.out, "o", "", "short for --output")
	fs.StringVar(&o.format, "format", "text", "`format` of what is printed: text, json")
	fs.BoolVar(&o.quiet, "quiet", false, "print the inventory, if it was asked for, and errors only")
	fs.BoolVar(&o.quiet, "q", false, "short for --quiet")
	fs.StringVar(&o.release, "release", "",
		"check against this release document (`file`; -: standard input), without a service")
	fs.StringVar(&o.server, "server", "", "send the inventory to the service at this `address`")
	fs.StringVar(&o.token, "token", "", "`token` for the service (or ROLLTOP_TOKEN)")
	fs.StringVar(&o.tokenFile, "token-file", "", "`file` with the token (-: standard input)")
	fs.StringVar(&o.pin, "pin", os.Getenv("ROLLTOP_PIN"),
		"SHA-256 `fingerprint` of the service's self-signed certificate, in hexadecimal (or ROLLTOP_PIN)")
	fs.StringVar(&o.root, "root", "", "read the file tree of another Linux machine from this `directory`")
	fs.StringVar(&o.saveCapture, "save-capture", "",
		"write the raw readings to this `file`; --from-capture decodes them elsewhere")
	fs.StringVar(&o.fromCapture, "from-capture", "",
		"decode the raw readings in this `file` (-: standard input) instead of reading this machine")
	fs.StringVar(&o.software, "software", "",
		"installed `titles` to read, separated by commas, or all, or none (default: those that the release or the "+
			"targets of the service name)")
	fs.StringVar(&o.key, "key-file", keyPath,
		"`file` with the key that signs inventories; created if it does not exist, readable by administrators only")
	fs.BoolVar(&o.attest, "attest", true,
		"with --server and administrator rights: prove secure boot and boot mode by the TPM 2.0, if there is one; "+
			"--attest=false does not")
	fs.BoolVar(&o.noKey, "no-key", false, "create no key and sign nothing")
	fs.BoolVar(&o.redact, "redact", false, "replace serial numbers, UUIDs and the host name with keyed hashes")
	fs.StringVar(&o.redactKey, "redact-key-file", "",
		"`file` with the key for --redact, so that hashes of several runs match (default: random)")
	fs.BoolVar(&o.explain, "explain", false, "explain what is read, saved and sent, and exit")
	fs.BoolVar(&o.version, "version", false, "print the version")
}

// mistake says what is wrong with the options, before anything is read.
func (o *options) mistake() error {
	switch {
	case o.format != "text" && o.format != "json":
		return fmt.Errorf("--format %q is not a valid value; use text or json", o.format)
	case o.token != "" && o.tokenFile != "":
		return errors.New("--token and --token-file exclude each other; use one of them")
	case o.fromCapture != "" && o.root != "":
		return errors.New("--from-capture and --root exclude each other: one decodes a file, the other reads a " +
			"directory tree")
	case o.redactKey != "" && !o.redact:
		return errors.New("--redact-key-file applies to --redact only; add --redact")
	case o.mustAttest && o.server == "":
		return errors.New("--attest proves something to a service; add --server https://host:port")
	case (o.token != "" || o.tokenFile != "") && o.server == "":
		return errors.New("a token is for a service; add --server https://host:port")
	}
	for option, path := range map[string]string{"--output": o.out, "--save-capture": o.saveCapture} {
		if path == "" || path == "-" {
			continue
		}
		if st, err := os.Stat(filepath.Dir(path)); err != nil || !st.IsDir() {
			return fmt.Errorf("%s: the directory %s does not exist; name a file in one that exists", option,
				filepath.Dir(path))
		}
	}
	if o.server == "" {
		return nil
	}
	c, err := client.New(o.server, o.token)
	if err == nil && o.pin != "" {
		err = c.Pin(o.pin)
	}
	return err
}

// help says what the program is and does.
func help(out io.Writer, fs *flag.FlagSet) {
	fmt.Fprint(out, `Rolltop-collect takes the inventory of the machine that it runs on: processor, memory,
storage, TPM, secure boot and boot mode. It only reads. It sends and saves nothing
unless an option says where.

  rolltop-collect                                           # a summary
  rolltop-collect --format json                             # the inventory
  rolltop-collect --release skerry-12.yaml                  # check this machine
  rolltop-collect --server https://rolltop.example --token-file token --quiet

Usage:
  rolltop-collect [options]

Options:
`)
	short := map[string]string{"output": "-o, ", "quiet": "-q, ", "help": "-h, "}
	fs.VisitAll(func(f *flag.Flag) {
		if len(f.Name) == 1 {
			return
		}
		value, usage := flag.UnquoteUsage(f)
		name := strings.TrimSpace(fmt.Sprintf("%4s--%s %s", short[f.Name], f.Name, value))
		if short[f.Name] == "" {
			name = "    " + name
		}
		for i, line := range wrapped(usage, 52) {
			if i > 0 {
				name = ""
			}
			fmt.Fprintf(out, "  %-30s %s\n", name, line)
		}
	})
	fmt.Fprint(out, `  -h, --help                     print this help

A file that was named is written as a whole or not at all, for its owner alone. A service
that is too busy says when to come back, and is obeyed; sending is tried five times.

Exit status: 0 done, or ready with --release; 10 not ready; 11 undetermined;
1 the machine could not be read or the inventory not sent; 2 wrong usage, or the wrong
class of hardware.
`)
}

// wrapped cuts a text at blanks.
func wrapped(text string, width int) []string {
	var out []string
	line := ""
	for _, word := range strings.Fields(text) {
		if line != "" && len(line)+1+len(word) > width {
			out = append(out, line)
			line = ""
		}
		line = strings.TrimSpace(line + " " + word)
	}
	return append(out, line)
}
