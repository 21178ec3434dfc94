package release

import (
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/list"
	"rolltop.example/rolltop/core/pattern"
)

// Where a proposal adds its row.
const (
	InProcessors = "processors" // the first list of processors
	InModels     = "models"     // the first list of models
	InSoftware   = "software"
	InDrivers    = "drivers"
)

// Proposal is a row to be added to a release document: the answer to a question that many machines share.
type Proposal struct {
	Section  string // one of the In constants
	Name     string // of the processor, the model, the title or the device
	Is       string // of a title or a driver: one of [States]; for a list a row says that it is supported
	Note     string // why, as the row says it
	Revision int    // of the document that is made
}

var revisionLine = pattern.Of(`(?m)^revision:[ \t]*\d+`)

// Propose makes the text of a new revision of a document: that of an earlier one with one row more. Everything else
// stays as it was written, comments included. The document is YAML, or a bundle of one; it is not read again here.
func Propose(name string, src []byte, p *Proposal) ([]byte, error) {
	b, err := Unpack(name, src)
	if err != nil {
		return nil, err
	}
	d := new(Document)
	if _, _, err := doc.Open(name, []byte(b.Document), Format, d); err != nil {
		return nil, err
	}
	text := string(b.Document)
	if !revisionLine().MatchString(text) {
		return nil, errors.New("the document has no line “revision:”; add the row to the document by hand")
	}
	text = revisionLine().ReplaceAllString(text, "revision: "+strconv.Itoa(p.Revision))
	switch p.Section {
	case InSoftware, InDrivers:
		if !slices.Contains(States(), p.Is) {
			return nil, errors.New(doc.With(fmt.Sprintf("%q is not a state", p.Is),
				"it is one of "+strings.Join(States(), ", ")))
		}
		text = addKnown(text, p)
	case InProcessors, InModels:
		if text, err = b.addRow(d, text, p); err != nil {
			return nil, err
		}
	default:
		return nil, fmt.Errorf("no section %q", p.Section)
	}
	b.Document = doc.Body(text)
	if len(b.Files) == 0 {
		return []byte(text), nil
	}
	return json.Marshal(b)
}

// quoted is a text as YAML and JSON both read it.
func quoted(s string) string {
	text, _ := json.Marshal(s) // a string always has a form
	return string(text)
}

// addKnown adds a row to what is known of titles or drivers.
func addKnown(text string, p *Proposal) string {
	row := fmt.Sprintf("  - name: [%s]\n    versions:\n      - {is: %s", quoted(p.Name), p.Is)
	if p.Note != "" {
		row += ", note: " + quoted(p.Note)
	}
	row += "}\n"
	head := regexp.MustCompile(`(?m)^` + p.Section + `:[ \t]*(#.*)?\n`)
	if at := head.FindStringIndex(text); at != nil {
		return text[:at[1]] + row + text[at[1]:]
	}
	return strings.TrimRight(text, "\n") + "\n\n" + p.Section + ":\n" + row
}

// addRow adds a row to the first list of a kind: to its file, or to its rows.
func (b *Bundle) addRow(d *Document, text string, p *Proposal) (string, error) {
	i := slices.IndexFunc(d.Lists, func(l list.Document) bool { return l.Of == p.Section })
	if i < 0 {
		return "", fmt.Errorf("the release has no list of %s; add one to the document", p.Section)
	}
	l := &d.Lists[i]
	if l.File != "" {
		k := slices.IndexFunc(b.Files, func(f BundleFile) bool { return f.Name == l.File })
		if k < 0 {
			return "", fmt.Errorf("the file %s of the list is missing", l.File)
		}
		b.Files[k].Text = doc.Body(addCSV(string(b.Files[k].Text), p))
		return text, nil
	}
	head := regexp.MustCompile(`(?m)^  - id: ` + regexp.QuoteMeta(l.ID) + `[ \t]*$`)
	at := head.FindStringIndex(text)
	if at == nil {
		return "", fmt.Errorf("the list %s is not written line by line; add the row to the document by hand", l.ID)
	}
	rows := regexp.MustCompile(`(?m)^    rows:[ \t]*\n`)
	in := rows.FindStringIndex(text[at[1]:])
	if in == nil {
		return "", fmt.Errorf("the list %s has no lines of rows; add the row to the document by hand", l.ID)
	}
	row := "      - {name: " + quoted(p.Name)
	if p.Note != "" {
		row += ", note: " + quoted(p.Note)
	}
	cut := at[1] + in[1]
	return text[:cut] + row + "}\n" + text[cut:], nil
}

// addCSV adds a row to a list in a file.
func addCSV(text string, p *Proposal) string {
	head, _, _ := strings.Cut(text, "\n")
	heads := strings.Split(strings.TrimRight(head, "\r"), ",")
	cells := make([]string, len(heads))
	for i, h := range heads {
		switch strings.TrimSpace(h) {
		case "name":
			cells[i] = csvCell(p.Name)
		case "note":
			cells[i] = csvCell(p.Note)
		}
	}
	return strings.TrimRight(text, "\r\n") + "\n" + strings.Join(cells, ",") + "\n"
}

// csvCell is a cell of a CSV file (RFC 4180).
func csvCell(s string) string {
	if !strings.ContainsAny(s, "\",\r\n") {
		return s
	}
	return `"` + strings.ReplaceAll(s, `"`, `""`) + `"`
}
