// Package browser drives a headless Chromium for the console's tests and its
// screenshots.
package browser

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"strings"
	"sync"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
)

// patience bounds every wait for something to show.
const patience = 20 * time.Second

// Browser is a running Chromium with a profile of its own.
type Browser struct {
	ctx    context.Context
	cancel func()
	dir    string
}

// Find names the Chromium of this machine, or "".
func Find() string {
	for _, name := range []string{"chromium", "chromium-browser"} {
		if path, err := exec.LookPath(name); err == nil {
			return path
		}
	}
	return ""
}

// Start starts a Chromium.
func Start() (*Browser, error) {
	path := Find()
	if path == "" {
		return nil, errors.New("there is no chromium; apt-get install chromium")
	}
	dir, err := os.MkdirTemp("", "rolltop-browser-")
	if err != nil {
		return nil, err
	}
	opts := []chromedp.ExecAllocatorOption{
		chromedp.ExecPath(
			path), chromedp.UserDataDir(dir), chromedp.Headless, chromedp.NoSandbox, chromedp.DisableGPU,
		chromedp.WindowSize(1280, 800),
	}
	for _, f := range []string{
		"disable-quic", "no-first-run", "disable-background-networking", "disable-component-update", "disable-sync",
	} {
		opts = append(opts, chromedp.Flag(f, true))
	}
	alloc, stopAlloc := chromedp.NewExecAllocator(context.Background(), opts...)
	ctx, stop := chromedp.NewContext(alloc)
	b := &Browser{ctx: ctx, dir: dir, cancel: func() { stop(); stopAlloc() }}
	if err := chromedp.Do(ctx, chromedp.Navigate("about:blank")); err != nil {
		b.Close()
		return nil, err
	}
	return b, nil
}

// Close ends the browser and removes its profile.
func (b *Browser) Close() {
	b.cancel()
	_ = os.RemoveAll(b.dir)
}

// Page is a tab with cookies of its own.
type Page struct {
	ctx   context.Context
	close func()

	mu       sync.Mutex
	troubles []string
}

// Open opens a tab.
func (b *Browser) Open() (*Page, error) {
	ctx, cancel := chromedp.NewContext(b.ctx, chromedp.WithNewBrowserContext())
	p := &Page{ctx: ctx, close: cancel}
	if err := p.Do(chromedp.EmulateViewport(1280, 800)); err != nil {
		cancel()
		return nil, err
	}
	go func() {
		for m, err := range chromedp.Console(ctx) {
			if err != nil {
				return
			}
			if m.IsException() || m.Type == "error" || m.Type == "warning" {
				p.mu.Lock()
				p.troubles = append(p.troubles, m.String())
				p.mu.Unlock()
			}
		}
	}()
	return p, nil
}

// Close closes the tab.
func (p *Page) Close() { p.close() }

// Troubles are the errors and warnings that the page wrote to its console,
// refused resources and requests that failed among them.
func (p *Page) Troubles() []string {
	p.mu.Lock()
	defer p.mu.Unlock()
	return append([]string(nil), p.troubles...)
}

// Do runs steps within the time limit.
func (p *Page) Do(steps ...chromedp.Action[chromedp.Void]) error {
	// The first run makes the tab, which must not be bound to a time limit.
	if err := chromedp.Do(p.ctx); err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	return chromedp.Do(ctx, steps...)
}

// Go opens an address.
func (p *Page) Go(address string) error { return p.Do(chromedp.Navigate(address)) }

// WaitText waits until the page shows a text.
func (p *Page) WaitText(text string) error {
	ctx, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	_, err := chromedp.Run(ctx,
		chromedp.Poll[bool](fmt.Sprintf("document.body && document.body.innerText.includes(%q)", text)))
	if err != nil {
		return fmt.Errorf("the page does not show %q: %w; it shows:\n%s", text, err, p.Text("body"))
	}
	return nil
}

// WaitGone waits until no element matches.
func (p *Page) WaitGone(css string) error { return p.Do(chromedp.WaitNotPresent(chromedp.CSS(css))) }

// Text is the visible text of an element, or "".
func (p *Page) Text(css string) string {
	ctx, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	s, err := chromedp.Run(ctx,
		chromedp.Evaluate[string](fmt.Sprintf("(document.querySelector(%q) || {innerText: ''}).innerText", css)))
	if err != nil {
		return ""
	}
	return strings.TrimSpace(s)
}

// Count is how many elements there are.
func (p *Page) Count(css string) int {
	ctx, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	n, err := chromedp.Run(ctx, chromedp.Evaluate[int](fmt.Sprintf("document.querySelectorAll(%q).length", css)))
	if err != nil {
		return -1
	}
	return n
}

// Width is how wide the page's content is.
func (p *Page) Width() int {
	ctx, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	n, err := chromedp.Run(ctx, chromedp.Evaluate[int]("document.documentElement.scrollWidth"))
	if err != nil {
		return -1
	}
	return n
}

// Style is the computed value of a style property of an element, as scripts
// name it.
func (p *Page) Style(css, property string) (string, error) {
	ctx, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	return chromedp.Run(ctx,
		chromedp.Evaluate[string](fmt.Sprintf("getComputedStyle(document.querySelector(%q))[%q]", css, property)))
}

// Address is the path and query that the page is at.
func (p *Page) Address() string {
	ctx, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	s, _ := chromedp.Run(ctx,
		chromedp.Evaluate[string]("decodeURIComponent(location.pathname + location.search.replaceAll('+', ' '))"))
	return s
}

// Click clicks an element.
func (p *Page) Click(css string) error {
	return p.Do(chromedp.WaitVisible(chromedp.CSS(css)), chromedp.Click(chromedp.CSS(css)))
}

// Type types into a field that it empties first.
func (p *Page) Type(css, text string) error {
	empty := fmt.Sprintf("(e => { e.focus(); e.select() })(document.querySelector(%q))", css)
	if err := p.Do(chromedp.WaitVisible(chromedp.CSS(css))); err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	if _, err := chromedp.Run(ctx, chromedp.Evaluate[any](empty)); err != nil {
		return err
	}
	return chromedp.Do(ctx, chromedp.SendKeys(chromedp.CSS(css), text))
}

// found is what find has found.
const found = "[data-found]"

// find waits for what is called so within an element, as a person finds it: a button, a link or a choice by its text,
// a field by its label. A name may be the beginning of it. It answers what it is: SELECT, or INPUT with its type.
func (p *Page) find(within, name string) (what string, err error) {
	js := fmt.Sprintf(`(() => {
		const named = 'label, button, a, [role=option], summary, [aria-label]'
		for (const w of document.querySelectorAll(%q)) for (const e of w.querySelectorAll(named)) {
			if (!(e.getAttribute('aria-label') ?? e.textContent).trim().startsWith(%q)) continue
			const it = e.control ?? e
			document.querySelectorAll(%q).forEach((o) => o.removeAttribute('data-found'))
			it.setAttribute('data-found', '')
			return (it.tagName + ' ' + (it.type ?? '')).trim()
		}
		return ''
	})()`, within, name, found)
	ctx, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	if what, err = chromedp.Run(ctx, chromedp.Poll[string](js)); err != nil {
		return "", fmt.Errorf("nothing in %s is called %q: %w", within, name, err)
	}
	return what, nil
}

// Press clicks the button, the link or the choice that is called so, within an element. The beginning of its name is
// enough.
func (p *Page) Press(within, name string) error {
	if _, err := p.find(within, name); err != nil {
		return err
	}
	return p.Click(found)
}

// Fill gives a value to the field of a label, within an element: it types a text, chooses from a list, or sets a day.
func (p *Page) Fill(within, label, value string) error {
	what, err := p.find(within, label)
	if err != nil {
		return err
	}
	if what != "INPUT date" && !strings.HasPrefix(what, "SELECT") {
		return p.Type(found, value)
	}
	js := fmt.Sprintf("(e => { e.value = %q; for (const k of ['input', 'change']) "+
		"e.dispatchEvent(new Event(k, { bubbles: true })); return e.value === %q })(document.querySelector(%q))",
		value, value, found)
	ctx, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	if taken, err := chromedp.Run(ctx, chromedp.Evaluate[bool](js)); err != nil || !taken {
		return fmt.Errorf("the field %q does not accept %q: %w", label, value, err)
	}
	return nil
}

// Replace replaces a text within what a field holds, as typing would.
func (p *Page) Replace(css, was, is string) error {
	js := fmt.Sprintf("(e => { e.value = e.value.replace(%q, %q); e.dispatchEvent(new Event('input')) "+
		"})(document.querySelector(%q))", was, is, css)
	ctx, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	_, err := chromedp.Run(ctx, chromedp.Evaluate[any](js))
	return err
}

// Upload chooses a file in a field for files.
func (p *Page) Upload(css, path string) error {
	return p.Do(chromedp.SetUploadFiles(chromedp.CSS(css), []string{path}))
}

// Key presses a key.
func (p *Page) Key(keys string) error { return p.Do(chromedp.KeyEvent(keys)) }

// SignIn signs in to the console at an address.
func (p *Page) SignIn(address, name, password string) error {
	return errors.Join(p.Go(address), p.Type("#name", name), p.Type("#password", password),
		p.Click("button[type=submit]"), p.WaitText("Sign out"))
}

// Run runs a script of promises, and gives what it comes to as JSON. The page's
// policy does not hold for it.
func (p *Page) Run(script string) (string, error) {
	ctx, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	begin := "window.__said = undefined; (async () => { try { window.__said = JSON.stringify((await (" + script +
		")) ?? null) } catch (e) { window.__said = JSON.stringify(String(e)) } })(); true"
	if _, err := chromedp.Run(ctx, chromedp.Evaluate[bool](begin)); err != nil {
		return "", err
	}
	if _, err := chromedp.Run(ctx, chromedp.Poll[bool]("window.__said !== undefined")); err != nil {
		return "", err
	}
	return chromedp.Run(ctx, chromedp.Evaluate[string]("window.__said"))
}

// Dark makes the page believe that the system is dark, or light.
func (p *Page) Dark(dark bool) error {
	scheme := "light"
	if dark {
		scheme = "dark"
	}
	ctx, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	_, err := chromedp.Call(ctx, emulation.SetEmulatedMedia,
		emulation.SetEmulatedMediaParams{Features: []*emulation.MediaFeature{{Name: "prefers-color-scheme",
			Value: scheme}}})
	return err
}

// Size changes the size of the window.
func (p *Page) Size(width, height int64) error { return p.Do(chromedp.EmulateViewport(width, height)) }

// Scroll brings an element to the top of the window.
func (p *Page) Scroll(css string) error {
	ctx, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	_, err := chromedp.Run(ctx,
		chromedp.Evaluate[any](fmt.Sprintf("(e => { e.scrollIntoView() })(document.querySelector(%q))", css)))
	return err
}

// Picture is a PNG of the window; of the whole page with full.
func (p *Page) Picture(full bool) ([]byte, error) {
	ctx, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	if _, err := chromedp.Run(ctx, chromedp.Poll[bool]("document.fonts.status === 'loaded'")); err != nil {
		return nil, err
	}
	if full {
		return chromedp.Run(ctx, chromedp.FullScreenshot(100))
	}
	return chromedp.Run(ctx, chromedp.CaptureScreenshot())
}
