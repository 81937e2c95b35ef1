package e2e

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"image/jpeg"
	"image/png"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"sync"
	"testing"

	"codeberg.org/go-pdf/fpdf"

	"readymargin/core/access"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/submission"
	"readymargin/demo"
	"readymargin/e2e/house"
	"readymargin/school"
	"readymargin/school/intake"
	"readymargin/school/takeaway"
	"readymargin/school/work"
)

// paperScale is how many pixels of a printed page a point is: 200 to the inch.
const paperScale = 200.0 / 72

// printedPages returns the pages of a PDF as poppler prints them.
func printedPages(t *testing.T, file []byte) (out []*image.RGBA) {
	t.Helper()
	dir := t.TempDir()
	if err := os.WriteFile(dir+"/in.pdf", file, 0o644); err != nil {
		t.Fatal(err)
	}
	if said, err := exec.Command("pdftoppm", "-r", "200", "-png", dir+"/in.pdf", dir+"/page").CombinedOutput(); err != nil {
		t.Fatalf("pdftoppm (apt-get install poppler-utils): %v %s", err, said)
	}
	names, err := filepath.Glob(dir + "/page*.png")
	if err != nil {
		t.Fatal(err)
	}
	slices.Sort(names)
	for _, name := range names {
		b, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		m, err := png.Decode(bytes.NewReader(b))
		if err != nil {
			t.Fatal(err)
		}
		flat := image.NewRGBA(m.Bounds())
		draw.Draw(flat, flat.Bounds(), m, image.Point{}, draw.Src)
		out = append(out, flat)
	}
	return out
}

// The hand writes a blue and a red spot on each page; where, in points, is known.
var blueAt, redAt = page.Pt(170, 610), page.Pt(430, 300)

func spotted(m *image.RGBA) *image.RGBA {
	out := image.NewRGBA(m.Bounds())
	draw.Draw(out, out.Bounds(), m, image.Point{}, draw.Src)
	for at, ink := range map[page.Point]color.RGBA{blueAt: {30, 60, 200, 255}, redAt: {200, 30, 40, 255}} {
		c := at.Mul(paperScale)
		for y := int(c.Y) - 14; y <= int(c.Y)+14; y++ {
			for x := int(c.X) - 14; x <= int(c.X)+14; x++ {
				if page.Pt(float64(x), float64(y)).Dist(c) <= 14 {
					out.SetRGBA(x, y, ink)
				}
			}
		}
	}
	return out
}

// spots returns where the blue and the red are in a picture of a page so wide in points.
func spots(m image.Image, width float64) (blue, red page.Point) {
	scale := width / float64(m.Bounds().Dx())
	var n [2]float64
	var sum [2]page.Point
	for y := m.Bounds().Min.Y; y < m.Bounds().Max.Y; y++ {
		for x := m.Bounds().Min.X; x < m.Bounds().Max.X; x++ {
			r, g, b, _ := m.At(x, y).RGBA()
			i := -1
			switch r, g, b := int(r>>8), int(g>>8), int(b>>8); {
			case b > r+70 && b > g+70:
				i = 0
			case r > b+70 && r > g+70:
				i = 1
			}
			if i >= 0 {
				n[i]++
				sum[i] = sum[i].Add(page.Pt(float64(x)+0.5, float64(y)+0.5))
			}
		}
	}
	return sum[0].Mul(scale / max(n[0], 1)), sum[1].Mul(scale / max(n[1], 1))
}

func packedPNG(t *testing.T, m image.Image) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(&b, m); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// filtered has ffmpeg do something to a picture and pack it as JPEG.
func filtered(t *testing.T, m image.Image, filter string, quality int) []byte {
	t.Helper()
	cmd := exec.Command("ffmpeg", "-loglevel", "error", "-f", "png_pipe", "-i", "-", "-vf", filter, "-q:v", fmt.Sprint(quality), "-f", "mjpeg", "-")
	var out, said bytes.Buffer
	cmd.Stdin, cmd.Stdout, cmd.Stderr = bytes.NewReader(packedPNG(t, m)), &out, &said
	if err := cmd.Run(); err != nil {
		t.Fatalf("ffmpeg (apt-get install ffmpeg): %v %s", err, said.Bytes())
	}
	return out.Bytes()
}

// photographed simulates a photograph of a sheet on a table: from aslant, in uneven light,
// with grain, turned by quarters, and packed as telephones do.
func photographed(t *testing.T, m image.Image, r *rand.Rand) []byte {
	t.Helper()
	d := func(most int) int { return r.IntN(most) }
	return filtered(t, m, fmt.Sprintf("pad=iw+500:ih+500:250:250:color=%s,perspective=x0=%d:y0=%d:x1=W-%d:y1=%d:x2=%d:y2=H-%d:x3=W-%d:y3=H-%d:sense=destination,vignette=angle=PI/%d:x0=w*%.2f:y0=h*%.2f,noise=alls=%d:allf=t,rotate=%d*PI/2:ow='if(mod(%[14]d,2),ih,iw)':oh='if(mod(%[14]d,2),iw,ih)',scale=iw*%.2f:-1",
		[]string{"0x6b4a2f", "0x30343a", "0x2f5a44"}[d(3)], d(200), d(200), d(200), d(200), d(200), d(200), d(200), d(200), 5+d(4), 0.3+0.4*r.Float64(), 0.3+0.4*r.Float64(), 6+d(8), d(4), 0.8+0.3*r.Float64()), 4+d(4))
}

// scanned makes a PDF of pages as a scanner with a feeder does: each a little askew, with
// grain and a shade.
func scanned(t *testing.T, r *rand.Rand, pages ...*image.RGBA) []byte {
	t.Helper()
	doc := fpdf.New("P", "pt", "A4", "")
	for i, m := range pages {
		lean := (r.Float64() - 0.5) * 3 * math.Pi / 180
		jpeg := filtered(t, m, fmt.Sprintf("rotate=%.4f:c=white,noise=alls=8:allf=t,eq=brightness=-0.04", lean), 5)
		name := fmt.Sprint("page", i)
		doc.RegisterImageOptionsReader(name, fpdf.ImageOptions{ImageType: "JPG"}, bytes.NewReader(jpeg))
		doc.AddPage()
		doc.ImageOptions(name, 0, 0, 595.28, 841.89, false, fpdf.ImageOptions{}, 0, "")
	}
	var out bytes.Buffer
	if err := doc.Output(&out); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// brought brings paper in and returns what became of the pages.
func brought(t *testing.T, who school.Person, assignment uint64, file []byte) (out []work.PaperPage) {
	t.Helper()
	if err := home.School.Elsewhere.BringPaper(context.Background(), who, assignment, intake.Upload{Name: "paper", Data: file}, func(p work.PaperPage) error {
		out = append(out, p)
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	return out
}

// laidOn returns the pictures on a copy's pages, as their students have them.
func laidOn(t *testing.T, seat house.Seat) (out []mark.Mark) {
	t.Helper()
	v, err := home.School.Screens.Open(context.Background(), seat.Person, seat.Copy)
	if err != nil {
		t.Fatal(err)
	}
	for _, m := range v.Marks {
		if _, ok := m.Mark.Body.(*mark.Picture); ok && m.Layer == submission.Work {
			out = append(out, m.Mark)
		}
	}
	return out
}

// Sheets that a class wrote on by hand find their way back: photographs from aslant and a
// stack that was scanned are laid on the right copies, on the right pages, within two
// points of where they were written on; nothing is ever laid on another's.
func TestPaperFindsItsWayBack(t *testing.T) {
	t.Parallel()
	ctx, r := context.Background(), rand.New(rand.NewPCG(14, 3))
	sheet, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	crowd, err := home.Crowd(ctx, "Bypaper", 4, sheet)
	if err != nil {
		t.Fatal(err)
	}
	other, err := home.Crowd(ctx, "Otherpaper", 1, sheet)
	if err != nil {
		t.Fatal(err)
	}
	stack := func(c house.Crowd) []*image.RGBA {
		t.Helper()
		f, err := home.School.Exports.TakeStack(ctx, c.Teacher, c.Assignment.ID, takeaway.Clean)
		if err != nil {
			t.Fatal(err)
		}
		return printedPages(t, bytesOf(t, f))
	}
	pages, foreign := stack(crowd), stack(other)
	if len(pages) != 2*len(crowd.Seats) {
		t.Fatalf("%d pages were printed for %d students", len(pages), len(crowd.Seats))
	}
	want := map[uint64]int{} // pages by copies
	check := func(what string, p work.PaperPage, i int, outcome work.Outcome) {
		t.Helper()
		seat := crowd.Seats[i/2]
		if p.Outcome != outcome || p.Copy != seat.Copy || p.Student != seat.Person.Name || p.Sheet != i%2+1 {
			t.Errorf("%s, page %d of the stack: %+v", what, i, p.Outcome)
		}
	}
	for i, m := range pages[:4] { // photographs, in any order
		i = 3 - i
		m = spotted(pages[i])
		photo := photographed(t, m, r)
		got := brought(t, crowd.Teacher, crowd.Assignment.ID, photo)
		check("photograph", got[0], i, work.PageLaid)
		want[crowd.Seats[i/2].Copy]++
		if i == 0 {
			check("the same again", brought(t, crowd.Teacher, crowd.Assignment.ID, photo)[0], i, work.PageThere)
		}
	}
	blank := image.NewRGBA(pages[0].Bounds())
	draw.Draw(blank, blank.Bounds(), image.White, image.Point{}, draw.Src)
	two := image.NewRGBA(image.Rect(0, 0, 2*blank.Bounds().Dx(), blank.Bounds().Dy()))
	draw.Draw(two, blank.Bounds(), pages[5], image.Point{}, draw.Src)
	draw.Draw(two, blank.Bounds().Add(image.Pt(blank.Bounds().Dx(), 0)), pages[7], image.Point{}, draw.Src)
	upsideDown, upright := image.NewRGBA(blank.Bounds()), spotted(pages[5])
	for y := range blank.Bounds().Dy() {
		for x := range blank.Bounds().Dx() {
			upsideDown.SetRGBA(blank.Bounds().Dx()-1-x, blank.Bounds().Dy()-1-y, upright.RGBAAt(x, y))
		}
	}
	scan := scanned(t, r, spotted(pages[7]), foreign[0], upsideDown, blank, spotted(pages[4]))
	got := brought(t, crowd.Teacher, crowd.Assignment.ID, scan)
	if len(got) != 5 {
		t.Fatalf("%d pages of the scan", len(got))
	}
	got = append(got, brought(t, crowd.Teacher, crowd.Assignment.ID, filtered(t, two, "null", 4))...) // two sheets side by side
	check("scan", got[0], 7, work.PageLaid)
	check("scan, upside down", got[2], 5, work.PageLaid)
	check("scan", got[4], 4, work.PageLaid)
	for _, i := range []int{7, 5, 4} {
		want[crowd.Seats[i/2].Copy]++
	}
	for i, outcome := range map[int]work.Outcome{1: work.PageStrange, 3: work.PageUncoded, 5: work.PageTwo} {
		if got[i].Outcome != outcome || got[i].Copy != 0 || len(got[i].Picture) == 0 {
			t.Errorf("page %d of the scan: %s on copy %d, want %s", i+1, got[i].Outcome, got[i].Copy, outcome)
		}
	}
	for _, seat := range slices.Concat(crowd.Seats, other.Seats) {
		laid := laidOn(t, seat)
		if len(laid) != want[seat.Copy] {
			t.Errorf("%s has %d pages on paper, want %d", seat.Person.Name, len(laid), want[seat.Copy])
		}
		for _, m := range laid {
			pic := m.Body.(*mark.Picture)
			data, err := home.Store.Blob(ctx, pic.Hash)
			if err != nil {
				t.Fatal(err)
			}
			seen, err := jpeg.Decode(bytes.NewReader(data))
			if err != nil {
				t.Fatal(err)
			}
			blue, red := spots(seen, pic.Rect[2])
			if blue.Dist(blueAt) > 2 || red.Dist(redAt) > 2 {
				t.Errorf("%s, page %d: what was written lies off by %.1f and %.1f points", seat.Person.Name, m.Page, blue.Dist(blueAt), red.Dist(redAt))
			}
		}
	}
	// Who may not, and what is none.
	for name, c := range map[string]struct {
		who  school.Person
		file []byte
		want func(error) bool
	}{
		"a student":       {crowd.Seats[0].Person, scan, func(err error) bool { return err == access.ErrDenied }},
		"another teacher": {other.Teacher, scan, func(err error) bool { return err == access.ErrHidden }},
		"words":           {crowd.Teacher, []byte("Dear parents,"), func(err error) bool { return school.IsProblem(err, "no paper") }},
		"half a picture":  {crowd.Teacher, photographed(t, pages[6], r)[:9000], func(err error) bool { return err != nil }},
	} {
		err := home.School.Elsewhere.BringPaper(ctx, c.who, crowd.Assignment.ID, intake.Upload{Name: "x", Data: c.file}, func(work.PaperPage) error { return nil })
		if !c.want(err) {
			t.Errorf("%s: %v", name, err)
		}
	}
	if n := len(laidOn(t, crowd.Seats[3])); n != want[crowd.Seats[3].Copy] {
		t.Errorf("what was refused left %d pages", n)
	}
	// What is submitted is not written on any more.
	seat := crowd.Seats[3]
	v, err := home.School.Screens.Open(ctx, seat.Person, seat.Copy)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := home.School.Submitting.Submit(ctx, seat.Person, seat.Copy, "", v.Seq); err != nil {
		t.Fatal(err)
	}
	check("submitted", brought(t, crowd.Teacher, crowd.Assignment.ID, photographed(t, spotted(pages[6]), r))[0], 6, work.PageSubmitted)
}

// Two teachers bring the same stack in at the same moment: each page is there once.
func TestTwoBringTheSameStackIn(t *testing.T) {
	t.Parallel()
	ctx, r := context.Background(), rand.New(rand.NewPCG(14, 4))
	sheet, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	crowd, err := home.Crowd(ctx, "Twostacks", 3, sheet)
	if err != nil {
		t.Fatal(err)
	}
	f, err := home.School.Exports.TakeStack(ctx, crowd.Teacher, crowd.Assignment.ID, takeaway.Clean)
	if err != nil {
		t.Fatal(err)
	}
	scan := scanned(t, r, printedPages(t, bytesOf(t, f))...)
	var both sync.WaitGroup
	for range 2 {
		both.Go(func() {
			if err := home.School.Elsewhere.BringPaper(ctx, crowd.Teacher, crowd.Assignment.ID, intake.Upload{Name: "stack.pdf", Data: scan}, func(work.PaperPage) error { return nil }); err != nil {
				t.Error(err)
			}
		})
	}
	both.Wait()
	for _, seat := range crowd.Seats {
		if n := len(laidOn(t, seat)); n != 2 {
			t.Errorf("%s has %d pages, want 2", seat.Person.Name, n)
		}
	}
}

// On the screen: a teacher prints the class's sheets, brings photographs in, and says
// whose a page is of which no code is read; a student photographs their own.
func TestPaperOnTheScreen(t *testing.T) {
	t.Parallel()
	ctx, r := context.Background(), rand.New(rand.NewPCG(14, 5))
	sheet, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	crowd, err := home.Crowd(ctx, "Screenpaper", 2, sheet)
	if err != nil {
		t.Fatal(err)
	}
	f, err := home.School.Exports.TakeStack(ctx, crowd.Teacher, crowd.Assignment.ID, takeaway.Clean)
	if err != nil {
		t.Fatal(err)
	}
	pages := printedPages(t, bytesOf(t, f))
	cut := pages[1].SubImage(image.Rect(150, 150, pages[1].Bounds().Dx()-150, pages[1].Bounds().Dy()-150)) // without its codes
	dir := t.TempDir()
	for name, data := range map[string][]byte{"coded.jpg": photographed(t, pages[0], r), "cut.jpg": filtered(t, cut, "null", 4), "own.jpg": photographed(t, pages[3], r), "others.jpg": photographed(t, pages[1], r)} {
		if err := os.WriteFile(filepath.Join(dir, name), data, 0o644); err != nil {
			t.Fatal(err)
		}
	}
	p := tab(t, 1280, 800)
	first, second := crowd.Seats[0], crowd.Seats[1]
	token, err := home.SignIn(ctx, crowd.Teacher.ID)
	if err != nil {
		t.Fatal(err)
	}
	steps(t, func() error { return p.Cookie(house.Cookie, token) },
		func() error { return p.Go(fmt.Sprintf("/courses/%d", crowd.Course.ID)) },
		func() error { return p.Click(`a[href$="/files"]`) },
		func() error {
			return p.Until("the page of files", `document.querySelector("[data-paper]") && document.querySelector('a[href$="stack?as=sheet"]').textContent.includes("2 empty sheets")`)
		},
		func() error {
			return p.Choose("#paper", filepath.Join(dir, "coded.jpg"), filepath.Join(dir, "cut.jpg"))
		},
		func() error { return p.Click("[data-paper] button") },
		func() error {
			return p.Until("both were read", `document.querySelectorAll("[data-pages] tbody tr").length === 2 && document.querySelector("[data-paper] [data-far]").textContent.startsWith("1 page was laid")`)
		},
		func() error {
			return p.Until("one is laid, of the other it is asked whose it is", fmt.Sprintf(`((rows) => rows[0].textContent.includes(%q) && rows[0].textContent.includes("Laid on the copy") && rows[1].textContent.includes("no code was found") && rows[1].querySelector("img").naturalWidth > 0)(document.querySelectorAll("[data-pages] tbody tr"))`, first.Person.Name))
		},
		func() error { return p.Click("[data-pages] form button:not([type])") }, // says what is missing, and sends nothing
		set(p, `[data-pages] [name="student"]`, fmt.Sprint(first.Person.ID)),
		set(p, `[data-pages] [name="page"]`, "9"),
		func() error { return p.Click("[data-pages] form button:not([type])") },
		func() error {
			return p.Until("there is no such page", `document.querySelector("[data-pages] form [data-wrong]").textContent.includes("pages 1 to 2")`)
		},
		set(p, `[data-pages] [name="page"]`, "2"),
		func() error { return p.Click("[data-pages] form button:not([type])") },
		func() error {
			return p.Until("it is laid", fmt.Sprintf(`((row) => row.textContent.includes(%q) && row.textContent.includes("Laid on the copy"))(document.querySelectorAll("[data-pages] tbody tr")[1])`, first.Person.Name+", page 2"))
		},
	)
	on := map[int]bool{}
	for _, m := range laidOn(t, first) {
		on[m.Page] = true
	}
	if len(on) != 2 {
		t.Errorf("the first student has pages %v on paper", on)
	}
	// The student's own: which page it is need not be asked, and another's is.
	q := tab(t, 390, 844)
	steps(t, func() error { return q.Cookie(house.Cookie, second.Session) },
		func() error { return q.Go(fmt.Sprintf("/copies/%d", second.Copy)) }, q.Ready,
		func() error { return q.Click(`[data-do="margin"]`) },
		bringBack(q, filepath.Join(dir, "own.jpg")),
		func() error {
			return q.Until("it is laid on its page", `document.querySelector(".toast")?.textContent.startsWith("1 page was matched, and 1 picture") && document.querySelector(".toast").textContent.includes("Not in the file: page 1")`)
		},
		bringBack(q, filepath.Join(dir, "others.jpg")),
		func() error {
			return q.Until("it is asked about", `document.querySelector('[data-dialog="ask"]').open && document.querySelector("[data-ask-title]").textContent.startsWith("Another copy")`)
		},
		func() error { return q.Click(`[data-dialog="ask"] [value="no"]`) },
	)
	if laid := laidOn(t, second); len(laid) != 1 || laid[0].Page != 2 {
		t.Errorf("the second student has %v", laid)
	}
}
