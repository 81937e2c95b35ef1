package pdf

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"image"
	"image/draw"
	"image/jpeg"
	"image/png"
	"math"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"readymargin/core/annotation"
	"readymargin/core/document"
	"readymargin/core/ink"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/typeset"
	"readymargin/e2e/browser"
)

// anyMarks returns a mark of every kind that is an annotation elsewhere, with random
// looks, inside of w by h points.
func anyMarks(r *rand.Rand, n int, w, h float64) []mark.Mark {
	round := page.Round
	x := func() float64 { return round(40 + r.Float64()*(w-140)) }
	y := func() float64 { return round(40 + r.Float64()*(h-120)) }
	color := func() mark.Color { return mark.Color(fmt.Sprintf("#%06x", r.IntN(1<<24))) }
	rect := func() [4]float64 {
		a, b := x(), y()
		return [4]float64{a, b, round(a + 20 + r.Float64()*50), round(b + 14 + r.Float64()*40)}
	}
	turn := func() float64 { return float64(r.IntN(2)) * math.Round(r.Float64()*3599-1800) / 10 }
	shape := func() mark.Shape {
		return mark.Shape{Color: color(), Width: round(0.5 + 4*r.Float64()), Opacity: round(0.3 + 0.7*r.Float64()), Heads: []float64{0, 0.5, 2}[r.IntN(3)], Fill: []mark.Color{"", color()}[r.IntN(2)]}
	}
	quads := func() (out [][8]float64) {
		a := rect()
		q := page.QuadOf(page.R(a[0], a[1], a[2], a[1]+12))
		if r.IntN(3) == 0 {
			q = q.Turned(q[0], 20*r.Float64())
		}
		return mark.QuadPoints([]page.Quad{q, q.Add(page.Pt(0, 15))})
	}
	markup := func() mark.Markup {
		return mark.Markup{Color: color(), QuadPoints: quads(), Text: "the Carrick rocks"}
	}
	ends := [][2]string{{}, {"", "OpenArrow"}, {"OpenArrow", "OpenArrow"}}[r.IntN(3)]
	var samples []ink.Sample
	sx, sy, a := x(), y(), r.Float64()*6
	for range 30 {
		a += (r.Float64() - 0.5) * 0.8
		sx, sy = min(max(sx+2*math.Cos(a), 20), w-20), min(max(sy+2*math.Sin(a), 20), h-20)
		samples = append(samples, ink.Sample{X: sx, Y: sy, Pressure: []float64{0.5, r.Float64()}[n%2]})
	}
	text := mark.Run{Text: "4,5 m über Ω ", Size: 12, Color: color(), Font: mark.Fonts[r.IntN(4)], Bold: r.IntN(2) == 0, Italic: r.IntN(2) == 0}
	raised := text
	raised.Text, raised.Shift, raised.Under = "2+", 1, r.IntN(2) == 0
	long := 0.0
	for _, run := range []*mark.Run{&text, &raised} {
		size, _ := run.Set()
		run.Width = round(typeset.Of(typeset.LookOf(*run)).Width(run.Text, size))
		long += run.Width
	}
	at := [2]float64{x(), y()}
	bodies := []mark.Body{
		&mark.FreeText{X: x(), Y: y(), Width: round(long), Lines: []mark.TextLine{{Runs: []mark.Run{text, raised}, Hard: true}, {Runs: []mark.Run{text}}}, Turn: turn(), Fill: []mark.Color{"", color()}[r.IntN(2)]},
		&mark.Ink{Color: color(), Width: round(1 + 5*r.Float64()), Opacity: 1, Wash: r.IntN(3) == 0, InkList: []ink.Stroke{ink.Fit(samples), ink.Fit(samples[:9])}},
		&mark.Highlight{Color: color(), QuadPoints: quads(), Text: "the Carrick rocks", Meaning: "dangers", Sign: "D"},
		&mark.Underline{Markup: markup()}, &mark.StrikeOut{Markup: markup()},
		&mark.Line{Shape: shape(), L: [4]float64{x(), y(), x(), y()}, LineEnding: ends},
		&mark.PolyLine{Shape: shape(), Vertices: [][2]float64{{x(), y()}, {x(), y()}, {x(), y()}}, LineEnding: ends},
		&mark.Square{Shape: shape(), Rect: rect(), Turn: turn()}, &mark.Circle{Shape: shape(), Rect: rect(), Turn: turn()},
		&mark.Stamp{Name: mark.StampNames[r.IntN(len(mark.StampNames))], Color: color(), Rect: rect()},
		&mark.Picture{Hash: aPicture, Name: "a buoy", Rect: rect(), Turn: turn()},
		&mark.Note{At: at, Text: "Look at the units.", Color: color()},
	}
	var out []mark.Mark
	for i, b := range bodies {
		m := mark.Mark{ID: fmt.Sprintf("mark-%d-%d", n, i), Page: n, Body: b}
		if i == 1 {
			m.Helper = "Mum"
		}
		out = append(out, m)
	}
	return out
}

const aPicture = "0123456789abcdef0123456789abcdef0123456789abcdef0123456789abcdef"

func thePicture() map[string][]byte {
	m := image.NewRGBA(image.Rect(0, 0, 40, 30))
	for i := range m.Pix {
		m.Pix[i] = uint8(i * 7)
	}
	var b bytes.Buffer
	if err := jpeg.Encode(&b, m, nil); err != nil {
		panic(err)
	}
	return map[string][]byte{aPicture: b.Bytes()}
}

func plain(s string, _ bool) string { return s }

// movable returns a file with marks as annotations, what they are, and its pages.
func movable(t *testing.T, sheet []byte, said func(n int, p document.Page) []annotation.Said) ([]byte, document.Export, []document.Page) {
	t.Helper()
	pages, err := pool.Inspect(context.Background(), sheet)
	if err != nil {
		t.Fatal(err)
	}
	what := document.Export{Pictures: thePicture(), Copy: 12, About: document.About{Title: "Tide heights", Author: "Ines Varga", Language: "en", Attempt: 2, Fingerprint: "ab12", At: someDay}}
	for i, p := range pages {
		what.Boxes = append(what.Boxes, p.Box)
		what.Annotations = append(what.Annotations, annotation.All(said(i+1, p), plain)...)
	}
	b, err := pool.Print(context.Background(), sheet, what)
	if err != nil {
		t.Fatal(err)
	}
	return b, what, pages
}

var someDay = time.Date(2026, 11, 3, 8, 20, 0, 0, time.UTC)

// rewritten returns the file as other programs write it.
func rewritten(t *testing.T, b []byte) map[string][]byte {
	t.Helper()
	in, dir := written(t, b), t.TempDir()
	out := map[string][]byte{"as it was": b}
	for name, args := range map[string][]string{
		"qpdf, unpacked":   {"qpdf", "--qdf", "--object-streams=disable", in, "OUT"},
		"qpdf, packed":     {"qpdf", "--object-streams=generate", "--recompress-flate", in, "OUT"},
		"qpdf, linearised": {"qpdf", "--linearize", in, "OUT"},
		"mutool":           {"mutool", "clean", "-ggg", "-z", in, "OUT"},
		"pdf-lib":          {"node", "testdata/rewrite.mjs", nodeModule(t, "pdf-lib"), in, "OUT"},
	} {
		file := filepath.Join(dir, strings.ReplaceAll(name, " ", "")+".pdf")
		args[len(args)-1] = file
		if said, err := exec.Command(args[0], args[1:]...).CombinedOutput(); err != nil {
			t.Fatalf("%v: %v: %s (apt-get install qpdf mupdf-tools)", args, err, said)
		}
		again, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		out[name] = again
	}
	return out
}

// Every kind of mark goes out as an annotation and comes back equal, on pages that
// show themselves in every way, also through other programs that write the file
// anew; and by the keys of the standard alone it comes back as its kind, where it
// was.
func TestAnnotationsComeBackAsTheyWent(t *testing.T) {
	for seed := range uint64(6) {
		r := rand.New(rand.NewPCG(seed, 14))
		want := map[string]mark.Mark{}
		b, _, pages := movable(t, turned, func(n int, p document.Page) (said []annotation.Said) {
			for i, m := range anyMarks(r, n, p.Width, p.Height) {
				want[m.ID] = m
				said = append(said, annotation.Said{Mark: m, Author: "Ines Varga", At: someDay, Layer: []annotation.Layer{annotation.Work, annotation.Feedback}[i%2], Number: 3})
			}
			about, note, answer := fmt.Sprintf("mark-%d-7", n), fmt.Sprintf("note-%d-of", n), fmt.Sprintf("reply-%d-to", n)
			on := mark.Mark{ID: note, Page: n, Body: &mark.Note{At: [2]float64{50, 50}, On: about, Text: "Why this?"}}
			want[note] = on
			return append(said, annotation.Said{Mark: on, Author: "Ines Varga", At: someDay, Layer: annotation.Work},
				annotation.Said{Mark: mark.Mark{ID: answer, Page: n, Body: &mark.Reply{To: note, Text: "Because."}}, Author: "Mr Okonjo-Bell", At: someDay.Add(time.Hour), Layer: annotation.Feedback})
		})
		tool(t, "qpdf", "--check", written(t, b))
		files := map[string][]byte{"as it was": b}
		if seed < 2 {
			files = rewritten(t, b)
		}
		var boxes []page.Box
		for _, p := range pages {
			boxes = append(boxes, p.Box)
		}
		for by, file := range files {
			got, err := pool.Annotations(context.Background(), file, boxes)
			if err != nil {
				t.Fatal(err)
			}
			if got.Copy != 12 || got.Attempt != 2 || got.Fingerprint != "ab12" {
				t.Errorf("%s: it is of copy %d, attempt %d, %q", by, got.Copy, got.Attempt, got.Fingerprint)
			}
			found, answers := 0, 0
			for _, a := range got.Annotations {
				if a.Author == "Mr Okonjo-Bell" && a.Contents == "Because." {
					if answers++; a.ReplyTo != fmt.Sprintf("mark-%d-7", a.Page) {
						t.Errorf("%s: an answer is to %q", by, a.ReplyTo)
					}
					continue
				}
				if !a.Created.Equal(someDay) || a.Layer == "" || a.Author != "Ines Varga" || a.Contents == "" || !a.Looks {
					t.Fatalf("%s: %+v", by, a)
				}
				taken := a.Take(fresh)
				if taken.Mark == nil || !taken.Ours || taken.Moved {
					t.Errorf("%s: %s %s is not known again: %+v", by, a.Subtype, a.Name, taken)
					continue
				}
				for _, m := range []*mark.Mark{taken.Mark, taken.Note} {
					if m == nil {
						continue
					}
					if found++; encodedMark(t, *m) != encodedMark(t, want[m.ID]) {
						t.Errorf("%s: %s is %s, was %s", by, m.ID, encodedMark(t, *m), encodedMark(t, want[m.ID]))
					}
				}
				byTheStandard(t, a, want[a.Name])
			}
			if found != len(want) || answers != len(pages) {
				t.Errorf("%s: %d of %d came back, and %d answers", by, found, len(want), answers)
			}
		}
	}
}

func encodedMark(t *testing.T, m mark.Mark) string {
	t.Helper()
	b, err := json.Marshal(m)
	if err != nil {
		t.Fatal(err)
	}
	return string(b)
}

var freshNames int

func fresh() string {
	freshNames++
	return fmt.Sprintf("fresh-name-%d", freshNames)
}

// byTheStandard checks what an annotation becomes by the keys of the standard alone.
func byTheStandard(t *testing.T, a annotation.Annotation, was mark.Mark) {
	t.Helper()
	a.Own = ""
	taken := a.Take(fresh)
	if a.Subtype == annotation.Stamp { // its look is all there is
		if taken.Mark != nil {
			t.Errorf("a sign became %T", taken.Mark.Body)
		}
		return
	}
	if taken.Mark == nil {
		t.Errorf("%s became nothing", a.Subtype)
		return
	}
	again, _ := annotation.Of(*taken.Mark)
	before, _ := annotation.Of(was)
	kind := before.Subtype
	if kind == annotation.Polygon {
		kind = annotation.PolyLine
		before.Vertices = append(before.Vertices, before.Vertices[0])
	}
	if again.Subtype != kind {
		t.Errorf("%s became %s", kind, again.Subtype)
	}
	near := func(what string, a, b []page.Point) {
		if len(a) != len(b) {
			t.Errorf("%s: %d places, were %d", what, len(a), len(b))
			return
		}
		for i := range a {
			if math.Abs(a[i].X-b[i].X) > 0.011 || math.Abs(a[i].Y-b[i].Y) > 0.011 {
				t.Errorf("%s: %v, was %v", what, a[i], b[i])
				return
			}
		}
	}
	near(string(kind), again.Vertices, before.Vertices)
	for i := range before.Quads {
		near(string(kind), again.Quads[i][:], before.Quads[i][:])
	}
	for i := range before.InkList {
		ends := func(ps []page.Point) []page.Point { return []page.Point{ps[0], ps[len(ps)-1]} }
		near(string(kind), ends(again.InkList[i]), ends(before.InkList[i]))
	}
	if !before.Inner.Empty() && kind != annotation.FreeText {
		near(string(kind), []page.Point{again.Inner.Min, again.Inner.Max}, []page.Point{before.Inner.Min, before.Inner.Max})
	}
	if again.Color != before.Color && kind != annotation.Text || again.Contents != before.Contents && kind == annotation.FreeText {
		t.Errorf("%s: %s %q, was %s %q", kind, again.Color, again.Contents, before.Color, before.Contents)
	}
}

// rounding is how many pixels a reader may set otherwise: PDFium rounds the place of
// a sign that is kept upright, and others the edges of what shows through.
const rounding = 16

// As annotations, marks look in four readers as they do printed, each of them, on
// pages that show themselves in every way.
func TestAnnotationsLookAsPrinted(t *testing.T) {
	ctx := context.Background()
	r := rand.New(rand.NewPCG(7, 14))
	what := document.Export{Pictures: thePicture()}
	b, moving, pages := movable(t, turned, func(n int, p document.Page) (said []annotation.Said) {
		for i, m := range anyMarks(r, n, p.Width, p.Height) {
			if note, ok := m.Body.(*mark.Note); ok {
				note.On = ""
				what.Notes = append(what.Notes, document.NoteMarker{Page: n, At: note.Place(), Number: i, Color: note.Color})
			} else {
				what.Marks = append(what.Marks, m)
			}
			said = append(said, annotation.Said{Mark: m, Author: "Ines Varga", At: someDay, Layer: annotation.Work, Number: i})
		}
		return said
	})
	what.Boxes = moving.Boxes
	printed, err := pool.Print(ctx, turned, what)
	if err != nil {
		t.Fatal(err)
	}
	two := []string{written(t, printed), written(t, b)}
	openJS := pdfJS(t)
	for n := 1; n <= len(pages); n++ {
		base := filepath.Join(t.TempDir(), "page")
		for by, paint := range map[string]func(file, to string){
			"poppler": func(file, to string) {
				tool(t, "pdftoppm", "-r", "96", "-f", fmt.Sprint(n), "-l", fmt.Sprint(n), "-cropbox", "-singlefile", "-png", file, to)
			},
			"pdf.js": func(file, to string) { saveCanvas(t, openJS(file, n), to+".png") },
			"mupdf": func(file, to string) {
				tool(t, "mutool", "draw", "-q", "-r", "96", "-o", to+".png", file, fmt.Sprint(n))
			},
			"PDFium": func(file, to string) {
				whole, err := os.ReadFile(file)
				if err != nil {
					t.Fatal(err)
				}
				pic, err := pool.Picture(ctx, whole, n, 96.0/72)
				if err != nil {
					t.Fatal(err)
				}
				m, _, err := image.Decode(bytes.NewReader(pic.Data))
				if err != nil {
					t.Fatal(err)
				}
				if err := savePNG(to+".png", m); err != nil {
					t.Fatal(err)
				}
			},
		} {
			paint(two[0], base+"-a")
			paint(two[1], base+"-b")
			as, bs := plainly(picture(base+"-a.png")), plainly(picture(base+"-b.png"))
			scale := float64(as.Bounds().Dx()) / pages[n-1].Width
			if by == "pdf.js" && pages[n-1].Box.Rotate != 0 {
				// Painting without a viewer it turns signs with the page, which are to stay
				// upright (ISO 32000-2, 12.5.6.4).
				for _, a := range moving.Annotations {
					if a.Page == n && a.Subtype == annotation.Text {
						r := a.Rect.Grow(20)
						in := image.Rect(int(r.Min.X*scale), int(r.Min.Y*scale), int(r.Max.X*scale), int(r.Max.Y*scale))
						draw.Draw(as, in, image.White, image.Point{}, draw.Src)
						draw.Draw(bs, in, image.White, image.Point{}, draw.Src)
					}
				}
			}
			for _, a := range moving.Annotations {
				if a.Page != n {
					continue
				}
				in := image.Rect(int(a.Rect.Min.X*scale), int(a.Rect.Min.Y*scale), int(a.Rect.Max.X*scale)+1, int(a.Rect.Max.Y*scale)+1).Intersect(as.Bounds())
				if off := unlike(as, bs, in); off > rounding {
					t.Errorf("%s, page %d: %d pixels of %s %s differ", by, n, off, a.Subtype, a.Name)
				}
			}
			if off := unlike(as, bs, as.Bounds()); off > rounding {
				t.Errorf("%s, page %d: %d pixels differ", by, n, off)
			}
		}
	}
}

// unlike counts pixels of a that are like none of those in b that are a pixel, three
// quarters of a point, or less away.
func unlike(a, b *image.RGBA, in image.Rectangle) (n int) {
	parts := func(m *image.RGBA, x, y int) [3]uint8 { return [3]uint8(m.Pix[m.PixOffset(x, y):]) }
	for y := in.Min.Y; y < in.Max.Y; y++ {
	pixels:
		for x := in.Min.X; x < in.Max.X; x++ {
			p := parts(a, x, y)
			least, most := [3]uint8{255, 255, 255}, [3]uint8{}
			for v := max(y-1, in.Min.Y); v <= min(y+1, in.Max.Y-1); v++ {
				for u := max(x-1, in.Min.X); u <= min(x+1, in.Max.X-1); u++ {
					for i, c := range parts(b, u, v) {
						least[i], most[i] = min(least[i], c), max(most[i], c)
					}
				}
			}
			for i := range p {
				if int(p[i]) < int(least[i])-8 || int(p[i]) > int(most[i])+8 {
					n++
					continue pixels
				}
			}
		}
	}
	return n
}

// pdfJS opens pages of files with pdf.js in Chromium: painted at 96 dots an inch, as
// browsers show them, with their annotations, and as a reader aloud gets them.
func pdfJS(t *testing.T) (open func(file string, n int) *browser.Tab) {
	t.Helper()
	build := filepath.Join(nodeModule(t, "pdfjs-dist"), "build")
	mux := http.NewServeMux()
	mux.Handle("/build/", http.StripPrefix("/build/", http.FileServer(http.Dir(build))))
	mux.HandleFunc("/file", func(w http.ResponseWriter, r *http.Request) { http.ServeFile(w, r, r.URL.Query().Get("of")) })
	mux.HandleFunc("/", func(w http.ResponseWriter, r *http.Request) {
		fmt.Fprint(w, `<!doctype html><title>pdf.js</title><canvas></canvas><script type="module">
import * as pdfjs from '/build/pdf.min.mjs';
pdfjs.GlobalWorkerOptions.workerSrc = '/build/pdf.worker.min.mjs';
const q = new URLSearchParams(location.search), doc = await pdfjs.getDocument({ url: '/file?of=' + encodeURIComponent(q.get('of')) }).promise,
  page = await doc.getPage(+q.get('n')), viewport = page.getViewport({ scale: 96 / 72 }), canvas = document.querySelector('canvas');
canvas.width = Math.floor(viewport.width); canvas.height = Math.floor(viewport.height);
await page.render({ canvas, viewport, annotationMode: pdfjs.AnnotationMode.ENABLE }).promise;
const texts = {}, within = [];
for (const i of (await page.getTextContent({ includeMarkedContent: true })).items) {
  if (i.type === 'endMarkedContent') within.pop();
  else if (i.type) within.push(i.id ?? i.tag);
  else texts[within.at(-1) ?? 'unmarked'] = (texts[within.at(-1) ?? 'unmarked'] ?? '') + i.str + (i.hasEOL ? ' ' : '');
}
window.read = { texts, tree: await page.getStructTree(), notes: await page.getAnnotations() };
window.painted = canvas.toDataURL('image/png');
</script>`)
	})
	server := httptest.NewServer(mux)
	t.Cleanup(server.Close)
	b, err := browser.Start("")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(b.Stop)
	tab, err := b.Tab(server.URL, 800, 900)
	if err != nil {
		t.Fatal(err)
	}
	return func(file string, n int) *browser.Tab {
		t.Helper()
		if err := tab.Go(fmt.Sprintf("/?of=%s&n=%d", url.QueryEscape(file), n)); err != nil {
			t.Fatal(err)
		}
		if err := tab.Until("it is painted", "window.painted"); err != nil {
			t.Fatal(err)
		}
		return tab
	}
}

// saveCanvas keeps what pdf.js painted as a PNG picture.
func saveCanvas(t *testing.T, tab *browser.Tab, to string) {
	t.Helper()
	data, err := browser.Eval[string](tab, "return window.painted")
	if err != nil {
		t.Fatal(err)
	}
	b, err := base64.StdEncoding.DecodeString(strings.TrimPrefix(data, "data:image/png;base64,"))
	if err == nil {
		err = os.WriteFile(to, b, 0o644)
	}
	if err != nil {
		t.Fatal(err)
	}
}

func plainly(m image.Image) *image.RGBA {
	out := image.NewRGBA(m.Bounds())
	draw.Draw(out, out.Bounds(), m, m.Bounds().Min, draw.Src)
	return out
}

func savePNG(file string, m image.Image) error {
	var b bytes.Buffer
	if err := png.Encode(&b, m); err != nil {
		return err
	}
	return os.WriteFile(file, b.Bytes(), 0o644)
}
