package e2e

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"readymargin/core/words"
	"readymargin/core/worksheet"
	"readymargin/demo"
	"readymargin/e2e/browser"
	"readymargin/pdf/pdftest"
	"readymargin/school/shelf"
)

// A scan is worked on at once, and its words come behind: its places keep what they are
// and get their labels, its questions are found, it can be read in words. What was read
// wrong is put right on the bench, and those who are at work have it.
func TestAScanGetsWords(t *testing.T) {
	t.Parallel()
	ctx, s := context.Background(), home.School
	tide, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	file := pdftest.BookOf(t, pdftest.Scanned(t, tide, 1, 0.006, nil, rand.New(rand.NewPCG(3, 9))))
	login, id := copyOf(t, "scan", file, 1)
	student, teacher := personOf(t, login), personOf(t, "scan.teacher")
	view, err := s.Screens.Open(ctx, student, id)
	if err != nil {
		t.Fatal(err)
	}
	own, err := s.Shelf.Worksheets(ctx, teacher, shelf.Look{Query: "sheet"})
	if err != nil || len(own.Own) != 1 {
		t.Fatalf("%+v, %v", own.Own, err)
	}
	sheet := own.Own[0].ID
	before, err := s.Revisions.Guides(ctx, student, view.Sheet)
	if err != nil {
		t.Fatal(err)
	}
	if len(before[0].Blanks) == 0 {
		t.Fatal("no place is found on the scan")
	}
	print := func() (p words.Page) {
		layer, err := s.Revisions.TextLayer(ctx, student, view.Sheet, 1)
		if err == nil {
			err = json.Unmarshal([]byte(layer), &p)
		}
		if err != nil {
			t.Fatal(err)
		}
		return p
	}
	for until := time.Now().Add(2 * time.Minute); print().Wordless; time.Sleep(time.Second) {
		if time.Now().After(until) {
			t.Fatal("its words do not come")
		}
	}
	read := print()
	pages, err := home.Engine.Inspect(ctx, tide)
	if err != nil {
		t.Fatal(err)
	}
	all, right := 0, 0
	for _, w := range pages[0].Print.Words {
		if strings.Trim(w.Text, "_.…") == "" {
			continue
		}
		all++
		if slices.ContainsFunc(read.Words, func(o words.Word) bool { return o.Text == w.Text && o.Rect().Center().Dist(w.Rect().Center()) < 15 }) {
			right++
		}
	}
	if t.Logf("%d of %d words are read", right, all); right*10 < all*9 {
		t.Errorf("only %d of %d words are read", right, all)
	}
	for until := time.Now().Add(20 * time.Second); ; time.Sleep(200 * time.Millisecond) {
		after, err := s.Revisions.Guides(ctx, student, view.Sheet)
		if err != nil {
			t.Fatal(err)
		}
		labelled := 0
		for i, b := range before[0].Blanks {
			if a := after[0].Blanks[i]; a.ID != b.ID || a.Rect != b.Rect || a.Kind != b.Kind {
				t.Fatalf("place %d was %+v and is %+v", i, b, a)
			} else if a.Label != "" {
				labelled++
			}
		}
		if labelled*2 >= len(before[0].Blanks) && len(after[0].Questions) >= 3 {
			break
		}
		if time.Now().After(until) {
			t.Fatalf("%d of %d places have labels, and there are %d questions", labelled, len(before[0].Blanks), len(after[0].Questions))
		}
	}

	at := slices.IndexFunc(read.Words, func(w words.Word) bool { return w.Text == "heights" })
	if at < 0 {
		t.Fatalf("no heights among %d words", len(read.Words))
	}
	p, bench := tab(t, 1280, 800), tab(t, 1280, 800)
	is := func(p *browser.Tab, what, script string) func() error {
		return func() error { return p.Until(what, script) }
	}
	steps(t, func() error { return bench.SignIn("scan.teacher", scenePassword) },
		func() error { return bench.Go(fmt.Sprintf("/worksheets/%d", sheet)) },
		is(bench, "the bench is ready", `document.querySelector("[data-screen]").dataset.ready`), func() error { return bench.Click(`[data-place="words"] .take`) },
		is(bench, "it says how much was read", `/\d+ words were read/.test(document.querySelector("#bench-read + p").textContent)`),
		// It is read anew in the language that a teacher says it is in.
		func() error {
			_, err := browser.Eval[bool](bench, `const l = document.querySelector("#bench-lang"); l.value = "en"; l.dispatchEvent(new Event("change", {bubbles: true})); return true`)
			return err
		},
		is(bench, "it says that it is read anew", `/being read once more/.test(document.querySelector("#bench-read + p").textContent)`),
		func() error { // as long as the first time
			for until := time.Now().Add(2 * time.Minute); time.Now().Before(until); time.Sleep(time.Second) {
				if print, err := s.Shelf.LeafPrint(ctx, teacher, sheet, worksheet.PageRef{Page: 1}); err != nil || !strings.Contains(print, `"anew"`) {
					return err
				}
			}
			return fmt.Errorf("its words do not come anew")
		},
		is(bench, "it says how much was read", `/\d+ words were read/.test(document.querySelector("#bench-read + p").textContent)`),
		func() error { return bench.Click("#bench-read ~ label input") },
		is(bench, "all words are there", fmt.Sprintf(`document.querySelectorAll(".read-words input").length === %d`, len(read.Words))))
	axeFinds(t, bench, "the words of a scan")
	steps(t, func() error {
		return bench.Fill(fmt.Sprintf(`.read-words li:nth-of-type(%d) input`, at+1), "Depths")
	}, func() error {
		_, err := browser.Eval[bool](bench, fmt.Sprintf(`document.querySelector(".read-words li:nth-of-type(%d) input").dispatchEvent(new Event("change",{bubbles:true})); return true`, at+1))
		return err
	}, is(bench, "it is put right", `[...document.querySelectorAll(".read-words input")].some(e=>e.getAttribute("aria-label").includes("“Depths”"))`))
	if now := print().Words[at]; now.Text != "Depths" || now.Sure != 1 {
		t.Errorf("at work it is %+v", now)
	}
	if err := s.Shelf.PutRight(ctx, teacher, sheet, worksheet.PageRef{Page: 1}, at, "heights", "Late"); err == nil {
		t.Error("a word is put right that somebody else has put right meanwhile")
	}
	steps(t, func() error { return p.SignIn(login, scenePassword) }, func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready,
		func() error { return p.Click(`[data-do="words"]`) }, is(p, "it is read in words", inWords+` && document.querySelector("[data-inwords]").textContent.includes("Depths")`),
		is(p, "its places have names", `[...document.querySelectorAll("[data-inwords] input, [data-inwords] textarea")].filter(e=>/^\d/.test(e.getAttribute("aria-label") ?? "")).length > 3`))
}
