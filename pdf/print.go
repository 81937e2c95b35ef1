package pdf

import (
	"crypto/sha256"
	"fmt"
	"maps"

	"readymargin/core/document"
	"readymargin/core/page"

	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/model"
	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/types"
)

// printAll composes what stands on the pages and prints it on them.
func printAll(file []byte, what document.Export) ([]byte, error) {
	ready, err := compose(what)
	if err != nil {
		return nil, err
	}
	return printMarks(file, ready)
}

// printMarks returns the file followed by an incremental update (ISO 32000-2,
// 7.5.6) that paints marks over its pages: each page's own content stands
// between q and Q, untouched, and one form XObject is painted after it.
func printMarks(file []byte, what composed) ([]byte, error) {
	ctx, err := objects(file)
	if err != nil {
		return nil, err
	}
	ctx.Write.Increment = true
	ctx.Write.Offset = ctx.Read.FileSize
	ctx.ID = identifiers(ctx.ID, file, what)
	p := printer{ctx: ctx, what: what}
	if err := p.allPages(); err != nil {
		return nil, err
	}
	out, err := updated(ctx, file)
	if err != nil || p.later == nil {
		return out, err
	}
	return p.later.write(out, ctx.Root, ctx.Info, ctx.ID)
}

// identifiers returns those of an update (ISO 32000-2, 14.4): the first stays what it
// is, the second tells what the file has become.
func identifiers(was types.Array, file []byte, what composed) types.Array {
	of := func(parts ...[]byte) types.Object {
		h := sha256.New()
		for _, p := range parts {
			h.Write(p)
		}
		return types.HexLiteral(fmt.Sprintf("%X", h.Sum(nil)[:16]))
	}
	first := of(file)
	if len(was) == 2 {
		first = was[0]
	}
	now := [][]byte{file, fmt.Appendf(nil, "%d %+v", what.Copy, what.About)}
	for _, s := range what.Sheets {
		now = append(now, s.Content)
	}
	for _, a := range what.Annotations {
		now = append(now, []byte(a.Own), a.Look.Content)
	}
	return types.Array{first, of(now...)}
}

// A printer adds objects to one file.
type printer struct {
	ctx  *model.Context
	what composed

	images types.Dict                   // by name
	groups map[string]types.IndirectRef // of optional content, by name
	later  *update                      // what is many; nil for nothing, and where all has to be encrypted
}

// many adds an object of which there may be many.
func (p *printer) many(o types.Object) (types.IndirectRef, error) {
	if p.later != nil {
		return p.later.add(o), nil
	}
	if s, ok := o.(types.StreamDict); ok {
		return p.addStream(s.Raw, s.Dict, nil)
	}
	return p.add(o)
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

// stream adds a packed stream.
func (p *printer) stream(z packed, entries types.Dict) (types.IndirectRef, error) {
	return p.addStream(z, types.Dict{"Filter": types.Name("FlateDecode")}, entries)
}

// operators adds a content stream too short to be packed.
func (p *printer) operators(s string) (types.IndirectRef, error) {
	return p.addStream([]byte(s), types.Dict{}, nil)
}

func (p *printer) addStream(raw []byte, d, entries types.Dict) (types.IndirectRef, error) {
	length := int64(len(raw))
	d["Length"] = types.Integer(length)
	maps.Copy(d, entries)
	sd := types.NewStreamDict(d, 0, &length, nil, nil)
	sd.Raw = raw
	return p.add(sd)
}

func (p *printer) allPages() error {
	fonts, err := p.fonts()
	if err != nil {
		return err
	}
	if p.images, err = p.pictures(); err != nil {
		return err
	}
	if err := p.layers(); err != nil {
		return err
	}
	if err := p.onSheetLayer(); err != nil {
		return err
	}
	if err := p.widen(); err != nil {
		return err
	}
	pages := p.ctx.PageCount
	for _, s := range p.what.Sheets {
		if s.Page > pages {
			continue
		}
		if err := p.paintOver(s, overlayName, fonts); err != nil {
			return err
		}
	}
	homeless, err := p.fill(fonts)
	if err != nil {
		return err
	}
	for i, f := range homeless {
		if err := p.paintOver(f.Look, fmt.Sprint(overlayName, "Field", i), fonts); err != nil {
			return err
		}
	}
	if p.what.Extra > 0 {
		if err := p.addPages(pages, fonts); err != nil {
			return err
		}
	}
	if err := p.attach(p.what.Files); err != nil {
		return err
	}
	if err := p.describe(); err != nil {
		return err
	}
	if err := p.annotate(fonts); err != nil {
		return err
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

// form writes a sheet's overlay as a form XObject in the user space of its page.
func (p *printer) form(s composedSheet, fonts types.Dict) (types.IndirectRef, error) {
	states := types.Dict{}
	for _, g := range s.States {
		states[g.Name] = g.dict()
	}
	d := types.Dict{
		"Type": types.Name("XObject"), "Subtype": types.Name("Form"),
		"BBox":      rectangle(s.Crop),
		"Resources": types.Dict{"Font": fonts, "ExtGState": states, "XObject": p.images},
	}
	if p.what.Copy > 0 {
		d[copyKey] = types.Integer(p.what.Copy)
		if s.Page > p.ctx.PageCount {
			d[addedKey] = types.Boolean(true)
		}
	}
	return p.stream(s.Content, d)
}

func (g composedState) dict() types.Dict {
	return types.Dict{"Type": types.Name("ExtGState"), "CA": types.Float(g.Opacity), "ca": types.Float(g.Opacity), "BM": types.Name(g.Blend)}
}

const overlayName = "ReadyMarginMarks"

// paintOver adds an overlay to an existing page, under a name of its own.
func (p *printer) paintOver(s composedSheet, name string, fonts types.Dict) error {
	form, err := p.form(s, fonts)
	if err != nil {
		return err
	}
	return p.surround(s.Page, "q\n", "\nQ q /"+name+" Do Q\n", "XObject", name, form)
}

// widen makes room beside the pages. What a page has there by itself, cut off till
// now, stays unseen.
func (p *printer) widen() error {
	for i, w := range p.what.Wider {
		if i >= p.ctx.PageCount {
			break
		}
		clip := fmt.Sprintf("q %.4f %.4f %.4f %.4f re W n\n", w.From.Min.X, w.From.Min.Y, w.From.W(), w.From.H())
		if err := p.surround(i+1, clip, "\nQ\n", "", "", types.IndirectRef{}); err != nil {
			return err
		}
		dict, _, _, err := p.ctx.PageDict(i+1, false)
		if err != nil {
			return err
		}
		dict["MediaBox"], dict["CropBox"] = rectangle(w.To), rectangle(w.To)
		for _, key := range []string{"BleedBox", "TrimBox", "ArtBox"} {
			delete(dict, key)
		}
	}
	return nil
}

func rectangle(r page.Rect) types.Array {
	return types.NewNumberArray(r.Min.X, r.Min.Y, r.Max.X, r.Max.Y)
}

// surround puts operators before and after a page's own content, which name a
// resource of a kind, or none.
func (p *printer) surround(n int, before, after, kind, name string, resource types.IndirectRef) error {
	dict, ref, inherited, err := p.ctx.PageDict(n, false)
	if err != nil {
		return fmt.Errorf("%w: page %d: %v", document.ErrDamaged, n, err)
	}
	first, err := p.operators(before)
	if err != nil {
		return err
	}
	last, err := p.operators(after)
	if err != nil {
		return err
	}
	contents := types.Array{first}
	if c, ok := dict.Find("Contents"); ok {
		own, err := p.contentRefs(c)
		if err != nil {
			return err
		}
		contents = append(contents, own...)
	}
	dict["Contents"] = append(contents, last)
	p.ctx.Write.IncrementWithObjNr(ref.ObjectNumber.Value())
	if kind == "" {
		return nil
	}
	resources, err := p.resources(dict, inherited, kind)
	if err != nil {
		return err
	}
	resources[kind].(types.Dict)[name] = resource
	dict["Resources"] = resources
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
// with a dictionary of one kind that is the page's alone.
func (p *printer) resources(dict types.Dict, inherited *model.InheritedPageAttrs, kind string) (types.Dict, error) {
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
	objects, err := p.ctx.DereferenceDict(out[kind])
	if err != nil {
		return nil, err
	}
	mine := types.Dict{}
	for k, v := range objects {
		mine[k] = v
	}
	out[kind] = mine
	return out, nil
}

// addPages puts the extra pages behind the last one, as further kids of the
// page tree's root.
func (p *printer) addPages(pages int, fonts types.Dict) error {
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
		form, err := p.form(p.what.sheet(n), fonts)
		if err != nil {
			return err
		}
		content, err := p.operators("/" + overlayName + " Do\n")
		if err != nil {
			return err
		}
		pg, err := p.add(types.Dict{
			"Type": types.Name("Page"), "Parent": *rootRef, "Rotate": types.Integer(0),
			"MediaBox": rectangle(p.what.Paper), "CropBox": rectangle(p.what.Paper),
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

// pictures writes the images of the marks and returns them by name.
func (p *printer) pictures() (types.Dict, error) {
	out := types.Dict{}
	for _, i := range p.what.Images {
		ref, err := p.addStream(i.Data, types.Dict{
			"Type": types.Name("XObject"), "Subtype": types.Name("Image"), "Width": types.Integer(i.Width), "Height": types.Integer(i.Height),
			"ColorSpace": types.Name("DeviceRGB"), "BitsPerComponent": types.Integer(8), "Filter": types.Name("DCTDecode"),
		}, nil)
		if err != nil {
			return nil, err
		}
		out[i.Name] = ref
	}
	return out, nil
}

// fonts writes the subsets as composite fonts (ISO 32000-2, 9.7) and returns
// them by name.
func (p *printer) fonts() (types.Dict, error) {
	out := types.Dict{}
	for _, f := range p.what.Fonts {
		ref, err := p.font(f)
		if err != nil {
			return nil, fmt.Errorf("pdf: font %s: %w", f.BaseFont, err)
		}
		out[f.Name] = ref
	}
	return out, nil
}

func (p *printer) font(f composedFont) (types.IndirectRef, error) {
	file, err := p.stream(f.File, types.Dict{"Length1": types.Integer(f.Length)})
	if err != nil {
		return types.IndirectRef{}, err
	}
	descriptor, err := p.add(types.Dict{
		"Type": types.Name("FontDescriptor"), "FontName": types.Name(f.BaseFont), "Flags": types.Integer(32),
		"FontBBox": types.NewNumberArray(f.Box[:]...),
		"Ascent":   types.Float(f.Ascent), "Descent": types.Float(f.Descent), "CapHeight": types.Float(f.Ascent),
		"ItalicAngle": types.Integer(0), "StemV": types.Integer(80), "FontFile2": file,
	})
	if err != nil {
		return types.IndirectRef{}, err
	}
	descendant, err := p.add(types.Dict{
		"Type": types.Name("Font"), "Subtype": types.Name("CIDFontType2"), "BaseFont": types.Name(f.BaseFont),
		"CIDSystemInfo":  types.Dict{"Registry": types.StringLiteral("Adobe"), "Ordering": types.StringLiteral("Identity"), "Supplement": types.Integer(0)},
		"FontDescriptor": descriptor, "W": types.Array{types.Integer(0), types.NewNumberArray(f.Widths...)}, "CIDToGIDMap": types.Name("Identity"),
	})
	if err != nil {
		return types.IndirectRef{}, err
	}
	toUnicode, err := p.stream(f.ToUnicode, nil)
	if err != nil {
		return types.IndirectRef{}, err
	}
	return p.add(types.Dict{
		"Type": types.Name("Font"), "Subtype": types.Name("Type0"), "BaseFont": types.Name(f.BaseFont),
		"Encoding": types.Name("Identity-H"), "DescendantFonts": types.Array{descendant}, "ToUnicode": toUnicode,
	})
}
