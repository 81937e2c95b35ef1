package e2e

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/core/typeset"
	"readymargin/demo"
	"readymargin/e2e/browser"
	"readymargin/e2e/house"
	"readymargin/school"
	"readymargin/school/takeaway"
)

// desk opens a fresh copy for its student.
func desk(t *testing.T, name string, width, height int) (*browser.Tab, uint64) {
	t.Helper()
	sc := setSceneNamed(t, name)
	p := tab(t, width, height)
	id := sc.copies[flow.NotStarted].ID
	steps(t,
		func() error {
			token, err := home.SignIn(context.Background(), sc.student)
			if err != nil {
				return err
			}
			return p.Cookie(house.Cookie, token)
		},
		func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) },
		p.Ready)
	return p, id
}

// fromPopover takes something in the popover of a place by its words.
func fromPopover(p *browser.Tab, place, words string) error {
	_, err := browser.Eval[int](p, fmt.Sprintf(`const b=document.querySelector('[data-place=%q] .take'); if (b.getAttribute("aria-pressed")!=="true") b.click(); if (document.querySelector("[data-popover]").hidden) b.click();
		[...document.querySelectorAll(".popover button")].find(k=>(k.innerText.trim()||k.getAttribute("aria-label"))===%q).click(); return 1`, place, words))
	return err
}

// kept returns what the server has of a copy's work, once all is saved.
func kept(t *testing.T, p *browser.Tab, id uint64) []mark.Mark {
	t.Helper()
	steps(t, func() error {
		return p.Until("everything is saved", `document.querySelector("[data-saved]").dataset.state === "saved"`)
	})
	heads, err := home.Store.Heads(context.Background(), id, submission.Work)
	if err != nil {
		t.Fatal(err)
	}
	var bare []submission.Head
	for _, h := range heads {
		bare = append(bare, h.Head)
	}
	var out []mark.Mark
	for _, w := range submission.Present(bare) {
		out = append(out, w.Mark)
	}
	return out
}

func kinds(ms []mark.Mark) string {
	var out []string
	for _, m := range ms {
		out = append(out, m.Body.Kind())
	}
	return strings.Join(out, " ")
}

func TestEveryInstrumentOfTheStudent(t *testing.T) {
	t.Parallel()
	p, id := desk(t, "Desk", 1280, 800)
	place := func(x, y float64) browser.Place { return browser.Place{Page: 1, X: x, Y: y} }
	check := func(what, want string) []mark.Mark {
		t.Helper()
		ms := kept(t, p, id)
		if got := kinds(ms); got != want {
			t.Errorf("%s: %q, want %q", what, got, want)
		}
		return ms
	}
	hand := func(name string) func() error {
		return func() error { return p.Click(fmt.Sprintf(`.place [aria-label=%q]`, name)) }
	}

	// Pen: a mouse draws evenly, a pencil by its pressure.
	steps(t, hand("Pen"), func() error { return p.Drag("mouse", 0.5, round(1, 110, 446, 30)...) })
	var pencil []browser.Place
	for i := range 20 {
		pencil = append(pencil, place(200+8*float64(i), 446))
	}
	steps(t, func() error { return p.Drag("pen", 0.9, pencil...) })
	ms := check("two strokes", "ink ink")
	if a, b := ms[0].Body.(*mark.Ink), ms[1].Body.(*mark.Ink); !a.InkList[0].Even() || b.InkList[0].Width[0] < 1.3 {
		t.Errorf("mouse %v, pencil %v", a.InkList[0].Width, b.InkList[0].Width)
	}
	// Undo, redo, eraser, undo of the eraser.
	steps(t, func() error { return p.Click(`[data-step="undo"]`) })
	check("undone", "ink")
	steps(t, func() error { return p.Click(`[data-step="redo"]`) })
	check("done again", "ink ink")
	steps(t, hand("Eraser"), func() error { return p.Drag("mouse", 0.5, place(140, 380), place(140, 446), place(140, 470)) })
	check("one erased", "ink")
	steps(t, func() error { return p.Click(`[data-step="undo"]`) })
	check("the eraser undone", "ink ink")

	// Highlighter: on print it follows the words over a line's end, beside print it covers a box.
	steps(t, hand("Highlighter"), func() error { return p.Drag("mouse", 0.5, place(480, 157), place(300, 170), place(70, 175)) },
		func() error { return p.Drag("mouse", 0.5, place(400, 700), place(450, 730)) })
	ms = check("two highlights", "ink ink highlight highlight")
	if h := ms[2].Body.(*mark.Highlight); h.Text != "Entering from the" || len(h.QuadPoints) != 2 {
		t.Errorf("the highlighter took %q in %d parts", h.Text, len(h.QuadPoints))
	}
	if h := ms[3].Body.(*mark.Highlight); h.Text != "" || math.Abs(h.Bounds().W()-50) > 1.5 {
		t.Errorf("the box is %v", h.Bounds())
	}

	// Pick: move, nudge, delete.
	before := ms[0].Body.Bounds()
	steps(t, hand("Pick"), func() error { return p.Drag("mouse", 0.5, place(140, 446), place(150, 460), place(180, 446)) })
	ms = check("moved", "ink ink highlight highlight")
	if d := ms[0].Body.Bounds().Min.X - before.Min.X; math.Abs(d-40) > 1.5 {
		t.Errorf("moved by %.2f, want 40", d)
	}
	was := ms[0].Body.Bounds().Min
	steps(t, func() error { return arrow(p, "ArrowDown", true) }, func() error { return arrow(p, "ArrowRight", false) })
	ms = check("nudged", "ink ink highlight highlight")
	if d := ms[0].Body.Bounds().Min.Sub(was); math.Abs(d.X-1) > 0.05 || math.Abs(d.Y-10) > 0.05 {
		t.Errorf("nudged by %v, want 1, 10", d)
	}
	steps(t, func() error { return arrow(p, "Delete", false) })
	check("deleted", "ink highlight highlight")
}

// Underline and cross-out follow the words; shapes are drawn with the mouse,
// lines at steps of 15 degrees while Shift is held. All of it is in the file
// that is taken away, as pdftoppm paints it.
func TestMarkupAndShapes(t *testing.T) {
	t.Parallel()
	p, id := desk(t, "Shapes", 1280, 800)
	place := func(x, y float64) browser.Place { return browser.Place{Page: 1, X: x, Y: y} }
	choose := func(where, name string) func() error { return func() error { return fromPopover(p, where, name) } }
	shift := func(kind string) func() error {
		return func() error {
			_, err := browser.Eval[int](p, fmt.Sprintf(`for (const t of ["pointermove","pointerdown","pointerup"]) window.addEventListener(t, window["s"+t] ??= (e)=>Object.defineProperty(e,"shiftKey",{value:window.shifted}), true); window.shifted=%q==="down"; return 1`, kind))
			return err
		}
	}
	steps(t,
		choose("mark", "Underline"), func() error { return p.Drag("mouse", 0.5, place(206, 174), place(230, 174), place(250, 174)) },
		choose("mark", "Cross out"), func() error { return p.Drag("mouse", 0.5, place(112, 192), place(130, 192), place(150, 192)) },
		choose("draw", "Shapes"), choose("draw", "Ellipse"), func() error { return p.Drag("mouse", 0.5, place(80, 410), place(100, 440), place(140, 470)) },
		choose("draw", "Box"), func() error { return p.Drag("mouse", 0.5, place(200, 410), place(220, 440), place(260, 470)) },
		choose("draw", "Arrow"), choose("draw", "Large"), shift("down"), func() error { return p.Drag("mouse", 0.5, place(300, 440), place(340, 438), place(400, 432)) }, shift("up"),
	)
	ms := kept(t, p, id)
	if got := kinds(ms); got != "underline strikeout circle square line" {
		t.Fatalf("%q", got)
	}
	if u, s := ms[0].Body.(*mark.Underline), ms[1].Body.(*mark.StrikeOut); u.Text != "Carrick rocks," || s.Text != "white tower" {
		t.Errorf("underlined %q, crossed out %q", u.Text, s.Text)
	}
	if l := ms[4].Body.(*mark.Line); l.LineEnding != [2]string{"", "OpenArrow"} || l.Heads != 1.7 || math.Abs(l.L[3]-l.L[1]) > 0.02 {
		t.Errorf("the arrow is %+v", l)
	}
	file, err := home.School.Exports.TakeCopy(context.Background(), personOf(t, "shapes.student"), id, takeaway.Choice{})
	if err != nil {
		t.Fatal(err)
	}
	m := painted(t, bytesOf(t, file))
	blue := func(x, y int) bool { // near the place, where the print is black and grey
		for dy := -2; dy <= 2; dy++ {
			if r, _, b, _ := m.At(x, y+dy).RGBA(); b > r+0x2000 {
				return true
			}
		}
		return false
	}
	for name, at := range map[string][2]int{"the underline": {230, 178}, "the ellipse": {110, 410}, "the box": {230, 410}, "the arrow": {350, 440}} {
		if !blue(at[0], at[1]) {
			t.Errorf("%s is not in the file", name)
		}
	}
}

// A pencil held flat draws broader than one held upright, pressed alike.
func TestAPencilHeldFlat(t *testing.T) {
	t.Parallel()
	p, id := desk(t, "Tilt", 1280, 800)
	draw := func(y, tilt int) func() error {
		return func() error {
			_, err := browser.Eval[int](p, fmt.Sprintf(`const b=document.querySelector("section.sheet"), r=b.getBoundingClientRect(), fire=(t,i)=>b.dispatchEvent(new PointerEvent(t,{bubbles:true,cancelable:true,pointerId:7,pointerType:"pen",button:t==="pointermove"?-1:0,buttons:1,pressure:.4,tiltX:%d,clientX:r.left+100+4*i,clientY:r.top+%d}));
				fire("pointerdown",0); for(let i=1;i<30;i++){ fire("pointermove",i); await new Promise(k=>requestAnimationFrame(k)); } fire("pointerup",30); return 1`, tilt, y))
			return err
		}
	}
	steps(t, func() error { return p.Click(`.place [aria-label="Pen"]`) }, draw(560, 0), draw(600, 20), draw(640, 70))
	ms := kept(t, p, id)
	if kinds(ms) != "ink ink ink" {
		t.Fatalf("kept %s", kinds(ms))
	}
	width := func(i int) float64 { return slices.Max(ms[i].Body.(*mark.Ink).InkList[0].Width) }
	if a, b, c := width(0), width(1), width(2); math.Abs(a-b) > 0.01 || c < 1.3*a {
		t.Errorf("upright %.2f, leaning a little %.2f, flat %.2f", a, b, c)
	}
}

// On a printed grid, points go to its crossings when that is asked for.
func TestPointsGoToAPrintedGrid(t *testing.T) {
	t.Parallel()
	file, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	login, id := copyOf(t, "squares", file, 2)
	p := tab(t, 1280, 800)
	at := func(x, y float64) browser.Place { return browser.Place{Page: 2, X: x, Y: y} }
	steps(t, func() error { return p.SignIn(login, scenePassword) }, func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready,
		func() error { return fromPopover(p, "draw", "Stamp") }, func() error { return fromPopover(p, "draw", "Cross") }, func() error { return p.Press(at(185, 195)) },
		func() error { return fromPopover(p, "draw", "To printed lines") }, func() error { return p.Press(at(185, 195)) }, func() error { return p.Press(at(335, 297)) },
		func() error { return fromPopover(p, "draw", "Shapes") }, func() error { return fromPopover(p, "draw", "Line") }, func() error { return p.Drag("mouse", 0.5, at(123, 381), at(200, 300), at(265, 227)) },
	)
	// The sheet has lines every 30 points from (90, 110).
	var got []string
	for _, m := range kept(t, p, id) {
		switch b := m.Body.(type) {
		case *mark.Stamp:
			c := b.Bounds().Center()
			got = append(got, fmt.Sprintf("%.0f,%.0f", c.X, c.Y))
		case *mark.Line:
			got = append(got, fmt.Sprintf("%.0f,%.0f-%.0f,%.0f", b.L[0], b.L[1], b.L[2], b.L[3]))
		}
	}
	if s := strings.Join(got, " "); s != "185,195 180,200 330,290 120,380-270,230" {
		t.Errorf("the points stand at %s", s)
	}
}

// arrow presses a key that has no character.
func arrow(p *browser.Tab, key string, shift bool) error {
	_, err := browser.Eval[any](p, fmt.Sprintf(`document.body.dispatchEvent(new KeyboardEvent("keydown",{key:%q,shiftKey:%v,bubbles:true}))`, key, shift))
	return err
}

func TestZoomKeepsThePointUnderThePointer(t *testing.T) {
	t.Parallel()
	p, _ := desk(t, "Zoom", 1366, 620)
	at := func() (x, y float64) {
		v, err := browser.Eval[[2]float64](p, `const r=document.querySelector('.sheet').getBoundingClientRect(); return [(500-r.left)/r.width,(300-r.top)/r.height]`)
		if err != nil {
			t.Fatal(err)
		}
		return v[0], v[1]
	}
	x0, y0 := at()
	for range 5 {
		if _, err := chromedp.Call(p.Ctx, input.DispatchMouseEvent, input.DispatchMouseEventParams{Type: input.DispatchMouseEventTypeMouseWheel, X: 500, Y: 300, DeltaX: 0.001, DeltaY: -120, Modifiers: 2}); err != nil {
			t.Fatal(err)
		}
	}
	steps(t, func() error {
		return p.Until("it is larger", `parseInt(document.querySelector("[data-zoom-at]").value) > 200`)
	})
	if x, y := at(); math.Abs(x-x0) > 0.003 || math.Abs(y-y0) > 0.003 {
		t.Errorf("the point moved from %.4f, %.4f to %.4f, %.4f of the page", x0, y0, x, y)
	}
	// Two fingers, moving apart to twice their distance.
	steps(t, func() error { return p.Resize(820, 1180, true) }, func() error { return p.Click(`[data-zoom="width"]`) })
	before, err := browser.Eval[float64](p, `return document.querySelector('.sheet').getBoundingClientRect().width`)
	if err != nil {
		t.Fatal(err)
	}
	fingers := func(kind input.DispatchTouchEventType, d float64) {
		t.Helper()
		pts := []*input.TouchPoint{{X: 400 - d, Y: 400}, {X: 400 + d, Y: 400}}
		if kind == input.DispatchTouchEventTypeTouchEnd {
			pts = []*input.TouchPoint{}
		}
		if _, err := chromedp.Call(p.Ctx, input.DispatchTouchEvent, input.DispatchTouchEventParams{Type: kind, TouchPoints: pts}); err != nil {
			t.Fatal(err)
		}
	}
	steps(t, func() error { return p.Click(`.place [aria-label="Pen"]`) })
	fingers(input.DispatchTouchEventTypeTouchStart, 60)
	for d := 65.0; d <= 120; d += 5 {
		fingers(input.DispatchTouchEventTypeTouchMove, d)
	}
	fingers(input.DispatchTouchEventTypeTouchEnd, 0)
	after, err := browser.Eval[float64](p, `return document.querySelector('.sheet').getBoundingClientRect().width`)
	if err != nil || after/before < 1.7 || after/before > 2.1 {
		t.Errorf("two fingers made the page %.2f times as wide, want 120/65 to 2 (%v)", after/before, err)
	}
	if n, _ := browser.Eval[int](p, `return document.querySelectorAll('.marks g').length`); n != 0 {
		t.Errorf("two fingers left %d stray strokes", n)
	}
}

// Before a pencil is seen a finger draws; from then on fingers move the page
// and only the pencil draws.
func TestWithAPencilFingersScroll(t *testing.T) {
	t.Parallel()
	p, id := desk(t, "Pencil", 820, 1180)
	finger := func() error {
		for i := 0; i <= 12; i++ {
			kind := input.DispatchTouchEventTypeTouchMove
			if i == 0 {
				kind = input.DispatchTouchEventTypeTouchStart
			}
			if _, err := chromedp.Call(p.Ctx, input.DispatchTouchEvent, input.DispatchTouchEventParams{Type: kind, TouchPoints: []*input.TouchPoint{{X: 350, Y: 800 - 30*float64(i)}}}); err != nil {
				return err
			}
		}
		_, err := chromedp.Call(p.Ctx, input.DispatchTouchEvent, input.DispatchTouchEventParams{Type: input.DispatchTouchEventTypeTouchEnd, TouchPoints: []*input.TouchPoint{}})
		return err
	}
	scrolled := func(want string) func() error {
		return func() error {
			return p.Until("scrolled "+want, `document.querySelector("[data-desk]").scrollTop `+want)
		}
	}
	steps(t,
		func() error { return p.Resize(820, 1180, true) },
		func() error { return p.Click(`.place [aria-label="Pen"]`) },
		func() error { return p.Click(`[data-zoom="width"]`) },
		func() error {
			for range 4 {
				if err := p.Click(`[data-zoom="in"]`); err != nil {
					return err
				}
			}
			_, err := browser.Eval[int](p, `document.querySelector("[data-desk]").scrollTop = 0; return 1`)
			return err
		},
		finger, scrolled("=== 0"))
	if got := kinds(kept(t, p, id)); got != "ink" {
		t.Errorf("a finger without a pencil: %q", got)
	}
	steps(t, func() error { return p.Drag("pen", 0.6, round(1, 200, 250, 30)...) })
	if got := kinds(kept(t, p, id)); got != "ink ink" {
		t.Errorf("the pencil: %q", got)
	}
	steps(t, finger, scrolled("> 100"))
	if got := kinds(kept(t, p, id)); got != "ink ink" {
		t.Errorf("a finger beside a pencil drew: %q", got)
	}
}

// On every size of screen the popover opens where it can be seen and reached.
func TestThePopoverIsInReachEverywhere(t *testing.T) {
	t.Parallel()
	p, _ := desk(t, "Flap", 1280, 800)
	for _, size := range [][2]int{{1280, 800}, {1366, 620}, {1180, 820}, {820, 1180}, {390, 844}, {1920, 1080}} {
		steps(t,
			func() error { return p.Resize(size[0], size[1], size[0] < 1200) },
			func() error { return p.Click(`.place [aria-label="Type"]`) },
			func() error { return p.Click(`.place [aria-label="Pen"]`) },
			func() error {
				return p.Until(fmt.Sprint("the popover is in view at ", size), `(r=>r.width>200&&r.left>=0&&r.top>=0&&r.right<=innerWidth&&r.bottom<=innerHeight&&document.elementFromPoint(r.left+20,r.top+20).closest("[data-popover]"))(document.querySelector("[data-popover]").getBoundingClientRect())`)
			},
		)
		small, err := browser.Eval[[]string](p, `return [...document.querySelectorAll(".place .take, .steps button, .head .next")].filter(b=>b.offsetParent&&Math.min(b.offsetWidth,b.offsetHeight)<36).map(b=>b.outerHTML.slice(0,80))`)
		if err != nil || len(small) > 0 {
			t.Errorf("at %v these are hard to hit: %v (%v)", size, small, err)
		}
		over, err := browser.Eval[float64](p, `return Math.max(0,...[...document.querySelectorAll(".head > *, .spine > *")].filter(b=>b.getClientRects().length).map(b=>Math.max(b.getBoundingClientRect().right-innerWidth,b.getBoundingClientRect().bottom-innerHeight)))`)
		if err != nil || over > 1 {
			t.Errorf("at %v something stands %.0f pixels outside the screen (%v)", size, over, err)
		}
	}
}

// What the screen shows and what the PDF shows agree: the same line breaks,
// every letter within half a point. Three witnesses: the browser's own
// geometry, the font's advance widths, and pdftotext -bbox on the export.
func TestScreenAndPDFAgree(t *testing.T) {
	t.Parallel()
	p, id := desk(t, "Agree", 1280, 800)
	const text = "The depth changes fastest in the third and fourth hours, because by the rule of twelfths three twelfths of the range come in each of them: Δh ≈ ¼ · 4.5 m, Глубина."
	steps(t,
		func() error { return p.Press(browser.Place{Page: 1, X: 300, Y: 720}) },
		func() error { return p.Type(text) },
		func() error { return p.Click(`.place [aria-label="Pick"]`) },
	)
	ms := kept(t, p, id)
	if kinds(ms) != "freetext" {
		t.Fatalf("kept %q", kinds(ms))
	}
	typed := ms[0].Body.(*mark.FreeText)
	if got := typed.String(); got != text {
		t.Errorf("typed %q, kept %q", text, got)
	}
	if len(typed.Lines) < 3 || typed.X+typed.Width > 595.28-7 {
		t.Errorf("%d lines, %v wide from %v: the text does not wrap before the page's edge", len(typed.Lines), typed.Width, typed.X)
	}
	raw, err := browser.Eval[[][]float64](p, `await document.fonts.ready; return [...document.querySelectorAll('.marks text')].map(t=>[...Array(t.getNumberOfChars()).keys()].map(i=>t.getStartPositionOfChar(i).x))`)
	if err != nil {
		t.Fatal(err)
	}
	if len(raw) != len(typed.Lines) {
		t.Fatalf("the screen shows %d lines, the mark has %d", len(raw), len(typed.Lines))
	}
	for i, l := range typed.Lines {
		x := typed.X
		for k, g := range typeset.Load().Shape(l.Runs[0].Text, l.Runs[0].Size) {
			if d := math.Abs(raw[i][k] - x); d > 0.5 {
				t.Errorf("line %d, letter %q: the screen has it %.2f points from where the PDF puts it", i+1, g.Rune, d)
				break
			}
			x += g.Width
		}
	}
	file := filepath.Join(t.TempDir(), "export.pdf")
	teacher := "agree.student"
	who, err := home.Store.PersonByLogin(context.Background(), teacher)
	if err != nil {
		t.Fatal(err)
	}
	f, err := home.School.Exports.TakeCopy(context.Background(), who, id, takeaway.Choice{})
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(file, bytesOf(t, f), 0o644); err != nil {
		t.Fatal(err)
	}
	out, err := exec.Command("pdftotext", "-bbox", "-f", "1", "-l", "1", file, "-").Output()
	if err != nil {
		t.Fatal(err)
	}
	// The first word of each line begins where the mark does, on its own height.
	for i, l := range typed.Lines {
		word := strings.Fields(l.Runs[0].Text)[0]
		found := false
		for _, m := range regexp.MustCompile(`xMin="([\d.]+)" yMin="([\d.]+)" xMax="[\d.]+" yMax="([\d.]+)">`+regexp.QuoteMeta(word)+`<`).FindAllStringSubmatch(string(out), -1) {
			x, _ := strconv.ParseFloat(m[1], 64)
			top, _ := strconv.ParseFloat(m[2], 64)
			bottom, _ := strconv.ParseFloat(m[3], 64)
			base := typed.Baseline(i)
			found = found || math.Abs(x-typed.X) < 0.5 && top < base && base < bottom
		}
		if !found {
			t.Errorf("line %d: pdftotext does not find %q at its beginning", i+1, word)
		}
	}
}

// Letters of every kind are kept as they were typed: composed by an input
// method, from right to left, beyond the basic plane. What no font has is named
// before the file is made.
func TestLettersOfEveryKind(t *testing.T) {
	t.Parallel()
	p, id := desk(t, "Letters", 1280, 800)
	compose := func(steps ...string) func() error {
		return func() error {
			for _, s := range steps {
				if _, err := chromedp.Call(p.Ctx, input.ImeSetComposition, input.ImeSetCompositionParams{Text: s, SelectionStart: int64(len([]rune(s))), SelectionEnd: int64(len([]rune(s)))}); err != nil {
					return err
				}
			}
			return p.Type(steps[len(steps)-1])
		}
	}
	at := func(y float64) func() error {
		return func() error { return p.Press(browser.Place{Page: 1, X: 120, Y: y}) }
	}
	steps(t,
		func() error { return p.Click(`.place [aria-label="Type"]`) },
		at(700), compose("´", "é"), func() error { return p.Type("tale") },
		at(730), compose("か", "かん", "かんじ"),
		at(760), func() error { return p.Type("שלום 123") },
		at(790), func() error { return p.Type("well done 👍") },
		func() error { return p.Click(`.place [aria-label="Pick"]`) },
	)
	var got []string
	for _, m := range kept(t, p, id) {
		got = append(got, m.Body.(*mark.FreeText).String())
	}
	if s := strings.Join(got, "|"); s != "étale|かんじ|שלום 123|well done 👍" {
		t.Errorf("kept %q", s)
	}
	// What is long stays on the page, at its foot and at its edge.
	steps(t, func() error { return p.Click(`.place [aria-label="Type"]`) }, func() error { return p.Press(browser.Place{Page: 1, X: 480, Y: 825}) },
		func() error { return p.Type(strings.Repeat("high water ", 12)) }, func() error { return p.Click(`.place [aria-label="Pick"]`) })
	ms := kept(t, p, id)
	if b := ms[len(ms)-1].Body.Bounds(); b.Max.X > 595.28 || b.Max.Y > 841.89 || len(ms) != 5 {
		t.Errorf("the long text stands at %v", b)
	}
	_, err := home.School.Exports.TakeCopy(context.Background(), personOf(t, "letters.student"), id, takeaway.Choice{})
	var problem *school.Problem
	if !errors.As(err, &problem) || problem.Code != "letters" || !strings.Contains(problem.Value, "👍") || strings.Contains(problem.Value, "ש") || strings.Contains(problem.Value, "é") {
		t.Errorf("before the file is made: %v", err)
	}
	steps(t, func() error { return p.Go(fmt.Sprintf("/copies/%d/print", id)) }, func() error {
		return p.Until("they are named", `document.body.innerText.includes("👍")`)
	})
}

// Within the box one types in: letters are lowered, raised and made bold by
// key, what is pasted leaves its look behind, and undo goes back and forth. A
// place of a form that holds so many letters takes no more.
func TestTheBoxOneTypesIn(t *testing.T) {
	t.Parallel()
	p, id := desk(t, "Typed", 1280, 800)
	chord := func(key string) func() error {
		return func() error {
			return chromedp.Do(p.Ctx, chromedp.KeyEvent(key, chromedp.KeyModifiers(2)))
		}
	}
	write := func(text string) func() error { return func() error { return p.Type(text) } }
	reads := func(html string) func() error {
		return func() error {
			return p.Until("the box has "+html, fmt.Sprintf(`document.querySelector(".typing").innerHTML.replaceAll(/ style="[^"]*"| class="[^"]*"/g, "") === %q`, html))
		}
	}
	steps(t,
		func() error { return p.Click(`.place [aria-label="Type"]`) },
		func() error { return p.Press(browser.Place{Page: 1, X: 120, Y: 700}) },
		write("H2"), func() error { return p.Until("it offers to lower", `document.querySelector(".offer")`) }, chord(kb.ArrowDown),
		write("O x^2"), func() error {
			return p.Until("it offers to raise", `document.querySelector(".offer")?.innerText.startsWith("Raise")`)
		}, chord(kb.ArrowUp),
		write(" "), chord("b"), write("B"), chord("b"), write("c"),
		reads("<p>H<sub>2</sub>O x<sup>2</sup> <span>B</span>c</p>"),
		func() error {
			_, err := browser.Eval[int](p, `const d=new DataTransfer(); d.setData("text/html","<h1>one</h1><b>two</b>"); d.setData("text/plain","one\ntwo"); document.activeElement.dispatchEvent(new ClipboardEvent("paste",{clipboardData:d,bubbles:true,cancelable:true})); return 1`)
			return err
		},
		reads("<p>H<sub>2</sub>O x<sup>2</sup> <span>B</span>cone</p><p>two</p>"),
		chord("z"), reads("<p>H<sub>2</sub>O x<sup>2</sup> <span>B</span>c</p>"),
		chord("y"), reads("<p>H<sub>2</sub>O x<sup>2</sup> <span>B</span>cone</p><p>two</p>"),
		func() error { return p.Key(kb.Enter) }, write("three"),
		func() error { return p.Click(`.place [aria-label="Pick"]`) },
	)
	var runs []string
	for _, l := range kept(t, p, id)[0].Body.(*mark.FreeText).Lines {
		for _, r := range l.Runs {
			runs = append(runs, fmt.Sprintf("%s/%d/%v/%v", r.Text, r.Shift, r.Bold, l.Hard))
		}
	}
	if s, want := strings.Join(runs, " "), "H/0/false/true 2/-1/false/true O x/0/false/true 2/1/false/true  /0/false/true B/0/true/true cone/0/false/true two/0/false/true three/0/false/true"; s != want {
		t.Errorf("kept %s\nwant %s", s, want)
	}
}

// A press anywhere in a blank begins at its beginning, on its line; Tab and
// Shift-Tab walk the blanks, each named by the words before it.
func TestFromBlankToBlank(t *testing.T) {
	t.Parallel()
	p, id := desk(t, "Blank", 1366, 620)
	named := func(want string) func() error {
		return func() error {
			return p.Until("the blank is "+want, fmt.Sprintf(`document.activeElement.getAttribute("aria-label")===%q`, want))
		}
	}
	tab := func(shift bool) func() error {
		return func() error {
			_, err := browser.Eval[int](p, fmt.Sprintf(`document.activeElement.dispatchEvent(new KeyboardEvent("keydown",{key:"Tab",shiftKey:%v,bubbles:true,cancelable:true})); return 1`, shift))
			return err
		}
	}
	write := func(text string) func() error { return func() error { return p.Type(text) } }
	steps(t,
		func() error {
			return p.Until("the blanks are there", `document.querySelectorAll(".hints rect").length > 8`)
		},
		func() error { return p.Press(browser.Place{Page: 1, X: 240, Y: 252}) }, named("05:12, Height of tide"), write("0.9 m"),
		tab(false), named("05:12, Depth over the sill"), write("3.0 m"),
		tab(false), named("08:20, Height of tide"), write("3.4 m"),
		tab(true), tab(true), named("05:12, Height of tide"), write("!"), // what is there is gone on with
		func() error { return p.Press(browser.Place{Page: 1, X: 270, Y: 340}) }, named("2. The range of the tide is"), write("4.5"),
		func() error { return p.Key("\u001b") },
	)
	var got []string
	for _, m := range kept(t, p, id) {
		f := m.Body.(*mark.FreeText)
		got = append(got, fmt.Sprintf("%s at %.0f,%.0f", f.Lines[0].Runs[0].Text, f.X, f.Y))
	}
	slices.Sort(got)
	want := "0.9 m! at 123,254|3.0 m at 269,254|3.4 m at 123,278|4.5 at 209,348"
	if s := strings.Join(got, "|"); s != want {
		t.Errorf("%s, want %s", s, want)
	}
}

// axeFinds runs axe-core on what is shown.
func axeFinds(t *testing.T, p *browser.Tab, where string) {
	t.Helper()
	axe, err := os.ReadFile("testdata/axe.min.js")
	if err != nil {
		t.Fatal(err)
	}
	found, err := browser.Eval[[]struct {
		ID    string `json:"id"`
		Help  string `json:"help"`
		Nodes []string
	}](p, string(axe)+`;const r=await axe.run(document,{runOnly:["wcag2a","wcag2aa","wcag21a","wcag21aa","wcag22aa"]}); return r.violations.map(v=>({id:v.id,help:v.help,Nodes:v.nodes.slice(0,3).map(n=>n.html.slice(0,160))}))`)
	if err != nil {
		t.Fatal(err)
	}
	for _, v := range found {
		b, _ := json.Marshal(v.Nodes)
		t.Errorf("%s: %s: %s %s", where, v.ID, v.Help, b)
	}
}

// axe-core finds nothing on any main view.
func TestAxeFindsNothing(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Axe")
	views := map[string][]string{
		"":            {"/sign-in", "/join", "/slip"},
		"axe.student": {"/to-do", "/courses", fmt.Sprintf("/courses/%d/own", sc.course.ID), "/account", "/share"},
		"axe.admin":   {"/school", "/school/people", fmt.Sprintf("/school/people/%d", sc.student), "/account"},
		"axe.teacher": {"/", "/courses", fmt.Sprintf("/courses/%d", sc.course.ID), "/worksheets", fmt.Sprintf("/worksheets/%d", sc.sheet.ID),
			fmt.Sprintf("/worksheets/%d/assign", sc.sheet.ID), fmt.Sprintf("/assignments/%d/change", sc.given.ID), fmt.Sprintf("/courses/%d/list", sc.course.ID),
			fmt.Sprintf("/courses/%d/end", sc.course.ID), fmt.Sprintf("/courses/%d/people/%d", sc.course.ID, sc.student), fmt.Sprintf("/worksheets/%d/sharing", sc.sheet.ID), "/worksheets?course=" + fmt.Sprint(sc.course.ID), "/assignments/own"},
	}
	for _, s := range []flow.State{flow.InProgress, flow.Submitted, flow.Returned} {
		views["axe.student"] = append(views["axe.student"], fmt.Sprintf("/copies/%d", sc.copies[s].ID))
	}
	views["axe.teacher"] = append(views["axe.teacher"], fmt.Sprintf("/assignments/%d/marking", sc.copies[flow.Returned].AssignmentID), fmt.Sprintf("/assignments/%d/marking", sc.copies[flow.NotStarted].AssignmentID))
	for who, paths := range views {
		p := tab(t, 1280, 800)
		if who != "" {
			steps(t, func() error { return p.SignIn(who, scenePassword) })
		}
		for _, path := range paths {
			steps(t, func() error { return p.Go(path) })
			if strings.Contains(path, "/copies/") {
				steps(t, p.Ready)
			}
			axeFinds(t, p, who+" "+path)
		}
	}
}

// axe-core finds nothing on any state of the sheet screen either: with every
// popover open, something in hand, a panel, a dialog, a form field, at night.
func TestAxeFindsNothingOnTheSheet(t *testing.T) {
	t.Parallel()
	file, err := demo.PassagePlan()
	if err != nil {
		t.Fatal(err)
	}
	login, id := copyOf(t, "axesheet", file, 1)
	p := tab(t, 1280, 800)
	do := func(script string) func() error {
		return func() error { _, err := browser.Eval[int](p, script+"; return 1"); return err }
	}
	popover := func(place, name string) func() error { return func() error { return fromPopover(p, place, name) } }
	press := func(x, y float64) func() error {
		return func() error { return p.Press(browser.Place{Page: 1, X: x, Y: y}) }
	}
	escape := func() error { return p.Key("\u001b") }
	steps(t, func() error { return p.SignIn(login, scenePassword) }, func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready,
		func() error {
			return p.Until("the places are there", `document.querySelectorAll(".hints rect").length > 8`)
		})
	for _, state := range []struct {
		name string
		get  []func() error
	}{
		{"typing, with an offer", []func() error{popover("write", "Type"), press(150, 720), func() error { return p.Type("H2") }}},
		{"a field of several lines", []func() error{press(200, 560), func() error { return p.Type("From the pier") }}},
		{"a tick box", []func() error{press(82, 310)}},
		{"a list", []func() error{press(200, 440)}},
		{"a choice", []func() error{press(400, 210), escape}},
		{"signs", []func() error{popover("write", "Signs")}},
		{"highlighter", []func() error{popover("mark", "Highlighter")}},
		{"shapes", []func() error{popover("draw", "Shapes")}},
		{"stamps", []func() error{popover("draw", "Stamp")}},
		{"pictures", []func() error{popover("draw", "Picture")}},
		{"aids", []func() error{popover("draw", "Ruler"), do(`[...document.querySelectorAll(".popover .kind")].find(b=>b.innerText.trim()==="Protractor").click()`)}},
		{"pen, with a neat shape offered", []func() error{popover("draw", "Pen"), func() error { return p.Drag("mouse", 0.5, round(1, 450, 700, 30)...) }}},
		{"something in hand", []func() error{popover("pick", "Pick"), press(480, 700)}},
		{"words selected", []func() error{do(`const x=document.querySelectorAll(".print text")[4], r=document.createRange(); r.selectNodeContents(x); getSelection().removeAllRanges(); getSelection().addRange(r)`), func() error {
			return p.Until("the bubble is there", `[...document.querySelectorAll(".popover button")].some(b=>b.innerText.trim()==="Cross out" && b.offsetParent)`)
		}}},
		{"saying", []func() error{do(`getSelection().removeAllRanges()`), popover("say", "Note")}},
		{"a note begun", []func() error{press(480, 760)}},
		{"rubbing", []func() error{popover("mend", "Parts of lines")}},
		{"everything on the copy", []func() error{do(`document.querySelector('[data-do="list"]').click()`)}},
		{"finding", []func() error{do(`document.querySelector('[data-do="find"]').click()`), func() error { return p.Type("the") }, func() error {
			return p.Until("something is found", `document.querySelector(".panel .line")`)
		}}},
		{"pictures of the pages", []func() error{escape, do(`document.querySelector("[data-pagenav] .opens").click()`)}},
		{"help", []func() error{do(`document.querySelector('[data-do="help"]').click()`)}},
		{"night", []func() error{do(`document.querySelector('[data-set="night"]').click(); document.querySelector('[data-dialog="help"] .button.dark').click()`)}},
		{"night, with a popover", []func() error{popover("draw", "Pen")}},
		{"submitting", []func() error{do(`document.querySelector('[data-do="main"]').click()`)}},
	} {
		steps(t, state.get...)
		axeFinds(t, p, state.name)
	}
	steps(t, func() error { return p.Go("/practice") }, p.Ready)
	axeFinds(t, p, "practice")
}

// Without a microphone, or when it is refused, a sentence says what to do and
// nothing else breaks.
func TestNoMicrophone(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Mute")
	p := tab(t, 1280, 800)
	steps(t,
		func() error { return p.SignIn("mute.teacher", scenePassword) },
		func() error {
			return p.Go(fmt.Sprintf("/assignments/%d/marking", sc.copies[flow.Submitted].AssignmentID))
		},
		p.Ready,
	)
	for name, sentence := range map[string]string{"NotAllowedError": "The microphone was refused.", "NotFoundError": "No microphone was found."} {
		if _, err := browser.Eval[any](p, fmt.Sprintf(`navigator.mediaDevices.getUserMedia=()=>Promise.reject(new DOMException("",%q))`, name)); err != nil {
			t.Fatal(err)
		}
		steps(t,
			func() error { return arrow(p, "5", false) },
			func() error {
				return p.Until("voice is in hand", `document.querySelector('[data-place="say"] .name').textContent === "Voice note" || (document.body.dispatchEvent(new KeyboardEvent("keydown",{key:"5",bubbles:true})), false)`)
			},
			func() error { return p.Press(browser.Place{Page: 1, X: 300, Y: 600}) },
			func() error {
				return p.Until("the sentence is there", fmt.Sprintf(`document.querySelector("[data-draft] [role=alert]")?.textContent.startsWith(%q)`, sentence))
			},
			func() error { return p.Click(`[data-draft] .button`) },
			func() error { return p.Until("the card is gone", `!document.querySelector("[data-draft]")`) },
		)
	}
}

// bytesOf reads a file that was made to be taken away.
func bytesOf(t *testing.T, f takeaway.File) []byte {
	t.Helper()
	defer f.Close()
	b, err := io.ReadAll(f)
	if err != nil {
		t.Fatal(err)
	}
	return b
}
