package web_test

import (
	"testing"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
	"rolltop.example/rolltop/web"
)

// A question before something that cannot be taken back is one of the console's own: it
// says what happens, Escape and Cancel change nothing, and the answer that changes nothing
// has the focus.
func TestConfirm(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	p := open(t, s)
	const remove = "[aria-labelledby=history] > button"
	ask := func() {
		t.Helper()
		must(t, p.Click(remove), p.WaitText("Remove GULL-021?"), p.WaitText("permanently"))
	}
	must(t, p.Go(s.URL+"/machines/gull-021"), p.WaitText("Remove machine"))
	ask()
	focus, err := p.Run(
		`(async () => { await new Promise((r) => setTimeout(r, 100)); return document.activeElement.textContent.trim() })()`)
	if err != nil || focus != `"Cancel"` {
		t.Errorf("the focus is on %q, %v", focus, err)
	}
	must(t, p.Key("\x1b"), p.WaitGone("[data-confirm]"))
	ask()
	must(t, p.Click("[role=dialog] button"), p.WaitGone("[data-confirm]"))
	if _, err := s.Client.Machine(t.Context(), "gull-021"); err != nil {
		t.Fatalf("a question that was answered no removed the machine: %v", err)
	}
	ask()
	must(t, p.Click("[data-confirm]"), p.WaitGone("[aria-labelledby=history]"))
	if _, err := s.Client.Machine(t.Context(), "gull-021"); err == nil {
		t.Error("the machine is still there")
	}
}

// A name that is taken is asked about before it is used again: a saved filter, a user and a webhook of somebody else
// are not replaced unseen.
func TestTakenNames(t *testing.T) {
	s := servertest.Demo(t, web.Console())
	ctx := t.Context()
	_, err := s.Client.SetFilter(ctx, "Parts", api.SetFilter{Filter: "class=mac"})
	must(t, err)
	_, err = s.Client.SetUser(ctx, "clerk", api.SetUser{Role: "viewer", Sites: []string{"Gull Quay"}})
	must(t, err)
	p := open(t, s)
	save := func() {
		t.Helper()
		must(t, p.Go(s.URL+"/machines?where=class%3Dpc"), p.WaitText("Save this filter"),
			p.Press("main", "Save this filter"), p.Type("#filter-name", "Parts"), p.Key("\r"),
			p.WaitText("Replace the filter Parts?"), p.WaitText("It is class=mac, saved by"))
	}
	holds := func(want string) {
		t.Helper()
		f, err := s.Client.Filter(ctx, "Parts")
		must(t, err)
		expect.Same(t, "the saved filter", f.Filter, want)
	}
	save()
	must(t, p.Key("\x1b"), p.WaitGone("[data-confirm]"))
	holds("class=mac")
	save()
	must(t, p.Click("[data-confirm]"), p.WaitGone("#filter-name"))
	holds("class=pc")

	must(t, p.Go(s.URL+"/settings?kind=people"), p.WaitText("Tokens"),
		p.Type("form[aria-label='Add user'] input", "clerk"),
		p.Key("\r"), p.WaitText("clerk is a user already: viewer, Gull Quay."),
		p.Key("\x1b"), p.WaitGone("[data-confirm]"))
	u, err := s.Client.User(ctx, "clerk")
	must(t, err)
	expect.Same(t, "the role", u.Role, "viewer")
}
