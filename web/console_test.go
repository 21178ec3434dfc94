package web_test

import (
	"fmt"
	"io/fs"
	"os"
	"strings"
	"testing"

	"rolltop.example/rolltop/internal/browser"
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
	p, err := chromium.Open()
	must(t, err)
	t.Cleanup(func() {
		for _, trouble := range p.Troubles() {
			t.Errorf("the page's console says: %s", trouble)
		}
		p.Close()
	})
	must(t, p.SignIn(s.URL, "demo", servertest.Password))
	return p
}

func TestFromTheFleetToAMachine(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := open(t, s)
	must(t, p.WaitText("108 of 251 PCs can take Skerry 12 now"), p.WaitText("What stands in the way"))
	// A count leads to its machines, and the list is in the address.
	must(t, p.Click(`[data-disposition=refit]`), p.WaitText("29 machines of 284"))
	if got := p.Address(); got != "/devices?where=disposition=refit" {
		t.Errorf("the address is %s", got)
	}
	if n := p.Count("tbody tr"); n != 29 {
		t.Errorf("%d rows", n)
	}
	// A machine shows its answer, what fails with has → needs, and its steps.
	must(t, p.Go(s.URL+"/devices/lant-001"), p.WaitText("A disk conversion and three firmware settings"), p.WaitText("4 of 15 requirements are not met"), p.WaitText("The plan, in this order"))
	if got := p.Text("[data-requirement=tpm]"); !strings.Contains(got, "most likely switched off in firmware") || !strings.Contains(got, "has none seen → needs ready, version 2.0 or later") || !strings.Contains(got, "settled by step 6") {
		t.Errorf("the finding says %q", got)
	}
	if got := p.Text("[data-step=tpm-on]"); !strings.Contains(got, "Do not clear the TPM") {
		t.Errorf("the step says %q", got)
	}
	// Evidence and the inventory open on request.
	must(t, p.Click("[data-requirement=boot-mode] button"), p.WaitText("firmware.boot_mode"), p.WaitText("The loader of Skerry 12 has no part for legacy firmware."))
	must(t, p.Click("[data-step=convert-disk] button"), p.WaitText("Done when:"))
	must(t, p.Click("section[aria-labelledby=inventory] button"), p.WaitText("firmware tables"))
}

func TestDevices(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := open(t, s)
	must(t, p.Go(s.URL+"/devices"), p.WaitText("284 machines"), p.WaitText("Page 1 of 6"))
	must(t, p.Type("#words", "slipway"), p.Key("\r"), p.WaitText("machines of 284"))
	if got := p.Address(); got != "/devices?where=slipway" {
		t.Errorf("searching leads to %s", got)
	}
	must(t, p.Click("fieldset button:nth-of-type(4)"), p.WaitText("Replace"))
	if got := p.Address(); got != "/devices?where=slipway disposition=replace" {
		t.Errorf("choosing a disposition leads to %s", got)
	}
	// Sorting turns round at the second press and says so.
	must(t, p.Go(s.URL+"/devices?where=class%3Dmac"), p.WaitText("33 machines of 284"), p.Click("th:nth-of-type(3) button"), p.WaitText("↑"))
	if p.Count("th[aria-sort=ascending]") != 1 {
		t.Error("no column says that it is sorted")
	}
	must(t, p.Click("th:nth-of-type(3) button"), p.WaitText("↓"))
	if got := p.Address(); got != "/devices?where=class=mac&sort=-place" {
		t.Errorf("sorting leads to %s", got)
	}
	// Nothing found says what to do next.
	must(t, p.Go(s.URL+"/devices?where=zzz"), p.WaitText("No machine matches."), p.WaitText("Show all machines"))
	// The find field of every page leads here.
	must(t, p.Go(s.URL+"/"), p.Type("#find", "outer light"), p.Key("\r"), p.WaitText("12 machines of 284"))
}

func TestPlacesList(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := open(t, s)
	must(t, p.Go(s.URL+"/devices"), p.WaitText("All places"), p.Click("[aria-haspopup=listbox]"), p.WaitText("Sandpiper Steps"), p.Click("[role=option]:nth-of-type(3)"), p.WaitText("machines of 284"))
	if got := p.Address(); got != `/devices?where=place="Gull Quay"` {
		t.Errorf("choosing a place leads to %s", got)
	}
}

func TestKeyboardAlone(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := open(t, s)
	must(t, p.WaitText("What stands in the way"))
	for range 40 {
		must(t, p.Key("\t"))
		if p.Count("[data-disposition=reconfigure]:focus-visible") == 1 {
			must(t, p.Key("\r"), p.WaitText("74 machines of 284"))
			return
		}
	}
	t.Error("the tab key does not reach a count")
}

func TestReleases(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := open(t, s)
	must(t, p.Go(s.URL+"/releases"), p.WaitText("Fathom 9"), p.Click("tbody a"), p.WaitText("End of support"), p.WaitText("Required"), p.WaitText("Machines that fail it"))
}

func TestEmptyService(t *testing.T) {
	s := servertest.Start(t, web.Console())
	p := open(t, s)
	must(t, p.WaitText("No machine has been inventoried yet."), p.WaitText("rolltop submit"), p.Go(s.URL+"/releases"), p.WaitText("No release document has been added."), p.Go(s.URL+"/nowhere"), p.WaitText("There is no such page."))
}

func TestSignInAndOut(t *testing.T) {
	s := servertest.Start(t, web.Console())
	p, err := chromium.Open()
	must(t, err)
	t.Cleanup(p.Close)
	must(t, p.Go(s.URL+"/devices"), p.Type("#name", "demo"), p.Type("#password", "wrong"), p.Click("button[type=submit]"), p.WaitText("the name or the password is not right"))
	must(t, p.Type("#password", servertest.Password), p.Click("button[type=submit]"), p.WaitText("Sign out"), p.WaitText("0 machines"))
	must(t, p.Click("nav button"), p.WaitText("Sign in to see"))
}

// What is not there says so and offers a way on.
func TestTrouble(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p, err := chromium.Open()
	must(t, err)
	t.Cleanup(p.Close)
	must(t, p.SignIn(s.URL, "demo", servertest.Password), p.Go(s.URL+"/devices/gull-999"), p.WaitText(`there is no machine "gull-999"`), p.WaitText("Try again"))
	must(t, p.Go(s.URL+"/devices?where=colour%3Dred"), p.WaitText(`the filter has no key "colour"`))
}

// Nothing lies beside a small window, in light and dark.
func TestSmallWindow(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := open(t, s)
	for _, dark := range []bool{false, true} {
		must(t, p.Dark(dark), p.Size(390, 800))
		for _, path := range []string{"/", "/devices/lant-001", "/releases/skerry-12"} {
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
