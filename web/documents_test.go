package web_test

import (
	"os"
	"path/filepath"
	"testing"

	"rolltop.example/rolltop/internal/servertest"
	"rolltop.example/rolltop/web"
)

// Questions about the whole fleet are answered when they are opened, and an answer leads to its machines.
func TestAnswersOfTheFleet(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := open(t, s)
	must(t, p.Go(s.URL+"/"), p.WaitText("Questions and answers"), p.Click("[aria-labelledby=answers] button"),
		p.WaitText("Which machines lose support before the release is offered to them?"),
		p.WaitText("Remove Lampwright; buy a newer version of Counterfoil"),
		p.Press("[aria-labelledby=answers]", "Eight machines lose support"), p.WaitText("8 machines of 284"))
	if got := p.Address(); got != "/machines?where=offer=late" {
		t.Errorf("the answer leads to %s", got)
	}
}

// A newer page of the publisher is compared with the one that is kept; requirements show their words.
func TestKeptPage(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := openRefused(t, s)
	newer := filepath.Join(t.TempDir(), "newer.html")
	must(t, os.WriteFile(newer, []byte("<body><p>Memory: 8 GB; we recommend 12 GB</p></body>"), 0o600))
	must(t, p.Go(s.URL+"/releases/skerry-12"), p.WaitText("“6 GB; we recommend 12 GB”"),
		p.Press("aside", "▸ Text of the page requirements"), p.WaitText("Lampwright stops the system."),
		p.Upload("aside input[type=file]", newer), p.WaitText("Seven requirements point to words that are gone."),
		p.WaitText("Now: “Memory: 8 GB; we recommend 12 GB”"))
	blank := filepath.Join(t.TempDir(), "blank.html")
	must(t, os.WriteFile(blank, []byte("<body><img src=x></body>"), 0o600), p.Upload("aside input[type=file]", blank),
		p.WaitText("has no text"))
	must(t, p.Go(s.URL+"/machines/corb-002"), p.WaitText("The plan, in this order"),
		p.Press("[data-requirement=memory]", "Evidence"),
		p.WaitText("The publisher's page of 8 October 2026"))
}

// A table of applications becomes the section of a release document; a state that is not known is named by hand.
func TestImportApplications(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := open(t, s)
	table := filepath.Join(t.TempDir(), "applications.csv")
	must(t, os.WriteFile(table, []byte("Application,Versions,Status\nTidebook,4.0 or later,supported\n"+
		"Hawser VPN,before 2.8,works with limits\n"), 0o600))
	must(t, p.Go(s.URL+"/releases/import"), p.WaitText("Page or table of applications"),
		p.Upload("h2 ~ label input[type=file]", table), p.WaitText("One application"),
		p.WaitText(`the state "works with limits" is unknown`),
		p.Fill("main", "What the page calls a state", "works with limits=problem"), p.Key("\t"),
		p.WaitText("2 applications"), p.WaitText("has a known problem"), p.WaitText("software:"))
}

// Further work stands below what the requirements ask for, with its weight, and leads to its machines.
func TestFurtherWork(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := open(t, s)
	must(t, p.Go(s.URL+"/work?tab=remote"), p.WaitText("Further work: no disposition depends on it"),
		p.WaitText("Remove applications that are incompatible"), p.WaitText("required on 4"),
		p.Press("[aria-labelledby=further]", "4 machines: Remove applications"), p.WaitText("4 machines of 284"))
}
