package e2e

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/demo"
	"readymargin/e2e/browser"
	"readymargin/school"
	"readymargin/school/assign"
	"readymargin/school/intake"
)

// written returns what a copy has in its work, by the labels of its kinds: texts of
// places and values of fields.
func written(t *testing.T, id uint64) (out []string) {
	t.Helper()
	heads, err := home.Store.Heads(context.Background(), id, submission.Work)
	if err != nil {
		t.Fatal(err)
	}
	for _, h := range heads {
		if h.Mark.Blank == "" {
			continue
		}
		switch b := h.Mark.Body.(type) {
		case *mark.FreeText:
			out = append(out, b.String())
		case *mark.Widget:
			out = append(out, strings.Join(b.Values, ", "))
		case *mark.Stamp:
			out = append(out, b.Name)
		}
	}
	slices.Sort(out)
	return out
}

// holds waits until a copy has some texts in its places.
func holds(t *testing.T, id uint64, want ...string) {
	t.Helper()
	slices.Sort(want)
	var got []string
	for range 100 {
		if got = written(t, id); slices.Equal(got, want) {
			return
		}
		time.Sleep(100 * time.Millisecond)
	}
	t.Errorf("the places hold %q, want %q", got, want)
}

const inWords = `document.querySelector('[data-screen]').classList.contains('in-words')`

// A form is filled in in words: it is the marks on the page, with the same undo; on two
// devices what changes in one is in the other; changing from one view to the other asks
// the server for nothing.
func TestASheetIsFilledInInWords(t *testing.T) {
	t.Parallel()
	file, err := demo.PassagePlan()
	if err != nil {
		t.Fatal(err)
	}
	login, id := copyOf(t, "inwords", file, 1)
	p := tab(t, 1280, 800)
	at := fmt.Sprintf("/copies/%d", id)
	field := func(name string) string { return fmt.Sprintf(`[data-column] [aria-label^=%q]`, name) }
	type_ := func(name, text string) func() error {
		return func() error {
			if _, err := browser.Eval[bool](p, fmt.Sprintf("const f=document.querySelector(%q); f.focus(); f.select?.(); return true", field(name))); err != nil {
				return err
			}
			return p.Type(text)
		}
	}
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	press := func(selector string) func() error { return func() error { return p.Click(selector) } }
	steps(t, func() error { return p.SignIn(login, scenePassword) }, func() error { return p.Go(at) }, p.Ready,
		is("it is there in words", `document.querySelectorAll('[data-column] input').length > 5`))
	if early, err := browser.Eval[int](p, `return document.querySelectorAll("[data-column] image[href]").length`); err != nil || early > 0 {
		t.Errorf("%d pictures are fetched though the page is shown, %v", early, err)
	}
	if _, err := browser.Eval[bool](p, `window.asked = []; const f = window.fetch; window.fetch = (...a) => { window.asked.push(String(a[0])); return f(...a); }; return true`); err != nil {
		t.Fatal(err)
	}
	steps(t, press(`[data-do="words"]`), is("the words are shown", inWords), press(`[data-look="page"]`), is("the page is shown", "!"+inWords), press(`[data-do="words"]`))
	asked, err := browser.Eval[[]string](p, `return window.asked.filter((a) => !a.includes("/settings"))`)
	if err != nil || len(asked) > 0 {
		t.Errorf("changing the view asks for %v, %v", asked, err)
	}
	axeFinds(t, p, "a sheet in words")
	steps(t, type_("1, blank 1", "Tern"), type_("1, blank 2", "4XQ"), type_("5", "Along the pier,\nthen to the white tower."),
		press(field("2, box 2")), press(field("3, box 1")), press(field("3, box 3")),
		func() error {
			_, err := browser.Eval[bool](p, fmt.Sprintf(`const s=document.querySelector(%q); s.selectedIndex = 1; s.dispatchEvent(new Event("change", {bubbles: true})); return true`, field("2, blank 3")))
			return err
		},
		press(`fieldset.several input`))
	ports, err := browser.Eval[string](p, fmt.Sprintf(`return document.querySelector(%q).value`, field("2, blank 3")))
	if err != nil {
		t.Fatal(err)
	}
	ebb, err := browser.Eval[string](p, `return [...document.querySelectorAll("fieldset.several input")].filter((b) => b.checked).map((b) => b.value).join(", ")`)
	if err != nil {
		t.Fatal(err)
	}
	want := []string{"4XQ", "Along the pier,\nthen to the white tower.", "Tern", ebb, ports, "ebb", "flares", "lifejackets"}
	got := func() []string { return written(t, id) }
	for range 50 {
		if len(got()) == len(want) {
			break
		}
		time.Sleep(100 * time.Millisecond)
	}
	for _, w := range []string{"4XQ", "Along the pier,\nthen to the white tower.", "Tern", ebb, ports} {
		if !slices.Contains(got(), w) {
			t.Errorf("the places hold %q, and not %q", got(), w)
		}
	}
	if len(got()) != len(want) {
		t.Errorf("%d places hold something, want %d: %q", len(got()), len(want), got())
	}
	// Undo takes back the last of it, in words too.
	before := len(got())
	steps(t, press(`[data-step="undo"]`), is("the list is empty again", `![...document.querySelectorAll("fieldset.several input")].some((b) => b.checked)`), press(`[data-step="redo"]`),
		is("it is back", `[...document.querySelectorAll("fieldset.several input")].some((b) => b.checked)`))
	if n := len(got()); n != before {
		t.Errorf("after undo and redo %d places hold something, before %d", n, before)
	}

	// On another device it is there, on the page and in words, and what is typed there comes here.
	q, err := chrome.Tab(home.Base, 390, 844)
	if err != nil {
		t.Fatal(err)
	}
	defer q.Close()
	steps(t, func() error { return q.SignIn(login, scenePassword) }, func() error { return q.Go(at) }, q.Ready,
		func() error {
			return q.Until("the words are chosen there too", inWords)
		},
		func() error {
			return q.Until("the boat has its name there", fmt.Sprintf(`document.querySelector(%q).value === "Tern"`, field("1, blank 1")))
		},
		func() error {
			_, err := browser.Eval[bool](q, fmt.Sprintf("const f=document.querySelector(%q); f.focus(); f.setSelectionRange(4, 4); return true", field("1, blank 1")))
			return err
		},
		func() error { return q.Type(" of Skerry") },
		is("it comes here", fmt.Sprintf(`document.querySelector(%q).value === "Tern of Skerry"`, field("1, blank 1"))))
	axeFinds(t, q, "a sheet in words on a telephone")
	wide, err := browser.Eval[bool](q, `return document.querySelector("[data-inwords]").scrollWidth <= document.querySelector("[data-inwords]").clientWidth`)
	if err != nil || !wide {
		t.Errorf("the words are wider than the telephone, %v", err)
	}
}

// Words are chosen in words and highlighted; the mark is the one that the highlighter
// makes on the page over the same words.
func TestWordsAreMarkedInWords(t *testing.T) {
	t.Parallel()
	file, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	login, id := copyOf(t, "wordsmarked", file, 2)
	p := tab(t, 1280, 800)
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	choose := func(from, to string) func() error {
		return func() error {
			_, err := browser.Eval[bool](p, fmt.Sprintf(`const n=[...document.querySelectorAll(".printed")].find((s) => s.textContent.includes(%q)), at=n.textContent.indexOf(%q), end=n.textContent.indexOf(%q)+%d;
				const r=document.createRange(), text=n.firstChild; r.setStart(text, at); r.setEnd(text, end); getSelection().removeAllRanges(); getSelection().addRange(r); return true`, from, from, to, len(to)))
			return err
		}
	}
	steps(t, func() error { return p.SignIn(login, scenePassword) }, func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready,
		is("it is there in words", `document.querySelector(".printed")`), func() error { return p.Click(`[data-do="words"]`) },
		is("the words of the page are known", `[...document.querySelectorAll(".printed")].some((s) => s.textContent.includes("Carrick"))`),
		choose("Carrick", "rocks,"), func() error { return p.ClickWords("Highlight") },
		is("it is highlighted in words", `document.querySelector("[data-column] mark")?.textContent === "Carrick rocks,"`))
	steps(t, is("it is told, and that it is saved is not", `(() => { const told = document.querySelector("[data-told]").textContent; return told.includes("Highlight on “Carrick rocks,”") && !told.includes("Saved"); })()`))
	steps(t, is("its pictures are fetched by now", `document.querySelectorAll(".take-picture image[href]").length === 4`))
	defer func() { // one of four pictures is taken, which is a circle about it, and left again
		steps(t, func() error { return p.Click(`.one-of ~ .one-of button`) }, is("it is taken", `document.querySelectorAll('.take-picture[aria-pressed="true"]').length === 1`),
			is("a circle is on the page", `document.querySelectorAll('[data-layer="work"]').length === 2`),
			func() error { return p.Click(`.one-of button[aria-pressed="true"]`) }, is("it is left", `!document.querySelector('.take-picture[aria-pressed="true"]')`))
	}()
	var found []mark.Mark
	for range 50 {
		heads, err := home.Store.Heads(context.Background(), id, submission.Work)
		if err != nil {
			t.Fatal(err)
		}
		if found = nil; len(heads) > 0 {
			found = append(found, *heads[0].Mark)
			break
		}
		time.Sleep(100 * time.Millisecond)
	}
	if len(found) != 1 {
		t.Fatal("it is not kept")
	}
	h, ok := found[0].Body.(*mark.Highlight)
	if !ok || h.Text != "Carrick rocks," || len(h.QuadPoints) != 1 {
		t.Errorf("it is kept as %+v", found[0].Body)
	}
}

// tidesByTree are the places of the first page as somebody is told of them, and what is
// written there.
var tidesByTree = [][2]string{
	{"Name", "Tree Student"}, {"1, blank 1 of 6: 05:12, Height of tide", "0.9 m"}, {"1, blank 4 of 6: 08:20, Depth over the sill", "1.3 m"},
	{"2, blank 1 of 2: The range of the tide is", "4.5"}, {"2, blank 2 of 2:", "neap"}, {"5: 5. Explain in your own words", "By the rule of twelfths."},
}

// A worksheet is done, submitted, marked and read again by two people who get nothing but
// the accessibility tree: roles, names and values, no places of the screen. The page is
// shown, and not the words.
func TestAWorksheetByTheTreeAlone(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	file, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	login, id := copyOf(t, "tree", file, 2)
	p := tab(t, 1280, 800)
	var student []func() error
	do := func(role, words, key string) func() error { return func() error { return p.Do(role, words, key) } }
	student = append(student, func() error { return p.SignIn(login, scenePassword) }, func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready)
	for _, place := range tidesByTree {
		student = append(student, func() error { return p.Say("textbox", place[0], place[1]) })
	}
	steps(t, student...)
	var texts []string
	for _, place := range tidesByTree {
		texts = append(texts, place[1])
	}
	holds(t, id, texts...)
	for _, place := range tidesByTree {
		if n, err := p.Told("textbox", place[0]); err != nil || n.Value != place[1] {
			t.Errorf("%s: told %q, %v", place[0], n.Value, err)
		}
	}
	// The places come in the order in which the sheet is read, after what stands before them.
	tree, err := p.Tree()
	if err != nil {
		t.Fatal(err)
	}
	order := []string{"heading Tide heights", "textbox Name", "heading 1. Read the extract", "textbox 1, blank 1", "textbox 1, blank 6", "heading 2.", "textbox 2, blank 1", "heading 3.", "heading 4.", "heading 5.", "textbox 5:"}
	for _, n := range tree {
		if len(order) > 0 && strings.HasPrefix(n.Role+" "+n.Name, order[0]) {
			order = order[1:]
		}
	}
	if len(order) > 0 {
		t.Errorf("the tree does not come to %q", order)
	}
	steps(t, do("button", "Submit", kb.Enter), func() error {
		// The one in the dialog, which is told last.
		for range 50 {
			all, err := p.Tree()
			if err != nil {
				return err
			}
			i := slices.IndexFunc(all, func(n browser.Node) bool { return n.Role == "dialog" })
			for _, n := range all[max(i, 0):] {
				if i >= 0 && n.Role == "button" && n.Name == "Submit" {
					if err := p.Reach(n); err != nil {
						return err
					}
					return p.Enter()
				}
			}
			time.Sleep(100 * time.Millisecond)
		}
		return fmt.Errorf("no dialog asks")
	}, func() error { _, err := p.Told("heading", "It is in"); return err })

	// The teacher hears the answers, puts a note at the wrong one, and gives points.
	c, err := home.Store.CopyInCourse(ctx, id, 0)
	if err != nil {
		t.Fatal(err)
	}
	teacher, err := chrome.Tab(home.Base, 1280, 800)
	if err != nil {
		t.Fatal(err)
	}
	defer teacher.Close()
	steps(t, func() error { return teacher.SignIn("tree.teacher", scenePassword) },
		func() error {
			return teacher.Go(fmt.Sprintf("/assignments/%d/marking?copy=%d", c.Copy.AssignmentID, id))
		}, teacher.Ready,
		func() error {
			n, err := teacher.Told("textbox", "1, blank 4 of 6: 08:20, Depth over the sill")
			if err == nil && n.Value != "1.3 m" {
				err = fmt.Errorf("the answer is told as %q", n.Value)
			}
			return err
		},
		func() error { return teacher.Do("button", "Note at 1", kb.Enter) },
		func() error { return teacher.Say("textbox", "Your note", "Add the tide to the depth at datum.") },
		func() error { return teacher.Do("button", "Keep", kb.Enter) },
		func() error {
			return teacher.Until("the note is kept", `document.querySelector("[data-note]") && !document.querySelector("[data-draft]")`)
		},
		func() error { return teacher.Do("button", "Return", kb.Enter) })
	var state flow.State
	for range 100 {
		if c, err = home.Store.CopyInCourse(ctx, id, 0); err != nil {
			t.Fatal(err)
		}
		if state = c.Copy.State; state == flow.Returned {
			break
		}
		if all, err := teacher.Tree(); err == nil { // a dialog asks whether it goes back without points
			i := slices.IndexFunc(all, func(n browser.Node) bool { return n.Role == "dialog" })
			for _, n := range all[max(i, 0):] {
				if i >= 0 && n.Role == "button" && strings.HasPrefix(n.Name, "Return") {
					steps(t, func() error { return teacher.Reach(n) }, teacher.Enter)
					break
				}
			}
		}
		time.Sleep(100 * time.Millisecond)
	}
	if state != flow.Returned {
		t.Fatalf("it is %s, and not returned", state)
	}

	// The student finds what was wrong, and why.
	steps(t, func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready, func() error { _, err := p.Told("textbox", "1, blank 4 of 6"); return err })
	all, err := p.Tree()
	if err != nil {
		t.Fatal(err)
	}
	told, _ := json.Marshal(all)
	if !strings.Contains(string(told), "Add the tide to the depth at datum.") {
		t.Errorf("the remark is not told: %s", told)
	}
}

// A word of the sheet is looked up where it stands, and said; an assignment that leaves
// looking up out does not offer it, and the server refuses it to students.
func TestAWordIsLookedUp(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	file, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	login, id := copyOf(t, "lookup", file, 2)
	p := tab(t, 1280, 800)
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	choose := func() error {
		_, err := browser.Eval[bool](p, `const n=[...document.querySelectorAll(".printed")].find((s) => s.textContent.includes("rocks,")), at=n.textContent.indexOf("dry");
			const r=document.createRange(); r.setStart(n.firstChild, at); r.setEnd(n.firstChild, at+3); getSelection().removeAllRanges(); getSelection().addRange(r); return true`)
		return err
	}
	offered := `[...document.querySelectorAll("[data-popover] button")].some((b) => b.textContent === "Look up")`
	known := is("the words are known", `[...document.querySelectorAll(".printed")].some((s) => s.textContent.includes("rocks,"))`)
	steps(t, func() error { return p.SignIn(login, scenePassword) }, func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready,
		known, func() error { return p.Click(`[data-do="words"]`) }, choose,
		is("it is offered", offered), func() error { return p.ClickWords("Look up") },
		is("it is told", `document.querySelector(".meanings h3")?.textContent === "dry" && document.querySelector(".meanings").textContent.includes("remove the moisture from")`),
		func() error { return p.Click(`.meanings [aria-label="Listen to dry"]`) }, is("it is said", `document.querySelector(".reading-bar")`), func() error { return p.Key(kb.Escape) })
	axeFinds(t, p, "a word looked up")
	c, err := home.Store.CopyInCourse(ctx, id, 0)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := home.School.Assignments.ChangeTerms(ctx, personOf(t, "lookup.teacher"), c.Assignment.ID, c.Assignment.Version, assign.Terms{Title: "A reading test", Instruments: []string{"type", "highlighter"}}); err != nil {
		t.Fatal(err)
	}
	look := fmt.Sprintf(`return (await fetch("/copies/%d/look-up?word=dry")).status`, id)
	if code, err := browser.Eval[int](p, look); err != nil || code != 403 {
		t.Errorf("where it is left out: %d, %v", code, err)
	}
	steps(t, func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready, known, is("the words are shown again", inWords), choose,
		is("what can be done with words is offered", `document.querySelector("[data-popover]:not([hidden]) button")`), is("but not to look them up", "!("+offered+")"))
}

// What a teacher says that a word means, on the sheet or in the course, comes before what
// the dictionary says, in whatever form the word stands. What students look up is kept for
// them; teachers see how many did, and no names. Three hundred may look up at once.
func TestWordsThatATeacherExplains(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	file, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	login, id := copyOf(t, "explained", file, 2)
	student := personOf(t, login)
	c, err := home.Store.CopyInCourse(ctx, id, 0)
	if err != nil {
		t.Fatal(err)
	}
	course := c.Assignment.CourseID
	p, bench := tab(t, 1280, 800), tab(t, 1280, 800)
	is := func(p *browser.Tab, what, script string) func() error {
		return func() error { return p.Until(what, script) }
	}
	// On the bench, with the page's headings; and on the page of the course.
	steps(t, func() error { return bench.SignIn("explained.teacher", scenePassword) }, func() error { return bench.Go(fmt.Sprintf("/worksheets/%d", c.Revision.WorksheetID)) },
		is(bench, "the bench is ready", `document.querySelector("[data-screen]").dataset.ready`), func() error { return bench.Click(`[data-place="words"] .take`) },
		func() error { return bench.ClickWords("Take the headings") }, is(bench, "the title is in the list", `document.querySelector(".explained input")?.value === "Tide heights 2"`),
		func() error {
			_, err := browser.Eval[bool](bench, `const f=document.querySelector(".explained input"); f.value="dry"; f.dispatchEvent(new Event("change",{bubbles:true})); return true`)
			return err
		},
		is(bench, "it is called otherwise", `document.querySelector(".explained button").getAttribute("aria-label") === "Take out dry"`),
		func() error { return bench.Fill(".explained textarea", "To lie above the water at low tide") })
	axeFinds(t, bench, "words that are explained")
	steps(t, func() error { time.Sleep(1500 * time.Millisecond); return nil }, is(bench, "it is kept", `document.querySelector("[data-saved]").textContent.includes("Saved")`),
		func() error { return bench.Go(fmt.Sprintf("/courses/%d/words", course)) },
		func() error { // as a form of somebody else's may
			_, err := browser.Eval[bool](bench, `document.querySelector('[name="word"]').removeAttribute("maxlength"); return true`)
			return err
		},
		func() error { return bench.Fill(`[name="word"]`, strings.Repeat("long ", 20)) }, func() error { return bench.Fill(`[name="means"]`, "A step at the entrance of a dock") },
		func() error { return bench.ClickWords("Keep it") }, is(bench, "what is wrong is told, and what was typed stays", `document.querySelector(".wrong") && document.querySelector('[name="means"]').value.startsWith("A step")`),
		func() error { return bench.Fill(`[name="word"]`, "sill") }, func() error { return bench.ClickWords("Keep it") },
		is(bench, "it is in the list", `document.querySelector(".glossary dt")?.textContent === "sill"`))
	axeFinds(t, bench, "the words of a course")
	// The student's.
	look := func(word string) func() error {
		return func() error {
			return p.Until("it is chosen", fmt.Sprintf(`(()=>{const n=[...document.querySelectorAll(".printed")].find((s) => s.textContent.includes(%[1]q)); if (!n) return false; const at=n.textContent.indexOf(%[1]q);
				const r=document.createRange(); r.setStart(n.firstChild, at); r.setEnd(n.firstChild, at+%[2]d); getSelection().removeAllRanges(); getSelection().addRange(r); return true})()`, word, len(word)))
		}
	}
	steps(t, func() error { return p.SignIn(login, scenePassword) }, func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready, func() error { return p.Click(`[data-do="words"]`) },
		look("sill"), func() error { return p.ClickWords("Look up") },
		is(p, "the course's comes first", `document.querySelector(".meanings section").textContent.startsWith("In this course") && document.querySelector(".meanings").textContent.includes("entrance of a dock")`),
		func() error { return p.Fill(`[aria-label="Word to look up"]`, "dries") }, func() error { return p.Click(`.look-up button`) },
		is(p, "the sheet's comes first, in another form, and the dictionary's behind", `document.querySelector(".meanings section").textContent.startsWith("On this worksheet") && document.querySelectorAll(".meanings section").length > 1`),
		is(p, "what came before is there", `document.querySelector(".earlier button")?.textContent === "sill"`), func() error { return p.Click(".earlier button") },
		is(p, "and comes again", `document.querySelector(".meanings h3").textContent.startsWith("sill")`),
		func() error { return p.Go(fmt.Sprintf("/courses/%d/words", course)) },
		is(p, "it is kept for them", `document.querySelector(".looked-up").textContent.includes("sill") && document.querySelector(".looked-up").textContent.includes("2 times") && !document.querySelector('[name="means"]')`))
	axeFinds(t, p, "the words that somebody has looked up")
	steps(t, func() error { return bench.Go(fmt.Sprintf("/courses/%d/words", course)) },
		is(bench, "the teacher sees how many", `/dry by 1 student/.test(document.querySelector(".looked-up").textContent.replace(/\s+/g, " ")) && !document.body.textContent.includes("explained Student")`),
		// Whoever wants to lets their name be seen.
		named(p, "Show my teachers that it was me"), shows(p, "Your teachers see that it was you."),
		func() error { return bench.Go(fmt.Sprintf("/courses/%d/words", course)) }, shows(bench, "by 1 student, among them explained Student"),
		named(p, "Hide my name again"), shows(p, "and not who"),
		func() error { return bench.Go(fmt.Sprintf("/courses/%d/words", course)) }, gone(bench, "explained Student"))
	// All at once.
	var all sync.WaitGroup
	for range 300 {
		all.Go(func() {
			if _, err := home.School.Lookup.Look(ctx, student, id, "sills"); err != nil {
				t.Error(err)
			}
		})
	}
	all.Wait()
	own, err := home.Store.LookedUp(ctx, course, student.ID)
	if err != nil || own[0].Word != "sill" || own[0].Times != 302 {
		t.Errorf("300 times more looked up: %+v, %v", own, err)
	}
	for _, who := range []school.Person{student, personOf(t, "explained.outsider")} {
		if err := home.School.Lookup.SetWord(ctx, who, course, "sill", "mine"); err == nil {
			t.Errorf("%s explains words", who.Name)
		}
	}
	if _, err := home.School.Lookup.Glossary(ctx, personOf(t, "explained.outsider"), course); err == nil {
		t.Error("somebody else sees the words of a course")
	}
}

// On the bench a teacher says what a picture shows, leaves another out as decoration,
// sets the language, and puts the order of reading right; the sheet in words has all of it.
func TestPicturesAreDescribed(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	setSceneNamed(t, "Described")
	teacher := personOf(t, "described.teacher")
	file, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	w, err := home.School.Shelf.BringIn(ctx, teacher, intake.Upload{Name: "sheet.pdf", Data: file})
	if err != nil {
		t.Fatal(err)
	}
	p := tab(t, 1280, 800)
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	steps(t, func() error { return p.SignIn("described.teacher", scenePassword) }, func() error { return p.Go(fmt.Sprintf("/worksheets/%d", w.ID)) },
		is("the bench is ready", `document.querySelector("[data-screen]").dataset.ready`), func() error { return p.Click(`[data-place="words"] .take`) },
		is("its four pictures are there", `document.querySelectorAll(".figure-said").length === 4`))
	axeFinds(t, p, "the bench, in words")
	steps(t, is("the order of reading is there", `document.querySelector(".reading-order .what")?.textContent === "Tide heights 2"`),
		func() error { return p.Click(`.reading-order [aria-label="Later: Tide heights 2"]`) },
		is("it comes later", `[...document.querySelectorAll(".reading-order .what")].findIndex((w) => w.textContent === "Tide heights 2") === 1`),
		func() error {
			_, err := browser.Eval[bool](p, `const s=document.querySelector(".reading-order li select"); s.value="plain"; s.dispatchEvent(new Event("change", {bubbles: true})); return true`)
			return err
		},
		is("what need not be read is in no list", `document.querySelector(".reading-order .what").textContent === "Tide heights 2"`),
		func() error { return p.Fill(`.figure-said textarea`, "A triangle on a staff, its point up") },
		func() error { return p.Click(`.figure-said:nth-of-type(4) input[type="checkbox"]`) },
		func() error {
			_, err := browser.Eval[bool](p, `const s=document.querySelector("#bench-lang"); s.value="de"; s.dispatchEvent(new Event("change", {bubbles: true})); return true`)
			return err
		},
		is("it is kept", `document.querySelector("[data-saved]").textContent.includes("Saved")`), func() error { time.Sleep(1500 * time.Millisecond); return nil },
		is("all of it is kept", `document.querySelector("[data-saved]").textContent.includes("Saved")`),
		func() error { return p.Go(fmt.Sprintf("/worksheets/%d/try#words", w.ID)) }, p.Ready,
		is("the words are shown", inWords+` && document.querySelectorAll(".take-picture").length === 3`),
		is("what need not be read is not there", `!document.querySelector("[data-inwords]").textContent.includes("Skerrymouth Evening College")`),
		is("the picture is described", `document.querySelector('.take-picture[aria-label="A triangle on a staff, its point up"]')`),
		is("the language is the teacher's", `document.querySelector('[data-words="1"]').lang === "de"`))
}

// F6 goes through the parts of the screen, and Shift with it the other way; what is not
// shown is passed over.
func TestOneKeyGoesThroughTheScreen(t *testing.T) {
	t.Parallel()
	file, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	login, id := copyOf(t, "f6", file, 2)
	p := tab(t, 1280, 800)
	at := func(part string) func() error {
		return func() error {
			return p.Until("the focus is in "+part, fmt.Sprintf(`document.querySelector(%q).contains(document.activeElement)`, part))
		}
	}
	on := func() error { return p.Key(kb.F6) }
	steps(t, func() error { return p.SignIn(login, scenePassword) }, func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready,
		func() error { return p.Until("it is there in words", `document.querySelector(".printed")`) },
		on, at(".head"), on, at("[data-desk]"), on, at("[data-spine]"), on, at("[data-margin]"), on, at(".side"), on, at(".head"),
		func() error {
			return chromedp.Do(p.Ctx, chromedp.KeyEvent(kb.F6, chromedp.KeyModifiers(8)))
		}, at(".side"),
		func() error { return p.Click(`[data-do="words"]`) }, on, at("[data-inwords]"))
	// Tab goes from an instrument into its flap, and from there to the next instrument.
	back := func() error { return chromedp.Do(p.Ctx, chromedp.KeyEvent(kb.Tab, chromedp.KeyModifiers(8))) }
	opener, next := `document.activeElement === document.querySelector('[data-place="draw"] .take')`, `document.activeElement.closest(".place")?.previousElementSibling?.dataset.place === "draw"`
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	steps(t, func() error { return p.Click(`[data-do="words"]`) }, func() error { return p.Click(`[data-place="draw"] .take`) },
		func() error { return p.Until("its flap is open", `!document.querySelector("[data-popover]").hidden`) },
		func() error {
			_, err := browser.Eval[int](p, `document.querySelector('[data-place="draw"] .take').focus(); return 1`)
			return err
		}, func() error { return p.Key(kb.Tab) }, at("[data-popover]"), back, is("back on the instrument", opener),
		func() error { return p.Key(kb.Tab) }, func() error {
			for range 60 {
				if done, err := browser.Eval[bool](p, "return !document.querySelector('[data-popover]').contains(document.activeElement)"); err != nil || done {
					return err
				}
				if err := p.Key(kb.Tab); err != nil {
					return err
				}
			}
			return errors.New("there is no way out of the flap")
		}, is("on to the next instrument", next), back, at("[data-popover]"))
}

// Who marks comes to the points before the sheet.
func TestPointsComeBeforeTheSheet(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Points First")
	c := sc.copies[flow.Submitted]
	p := tab(t, 1280, 800)
	steps(t, func() error { return p.SignIn("points.first.teacher", scenePassword) },
		func() error { return p.Go(fmt.Sprintf("/assignments/%d/marking?copy=%d", c.AssignmentID, c.ID)) }, p.Ready)
	for range 80 {
		where, err := browser.Eval[string](p, `const a = document.activeElement; return a.matches("[data-margin] input") ? "points" : a.closest("[data-desk]") ? "sheet" : ""`)
		switch {
		case err != nil:
			t.Fatal(err)
		case where == "points":
			return
		case where == "sheet":
			t.Fatal("the sheet comes before the points")
		}
		if err := p.Key(kb.Tab); err != nil {
			t.Fatal(err)
		}
	}
	t.Fatal("the points are not reached")
}

// On the bench the order of reading is changed with the keyboard alone, and the focus
// stays with the piece that was moved.
func TestTheOrderOfReadingByKeyboard(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	file, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	setSceneNamed(t, "orderkeys")
	w, err := home.School.Shelf.BringIn(ctx, personOf(t, "orderkeys.teacher"), intake.Upload{Name: "sheet.pdf", Data: file})
	if err != nil {
		t.Fatal(err)
	}
	p := tab(t, 1280, 800)
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	until := func(what, script string) func() error {
		return func() error {
			for range 250 {
				if there, err := browser.Eval[bool](p, "return "+script); err != nil || there {
					return err
				}
				if err := p.Key(kb.Tab); err != nil {
					return err
				}
			}
			return errors.New(what + " is not reached by Tab")
		}
	}
	const first = `document.querySelector(".reading-order li").innerText`
	steps(t, func() error { return p.SignIn("orderkeys.teacher", scenePassword) }, func() error { return p.Go(fmt.Sprintf("/worksheets/%d", w.ID)) },
		is("the bench is ready", `document.querySelector("[data-screen]").dataset.ready`),
		until("the place In words", `document.activeElement.matches('[data-place="words"] .take')`), func() error { return p.Key(kb.Enter) },
		is("the pieces are listed", `document.querySelectorAll(".reading-order li").length > 3`),
		until("Later", `document.activeElement.matches('.reading-order [aria-label^="Later:"]')`))
	was, err := browser.Eval[string](p, "return "+first)
	if err != nil {
		t.Fatal(err)
	}
	steps(t, func() error { return p.Key(kb.Enter) }, is("another piece is first", fmt.Sprintf(`%s !== %q && document.querySelectorAll(".reading-order li")[1].innerText.includes(%q)`, first, was, strings.Fields(was)[0])),
		is("the focus stays with it", `document.activeElement.closest(".reading-order li") === document.querySelectorAll(".reading-order li")[1]`))
}

// The reading window goes with the line that is typed and with the keyboard; messages stay
// for who wants to close them.
func TestTheReadingWindowFollows(t *testing.T) {
	t.Parallel()
	file, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	login, id := copyOf(t, "window", file, 2)
	p := tab(t, 1280, 800)
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	const level = `parseFloat(document.querySelector("[data-screen]").style.getPropertyValue("--reading")) + document.querySelector("[data-desk]").getBoundingClientRect().top`
	on := func(what, rect string) func() error {
		return is("the window is on "+what, fmt.Sprintf(`(() => { const r = %s, l = %s; return l > r.top - 4 && l < r.bottom + 4 })()`, rect, level))
	}
	set := func(name string) func() error {
		return func() error { return p.Click(fmt.Sprintf("[data-set=%q]", name)) }
	}
	steps(t, func() error { return p.SignIn(login, scenePassword) }, func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready,
		func() error { return p.Click(`[data-do="help"]`) }, set("ruler"), set("messagesStay"), func() error { return p.Key(kb.Escape) },
		func() error { return p.Press(browser.Place{Page: 1, X: 300, Y: 700}) }, func() error { return p.Type("By the rule") },
		on("the line that is typed", `document.querySelector('[data-desk] [contenteditable="true"]').getBoundingClientRect()`),
		func() error { return p.Key(kb.Escape) }, func() error { return p.Click(`[data-do="words"]`) },
		func() error { return p.Click("[data-inwords] input.writes") }, func() error { return p.Key(kb.Tab) }, func() error { return p.Key(kb.Tab) },
		on("what has the focus", `document.activeElement.getBoundingClientRect()`),
		// What is said in words of a copy that cannot be had.
		func() error {
			_, err := browser.Eval[bool](p, `window.fetch = () => Promise.reject(new TypeError("gone")); return true`)
			return err
		}, func() error { return p.Click(`.looks [data-listen="here"]`) }, is("one is told", `document.querySelector(".toast")`))
	time.Sleep(9 * time.Second)
	steps(t, is("it is still told", `document.querySelector(".toast")`), func() error { return p.ClickWords("Close") }, is("it is closed", `!document.querySelector(".toast")`))
}
