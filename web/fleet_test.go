package web_test

import (
	"os"
	"path/filepath"
	"testing"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
	"rolltop.example/rolltop/internal/servertest"
	"rolltop.example/rolltop/internal/standin"
	"rolltop.example/rolltop/web"
)

// Many machines are written on at once; a filter is saved; columns stand in the
// address; pages go from mark to mark.
func TestManyAtOnce(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := open(t, s)
	must(t, p.Go(s.URL+"/machines?where=disposition%3Drefit"), p.WaitText("30 machines of 284"),
		p.WaitText("Edit all 30 machines"),
		p.Click("[aria-expanded=false].underline"), p.Type("#add-tag", "order-parts"), p.Key("\r"),
		p.WaitText("Tag 30 machines?"), p.WaitText("CORB-002"), p.Click("[data-confirm]"),
		p.WaitText("30 machines were changed."), p.WaitText("Tags ▾"))
	if l, err := s.Client.MachineList(t.Context(), client.List{Where: "tag=order-parts"}); err != nil || l.Total != 30 {
		t.Errorf("%d are tagged, %v", l.Total, err)
	}
	// Only those that are chosen.
	must(t, p.Press("tbody", "Select "), p.WaitText("Edit one machine"),
		p.Type("#take-tag", "order-parts"), p.Key("\r"), p.Click("[data-confirm]"),
		p.WaitText("One machine was changed."), p.Press("[role=status]", "Undo"), p.WaitText("undone on one machine"))
	must(t, p.Type("#take-tag", "order-parts"), p.Key("\r"), p.Click("[data-confirm]"),
		p.WaitText("One machine was changed."))
	must(t, p.Go(s.URL+"/machines?where=tag%3Dorder-parts&columns=memory.installed_bytes"),
		p.WaitText("29 machines of 284"), p.WaitText("Memory"), p.WaitText("GiB"),
		p.Click("th:last-child button"), p.WaitText("↑"))
	if got := p.Address(); got != "/machines?where=tag=order-parts&"+
		"sort=memory.installed_bytes&columns=memory.installed_bytes" {
		t.Errorf("the address is %s", got)
	}
	must(t, p.Go(s.URL+"/machines?where=tag%3Dorder-parts"), p.WaitText("Save this filter"))
	if _, err := p.Run(
		`(async () => [...document.querySelectorAll('button')].find((b) => b.textContent.includes('Save this filter')).click())()`); err != nil {
		t.Fatal(err)
	}
	must(t, p.WaitText("Name"), p.Type("#filter-name", "Parts"), p.Key("\r"), p.WaitText("Saved:"))
	must(t, p.Go(s.URL+"/machines"), p.WaitText("Page 1 of 6"), p.Click("nav[aria-label=Pages] button:last-child"),
		p.WaitText("Page 2 of 6"), p.Click("nav[aria-label=Pages] button:last-child"), p.WaitText("Page 3 of 6"),
		p.Click("nav[aria-label=Pages] button:first-child"), p.WaitText("Page 2 of 6"))
}

// What other people do shows on an open page by itself.
func TestOpenPageHearsOfChanges(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := open(t, s)
	tag := func(keys ...string) {
		t.Helper()
		if _, err := s.Client.Change(t.Context(), api.MachineChanges{Keys: keys, Tag: []string{"news"}}); err != nil {
			t.Fatal(err)
		}
	}
	tag("lant-001")
	must(t, p.Go(s.URL+"/machines?where=tag%3Dnews"), p.WaitText("LANT-001"))
	tag("gull-001", "gull-002")
	must(t, p.WaitText("3 machines of 284"), p.WaitText("GULL-002"))
}

// A possible duplicate is resolved on the page; the matrix says what each machine has; the fleet page
// leads to causes, and shows its progress with a table behind.
func TestDuplicatesMatrixProgress(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	must(t, standin.Furnish(t.Context(), s, s.Now()))
	p := open(t, s)
	must(t, p.Go(s.URL+"/"), p.WaitText("more machines are ready since"),
		p.WaitText("Reading a fact requires administrator rights"), p.Click("[aria-labelledby=progress] summary"),
		p.WaitText("Undetermined"))
	if p.Count("[aria-labelledby=progress] tbody tr") < 10 {
		t.Error("the chart has no table behind it")
	}
	must(t, p.Go(s.URL+"/machines?where=duplicate%3Dyes"), p.WaitText("the inventory of"),
		p.WaitText("Only the host name and the model"), p.Click("[data-duplicate=weak] button"),
		p.WaitText("No machine matches."))
	must(t, p.Go(s.URL+"/machines/matrix?where=site%3D%22Gull+Quay%22"),
		p.WaitText("machines, target Skerry 12"), p.Press("thead tr", "Installed memory"), p.WaitText("↑"))
	if p.Count("td[data-outcome=fail]") == 0 || p.Count("td[data-outcome=pass]") == 0 {
		t.Error("the grid says nothing")
	}
	must(t, p.Go(s.URL+"/intake"), p.WaitText("6 of 8 expected machines never reported."))
}

// A spreadsheet asks what it does not say, shows what becomes of it, and is kept then.
func TestSpreadsheet(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	file := filepath.Join(t.TempDir(), "machines.csv")
	must(t, os.WriteFile(file,
		[]byte("Name,Serial,Model,RAM\nSHEET-1,S1,Slipway 14,8\nSHEET-2,S2,Slipway 14,lots\n,,,4\n"), 0o600))
	p := open(t, s)
	choose := func(label, value string) error {
		_, err := p.Run(`(async () => { let e; while (!(e = document.querySelector("select[aria-label='` + label +
			`']"))) await new Promise((r) => setTimeout(r, 20)); e.value = '` + value +
			`'; e.dispatchEvent(new Event('change')) })()`)
		return err
	}
	must(t, p.Go(s.URL+"/intake"), p.WaitText("From files"), p.Upload("input[type=file]", file),
		p.WaitText("3 rows. Answer the questions"),
		choose("Meaning of RAM", "memory.installed_bytes"), p.WaitText("memory that is plugged in"),
		choose("Unit of RAM", "GiB"), p.WaitText("2 of 3 rows are machines."), p.WaitText("8 GiB"),
		p.WaitText(`"lots" is not a value`))
	if _, err := p.Run(
		`(async () => [...document.querySelectorAll('button')].find((b) => b.textContent.includes('Import 2 machines')).click())()`); err != nil {
		t.Fatal(err)
	}
	must(t, p.WaitText("Imported."), p.WaitText("2 new machines"), p.WaitText("the row names no machine"),
		p.WaitText("Undo the import"))
	if l, err := s.Client.MachineList(t.Context(), client.List{Where: "sheet-"}); err != nil || l.Total != 2 {
		t.Errorf("%d machines, %v", l.Total, err)
	}
}

// The first administrator is made on the page that the link opens.
func TestFirstPage(t *testing.T) {
	s := servertest.StartNew(t, servertest.Options{Console: web.Console()})
	path, err := s.Invite(t.Context())
	must(t, err)
	p, err := chromium.Open()
	must(t, err)
	t.Cleanup(p.Close)
	must(t, p.Go(s.URL+path), p.WaitText("This link works once."), p.Type("#name", "harbour master"),
		p.Type("#password", "lantern-and-rope"), p.Key("\r"), p.WaitText("harbour master"), p.WaitText("Sign out"))
}
