package e2e

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"image"
	_ "image/png" // pages as pictures
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/santhosh-tekuri/jsonschema/v6"

	"readymargin/core/flow"
	"readymargin/core/ink"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/submission"
	"readymargin/e2e/browser"
	"readymargin/school"
	"readymargin/school/intake"
	"readymargin/school/takeaway"
	"readymargin/school/work"
)

// workOn puts marks of many kinds on a copy, in the student's layer.
func workOn(t *testing.T, who school.Person, id uint64) {
	t.Helper()
	stroke := ink.Fit([]ink.Sample{{X: 90, Y: 620, Pressure: 0.3}, {X: 200, Y: 640, Pressure: 0.7}, {X: 330, Y: 610, Pressure: 0.5}})
	shape := mark.Shape{Color: "#2f6f9f", Width: 2, Opacity: 1}
	all := []mark.Mark{
		{ID: "taken-ink", Page: 1, Body: &mark.Ink{Color: "#1f4fa3", Width: 3, Opacity: 1, InkList: []ink.Stroke{stroke}}},
		{ID: "taken-text", Page: 1, Body: &mark.FreeText{X: 124, Y: 300, Width: 40, Lines: []mark.TextLine{{Runs: []mark.Run{{Text: "0.9 m", Size: 14, Color: "#1e2a44"}}}}}},
		{ID: "taken-wash", Page: 1, Body: &mark.Highlight{Color: "#ffdd55", QuadPoints: mark.QuadPoints([]page.Quad{page.QuadOf(page.R(150, 165, 260, 178))}), Text: "north"}},
		{ID: "taken-box1", Page: 1, Body: &mark.Square{Shape: shape, Rect: [4]float64{400, 500, 480, 540}}},
		{ID: "taken-note", Page: 1, Body: &mark.Note{At: [2]float64{500, 400}, Says: "ask", Text: "Is the range 4.5 m?"}},
	}
	var ops []submission.Op
	for _, m := range all {
		ops = append(ops, submission.Op{ID: "op-" + m.ID, On: m.ID, Mark: &m})
	}
	if _, err := home.School.Saving.Save(context.Background(), who, id, submission.Work, ops); err != nil {
		t.Fatal(err)
	}
}

// goOn goes on with a file in mupdf.
func goOn(t *testing.T, file, done string) {
	t.Helper()
	if out, err := exec.Command("mutool", "run", "testdata/goon.js", file, done).CombinedOutput(); err != nil {
		t.Fatalf("mutool (apt-get install mupdf-tools): %v: %s", err, out)
	}
}

// ownAnnotations counts the annotations that carry their mark, in what qpdf unpacks.
func ownAnnotations(t *testing.T, file []byte) int {
	t.Helper()
	name := filepath.Join(t.TempDir(), "in.pdf")
	if err := os.WriteFile(name, file, 0o644); err != nil {
		t.Fatal(err)
	}
	out, err := exec.Command("qpdf", "--qdf", "--object-streams=disable", name, "-").Output()
	if err != nil {
		t.Fatalf("qpdf (apt-get install qpdf): %v", err)
	}
	return bytes.Count(out, []byte("/ReadyMarginMark "))
}

// A copy is taken away by what it is for, through the dialog, and other programs say
// that each file is what was asked for. The same attempt gives the same bytes.
func TestACopyIsTakenAwayByPurpose(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	sc := setSceneNamed(t, "Purpose")
	student, id := personOf(t, "purpose.student"), sc.copies[flow.InProgress].ID
	workOn(t, student, id)
	p := tab(t, 1280, 800)
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	press := func(selector string) func() error { return func() error { return p.Click(selector) } }
	steps(t,
		func() error { return p.SignIn("purpose.student", scenePassword) }, func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready,
		press(`[data-do="take-away"]`), is("it asks what for", `document.querySelector('[data-dialog="take-away"]').open`))
	axeFinds(t, p, "taking a copy away")
	// taken presses the button and returns the file that the browser was given.
	taken := func(as string) ([]byte, string) {
		t.Helper()
		steps(t, is("what it saves is held", `window.saved = null, window.savedAs = "", URL.createObjectURL = (b) => { window.saved = b; return "#"; }, HTMLAnchorElement.prototype.click = function () { window.savedAs = this.download; }, true`),
			is("it is open", `document.querySelector('[data-dialog="take-away"]').open || document.querySelector('[data-do="take-away"]').dispatchEvent(new MouseEvent("click", {bubbles: true, cancelable: true})) !== null`),
			is("it is chosen", fmt.Sprintf(`(() => { const r = document.querySelector('[data-dialog="take-away"] [value=%q]'); r.closest("details") && (r.closest("details").open = true); r.checked = true; r.dispatchEvent(new Event("input", {bubbles: true})); return true; })()`, as)),
			press(`[data-dialog="take-away"] [type="submit"]`), is("it is saved", `window.saved && window.savedAs && !document.querySelector('[data-dialog="take-away"]').open`))
		s, err := browser.Eval[string](p, `const b = new Uint8Array(await window.saved.arrayBuffer()); let s = ""; for (const c of b) s += String.fromCharCode(c); return btoa(s) + "|" + window.savedAs`)
		if err != nil {
			t.Fatal(err)
		}
		data, name, _ := strings.Cut(s, "|")
		b, err := base64.StdEncoding.DecodeString(data)
		if err != nil {
			t.Fatal(err)
		}
		again, err := home.School.Exports.TakeCopy(ctx, student, id, takeaway.Choice{Form: takeaway.Form(as)})
		if err != nil {
			t.Fatal(err)
		}
		if !bytes.Equal(bytesOf(t, again), b) {
			t.Errorf("%s: twice taken away, the bytes differ", as)
		}
		return b, name
	}
	check := func(as string, b []byte) (words string, pages int) {
		t.Helper()
		file := filepath.Join(t.TempDir(), as+".pdf")
		if err := os.WriteFile(file, b, 0o644); err != nil {
			t.Fatal(err)
		}
		if out, err := exec.Command("qpdf", "--check", file).CombinedOutput(); err != nil {
			t.Errorf("%s: qpdf (apt-get install qpdf): %v: %s", as, err, out)
		}
		out, err := exec.Command("pdfinfo", file).Output()
		if err != nil {
			t.Fatalf("pdfinfo (apt-get install poppler-utils): %v", err)
		}
		_, after, _ := strings.Cut(string(out), "Pages:")
		fmt.Sscan(after, &pages)
		return textIn(t, b), pages
	}
	sheetPages := 0
	for _, as := range []string{"sheet", "printed", "margin", "movable"} {
		b, name := taken(as)
		words, pages := check(as, b)
		annots := ownAnnotations(t, b)
		switch as {
		case "sheet":
			sheetPages = pages
			if strings.Contains(words, "0.9 m\n") && strings.Contains(words, "range 4.5 m?") || annots != 0 || strings.Contains(name, "Student") || bytes.Contains(b, []byte("PieceInfo")) {
				t.Errorf("%s holds more than the sheet: %s", name, words)
			}
		case "printed":
			if pages != sheetPages+1 || !strings.Contains(words, "Is the range 4.5 m?") || annots != 0 {
				t.Errorf("%s has %d pages, %d annotations, and says %s", name, pages, annots, words)
			}
		case "margin":
			if pages != sheetPages || !strings.Contains(words, "Is the range 4.5 m?") {
				t.Errorf("%s has %d pages and says %s", name, pages, words)
			}
		case "movable":
			if pages != sheetPages || annots != 6 || strings.Contains(words, "Is the range 4.5 m?") || !bytes.Contains(b, []byte("/OCProperties")) {
				t.Errorf("%s has %d pages, %d annotations, and says %s", name, pages, annots, words)
			}
		}
	}
	marks, name := taken("marks")
	if !strings.HasSuffix(name, ".xfdf") || !bytes.Contains(marks, []byte("<ink ")) || !bytes.Contains(marks, []byte("Is the range 4.5 m?")) {
		t.Errorf("%s is %s", name, marks)
	}
	data, name := taken("data")
	schema, err := jsonschema.NewCompiler().Compile("../docs/copy.schema.json")
	if err != nil {
		t.Fatal(err)
	}
	var doc any
	if err := json.Unmarshal(data, &doc); err != nil {
		t.Fatal(err)
	}
	if err := schema.Validate(doc); err != nil {
		t.Errorf("%s is not as docs/copy.schema.json says: %v", name, err)
	}
	pictures, name := taken("pictures")
	if m, kind, err := image.Decode(bytes.NewReader(pictures)); err != nil || kind != "png" || m.Bounds().Dx() < 1230 || m.Bounds().Dx() > 1250 || !strings.HasSuffix(name, ".png") {
		t.Errorf("%s is a %s: %v", name, kind, err)
	}

	// The browser's own command to print leads here, and what is printed opens beside.
	steps(t, func() error { return chromedp.Do(p.Ctx, chromedp.KeyEvent("p", chromedp.KeyModifiers(2))) },
		is("it asks what for", `document.querySelector('[data-dialog="take-away"]').open`),
		press(`[data-dialog="take-away"] [value="margin"]`),
		is("the tab beside is held", `(window.open = () => (window.beside = { location: {} })) && true`),
		press(`[data-print-it]`), is("it is opened there", `window.beside?.location.href?.includes("open=1") && !document.querySelector('[data-dialog="take-away"]').open`),
		is("it is for the browser to show", `(window.inline ??= (fetch(window.beside.location.href).then((r) => (window.how = r.headers.get("Content-Disposition"))), true)) && window.how?.startsWith("inline; filename")`))

	// Some of its pages; a page that there is not is told, and what was typed stays.
	steps(t, press(`[data-do="take-away"]`), func() error { return p.Fill("#take-pages", "1-9") }, press(`[data-dialog="take-away"] [type="submit"]`),
		is("it is told", `document.querySelector('[data-dialog="take-away"] [data-wrong]').textContent.includes("pages 1 to") && document.querySelector("#take-pages").value === "1-9"`),
		func() error { return p.Key(kb.Escape) })
	one, err := home.School.Exports.TakeCopy(ctx, student, id, takeaway.Choice{Form: takeaway.Movable, Pages: "1"})
	if err != nil {
		t.Fatal(err)
	}
	if b := bytesOf(t, one); ownAnnotations(t, b) != 6 {
		t.Error("of the page that was chosen the marks did not come along")
	} else if _, pages := check("one", b); pages != 1 {
		t.Errorf("one page was chosen, %d came", pages)
	}
	for _, list := range []string{"0", "2-1", "x", "1-", "99", "-", ","} {
		if _, err := home.School.Exports.TakeCopy(ctx, student, id, takeaway.Choice{Pages: list}); !school.IsProblem(err, "pages") {
			t.Errorf("pages %q: %v", list, err)
		}
	}
	if _, err := home.School.Exports.TakeCopy(ctx, student, id, takeaway.Choice{Form: "film"}); !school.IsProblem(err, "form") {
		t.Errorf("a form that there is not: %v", err)
	}
	if _, err := home.School.Exports.TakeCopy(ctx, personOf(t, "purpose.classmate"), id, takeaway.Choice{Form: takeaway.Data}); err == nil {
		t.Error("a classmate took it away")
	}
}

// What was done in another program on the file that was taken away comes back: what
// is new becomes a mark of its kind, what was moved is moved, the rest is left alone.
func TestWhatWasDoneInAnotherProgramComesBack(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	sc := setSceneNamed(t, "Roundabout")
	student, id := personOf(t, "roundabout.student"), sc.copies[flow.InProgress].ID
	workOn(t, student, id)
	f, err := home.School.Exports.TakeCopy(ctx, student, id, takeaway.Choice{Form: takeaway.Movable})
	if err != nil {
		t.Fatal(err)
	}
	dir := t.TempDir()
	file, done := filepath.Join(dir, "movable.pdf"), filepath.Join(dir, "done.pdf")
	if err := os.WriteFile(file, bytesOf(t, f), 0o644); err != nil {
		t.Fatal(err)
	}
	goOn(t, file, done)
	p := tab(t, 1280, 800)
	steps(t, func() error { return p.SignIn("roundabout.student", scenePassword) }, func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready)
	before := kept(t, p, id)
	steps(t, bringBack(p, file), func() error {
		return p.Until("nothing is new", `document.querySelector(".toast")?.textContent.startsWith("Nothing in the file differs")`)
	}, bringBack(p, done), func() error {
		return p.Until("it is taken over", `document.querySelector(".toast")?.textContent.startsWith("1 page was matched, and 3 marks taken over")`)
	})
	after := kept(t, p, id)
	if len(after) != len(before)+2 {
		t.Errorf("%s became %s", kinds(before), kinds(after))
	}
	was := func(all []mark.Mark, name string) mark.Mark {
		return all[slices.IndexFunc(all, func(m mark.Mark) bool { return m.ID == name })]
	}
	if a, b := was(before, "taken-box1").Body.(*mark.Square), was(after, "taken-box1").Body.(*mark.Square); b.Rect[0]-a.Rect[0] != 30 || b.Rect[1]-a.Rect[1] != 20 || b.Width != a.Width {
		t.Errorf("the box was moved from %v to %v", a.Rect, b.Rect)
	}
	var news []string
	for _, m := range after {
		if !slices.ContainsFunc(before, func(o mark.Mark) bool { return o.ID == m.ID }) {
			news = append(news, m.Body.Kind())
		}
	}
	if slices.Sort(news); !slices.Equal(news, []string{"circle", "freetext"}) {
		t.Errorf("new are %v", news)
	}
	steps(t, bringBack(p, done), func() error {
		return p.Until("the same file again changes little", `document.querySelector(".toast")?.textContent.includes("taken over") || document.querySelector(".toast")?.textContent.startsWith("Nothing")`)
	})
}

// What a teacher marks in another program, on the file or as marks alone, is feedback
// on the attempt; the student's work stays as it was, and the same file again changes
// nothing. Another copy's file is asked about.
func TestATeacherMarksInAnotherProgram(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	sc := setSceneNamed(t, "Outside")
	student, teacher, id := personOf(t, "outside.student"), personOf(t, "outside.teacher"), sc.copies[flow.InProgress].ID
	workOn(t, student, id)
	if _, err := home.School.Submitting.Submit(ctx, student, id, "", 1e6); err != nil {
		t.Fatal(err)
	}
	dir := t.TempDir()
	take := func(who school.Person, name string, form takeaway.Form) string {
		t.Helper()
		f, err := home.School.Exports.TakeCopy(ctx, who, id, takeaway.Choice{Form: form, Attempt: 1})
		if err != nil {
			t.Fatal(err)
		}
		file := filepath.Join(dir, name)
		if err := os.WriteFile(file, bytesOf(t, f), 0o644); err != nil {
			t.Fatal(err)
		}
		return file
	}
	file, done := take(teacher, "movable.pdf", takeaway.Movable), filepath.Join(dir, "done.pdf")
	goOn(t, file, done)
	marks, err := os.ReadFile(take(teacher, "marks.xfdf", takeaway.Marks))
	if err != nil {
		t.Fatal(err)
	}
	more := filepath.Join(dir, "more.xfdf")
	added := `<underline page="0" rect="150,660,260,675" coords="150,675,260,675,150,660,260,660" color="#c22f20" name="line-of-mine" flags="print"><contents>Read this again.</contents></underline>
<text page="0" rect="500,430,514,444" name="answer-of-mine" inreplyto="taken-note" replyType="reply" flags="print"><contents>Yes, it is.</contents></text></annots>`
	if err := os.WriteFile(more, bytes.Replace(marks, []byte("</annots>"), []byte(added), 1), 0o644); err != nil {
		t.Fatal(err)
	}
	q := tab(t, 1280, 800)
	bring := func(file, says string) func() error {
		return func() error {
			if err := q.Until("its toast is gone", `(document.querySelector(".toast")?.remove(), true)`); err != nil {
				return err
			}
			if err := q.Click(`[data-do="take-away"]`); err != nil {
				return err
			}
			if err := choosing(q, func() error { return q.Click("[data-marked]") }, file)(); err != nil {
				return err
			}
			return q.Until(says, fmt.Sprintf(`document.querySelector(".toast")?.textContent.includes(%q)`, says))
		}
	}
	steps(t, func() error { return q.SignIn("outside.teacher", scenePassword) },
		func() error {
			return q.Go(fmt.Sprintf("/assignments/%d/marking?copy=%d", sc.copies[flow.InProgress].AssignmentID, id))
		}, q.Ready,
		bring(file, "Nothing in the file differs"), bring(done, "2 marks taken over"), bring(done, "Nothing in the file differs"),
		bring(more, "3 marks taken over"), bring(more, "Nothing in the file differs"))
	heads, err := home.Store.Heads(ctx, id, submission.Feedback(1))
	if err != nil {
		t.Fatal(err)
	}
	shown, _ := school.Present(heads)
	var got []string
	for _, w := range shown {
		got = append(got, w.Mark.Body.Kind())
		if r, ok := w.Mark.Body.(*mark.Reply); ok && (r.To != "taken-note" || r.Text != "Yes, it is.") {
			t.Errorf("the answer is %+v", r)
		}
	}
	if slices.Sort(got); !slices.Equal(got, []string{"circle", "freetext", "note", "reply", "underline"}) {
		t.Errorf("the feedback is %v", got)
	}
	ofStudent, err := home.Store.Heads(ctx, id, submission.Work)
	if err != nil {
		t.Fatal(err)
	}
	if stands, _ := school.Present(ofStudent); len(stands) != 6 {
		t.Errorf("of the work %d marks stand", len(stands))
	}
	other, err := home.School.Exports.TakeCopy(ctx, student, sc.copies[flow.Submitted].ID, takeaway.Choice{Form: takeaway.Movable})
	if err != nil {
		t.Fatal(err)
	}
	another := bytesOf(t, other)
	for name, c := range map[string]struct {
		who     school.Person
		data    []byte
		refused func(error) bool
	}{
		"a student":          {student, marks, func(err error) bool { return err != nil }},
		"no XFDF":            {teacher, []byte(`<xfdf xmlns="http://ns.adobe.com/xfdf/"><annots>`), func(err error) bool { return school.IsProblem(err, "no xfdf") }},
		"no file at all":     {teacher, []byte("nothing"), func(err error) bool { return err != nil }},
		"another's":          {teacher, another, func(err error) bool { return school.IsProblem(err, "another copy") }},
		"six thousand boxes": {teacher, []byte(strings.Replace(string(marks), "</annots>", strings.Repeat(`<square page="0" rect="1,1,9,9"/>`, 6000)+"</annots>", 1)), func(err error) bool { return err != nil }},
	} {
		if _, err := home.School.Elsewhere.BringMarked(ctx, c.who, id, 1, intake.Upload{Name: "marks", Data: c.data}, work.Answers{}); !c.refused(err) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// All copies of an assignment come as one ZIP, named by class, family name, given name
// and attempt, with a page that opens without a line and plays what was spoken; in the
// form that was asked for.
func TestAClassIsTakenAway(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	sc := setSceneNamed(t, "Archive")
	student, teacher, id := personOf(t, "archive.student"), personOf(t, "archive.teacher"), sc.copies[flow.InProgress].ID
	workOn(t, student, id)
	if _, err := home.School.Submitting.Submit(ctx, student, id, "", 1e6); err != nil {
		t.Fatal(err)
	}
	for form, extension := range map[takeaway.Form]string{takeaway.Printed: ".pdf", takeaway.Movable: ".pdf", takeaway.Marks: ".xfdf", takeaway.Data: ".json"} {
		var out bytes.Buffer
		if err := home.School.Exports.WriteClass(ctx, teacher, sc.copies[flow.InProgress].AssignmentID, form, &out); err != nil {
			t.Fatal(err)
		}
		z, err := zip.NewReader(bytes.NewReader(out.Bytes()), int64(out.Len()))
		if err != nil {
			t.Fatal(err)
		}
		index, copies := "", 0
		for _, f := range z.File {
			r, err := f.Open()
			if err != nil {
				t.Fatal(err)
			}
			b, err := io.ReadAll(r)
			if err != nil {
				t.Errorf("%s: %v", f.Name, err)
			}
			switch {
			case f.Name == "index.html":
				index = string(b)
			case strings.HasSuffix(f.Name, "Student, Archive, attempt 1"+extension) || strings.HasSuffix(f.Name, "Archive Student, attempt 1"+extension):
				copies++
			default:
				t.Errorf("%s: there is %s", form, f.Name)
			}
		}
		if copies != 1 || !strings.Contains(index, "attempt%201"+extension) || strings.Contains(index, "http") {
			t.Errorf("%s: %d copies, and the page says %s", form, copies, index)
		}
	}
	// A student has all of their own but feedback that was not opened yet, and nobody else's.
	for login, want := range map[string]int{"archive.student": 2, "archive.classmate": 0} {
		var own bytes.Buffer
		if err := home.School.Exports.WriteOwnCopies(ctx, personOf(t, login), sc.course.ID, &own); err != nil {
			t.Fatal(err)
		}
		z, err := zip.NewReader(bytes.NewReader(own.Bytes()), int64(own.Len()))
		if err != nil {
			t.Fatal(err)
		}
		var pdfs []string
		for _, f := range z.File {
			if strings.HasSuffix(f.Name, ".pdf") {
				pdfs = append(pdfs, f.Name)
			}
		}
		if len(pdfs) < want || want == 0 && len(pdfs) > 0 {
			t.Errorf("%s has %v", login, pdfs)
		}
	}
	for name, err := range map[string]error{
		"a student":       home.School.Exports.WriteClass(ctx, student, sc.copies[flow.InProgress].AssignmentID, takeaway.Printed, io.Discard),
		"another teacher": home.School.Exports.WriteClass(ctx, personOf(t, "archive.stranger"), sc.copies[flow.InProgress].AssignmentID, takeaway.Printed, io.Discard),
	} {
		if err == nil {
			t.Errorf("%s took the class's copies away", name)
		}
	}
	if _, err := home.School.Exports.ClassName(ctx, teacher, sc.copies[flow.InProgress].AssignmentID, "film"); !school.IsProblem(err, "form") {
		t.Errorf("a form that there is not: %v", err)
	}
}
