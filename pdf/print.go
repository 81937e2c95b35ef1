package pdf

import (
	"bytes"
	"crypto/sha256"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

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
	tags   tags
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

// add puts a new object into the update. A number that the file has freed is not taken
// again: PDFium does not find what is there then.
func (p *printer) add(o types.Object) (types.IndirectRef, error) {
	number, err := p.ctx.InsertObject(o)
	if err != nil {
		return types.IndirectRef{}, err
	}
	p.ctx.Write.IncrementWithObjNr(number)
	return *types.NewIndirectRef(number, 0), nil
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
	if err := p.tag(); err != nil {
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
		if err := p.paintOver(s, fonts); err != nil {
			return err
		}
	}
	homeless, err := p.fill(fonts)
	if err != nil {
		return err
	}
	for i, f := range homeless {
		form, err := p.form(f.Look, fonts)
		if err != nil {
			return err
		}
		name := fmt.Sprint(fieldName, i)
		if err := p.surround(f.Page, "q\n", "\nQ q "+p.tags.homeless(f, "/"+name+" Do")+" Q\n"); err != nil {
			return err
		}
		if err := p.name(f.Page, "XObject", name, form); err != nil {
			return err
		}
	}
	if err := p.tagFields(); err != nil {
		return err
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
	var looks types.IndirectRef // what the annotations paint with
	if len(p.what.Annotations) > 0 {
		if looks, err = p.shared(fonts); err != nil {
			return err
		}
	}
	if p.ctx.Encrypt == nil && len(p.what.Annotations)+len(p.what.Tagged) > 0 {
		p.later = &update{first: *p.ctx.Size + gap} // from here on nothing is added but by many
	}
	if err := p.annotate(looks); err != nil {
		return err
	}
	if err := p.structure(); err != nil {
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

// form writes what is seen in a field as a form XObject in the user space of its page.
func (p *printer) form(s composedSheet, fonts types.Dict) (types.IndirectRef, error) {
	return p.stream(pack(s.Content), types.Dict{
		"Type": types.Name("XObject"), "Subtype": types.Name("Form"), "BBox": rectangle(s.Crop), "Resources": p.resources(s, fonts),
	})
}

// resources are what a sheet paints with.
func (p *printer) resources(s composedSheet, fonts types.Dict) types.Dict {
	states := types.Dict{}
	for _, g := range s.States {
		states[g.Name] = g.dict()
	}
	return types.Dict{"Font": fonts, "ExtGState": states, "XObject": p.images}
}

func (g composedState) dict() types.Dict {
	return types.Dict{"Type": types.Name("ExtGState"), "CA": types.Float(g.Opacity), "ca": types.Float(g.Opacity), "BM": types.Name(g.Blend)}
}

// paintOver adds an overlay to an existing page: a content stream behind the page's own,
// which has its names among the page's resources.
func (p *printer) paintOver(s composedSheet, fonts types.Dict) error {
	dict, _, inherited, err := p.ctx.PageDict(s.Page, false)
	if err != nil {
		return err
	}
	if err := p.surround(s.Page, "q\n", "\nQ\n"); err != nil {
		return err
	}
	resources, err := p.resourcesOf(dict, inherited)
	if err != nil {
		return err
	}
	prefix, err := p.freeNames(resources)
	if err != nil {
		return err
	}
	content := p.tags.numbered(s)
	if prefix != ownNames { // letters are written as numbers, so that all names are its own
		content = bytes.ReplaceAll(content, []byte("/"+ownNames), []byte("/"+prefix))
	}
	if dict["Resources"], err = p.lay(resources, p.resources(s, fonts), prefix); err != nil {
		return err
	}
	overlay, err := p.overlay(content)
	dict["Contents"] = append(dict["Contents"].(types.Array), overlay)
	return err
}

// overlay adds a content stream that is known again when the file comes back.
func (p *printer) overlay(content []byte) (types.IndirectRef, error) {
	d := types.Dict{}
	if p.what.Copy > 0 {
		d[copyKey] = types.Integer(p.what.Copy)
	}
	return p.stream(pack(slices.Concat([]byte("q\n"), content, []byte("Q\n"))), d)
}

// freeNames returns how names may begin that none of a page's resources has: a file that
// was printed on may be printed on again.
func (p *printer) freeNames(resources types.Dict) (string, error) {
	for i := 1; ; i++ {
		prefix, free := ownNames, true
		if i > 1 {
			prefix += strconv.Itoa(i) + "x"
		}
		for _, kind := range []string{"Font", "ExtGState", "XObject"} {
			d, err := p.ctx.DereferenceDict(resources[kind])
			if err != nil {
				return "", err
			}
			for name := range d {
				free = free && !strings.HasPrefix(name, prefix)
			}
		}
		if free {
			return prefix, nil
		}
	}
}

// lay lays more resources among those of a page, under names that begin otherwise.
func (p *printer) lay(resources, more types.Dict, prefix string) (out types.Dict, err error) {
	out = resources
	for kind, all := range more {
		named := types.Dict{}
		for name, o := range all.(types.Dict) {
			named[prefix+strings.TrimPrefix(name, ownNames)] = o
		}
		if len(named) == 0 {
			continue
		}
		if out, err = p.with(out, kind, named); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// widen makes room beside the pages. What a page has there by itself, cut off till
// now, stays unseen.
func (p *printer) widen() error {
	for i, w := range p.what.Wider {
		if i >= p.ctx.PageCount {
			break
		}
		clip := fmt.Sprintf("q %.4f %.4f %.4f %.4f re W n\n", w.From.Min.X, w.From.Min.Y, w.From.W(), w.From.H())
		if err := p.surround(i+1, clip, "\nQ\n"); err != nil {
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

// surround puts operators before and after a page's own content.
func (p *printer) surround(n int, before, after string) error {
	dict, ref, _, err := p.ctx.PageDict(n, false)
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
	own, err := p.contentRefs(dict["Contents"])
	if err != nil {
		return err
	}
	dict["Contents"] = append(append(types.Array{first}, own...), last)
	p.ctx.Write.IncrementWithObjNr(ref.ObjectNumber.Value())
	return nil
}

// name gives something a name among a page's resources.
func (p *printer) name(n int, kind, name string, resource types.IndirectRef) error {
	dict, _, inherited, err := p.ctx.PageDict(n, false)
	if err != nil {
		return err
	}
	resources, err := p.resourcesOf(dict, inherited)
	if err != nil {
		return err
	}
	dict["Resources"], err = p.with(resources, kind, types.Dict{name: resource})
	return err
}

// resourcesOf returns a page's resources, its own or inherited.
func (p *printer) resourcesOf(dict types.Dict, inherited *model.InheritedPageAttrs) (types.Dict, error) {
	own, err := p.ctx.DereferenceDict(dict["Resources"])
	if err == nil && own == nil && inherited != nil {
		own = inherited.Resources
	}
	return own, err
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

// with returns a copy of resources that has some more of a kind.
func (p *printer) with(resources types.Dict, kind string, more types.Dict) (types.Dict, error) {
	old, err := p.ctx.DereferenceDict(resources[kind])
	if err != nil {
		return nil, err
	}
	out, all := types.Dict{}, types.Dict{}
	maps.Copy(out, resources)
	maps.Copy(all, old)
	maps.Copy(all, more)
	out[kind] = all
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
		s := p.what.sheet(n)
		content, err := p.overlay(s.Content)
		if err != nil {
			return err
		}
		d := types.Dict{
			"Type": types.Name("Page"), "Parent": *rootRef, "Rotate": types.Integer(0),
			"MediaBox": rectangle(p.what.Paper), "CropBox": rectangle(p.what.Paper),
			"Resources": p.resources(s, fonts), "Contents": types.Array{content},
		}
		if p.what.Copy > 0 {
			d[addedKey] = types.Boolean(true)
		}
		pg, err := p.add(d)
		if err != nil {
			return err
		}
		kids = append(kids, pg)
		p.tags.laidOn(n, pg, d, s.Runs)
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

// fieldName begins the names of the looks of fields that the file does not have.
const fieldName = "ReadyMarginField"

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
