package e2e

import (
	"context"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/worksheet"
	"readymargin/e2e/browser"
	"readymargin/school/intake"
	"readymargin/school/shelf"
	"readymargin/school/takeaway"
)

// photographOfASheet is a picture of 900 by 1,200 pixels: light paper that lies
// askew on a dark table.
func photographOfASheet(t *testing.T) string {
	t.Helper()
	corners := []page.Point{page.Pt(180, 120), page.Pt(760, 190), page.Pt(700, 1010), page.Pt(120, 940)}
	m := image.NewRGBA(image.Rect(0, 0, 900, 1200))
	noise := rand.New(rand.NewPCG(9, 12))
	for y := range 1200 {
		for x := range 900 {
			on := color.RGBA{70, 50, 40, 255}
			inside := true
			for i, a := range corners {
				b := corners[(i+1)%4]
				inside = inside && (b.X-a.X)*(float64(y)-a.Y)-(b.Y-a.Y)*(float64(x)-a.X) > 0
			}
			if inside {
				on = color.RGBA{232, 230, 225, 255}
			}
			for _, c := range []*uint8{&on.R, &on.G, &on.B} { // of a camera
				*c += uint8(noise.IntN(14))
			}
			m.SetRGBA(x, y, on)
		}
	}
	name := filepath.Join(t.TempDir(), "working.jpg")
	f, err := os.Create(name)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	if err := jpeg.Encode(f, m, nil); err != nil {
		t.Fatal(err)
	}
	return name
}

// A photograph of one's working becomes a page of the copy: straightened, or as
// it was taken when one says so, and a part of what is taken away.
func TestAPageAsAPhotograph(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Photograph")
	p, id := tab(t, 1280, 800), sc.copies[flow.NotStarted].ID
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	ratio := func() float64 {
		for _, m := range kept(t, p, id) {
			if pic, ok := m.Body.(*mark.Picture); ok && m.Page == 2 {
				r := pic.Rect
				return (r[3] - r[1]) / (r[2] - r[0])
			}
		}
		return 0
	}
	steps(t,
		func() error { return p.SignIn("photograph.student", scenePassword) }, func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready,
		is("a page can be added", `document.querySelector("#page-photo")`),
		func() error { return p.Choose("#page-photo", photographOfASheet(t)) },
		is("there is a second page", `document.querySelectorAll("section.sheet").length === 2`),
		is("it is said", `document.querySelector(".toast")?.innerText.startsWith("The photograph was straightened.")`),
	)
	if got := ratio(); math.Abs(got-math.Sqrt2) > 0.02 {
		t.Fatalf("the page is %.3f times as high as wide; it was a sheet of A4", got)
	}
	steps(t,
		func() error { return p.Click(".toast button") },
		is("it is there as it was taken", `!document.querySelector(".toast")`),
		is("the other picture is there", `[...document.querySelectorAll('section.sheet[data-page="2"] image')].some((i) => Math.abs(i.getAttribute("height") / i.getAttribute("width") - 4 / 3) < 0.01)`),
	)
	if got := ratio(); math.Abs(got-4.0/3) > 0.01 {
		t.Errorf("as it was taken the picture is %.3f times as high as wide", got)
	}
	file, err := home.School.Exports.TakeCopy(context.Background(), personOf(t, "photograph.student"), id, takeaway.Choice{})
	if err != nil {
		t.Fatal(err)
	}
	name := filepath.Join(t.TempDir(), "copy.pdf")
	if err := os.WriteFile(name, bytesOf(t, file), 0o644); err != nil {
		t.Fatal(err)
	}
	if n, err := exec.Command("qpdf", "--show-npages", name).Output(); err != nil || strings.TrimSpace(string(n)) != "2" {
		t.Errorf("the file that is taken away has %s pages, %v (apt-get install qpdf)", n, err)
	}
}

// A worksheet that was photographed is seen from above and in even light; as it was
// taken it lies behind, left out, to be chosen instead.
func TestAPhotographedWorksheetIsCleaned(t *testing.T) {
	t.Parallel()
	setSceneNamed(t, "Snapped")
	ctx, s, teacher := context.Background(), home.School, personOf(t, "snapped.teacher")
	photo, err := os.ReadFile(photographOfASheet(t))
	if err != nil {
		t.Fatal(err)
	}
	w, err := s.Shelf.BringIn(ctx, teacher, intake.Upload{Name: "snapped.jpg", Data: photo})
	if err != nil {
		t.Fatal(err)
	}
	b, err := s.Shelf.Prepare(ctx, teacher, w.ID)
	if err != nil {
		t.Fatal(err)
	}
	if len(b.Plan) != 2 || b.Plan[0].Use != worksheet.Sheet || b.Plan[1].Use != worksheet.Dropped || !strings.Contains(b.Sources[0].Remark, "straightened") {
		t.Errorf("the plan is %+v, the remark %q", b.Plan, b.Sources[0].Remark)
	}
	for n, want := range map[int]bool{1: true, 2: false} { // white to its corners, or with the table about it
		m, err := s.Shelf.SourcePicture(ctx, teacher, w.ID, 0, shelf.PageAt{Number: n, Scale: 100})
		if err != nil {
			t.Fatal(err)
		}
		seen, _, err := image.Decode(m)
		m.Close()
		if err != nil {
			t.Fatal(err)
		}
		dark := 0
		for y := 20; y < seen.Bounds().Dy()-20; y += 3 {
			for x := 20; x < seen.Bounds().Dx()-20; x += 3 {
				if r, g, b, _ := seen.At(x, y).RGBA(); min(r, g, b) < 0xe000 {
					dark++
				}
			}
		}
		if white := dark*50 < seen.Bounds().Dx()*seen.Bounds().Dy()/9; white != want {
			t.Errorf("page %d: %d dark points, white: %v", n, dark, white)
		}
	}
	// Which of the two students get is chosen by their pictures; how large it is, is said,
	// and it can come lighter over the line.
	p := tab(t, 1280, 800)
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	heavy := `Number(document.querySelector("[data-weight] .hint").textContent.match(/about (\d+) KB/)?.[1] ?? 0)`
	steps(t,
		func() error { return p.SignIn("snapped.teacher", scenePassword) }, func() error { return p.Go(fmt.Sprintf("/worksheets/%d", w.ID)) }, p.Ready,
		is("the one that is handed out is seen", `document.querySelector('.either [aria-checked="true"]')?.textContent === "Straightened and cleaned"`),
		func() error { return p.Click(`.either [aria-checked="false"]`) },
		is("the other one is", `document.querySelector('.either [aria-checked="true"]')?.textContent === "As it was taken"`),
		func() error { return p.Click("[data-weight] summary") },
		is("it is weighed", heavy+` > 20 && document.querySelectorAll("[data-weight] [role=radio]").length === 2`),
		is("changes are kept", `document.querySelector("[data-saved-words]").textContent === "Saved"`),
	)
	was, err := browser.Eval[int](p, "return "+heavy)
	if err != nil {
		t.Fatal(err)
	}
	steps(t,
		func() error { return p.Click(`[data-weight] [role=radio][aria-checked="false"]`) },
		is("it is lighter", heavy+fmt.Sprintf(` < %d`, was*8/10)),
		func() error {
			return p.Until("changes are kept", `document.querySelector("[data-saved-words]").textContent === "Saved"`)
		},
		func() error { return p.Go(fmt.Sprintf("/worksheets/%d/try", w.ID)) }, p.Ready,
		is("its page is the lighter one", `[...document.querySelectorAll("section.sheet img")].some((i) => i.src.endsWith("?light=1") && i.naturalWidth > 0)`),
	)
	if b, err = s.Shelf.Prepare(ctx, teacher, w.ID); err != nil || b.Plan[0].Use != worksheet.Dropped || b.Plan[1].Use != worksheet.Sheet || !b.Kit.Light {
		t.Errorf("kept is %+v, lighter: %v, %v", b.Plan, b.Kit.Light, err)
	}
}
