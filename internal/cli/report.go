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
	cmd.Flags().StringP("output", "o", "",
		"`file` to write the report to: html, markdown or eml (default: standard output)")
	cmd.Flags().String("for", report.Technician,
		"audience of the report: technician, user, or visit (a one-page sheet)")
	cmd.Flags().Bool("redact", false, "shorten serial numbers in the report")
	cmd.Flags().String("from", "", "sender of the e-mail draft (eml)")
	cmd.Flags().String("to", "", "recipients of the e-mail draft (eml)")
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
	s.out, _ = cmd.Flags().GetString("output")
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
			return nil, wrongUsage("the sender of the draft is missing; give --from ada@ferries.example")
		}
		if _, err := mail.ParseAddress(s.from); err != nil {
			return nil, wrongUsage("--from %q is not an e-mail address; write it as ada@ferries.example", s.from)
		}
	default:
		for _, name := range []string{"output", "for",
			"redact"} { // sender and receiver may stand in the file of --config
			if cmd.Flags().Changed(name) {
				return nil, wrongUsage("--%s applies to reports only; add --format html, markdown or eml", name)
			}
		}
		return nil, nil
	}
	if form == "markdown" && s.reader != report.Technician {
		return nil, wrongUsage("a ticket is for technicians; for other audiences give --format html or eml")
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
	fmt.Fprintf(cmd.ErrOrStderr(), "%s written.\n", s.out)
	return nil
}
