package web_test

import (
	"testing"

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
