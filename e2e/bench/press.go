package main

import (
	"bytes"
	"fmt"
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"readymargin/core/blank"
	"readymargin/core/blank/blanktest"
	"readymargin/core/document"
	"readymargin/core/ink"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/tagged"
	"readymargin/demo"
	"readymargin/e2e/held"
	"readymargin/e2e/house"
	"readymargin/school/intake"
	"readymargin/school/shelf"
)

// render: a page the first time, warm worker, beside pdftoppm.
func (b *bench) render() ([]line, error) {
	file, name, drop, err := sample()
	if err != nil {
		return nil, err
	}
	defer drop()
	ours, err := median(9, func() error {
		_, err := b.house.Engine.Picture(b.ctx, file, 1, 150.0/72)
		return err
	})
	if err != nil {
		return nil, err
	}
	var out []line
	for kind, budget := range map[string]float64{"-png": 1, "-jpeg": 1.2} {
		ref, err := median(9, func() error {
			return exec.Command("pdftoppm", kind, "-r", "150", "-f", "1", "-l", "1", name, name+"-out").Run()
		})
		if err != nil {
			return nil, err
		}
		out = append(out, line{"first picture of a page at 150 dpi", ours, ref, "ms", budget, false, "pdftoppm " + kind})
	}
	return out, nil
}

// sample is the demo's flat worksheet as bytes and as a file.
func sample() (file []byte, name string, drop func(), err error) {
	if file, err = demo.TideHeights(); err != nil {
		return nil, "", nil, err
	}
	dir, err := os.MkdirTemp("", "readymargin-bench-*")
	if err != nil {
		return nil, "", nil, err
	}
	name = filepath.Join(dir, "sheet.pdf")
	return file, name, func() { os.RemoveAll(dir) }, os.WriteFile(name, file, 0o644)
}

// blanks: finding the places to write on a page, beside rendering it.
func (b *bench) blanks() ([]line, error) {
	file, _, drop, err := sample()
	if err != nil {
		return nil, err
	}
	defer drop()
	pages, err := b.house.Engine.Inspect(b.ctx, file)
	if err != nil {
		return nil, err
	}
	p := pages[0].Flat()
	ours, err := median(9, func() error { blank.Find(p); return nil })
	if err != nil {
		return nil, err
	}
	ref, err := median(9, func() error {
		_, err := b.house.Engine.Picture(b.ctx, file, 1, 150.0/72)
		return err
	})
	return []line{{"finding the blanks of a page", ours, ref, "ms", 1, false, "rendering it"}}, err
}

// list: looking at a class list of 3,000 lines.
// found prints how well blanks are found on the sheets whose places are known;
// see the tests of package pdf for what they are.
func (b *bench) found() ([]line, error) {
	cmd := exec.Command("go", "test", "./pdf", "-run", "^TestBlanks", "-v", "-count=1")
	cmd.Dir = house.Root()
	out, err := cmd.CombinedOutput()
	for _, l := range strings.Split(string(out), "\n") {
		if strings.Contains(l, " places: ") {
			_, l, _ = strings.Cut(strings.TrimSpace(l), ": ") // without the line of the test
			fmt.Println("  " + l)
		} else if strings.HasPrefix(l, "=== RUN") {
			fmt.Println(strings.TrimSpace(strings.TrimPrefix(l, "=== RUN")))
		}
	}
	if err != nil {
		return nil, err
	}
	return nil, b.held()
}

// held prints the same for the sheets on which no rule is tuned.
func (b *bench) held() error {
	tab, err := b.web.Tab("about:blank", 900, 1200)
	if err != nil {
		return err
	}
	defer tab.Close()
	sheets, err := held.Sheets(tab, filepath.Join(house.Root(), "core", "typeset", "fonts"))
	if err != nil {
		return err
	}
	for _, scanned := range []bool{false, true} {
		fmt.Println(map[bool]string{false: "Held apart, as files", true: "Held apart, as scans"}[scanned])
		results, err := held.Measure(b.ctx, b.house.Engine, sheets, scanned)
		if err != nil {
			return err
		}
		var all blanktest.Score
		kinds := map[blank.Kind]blanktest.Score{}
		for _, r := range results {
			fmt.Printf("  %-10s %v\n", r.Name, r.Score)
			all.Add(r.Score)
			for kind, s := range r.Kinds {
				sum := kinds[kind]
				sum.Add(s)
				kinds[kind] = sum
			}
		}
		for _, kind := range slices.Sorted(maps.Keys(kinds)) {
			fmt.Printf("    %-8s %v\n", kind, kinds[kind])
		}
		fmt.Printf("  %-10s %v\n", "all", all)
	}
	return nil
}

// long: from a file of 100 pages to the first page's picture on the bench,
// beside the same with the file's first page alone.
func (b *bench) long() ([]line, error) {
	_, name, drop, err := sample()
	if err != nil {
		return nil, err
	}
	defer drop()
	s := b.house.School
	teacher, err := s.Accounts.AddPerson(b.ctx, "Long Bench", "a-long-password", false, true)
	if err != nil {
		return nil, err
	}
	number := 0
	open := func(pages int) func() error {
		return func() error {
			number++ // a file that was seen before would be quicker
			args := append([]string{"--deterministic-id", "--empty", "--pages"}, slices.Repeat([]string{name}, (pages+1)/2)...)
			out := fmt.Sprintf("%s-%d.pdf", name, number)
			if pages == 1 {
				args = []string{name, "--pages", ".", "1"}
			}
			if err := exec.Command("qpdf", append(args, "--", out)...).Run(); err != nil {
				return err
			}
			file, err := os.ReadFile(out)
			if err != nil {
				return err
			}
			file = append(file, fmt.Sprintf("%% %d\n", number)...)
			start := time.Now()
			w, err := s.Shelf.BringIn(b.ctx, teacher, intake.Upload{Name: "long.pdf", Data: file})
			if err != nil {
				return err
			}
			if _, err := s.Shelf.Prepare(b.ctx, teacher, w.ID); err != nil {
				return err
			}
			_, err = s.Shelf.SourcePicture(b.ctx, teacher, w.ID, 0, shelf.PageAt{Number: 1, Scale: 150})
			b.took = append(b.took, float64(time.Since(start).Microseconds())/1000)
			if err == nil {
				_, err = s.Shelf.Found(b.ctx, teacher, w.ID) // until it is read, so that nothing runs on
			}
			return err
		}
	}
	measure := func(pages int) (float64, error) {
		b.took = nil
		_, err := median(5, open(pages))
		return middle(b.took), err
	}
	one, err := measure(1)
	if err != nil {
		return nil, err
	}
	hundred, err := measure(100)
	return []line{{"first page of 100 on the bench, after upload", hundred, one, "ms", 1.5, false, "a file of that page alone"}}, err
}

func (b *bench) list() ([]line, error) {
	s := b.house.School
	teacher, err := s.Accounts.AddPerson(b.ctx, "List Bench", "a-long-password", false, true)
	if err != nil {
		return nil, err
	}
	course, err := s.Courses.MakeCourse(b.ctx, teacher, "List", "UTC")
	if err != nil {
		return nil, err
	}
	var file bytes.Buffer
	file.WriteString("First name,Last name,Username\n")
	for i := range 3000 {
		fmt.Fprintf(&file, "Student,Number %d,list.bench.%d\n", i, i)
	}
	look, err := median(5, func() error { _, err := s.Lists.CheckList(b.ctx, teacher, course.ID, file.Bytes()); return err })
	if err != nil {
		return nil, err
	}
	start := time.Now()
	_, _, err = s.Lists.TakeList(b.ctx, teacher, course.ID, file.Bytes())
	return []line{
		{"looking at a class list of 3,000 lines", look, 0, "ms", 2000, false, ""},
		{"taking it in", float64(time.Since(start).Milliseconds()), 0, "ms", 10000, false, ""},
	}, err
}

// print: 4 pages with 200 marks, beside qpdf --overlay of ready-made overlays.
func (b *bench) print() ([]line, error) {
	_, name, drop, err := sample()
	if err != nil {
		return nil, err
	}
	defer drop()
	four := name + "-4.pdf"
	if err := exec.Command("qpdf", "--empty", "--pages", name, name, "--", four).Run(); err != nil {
		return nil, err
	}
	file, err := os.ReadFile(four)
	if err != nil {
		return nil, err
	}
	pages, err := b.house.Engine.Inspect(b.ctx, file)
	if err != nil {
		return nil, err
	}
	what := document.Export{}
	for _, p := range pages {
		what.Boxes = append(what.Boxes, p.Box)
	}
	for i := range 200 {
		what.Marks = append(what.Marks, someMark(fmt.Sprintf("bench-mark-%04d", i), i%4+1, i))
	}
	sheet := tagged.Sheet(pages)
	for _, m := range what.Marks {
		sheet[m.Page-1].Laid = append(sheet[m.Page-1].Laid, tagged.Laid{Name: m.ID, At: m.Body.Bounds(), Mark: &m, Role: document.RoleFigure, Says: "A mark"})
	}
	what.Tagged = tagged.Of(sheet)
	var printed []byte
	ours, err := median(15, func() error {
		printed, err = b.house.Engine.Print(b.ctx, file, what)
		return err
	})
	if err != nil {
		return nil, err
	}
	overlay := name + "-overlay.pdf"
	if err := os.WriteFile(overlay, printed, 0o644); err != nil {
		return nil, err
	}
	ref, err := median(15, func() error {
		return exec.Command("qpdf", four, "--overlay", overlay, "--", name+"-out.pdf").Run()
	})
	return []line{{"printed export, 4 pages, 200 marks", ours, ref, "ms", 1, false, "qpdf --overlay"}}, err
}

// someMark is one of a mixture of strokes, texts and highlights.
func someMark(id string, n, i int) mark.Mark {
	x, y := float64(40+(i*37)%480), float64(40+(i*61)%740)
	switch i % 3 {
	case 0:
		return mark.Mark{ID: id, Page: n, Body: &mark.FreeText{X: x, Y: y, Width: 60, Lines: []mark.TextLine{{Runs: []mark.Run{{Text: fmt.Sprintf("%d.%d m", i, i%10), Size: 14, Color: "#1f4fa3"}}}}}}
	case 1:
		return mark.Mark{ID: id, Page: n, Body: &mark.Highlight{Color: "#ffe27a", QuadPoints: mark.QuadPoints([]page.Quad{page.QuadOf(page.R(x, y, x+50, y+14))})}}
	}
	var s []ink.Sample
	for k := range 40 {
		t := float64(k) / 39
		s = append(s, ink.Sample{X: x + 50*t, Y: y + 20*t*(1-t)*float64(k%3), Pressure: 0.5})
	}
	return mark.Mark{ID: id, Page: n, Body: &mark.Ink{Color: "#c22f20", Width: 2, Opacity: 1, InkList: []ink.Stroke{ink.Fit(s)}}}
}
