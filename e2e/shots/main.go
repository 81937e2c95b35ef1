// Command shots takes the pictures in docs/screenshots from the demo data.
package main

import (
	"context"
	"flag"
	"fmt"
	"math"
	"os"
	"path/filepath"

	"github.com/chromedp/chromedp/kb"

	"readymargin/demo"
	"readymargin/e2e/browser"
	"readymargin/e2e/house"
	"readymargin/standin/recogniser"
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

func opened(name string) func(*browser.Tab) error {
	return func(t *browser.Tab) error { return t.Click(`[data-name="` + name + `"]`) }
}

func script(js string) func(*browser.Tab) error {
	return func(t *browser.Tab) error {
		_, err := browser.Eval[any](t, js)
		return err
	}
}

// inWords shows the sheet in words.
func inWords(t *browser.Tab) error {
	if err := t.Until("it is there in words", `document.querySelector("[data-column] table")`); err != nil {
		return err
	}
	return t.Until("it is shown in words", `document.querySelector(".in-words") || (document.querySelector('[data-do="words"]').click(), false)`)
}

// listening has the sheet read aloud, and waits until some words were.
func listening(t *browser.Tab) error {
	if err := t.Until("it is there in words", `document.querySelector("[data-column] table")`); err != nil {
		return err
	}
	if err := t.Key("l"); err != nil {
		return err
	}
	return t.Until("it is read aloud", `+document.querySelector(".spoken-word")?.dataset.word > 9`)
}

// lookUp looks up a word of the text.
func lookUp(t *browser.Tab) error {
	return then(script(`const n=[...document.querySelectorAll(".printed")].find((s) => s.textContent.includes("overfalls")), at=n.textContent.indexOf("overfalls");
		const r=document.createRange(); r.setStart(n.firstChild, at); r.setEnd(n.firstChild, at+9); getSelection().removeAllRanges(); getSelection().addRange(r)`),
		func(t *browser.Tab) error { return t.ClickWords("Look up") },
		func(t *browser.Tab) error { return t.Until("it is told", `document.querySelector(".meanings h3")`) })(t)
}

// dictate speaks into a field, until some words were heard.
func dictate(t *browser.Tab) error {
	return then(script(`const f=[...document.querySelectorAll("[data-inwords] textarea.writes")].at(-1); f.scrollIntoView({block: "center"}); f.focus()`),
		func(t *browser.Tab) error { return t.Key(kb.F9) },
		func(t *browser.Tab) error {
			return t.Until("words are heard", `document.querySelector(".dictating .heard-so-far")?.textContent`)
		})(t)
}

// voice takes the voice note into the hand.
func voice(t *browser.Tab) error {
	return t.Until("voice is in hand", `document.querySelector('[data-place="say"] .name').textContent === "Voice note" || (document.body.dispatchEvent(new KeyboardEvent("keydown",{key:"5",bubbles:true})), false)`)
}

// talk points and draws while it records.
func talk(t *browser.Tab) error {
	if err := t.Until("it records", `document.querySelector(".clip.live time")?.textContent === "0:01"`); err != nil {
		return err
	}
	var ring []browser.Place
	for i := range 25 {
		a := 2 * math.Pi * float64(i) / 24
		ring = append(ring, browser.Place{Page: 1, X: 372 + 40*math.Cos(a), Y: 274 + 14*math.Sin(a)})
	}
	if err := t.Drag("mouse", 0.5, ring...); err != nil {
		return err
	}
	return t.Until("it goes on", `document.querySelector(".clip.live time")?.textContent === "0:04"`)
}

var views = []view{
	{"start-student", "mateus.ribeiro", "/", 1280, 800, false, then(click("[data-listen]"), script(`await new Promise(r=>setTimeout(r,1200))`))},
	{"talk-through", "mr.okonjo-bell", "/assignments/1/marking?copy=1", 1280, 800, false, then(sheet, voice, press(browser.Place{Page: 1, X: 470, Y: 272}), click(`[data-draft] .choice input`), click(`[data-draft] [aria-label="Record"]`), talk, click(`[data-draft] [aria-label="Stop"]`), click(`[data-draft] .dark`),
		script(`const wait=(ms)=>new Promise(r=>setTimeout(r,ms)), card=()=>document.querySelector('[data-note="'+id+'"]'), button=(name)=>[...card().querySelectorAll("button")].find((b)=>b.innerText===name);
			await wait(1500); const id=[...document.querySelectorAll("[data-note]")].find((n)=>n.innerText.includes("Points and draws")).dataset.note; button("Type its words").click(); card().querySelector("textarea").value="This one is the north cardinal mark: both its cones point up."; button("Keep").click(); await wait(900); card().querySelector(".clip .go").click(); await wait(2600)`))},
	{"start-teacher", "mr.okonjo-bell", "/", 1280, 800, false, nil},
	{"bench", "mr.okonjo-bell", "/worksheets/3", 1280, 800, false, script(`await new Promise(r=>setTimeout(r,900))`)},
	{"sheet", "leila.haddad", tides, 1280, 800, false, then(sheet, click(`[data-place="write"] .take`), press(browser.Place{Page: 1, X: 230, Y: 340}))},
	{"marking", "mr.okonjo-bell", tides + "/marking", 1280, 800, false, then(sheet, opened("Tomas Lindqvist"), script(`await new Promise(r=>setTimeout(r,600)); [...document.querySelectorAll("[data-top] button")][0].click(); await new Promise(r=>setTimeout(r,900)); document.querySelectorAll(".marker")[1].click()`))},
	{"across", "mr.okonjo-bell", tides + "/across", 1280, 800, false, script(`document.querySelectorAll("[data-asked]")[1].click(); await new Promise(r=>setTimeout(r,1500))`)},
	{"mark-book", "mr.okonjo-bell", "/courses/1/book", 1280, 800, false, nil},
	{"returned", "mateus.ribeiro", tides, 1280, 800, false, then(sheet, script(`document.querySelector(".marker").click()`))},
	{"phone", "kofi.mensah", tides, 390, 844, true, then(sheet, script(`await new Promise(r=>setTimeout(r,600))`), func(t *browser.Tab) error { return t.TapAt(browser.Place{Page: 1, X: 190, Y: 254}) })},
	{"tablet-marking", "mr.okonjo-bell", tides + "/marking", 820, 1180, true, sheet},
	{"take-away", "leila.haddad", tides, 1280, 800, false, then(sheet, click(`[data-do="take-away"]`), script(`await new Promise(r=>setTimeout(r,500))`))},
	{"brought-back", "mr.okonjo-bell", tides + "/files", 1280, 800, false, broughtBack},
	{"beside-its-margin", "mr.okonjo-bell", tides + "/marking", 1280, 800, false, besideItsMargin},
	{"listening", "mateus.ribeiro", "/copies/22", 1280, 800, false, then(sheet, listening)},
	{"words", "mateus.ribeiro", "/copies/22", 390, 844, true, then(sheet, inWords, script(`document.querySelector("[data-inwords]").scrollTop = 420`))},
	{"looking-up", "leila.haddad", tides, 1280, 800, false, then(sheet, inWords, lookUp)},
	{"dictating", "leila.haddad", tides, 1280, 800, false, then(sheet, inWords, dictate)},
	{"words-marking", "mr.okonjo-bell", tides + "/marking?copy=22", 1280, 800, false, then(sheet, inWords, script(`document.querySelector("[data-inwords]").scrollTop = 300`))},
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
	sounds, err := os.MkdirTemp("", "shots-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(sounds)
	heard := filepath.Join(sounds, "heard.wav")
	if err := os.WriteFile(heard, recogniser.TideFloods(), 0o600); err != nil {
		return err
	}
	b, err := browser.Start(heard)
	if err != nil {
		return err
	}
	defer b.Stop()
	defer func() {
		for _, leave := range leaving {
			leave()
		}
	}()
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
