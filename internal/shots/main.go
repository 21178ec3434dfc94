// Shots takes the pictures of the console for the documentation, from a running
// demo.
package main

import (
	"errors"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"rolltop.example/rolltop/internal/browser"
)

func main() {
	server := flag.String("server", "http://127.0.0.1:8470", "address of the demo")
	password := flag.String("password", "", "its password")
	dir := flag.String("dir", "docs/screenshots", "where the pictures go")
	page := flag.String("page", "", "take only this path, as page.png")
	dark := flag.Bool("dark", false, "dark")
	width := flag.Int64("width", 1280, "width of the window")
	height := flag.Int64("height", 800, "height of the window")
	full := flag.Bool("full", false, "the whole page, with -page")
	wait := flag.String("wait", "", "wait for this text, with -page")
	click := flag.String("click", "", "click on this element before, with -page")
	then := flag.String("then", "", "wait for this text after the click")
	flag.Parse()
	if err := run(*server, *password, *dir, *page, *wait, *click, *then, *dark, *full, *width, *height); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

// pages of the documentation: path, text to wait for, whole page, name.
var pages = []struct {
	path, wait, name string
	full             bool
}{
	{"/", "Failing requirements", "fleet", false},
	{"/machines?where=support%3Dover,30,180&sort=ends", "machines of", "machines", false},
	{"/machines/lant-001", "The plan, in this order", "machine", true},
	{"/machines/matrix?where=fails%3Dtpm,memory&sort=needs.memory", "machines, target", "matrix", false},
	{"/work", "In the best order", "work", false},
	{"/work?tab=waves", "New wave", "waves", false},
	{"/work?tab=visits", "Days with visits", "visits", false},
	{"/work?tab=parts", "Record arrival", "orders", true},
	{"/work?tab=questions", "an answer is expected", "questions", false},
	{"/api/v1/fleet/briefing/page", "Counted when this page", "briefing", true},
	{"/intake", "never reported", "intake", false},
	{"/api/v1/machines/gull-101/report", "Not met", "report", false},
}

// work takes the pictures of a visit on a phone, and of what work has come
// to.
func work(p *browser.Page, server, dir string) error {
	err := errors.Join(p.Go(server+"/machines/nslip-033"), p.WaitText("History"),
		p.Click("[aria-labelledby=history] button"), p.WaitText("Steps of the plan as it was"))
	if err == nil {
		err = save(p, dir, "results")
	}
	if err == nil {
		err = errors.Join(p.Go(server+"/machines/gull-101"), p.WaitText("Visit sheet"), p.Click("[data-visit]"),
			p.WaitText("Scan this"))
	}
	if err != nil {
		return err
	}
	link := p.Text("[role=dialog] a")
	err = errors.Join(p.Size(430, 932), p.Go(link), p.WaitText("Key: F2"),
		p.Type("input[name=name]", "Ada"), p.Type(".card:nth-of-type(2) input", "only the sign-in key of the counter"),
		p.Click(".card:nth-of-type(2) button"))
	if err != nil {
		return err
	}
	_ = p.WaitText("Recorded as done") // the page may be left while it is looked at
	err = errors.Join(p.WaitText("Recorded as done"), p.Scroll(".card:nth-of-type(2)"),
		save(p, dir, "visit"))
	if err != nil {
		return err
	}
	// The cover page of the first round that has one.
	err = errors.Join(p.Size(1280, 800), p.Go(server+"/work?tab=visits"), p.WaitText("cover page"))
	if err != nil {
		return err
	}
	cover, err := p.Run("document.querySelector('[aria-labelledby=week] td a[target]').href")
	if err != nil {
		return err
	}
	return errors.Join(p.Go(strings.Trim(cover, `"`)), p.WaitText("Parts to take"), save(p, dir, "cover"))
}

func save(p *browser.Page, dir, name string) error {
	png, err := p.Picture(false)
	if err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(dir, name+".png"), png, 0o644)
}

// importing takes the picture of the tutorial's list of processors.
func importing(p *browser.Page, server, dir string) error {
	page, err := filepath.Abs("docs/tutorial/processors.html") // the browser has another directory
	if err != nil {
		return err
	}
	err = errors.Join(p.Go(server+"/releases/import"), p.WaitText("Page or table"),
		p.Upload("input[type=file]", page), p.WaitText("Left out"),
		p.Click("fieldset label:nth-of-type(2) input"), p.Click("fieldset label:nth-of-type(3) input"),
		p.WaitText("describes a series"), p.Scroll("table"))
	if err != nil {
		return err
	}
	return save(p, dir, "import-list")
}

// whatIf takes the picture of what another floor would do.
func whatIf(p *browser.Page, server, dir string) error {
	err := errors.Join(p.Go(server+"/releases/skerry-12/edit"), p.WaitText("No mistakes."),
		p.Replace("textarea", "need: {fact: memory.installed_bytes, at_least: 6 GiB}",
			"need: {fact: memory.installed_bytes, at_least: 12 GiB}"), p.WaitText("No mistakes."),
		p.Click("[aria-labelledby=what-if] input[type=checkbox]"),
		p.Click("[aria-labelledby=what-if] button"), p.WaitText("fewer would be ready"),
		p.Scroll("[aria-labelledby=what-if]"))
	if err != nil {
		return err
	}
	return save(p, dir, "what-if")
}

func run(server, password, dir, page, wait, click, then string, dark, full bool, width, height int64) error {
	b, err := browser.Start()
	if err != nil {
		return err
	}
	defer b.Close()
	p, err := b.Open()
	if err != nil {
		return err
	}
	defer p.Close()
	if err := errors.Join(p.Size(width, height), p.Dark(dark)); err != nil {
		return err
	}
	if password != "" {
		if err := p.SignIn(server, "demo", password); err != nil {
			return err
		}
	}
	list := pages
	if page != "" {
		list = list[:1]
		list[0].path, list[0].wait, list[0].name, list[0].full = page, wait, "page", full
	}
	for _, one := range list {
		if err := p.Go(server + one.path); err != nil {
			return err
		}
		if one.wait != "" {
			if err := p.WaitText(one.wait); err != nil {
				return err
			}
		}
		if click != "" {
			if err := p.Click(click); err != nil {
				return err
			}
			if err := p.WaitText(then); err != nil {
				return err
			}
		}
		png, err := p.Picture(one.full)
		if err != nil {
			return err
		}
		if err := os.WriteFile(filepath.Join(dir, one.name+".png"), png, 0o644); err != nil {
			return err
		}
	}
	if page == "" {
		if err := errors.Join(work(p, server, dir), p.Size(width, height), whatIf(p, server, dir)); err != nil {
			return err
		}
		// A page with changes that are not saved is left to nobody: the next is a new one.
		if p, err = b.Open(); err != nil {
			return err
		}
		defer p.Close()
		if err := errors.Join(p.Size(width, height), p.SignIn(server, "demo", password),
			importing(p, server, dir)); err != nil {
			return err
		}
	}
	for _, t := range p.Troubles() {
		fmt.Println("console:", t)
	}
	return nil
}
