package e2e

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp/kb"

	"readymargin/core/blank"
	"readymargin/core/mark"
	"readymargin/core/points"
	"readymargin/core/worksheet"
	"readymargin/demo"
	"readymargin/e2e/browser"
	"readymargin/school/takeaway"
)

// A teacher corrects the blanks, gives points, says directions, sets a colour
// key and lays a picture on the shelf, by mouse and keys. What students get of
// it has nothing that only teachers see, and nothing from a held-back page.
func TestWhatStandsOnTheSheet(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Guide")
	ctx := context.Background()
	p := tab(t, 1280, 800)
	path := fmt.Sprintf("/worksheets/%d", sc.sheet.ID)
	planned := func() worksheet.Plan {
		w, err := home.Store.Worksheet(ctx, sc.sheet.ID)
		if err != nil {
			t.Fatal(err)
		}
		v, err := worksheet.Parse(w.Plan)
		if err != nil {
			t.Fatal(err)
		}
		return v
	}
	do := func(script string) func() error {
		return func() error {
			_, err := browser.Eval[int](p, `const button=(name)=>[...document.querySelectorAll("aside button")].find(b=>b.innerText.trim()===name);`+script+`; return 1`)
			return err
		}
	}
	take := func(place string) func() error {
		return func() error { return p.Click(`[data-place="` + place + `"] .take`) }
	}
	until := func(script string) func() error {
		return func() error { return p.Until(script, script) }
	}
	saved := until(`document.querySelector("[data-saved]").dataset.state==="saved"`)
	// drag goes over the first large page from one place to another, in points.
	drag := func(x0, y0, x1, y1 float64) func() error {
		return func() error {
			at := func(x, y float64) (float64, float64) {
				v, err := browser.Eval[[]float64](p, fmt.Sprintf(`const r=document.querySelector(".leaf-large .leaf-picture").getBoundingClientRect(), k=r.width/595.28; return [r.left+%f*k, r.top+%f*k]`, x, y))
				if err != nil {
					t.Fatal(err)
				}
				return v[0], v[1]
			}
			ax, ay := at(x0, y0)
			bx, by := at(x1, y1)
			for _, e := range []struct {
				kind input.DispatchMouseEventType
				x, y float64
			}{{input.DispatchMouseEventTypeMousePressed, ax, ay}, {input.DispatchMouseEventTypeMouseMoved, (ax + bx) / 2, (ay + by) / 2}, {input.DispatchMouseEventTypeMouseMoved, bx, by}, {input.DispatchMouseEventTypeMouseReleased, bx, by}} {
				if err := p.Pointer(e.kind, "mouse", e.x, e.y, 0.5); err != nil {
					return err
				}
			}
			return nil
		}
	}
	type typed struct{ label, text string }
	fill := func(f typed) func() error {
		return do(fmt.Sprintf(`const l=[...document.querySelectorAll("aside label")].find(l=>l.textContent.startsWith(%q)), f=document.getElementById(l.htmlFor); f.value=%q; f.dispatchEvent(new Event("input",{bubbles:true}))`, f.label, f.text))
	}
	steps(t,
		func() error { return p.SignIn("guide.teacher", scenePassword) },
		func() error { return p.Go(path) },
		take("blanks"), until(`document.querySelectorAll(".blank-list li").length>8`),
		// The range of the tide is a number of metres.
		do(`[...document.querySelectorAll(".blank-list button")].find(b=>b.innerText.includes("range of the tide")).click()`),
		do(`const s=document.querySelector(".blank-editor select"); s.value="number"; s.dispatchEvent(new Event("change",{bubbles:true}))`),
		fill(typed{"Number", "4.5"}), fill(typed{"± at most", "0.1"}), fill(typed{"Unit", "m"}),
		// A new one is drawn, and one of the found is deleted by key.
		drag(60, 120, 200, 140), until(`document.querySelector(".blank.here")`),
		fill(typed{"Its words", "Your boat"}),
		do(`[...document.querySelectorAll(".blank-list button")].find(b=>b.innerText.includes("Circle the mark")).click()`),
		do(`document.activeElement.dispatchEvent(new KeyboardEvent("keydown",{bubbles:true,cancelable:true,key:"Delete"}))`), saved,
		take("points"), until(`document.querySelectorAll(".ask-list .ask").length>4`),
		do(`const f=document.querySelector('[aria-label="Points for question 1. on page 1"]'); f.value="2,5"; f.dispatchEvent(new Event("input",{bubbles:true}))`),
		until(`document.querySelector("[data-sum]").innerText==="2.5 points"`),
		do(`[...document.querySelectorAll(".ask")].find(b=>b.innerText.includes("Mark in the text")).click()`),
		do(`button("Mark the expected words").click()`), drag(206, 174, 250, 174), until(`document.querySelectorAll(".expected").length===1`), saved,
		take("directions"), drag(500, 60, 500, 60), until(`document.querySelector("aside textarea")`),
		do(`document.querySelector("aside textarea").value="Read it twice."; button("Keep").click()`), saved,
		do(`button("Highlighter").click()`), drag(112, 192, 150, 192), until(`document.querySelectorAll(".direction > b").length===2`), saved,
		do(`button("Voice note").click()`), drag(520, 300, 520, 300), until(`document.querySelector('[aria-label="Record"]')`), do(`document.querySelector('[aria-label="Record"]').click()`), until(`document.querySelector('[aria-label="Stop"]')`),
		func() error {
			return p.Until("it hears", `/0:0[1-9]/.test(document.querySelector(".clip time").innerText)`)
		},
		do(`document.querySelector('[aria-label="Stop"]').click()`), until(`[...document.querySelectorAll("aside button")].some(b=>b.innerText.trim()==="Keep")`), do(`button("Keep").click()`),
		until(`document.querySelectorAll(".direction > b").length===3`), saved,
		take("key"), do(`button("Add a meaning").click()`), fill(typed{"It means", "danger"}), do(`document.querySelector("#meaning-new").dispatchEvent(new Event("change",{bubbles:true}))`), saved,
		take("shelf"), func() error { return p.Choose("#shelf-file", picture(t)) }, until(`document.querySelectorAll(".shelf-picture").length===1`), saved,
	)
	if e := p.Errors(); len(e) > 0 {
		t.Errorf("errors on the bench: %v", e)
	}
	leaf := planned()[0]
	var number, boat, circle bool
	for _, b := range *leaf.Blanks {
		number = number || b.Kind == blank.Number && b.Expected != nil && b.Expected.Number == "4.5" && b.Expected.Unit == "m"
		boat = boat || b.Label == "Your boat" && b.Rect[0] > 58 && b.Rect[2] < 202
		circle = circle || strings.Contains(b.Label, "Circle the mark")
	}
	if !number || !boat || circle {
		t.Errorf("blanks as they should be: a number %v, a new one %v, one deleted %v", number, boat, !circle)
	}
	if worth := planned().Points(); worth != 5*points.One/2 {
		t.Errorf("worth %s", worth)
	}
	if len(leaf.Said) != 3 {
		t.Fatalf("%d directions", len(leaf.Said))
	}
	// Undo reaches all of it, and the form for assigning offers the points.
	steps(t, take("pages"), do(`document.querySelector('[data-step="undo"]').click()`), saved, do(`document.querySelector('[data-step="redo"]').click()`), saved,
		func() error { return p.Go(path + "/assign") }, until(`document.querySelector("#points").value==="2.5"`))

	get := func(who, path string) (int, string) { return sc.page(t, who, path) }
	sheet := fmt.Sprintf("/sheets/%d", sc.given.Handouts[0].RevisionID)
	code, guide := get("student", sheet+"/guide")
	if code != http.StatusOK || !strings.Contains(guide, "Your boat") || strings.Contains(guide, `"4.5"`) || strings.Contains(guide, "tolerance") || strings.Contains(guide, `"w"`) {
		t.Errorf("the guide of a student: %d %s", code, guide)
	}
	var voice string
	for _, m := range leaf.Said {
		if n, ok := m.Body.(*mark.Note); ok && n.Voice != nil {
			voice = n.Voice.Sound
		}
	}
	if code, _ := get("student", sheet+"/extras/"+voice); code != http.StatusOK {
		t.Errorf("a student hears the direction: %d", code)
	}
	whole, etag := ranged(t, sc.people["student"], sheet+"/extras/"+voice, http.StatusOK, nil)
	if part, _ := ranged(t, sc.people["student"], sheet+"/extras/"+voice, http.StatusPartialContent, map[string]string{"Range": "bytes=100-199", "If-Range": etag}); part != whole[100:200] {
		t.Error("the range of a sound is another part of it")
	}
	ranged(t, sc.people["student"], sheet+"/extras/"+voice, http.StatusNotModified, map[string]string{"If-None-Match": etag})
	if code, _ := get("outsider", sheet+"/extras/"+voice); code != http.StatusNotFound {
		t.Errorf("an outsider hears the direction: %d", code)
	}
	// Moved to the page that is held back, no student hears it or sees it.
	now := planned()
	w, err := home.Store.Worksheet(ctx, sc.sheet.ID)
	if err != nil {
		t.Fatal(err)
	}
	kit, err := worksheet.ParseKit(w.Kit)
	if err != nil || len(kit.Key) != 1 || kit.Key[0].Name != "danger" || kit.Key[0].Sign != "D" || len(kit.Shelf) != 1 {
		t.Fatalf("the kit: %+v %v", kit, err)
	}
	now[1].Said, now[0].Said = now[0].Said, nil
	if err := home.School.Shelf.Arrange(ctx, personOf(t, "guide.teacher"), w.ID, w.Version, now, kit); err != nil {
		t.Fatal(err)
	}
	if code, _ := get("student", sheet+"/extras/"+voice); code != http.StatusNotFound {
		t.Errorf("a student hears what is said on a held-back page: %d", code)
	}
	mine, err := home.School.Saving.OpenOwn(ctx, personOf(t, "guide.student"), sc.given.ID)
	if err != nil {
		t.Fatal(err)
	}
	if _, view := get("student", fmt.Sprintf("/copies/%d/view", mine.ID)); strings.Contains(view, "Read it twice") || !strings.Contains(view, "danger") {
		t.Errorf("the view of a student: %s", view)
	}
	studentLaysAPicture(t, sc, kit)
}

// studentLaysAPicture lays the shelf's picture on the own copy, and finds it
// in the file that is taken away.
func studentLaysAPicture(t *testing.T, sc *scene, kit worksheet.Kit) {
	t.Helper()
	p := tab(t, 1280, 800)
	id := sc.copies["not started"].ID
	steps(t,
		func() error { return p.SignIn("guide.student", scenePassword) },
		func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready,
		func() error { return fromPopover(p, "draw", "Picture") },
		func() error { return p.Press(browser.Place{Page: 1, X: 300, Y: 300}) },
		func() error {
			return p.Until("the picture is laid", `document.querySelectorAll(".marks image").length===1 && document.querySelector("[data-saved]").dataset.state==="saved"`)
		},
	)
	// A highlight by meaning carries its sign, and is counted.
	steps(t,
		func() error { return p.Click(`[data-place="mark"] .take`) },
		func() error {
			return p.Drag("mouse", 0.5, browser.Place{Page: 1, X: 206, Y: 174}, browser.Place{Page: 1, X: 250, Y: 174})
		},
		func() error {
			return p.Until("it is counted", `document.querySelector("[data-key-count]").innerText.replace(/\s+/g," ").includes("danger (D) 1") && [...document.querySelectorAll(".marks text")].some(t=>t.textContent==="D")`)
		},
	)
	file, err := home.School.Exports.TakeCopy(context.Background(), personOf(t, "guide.student"), id, takeaway.Choice{})
	if err != nil {
		t.Fatal(err)
	}
	name := filepath.Join(t.TempDir(), "copy.pdf")
	if err := os.WriteFile(name, bytesOf(t, file), 0o644); err != nil {
		t.Fatal(err)
	}
	list, err := exec.Command("pdfimages", "-list", name).Output()
	if err != nil {
		t.Fatalf("pdfimages (apt-get install poppler-utils): %v", err)
	}
	if want := fmt.Sprintf("%5.0f %5.0f", kit.Shelf[0].Width, kit.Shelf[0].Height); !strings.Contains(string(list), want) {
		t.Errorf("the file has no picture of %s pixels:\n%s", want, list)
	}
}

// picture is a file for the shelf.
func picture(t *testing.T) string {
	return file(t, "red buoy.png", func() ([]byte, error) { return demo.RedBuoy(), nil })
}

// The whole way from the shelf to an assignment, by keyboard alone.
func TestPreparingAndAssigningByKeyboard(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Keys")
	p := tab(t, 1280, 800)
	// to walks with Tab until the focus is on what is meant, and sees that it
	// is visible there.
	to := func(selector string) func() error {
		return func() error {
			for range 160 {
				if err := p.Key("\t"); err != nil {
					return err
				}
				there, err := browser.Eval[bool](p, fmt.Sprintf(`const a=document.activeElement; return a.matches(%q) && a.getBoundingClientRect().width>0 && getComputedStyle(a).outlineStyle!=="none"`, selector))
				if err != nil || there {
					return err
				}
			}
			return fmt.Errorf("Tab never comes to %s", selector)
		}
	}
	key := func(k string) func() error { return func() error { return p.Key(k) } }
	until := func(script string) func() error { return func() error { return p.Until(script, script) } }
	saved := until(`document.querySelector("[data-saved]").dataset.state==="saved"`)
	steps(t,
		func() error { return p.SignIn("keys.teacher", scenePassword) },
		func() error { return p.Go("/worksheets") },
		to(fmt.Sprintf(`a[href="/worksheets/%d"]`, sc.sheet.ID)), key(kb.Enter), until(`document.querySelector("[data-screen]")?.dataset.ready`),
		to(`.leaf[data-at="0"]`), key(kb.ArrowDown), until(`document.activeElement.matches('.leaf[data-at="1"]')`),
		key(kb.ArrowUp), until(`document.activeElement.matches('.leaf[data-at="0"]')`),
		to(`[data-place="blanks"] .take`), key(kb.Enter), until(`document.querySelector(".blank-list li")`),
		to(`.blank-list button`), key(kb.Enter), until(`document.querySelector(".blank.here")`),
	)
	x := func() float64 {
		v, err := browser.Eval[float64](p, `return +document.querySelector(".blank.here").getAttribute("x")`)
		if err != nil {
			t.Fatal(err)
		}
		return v
	}
	before := x()
	steps(t, key(kb.ArrowRight), key(kb.ArrowRight), saved)
	if x() != before+2 {
		t.Errorf("two presses of an arrow move the blank by %v", x()-before)
	}
	steps(t,
		to(`[data-place="points"] .take`), key(kb.Enter), until(`document.querySelector(".ask-list")`),
		to(`.ask-list .field`), func() error { return p.Type("3") }, saved,
		to(`[data-assign]`), key(kb.Enter), until(`location.pathname.endsWith("/assign")`),
		to(`[name=course]`), to(`#points`), until(`document.activeElement.value==="3"`),
		to(`form[action="/assignments"] button.next`), key(kb.Enter),
		until(`document.body.innerText.includes("Every student has a copy now")`),
	)
}

// ranged gets what is streamed, with some headers, and its ETag.
func ranged(t *testing.T, client *http.Client, path string, want int, headers map[string]string) (body, etag string) {
	t.Helper()
	req, err := http.NewRequest(http.MethodGet, home.Base+path, nil)
	if err != nil {
		t.Fatal(err)
	}
	for k, v := range headers {
		req.Header.Set(k, v)
	}
	res, err := client.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	b, err := io.ReadAll(res.Body)
	if err != nil || res.StatusCode != want || res.Header.Get("ETag") == "" {
		t.Errorf("%s with %v: %d, want %d, with the ETag %q (%v)", path, headers, res.StatusCode, want, res.Header.Get("ETag"), err)
	}
	return string(b), res.Header.Get("ETag")
}
