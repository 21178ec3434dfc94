package cli

import (
	"bytes"
	"fmt"
	"net/mail"
	"time"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/report"
)

func reportFlags(cmd *cobra.Command) {
	cmd.Flags().String("out", "",
		"file to write a report to (html, markdown, eml); standard output where it is not given")
	cmd.Flags().String("for", report.Technician,
		"whom a report is for: technician, user, visit (one page for whoever is at the machine)")
	cmd.Flags().Bool("redact", false, "shorten serial numbers in a report")
	cmd.Flags().String("from", "", "sender of the mail draft (eml)")
	cmd.Flags().String("to", "", "addresses that the mail draft goes to (eml)")
}

// sheaf gathers what a report is about.
type sheaf struct {
	form, reader, out, from, to string
	redact                      bool
	machines                    []*report.Machine
}

// reportOf is nil where the form is no report.
func reportOf(cmd *cobra.Command, form string) (*sheaf, error) {
	s := &sheaf{form: form}
	s.out, _ = cmd.Flags().GetString("out")
	s.from, _ = cmd.Flags().GetString("from")
	s.to, _ = cmd.Flags().GetString("to")
	s.redact, _ = cmd.Flags().GetBool("redact")
	reader, _ := cmd.Flags().GetString("for")
	var err error
	if s.reader, err = report.Reader(reader); err != nil {
		return nil, wrongUsage("--for: %v", err)
	}
	switch form {
	case "html", "markdown":
	case "eml":
		if s.from == "" {
			return nil, wrongUsage("a mail draft has a sender; give --from ada@ferries.example")
		}
		if _, err := mail.ParseAddress(s.from); err != nil {
			return nil, wrongUsage("--from %q is not a mail address; write one as ada@ferries.example", s.from)
		}
	default:
		for _, name := range []string{"out", "for", "redact"} { // sender and receiver may stand in the file of --config
			if cmd.Flags().Changed(name) {
				return nil, wrongUsage("--%s is for reports; give --format html, markdown or eml with it", name)
			}
		}
		return nil, nil
	}
	if form == "markdown" && s.reader != report.Technician {
		return nil, wrongUsage("a ticket is for technicians; for others give --format html or eml")
	}
	return s, nil
}

func (s *sheaf) add(d *assess.Document, inv *inventory.Document) {
	if s == nil {
		return
	}
	m := report.Of(d, inv)
	if s.redact {
		m = m.Shortened()
	}
	s.machines = append(s.machines, m)
}

func (s *sheaf) write(cmd *cobra.Command) error {
	if len(s.machines) == 0 {
		return nil // why is said already
	}
	var b bytes.Buffer
	var err error
	switch s.form {
	case "html":
		err = report.HTML(&b, s.reader, s.machines...)
	case "markdown":
		for i, m := range s.machines {
			if i > 0 {
				b.WriteString("\n")
			}
			b.WriteString(report.Markdown(m))
		}
	case "eml":
		l := report.Letter{From: s.from, To: s.to, Date: time.Now(), Reader: s.reader, Machines: s.machines}
		err = l.Write(&b)
	}
	if err != nil {
		return err
	}
	if s.out == "" || s.out == "-" {
		_, err = b.WriteTo(cmd.OutOrStdout())
		return err
	}
	if err := writeNew(s.out, b.Bytes()); err != nil {
		return err
	}
	fmt.Fprintf(cmd.ErrOrStderr(), "%s is written.\n", s.out)
	return nil
}
