package e2e

import (
	"bytes"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"readymargin/core/flow"
	"readymargin/demo"
	"readymargin/e2e/browser"
	"readymargin/standin/recogniser"
)

// hears is a browser whose microphone hears "tide floods", over and over, as the
// recogniser that stands in for one takes it.
func hears(t *testing.T) *browser.Browser {
	t.Helper()
	wav := filepath.Join(t.TempDir(), "said.wav")
	if err := os.WriteFile(wav, recogniser.TideFloods(), 0o600); err != nil {
		t.Fatal(err)
	}
	b, err := browser.Start(wav)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(b.Stop)
	return b
}

// What is spoken is written where the caret is: in the box on the page and in a field of
// the sheet in words. One undo takes it back. Where the line has gone nothing is lost, and
// it is written once it is back.
func TestDictation(t *testing.T) {
	t.Parallel()
	file, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	login, id := copyOf(t, "dictation", file, 2)
	p, err := hears(t).Own(home.Base, 1280, 800)
	if err != nil {
		t.Fatal(err)
	}
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	speak := func() error {
		return p.Until("words come while one speaks", `/tide floods/.test(document.querySelector(".dictating .heard-so-far")?.textContent)`)
	}
	f9 := func() error { return p.Key(kb.F9) }
	const written = `document.querySelector('[data-desk] [contenteditable="true"]')?.textContent`
	steps(t, func() error { return p.SignIn(login, scenePassword) }, func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready,
		func() error { return p.Press(browser.Place{Page: 1, X: 120, Y: 700}) },
		is("one types", written+` === ""`), func() error { return p.Presses("The ") },
		func() error { return p.Click(`[data-place="write"] .take`) }, func() error { return p.ClickWords("Speak it") },
		is("it listens", `document.querySelector(".dictating meter")`))
	axeFinds(t, p, "speaking")
	steps(t, speak, func() error { return p.ClickWords("Write it down") },
		is("it is written behind what was typed", `/^The tide floods/.test(`+written+`)`),
		is("one may go on typing", `!document.querySelector(".dictating") && document.activeElement.isContentEditable`),
		func() error { return chromedp.Do(p.Ctx, chromedp.KeyEvent("z", chromedp.KeyModifiers(2))) }, is("one undo takes it back", written+` === "The "`),
		func() error { return p.Key(kb.Escape) }, saved(p))

	const field = `document.querySelector("[data-inwords] input.writes")`
	steps(t, func() error { return p.Click(`[data-do="words"]`) }, is("it is read in words", inWords),
		func() error { _, err := browser.Eval[bool](p, field+`.focus(); return true`); return err },
		is("the microphone lies beside the field", `document.querySelector(".speak-here")?.checkVisibility()`),
		f9, speak,
		func() error {
			_, err := browser.Eval[bool](p, `window.lineBack = window.fetch; window.fetch = () => Promise.reject(new TypeError("gone")); return true`)
			return err
		}, f9,
		is("it is told, and kept", `/What you said is still here/.test(document.querySelector(".dictating [role=alert]")?.textContent)`),
		func() error {
			_, err := browser.Eval[bool](p, `window.fetch = window.lineBack; return true`)
			return err
		},
		func() error { return p.ClickWords("Try again") },
		is("it is written in the field", `/^tide floods/.test(`+field+`.value)`), func() error { time.Sleep(400 * time.Millisecond); return nil }, saved(p),
		func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready, is("it is kept", `/^tide floods/.test(`+field+`?.value)`),
		func() error { _, err := browser.Eval[bool](p, field+`.focus(); return true`); return err },
		// Who wants it keeps the sound, with its words, as a voice note.
		f9, speak, func() error { return p.Click(".dictating label") }, func() error { return p.ClickWords("Write it down") },
		func() error { return p.Click("[data-draft] .dark") }, saved(p),
		is("the note has the sound and the words", `/tide floods/.test(document.querySelector("[data-note] .clip")?.closest("[data-note]").textContent)`),
		func() error { _, err := browser.Eval[bool](p, field+`.focus(); return true`); return err },
		f9, is("it listens", `document.querySelector(".dictating meter")`), func() error { return p.Key(kb.Escape) },
		is("what is dropped is not written", `!document.querySelector(".dictating") && document.activeElement === `+field),
		// What has no room in a field is not lost without a word.
		func() error {
			_, err := browser.Eval[bool](p, `const f = `+field+`; f.select(); f.maxLength = 6; return true`)
			return err
		},
		f9, speak, f9, is("one is told what is not written", `/Not written: “floods/.test(document.querySelector(".dictating [role=alert]")?.textContent) && `+field+`.value === "tide"`))
}

// Three hundred who dictate in one second are all written down, and the sheet is served
// meanwhile.
func TestAClassDictatesAtOnce(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Dictates")
	id := sc.copies[flow.InProgress].ID
	sound := recogniser.TideFloods()
	var all sync.WaitGroup
	for range 300 {
		all.Go(func() {
			req, err := http.NewRequest("POST", fmt.Sprintf("%s/copies/%d/dictation?layer=work", home.Base, id), bytes.NewReader(sound))
			if err != nil {
				t.Error(err)
				return
			}
			req.Header.Set("Content-Type", "audio/wav")
			req.Header.Set("Origin", home.Base)
			req.Header.Set("Accept", "application/json")
			res, err := sc.people["student"].Do(req)
			if err != nil {
				t.Error(err)
				return
			}
			defer res.Body.Close()
			if said, err := io.ReadAll(res.Body); err != nil || res.StatusCode != http.StatusOK || !strings.Contains(string(said), "tide") {
				t.Errorf("one of three hundred: %d %s (%v)", res.StatusCode, said, err)
			}
		})
	}
	if code, _ := sc.page(t, "student", fmt.Sprintf("/copies/%d", id)); code != http.StatusOK {
		t.Errorf("the sheet meanwhile: %d", code)
	}
	all.Wait()
}

// On a telephone a worksheet is filled in by touch alone, in words, and by speaking.
func TestWordsByTouchAlone(t *testing.T) {
	t.Parallel()
	file, err := demo.PassagePlan()
	if err != nil {
		t.Fatal(err)
	}
	login, id := copyOf(t, "touchwords", file, 1)
	p, err := hears(t).Own(home.Base, 390, 844)
	if err != nil {
		t.Fatal(err)
	}
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	tap := func(selector string) func() error { return func() error { return p.TapOn(selector) } }
	const boat, next = `[data-column] [aria-label^="1, blank 1"]`, `[data-column] textarea[aria-label^="5"]`
	steps(t, func() error { return p.SignIn(login, scenePassword) }, func() error { return p.Resize(390, 844, true) },
		func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready, tap(`[data-do="words"]`), is("it is read in words", inWords),
		tap(boat), func() error { return p.Type("Tern") },
		tap(`[data-column] [aria-label^="2, box 2"]`), is("it is ticked", `document.querySelector('[data-column] [aria-label^="2, box 2"]').checked`),
		tap(next), is("the microphone lies beside the field", `document.querySelector(".speak-here")?.checkVisibility()`), tap(".speak-here"),
		is("words come while one speaks", `/tide floods/.test(document.querySelector(".dictating .heard-so-far")?.textContent)`),
		func() error { return p.TapWords(".dictating button", "Write it down") },
		is("it is written", `/^tide floods/.test(document.querySelector('`+next+`').value)`), func() error { time.Sleep(400 * time.Millisecond); return nil }, saved(p))
	if got := written(t, id); !slices.Contains(got, "Tern") || len(got) != 3 {
		t.Errorf("the places hold %q", got)
	}
}
