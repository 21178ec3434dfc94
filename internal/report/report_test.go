package report_test

import (
	"bytes"
	"encoding/base64"
	"fmt"
	"io"
	"mime"
	"mime/multipart"
	"net/mail"
	"slices"
	"strings"
	"testing"
	"time"
	"unicode/utf8"

	"golang.org/x/net/html"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/report"
	"rolltop.example/rolltop/internal/standin"
	"rolltop.example/rolltop/internal/standin/recorded"
)

var now = time.Date(2026, 11, 23, 8, 0, 0, 0, time.UTC)

func releases(t testing.TB) (pc, mac *release.Release) {
	t.Helper()
	read := func(name string) *release.Release {
		r, err := release.Read(name, standin.Releases()[name], func(file string) ([]byte, error) {
			f, err := standin.ReleaseFiles().Open(file)
			if err != nil {
				return nil, err
			}
			defer f.Close()
			return io.ReadAll(f)
		})
		if err != nil {
			t.Fatal(err)
		}
		return r
	}
	return read("skerry-12.yaml"), read("fathom-9.yaml")
}

// machines are the whole demo: every simulated machine and every recorded one.
func machines(t testing.TB) []*report.Machine {
	t.Helper()
	pc, mac := releases(t)
	o, err := standin.Load()
	if err != nil {
		t.Fatal(err)
	}
	fleet, err := o.Fleet(now)
	if err != nil {
		t.Fatal(err)
	}
	real, err := recorded.Inventories(now)
	if err != nil {
		t.Fatal(err)
	}
	var out []*report.Machine
	for _, inv := range append(fleet, real...) {
		rel := pc
		if inv.OS.Platform.Or("") == "macos" {
			rel = mac
		}
		out = append(out, of(t, rel, inv))
	}
	return out
}

func of(t testing.TB, rel *release.Release, inv *inventory.Document) *report.Machine {
	t.Helper()
	a, err := assess.Run(rel, inv)
	if err != nil {
		t.Fatal(err)
	}
	return report.Of(a.Document(now, "1.0"), inv)
}

func page(t testing.TB, reader string, m ...*report.Machine) string {
	t.Helper()
	var b strings.Builder
	if err := report.HTML(&b, reader, m...); err != nil {
		t.Fatal(err)
	}
	return b.String()
}

// read is the text of a page, and what in it would fetch or run something.
func read(t *testing.T, src string) (text string, live []string) {
	t.Helper()
	root, err := html.Parse(strings.NewReader(src))
	if err != nil {
		t.Fatal(err)
	}
	var b strings.Builder
	for n := range root.Descendants() {
		switch {
		case n.Type == html.TextNode && n.Parent.Data != "style":
			b.WriteString(n.Data + " ")
		case n.Type == html.ElementNode &&
			slices.Contains([]string{"script", "link", "img", "iframe", "object", "form", "a", "base"}, n.Data):
			live = append(live, n.Data)
		case n.Type == html.TextNode && (strings.Contains(n.Data, "url(") || strings.Contains(n.Data, "@import")):
			live = append(live, "style that fetches")
		}
		for _, a := range n.Attr {
			if strings.HasPrefix(a.Key, "on") || slices.Contains([]string{"src", "href", "srcset", "style"}, a.Key) {
				live = append(live, a.Key)
			}
		}
	}
	return strings.Join(strings.Fields(b.String()), " "), live
}

func TestAReportHoldsTheWholeCheck(t *testing.T) {
	for _, m := range machines(t) {
		text, live := read(t, page(t, report.Technician, m))
		d := m.Check
		if live != nil {
			t.Fatalf("%s: the page holds %v", d.Machine.Name, live)
		}
		want := []string{
			d.Answer, d.Machine.Name, fmt.Sprintf("revision %d", d.Release.Revision), "23 November 2026", "Rolltop 1.0",
		}
		for _, f := range d.Findings {
			if f.Level == "must" {
				if f.Outcome == "fail" || f.Outcome == "unknown" {
					want = append(append(want, f.Title, f.Has, f.Needs, f.Reason, f.Why), f.Close...)
				}
			}
		}
		for _, s := range d.Plan {
			want = append(append(want, s.Title, s.Do, s.Back, s.Confirm), s.Cautions...)
		}
		for _, p := range d.Preparation {
			if d.Disposition != "replace" {
				want = append(want, p.Title)
			}
		}
		if strings.Contains(text, "Before the upgrade") != (d.Disposition != "replace" && d.Preparation != nil) {
			t.Errorf("%s is %s, and its preparation is wrong", d.Machine.Name, d.Disposition)
		}
		for _, g := range m.Inventory {
			for _, r := range g.Rows {
				want = append(want, r.Label, r.Why)
				if r.Known {
					want = append(want, r.Value)
				}
			}
		}
		for _, w := range want {
			if w = strings.Join(strings.Fields(w), " "); !strings.Contains(text, w) {
				t.Errorf("%s: the report lacks %q", d.Machine.Name, w)
			}
		}
	}
}

// What the machine's user reads has no word of the trade in it.
func TestThePageForTheUserIsPlain(t *testing.T) {
	seen := map[string]bool{}
	for _, m := range machines(t) {
		text, live := read(t, page(t, report.User, m))
		seen[m.Check.Disposition] = true
		for _, word := range []string{
			"TPM", "UEFI", "GPT", "MBR", "firmware", "partition", "ecure boot", "legacy", "GiB", "inventory", "LUKS",
			"Nothing to do",
		} {
			if strings.Contains(text, word) {
				t.Errorf("%s is told of %q: %s", m.Check.Machine.Name, word, text)
			}
		}
		expect.That(t, m.Check.Machine.Name+": live == nil", live == nil)
		expect.Contains(t, text, m.Check.Plain[0])
		expect.Contains(t, text, m.Check.Release.Name)
		if cannot := strings.Contains(text, "cannot take"); cannot != (m.Check.Disposition == "replace") {
			t.Errorf("%s is %s and reads: %s", m.Check.Machine.Name, m.Check.Disposition, text)
		}
	}
	if len(seen) != len(remedy.Dispositions()) {
		t.Errorf("only %v are in the demo", seen)
	}
}

func TestATicketFits(t *testing.T) {
	whole := 0
	for _, m := range machines(t) {
		text := report.Markdown(m)
		if n := utf8.RuneCountInString(text); n > report.TicketLimit {
			t.Errorf("%s: %d characters", m.Check.Machine.Name, n)
		}
		if len(m.Check.Plan) > 0 && strings.Contains(text, "Done when") {
			whole++
		}
		for _, f := range m.Check.Findings {
			if f.Level == "must" && f.Outcome == "fail" {
				if !strings.Contains(text, f.Title) {
					t.Errorf("%s: the ticket lacks %q", m.Check.Machine.Name, f.Title)
				}
			}
		}
	}
	if whole == 0 {
		t.Error("no ticket had room for what to do in the steps")
	}
	// Far more than any machine has: it is cut, and says so.
	m := machines(t)[0]
	long := *m.Check
	for i := range 400 {
		long.Findings = append(long.Findings,
			assess.Finding{
				Title:   fmt.Sprintf("Requirement %d", i),
				Level:   "must",
				Outcome: "fail",
				Has:     strings.Repeat("ä", 100),
				Needs:   "more",
			})
	}
	text := report.Markdown(&report.Machine{Check: &long})
	n := utf8.RuneCountInString(text)
	expect.That(t, "n <= report.TicketLimit", n <= report.TicketLimit)
	expect.Contains(t, text, "The report has ")
	expect.Contains(t, text, "Requirement 0")
	long.Answer = strings.Repeat("x", 9000)
	if n := utf8.RuneCountInString(report.Markdown(&report.Machine{Check: &long})); n > report.TicketLimit {
		t.Errorf("a long answer makes %d characters", n)
	}
}

// What a machine says of itself stays text, whatever it looks like.
func TestHostileNames(t *testing.T) {
	pc, _ := releases(t)
	inv := &inventory.Document{Format: inventory.Format, TakenAt: now}
	evil := "</title><script>alert(1)</script>\r\nBcc: all@ferries.example\n[x](javascript:alert(1)) **"
	inv.Device.Name, inv.Device.Model, inv.Device.Form, inv.OS.Platform = inventory.Some(evil),
		inventory.Some(`" onload="x`), inventory.Some("desktop"), inventory.Some("windows")
	m := of(t, pc, inv)
	for _, reader := range report.Readers() {
		if text, live := read(t, page(t, reader, m)); live != nil ||
			!strings.Contains(text, "<script>alert(1)</script>") {
			t.Errorf("%s: %v\n%s", reader, live, text)
		}
	}
	text := report.Markdown(m)
	expect.Lacks(t, text, "[x](")
	expect.Lacks(t, text, "\nBcc")
	expect.Lacks(t, strings.ReplaceAll(text, `\<`, ""), "<")
	var b bytes.Buffer
	if err := (&report.Letter{
		From:     "ada@ferries.example",
		Date:     now,
		Reader:   report.Technician,
		Machines: []*report.Machine{m},
	}).Write(&b); err != nil {
		t.Fatal(err)
	}
	got, err := mail.ReadMessage(&b)
	if err != nil || got.Header.Get("Bcc") != "" {
		t.Errorf("%v, %v", err, got.Header)
	}
}

func TestShortened(t *testing.T) {
	pc, _ := releases(t)
	inv := &inventory.Document{Format: inventory.Format, TakenAt: now}
	inv.Device.Name, inv.Device.Serial, inv.Device.UUID, inv.Device.AssetTag = inventory.Some("GULL-014"),
		inventory.Some("OB3-0042-7731"), inventory.Some("5f0c8a52-1d7e-4c1b-9e0a-3b6d2f4a7c11"), inventory.Some("T-9")
	inv.Device.Board.Serial, inv.OS.Platform, inv.Device.Form = inventory.Some("BRD-99812"), inventory.Some("windows"),
		inventory.Some("desktop")
	m := of(t, pc, inv)
	m.Check.Findings[0].Has = "OB3-0042-7731"
	m.Check.Findings[0].Evidence = []assess.Evidence{{
		Fact:  "device.serial",
		Label: "serial number",
		Has:   "OB3-0042-7731",
	}}
	whole, short := page(t, report.Technician, m), page(t, report.Technician, m.Shortened())
	for _, secret := range []string{"OB3-0042-7731", "5f0c8a52", "T-9", "BRD-99812"} {
		if !strings.Contains(whole, secret) {
			t.Errorf("the whole report lacks %s", secret)
		}
		if strings.Contains(short, secret) {
			t.Errorf("the shortened report has %s", secret)
		}
	}
	if !strings.Contains(short, "…7731") || !strings.Contains(short, "GULL-014") {
		t.Error("nothing is left to tell the machine by")
	}
	if again := page(t, report.Technician, m); again != whole {
		t.Error("shortening changed the machine it was made of")
	}
}

func TestALetter(t *testing.T) {
	m := machines(t)[:2]
	var b bytes.Buffer
	l := &report.Letter{
		From:     "Ada <ada@ferries.example>",
		To:       "ben@ferries.example, Cör <cor@ferries.example>",
		Date:     now,
		Reader:   report.Technician,
		Machines: m,
	}
	if err := l.Write(&b); err != nil {
		t.Fatal(err)
	}
	for _, line := range strings.Split(b.String(), "\r\n") {
		if len(line) > 998 || strings.ContainsAny(line, "\r\n") { // RFC 5322, section 2.1.1
			t.Fatalf("a line that mail does not carry: %.80q", line)
		}
	}
	got, err := mail.ReadMessage(&b)
	if err != nil {
		t.Fatal(err)
	}
	to, err := got.Header.AddressList("To")
	expect.NoError(t, err)
	expect.Same(t, "len(to)", len(to), 2)
	expect.Same(t, "to[1].Name", to[1].Name, "Cör")
	if at, err := got.Header.Date(); err != nil || !at.Equal(now) {
		t.Errorf("date %v, %v", at, err)
	}
	_, params, err := mime.ParseMediaType(got.Header.Get("Content-Type"))
	if err != nil {
		t.Fatal(err)
	}
	parts := multipart.NewReader(got.Body, params["boundary"])
	text, err := parts.NextPart()
	if err != nil {
		t.Fatal(err)
	}
	words, err := io.ReadAll(text)
	expect.NoError(t, err)
	expect.Contains(t, string(words), m[0].Check.Answer)
	expect.Contains(t, string(words), m[1].Check.Machine.Name)
	file, err := parts.NextPart()
	if err != nil {
		t.Fatal(err)
	}
	attached, err := io.ReadAll(base64.NewDecoder(base64.StdEncoding, file))
	expect.NoError(t, err)
	expect.Same(t, "file.FileName()", file.FileName(), "report.html")
	expect.Same(t, "string(attached)", string(attached), page(t, report.Technician, m...))
	for _, wrong := range []*report.Letter{
		{From: "ada"}, {From: ""}, {From: "ada@ferries.example", To: "ben@ferries.example; cor"},
		{From: "ada@ferries.example\r\nBcc: x@y.example"},
	} {
		var b bytes.Buffer
		err := wrong.Write(&b)
		expect.That(t, "err != nil", err != nil)
		expect.That(t, "b.Len() <= 0", b.Len() <= 0)
		expect.Contains(t, err.Error(), "ferries.example")
	}
}

func TestReaders(t *testing.T) {
	for name, want := range map[string]string{"": "technician", "technician": "technician", "user": "user"} {
		t.Run(name, func(t *testing.T) {
			if got, err := report.Reader(name); got != want || err != nil {
				t.Errorf("%q: %q, %v", name, got, err)
			}
		})
	}
	if _, err := report.Reader("usr"); err == nil || !strings.Contains(err.Error(), "user") {
		t.Errorf("usr: %v", err)
	}
}

// A report of one machine, its check being made already.
func BenchmarkReport(b *testing.B) {
	all := machines(b)
	i := slices.IndexFunc(all, func(m *report.Machine) bool { return m.Check.Machine.Name == "GULL-101" })
	for b.Loop() {
		if err := report.HTML(io.Discard, report.Technician, all[i]); err != nil {
			b.Fatal(err)
		}
	}
}
