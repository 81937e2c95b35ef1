// Command shots takes the pictures in docs/screenshots from the demo data.
package main

import (
	"context"
	"flag"
	"fmt"
	"os"
	"path/filepath"

	"readymargin/demo"
	"readymargin/e2e/browser"
	"readymargin/e2e/house"
)

// A view is a picture: who looks, where, at which size, after doing what.
type view struct {
	name, who     string
	path          string
	width, height int
	touch         bool
	prepare       func(*browser.Tab) error
}

const (
	tides   = "/assignments/2"
	symbols = "/assignments/1"
)

func sheet(t *browser.Tab) error { return t.Ready() }

func then(steps ...func(*browser.Tab) error) func(*browser.Tab) error {
	return func(t *browser.Tab) error {
		for _, s := range steps {
			if err := s(t); err != nil {
				return err
			}
		}
		return nil
	}
}

func click(selector string) func(*browser.Tab) error {
	return func(t *browser.Tab) error { return t.Click(selector) }
}

func press(p browser.Place) func(*browser.Tab) error {
	return func(t *browser.Tab) error { return t.Press(p) }
}

func typed(text string) func(*browser.Tab) error {
	return func(t *browser.Tab) error { return t.Type(text) }
}

func opened(name string) func(*browser.Tab) error {
	return func(t *browser.Tab) error { return t.Click(`[data-name="` + name + `"]`) }
}

func script(js string) func(*browser.Tab) error {
	return func(t *browser.Tab) error {
		_, err := browser.Eval[any](t, js)
		return err
	}
}

var views = []view{
	{"start-student", "rhys.pugh", "/", 1280, 800, false, nil},
	{"student-course", "mateus.ribeiro", "/courses/1/own", 1280, 800, false, nil},
	{"account", "ms.thorvald", "/account", 1280, 800, false, nil},
	{"school", "dr.amoako-lund", "/school", 1280, 800, false, nil},
	{"sign-in-card", "mr.okonjo-bell", "/courses/1/people/3", 1280, 800, false, then(click(`[value="card"]`), func(t *browser.Tab) error { return t.Until("the card", `document.querySelector(".sign-in-card")`) })},
	{"start-teacher", "mr.okonjo-bell", "/", 1280, 800, false, nil},
	{"worksheets", "mr.okonjo-bell", "/worksheets", 1280, 800, false, nil},
	{"bench", "mr.okonjo-bell", "/worksheets/3", 1280, 800, false, script(`await new Promise(r=>setTimeout(r,900))`)},
	{"sheet", "leila.haddad", tides, 1280, 800, false, then(sheet, click(`[data-place="write"] .take`), press(browser.Place{Page: 1, X: 230, Y: 340}))},
	{"form", "leila.haddad", "/assignments/3", 1280, 800, false, then(sheet, script(`await new Promise(r=>setTimeout(r,600)); if (!document.querySelector('[data-place="write"] .take[aria-pressed="true"]')) document.querySelector('[data-place="write"] .take').click()`),
		press(browser.Place{Page: 1, X: 240, Y: 160}), typed("Kittiwake"), press(browser.Place{Page: 1, X: 450, Y: 160}), typed("MQVR5"), press(browser.Place{Page: 1, X: 262, Y: 211}), press(browser.Place{Page: 1, X: 82, Y: 286}), press(browser.Place{Page: 1, X: 82, Y: 334}),
		press(browser.Place{Page: 1, X: 200, Y: 440}), script(`document.querySelectorAll(".choices input")[1].click(); document.querySelector("[data-desk]").scrollTop=0; await new Promise(r=>setTimeout(r,400))`))},
	{"submit", "leila.haddad", tides, 1280, 800, false, then(sheet, click(`[data-do="main"]`), script(`await new Promise(r=>setTimeout(r,900))`))},
	{"marking", "mr.okonjo-bell", tides + "/marking", 1280, 800, false, then(sheet, opened("Tomas Lindqvist"), script(`await new Promise(r=>setTimeout(r,600)); [...document.querySelectorAll("[data-top] button")][0].click(); await new Promise(r=>setTimeout(r,900)); document.querySelectorAll(".marker")[1].click()`))},
	{"across", "mr.okonjo-bell", tides + "/across", 1280, 800, false, script(`document.querySelectorAll("[data-asked]")[1].click(); await new Promise(r=>setTimeout(r,1500))`)},
	{"mark-book", "mr.okonjo-bell", "/courses/1/book", 1280, 800, false, nil},
	{"returned", "mateus.ribeiro", tides, 1280, 800, false, then(sheet, script(`document.querySelector(".marker").click()`))},
	{"phone", "kofi.mensah", tides, 390, 844, true, then(sheet, script(`await new Promise(r=>setTimeout(r,600))`), func(t *browser.Tab) error { return t.TapAt(browser.Place{Page: 1, X: 190, Y: 254}) })},
	{"tablet-marking", "mr.okonjo-bell", tides + "/marking", 820, 1180, true, sheet},
	{"tablet", "rhys.pugh", tides, 820, 1180, true, then(sheet, click(`[data-do="margin"]`))},
	{"wall-panel", "mr.okonjo-bell", tides + "/marking", 1920, 1080, true, sheet},
}

func main() {
	dir := flag.String("dir", filepath.Join(house.Root(), "docs", "screenshots"), "where the pictures go")
	only := flag.String("only", "", "take this picture alone")
	base := flag.String("base", "", "of a demo that is running; by default a fresh one is made")
	flag.Parse()
	if err := take(*dir, *only, *base); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func take(dir, only, base string) error {
	if base == "" {
		h, err := house.Open(context.Background())
		if err != nil {
			return err
		}
		defer h.Close()
		if err := demo.Fill(context.Background(), h.School, h.Engine); err != nil {
			return err
		}
		base = h.Base
	}
	b, err := browser.Start("")
	if err != nil {
		return err
	}
	defer b.Stop()
	for _, v := range views {
		if only != "" && only != v.name {
			continue
		}
		if err := one(b, base, dir, v); err != nil {
			return fmt.Errorf("%s: %w", v.name, err)
		}
	}
	return nil
}

func one(b *browser.Browser, base, dir string, v view) error {
	t, err := b.Tab(base, v.width, v.height)
	if err != nil {
		return err
	}
	defer t.Close()
	if err := t.SignIn(v.who, demo.Password); err != nil {
		return err
	}
	if err := t.Resize(v.width, v.height, v.touch); err != nil {
		return err
	}
	if err := t.Go(v.path); err != nil {
		return err
	}
	if v.prepare != nil {
		if err := v.prepare(t); err != nil {
			return err
		}
	}
	if errs := t.Errors(); len(errs) > 0 {
		return fmt.Errorf("scripts: %v", errs)
	}
	if _, err := browser.Eval[any](t, `await Promise.all([...document.images].map(i=>i.complete||new Promise(r=>{i.onload=i.onerror=r}))); await document.fonts.ready`); err != nil {
		return err
	}
	fmt.Println(v.name)
	return t.Shot(filepath.Join(dir, v.name+".png"))
}
