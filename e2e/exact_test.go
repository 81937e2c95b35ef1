package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"codeberg.org/go-pdf/fpdf"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"readymargin/core/mark"
	"readymargin/e2e/browser"
)

// boxesToTick is a sheet of two pages: a name, a line of words, and three small
// boxes with words behind them.
func boxesToTick(t *testing.T) []byte {
	t.Helper()
	f := fpdf.New("P", "pt", "A4", "")
	f.SetFont("Helvetica", "", 12)
	for range 2 {
		f.AddPage()
		f.Text(300, 60, "Name:")
		f.Line(340, 62, 520, 62)
		f.Text(60, 120, "1. Which of these are sea marks? Tick them.")
		for i, words := range []string{"a lighthouse", "a buoy", "a gull"} {
			y := 150 + 30*float64(i)
			f.Rect(60, y, 11, 11, "D")
			f.Text(78, y+10, words)
		}
		f.Text(60, 300, "Keep clear of the Carrick rocks, which dry one metre.")
	}
	var b bytes.Buffer
	if err := f.Output(&b); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// What was found to be inexact on the desk, each by hand.
func TestTheDeskIsExact(t *testing.T) {
	t.Parallel()
	login, id := copyOf(t, "exact", boxesToTick(t), 2)
	p := tab(t, 1280, 800)
	at := func(x, y float64) browser.Place { return browser.Place{Page: 1, X: x, Y: y} }
	press := func(x, y float64) func() error { return func() error { return p.Press(at(x, y)) } }
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	do := func(script string) func() error {
		return func() error { _, err := browser.Eval[int](p, script+"; return 1"); return err }
	}
	chord := func(k string, mods ...chromedp.KeyOption) func() error {
		return func() error { return chromedp.Do(p.Ctx, chromedp.KeyEvent(k, mods...)) }
	}
	take := func(place, name string) func() error { return func() error { return fromPopover(p, place, name) } }
	escape := func() error { return p.Key(kb.Escape) }
	expect := func(what, want string) {
		t.Helper()
		if got := kinds(kept(t, p, id)); got != want {
			t.Errorf("%s: %q, want %q", what, got, want)
		}
	}
	steps(t, func() error { return p.SignIn(login, scenePassword) }, func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready,
		is("the places are there", `document.querySelectorAll(".hints rect").length >= 8`))

	// One press fills in one's name; it is no answer, and never empty.
	steps(t, press(400, 58), is("it is offered", `document.querySelector(".offer")?.textContent === "Fill in exact Student"`), do(`document.querySelector(".offer").click()`))
	if texts := textsOf(kept(t, p, id)); !slices.Equal(texts, []string{"exact Student", "exact Student"}) { // on both pages
		t.Errorf("filled in: %q", texts)
	}
	steps(t, escape, chord("z", chromedp.KeyModifiers(2)))
	expect("one step back", "")

	// A stamp goes to the middle of a small box, and Tab to the next one.
	steps(t, take("draw", "Stamp"), take("draw", "Cross"), press(64, 158), do(`document.querySelector("[data-desk]").focus()`))
	m := kept(t, p, id)[0]
	if c := m.Body.Bounds().Center(); c.Dist(m.Body.(*mark.Stamp).Bounds().Center()) > 0.1 || c.X < 65 || c.X > 66 || c.Y < 155 || c.Y > 156 || m.Blank == "" {
		t.Errorf("the stamp stands at %v, in %q", c, m.Blank)
	}
	steps(t, func() error { return p.Key(kb.Tab) }, is("a box has the focus", `document.activeElement.getAttribute("role") === "checkbox"`),
		func() error { return p.Key(kb.Tab) }, is("the second box has it", `document.activeElement.getAttribute("aria-label").includes("buoy")`), func() error { return p.Key(" ") }, escape)
	expect("two boxes", "stamp stamp")
	if s := kept(t, p, id)[1].Body.(*mark.Stamp); s.Name != "cross" {
		t.Errorf("the second box has a %s", s.Name)
	}

	// What was doubled or pasted with a shift goes back in one step.
	steps(t, take("pick", "Pick"), press(65.5, 155.5), is("it is in hand", `document.querySelector(".frame")`), chord("d", chromedp.KeyModifiers(2)))
	expect("doubled", "stamp stamp stamp")
	steps(t, escape, chord("z", chromedp.KeyModifiers(2)))
	expect("doubled, and back", "stamp stamp")

	// A paste goes to the page that was pressed last, not to the uppermost one.
	steps(t, press(65.5, 155.5), take("pick", "Copy"), escape,
		do(`const d=document.querySelector("[data-desk]"), s=document.querySelectorAll("section.sheet")[1]; d.scrollTop += s.getBoundingClientRect().top - d.getBoundingClientRect().bottom + 160`),
		func() error { return p.Press(browser.Place{Page: 2, X: 450, Y: 40}) }, do(`document.querySelector('[data-place="pick"] .take').click()`), take("pick", "Paste"))
	if all := kept(t, p, id); len(all) != 3 || all[2].Page != 2 {
		t.Errorf("pasted: %+v", all)
	}
	steps(t, escape, chord("z", chromedp.KeyModifiers(2)))

	// A highlight begun a little before the first word follows the words; the
	// same words again make one highlight, more of them make it longer, and a
	// press on it takes it as picked.
	drag := func(x0, x1 float64) func() error {
		return func() error { return p.Drag("mouse", 0.5, at(x0, 297), at((x0+x1)/2, 298), at(x1, 298)) }
	}
	steps(t, take("mark", "Highlighter"), drag(50, 140))
	first := kept(t, p, id)[2].Body.(*mark.Highlight)
	steps(t, drag(50, 140))
	expect("the same words twice", "stamp stamp highlight")
	steps(t, drag(130, 230))
	longer := kept(t, p, id)[2].Body.(*mark.Highlight)
	if !strings.HasPrefix(first.Text, "Keep clear") || len(longer.Text) <= len(first.Text) || !strings.HasPrefix(longer.Text, first.Text) {
		t.Errorf("highlighted %q, and then %q", first.Text, longer.Text)
	}
	steps(t, press(100, 298), is("it is in hand", `document.querySelector(".frame") && document.querySelector('[data-place="pick"]').getAttribute("aria-current")==="true"`), escape)

	// How one word is set says nothing of what is typed next.
	steps(t, take("write", "Type"), press(60, 400), func() error { return p.Type("one two") }, chord(kb.ArrowLeft, chromedp.KeyModifiers(8|2)),
		is("the word is selected", `String(getSelection()) === "two"`), func() error { time.Sleep(150 * time.Millisecond); return nil }, // the editor hears of it a moment later
		take("write", "B"), is("the button says so", `document.querySelector('.letter.bold').getAttribute("aria-pressed")==="true"`), escape,
		press(60, 500), func() error { return p.Type("plain") }, escape)
	for _, m := range kept(t, p, id) {
		f, ok := m.Body.(*mark.FreeText)
		if !ok {
			continue
		}
		var bold []string
		for _, r := range f.Lines[0].Runs {
			if r.Bold {
				bold = append(bold, r.Text)
			}
		}
		if want := map[string]string{"one two": "two", "plain": ""}[f.String()]; strings.Join(bold, "") != want {
			t.Errorf("of %q %q is bold", f, bold)
		}
	}

	// Space moves the page after a button in the head was pressed, and does not
	// press it again; full screen is one press away.
	steps(t, func() error { return p.Click(`[data-zoom="in"]`) })
	zoom, err := browser.Eval[string](p, `return document.querySelector("[data-zoom-at]").value`)
	if err != nil {
		t.Fatal(err)
	}
	steps(t, func() error { return p.Key(" ") }, is("the zoom stays "+zoom, fmt.Sprintf(`document.querySelector("[data-zoom-at]").value === %q`, zoom)),
		func() error { return p.Click(`[data-do="full"]`) }, is("it is the whole screen", `document.fullscreenElement`), func() error { return p.Click(`[data-do="full"]`) },
		is("and back", `!document.fullscreenElement`))

	// What was chosen without a line is there after a reload without one.
	steps(t, do(`window.fetch = () => Promise.reject(new TypeError("no line"))`), take("draw", "Shapes"), take("draw", "Box"), func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready,
		is("the instrument is kept", `document.querySelector('[data-place="draw"] .take').getAttribute("aria-label")==="Shapes" && document.querySelector('[data-place="draw"]').getAttribute("aria-current")==="true"`))
}

// What is offered to be raised or lowered while one types, and never the wrong
// way on the way there: a script of the page, asked in the browser.
func TestWhatIsRaisedAndLowered(t *testing.T) {
	t.Parallel()
	login, id := copyOf(t, "raised", boxesToTick(t), 2)
	p := tab(t, 1280, 800)
	steps(t, func() error { return p.SignIn(login, scenePassword) }, func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready)
	want := map[string]string{
		"H": "", "H2": "-2", "H2S": "-2", "H2SO4": "-4", "Ca": "", "Ca2": "", "Ca2+": "+2+", "O2": "-2", "O2-": "+2-", "SO42-": "+2-", "Fe2": "", "Fe2O": "-2", "Fe2O3": "-3",
		"1s2": "+2", "1s2 2s2 2p6": "+6", "3d10": "+10", "10-": "", "10-3": "+-3", "x^2": "+2", "In 1998": "", "page 12": "", "a-2": "",
	}
	var typed []string
	for k := range want {
		typed = append(typed, k)
	}
	given, err := json.Marshal(typed)
	if err != nil {
		t.Fatal(err)
	}
	got, err := browser.Eval[[]string](p, `const {desk: {wish}} = await import(document.querySelector("script[data-core]").src);
		return `+string(given)+`.map(t => { const w = wish(t); return w ? (w.way > 0 ? "+" : "-") + w.letters : "" })`)
	if err != nil {
		t.Fatal(err)
	}
	for i, k := range typed {
		if got[i] != want[k] {
			t.Errorf("%q asks for %q, want %q", k, got[i], want[k])
		}
	}
}
