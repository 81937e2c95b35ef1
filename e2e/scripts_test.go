package e2e

import (
	"context"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp/kb"

	"readymargin/core/document"
	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/submission"
	"readymargin/core/typeset"
	"readymargin/demo"
	"readymargin/e2e/browser"
	"readymargin/school/assign"
	"readymargin/school/intake"
	"readymargin/school/takeaway"
)

// scripts are texts in scripts beside Latin, Greek and Cyrillic.
var scripts = []struct{ name, text string }{
	{"Arabic", "ارتفاع المد"}, {"Hebrew", "גובה הגאות"}, {"Hebrew with a number", "גובה 45 מטר"}, {"Devanagari", "ज्वार की ऊँचाई"}, {"Thai", "ระดับน้ำขึ้น"},
	{"Chinese", "潮汐的高度是多少？"}, {"Japanese", "潮の高さはどれくらいですか。"}, {"Korean", "조석의 높이는 얼마입니까"}, {"both ways", "The word מים is water."},
}

// What the browser shows comes out the same in the file: every text is as wide, its
// letters stand where the browser has them, within half a point, and other programs
// read it back.
func TestEveryScriptComesOutAsTheBrowserSetsIt(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	sc := setSceneNamed(t, "Writings")
	student, id := personOf(t, "writings.student"), sc.copies[flow.NotStarted].ID
	var ops []submission.Op
	for i, s := range scripts {
		width := typeset.Load().Width(s.text, 16)
		m := mark.Mark{ID: fmt.Sprintf("script-%02d", i), Page: 1, Body: &mark.FreeText{X: 80, Y: float64(640 + 21*i), Width: page.Round(width),
			Lines: []mark.TextLine{{Runs: []mark.Run{{Text: s.text, Size: 16, Color: "#1e2a44", Width: page.Round(width)}}}}}}
		ops = append(ops, submission.Op{ID: "op-" + m.ID, On: m.ID, Mark: &m})
	}
	if _, err := home.School.Saving.Save(ctx, student, id, submission.Work, ops); err != nil {
		t.Fatal(err)
	}
	p := tab(t, 1280, 800)
	steps(t, func() error { return p.SignIn("writings.student", scenePassword) }, func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready,
		func() error {
			return p.Until("the fonts are there", `await document.fonts.ready, ["RM Scripts", "RM Han SC", "RM Han JP", "RM Han KR"].every((n) => [...document.fonts].some((f) => f.family.replaceAll('"', "") === n && f.status === "loaded"))`)
		})
	f, err := home.School.Exports.TakeCopy(ctx, student, id, takeaway.Choice{})
	if err != nil {
		t.Fatal(err)
	}
	words := strings.Map(func(r rune) rune {
		if r >= 0x202A && r <= 0x202E {
			return -1 // marks of direction that pdftotext puts in
		}
		return r
	}, textIn(t, bytesOf(t, f)))
	for i, s := range scripts {
		type seen struct {
			Width  float64   `json:"width"`
			Starts []float64 `json:"starts"`
		}
		got, err := browser.Eval[seen](p, fmt.Sprintf(`const t = document.querySelector('.marks [data-id="script-%02d"] text, .marks #script-%02d text') ?? [...document.querySelectorAll(".marks text")].find((t) => t.textContent === %q);
			return { width: t.getComputedTextLength(), starts: [...Array(t.getNumberOfChars()).keys()].map((i) => t.getStartPositionOfChar(i).x) }`, i, i, s.text))
		if err != nil {
			t.Fatal(err)
		}
		glyphs, want := typeset.Load().Shape(s.text, 16), typeset.Load().Width(s.text, 16)
		if math.Abs(got.Width-want) > 0.5 {
			t.Errorf("%s: the browser sets it %.2f wide, the file %.2f", s.name, got.Width, want)
		}
		// Where letters begin, from the left: what stands on another begins with it.
		x, off := 80.0, 0.0
		for _, g := range glyphs {
			if g.Text == "" || g.Width == 0 {
				x += g.Width
				continue
			}
			nearest := math.Inf(1)
			for _, at := range got.Starts {
				nearest = min(nearest, math.Abs(at-x), math.Abs(at-x-g.Width)) // what runs to the left begins at its right
			}
			off, x = max(off, nearest), x+g.Width
		}
		if off > 0.5 {
			t.Errorf("%s: a letter stands %.2f points from where the browser has it", s.name, off)
		}
		for _, word := range strings.Fields(s.text) { // lines that run both ways it puts into an order of its own
			if !strings.Contains(words, word) {
				t.Errorf("%s: pdftotext does not find %q", s.name, word)
			}
		}
	}
}

// Chinese characters that tell no language themselves are those of the sheet's: on a
// Japanese one a student types them as they are written in Japan, on the screen and in
// the file.
func TestChineseCharactersAreOfTheSheetsLanguage(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	sc := setSceneNamed(t, "Kanji")
	teacher, student := personOf(t, "kanji.teacher"), personOf(t, "kanji.student")
	plain, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	what := document.Export{Marks: []mark.Mark{{ID: "kanji-print", Page: 1, Body: &mark.FreeText{X: 80, Y: 760, Width: 240,
		Lines: []mark.TextLine{{Runs: []mark.Run{{Text: "潮の高さはどれくらいですか。", Size: 16, Color: "#1e2a44", Width: 240}}}}}}}}
	pages, err := home.Engine.Inspect(ctx, plain)
	if err != nil {
		t.Fatal(err)
	}
	for _, p := range pages {
		what.Boxes = append(what.Boxes, p.Box)
	}
	printed, err := home.Engine.Print(ctx, plain, what)
	if err != nil {
		t.Fatal(err)
	}
	sheet, err := home.School.Shelf.BringIn(ctx, teacher, intake.Upload{Name: "kanji.pdf", Data: printed})
	if err != nil {
		t.Fatal(err)
	}
	given, err := home.School.Assignments.Assign(ctx, teacher, assign.NewAssignment{Course: sc.course.ID, Worksheet: sheet.ID, Terms: assign.Terms{Points: "10", Title: "Kanji"}})
	if err != nil {
		t.Fatal(err)
	}
	c, err := home.School.Saving.OpenOwn(ctx, student, given.ID)
	if err != nil {
		t.Fatal(err)
	}
	p := tab(t, 1280, 800)
	steps(t, func() error { return p.SignIn("kanji.student", scenePassword) }, func() error { return p.Go(fmt.Sprintf("/copies/%d", c.ID)) }, p.Ready,
		func() error {
			return p.Until("the sheet's language is known", fmt.Sprintf(`(await (await fetch("/sheets/%d/guide")).json()).some((g) => g.han === "ja")`, c.RevisionID))
		},
		func() error { return p.Click(`[data-place="write"] .take`) },
		func() error { return p.Press(browser.Place{Page: 1, X: 90, Y: 800}) },
		func() error { return p.Until("the box says so", `document.activeElement?.lang === "ja"`) },
		func() error { return p.Type("骨直海") },
		func() error { return p.Key(kb.Escape) },
		func() error {
			return p.Until("it is set so", `[...document.querySelectorAll(".marks text tspan, .marks text")].some((n) => n.textContent === "骨直海" && n.closest("[lang]")?.getAttribute("lang") === "ja")`)
		},
		func() error {
			return p.Until("it is saved", `document.querySelector("[data-saved]")?.textContent.startsWith("Saved")`)
		},
	)
	f, err := home.School.Exports.TakeCopy(ctx, student, c.ID, takeaway.Choice{})
	if err != nil {
		t.Fatal(err)
	}
	name := filepath.Join(t.TempDir(), "kanji.pdf")
	if err := os.WriteFile(name, bytesOf(t, f), 0o644); err != nil {
		t.Fatal(err)
	}
	fonts, err := exec.Command("pdffonts", name).Output()
	if err != nil {
		t.Fatalf("pdffonts (apt-get install poppler-utils): %v", err)
	}
	if !strings.Contains(strings.ToLower(string(fonts)), "jp") || strings.Contains(strings.ToLower(string(fonts)), "-sc") {
		t.Errorf("the fonts are\n%s", fonts)
	}
}
