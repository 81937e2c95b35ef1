package pdf

import (
	"bytes"
	"image"
	"image/draw"
	"image/jpeg"

	"github.com/klippa-app/go-pdfium/references"
	"github.com/klippa-app/go-pdfium/requests"
	xdraw "golang.org/x/image/draw"

	"readymargin/core/document"
	"readymargin/core/elsewhere"
	"readymargin/core/page"
	"readymargin/core/scan"
)

// How pages are looked at to tell which is which, and compared: pixels a
// point, and the most pixels of one page. Two pages are in hand at a time.
const (
	inkScale      = 1
	compareScale  = 2
	comparePixels = 9_000_000
)

// ink maps where a page has ink.
func (d *openDocument) ink(number int) (*scan.Ink, error) {
	doc, err := d.open()
	if err != nil {
		return nil, err
	}
	size, err := d.size(doc, number)
	if err != nil {
		return nil, err
	}
	m, done, err := d.render(doc, number, inkScale, comparePixels)
	if err != nil {
		return nil, err
	}
	defer done()
	out := scan.InkOf(scan.GrayOf(m, float64(m.Bounds().Dx())/size.X))
	return &out, nil
}

// pictureInk maps where a picture of a page has ink, as large as the page.
func pictureInk(picture []byte, size page.Point) (*scan.Ink, error) {
	m, err := flatten(picture)
	if err != nil {
		return nil, err
	}
	small := image.NewRGBA(image.Rect(0, 0, int(size.X*inkScale), int(size.Y*inkScale)))
	xdraw.CatmullRom.Scale(small, small.Bounds(), m, m.Bounds(), xdraw.Src, nil)
	out := scan.InkOf(scan.GrayOf(small, inkScale))
	return &out, nil
}

// differ returns where page other of the second file in hand differs from
// page number of the first, with the second's picture of each such part.
func (d *openDocument) differ(sizes []int, number, other int) (parts []document.Part, pictures []byte, err error) {
	files := split(d.file, sizes)
	first, err := d.document(0, files[0])
	if err != nil {
		return nil, nil, err
	}
	second, err := d.document(1, files[1])
	if err != nil {
		return nil, nil, err
	}
	size, err := d.size(first, number)
	if err != nil {
		return nil, nil, err
	}
	a, done, err := d.render(first, number, compareScale, comparePixels)
	if err != nil {
		return nil, nil, err
	}
	defer done()
	// Printed on other paper, it is painted as large as the sheet.
	b, done, err := d.paint(second, other, a.Bounds().Dx(), a.Bounds().Dy())
	if err != nil {
		return nil, nil, err
	}
	defer done()
	across, down := size.X/float64(a.Bounds().Dx()), size.Y/float64(a.Bounds().Dy())
	var out bytes.Buffer
	for _, r := range elsewhere.Differences(a, b) {
		piece := image.NewRGBA(image.Rect(0, 0, r.Dx(), r.Dy()))
		draw.Draw(piece, piece.Bounds(), b, r.Min, draw.Src)
		before := out.Len()
		if err := jpeg.Encode(&out, piece, &jpeg.Options{Quality: 90}); err != nil {
			return nil, nil, err
		}
		parts = append(parts, document.Part{Size: out.Len() - before, Rect: page.R(float64(r.Min.X)*across, float64(r.Min.Y)*down, float64(r.Max.X)*across, float64(r.Max.Y)*down)})
	}
	return parts, out.Bytes(), nil
}

// size returns a page's size as it is shown, in points.
func (d *openDocument) size(doc references.FPDF_DOCUMENT, number int) (page.Point, error) {
	size, err := d.pdf.FPDF_GetPageSizeByIndex(&requests.FPDF_GetPageSizeByIndex{Document: doc, Index: number - 1})
	if err != nil || size.Width <= 0 || size.Height <= 0 {
		return page.Point{}, document.ErrNoPage
	}
	return page.Pt(size.Width, size.Height), nil
}
