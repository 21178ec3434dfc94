package web_test

import (
	"encoding/json"
	"os"
	"testing"

	"rolltop.example/rolltop/internal/browser"
	"rolltop.example/rolltop/internal/servertest"
	"rolltop.example/rolltop/internal/standin"
	"rolltop.example/rolltop/web"
)

// No page breaks a rule of accessibility that matters, in light and dark, as axe-core
// checks them (WCAG 2.2, A and AA).
func TestAccessible(t *testing.T) {
	axe, err := os.ReadFile("node_modules/axe-core/axe.min.js")
	if err != nil {
		t.Fatalf("%v; make console installs it", err)
	}
	s := servertest.Demo(t, web.Console())
	must(t, standin.Furnish(t.Context(), s, s.Now()))
	p := open(t, s)
	pages := []struct{ path, wait string }{
		{"/", "Failing requirements"},
		{"/machines", "Page 1 of"},
		{"/machines?where=duplicate%3Dyes&columns=tpm.state,memory.installed_bytes", "A different machine"},
		{"/machines/matrix", "machines, target Skerry 12"},
		{"/machines/lant-001", "The plan, in this order"},
		{"/compare?a=lant-001&b=gull-001", "Facts that differ"},
		{"/releases", "Skerry 13"},
		{"/releases/skerry-12", "Required"},
		{"/releases/skerry-12/edit", "No mistakes."},
		{"/work", "In the best order"},
		{"/work?tab=visits", "Steps"},
		{"/work?tab=remote", "starts with a pilot"},
		{"/work?tab=parts", "Before ordering"},
		{"/work?tab=questions", "Each question is asked once"},
		{"/work?tab=watch", "Failed in a wave"},
		{"/work?tab=decisions", "Add decision"},
		{"/work?tab=waves", "New wave"},
		{"/work/waves/2", "Hand off"},
		{"/releases/changes/1", "By requirement"},
		{"/releases/skerry-13", "Preview changes"},
		{"/machines/gull-001", "When the machine leaves"},
		{"/intake", "never reported"},
		{"/settings", "Your document 1"},
		{"/settings?kind=keeping", "Webhooks"},
		{"/settings?kind=people", "Tokens"},
		{"/settings?kind=audit", "Audit log"},
		{"/first#x", "First administrator"},
	}
	for _, dark := range []bool{false, true} {
		must(t, p.Dark(dark))
		for _, page := range pages {
			must(t, p.Go(s.URL+page.path), p.WaitText(page.wait))
			found := violations(t, p, string(axe))
			for _, v := range found {
				t.Errorf("%s%s breaks %s", page.path, map[bool]string{true: ", dark,"}[dark], v)
			}
		}
	}
	// The check itself: what is planted is found.
	if _, err := p.Run(`(async () => {
		document.querySelector('main').innerHTML = '<button></button><p>pale</p>'
		Object.assign(document.querySelector('main p').style, {color: '#ccc', background: '#fff'})
	})()`); err != nil {
		t.Fatal(err)
	}
	if found := violations(t, p, string(axe)); len(found) != 2 {
		t.Errorf("of a button without a name and a pale text %v is found", found)
	}
}

// violations are the rules that matter and that a page breaks.
func violations(t *testing.T, p *browser.Page, axe string) []string {
	t.Helper()
	if _, err := p.Run("(async () => {" + axe + "; return true })()"); err != nil {
		t.Fatal(err)
	}
	said, err := p.Run(
		`window.axe.run(document, {resultTypes: ['violations'], runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa']}).then((r) =>
		r.violations.filter((v) => ['serious', 'critical'].includes(v.impact)).map((v) => v.id + ': ' + v.help + ' – ' + v.nodes.slice(0, 3).map((n) => n.html.slice(0, 160) + ' ' + (n.any[0]?.message ?? '')).join(' | ')))`)
	if err != nil {
		t.Fatal(err)
	}
	var found []string
	if err := json.Unmarshal([]byte(said), &found); err != nil {
		t.Fatal(said)
	}
	return found
}
