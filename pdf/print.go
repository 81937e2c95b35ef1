package pdf

import (
	"bytes"
	"compress/zlib"
	"errors"
	"fmt"
	"strings"

	"github.com/pdfcpu/pdfcpu/pkg/api"
	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/model"
	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/types"

	"readymargin/core/draw"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/typeset"
)

// lenient is how pdfcpu reads what strangers made: it takes what other
// readers take, and touches no configuration on disk.
func lenient() *model.Configuration {
	api.DisableConfigDir()
	c := model.NewDefaultConfiguration()
	c.ValidationMode = model.ValidationRelaxed
	c.Offline = true
	return c
}

// printMarks returns the file followed by an incremental update (ISO 32000-2,
// 7.5.6) that paints marks over its pages: each page's own content stands
// between q and Q, untouched, and one form XObject is painted after it.
func printMarks(file []byte, what Print) ([]byte, error) {
	ctx, err := api.ReadContext(bytes.NewReader(file), lenient())
	if err == nil {
		err = ctx.EnsurePageCount()
	}
	if err != nil {
		return nil, fmt.Errorf("%w: %v", ErrDamaged, err)
	}
	ctx.Write.Increment = true
	ctx.Write.Offset = ctx.Read.FileSize
	p := printer{ctx: ctx, what: what, fonts: newFontBook(typeset.Load())}
	if err := p.allPages(); err != nil {
		return nil, err
	}
	var out bytes.Buffer
	out.Write(file)
	if err := api.WriteIncrement(ctx, &out); err != nil {
		return nil, fmt.Errorf("pdf: writing: %w", err)
	}
	return out.Bytes(), nil
}

// A printer adds objects to one file.
type printer struct {
	ctx   *model.Context
	what  Print
	fonts *fontBook
}

// add puts a new object into the update.
func (p *printer) add(o types.Object) (types.IndirectRef, error) {
	ref, err := p.ctx.IndRefForNewObject(o)
	if err != nil {
		return types.IndirectRef{}, err
	}
	p.ctx.Write.IncrementWithObjNr(ref.ObjectNumber.Value())
	return *ref, nil
}

// stream adds a stream, compressed at the quickest level: an export is made
// while somebody waits, and taken away once.
func (p *printer) stream(content []byte, entries types.Dict) (types.IndirectRef, error) {
	var packed bytes.Buffer
	z, err := zlib.NewWriterLevel(&packed, zlib.BestSpeed)
	if err == nil {
		_, err = z.Write(content)
		err = errors.Join(err, z.Close())
	}
	if err != nil {
		return types.IndirectRef{}, err
	}
	length := int64(packed.Len())
	sd := types.NewStreamDict(types.Dict{"Length": types.Integer(length), "Filter": types.Name("FlateDecode")}, 0, &length, nil,
		[]types.PDFFilter{{Name: "FlateDecode"}})
	sd.Raw, sd.Content = packed.Bytes(), content
	for k, v := range entries {
		sd.Insert(k, v)
	}
	return p.add(sd)
}

func (p *printer) allPages() error {
	pages := p.ctx.PageCount
	overlays := map[int]*overlay{}
	for n := 1; n <= pages+p.what.Extra; n++ {
		if o := p.overlay(n); !o.empty() {
			overlays[n] = o
		}
	}
	fonts, err := p.fonts.write(p)
	if err != nil {
		return err
	}
	for n := 1; n <= pages; n++ {
		if o := overlays[n]; o != nil {
			if err := p.paintOver(n, o, fonts); err != nil {
				return err
			}
		}
	}
	if p.what.Extra > 0 {
		if err := p.addPages(pages, overlays, fonts); err != nil {
			return err
		}
	}
	// Blend modes and Type 0 fonts need no more than 1.4; the catalog tells
	// readers that the update may use what a newer file may.
	root, err := p.ctx.Catalog()
	if err != nil {
		return err
	}
	root["Version"] = types.Name("1.7")
	p.ctx.Write.IncrementWithObjNr(p.ctx.Root.ObjectNumber.Value())
	return nil
}

// box returns how page n shows itself; added pages are upright A4.
func (p *printer) box(n int) page.Box {
	if n <= len(p.what.Boxes) {
		return p.what.Boxes[n-1]
	}
	return page.Box{Crop: A4}
}

// overlay collects what is painted on page n: first what multiplies, then
// the rest, then the signs of notes.
func (p *printer) overlay(n int) *overlay {
	o := &overlay{states: types.Dict{}, fonts: p.fonts}
	var later []draw.Shape
	for _, m := range p.what.Marks {
		if m.Page != n {
			continue
		}
		for _, s := range draw.Shapes(m) {
			if s.Multiply {
				o.shape(s)
			} else {
				later = append(later, s)
			}
		}
	}
	for _, s := range later {
		o.shape(s)
	}
	for _, pt := range p.what.Points {
		if pt.Page == n {
			o.point(pt)
		}
	}
	return o
}

// form writes an overlay as a form XObject in the user space of its page.
func (p *printer) form(n int, o *overlay, fonts types.Dict) (types.IndirectRef, error) {
	b := p.box(n)
	m := b.ToUser()
	var content strings.Builder
	fmt.Fprintf(&content, "%.6g %.6g %.6g %.6g %.6g %.6g cm\n", m.A, m.B, m.C, m.D, m.E, m.F)
	content.WriteString(o.content.String())
	return p.stream([]byte(content.String()), types.Dict{
		"Type": types.Name("XObject"), "Subtype": types.Name("Form"),
		"BBox":      types.NewNumberArray(b.Crop.Min.X, b.Crop.Min.Y, b.Crop.Max.X, b.Crop.Max.Y),
		"Resources": types.Dict{"Font": fonts, "ExtGState": o.states},
	})
}

const overlayName = "ReadyMarginMarks"

// paintOver adds the overlay to an existing page.
func (p *printer) paintOver(n int, o *overlay, fonts types.Dict) error {
	dict, ref, inherited, err := p.ctx.PageDict(n, false)
	if err != nil {
		return fmt.Errorf("%w: page %d: %v", ErrDamaged, n, err)
	}
	form, err := p.form(n, o, fonts)
	if err != nil {
		return err
	}
	before, err := p.stream([]byte("q\n"), nil)
	if err != nil {
		return err
	}
	after, err := p.stream([]byte("\nQ q /"+overlayName+" Do Q\n"), nil)
	if err != nil {
		return err
	}
	contents := types.Array{before}
	if c, ok := dict.Find("Contents"); ok {
		own, err := p.contentRefs(c)
		if err != nil {
			return err
		}
		contents = append(contents, own...)
	}
	dict["Contents"] = append(contents, after)
	resources, err := p.resources(dict, inherited)
	if err != nil {
		return err
	}
	resources["XObject"].(types.Dict)[overlayName] = form
	dict["Resources"] = resources
	p.ctx.Write.IncrementWithObjNr(ref.ObjectNumber.Value())
	return nil
}

// contentRefs returns the page's own content streams as a list of references.
func (p *printer) contentRefs(c types.Object) (types.Array, error) {
	o, err := p.ctx.Dereference(c)
	if err != nil {
		return nil, err
	}
	switch o := o.(type) {
	case types.Array:
		return o.Clone().(types.Array), nil
	case nil:
		return nil, nil
	}
	return types.Array{c}, nil
}

// resources returns a copy of the page's resources, its own or inherited,
// with an XObject dictionary that is the page's alone.
func (p *printer) resources(dict types.Dict, inherited *model.InheritedPageAttrs) (types.Dict, error) {
	own, err := p.ctx.DereferenceDict(dict["Resources"])
	if err != nil {
		return nil, err
	}
	if own == nil && inherited != nil {
		own = inherited.Resources
	}
	out := types.Dict{}
	for k, v := range own {
		out[k] = v
	}
	objects, err := p.ctx.DereferenceDict(out["XObject"])
	if err != nil {
		return nil, err
	}
	mine := types.Dict{}
	for k, v := range objects {
		mine[k] = v
	}
	out["XObject"] = mine
	return out, nil
}

// addPages puts the extra pages behind the last one, as further kids of the
// page tree's root.
func (p *printer) addPages(pages int, overlays map[int]*overlay, fonts types.Dict) error {
	rootRef, err := p.ctx.Pages()
	if err != nil {
		return err
	}
	root, err := p.ctx.DereferenceDict(*rootRef)
	if err != nil {
		return err
	}
	kids, err := p.ctx.DereferenceArray(root["Kids"])
	if err != nil {
		return err
	}
	kids = kids.Clone().(types.Array)
	for n := pages + 1; n <= pages+p.what.Extra; n++ {
		o := overlays[n]
		if o == nil {
			o = &overlay{states: types.Dict{}}
		}
		form, err := p.form(n, o, fonts)
		if err != nil {
			return err
		}
		content, err := p.stream([]byte("/"+overlayName+" Do\n"), nil)
		if err != nil {
			return err
		}
		pg, err := p.add(types.Dict{
			"Type": types.Name("Page"), "Parent": *rootRef, "Rotate": types.Integer(0),
			"MediaBox": types.NewNumberArray(0, 0, A4.Max.X, A4.Max.Y), "CropBox": types.NewNumberArray(0, 0, A4.Max.X, A4.Max.Y),
			"Resources": types.Dict{"XObject": types.Dict{overlayName: form}}, "Contents": content,
		})
		if err != nil {
			return err
		}
		kids = append(kids, pg)
	}
	root["Kids"] = kids
	root["Count"] = types.Integer(pages + p.what.Extra)
	p.ctx.Write.IncrementWithObjNr(rootRef.ObjectNumber.Value())
	return nil
}

// An overlay is the content painted over one page, in page space.
type overlay struct {
	content strings.Builder
	states  types.Dict // graphics state parameters, by name
	fonts   *fontBook
}

func (o *overlay) empty() bool { return o.content.Len() == 0 }

// state names a graphics state with this opacity and blend mode.
func (o *overlay) state(opacity float64, multiply bool) string {
	name, mode := fmt.Sprintf("A%d", int(opacity*100+0.5)), "Normal"
	if multiply {
		name, mode = name+"M", "Multiply"
	}
	o.states[name] = types.Dict{
		"Type": types.Name("ExtGState"), "CA": types.Float(opacity), "ca": types.Float(opacity), "BM": types.Name(mode),
	}
	return name
}

func (o *overlay) shape(s draw.Shape) {
	if s.Text != nil {
		o.text(page.Pt(s.Text.X, s.Text.Y), s.Text.Runs)
		return
	}
	opacity := s.Opacity
	if opacity == 0 {
		opacity = 1
	}
	fmt.Fprintf(&o.content, "q /%s gs\n", o.state(opacity, s.Multiply))
	if s.Fill != "" {
		r, g, b := s.Fill.RGB()
		fmt.Fprintf(&o.content, "%.4g %.4g %.4g rg\n%sf\n", r, g, b, s.Path.PDF())
	}
	if s.Stroke != "" {
		r, g, b := s.Stroke.RGB()
		fmt.Fprintf(&o.content, "%.4g %.4g %.4g RG %.4g w 1 J 1 j\n%sS\n", r, g, b, s.Width, s.Path.PDF())
	}
	o.content.WriteString("Q\n")
}

// text paints one line of runs from at on.
func (o *overlay) text(at page.Point, runs []mark.Run) {
	o.content.WriteString("BT\n")
	x := at.X
	for _, run := range runs {
		r, g, b := run.Color.RGB()
		fmt.Fprintf(&o.content, "%.4g %.4g %.4g rg\n", r, g, b)
		for _, piece := range o.fonts.pieces(run.Text, run.Size) {
			// Page space has y downwards, so letters are turned back up.
			fmt.Fprintf(&o.content, "/%s %.4g Tf 1 0 0 -1 %.3f %.3f Tm <%s> Tj\n", piece.font, run.Size, x, at.Y, piece.codes)
			x += piece.width
		}
	}
	o.content.WriteString("ET\n")
}

// point paints the sign of a note: its number in a disc.
func (o *overlay) point(n NotePoint) {
	var disc page.Path
	disc.Circle(n.At, mark.NoteRadius)
	o.shape(draw.Shape{Path: disc, Fill: n.Color})
	label := fmt.Sprint(n.Number)
	const size = 8
	width := o.fonts.faces.Width(label, size)
	o.text(n.At.Add(page.Pt(-width/2, 0.36*size)), []mark.Run{{Text: label, Size: size, Color: "#ffffff"}})
}
