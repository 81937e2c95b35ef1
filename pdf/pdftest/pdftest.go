// Package pdftest makes of pages what scanners make of them.
package pdftest

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"math/rand/v2"
	"os/exec"
	"testing"

	"codeberg.org/go-pdf/fpdf"
	"golang.org/x/image/draw"
	"golang.org/x/image/math/f64"

	"readymargin/core/page"
	"readymargin/core/scan"
)

// Scanned makes a picture of a page as a scanner would: at 150 dots an inch,
// leaning by an angle, with a shadow, grain and the losses of JPEG.
func Scanned(t testing.TB, file []byte, n int, angle float64, more func(*image.Gray), rnd *rand.Rand) []byte {
	t.Helper()
	cmd := exec.Command("pdftoppm", "-png", "-gray", "-r", "150", "-f", fmt.Sprint(n), "-l", fmt.Sprint(n), "-")
	cmd.Stdin = bytes.NewReader(file)
	out, err := cmd.Output()
	if err != nil {
		t.Fatalf("pdftoppm (apt-get install poppler-utils): %v", err)
	}
	flat, err := png.Decode(bytes.NewReader(out))
	if err != nil {
		t.Fatal(err)
	}
	w, h := flat.Bounds().Dx(), flat.Bounds().Dy()
	turned := image.NewRGBA(image.Rect(0, 0, w, h)) // the library is quick with these
	draw.Draw(turned, turned.Bounds(), image.NewUniform(color.Gray{244}), image.Point{}, draw.Src)
	turn := scan.Turn(angle, page.Pt(float64(w)/2, float64(h)/2))
	draw.ApproxBiLinear.Transform(turned, f64.Aff3{turn.A, turn.C, turn.E, turn.B, turn.D, turn.F}, flat, flat.Bounds(), draw.Src, nil)
	m := image.NewGray(turned.Bounds())
	for i := range m.Pix {
		m.Pix[i] = turned.Pix[4*i]
	}
	if more != nil {
		more(m)
	}
	for y := range h {
		for x := range w {
			v := float64(m.Pix[y*m.Stride+x])
			v = v*(0.82+0.16*float64(x)/float64(w)) + rnd.NormFloat64()*6
			m.Pix[y*m.Stride+x] = uint8(min(max(v, 0), 255))
		}
	}
	var b bytes.Buffer
	if err := jpeg.Encode(&b, m, &jpeg.Options{Quality: 70}); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// BookOf binds pictures of A4 pages into one PDF.
func BookOf(t testing.TB, pictures ...[]byte) []byte {
	t.Helper()
	f := fpdf.New("P", "pt", "A4", "")
	for i, p := range pictures {
		f.AddPage()
		name := fmt.Sprint(i)
		f.RegisterImageOptionsReader(name, fpdf.ImageOptions{ImageType: "JPG"}, bytes.NewReader(p))
		f.ImageOptions(name, 0, 0, 595.28, 841.89, false, fpdf.ImageOptions{}, 0, "")
	}
	var b bytes.Buffer
	if err := f.Output(&b); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}
