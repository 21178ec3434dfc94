package web_test

import (
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"rolltop.example/rolltop/internal/browser"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
	"rolltop.example/rolltop/web"
)

var chromium *browser.Browser

func TestMain(m *testing.M) {
	if browser.Find() == "" {
		fmt.Fprintln(os.Stderr, "the console's tests need chromium; make test installs it")
		os.Exit(1)
	}
	if _, err := fs.Stat(web.Console(), "index.html"); err != nil {
		fmt.Fprintln(os.Stderr, "the console's tests need the console; make console builds it")
		os.Exit(1)
	}
	var err error
	if chromium, err = browser.Start(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	code := m.Run()
	chromium.Close()
	os.Exit(code)
}

// must ends the test at the first step that failed.
func must(t *testing.T, steps ...error) {
	t.Helper()
	for _, err := range steps {
		if err != nil {
			t.Fatal(err)
		}
	}
}

// open signs in to a service. At its end every error that the page wrote to
// its console fails the test.
func open(t *testing.T, s *servertest.Service) *browser.Page {
	t.Helper()
	p := openRefused(t, s)
	t.Cleanup(func() {
		for _, trouble := range p.Troubles() {
			t.Errorf("the page's console says: %s", trouble)
		}
	})
	return p
}

// openRefused signs in to a service that is going to refuse something, which
// the browser writes to its console.
func openRefused(t *testing.T, s *servertest.Service) *browser.Page {
	t.Helper()
	p, err := chromium.Open()
	must(t, err)
	t.Cleanup(p.Close)
	must(t, p.SignIn(s.URL, "demo", servertest.Password))
	return p
}

func TestFromTheFleetToAMachine(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := open(t, s)
	must(t, p.WaitText("9 of 251 PCs run Skerry 12; 92 more can take it now"), p.WaitText("Failing requirements"))
	// A count leads to its machines, and the list is in the address.
	must(t, p.Click(`[data-disposition=refit]`), p.WaitText("30 machines of 284"))
	if got := p.Address(); got != "/machines?where=disposition=refit" {
		t.Errorf("the address is %s", got)
	}
	if n := p.Count("tbody tr"); n != 30 {
		t.Errorf("%d rows", n)
	}
	// A machine shows its answer, what fails with has → needs, and its steps.
	must(t, p.Go(s.URL+"/machines/holm-011"), p.WaitText("A disk conversion and three firmware settings"),
		p.WaitText("4 of 16 requirements are not met"), p.WaitText("The plan, in this order"))
	got := p.Text("[data-requirement=tpm]")
	expect.Contains(t, got, "most likely turned off in firmware")
	expect.Contains(t, got, "has none seen → needs TPM is ready and TPM version 2.0 or later")
	expect.Contains(t, got, "fixed by step 8")
	if got := p.Text("[data-step=tpm-on]"); !strings.Contains(got, "Do not clear the TPM") {
		t.Errorf("the step says %q", got)
	}
	// Evidence and the inventory open on request.
	must(t, p.Click("[data-requirement=boot-mode] button"), p.WaitText("firmware.boot_mode"),
		p.WaitText("The loader of Skerry 12 has no part for legacy firmware."))
	must(t, p.Click("[data-step=convert-disk] button"), p.WaitText("Done when:"))
	must(t, p.Click("section[aria-labelledby=inventory] button"), p.WaitText("firmware tables"))
}

// A report opens from the machine's page under its own policy: its style is
// taken, and nothing else is let in.
func TestReport(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := open(t, s)
	must(t, p.Go(s.URL+"/machines/gull-101"), p.WaitText("Ticket text"))
	if p.Count(`a[href="/api/v1/machines/gull-101/report"]`) != 1 ||
		p.Count(`a[href="/api/v1/machines/gull-101/report?format=markdown"]`) != 1 {
		t.Error("the page does not lead to its report")
	}
	for _, width := range []int64{1280, 390} {
		must(t, p.Size(width, 800), p.Go(s.URL+"/api/v1/machines/gull-101/report"),
			p.WaitText("Not met: 4 of 16 requirements"), p.WaitText("The plan, in this order"),
			p.WaitText("The inventory"))
		if n := p.Width(); n > int(width) {
			t.Errorf("it is %d wide in a window of %d", n, width)
		}
		styled, err := p.Style("h2", "borderBottomStyle")
		if err != nil || styled != "solid" {
			t.Errorf("the style is not taken: %q, %v", styled, err)
		}
		// No column is squeezed to a letter.
		text, err := p.Style("table.four tbody td:last-child", "width")
		pixels, wrong := strconv.ParseFloat(strings.TrimSuffix(text, "px"), 64)
		expect.NoError(t, err)
		expect.That(t, "wrong == nil", wrong == nil)
		expect.That(t, "pixels >= float64(width)/8", pixels >= float64(width)/8)
	}
	must(t, p.Go(s.URL+"/api/v1/machines/gull-101/report?for=user"), p.WaitText("What happens, in this order"))
}

func TestMachines(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := open(t, s)
	must(t, p.Go(s.URL+"/machines"), p.WaitText("284 machines"), p.WaitText("Page 1 of 6"))
	must(t, p.Type("#words", "slipway"), p.Key("\r"), p.WaitText("machines of 284"))
	if got := p.Address(); got != "/machines?where=slipway" {
		t.Errorf("searching leads to %s", got)
	}
	must(t, p.Press("fieldset", "Replace"), p.WaitText("2 machines of 284"))
	if got := p.Address(); got != "/machines?where=slipway disposition=replace" {
		t.Errorf("choosing a disposition leads to %s", got)
	}
	// Sorting turns round at the second press and says so.
	must(t, p.Go(s.URL+"/machines?where=class%3Dmac"), p.WaitText("33 machines of 284"),
		p.Press("thead", "Site"), p.WaitText("↑"))
	if p.Count("th[aria-sort=ascending]") != 1 {
		t.Error("no column says that it is sorted")
	}
	must(t, p.Press("thead", "Site"), p.WaitText("↓"))
	if got := p.Address(); got != "/machines?where=class=mac&sort=-site" {
		t.Errorf("sorting leads to %s", got)
	}
	// A combined filter is kept as it is, and narrowed as a whole.
	must(t, p.Go(s.URL+"/machines?where=disposition%3Drefit%20or%20class%3Dmac"), p.WaitText("63 machines of 284"),
		p.Press("main", "Replace"), p.WaitText("6 machines of 284"))
	expect.Same(t, "the address", p.Address(), "/machines?where=(disposition=refit or class=mac) disposition=replace")
	// Nothing found says what to do next.
	must(t, p.Go(s.URL+"/machines?where=zzz"), p.WaitText("No machine matches."), p.WaitText("Show all machines"))
	// The find field of every page leads here.
	must(t, p.Go(s.URL+"/"), p.Type("#find", "outer light"), p.Key("\r"), p.WaitText("12 machines of 284"))
}

func TestSitesList(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := open(t, s)
	must(t, p.Go(s.URL+"/machines"), p.WaitText("All sites"), p.Click("[aria-haspopup=listbox]"),
		p.WaitText("Sandpiper Steps"), p.Press("form", "Gull Quay"), p.WaitText("machines of 284"))
	if got := p.Address(); got != `/machines?where=site="Gull Quay"` {
		t.Errorf("choosing a site leads to %s", got)
	}
}

func TestKeyboardAlone(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := open(t, s)
	must(t, p.WaitText("Failing requirements"))
	for range 40 {
		must(t, p.Key("\t"))
		if p.Count("[data-disposition=reconfigure]:focus-visible") == 1 {
			must(t, p.Key("\r"), p.WaitText("80 machines of 284"))
			return
		}
	}
	t.Error("the tab key does not reach a count")
}

func TestReleases(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := open(t, s)
	must(t, p.Go(s.URL+"/releases"), p.WaitText("Fathom 9"), p.WaitText("Release for testing"),
		p.WaitText("Target, judged by revision 5"))
	must(t, p.Go(s.URL+"/releases/skerry-12"), p.WaitText("End of support"), p.WaitText("Required"),
		p.WaitText("Machines that fail it"), p.WaitText("Intermediate release: Skerry 11"))
	// What changed since the revision before stands below, and another release
	// can be put beside it.
	must(t, p.WaitText("What changed, against Skerry 12, revision 4"), p.WaitText("Tightened"),
		p.WaitText("free space on the system volume of at least 28 GB → "+
			"free space on the system volume of at least 30 GB"))
	must(t, p.Go(s.URL+"/releases/skerry-13?against=skerry-12"), p.WaitText("A test release"),
		p.WaitText("What changed, against Skerry 12, revision 5"),
		p.WaitText("installed memory of at least 6 GiB → installed memory of at least 12 GiB"))
}

// A document is edited with its mistakes beside the lines; what has mistakes
// cannot be saved.
func TestEditRelease(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := open(t, s)
	must(t, p.Go(s.URL+"/releases/skerry-12/edit"), p.WaitText("No mistakes."),
		p.WaitText("revision 6, 24 requirements"), p.WaitText("skerry-12-processors.csv"))
	must(t, p.Replace("textarea", "at_least: 6 GiB", "at_least: 6 GB"), p.WaitText("1 mistake"),
		p.WaitText("memory is written with MiB, GiB or TiB: 8 GiB"), p.WaitText("Line 1"))
	if p.Count("button:disabled") != 1 {
		t.Error("a document with a mistake can be saved")
	}
	must(t, p.Replace("textarea", "at_least: 6 GB", "at_least: 12 GiB"), p.WaitText("No mistakes."),
		p.WaitText("installed memory of at least 6 GiB → installed memory of at least 12 GiB"))
	must(t, p.Click("button.bg-accent"), p.WaitText("it is not in force"), p.WaitText("Put revision 6 in force"))
	r, err := s.Client.Release(t.Context(), "skerry-12")
	expect.NoError(t, err)
	expect.That(t, "a saved revision is not in force", !r.Target)
	must(t, p.Press("main", "Put revision 6 in force"), p.WaitText("Put Skerry 12, revision 6, in force?"),
		p.WaitText("Skerry 12, revision 5, is in force now."), p.Press("[role=dialog]", "Put in force"),
		p.WaitText("Skerry 12, revision 6:"), p.Click("main p a"),
		p.WaitText("Revision 6, published"), p.WaitText("and is their target"))
	r, err = s.Client.Release(t.Context(), "skerry-12")
	expect.NoError(t, err)
	expect.Same(t, "r.Revision", r.Revision, 6)
	expect.That(t, "r.Target", r.Target)
	// A new one begins with a skeleton that has no mistakes.
	must(t, p.Go(s.URL+"/releases/new"), p.WaitText("New release document"), p.WaitText("No mistakes."))
}

func TestImportList(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := openRefused(t, s)
	page := filepath.Join(t.TempDir(), "page.html")
	must(t, os.WriteFile(page,
		[]byte(`<html><h2>Processors</h2><table><tr><th>Brand<th>Model<th>Base frequency<th>Cores<th>Price
		<tr><td>Corvane<td>K5-8400<td>2.8 GHz<td>6<td>180 <tr><td colspan=5>Ninth generation <tr><td>Corvane<td>K5-9400<sup>1</sup><td>2,9 GHz<td>six<td>190</table>`), 0o600))
	must(t, p.Go(s.URL+"/releases/import"), p.WaitText("Import a list"), p.Upload("input[type=file]", page),
		p.WaitText("2 rows, 1 left out"), p.WaitText("found: Brand + Model"), p.WaitText("Corvane K5-9400"),
		p.WaitText("a heading within the table"), p.WaitText("is not a whole number"), p.WaitText("Not used: Price."))
	// A file without a table says what to do.
	page = filepath.Join(t.TempDir(), "other.html")
	must(t, os.WriteFile(page, []byte("<html><p>Nothing here</p>"), 0o600), p.Upload("input[type=file]", page),
		p.WaitText("contains no table"))
}

// A fact that no program reads is entered on the machine's page, decides, and
// can be taken back.
func TestFactByHand(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	l, err := s.Client.Machines(t.Context(), "unknown=memory disposition=undetermined", "name", 1, 1)
	must(t, err)
	p := openRefused(t, s)
	must(t, p.Go(s.URL+"/machines/"+l.Machines[0].Key), p.WaitText("Installed memory"),
		p.Click("[data-group=Memory] button"), p.WaitText("Enter by hand"),
		p.Click("[data-fact='memory.installed_bytes'] button"),
		p.Type("[data-fact='memory.installed_bytes'] input", "16 GB"), p.Key("\r"),
		p.WaitText("memory is written with MiB, GiB or TiB"))
	must(t, p.Type("[data-fact='memory.installed_bytes'] input", "16 GiB"), p.Key("\r"), p.WaitText("Entered by hand"),
		p.WaitText("Remove"))
	d, err := s.Client.Machine(t.Context(), l.Machines[0].Key)
	expect.NoError(t, err)
	expect.Same(t, "len(d.Hand)", len(d.Hand), 1)
	expect.Same(t, "d.Hand[0].By", d.Hand[0].By, "demo")
	expect.Same(t, "d.Hand[0].Value", d.Hand[0].Value, "16 GiB")
	must(t, p.Click("section[aria-labelledby=hand] button"), p.WaitGone("section[aria-labelledby=hand]"))
	if d, err = s.Client.Machine(t.Context(), l.Machines[0].Key); err != nil || d.Hand != nil {
		t.Errorf("taken back: %+v %v", d.Hand, err)
	}
}

// What an adapter can do is entered on the page of one machine, for every machine of the model that has it.
func TestFactOfAnAdapterByHand(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := openRefused(t, s)
	const row = `[data-fact="graphics[7e5a:0b24].interface_level"]`
	must(t, p.Go(s.URL+"/machines/eelg-102"), p.WaitText("Screens"), p.Click("[data-group=Screens] button"),
		p.WaitText("Graphics interface level of 7e5a:0b24"), p.Click(row+" button"),
		p.WaitText("for every Ostrel Slipway 14 that has this adapter"), p.Type(row+" input", "12.1"),
		p.Click(row+" input[type=checkbox]"))
	must(t, p.Press(row, "Enter fact"), p.WaitText("entered by hand for every Ostrel Slipway 14 by demo"))
	l, err := s.Client.ModelFacts(t.Context())
	must(t, err)
	expect.Same(t, "facts of models", len(l.Facts), 1)
	expect.Same(t, "machines that have the adapter", l.Facts[0].Machines, 1)
}

func TestCompare(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := open(t, s)
	must(t, p.Go(s.URL+"/machines/lant-001"), p.WaitText("Other releases"), p.WaitText("Skerry 13"),
		p.Click("a[href='/compare?a=lant-001']"), p.WaitText("with which machine?"),
		p.Type("#other", "gull-001"), p.WaitText("Gull Quay"), p.Click("main ul button"),
		p.WaitText("LANT-001 and GULL-001"), p.WaitText("Findings that differ, against Skerry 12"),
		p.WaitText("Facts that differ"))
	if got := p.Address(); got != "/compare?a=lant-001&b=gull-001" {
		t.Errorf("the address is %s", got)
	}
}

func TestEmptyService(t *testing.T) {
	s := servertest.Start(t, web.Console())
	p := open(t, s)
	must(t, p.WaitText("No machine has been inventoried yet."), p.WaitText("rolltop submit"), p.Go(s.URL+"/releases"),
		p.WaitText("No release documents."), p.Go(s.URL+"/nowhere"), p.WaitText("This page does not exist."))
}

func TestSignInAndOut(t *testing.T) {
	s := servertest.Start(t, web.Console())
	p, err := chromium.Open()
	must(t, err)
	t.Cleanup(p.Close)
	must(t, p.Go(s.URL+"/machines"), p.Type("#name", "demo"), p.Type("#password", "wrong"),
		p.Click("button[type=submit]"), p.WaitText("wrong name or password"))
	must(t, p.Type("#password", servertest.Password), p.Click("button[type=submit]"), p.WaitText("Sign out"),
		p.WaitText("0 machines"))
	must(t, p.Click("nav button"), p.WaitText("Sign in to see"))
}

// What is not there says so and offers a way on.
func TestTrouble(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := openRefused(t, s)
	must(t, p.Go(s.URL+"/machines/gull-999"), p.WaitText(`there is no machine "gull-999"`), p.WaitText("Try again"))
	must(t, p.Go(s.URL+"/machines?where=colour%3Dred"), p.WaitText(`unknown key "colour"`))
}

// Nothing lies beside a small window, in light and dark.
func TestSmallWindow(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := open(t, s)
	for _, dark := range []bool{false, true} {
		must(t, p.Dark(dark), p.Size(390, 800))
		for _, path := range []string{
			"/", "/machines/lant-001", "/releases/skerry-12", "/releases/skerry-12/edit",
			"/compare?a=lant-001&b=gull-001",
		} {
			must(t, p.Go(s.URL+path), p.WaitText("Sign out"), p.WaitText("Skerry 12"))
			if wide := p.Text("body"); wide == "" {
				t.Errorf("%s shows nothing", path)
			}
			if n := p.Width(); n > 390 {
				t.Errorf("%s is %d wide in a window of 390", path, n)
			}
		}
	}
}

// The plan is ticked on the machine's page, with who said it; a refusal takes a
// reason.
func TestTicks(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := open(t, s)
	plan := "[data-step=convert-disk] "
	must(t, p.Go(s.URL+"/machines/gull-101"), p.WaitText("Convert the disk to GPT"),
		p.WaitText("Start › Start with: UEFI systems only."), p.WaitText("may not start afterwards"),
		p.Click(plan+"[aria-label^='Mark as done:']"), p.WaitText("Done by demo"),
		p.Click(plan+"[aria-label^='Undo:']"), p.WaitGone(plan+"[aria-label^='Undo:']"))
	must(t, p.Click("[aria-label='Refuse: Back up the whole disk']"), p.Type("li form input", "nothing is kept on it"),
		p.Key("\r"), p.WaitText("Refused by demo"), p.WaitText("nothing is kept on it"))
	d, err := s.Client.Machine(t.Context(), "gull-101")
	must(t, err)
	for _, item := range d.Check.Preparation {
		if item.ID == "backup" {
			expect.Same(t, "the state of the backup", item.State, "refused")
			expect.That(t, "someone ticked it", item.Ticked != nil)
			expect.Same(t, "who ticked it", item.Ticked.By, "demo")
		}
	}
	for _, step := range d.Check.Plan {
		if step.Ticked != nil {
			t.Errorf("%s is still ticked", step.Step)
		}
	}
}

// The visit is read on a phone without signing in, and fits it.
func TestVisitOnATelephone(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := open(t, s)
	must(t, p.Go(s.URL+"/machines/gull-101"), p.WaitText("Visit sheet"), p.Click("[data-visit]"),
		p.WaitText("Scan this before you go"), p.WaitText("A phone needs the network address"))
	if p.Count("img[src^='data:image/png']") != 1 {
		t.Error("there is no square code")
	}
	link := p.Text("[role=dialog] a")
	phone, err := chromium.Open()
	must(t, err)
	defer phone.Close()
	for _, width := range []int64{320, 390, 1280} {
		must(t, phone.Size(width, 800), phone.Go(link), phone.WaitText("steps at GULL-101"), phone.WaitText("Key: F2"),
			phone.WaitText("Start › Start with"))
		if n := phone.Width(); n > int(width) {
			t.Errorf("it is %d wide on a screen of %d", n, width)
		}
	}
	// What is done is recorded on the phone; a key in a field records nothing.
	must(t, phone.Type("input[name=name]", "Ada"), phone.Key("\r"))
	d, err := s.Client.Machine(t.Context(), "gull-101")
	must(t, err)
	if d.Check.Ticked("step/boot-mode") != nil {
		t.Error("a key in a field has recorded a step")
	}
	must(t, phone.Click("button[value='done step/boot-mode']"))
	_ = phone.WaitText("Recorded as done") // the page may be left while it is looked at
	must(t, phone.WaitText("Recorded as done:"), phone.WaitText("Done by Ada, by the link of"))
	must(t, p.Click("[role=dialog] button.underline"), p.WaitGone("[role=dialog]"), phone.Go(link),
		phone.WaitText("This link has expired"))
}

func TestBeforeAndAfter(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := open(t, s)
	must(t, p.Go(s.URL+"/machines/nslip-033"), p.WaitText("Results of the work since then"),
		p.Click("[aria-labelledby=history] button"),
		p.WaitText("Reconfigure, as before: one requirement is settled; left: secure boot on."),
		p.WaitText("The setting was not saved."))
	if p.Count("[data-change=settled]") != 1 || p.Count("[data-change=left]") != 1 {
		t.Error("the requirements before and after are not shown")
	}
}

// An organisation's own guide is put in force on the page; one with a mistake is
// not, and the old one stays.
func TestKnowledge(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := open(t, s)
	must(t, p.Go(s.URL+"/settings"), p.WaitText("Your document 1, by desktop support"),
		p.Replace("textarea", `models: ["OB-3*"]`, `models: ["OB-[3*"]`), p.Click("button.bg-accent"),
		p.WaitText("One mistake. What was in force stays in force."), p.WaitText("is invalid"))
	must(t, p.Replace("textarea", `models: ["OB-[3*"]`, `models: ["OB-*"]`), p.Click("button.bg-accent"),
		p.WaitText("It is in force."), p.WaitText("Your document 2, by demo"))
	h, err := s.Client.Knowledge(t.Context(), "guides")
	expect.NoError(t, err)
	expect.Same(t, "h.Number", h.Number, 2)
	expect.Contains(t, h.Text, `models: ["OB-*"]`)
	must(t, p.Click("main details summary"), p.WaitText("History: 2 documents"),
		p.Press("main", "Put number 1 in force again"), p.WaitText("The document in force now is kept."),
		p.Press("[role=dialog]", "Put in force"), p.WaitText("Your document 3, by demo"))
	h, err = s.Client.Knowledge(t.Context(), "guides")
	expect.NoError(t, err)
	expect.Contains(t, h.Text, `models: ["OB-3*"]`)
	must(t, p.Press("nav[aria-label=Kinds]", "Steps"),
		p.WaitText("Your own steps."), p.WaitGone("button.bg-accent:not(:disabled)"))
}

// Whoever saves what somebody else has replaced meanwhile is told so, and nothing is lost.
func TestSavedMeanwhile(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := openRefused(t, s)
	must(t, p.Go(s.URL+"/settings?kind=keeping"), p.WaitText("Retention and visibility"))
	set, err := s.Client.Settings(t.Context())
	expect.NoError(t, err)
	set.StaleDays = 44
	_, err = s.Client.SetSettings(t.Context(), set)
	expect.NoError(t, err)
	must(
		t,
		p.Press("[aria-labelledby=keeping]", "Save settings"),
		p.WaitText("somebody else changed it after you read it"),
	)
	set, err = s.Client.Settings(t.Context())
	expect.NoError(t, err)
	expect.Same(t, "days", set.StaleDays, 44)

	must(t, p.Go(s.URL+"/settings"), p.WaitText("Your document 1, by desktop support"))
	own, err := s.Client.Knowledge(t.Context(), "guides")
	expect.NoError(t, err)
	_, err = s.Client.SetKnowledge(t.Context(), "guides", []byte(own.Text+"\n# theirs\n"))
	expect.NoError(t, err)
	must(t, p.Replace("textarea", `models: ["OB-3*"]`, `models: ["OB-*"]`), p.Click("button.bg-accent"),
		p.WaitText("somebody else changed it after you read it"))
	own, err = s.Client.Knowledge(t.Context(), "guides")
	expect.NoError(t, err)
	expect.Contains(t, own.Text, "# theirs")
}

// Users and tokens are added, what was done is listed, and one's own password
// changes.
func TestPeople(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := openRefused(t, s)
	must(t, p.Go(s.URL+"/settings?kind=people"), p.WaitText("Tokens"),
		p.Type("form[aria-label='Add user'] input", "harbour-master"),
		p.Click("form[aria-label='Add user'] button"),
		p.WaitText("The password of harbour-master, shown only once"))
	password := p.Text("code")
	must(t, p.Type("form[aria-label='Create token'] input", "pier"), p.Click("form[aria-label='Create token'] button"),
		p.WaitText("The token pier, shown only once"),
		p.Click("[aria-label='Remove demo']"),
		p.WaitText("demo is the only administrator; make another user an administrator first"))
	must(t, p.Go(s.URL+"/settings?kind=audit"), p.WaitText("Add or change a user harbour-master"),
		p.WaitText("technician"), p.WaitText("pier, may submit"))
	must(t, p.Click("nav button"), p.WaitText("Sign in"), p.SignIn(s.URL, "harbour-master", password))
	// A technician ticks, and does not see what only administrators change.
	must(t, p.Go(s.URL+"/machines/gull-101"), p.WaitText("Mark as done"), p.Go(s.URL+"/settings?kind=people"),
		p.WaitText("Your document 1, by desktop support"))
	if p.Count("nav[aria-label=Kinds] a") != 4 || p.Count("button.bg-accent") != 0 {
		t.Error("a technician is offered what only an administrator may do")
	}
	must(t, p.Go(s.URL+"/settings?kind=password"), p.Type("input[autocomplete=current-password]", "guess"),
		p.Type("input[autocomplete=new-password]", "lantern-and-rope"), p.Key("\r"),
		p.WaitText("the current password is wrong"),
		p.Type("input[autocomplete=current-password]", password), p.Key("\r"), p.WaitText("Sign in to see"),
		p.SignIn(s.URL, "harbour-master", "lantern-and-rope"))
}

// Intake makes a token, says the commands with it, and takes inventories from
// files: a bad one does not lose the good ones.
func TestIntake(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := openRefused(t, s)
	must(t, p.Go(s.URL+"/intake"), p.WaitText("rolltop-collect.exe --server "+s.URL),
		p.Type("form:not([role=search]) input", "gull-quay"), p.Click("form:not([role=search]) button"),
		p.WaitText("The token gull-quay, shown only once"))
	secret := p.Text("code.select-all")
	if got := p.Text("pre"); !strings.Contains(got, "$env:ROLLTOP_TOKEN = '"+secret+"'") ||
		!strings.Contains(got, s.URL+"/download/rolltop-collect-windows-amd64.exe") {
		t.Errorf("the commands are %q", got)
	}
	one := func(name string) string {
		return `{"format":"rolltop-inventory/1","taken_at":"2026-11-20T10:00:00Z","device":{"name":"` + name +
			`","serial":"` + name + `"},"os":{"platform":"windows"}}`
	}
	file := filepath.Join(t.TempDir(), "fleet.ndjson")
	must(t, os.WriteFile(file,
		[]byte(one("QUAY-001")+"\n"+strings.Replace(one("QUAY-002"), "windows", "abacus", 1)+"\n"+one("QUAY-003")+"\n"),
		0o600))
	must(t, p.Upload("input[type=file]", file),
		p.WaitText("2 of 3 were imported; 1 was refused and changed nothing."),
		p.WaitText("fleet.ndjson, line 2"), p.WaitText("QUAY-003"))
	if p.Count("[data-good=true]") != 2 || p.Count("[data-good=false]") != 1 {
		t.Error("the report is not row by row")
	}
	if l, err := s.Client.Machines(t.Context(), "quay-00", "name", 1, 9); err != nil || l.Total != 2 {
		t.Errorf("%d machines, %v", l.Total, err)
	}
}
