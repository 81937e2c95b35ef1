package e2e

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"readymargin/core/access"
	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/demo"
	"readymargin/e2e/house"
	"readymargin/school"
	"readymargin/school/intake"
	"readymargin/school/takeaway"
	"readymargin/school/work"
)

// zipOf packs files, in the order of their names.
func zipOf(t *testing.T, files map[string][]byte) []byte {
	t.Helper()
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	var names []string
	for name := range files {
		names = append(names, name)
	}
	slices.Sort(names)
	for _, name := range names {
		w, err := z.Create(name)
		if err == nil {
			_, err = w.Write(files[name])
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// classFiles returns what is in the ZIP of a class, by base names.
func classFiles(t *testing.T, c house.Crowd, form takeaway.Form) map[string][]byte {
	t.Helper()
	var b bytes.Buffer
	if err := home.School.Exports.WriteClass(context.Background(), c.Teacher, c.Assignment.ID, form, &b); err != nil {
		t.Fatal(err)
	}
	z, err := zip.NewReader(bytes.NewReader(b.Bytes()), int64(b.Len()))
	if err != nil {
		t.Fatal(err)
	}
	out := map[string][]byte{}
	for _, f := range z.File {
		r, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		if out[filepath.Base(f.Name)], err = io.ReadAll(r); err != nil {
			t.Fatal(err)
		}
	}
	return out
}

func goneOn(t *testing.T, file []byte) []byte {
	t.Helper()
	dir := t.TempDir()
	if err := os.WriteFile(dir+"/in.pdf", file, 0o644); err != nil {
		t.Fatal(err)
	}
	goOn(t, dir+"/in.pdf", dir+"/out.pdf")
	b, err := os.ReadFile(dir + "/out.pdf")
	if err != nil {
		t.Fatal(err)
	}
	return b
}

// submitted submits what is on a copy.
func submitted(t *testing.T, seat house.Seat) {
	t.Helper()
	ctx := context.Background()
	v, err := home.School.Screens.Open(ctx, seat.Person, seat.Copy)
	if err == nil {
		_, err = home.School.Submitting.Submit(ctx, seat.Person, seat.Copy, "", v.Seq)
	}
	if err != nil {
		t.Fatal(err)
	}
}

// A class that a teacher marked in another program comes back as a ZIP: each file finds
// its attempt, what is to be thought of is said before anything is kept, and what is not
// chosen is left alone. The same ZIP again changes nothing.
func TestAClassMarkedElsewhereComesBack(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	sheet, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	crowd, err := home.Crowd(ctx, "Markedclass", 5, sheet)
	if err != nil {
		t.Fatal(err)
	}
	for _, seat := range crowd.Seats[:4] {
		submitted(t, seat)
	}
	movable, marksAlone := classFiles(t, crowd, takeaway.Movable), classFiles(t, crowd, takeaway.Marks)
	if len(movable) != 5 || len(marksAlone) != 5 { // four, and a page that lists them
		t.Fatalf("%d and %d files", len(movable), len(marksAlone))
	}
	name := func(i int, kind string) string {
		return fmt.Sprintf("%d, Markedclass Student, attempt 1.%s", i, kind)
	}
	files := map[string][]byte{"index.html": movable["index.html"], "marked/notes.txt": []byte("mine"), "__MACOSX/._x.pdf": []byte("x")}
	for i := range 3 {
		if movable[name(i, "pdf")] == nil {
			t.Fatalf("there is no %s", name(i, "pdf"))
		}
		files["marked/"+name(i, "pdf")] = goneOn(t, movable[name(i, "pdf")])
	}
	// One by the name alone: marks without a sheet, with one more.
	files[name(3, "xfdf")] = bytes.Replace(marksAlone[name(3, "xfdf")], []byte("</annots>"), []byte(`<text page="0" rect="100,700,120,720" name="mine-00001" title="T" color="#c22f20"><contents>Well seen</contents></text></annots>`), 1)
	if !bytes.Contains(files[name(3, "xfdf")], []byte("mine-00001")) {
		t.Fatalf("no place for a note in %s", marksAlone[name(3, "xfdf")])
	}
	strange, err := demo.PassagePlan()
	if err != nil {
		t.Fatal(err)
	}
	files["a letter.pdf"], files["broken.pdf"] = strange, []byte("%PDF-1.7 and no more")
	// Meanwhile: the second copy is returned, the third has a word of feedback, and came again.
	note := func(id string) []submission.Op {
		m := mark.Mark{ID: id, Page: 1, Body: &mark.Note{At: [2]float64{50, 50}, Text: "As before"}}
		return []submission.Op{{ID: "op-" + id, On: id, Mark: &m}}
	}
	for i, id := range map[int]string{1: "before-0001", 2: "before-0002"} {
		if _, err := home.School.Saving.Save(ctx, crowd.Teacher, crowd.Seats[i].Copy, submission.Feedback(1), note(id)); err != nil {
			t.Fatal(err)
		}
	}
	for _, i := range []int{1, 2} {
		if err := home.School.Marking.Return(ctx, crowd.Teacher, crowd.Seats[i].Copy, 1); err != nil {
			t.Fatal(err)
		}
	}
	if err := home.School.Submitting.Improve(ctx, crowd.Seats[2].Person, crowd.Seats[2].Copy); err != nil {
		t.Fatal(err)
	}
	submitted(t, crowd.Seats[2])
	back := zipOf(t, files)
	bring := func(chosen ...int) map[string]work.MarkedFile {
		t.Helper()
		out := map[string]work.MarkedFile{}
		if err := home.School.Elsewhere.BringMarkedClass(ctx, crowd.Teacher, crowd.Assignment.ID, []intake.Upload{{Name: "back.zip", Data: back}}, chosen, func(f work.MarkedFile) error {
			out[filepath.Base(f.Name)] = f
			return nil
		}); err != nil {
			t.Fatal(err)
		}
		return out
	}
	count := func(i int) int {
		t.Helper()
		heads, err := home.Store.Heads(ctx, crowd.Seats[i].Copy, submission.Feedback(1))
		if err != nil {
			t.Fatal(err)
		}
		return len(heads)
	}
	before := []int{count(0), count(1), count(2), count(3)}
	seen := bring()
	for file, want := range map[string]struct {
		seat   int
		fresh  int
		doubts string
	}{
		name(0, "pdf"):  {0, 2, ""},
		name(1, "pdf"):  {1, 2, "returned feedback"},
		name(2, "pdf"):  {2, 2, "later attempt returned feedback"},
		name(3, "xfdf"): {3, 1, "by name"},
	} {
		f := seen[file]
		var doubts []string
		for _, d := range f.Doubts {
			doubts = append(doubts, string(d))
		}
		if f.Wrong != nil || f.Copy != crowd.Seats[want.seat].Copy || f.Attempt != 1 || f.New != want.fresh || strings.Join(doubts, " ") != want.doubts || f.Taken {
			t.Errorf("%s: %+v", file, f)
		}
	}
	if !school.IsProblem(seen["a letter.pdf"].Wrong, "no copy") || seen["broken.pdf"].Wrong == nil || len(seen) != 6 {
		t.Errorf("of %d files, the letter is %v and the broken one %v", len(seen), seen["a letter.pdf"].Wrong, seen["broken.pdf"].Wrong)
	}
	if now := []int{count(0), count(1), count(2), count(3)}; !slices.Equal(now, before) {
		t.Errorf("looking at it kept something: %v, and %v before", now, before)
	}
	taken := bring(seen[name(0, "pdf")].At, seen[name(3, "xfdf")].At, seen["broken.pdf"].At)
	if !taken[name(0, "pdf")].Taken || !taken[name(3, "xfdf")].Taken || taken[name(1, "pdf")].Taken || taken["broken.pdf"].Taken {
		t.Errorf("taken over: %+v", taken)
	}
	if now := []int{count(0), count(1), count(2), count(3)}; !slices.Equal(now, []int{before[0] + 2, before[1], before[2], before[3] + 1}) {
		t.Errorf("feedback is %v, and was %v", now, before)
	}
	again := bring(seen[name(0, "pdf")].At, seen[name(3, "xfdf")].At)
	if again[name(0, "pdf")].New != 0 || again[name(0, "pdf")].Taken || again[name(3, "xfdf")].New != 0 {
		t.Errorf("the same again: %+v", again)
	}

	// Who may not, and files made to hurt.
	bomb := zipOf(t, map[string][]byte{"a.pdf": bytes.Repeat([]byte{0}, 64<<20)})
	many := map[string][]byte{}
	for i := range 401 {
		many[fmt.Sprintf("%03d.pdf", i)] = []byte("%PDF-")
	}
	for what, c := range map[string]struct {
		who  school.Person
		data []byte
		want func(error) bool
	}{
		"a student":     {crowd.Seats[0].Person, back, func(err error) bool { return err == access.ErrDenied }},
		"cut off":       {crowd.Teacher, back[:len(back)/2], func(err error) bool { return school.IsProblem(err, "no zip") }},
		"hundreds":      {crowd.Teacher, zipOf(t, many), func(err error) bool { return school.IsProblem(err, "no zip") }},
		"nothing in it": {crowd.Teacher, zipOf(t, map[string][]byte{"a.txt": []byte("a")}), func(err error) bool { return school.IsProblem(err, "nothing marked") }},
		"zeros":         {crowd.Teacher, bomb, func(err error) bool { return err == nil }},
	} {
		err := home.School.Elsewhere.BringMarkedClass(ctx, c.who, crowd.Assignment.ID, []intake.Upload{{Name: "x.zip", Data: c.data}}, []int{0}, func(f work.MarkedFile) error {
			if f.Wrong == nil {
				t.Errorf("%s: %+v", what, f)
			}
			return nil
		})
		if !c.want(err) {
			t.Errorf("%s: %v", what, err)
		}
	}

	// On the screen, by the keyboard alone: look, see what is to be thought of, take over.
	file := filepath.Join(t.TempDir(), "back.zip")
	if err := os.WriteFile(file, back, 0o644); err != nil {
		t.Fatal(err)
	}
	p := tab(t, 1280, 800)
	token, err := home.SignIn(ctx, crowd.Teacher.ID)
	if err != nil {
		t.Fatal(err)
	}
	steps(t, func() error { return p.Cookie(house.Cookie, token) },
		func() error { return p.Go(fmt.Sprintf("/assignments/%d/files", crowd.Assignment.ID)) },
		func() error { return p.Choose("#marked", file) },
		func() error {
			return p.Until("it is in hand", `(document.querySelector("[data-marked] button").focus(), true)`)
		}, p.Enter,
		func() error {
			return p.Until("each is listed", `!document.querySelector("[data-chosen]").hidden && document.querySelectorAll("[data-chosen] tbody tr").length === 6`)
		},
		func() error {
			return p.Until("what needs a thought is not chosen", `[...document.querySelectorAll("[data-chosen] input")].filter((i) => i.checked).length === 0 && document.querySelector("[data-take]").disabled && document.querySelector("[data-chosen]").textContent.includes("a later attempt came in meanwhile")`)
		},
		func() error {
			return p.Until("one is in hand", fmt.Sprintf(`(([...document.querySelectorAll("[data-chosen] tr")].find((r) => r.textContent.includes(%q)).querySelector("input")).focus(), true)`, crowd.Seats[1].Person.Name))
		},
		func() error { return p.Key(" ") },
		func() error {
			return p.Until("it is chosen", `document.querySelector("[data-take]").textContent === "Take 1 file over" && (document.querySelector("[data-take]").focus(), true)`)
		}, p.Enter,
		func() error {
			return p.Until("it is told", `document.querySelector("[data-chosen] [data-far]").textContent.startsWith("1 file is feedback now")`)
		},
	)
	axeFinds(t, p, "files of a class")
	if now := count(1); now != before[1]+2 {
		t.Errorf("the second copy has %d marks of feedback, want %d", now, before[1]+2)
	}
}
