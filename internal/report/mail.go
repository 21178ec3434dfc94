package report

import (
	"bytes"
	"encoding/base64"
	"fmt"
	"io"
	"mime"
	"mime/multipart"
	"mime/quotedprintable"
	"net/mail"
	"net/textproto"
	"strings"
	"time"
)

// Letter is a draft of a mail with reports.
type Letter struct {
	From, To string // addresses as in RFC 5322, section 3.4; To may be empty
	Date     time.Time
	Reader   string
	Machines []*Machine
}

// Write writes the draft as a message of RFC 5322 with the report attached,
// as RFC 2045 and RFC 2183 say. An address that cannot be read is an error.
func (l *Letter) Write(w io.Writer) error {
	from, err := mail.ParseAddress(l.From)
	if err != nil {
		return fmt.Errorf("%q is not an e-mail address; write it as ada@ferries.example", l.From)
	}
	var to []string
	if l.To != "" {
		list, err := mail.ParseAddressList(l.To)
		if err != nil {
			return fmt.Errorf("%q is not a list of e-mail addresses; write them as ada@ferries.example, "+
				"ben@ferries.example", l.To)
		}
		for _, a := range list {
			to = append(to, a.String())
		}
	}
	var body bytes.Buffer
	parts := multipart.NewWriter(&body)
	if err := l.parts(parts); err != nil {
		return err
	}
	if err := parts.Close(); err != nil {
		return err
	}
	var head strings.Builder
	fmt.Fprintf(&head, "From: %s\r\n", from)
	if to != nil {
		fmt.Fprintf(&head, "To: %s\r\n", strings.Join(to, ",\r\n "))
	}
	fmt.Fprintf(&head, "Date: %s\r\nSubject: %s\r\nMIME-Version: 1.0\r\n", l.Date.Format(time.RFC1123Z),
		mime.QEncoding.Encode("utf-8", l.subject()))
	fmt.Fprintf(&head, "Content-Type: multipart/mixed;\r\n boundary=%q\r\n\r\n", parts.Boundary())
	if _, err := io.WriteString(w, head.String()); err != nil {
		return err
	}
	_, err = body.WriteTo(w)
	return err
}

func (l *Letter) subject() string {
	if len(l.Machines) != 1 {
		return fmt.Sprintf("%d reports", len(l.Machines))
	}
	m := l.Machines[0]
	return oneLine(fmt.Sprintf("%s and %s: %s", m.name(), m.Check.Release.Name, m.verdict()))
}

// oneLine keeps a machine's own words from starting another header.
func oneLine(s string) string { return strings.Join(strings.Fields(s), " ") }

func (l *Letter) parts(parts *multipart.Writer) error {
	text, err := parts.CreatePart(textproto.MIMEHeader{
		"Content-Type": {"text/plain; charset=utf-8"}, "Content-Transfer-Encoding": {"quoted-printable"},
	})
	if err != nil {
		return err
	}
	quoted := quotedprintable.NewWriter(text)
	for _, m := range l.Machines {
		if _, err := io.WriteString(quoted, strings.ReplaceAll(l.words(m), "\n", "\r\n")); err != nil {
			return err
		}
	}
	if err := quoted.Close(); err != nil {
		return err
	}
	var page bytes.Buffer
	if err := HTML(&page, l.Reader, l.Machines...); err != nil {
		return err
	}
	file, err := parts.CreatePart(textproto.MIMEHeader{
		"Content-Type":              {`text/html; charset=utf-8; name="report.html"`},
		"Content-Transfer-Encoding": {"base64"},
		"Content-Disposition":       {`attachment; filename="report.html"`},
	})
	if err != nil {
		return err
	}
	return lines(file, base64.StdEncoding.EncodeToString(page.Bytes()))
}

// words are the text of the mail; the rest is in the report.
func (l *Letter) words(m *Machine) string {
	if l.Reader == User {
		return oneLine(m.about()) + "\n\n" + strings.Join(m.Check.Plain, " ") + "\n\n"
	}
	return fmt.Sprintf("%s\n\n%s: %s %s\n\n%s.\n\n", oneLine(m.about()), m.verdict(), m.Check.Answer,
		strings.Join(m.Check.Details, " "), strings.Join(m.made(), "; "))
}

// lines writes base64 in lines of 76 characters (RFC 2045, section 6.8).
func lines(w io.Writer, s string) error {
	for len(s) > 0 {
		n := min(76, len(s))
		if _, err := io.WriteString(w, s[:n]+"\r\n"); err != nil {
			return err
		}
		s = s[n:]
	}
	return nil
}
