package web_test

import (
	"testing"
	"time"

	"rolltop.example/rolltop/internal/browser"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
	"rolltop.example/rolltop/internal/standin"
	"rolltop.example/rolltop/web"
)

// The work of the fleet is gathered, given to somebody, ticked, and counted back on its
// page.
func TestWork(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	must(t, standin.Furnish(t.Context(), s, s.Now()))
	p := open(t, s)
	must(t, p.Go(s.URL+"/work"), p.WaitText("68 visits at nine sites"), p.WaitText("Firmware: TPM on"),
		p.WaitText("From 102 to 235 of 265 machines ready"))
	// A number leads to its machines.
	must(t, p.Click("[aria-labelledby=order] tbody tr:first-child a"), p.WaitText("17 machines of 284"))
	must(t, p.Go(s.URL+"/work?tab=visits"), p.WaitText("NSLIP-003"), p.Click("[aria-label='Select NSLIP-003']"),
		p.WaitText("Assign one visit to"), p.Click("#overwrite"), p.Type("#who", "technician, east"), p.Key("\r"),
		p.WaitText("Assign one machine?"), p.Click("[data-confirm]"),
		p.WaitText("One machine was changed."))
	must(t, p.Click("[aria-label='Mark as done on NSLIP-003: Firmware: secure boot on']"),
		p.WaitText("The next inventory confirms it"), p.WaitText("ticked"))
	d, err := s.Client.Machine(t.Context(), "nslip-003")
	expect.NoError(t, err)
	expect.Same(t, "d.Who", d.Who, "technician, east")
	expect.That(t, `d.Check.Ticked("step/secure-boot-on") != nil`, d.Check.Ticked("step/secure-boot-on") != nil)
	must(t, p.Click("[data-site='North Slip'] [aria-haspopup=dialog]"), p.WaitText("Messages"),
		p.WaitText("A technician will come to your desk"), p.Key("\x1b"))
	// Only somebody's.
	must(t, p.Go(s.URL+"/work?tab=visits&where=assigned%3D%22technician,+east%22"), p.WaitText("300 minutes a day"))
	must(t, p.Go(s.URL+"/work?tab=parts"), p.WaitText("Confirm in the maker’s manual"),
		p.Type("[aria-label='On hand: new tablet']", "1"), p.Key("\r"), p.WaitText("new tablet: 1 on hand"))
	must(t, p.Go(s.URL+"/work?tab=questions"), p.WaitText("engineering sample"), p.Go(s.URL+"/work?tab=watch"),
		p.WaitText("HOLM-006 failed in the wave"))
}

// agree answers every question of the page with yes.
func agree(t *testing.T, p *browser.Page) {
	t.Helper()
	if _, err := p.Run(
		`(async () => { new MutationObserver(() => document.querySelector('[data-confirm]')?.click()).observe(document.body, { childList: true, subtree: true }) })()`); err != nil {
		t.Fatal(err)
	}
}

// A decision that nobody may make is refused with what would be right; one that may be
// made counts at once and is ended again.
func TestDecisions(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := openRefused(t, s)
	until := time.Now().AddDate(0, 1, 0).Format(time.DateOnly)
	must(t, p.Go(s.URL+"/machines/gull-013"), p.WaitText("Decisions"),
		p.Click("[aria-labelledby=decided] button"), p.WaitText("Until (inclusive)"))
	const decided, decide = "[aria-labelledby=decided]", "[aria-labelledby=decide]"
	must(t, p.Fill(decided, "What", "waive"),
		p.Fill(decided, "The requirement that may fail", "graphics"),
		p.Fill(decided, "Until (inclusive)", until),
		p.Fill(decided, "Reason", "Its display is a sign and shows the time"),
		p.Press(decided, "Add decision"), p.WaitText("It is for one machine."),
		p.WaitText("it can take Skerry 12 now; one requirement is waived"), p.WaitText("Accepted by demo until"))
	must(t, p.Go(s.URL+"/work?tab=decisions"), p.WaitText("One decision is in force."), p.WaitText("may fail until"))
	// The release's publisher does not let that one be waived.
	must(t, p.Go(s.URL+"/work?tab=decisions&for=key%3Dgull-001"), p.WaitText("Until (inclusive)"))
	must(t, p.Fill(decide, "What", "waive"),
		p.WaitText("Installed memory · Skerry 12"),
		p.Fill(decide, "The requirement that may fail", "memory"),
		p.Fill(decide, "Until (inclusive)", until),
		p.Fill(decide, "Reason", "It is enough"),
		p.Press(decide, "Add decision"), p.WaitText("the installer refuses"))
}

// An order is recorded for the machines that need the part, arrives, and is seen on the page of its machine; a price
// far
// from the table's is asked about.
func TestOrdersOnThePage(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	must(t, standin.Furnish(t.Context(), s, s.Now()))
	p := openRefused(t, s)
	form := "[aria-label='Record an order of new desktop']"
	must(t, p.Go(s.URL+"/work?tab=parts"), p.WaitText("gives each part once"),
		p.Click("[aria-label='Show machines: new desktop']"), p.WaitText("1 to order"),
		p.Click("[aria-label='Record order: new desktop']"), p.WaitText("Number of the order"),
		p.Fill(form, "Number of the order", "T-104"), p.Fill(form, "Price of one", "5900"),
		p.Press(form, "Record order of 8"), p.WaitText("is far from that"))
	agree(t, p)
	must(t, p.Fill(form, "Price of one", "590"), p.Press(form, "Record order of 8"),
		p.WaitText("8 ordered, for eight machines"))
	agree(t, p)
	must(t, p.Click("[aria-label^='Record arrival of order T-104']"), p.WaitText("8 arrived, for eight machines"))
	o, err := s.Client.Order(t.Context(), "T-104")
	expect.NoError(t, err)
	must(t, p.Go(s.URL+"/machines/"+o.Items[0].Machine.Key), p.WaitText("New desktop: arrived on"))
	const replacements = "[aria-labelledby=replacements]"
	must(t, p.Go(s.URL+"/work?tab=parts"), p.WaitText("GULL-041 takes its place; it has not reported yet"),
		p.Fill(replacements, "Old machine", "gull-008"), p.Fill(replacements, "Name of the new machine", "gull-041"),
		p.Press(replacements, "Record replacement"), p.WaitText("takes the place of another machine already"))
}

// A question is recorded as put to somebody, and its answer as a row of a proposal.
func TestQuestionsOnThePage(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := open(t, s)
	const list = "main li:first-of-type"
	must(t, p.Go(s.URL+"/work?tab=questions"), p.WaitText("engineering sample"),
		p.Click("[aria-label^='Record whom you asked: Corvane 0000']"), p.WaitText("Answer by"),
		p.Fill(list, "Asked", "the maker"), p.Press(list, "Record question"), p.WaitText("Asked the maker on"))
	agree(t, p)
	must(t, p.Click("[aria-label^='Record answer: Corvane 0000']"), p.WaitText("Where it is from"),
		p.Fill(list, "Answer", "yes"), p.Click(list+" form [type=submit]"), p.WaitText("Proposed as skerry-12@6"))
}

// A wave is made, filled with what may enter, handed over, and what became of a machine
// is told; a machine that may not enter is refused with the reason.
func TestWaves(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := open(t, s)
	today := time.Now().UTC()
	must(t, p.Go(s.URL+"/work?tab=waves"), p.WaitText("Start with a small pilot"),
		p.Fill("form", "Name", "Pilot"),
		p.Fill("form", "Rule: machines that can enter", `site="Gull Quay"`),
		p.Fill("form", "First day", today.Format(time.DateOnly)),
		p.Fill("form", "Last day", today.AddDate(0, 0, 6).Format(time.DateOnly)))
	must(t, p.Click("[aria-labelledby=add-wave] [type=submit]"), p.WaitText("No machines yet"),
		p.WaitText("Match the rule but cannot enter"), p.Click("[aria-labelledby=fill] button"),
		p.WaitText("machines more in the wave."))
	must(t, p.Type("[aria-labelledby=fill] input", "gull-001"), p.Key("\r"),
		p.WaitText("Not GULL-001: it is not ready (replace)"))
	agree(t, p)
	must(t, p.Click("[aria-labelledby=hand-off] button"), p.WaitText("with the deployment system."),
		p.WaitText("Under way"))
	w, err := s.Client.Wave(t.Context(), 1)
	expect.NoError(t, err)
	expect.That(t, `w.Outcomes["handed-off"] != 0`, w.Outcomes["handed-off"] != 0)
	expect.Same(t, `w.Outcomes["handed-off"]`, w.Outcomes["handed-off"], w.Machines)
	const outcomes = "[aria-labelledby=outcomes]"
	must(t, p.Fill(outcomes, "Machine", w.Members[0].Key), p.Fill(outcomes, "Why", "no room"),
		p.Press(outcomes, "Record outcome"), p.WaitText("one outcome recorded."),
		p.WaitText("no room"), p.Click("[aria-label='Try again: "+w.Members[0].Name+"']"),
		p.WaitText("Waiting"))
}

// What a draft would do is seen before it is kept; when it is in force, who changed and
// why is said.
func TestWhatIf(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := open(t, s)
	must(t, p.Go(s.URL+"/releases/skerry-12/edit"), p.WaitText("No mistakes."),
		p.Click("[aria-labelledby=what-if] button"), p.WaitText("No machine of 251 would change its disposition."))
	must(t, p.Replace("textarea", "need: {fact: memory.installed_bytes, at_least: 6 GiB}",
		"need: {fact: memory.installed_bytes, at_least: 12 GiB}"), p.WaitText("does not include your last change"),
		p.WaitText("No mistakes."),
		p.Click("[aria-labelledby=what-if] button"), p.WaitText("fewer would be ready"),
		p.WaitText("Installed memory of at least 12 GiB"), p.WaitText("By site"))
	must(t, p.Click("main > div [type=button].bg-accent"), p.WaitText("it is not in force"),
		p.Press("main", "Put revision 6 in force"), p.WaitText("fewer would be ready"),
		p.Press("[role=dialog]", "Put in force"), p.WaitText("Skerry 12, revision 6:"),
		p.WaitText("were judged again"), p.WaitText("Installed memory"))
	must(t, p.Go(s.URL+"/"), p.WaitText("Skerry 12, revision 6:"))
}

// A machine that is replaced leaves step by step, and is out of use at the end.
func TestLeaving(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := openRefused(t, s)
	must(t, p.Go(s.URL+"/machines/gull-001"), p.WaitText("When the machine leaves"),
		p.Click("[aria-label='Mark as done: Close the record']"), p.WaitText("the record cannot be closed"))
	for _, item := range []string{
		"Move the data", "Free the licences", "Remove it from management", "Lift the ownership lock", "Wipe the disk",
		"Close the record",
	} {
		must(t, p.Click("[aria-label='Mark as done: "+item+"']"), p.WaitGone("[aria-label='Mark as done: "+item+"']"))
	}
	must(t, p.WaitText("It is retired since"))
}

// The applications of the fleet: what has to go first stands first, and each number leads to its machines.
func TestApplicationTab(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := openRefused(t, s)
	must(t, p.Go(s.URL+"/work?tab=applications"), p.WaitText("Who settles it"),
		p.WaitText("To be removed first (7.3)"), p.WaitText("Version 5 has to be bought for each counter."),
		p.Click("a[aria-label='5 machines with Lampwright']"), p.WaitText("Lampwright: 5 installations"),
		p.WaitText("NARR-009"))
}
