package pdf

import (
	"bytes"
	"cmp"
	"encoding/xml"
	"fmt"
	"maps"
	"slices"
	"time"

	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/types"

	"readymargin/core/annotation"
	"readymargin/core/document"
	"readymargin/core/draw"
	"readymargin/core/mark"
	"readymargin/core/page"
)

// A composedAnnotation is an annotation with how it looks, in the user space of its
// page.
type composedAnnotation struct {
	annotation.Annotation
	Box  page.Box
	Look composedSheet // its Crop is the annotation's rectangle
}

// annotation makes ready how an annotation looks on a page that shows itself as b.
func (o *overlay) annotation(a annotation.Annotation, b page.Box) composedAnnotation {
	look := &overlay{fonts: o.fonts, pictures: o.pictures, images: o.images}
	switch {
	case a.Mark == nil:
	case a.Subtype == annotation.Text:
		if n, ok := a.Mark.Body.(*mark.Note); ok && a.Number > 0 {
			look.point(document.NoteMarker{At: n.Place(), Number: a.Number, Color: cmp.Or(n.Color, signColor(a.Layer))})
		}
	default:
		for _, s := range draw.Shapes(*a.Mark) {
			look.shape(s)
		}
	}
	if a.Subtype == annotation.Text {
		b = unturned(b, a.Rect.Min)
	}
	to := b.ToUser()
	sheet := look.sheet(a.Page, b)
	sheet.Crop = page.Bounds(to.Apply(a.Rect.Min), to.Apply(a.Rect.Max))
	return composedAnnotation{a, b, sheet}
}

// unturned returns the page as if it were not turned, so that a place on it is where
// it was: there a note's sign has its corner, from which all readers paint it
// upright (ISO 32000-2, 12.5.3, NoRotate).
func unturned(b page.Box, at page.Point) page.Box {
	was := b.ToUser().Apply(at)
	b.Rotate = 0
	b.Crop = b.Crop.Add(was.Sub(b.ToUser().Apply(at)))
	return b
}

// signColor is the colour of notes that have none of their own.
func signColor(l annotation.Layer) mark.Color {
	if l == annotation.Feedback {
		return "#c22f20"
	}
	return "#2f6f9f"
}

// annotate adds the annotations to their pages (ISO 32000-2, 12.5), each with its
// appearance, so that all readers paint the same.
func (p *printer) annotate(resources types.IndirectRef) error {
	if len(p.what.Annotations) == 0 {
		return nil
	}
	on := map[int]types.Array{}
	names := map[string]types.IndirectRef{}
	for _, a := range p.what.Annotations {
		if a.Page > p.ctx.PageCount+p.what.Extra {
			continue
		}
		_, pageRef, _, err := p.ctx.PageDict(a.Page, false)
		if err != nil || pageRef == nil {
			return fmt.Errorf("%w: page %d: %v", document.ErrDamaged, a.Page, err)
		}
		content := pack(a.Look.Content)
		look, err := p.many(types.StreamDict{Raw: content, Dict: types.Dict{
			"Type": types.Name("XObject"), "Subtype": types.Name("Form"), "BBox": rectangle(a.Look.Crop), "Resources": resources,
			"Filter": types.Name("FlateDecode"), "Length": types.Integer(len(content)),
		}})
		if err != nil {
			return err
		}
		d := a.dict()
		d["P"], d["AP"] = *pageRef, types.Dict{"N": look}
		if g, ok := p.groups[string(a.Layer)]; ok {
			d["OC"] = g
		}
		if about, ok := names[a.ReplyTo]; ok {
			d["IRT"], d["RT"] = about, types.Name("R")
		}
		element, tagged := p.tags.laid(a.Page, a.Name)
		if tagged {
			d["StructParent"] = p.tags.annotation(a.Page, element)
		}
		ref, err := p.many(d)
		if err != nil {
			return err
		}
		if tagged {
			p.tags.holdObject(a.Page, element, ref)
		}
		names[a.Name] = ref
		on[a.Page] = append(on[a.Page], ref)
		if a.Popup {
			window, err := p.many(types.Dict{
				"Type": types.Name("Annot"), "Subtype": types.Name("Popup"), "Parent": ref, "P": *pageRef, "F": types.Integer(annotation.FlagPrint),
				"Rect": popupRect(a.Look.Crop, a.Box), "Open": types.Boolean(false),
			})
			if err != nil {
				return err
			}
			d["Popup"] = window
			on[a.Page] = append(on[a.Page], window)
		}
		if p.later != nil {
			p.later.done(ref)
		}
	}
	for _, n := range slices.Sorted(maps.Keys(on)) {
		dict, ref, _, err := p.ctx.PageDict(n, false)
		if err != nil {
			return err
		}
		own, err := p.ctx.DereferenceArray(dict["Annots"])
		if err != nil {
			return err
		}
		dict["Annots"], dict["Tabs"] = append(slices.Clone(own), on[n]...), types.Name("S")
		p.ctx.Write.IncrementWithObjNr(ref.ObjectNumber.Value())
	}
	return nil
}

// shared adds what the looks of all annotations paint with.
func (p *printer) shared(fonts types.Dict) (types.IndirectRef, error) {
	states := types.Dict{}
	for _, a := range p.what.Annotations {
		for _, g := range a.Look.States {
			states[g.Name] = g.dict()
		}
	}
	return p.add(types.Dict{"Font": fonts, "ExtGState": states, "XObject": p.images})
}

// popupRect is where the window of an annotation opens: beside it.
func popupRect(of page.Rect, b page.Box) types.Array {
	const width, height = 180, 90
	x := min(of.Max.X+8, b.Crop.Max.X-width)
	return types.NewNumberArray(x, of.Max.Y-height, x+width, of.Max.Y)
}

// flags let everything be printed, and keep signs upright.
func (a composedAnnotation) flags() int {
	if a.Subtype == annotation.Text {
		return annotation.FlagPrint | annotation.FlagNoRotate
	}
	return annotation.FlagPrint
}

// dict writes what the annotation says.
func (a composedAnnotation) dict() types.Dict {
	to := a.Box.ToUser()
	r := a.Look.Crop
	d := types.Dict{
		"Type": types.Name("Annot"), "Subtype": types.Name(a.Subtype), "Rect": rectangle(r), "F": types.Integer(a.flags()),
		"NM": text(a.Name), "Contents": text(a.Contents),
	}
	for key, v := range map[string]string{"T": a.Author, "Subj": a.Subject, "RC": a.Rich, markKey: a.Own} {
		if v != "" {
			d[key] = text(v)
		}
	}
	for key, v := range map[string]time.Time{"CreationDate": a.Created, "M": a.Changed} {
		if !v.IsZero() {
			d[key] = types.StringLiteral(annotation.Date(v))
		}
	}
	if a.Color != "" {
		d["C"] = rgb(a.Color)
	}
	if a.Interior != "" {
		d["IC"] = rgb(a.Interior)
	}
	if a.Opacity != 0 && a.Opacity != 1 {
		d["CA"] = types.Float(a.Opacity)
	}
	if a.Width != 0 {
		d["BS"] = types.Dict{"Type": types.Name("Border"), "W": types.Float(max(a.Width, 0) * to.Scale()), "S": types.Name("S")}
	}
	if !a.Inner.Empty() {
		in := page.Bounds(to.Apply(a.Inner.Min), to.Apply(a.Inner.Max))
		d["RD"] = types.NewNumberArray(max(in.Min.X-r.Min.X, 0), max(r.Max.Y-in.Max.Y, 0), max(r.Max.X-in.Max.X, 0), max(in.Min.Y-r.Min.Y, 0))
	}
	if len(a.Quads) > 0 {
		var all types.Array
		for _, q := range a.Quads {
			// Readers take the corners row by row (common practice, no source), not
			// round about, as the standard has it.
			all = append(all, numbers(to.Apply(q[0]), to.Apply(q[1]), to.Apply(q[3]), to.Apply(q[2]))...)
		}
		d["QuadPoints"] = all
	}
	if len(a.InkList) > 0 {
		var all types.Array
		for _, ps := range a.InkList {
			all = append(all, numbers(applied(to, ps)...))
		}
		d["InkList"] = all
	}
	if len(a.Vertices) > 0 {
		key := "Vertices"
		if a.Subtype == annotation.Line {
			key = "L"
		}
		d[key] = numbers(applied(to, a.Vertices)...)
	}
	if a.Endings != [2]string{} {
		d["LE"] = types.Array{types.Name(a.Endings[0]), types.Name(a.Endings[1])}
	}
	if a.Icon != "" {
		d["Name"] = types.Name(a.Icon)
	}
	if a.State != "" {
		d["State"], d["StateModel"] = text(a.State), text("Review")
	}
	if a.Subtype == annotation.FreeText {
		d["DA"] = types.StringLiteral(annotation.Appearance(annotation.StandardFont(a.Font), a.Size*to.Scale(), a.Letters))
		d["Q"] = types.Integer(a.Align)
	}
	return d
}

// markKey is the key of an annotation under which its mark is, as it is kept.
const markKey = "ReadyMarginMark"

func applied(to page.Matrix, ps []page.Point) []page.Point {
	out := make([]page.Point, len(ps))
	for i, q := range ps {
		out[i] = to.Apply(q)
	}
	return out
}

// numbers writes points as x and y in turn.
func numbers(ps ...page.Point) types.Array {
	out := make(types.Array, 0, 2*len(ps))
	for _, q := range ps {
		out = append(out, types.Float(q.X), types.Float(q.Y))
	}
	return out
}

func rgb(c mark.Color) types.Array {
	r, g, b := c.RGB()
	return types.NewNumberArray(r, g, b)
}

// layers adds the optional content that can be shown and hidden in a reader (ISO
// 32000-2, 8.11): the sheet, the work and the feedback.
func (p *printer) layers() error {
	used := map[string]bool{}
	for _, a := range p.what.Annotations {
		used[string(a.Layer)] = true
	}
	if len(p.what.Annotations) == 0 {
		return nil
	}
	root, err := p.ctx.Catalog()
	if err != nil {
		return err
	}
	properties, err := p.ctx.DereferenceDict(root["OCProperties"])
	if err != nil {
		return err
	}
	properties = maps.Clone(properties)
	if properties == nil {
		properties = types.Dict{}
	}
	shown, err := p.ctx.DereferenceDict(properties["D"])
	if err != nil {
		return err
	}
	if shown = maps.Clone(shown); shown == nil {
		shown = types.Dict{"Name": text("Layers")}
	}
	groups, err := p.ctx.DereferenceArray(properties["OCGs"])
	if err != nil {
		return err
	}
	order, err := p.ctx.DereferenceArray(shown["Order"])
	if err != nil {
		return err
	}
	groups, order = slices.Clone(groups), slices.Clone(order)
	p.groups = map[string]types.IndirectRef{}
	for _, name := range []string{sheetLayer, string(annotation.Work), string(annotation.Feedback)} {
		if name != sheetLayer && !used[name] {
			continue
		}
		ref, err := p.add(types.Dict{"Type": types.Name("OCG"), "Name": text(name)})
		if err != nil {
			return err
		}
		p.groups[name] = ref
		groups, order = append(groups, ref), append(order, ref)
	}
	properties["OCGs"], shown["Order"] = groups, order
	properties["D"] = shown
	root["OCProperties"] = properties
	return nil
}

// sheetLayer is the name of what the sheet itself is on.
const sheetLayer = "Sheet"

// describe says in the file what it is: title and author (ISO 32000-2, 14.3.3), the
// language where the file has none, and, for taking it in again, of which copy and
// attempt it is (14.5).
func (p *printer) describe() error {
	about := p.what.About
	if about == (document.About{}) {
		return nil
	}
	info := types.Dict{}
	if p.ctx.Info != nil {
		old, err := p.ctx.DereferenceDict(*p.ctx.Info)
		if err != nil {
			return err
		}
		maps.Copy(info, old)
	}
	for key, v := range map[string]string{"Title": about.Title, "Author": about.Author, "Subject": about.Subject} {
		if v != "" {
			info[key] = text(v)
		}
	}
	if !about.At.IsZero() {
		info["ModDate"] = types.StringLiteral(annotation.Date(about.At))
	}
	ref, err := p.add(info)
	if err != nil {
		return err
	}
	p.ctx.Info = &ref
	root, err := p.ctx.Catalog()
	if err != nil {
		return err
	}
	if root["Lang"] == nil && about.Language != "" {
		root["Lang"] = text(about.Language)
	}
	if root["Metadata"] == nil {
		meta, err := p.addStream(metadata(about), types.Dict{"Type": types.Name("Metadata"), "Subtype": types.Name("XML")}, nil)
		if err != nil {
			return err
		}
		root["Metadata"] = meta
	}
	if about.Title != "" { // readers show it instead of the file's name
		view, err := p.ctx.DereferenceDict(root["ViewerPreferences"])
		if err != nil {
			return err
		}
		if view = maps.Clone(view); view == nil {
			view = types.Dict{}
		}
		view["DisplayDocTitle"] = types.Boolean(true)
		root["ViewerPreferences"] = view
	}
	if p.what.Copy == 0 {
		return nil
	}
	pieces, err := p.ctx.DereferenceDict(root["PieceInfo"])
	if err != nil {
		return err
	}
	if pieces = maps.Clone(pieces); pieces == nil {
		pieces = types.Dict{}
	}
	own := types.Dict{"Copy": types.Integer(p.what.Copy)}
	if about.Attempt > 0 {
		own["Attempt"], own["Fingerprint"] = types.Integer(about.Attempt), text(about.Fingerprint)
	}
	pieces[pieceName] = types.Dict{"LastModified": types.StringLiteral(annotation.Date(about.At)), "Private": own}
	root["PieceInfo"] = pieces
	return nil
}

// metadata says in XMP (ISO 16684-1) what a file is.
func metadata(about document.About) []byte {
	var b bytes.Buffer
	b.WriteString(`<?xpacket begin="` + "\ufeff" + `" id="W5M0MpCehiHzreSzNTczkc9d"?><x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><rdf:Description rdf:about="" xmlns:dc="http://purl.org/dc/elements/1.1/"><dc:title><rdf:Alt><rdf:li xml:lang="x-default">`)
	xml.EscapeText(&b, []byte(about.Title)) // a buffer takes everything
	b.WriteString(`</rdf:li></rdf:Alt></dc:title></rdf:Description></rdf:RDF></x:xmpmeta><?xpacket end="w"?>`)
	return b.Bytes()
}

// pieceName is under what a file says of which copy it is.
const pieceName = "ReadyMargin"

// onSheetLayer puts the pages' own content on the layer of the sheet.
func (p *printer) onSheetLayer() error {
	group, ok := p.groups[sheetLayer]
	if !ok {
		return nil
	}
	const name = pieceName + sheetLayer
	for n := 1; n <= p.ctx.PageCount; n++ {
		if err := p.surround(n, "/OC /"+name+" BDC q\n", "\nQ EMC\n"); err != nil {
			return err
		}
		if err := p.name(n, "Properties", name, group); err != nil {
			return err
		}
	}
	return nil
}
