package pdf

import (
	"fmt"
	"math"

	"github.com/klippa-app/go-pdfium/references"
	"github.com/klippa-app/go-pdfium/requests"
	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/model"
	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/types"

	"readymargin/core/document"
	"readymargin/core/page"
	"readymargin/core/scan"
)

// inspect returns the pages of the file in hand; with look, those that are only
// pictures are looked at.
func (d *openDocument) inspect(l document.Limits, look bool) ([]document.Page, error) {
	n, err := d.count(l)
	if err != nil {
		return nil, err
	}
	notes := notes(d.file, n)
	out := make([]document.Page, n)
	scans := 0
	for i := range out {
		if out[i], err = d.page(i, notes[i]); err != nil {
			return nil, fmt.Errorf("%w: page %d: %v", document.ErrDamaged, i+1, err)
		}
		if look && scans < maxScans && notes[i].pictured && len(out[i].Print.Words) < scanWords && max(out[i].Width, out[i].Height) < scanSide {
			scans++
			if out[i].Scan, err = d.look(i); err != nil {
				return nil, fmt.Errorf("%w: page %d: %v", document.ErrDamaged, i+1, err)
			}
		}
		if !fits(out[i], l) {
			return nil, document.ErrSide
		}
	}
	return out, nil
}

// count opens the file in hand and returns the number of its pages.
func (d *openDocument) count(l document.Limits) (int, error) {
	doc, err := d.open()
	if err != nil {
		return 0, err
	}
	n, err := d.pdf.FPDF_GetPageCount(&requests.FPDF_GetPageCount{Document: doc})
	switch {
	case err != nil:
		return 0, fmt.Errorf("%w: %v", document.ErrDamaged, err)
	case n.PageCount == 0:
		return 0, document.ErrEmpty
	case n.PageCount > l.Pages:
		return 0, document.ErrPages
	}
	return n.PageCount, nil
}

// fits reports whether a page's sides are within the limits.
func fits(p document.Page, l document.Limits) bool {
	return max(p.Width, p.Height) <= l.Side && min(p.Width, p.Height) >= 1
}

// sizes returns the pages of the file in hand with nothing but their sizes.
func (d *openDocument) sizes(l document.Limits) ([]document.Page, error) {
	n, err := d.count(l)
	if err != nil {
		return nil, err
	}
	out := make([]document.Page, n)
	for i := range out {
		size, err := d.pdf.FPDF_GetPageSizeByIndex(&requests.FPDF_GetPageSizeByIndex{Document: d.docs[0].ref, Index: i})
		if err != nil {
			return nil, fmt.Errorf("%w: page %d: %v", document.ErrDamaged, i+1, err)
		}
		out[i] = document.Page{Width: page.Round(size.Width), Height: page.Round(size.Height)}
		if !fits(out[i], l) {
			return nil, document.ErrSide
		}
	}
	return out, nil
}

// Pages with fewer words are looked at as pictures, so many of a file, and none
// whose side is longer, in points.
const (
	scanWords = 3
	maxScans  = 60
	scanSide  = 1800
)

// look renders a page without words and finds what stands on it.
func (d *openDocument) look(index int) (*document.Scanned, error) {
	m, done, err := d.render(d.docs[0].ref, index+1, scan.Scale, MaxPixels)
	if err != nil {
		return nil, err
	}
	defer done()
	g := scan.GrayOf(m, scan.Scale)
	return &document.Scanned{Seen: scan.Look(g), Ink: scan.InkOf(g)}, nil
}

// A sheet of notes about a page that PDFium does not tell.
type noted struct {
	unit     float64          // UserUnit (ISO 32000-2, table 31)
	fields   []document.Field // rectangles in user space
	pictured bool             // the page shows some picture
	lang     string           // of the file (ISO 32000-2, 14.9.2)
}

// notes returns what pdfcpu knows of each page; where it cannot read the
// file, a unit of 1 and no fields.
func notes(file []byte, n int) (out []noted) {
	out = make([]noted, n)
	defer func() { recover() }() // what was not looked at by then is not known
	for i := range out {
		out[i].unit = 1
	}
	ctx, err := objects(file)
	if err != nil {
		return out
	}
	lang, err := ctx.DereferenceText(ctx.RootDict["Lang"])
	if err != nil || len(lang) > 40 {
		lang = ""
	}
	for i := range out {
		out[i].lang = lang
		d, _, inherited, err := ctx.PageDict(i+1, false)
		if err != nil || d == nil {
			continue
		}
		if o, found := d.Find("UserUnit"); found {
			if u, err := ctx.DereferenceNumber(o); err == nil && u > 0 {
				out[i].unit = u
			}
		}
		out[i].pictured = pictured(ctx, d, inherited)
		annots, _ := ctx.DereferenceArray(d["Annots"])
		for _, a := range annots {
			if f, ok := fieldOn(ctx, a); ok {
				out[i].fields = append(out[i].fields, f)
			}
		}
	}
	return out
}

// pictured reports whether a page's resources have an image, or a form that
// may have one.
func pictured(ctx *model.Context, pg types.Dict, inherited *model.InheritedPageAttrs) bool {
	resources, err := ctx.DereferenceDict(pg["Resources"])
	if err == nil && resources == nil && inherited != nil {
		resources = inherited.Resources
	}
	objects, err := ctx.DereferenceDict(resources["XObject"])
	return err == nil && len(objects) > 0
}

// rectOf returns the rectangle of an annotation, in user space.
func rectOf(ctx *model.Context, annot types.Dict) (page.Rect, bool) {
	return rectIn(ctx, annot["Rect"])
}

// rectIn reads an array of four numbers as a rectangle (ISO 32000-2, 7.9.5).
func rectIn(ctx *model.Context, o types.Object) (page.Rect, bool) {
	a, err := ctx.DereferenceArray(o)
	if err != nil || len(a) != 4 {
		return page.Rect{}, false
	}
	var c [4]float64
	for i := range c {
		if c[i], err = ctx.DereferenceNumber(a[i]); err != nil {
			return page.Rect{}, false
		}
	}
	return page.R(c[0], c[1], c[2], c[3]), true
}

// fieldOn reads a widget as a field.
func fieldOn(ctx *model.Context, annot types.Object) (document.Field, bool) {
	d, err := ctx.DereferenceDict(annot)
	if err != nil || d == nil || d.Subtype() == nil || *d.Subtype() != "Widget" {
		return document.Field{}, false
	}
	inherited, name, _, err := fieldOf(ctx, annot, d)
	rect, ok := rectOf(ctx, d)
	if err != nil || !ok {
		return document.Field{}, false
	}
	ft, _ := inherited["FT"].(types.Name)
	f := document.Field{Name: name, Type: string(ft), Rect: rect}
	if ff, err := ctx.DereferenceInteger(inherited["Ff"]); err == nil && ff != nil {
		f.Flags = ff.Value()
	}
	if most, err := ctx.DereferenceInteger(inherited["MaxLen"]); err == nil && most != nil {
		f.MaxLen = most.Value()
	}
	options, _ := ctx.DereferenceArray(inherited["Opt"])
	for _, o := range options {
		if pair, err := ctx.DereferenceArray(o); err == nil && len(pair) == 2 {
			o = pair[1]
		}
		if text, err := ctx.DereferenceText(o); err == nil {
			f.Options = append(f.Options, text)
		}
	}
	if says, err := ctx.DereferenceText(inherited["TU"]); err == nil && inherited["TU"] != nil {
		f.Says = says
	}
	if f.Type == "Btn" {
		f.On = onState(ctx, d)
	}
	return f, f.Type != ""
}

func (d *openDocument) page(index int, n noted) (document.Page, error) {
	loaded, err := d.pdf.FPDF_LoadPage(&requests.FPDF_LoadPage{Document: d.docs[0].ref, Index: index})
	if err != nil {
		return document.Page{}, err
	}
	defer d.pdf.FPDF_ClosePage(&requests.FPDF_ClosePage{Page: loaded.Page})
	size, err := d.pdf.FPDF_GetPageSizeByIndex(&requests.FPDF_GetPageSizeByIndex{Document: d.docs[0].ref, Index: index})
	if err != nil {
		return document.Page{}, err
	}
	box, err := d.box(loaded.Page, size.Width, size.Height)
	if err != nil {
		return document.Page{}, err
	}
	box.Unit = n.unit
	w, h := box.Size()
	r := reader{d.pdf, loaded.Page, box.FromUser(), page.R(0, 0, w, h)}
	p := document.Page{Box: box, Width: page.Round(w), Height: page.Round(h), Lang: n.lang}
	p.Print, p.Strokes, p.Art, err = r.read()
	for _, f := range n.fields {
		f.Rect = page.Bounds(r.toPage.Apply(f.Rect.Min), r.toPage.Apply(f.Rect.Max))
		p.Fields = append(p.Fields, f)
	}
	return p, err
}

// box finds the crop box and the turn of a page from where PDFium puts three
// points of user space; that honours what a page inherits and what PDFium
// mends.
func (d *openDocument) box(pg references.FPDF_PAGE, w, h float64) (page.Box, error) {
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
