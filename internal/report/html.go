package report

import (
	"crypto/sha256"
	"embed"
	"encoding/base64"
	"fmt"
	"html/template"
	"io"
	"strconv"
	"strings"
	"time"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
	visits "rolltop.example/rolltop/core/visit"
)

//go:embed fleet.html technician.html user.html visit.html notice.html page.html round.html briefing.html
var files embed.FS

//go:embed style.css
var style string

// Policy is the content security policy under which a report is served: its own
// style and nothing else (CSP level 3, section 2.3.1).
var Policy = policy("'none'")

// FormPolicy is that of a page on which what is done can be recorded: it sends its form to where it comes from.
var FormPolicy = policy("'self'")

func policy(forms string) string {
	sum := sha256.Sum256([]byte(style))
	return fmt.Sprintf("default-src 'none'; style-src 'sha256-%s'; frame-ancestors 'none'; base-uri 'none'; "+
		"form-action %s", base64.StdEncoding.EncodeToString(sum[:]), forms)
}

// Every value goes through html/template, so that nothing a machine says about
// itself becomes part of the page.
var templates = template.Must(template.New("report").Funcs(template.FuncMap{
	"mark":     func(disposition string) string { return say.Marks[disposition] },
	"prepared": func(state string) string { return say.Preparations[state] },
	"takes":    takes,
	"record":   record,
	"capital":  say.Capital,
	"cause":    say.Cause,
	"count":    say.Count, "day": say.Day, "moment": say.Moment, "number": say.Number, "plainday": say.PlainDay,
	"ticked":     (*assess.Tick).Says,
	"hours":      func(m remedy.Minutes) string { return say.Hours(m) },
	"join":       func(list []string) string { return strings.Join(list, ", ") },
	"semicolons": func(list []string) string { return strings.Join(list, "; ") },
	"joined": func(list []string) string {
		var out []string
		for _, s := range list {
			out = append(out, say.Lower(s))
		}
		return say.And(out)
	},
	"numbers": func(list []int) string {
		var out []string
		for _, n := range list {
			out = append(out, strconv.Itoa(n))
		}
		return say.And(out)
	},
}).ParseFS(files, "*.html"))

// page is what the templates see.
type page struct {
	*Machine
	first   bool
	expires time.Time // of the link to it; zero: there is none
	form    *Form     // nil: nothing can be recorded on it
}

// HTML writes one page of one or several machines. It holds no script and
// names no other file; it is light, and prints on A4 and Letter.
func HTML(w io.Writer, reader string, machines ...*Machine) error {
	pages := make([]page, len(machines))
	for i, m := range machines {
		pages[i] = page{Machine: m, first: i == 0}
	}
	return write(w, reader, pages)
}

func write(w io.Writer, reader string, pages []page) error {
	return templates.ExecuteTemplate(w, "page.html", struct {
		Reader string
		Style  template.CSS
		Pages  []page
	}{reader, template.CSS(style), pages})
}

// Visit writes the page of a machine's visit for whoever has the link to it.
// The check is without anything that names the machine but its host name.
// What is done can be recorded on it unless form is nil.
func Visit(w io.Writer, check *assess.Document, expires time.Time, form *Form) error {
	return write(w, Desk, []page{{Machine: &Machine{Check: check}, first: true, expires: expires, form: form}})
}

// Form lets whoever opens the page of a visit record what is done.
type Form struct {
	Says  string            // what was recorded last, or why it was not; "" the first time
	Name  string            // of who records, as given before
	Notes map[string]string // by item, that were written and not recorded yet
}

// Note is what was written at an item and not recorded yet.
func (f *Form) Note(item string) string { return f.Notes[item] }

// Visits writes a round of visits, to be printed: a cover with what it takes along, and a page for each machine with
// the guide of its board, none with a serial number.
func Visits(w io.Writer, title string, cover *visits.Cover, checks []*assess.Document) error {
	pages := make([]page, len(checks))
	for i, c := range checks {
		pages[i] = page{Machine: &Machine{Check: c}}
	}
	return templates.ExecuteTemplate(w, "round.html", struct {
		Style template.CSS
		Title string
		Cover *visits.Cover
		Takes string
		Pages []page
	}{template.CSS(style), title, cover, say.Capital(say.Hours(cover.Minutes)) + " at the desks, " +
		say.Count(cover.Restarts, "restart", "restarts"), pages})
}

// Notice writes a page that says one thing.
func Notice(w io.Writer, title, says string) error {
	return templates.ExecuteTemplate(w, "notice.html", struct {
		Style       template.CSS
		Title, Says string
	}{template.CSS(style), title, says})
}

// What the templates ask for.

func (p page) First() bool      { return p.first }
func (p page) Form() *Form      { return p.form }
func (p page) Name() string     { return p.name() }
func (p page) About() string    { return p.about() }
func (p page) Verdict() string  { return p.verdict() }
func (p page) Fails() any       { return p.group("must", "fail") }
func (p page) Unknowns() any    { return p.group("must", "unknown") }
func (p page) Waived() any      { return p.group("must", "waived") }
func (p page) Advice() any      { return p.group("should", "fail") }
func (p page) Rest() any        { return p.rest() }
func (p page) Known() any       { return p.known() }
func (p page) Preparation() any { return p.preparation() }
func (p page) Parts() []part    { return p.parts() }
func (p page) Told() []string   { return p.told() }
func (p page) Made() []string   { return p.made() }
func (p page) Beside() []string { return p.beside() }
func (p page) Visit() *visit    { return p.visit() }
func (p page) Expires() any {
	if p.expires.IsZero() {
		return nil
	}
	return p.expires
}
func (p page) Totals() string { return p.totals() }

// recorded is where a step of a visit is recorded.
type recorded struct {
	Step, Title, Note string
	Ticked            bool
}

// record is nil where nothing can be recorded.
func record(f *Form, s assess.Step) *recorded {
	if f == nil {
		return nil
	}
	return &recorded{Step: s.Step, Title: s.Title, Note: f.Note(assess.TickStep + s.Step), Ticked: s.Ticked != nil}
}
