package cli

import (
	"bytes"
	"io"
	"net/mail"
	"time"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/report"
)

// reportOptions are those of a report.
type reportOptions struct {
	For    string `option:"for" default:"technician" usage:"audience of the report: technician, user, or visit (a one-page sheet)" complete:"for"`
	Redact bool   `option:"redact" usage:"shorten serial numbers in the report"`
	From   string `option:"from" usage:"sender of the e-mail draft (eml)"`
	To     string `option:"to" usage:"recipients of the e-mail draft (eml)"`
}

// sheaf gathers what a report is about.
type sheaf struct {
	form, reader, from, to string
	redact                 bool
	machines               []*report.Machine
}

// sheafOf is nil where the form is no report.
func sheafOf(c *place, o *reportOptions, form string) (*sheaf, error) {
	s := &sheaf{form: form, from: o.From, to: o.To, redact: o.Redact}
	var err error
	if s.reader, err = report.Reader(o.For); err != nil {
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
		for _, name := range []string{"for", "redact"} { // sender and receiver may stand in the file of --config
			if c.changed(name) {
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

func (s *sheaf) write(to io.Writer) error {
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
	_, err = b.WriteTo(to)
	return err
}
