package e2e

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"readymargin/core/flow"
	"readymargin/core/ink"
	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/demo"
	"readymargin/e2e/browser"
	"readymargin/school/assign"
	"readymargin/school/intake"
	"readymargin/school/takeaway"
)

// painted returns the first page of a PDF as poppler paints it.
func painted(t *testing.T, file []byte) image.Image {
	t.Helper()
	return paintedPage(t, file, 1)
}

func paintedPage(t *testing.T, file []byte, n int) image.Image {
	t.Helper()
	base := filepath.Join(t.TempDir(), "page")
	if err := os.WriteFile(base+".pdf", file, 0o644); err != nil {
		t.Fatal(err)
	}
	if out, err := exec.Command("pdftoppm", "-r", "72", "-f", fmt.Sprint(n), "-singlefile", "-png", base+".pdf", base).CombinedOutput(); err != nil {
		t.Fatalf("pdftoppm (apt-get install poppler-utils): %v %s", err, out)
	}
	f, err := os.Open(base + ".png")
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	m, _, err := image.Decode(f)
	if err != nil {
		t.Fatal(err)
	}
	return m
}

// What a student did with another program is taken over: poppler paints the
// copy as it paints the file. A file of another sheet is refused whole.
func TestAFileCompletedElsewhereIsTakenOver(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	sc := setSceneNamed(t, "Elsewhere")
	student := personOf(t, "elsewhere.student")
	from, to := sc.copies[flow.InProgress], sc.copies[flow.NotStarted]
	var wave []ink.Sample
	for i := range 40 {
		wave = append(wave, ink.Sample{X: 90 + 8*float64(i), Y: 620 + 20*math.Sin(float64(i)/3), Pressure: 0.5})
	}
	done := []mark.Mark{
		{ID: "elsewhere-wave", Page: 1, Body: &mark.Ink{Color: "#1f4fa3", Width: 3, Opacity: 1, InkList: []ink.Stroke{ink.Fit(wave)}}},
		{ID: "elsewhere-text", Page: 1, Body: &mark.FreeText{X: 124, Y: 256, Width: 40, Lines: []mark.TextLine{{Runs: []mark.Run{{Text: "0.9 m", Size: 14, Color: "#1e2a44"}}}}}},
	}
	var ops []submission.Op
	for _, m := range done {
		ops = append(ops, submission.Op{ID: "op-" + m.ID, On: m.ID, Mark: &m})
	}
	if _, err := home.School.Saving.Save(ctx, student, from.ID, submission.Work, ops); err != nil {
		t.Fatal(err)
	}
	file, err := home.School.Exports.TakeCopy(ctx, student, from.ID, takeaway.Choice{})
	if err != nil {
		t.Fatal(err)
	}
	ours := bytesOf(t, file)
	// What another program painted carries nothing of ours.
	printed := bytes.ReplaceAll(ours, []byte("ReadyMarginCopy"), []byte("PaintedSomewher"))
	printed = bytes.ReplaceAll(printed, []byte("PieceInfo"), []byte("PieceNone"))
	dir := t.TempDir()
	path, strange, same, another := filepath.Join(dir, "done.pdf"), filepath.Join(dir, "strange.pdf"), filepath.Join(dir, "same.pdf"), filepath.Join(dir, "another.pdf")
	other, err := demo.PassagePlan()
	if err != nil {
		t.Fatal(err)
	}
	for name, b := range map[string][]byte{path: printed, strange: other, another: ours} {
		if err := os.WriteFile(name, b, 0o644); err != nil {
			t.Fatal(err)
		}
	}
	p := tab(t, 1280, 800)
	steps(t,
		func() error { return p.SignIn("elsewhere.student", scenePassword) },
		func() error { return p.Go(fmt.Sprintf("/copies/%d", to.ID)) }, p.Ready,
		bringBack(p, strange), func() error {
			return p.Until("it is refused", `document.querySelector(".toast")?.textContent.includes("not of this sheet")`)
		},
		bringBack(p, path), func() error {
			return p.Until("it is taken over", `document.querySelector(".toast")?.textContent.startsWith("1 page was matched") && document.querySelectorAll(".marks image").length >= 2`)
		},
	)
	// Pages that are none of the sheet's are asked about, and left out.
	more := filepath.Join(dir, "more.pdf")
	if out, err := exec.Command("qpdf", path, "--pages", path, "1", strange, "1", "--", more).CombinedOutput(); err != nil {
		t.Fatalf("qpdf (apt-get install qpdf): %v %s", err, out)
	}
	steps(t, bringBack(p, more), func() error {
		return p.Until("it is asked about", `document.querySelector('[data-dialog="ask"]').open && document.querySelector("[data-ask-text]").textContent.includes("page 2 is none")`)
	}, func() error { return p.Click(`[data-dialog="ask"] [value="yes"]`) }, func() error {
		return p.Until("the rest was there", `document.querySelector(".toast")?.textContent.startsWith("Nothing in the file differs")`)
	})
	// It is one step of undo.
	command := func(k string) func() error {
		return func() error { return chromedp.Do(p.Ctx, chromedp.KeyEvent(k, chromedp.KeyModifiers(2))) }
	}
	steps(t, command("z"), func() error {
		return p.Until("all of it is gone", `document.querySelectorAll(".marks image").length === 0`)
	}, command("y"), func() error {
		return p.Until("all of it is back", `document.querySelectorAll(".marks image").length >= 2`)
	})
	for _, m := range kept(t, p, to.ID) {
		if m.Body.Kind() != "picture" {
			t.Errorf("a %s was made", m.Body.Kind())
		}
	}
	again, err := home.School.Exports.TakeCopy(ctx, student, to.ID, takeaway.Choice{})
	if err != nil {
		t.Fatal(err)
	}
	back := bytesOf(t, again)
	a, b := painted(t, printed), painted(t, back)
	for name, both := range map[string][2]image.Image{"of the file is missing on the copy": {a, b}, "of the copy is not in the file": {b, a}} {
		if missing := strayed(both[0], both[1], 1); missing > 0.005 {
			t.Errorf("%.1f %% of the ink %s", 100*missing, name)
		}
	}

	// A copy's own file comes back as it was: what it had on it is left alone, its
	// page of what was said too. Another copy's is asked about.
	note := mark.Mark{ID: "elsewhere-note", Page: 1, Body: &mark.Note{At: [2]float64{400, 300}, Text: "Is this right?"}}
	if _, err := home.School.Saving.Save(ctx, student, to.ID, submission.Work, []submission.Op{{ID: "op-elsewhere-note", On: note.ID, Mark: &note}}); err != nil {
		t.Fatal(err)
	}
	if again, err = home.School.Exports.TakeCopy(ctx, student, to.ID, takeaway.Choice{}); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(same, bytesOf(t, again), 0o644); err != nil {
		t.Fatal(err)
	}
	steps(t, func() error { return p.Go(fmt.Sprintf("/copies/%d", to.ID)) }, p.Ready,
		bringBack(p, same), func() error {
			return p.Until("nothing is taken over", `document.querySelector(".toast")?.textContent.startsWith("Nothing in the file differs")`)
		},
		bringBack(p, another), func() error {
			return p.Until("it is asked about", `document.querySelector('[data-dialog="ask"]').open && document.querySelector("[data-ask-title]").textContent.startsWith("Another copy")`)
		}, func() error { return p.Click(`[data-dialog="ask"] [value="no"]`) })
	// A picture of the page, as of a photograph, is taken as one.
	before := strings.Count(kinds(kept(t, p, to.ID)), "picture")
	if out, err := exec.Command("pdftoppm", "-r", "110", "-singlefile", "-jpeg", path, strings.TrimSuffix(path, ".pdf")).CombinedOutput(); err != nil {
		t.Fatalf("pdftoppm (apt-get install poppler-utils): %v %s", err, out)
	}
	steps(t, bringBack(p, strings.TrimSuffix(path, ".pdf")+".jpg"), func() error {
		return p.Until("it is one piece", `document.querySelector(".toast")?.textContent.startsWith("1 page was matched, and 1 picture")`)
	})
	if now := strings.Count(kinds(kept(t, p, to.ID)), "picture"); now != before+1 {
		t.Errorf("%d pictures, want one more than %d", now, before)
	}
	if got := kinds(kept(t, p, to.ID)); strings.Count(got, "picture") != strings.Count(got, " ") {
		t.Errorf("kept %s", got)
	}
}

// A photograph of one page of a long sheet is set straight and laid on the page
// that it shows. Of which page it is, is asked where that cannot be told.
func TestAPhotographOfAPageIsLaidOnIt(t *testing.T) {
	t.Parallel()
	ctx, sc := context.Background(), setSceneNamed(t, "Laid")
	teacher := personOf(t, "laid.teacher")
	var files []intake.Upload
	for i, draw := range []func() ([]byte, error){demo.TideHeights, demo.PassagePlan} {
		b, err := draw()
		if err != nil {
			t.Fatal(err)
		}
		files = append(files, intake.Upload{Name: fmt.Sprint(i, ".pdf"), Data: b})
	}
	w, err := home.School.Shelf.BringIn(ctx, teacher, files...)
	if err != nil {
		t.Fatal(err)
	}
	a, err := home.School.Assignments.Assign(ctx, teacher, assign.NewAssignment{Course: sc.course.ID, Worksheet: w.ID, Terms: assign.Terms{Title: "Three pages"}})
	if err != nil {
		t.Fatal(err)
	}
	c, err := home.School.Saving.OpenOwn(ctx, personOf(t, "laid.student"), a.ID)
	if err != nil {
		t.Fatal(err)
	}
	// The third page lies askew on a dark desk.
	base := filepath.Join(t.TempDir(), "plan")
	if err := os.WriteFile(base+".pdf", files[1].Data, 0o644); err != nil {
		t.Fatal(err)
	}
	if out, err := exec.Command("pdftoppm", "-r", "110", "-singlefile", "-png", base+".pdf", base).CombinedOutput(); err != nil {
		t.Fatalf("pdftoppm (apt-get install poppler-utils): %v %s", err, out)
	}
	if out, err := exec.Command("ffmpeg", "-loglevel", "error", "-f", "lavfi", "-i", "color=0x463228:s=1000x1400", "-i", base+".png", "-filter_complex",
		"[1]scale=998:1398,eq=brightness=-0.06:contrast=0.85,format=rgba,pad=1000:1400:1:1:color=black@0,perspective=230:80:930:210:60:1120:760:1280:sense=destination:interpolation=cubic[s];[0][s]overlay=format=auto,vignette=PI/8",
		"-frames:v", "1", base+".jpg").CombinedOutput(); err != nil {
		t.Fatalf("ffmpeg (apt-get install ffmpeg): %v %s", err, out)
	}
	p := tab(t, 1280, 800)
	steps(t,
		func() error { return p.SignIn("laid.student", scenePassword) },
		func() error { return p.Go(fmt.Sprintf("/copies/%d", c.ID)) }, p.Ready,
		bringBack(p, base+".jpg"), func() error {
			return p.Until("it is one piece", `document.querySelector(".toast")?.textContent.startsWith("1 page was matched, and 1 picture")`)
		},
		bringBack(p, photographOfASheet(t)), func() error {
			return p.Until("it is asked about", `document.querySelector('[data-dialog="ask"]').open && document.querySelector("[data-ask-title]").textContent === "Which page is it?"`)
		}, func() error { return p.Click(`[data-dialog="ask"] [value="yes"]`) }, func() error {
			return p.Until("it is laid where one is", `document.querySelectorAll(".marks image").length === 2`)
		},
	)
	size := map[int][4]float64{}
	for _, m := range kept(t, p, c.ID) {
		if pic, ok := m.Body.(*mark.Picture); ok {
			size[m.Page] = pic.Rect
		}
	}
	if len(size) != 2 || size[1] == ([4]float64{}) || size[3] == ([4]float64{}) {
		t.Fatalf("laid on %v, want pages 3 and 1", size)
	}
	// What is printed there lies where the photograph has it, within a millimetre and a half.
	b, err := home.School.Exports.TakeCopy(ctx, personOf(t, "laid.student"), c.ID, takeaway.Choice{})
	if err != nil {
		t.Fatal(err)
	}
	now, was := paintedPage(t, bytesOf(t, b), 3), painted(t, files[1].Data)
	if missing, more := strayed(was, now, 4), strayed(now, was, 4); missing > 0.05 || more > 0.05 {
		t.Errorf("%.0f %% of the page's print is not where the photograph has it, %.0f %% of the photograph's is not the page's", 100*missing, 100*more)
	}
}

// bringBack gives the button that brings in what was done elsewhere a file.
func bringBack(p *browser.Tab, name string) func() error {
	return choosing(p, func() error { return p.Click(".elsewhere") }, name)
}

// choosing presses what opens the browser's own dialog; here it is given the file.
func choosing(p *browser.Tab, press func() error, name string) func() error {
	return func() error {
		if _, err := browser.Eval[int](p, `HTMLInputElement.prototype.click=function(){ this.id="brought"; document.body.append(this) }; return 1`); err != nil {
			return err
		}
		if err := press(); err != nil {
			return err
		}
		if err := p.Choose("#brought", name); err != nil {
			return err
		}
		_, err := browser.Eval[int](p, `document.querySelector("#brought").remove(); return 1`)
		return err
	}
}

// strayed returns the part of a's ink that has none of b's within so many pixels.
func strayed(a, b image.Image, by int) float64 {
	inked := func(m image.Image, x, y int, most uint32) bool {
		r, g, b, _ := m.At(x, y).RGBA()
		return min(r, g, b) < most
	}
	all, lost := 0, 0
	for y := range a.Bounds().Dy() {
		for x := range a.Bounds().Dx() {
			if !inked(a, x, y, 0x7000) {
				continue
			}
			all++
			near := false
			for dy := -by; dy <= by; dy++ {
				for dx := -by; dx <= by; dx++ {
					near = near || inked(b, x+dx, y+dy, 0xb000)
				}
			}
			if !near {
				lost++
			}
		}
	}
	return float64(lost) / float64(max(all, 1))
}
