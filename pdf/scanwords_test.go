package pdf

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"math"
	"math/rand/v2"
	"os"
	"slices"
	"strings"
	"testing"
	"unicode"
	"unicode/utf8"

	"codeberg.org/go-pdf/fpdf"

	"readymargin/core/document"
	"readymargin/core/optical"
	"readymargin/core/page"
	"readymargin/core/scan"
	"readymargin/core/words"
	"readymargin/pdf/pdftest"
	"readymargin/tesseract"
)

// tasks is a worksheet in four languages; invented.
var tasks = map[string][]string{
	"en": {"1 Which light is seen from the harbour at night?", "2 The range of the tide is ______________ m.", "a) Write how long the ferry takes from the pier to the island.", "Read the table and answer the questions in your own words."},
	"de": {"1 Welches Feuer ist nachts vom Hafen aus zu sehen?", "2 Der Hub der Tide beträgt ______________ m.", "a) Schreibe auf, wie lange die Fähre von der Mole zur Insel fährt.", "Lies die Tabelle und beantworte die Fragen für dich mit eigenen Wörtern."},
	"fr": {"1 Quel feu est-ce que l'on voit du port pendant la nuit ?", "2 Le marnage de la marée est de ______________ m.", "a) Écris combien de temps le bac met pour aller de la jetée à l'île.", "Lis le tableau et réponds aux questions avec tes propres mots."},
	"es": {"1 ¿Qué luz se ve desde el puerto por la noche?", "2 La amplitud de la marea es de ______________ m.", "a) Escribe cuánto tarda el barco desde el muelle hasta la isla.", "Lee la tabla y responde a las preguntas con tus palabras."},
}

// typed returns the tasks of a language as a PDF, in a font file (or one that every
// reader has) and a size.
func typed(t *testing.T, face, language string, size float64) []byte {
	t.Helper()
	f := fpdf.New("P", "pt", "A4", "")
	say := func(s string) string { return s }
	if strings.HasPrefix(face, "/") {
		b, err := os.ReadFile(face)
		if err != nil {
			t.Fatalf("%v (apt-get install fonts-crosextra-carlito)", err)
		}
		f.AddUTF8FontFromBytes("own", "", b)
		f.SetFont("own", "", size)
	} else {
		f.SetFont(face, "", size)
		say = f.UnicodeTranslatorFromDescriptor("cp1252")
	}
	f.AddPage()
	for i, line := range tasks[language] {
		f.Text(60, 90+float64(i)*4*size, say(line))
	}
	var b bytes.Buffer
	if err := f.Output(&b); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// A reading is how well the words of a page were read.
type reading struct{ words, right, off int }

// judge compares what was read with what is printed: how many words are there with the
// same letters, and how many of those boxes lie more than 2 points from theirs. ends may
// lie as far off; where a line's letters begin and end by its font is not seen.
func judge(printed, read []words.Word, turn page.Matrix) (r reading, wrong []string) {
	for _, w := range printed {
		if !strings.ContainsFunc(w.Text, func(r rune) bool { return r != '_' && r != '.' }) {
			continue
		}
		r.words++
		c := w.Rect().Center()
		d := turn.Apply(c).Sub(c)
		i := slices.IndexFunc(read, func(o words.Word) bool {
			return o.Text == w.Text && o.Rect().Center().Dist(c.Add(d)) < 12
		})
		if i < 0 {
			wrong = append(wrong, w.Text)
			continue
		}
		r.right++
		o := read[i]
		far := max(math.Abs(o.Box[0]-w.Box[0]-d.X), math.Abs(o.Baseline-w.Baseline-d.Y))
		if last, _ := utf8.DecodeLastRuneInString(w.Text); unicode.IsLetter(last) { // the room of a full stop is no ink
			far = max(far, math.Abs(o.Box[2]-w.Box[2]-d.X))
		}
		if far > 2 {
			r.off++
			wrong = append(wrong, fmt.Sprintf("%s lies %.1f %.1f %.1f off", w.Text, o.Box[0]-w.Box[0]-d.X, o.Box[2]-w.Box[2]-d.X, o.Baseline-w.Baseline-d.Y))
		}
	}
	return r, wrong
}

// readScan returns a page with the words that are read on it.
func readScan(t *testing.T, file []byte, n int, language string) document.Page {
	t.Helper()
	ctx := context.Background()
	p := must(pool.Inspect(ctx, file))[n-1]
	if p.Scan == nil {
		t.Fatal("it is not seen as a scan")
	}
	picture := must(pool.Upright(ctx, file, n, p.Scan.Tilt, optical.Scale))
	ws, err := tesseract.Reader{}.Read(ctx, picture, optical.Scale, language)
	if err != nil {
		t.Fatalf("%v (%s)", err, tesseract.Install)
	}
	return p.Read(ws)
}

// Words of scans: four faces, four languages that are told or guessed, two sizes, leaning,
// with grain, a shadow and the losses of JPEG.
func TestScansGetWords(t *testing.T) {
	rnd := rand.New(rand.NewPCG(7, 7))
	sum, labelled, asked := reading{}, 0, 0
	i := 0
	for _, face := range []string{"Helvetica", "Times", "Courier", "/usr/share/fonts/truetype/crosextra/Carlito-Regular.ttf"} {
		for _, language := range []string{"en", "de", "fr", "es"} {
			if i++; (i+i/4)%2 == 0 {
				continue // every language in two faces
			}
			size, told := []float64{10, 14}[i/4%2], language
			if i%3 == 0 {
				told = "" // it is guessed
			}
			file := typed(t, face, language, size)
			printed := must(pool.Inspect(context.Background(), file))[0]
			angle := (rnd.Float64() - 0.5) * 0.024
			p := readScan(t, pdftest.BookOf(t, pdftest.Scanned(t, file, 1, angle, shadowed, rnd)), 1, told)
			if err := optical.Check(p.Print.Words, page.Pt(p.Width, p.Height)); err != nil {
				t.Error(err)
			}
			one, wrong := judge(printed.Print.Words, p.Print.Words, scan.Turn(angle, page.Pt(p.Width/2, p.Height/2)))
			t.Logf("%s %s %v: %d of %d words, %d of them off, but %q", face, language, size, one.right, one.words, one.off, wrong)
			sum.words, sum.right, sum.off = sum.words+one.words, sum.right+one.right, sum.off+one.off
			g := p.Guide()
			if g.Lang != language {
				t.Errorf("%s: it is taken for %q", language, g.Lang)
			}
			var numbers []string
			for _, q := range g.Questions {
				numbers = append(numbers, q.Number)
			}
			asked += len(numbers)
			if !slices.Contains(numbers, "2") || len(g.Blanks) == 0 {
				t.Errorf("%s %s: questions %q and %d places", face, language, numbers, len(g.Blanks))
			}
			if len(g.Blanks) > 0 && strings.HasPrefix(g.Blanks[0].Label, "2 ") {
				labelled++
			}
		}
	}
	t.Logf("in all %d of %d words right, %d of them off", sum.right, sum.words, sum.off)
	if sum.right < sum.words*97/100 || sum.off > sum.right*2/100 || labelled < 6 || asked < 22 {
		t.Errorf("%d of %d words right, %d of them more than 2 points off; %d of 8 places have their words, %d of 24 questions are found", sum.right, sum.words, sum.off, labelled, asked)
	}
}

// shadowed darkens a picture towards its inner edge, as a book does.
func shadowed(m *image.Gray) {
	for y := range m.Rect.Dy() {
		for x := range 90 {
			v := &m.Pix[y*m.Stride+x]
			*v = uint8(float64(*v) * (0.6 + 0.4*float64(x)/90))
		}
	}
}
