package pdf

import (
	"bytes"
	"fmt"
	"math"

	"github.com/klippa-app/go-pdfium/references"
	"github.com/klippa-app/go-pdfium/requests"
	"github.com/pdfcpu/pdfcpu/pkg/api"

	"readymargin/core/page"
)

// inspect returns the pages of the file in hand.
func (d *desk) inspect(l Limits) ([]Page, error) {
	if err := d.open(); err != nil {
		return nil, err
	}
	n, err := d.pdf.FPDF_GetPageCount(&requests.FPDF_GetPageCount{Document: *d.doc})
	switch {
	case err != nil:
		return nil, fmt.Errorf("%w: %v", ErrDamaged, err)
	case n.PageCount == 0:
		return nil, ErrEmpty
	case n.PageCount > l.Pages:
		return nil, ErrPages
	}
	units := userUnits(d.file, n.PageCount)
	out := make([]Page, n.PageCount)
	for i := range out {
		if out[i], err = d.page(i, units[i]); err != nil {
			return nil, fmt.Errorf("%w: page %d: %v", ErrDamaged, i+1, err)
		}
		if max(out[i].Width, out[i].Height) > l.Side || min(out[i].Width, out[i].Height) < 1 {
			return nil, ErrSide
		}
	}
	return out, nil
}

// userUnits returns each page's UserUnit (ISO 32000-2, table 31), which
// PDFium does not tell; 1 where it cannot be read.
func userUnits(file []byte, n int) []float64 {
	out := make([]float64, n)
	for i := range out {
		out[i] = 1
	}
	ctx, err := api.ReadContext(bytes.NewReader(file), lenient())
	if err != nil || ctx.EnsurePageCount() != nil {
		return out
	}
	for i := range out {
		d, _, _, err := ctx.PageDict(i+1, false)
		if err != nil || d == nil {
			continue
		}
		if o, found := d.Find("UserUnit"); found {
			if u, err := ctx.DereferenceNumber(o); err == nil && u > 0 {
				out[i] = u
			}
		}
	}
	return out
}

func (d *desk) page(index int, unit float64) (Page, error) {
	loaded, err := d.pdf.FPDF_LoadPage(&requests.FPDF_LoadPage{Document: *d.doc, Index: index})
	if err != nil {
		return Page{}, err
	}
	defer d.pdf.FPDF_ClosePage(&requests.FPDF_ClosePage{Page: loaded.Page})
	size, err := d.pdf.FPDF_GetPageSizeByIndex(&requests.FPDF_GetPageSizeByIndex{Document: *d.doc, Index: index})
	if err != nil {
		return Page{}, err
	}
	box, err := d.box(loaded.Page, size.Width, size.Height)
	if err != nil {
		return Page{}, err
	}
	box.Unit = unit
	w, h := box.Size()
	r := reader{d.pdf, loaded.Page, box.FromUser(), page.R(0, 0, w, h)}
	print, err := r.read()
	return Page{Box: box, Width: page.Round(w), Height: page.Round(h), Print: print}, err
}

// box finds the crop box and the turn of a page from where PDFium puts three
// points of user space; that honours what a page inherits and what PDFium
// mends.
func (d *desk) box(pg references.FPDF_PAGE, w, h float64) (page.Box, error) {
	const fine = 100 // device pixels a point
	var failed error
	at := func(x, y float64) page.Point {
		p, err := d.pdf.FPDF_PageToDevice(&requests.FPDF_PageToDevice{
			Page:  requests.Page{ByReference: &pg},
			SizeX: int(math.Round(w * fine)), SizeY: int(math.Round(h * fine)), PageX: x, PageY: y,
		})
		if err != nil {
			failed = err
			return page.Point{}
		}
		return page.Pt(float64(p.DeviceX)/fine, float64(p.DeviceY)/fine)
	}
	o, ex, ey := at(0, 0), at(100, 0), at(0, 100)
	if failed != nil {
		return page.Box{}, failed
	}
	toPage := page.Matrix{
		A: math.Round((ex.X - o.X) / 100), B: math.Round((ex.Y - o.Y) / 100),
		C: math.Round((ey.X - o.X) / 100), D: math.Round((ey.Y - o.Y) / 100), E: o.X, F: o.Y,
	}
	rotate := map[[2]float64]int{{1, 0}: 0, {0, 1}: 90, {-1, 0}: 180, {0, -1}: 270}[[2]float64{toPage.A, toPage.B}]
	back := toPage.Inverse()
	crop := page.Bounds(back.Apply(page.Pt(0, 0)), back.Apply(page.Pt(w, h)))
	return page.Box{Crop: crop, Rotate: rotate}, nil
}
