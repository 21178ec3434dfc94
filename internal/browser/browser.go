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
