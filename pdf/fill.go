package pdf

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/model"
	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/types"

	"readymargin/core/draw"
	"readymargin/core/mark"
	"readymargin/core/page"
)

// A composedField is a form field to be filled in.
type composedField struct {
	Mark   string // its ID
	Page   int
	Rect   page.Rect // of its widget, in user space
	Values []string
	On     bool          // it is a button that is on
	Look   composedSheet // what is seen in it, in user space
}

// inField reports whether a shape of a filled field is seen inside it. Lines
// that did not fit go on below it, where only the page itself can show them.
func inField(s draw.Shape, w *mark.Widget) bool {
	return s.Text == nil || s.Text.Y <= w.Rect[3]+0.5
}

// field makes ready what is seen in a filled field on a page that shows itself as b.
func (o *overlay) field(m mark.Mark, w *mark.Widget, b page.Box) composedField {
	look := &overlay{fonts: o.fonts}
	for _, s := range draw.Shapes(m) {
		if inField(s, w) {
			look.shape(s)
		}
	}
	in := page.R(w.Rect[0], w.Rect[1], w.Rect[2], w.Rect[3])
	to := b.ToUser()
	rect := page.Bounds(to.Apply(in.Min), to.Apply(in.Max))
	sheet := look.sheet(m.Page, b)
	sheet.Crop = rect
	return composedField{m.ID, m.Page, rect, w.Values, w.Sign != "", sheet}
}

// onState returns the name of the appearance in which a button is on (ISO
// 32000-2, 12.7.5.2.3), or "".
func onState(ctx *model.Context, widget types.Dict) string {
	for _, name := range slices.Sorted(maps.Keys(normalLooks(ctx, widget))) {
		if name != "Off" {
			return name
		}
	}
	return ""
}

// normalLooks returns how a button looks in each of its states, when nobody
// points at it (ISO 32000-2, table 170).
func normalLooks(ctx *model.Context, widget types.Dict) types.Dict {
	looks, err := ctx.DereferenceDict(widget["AP"])
	if err != nil {
		return nil
	}
	normal, err := ctx.DereferenceDict(looks["N"])
	if err != nil {
		return nil
	}
	return normal
}

// fill writes values back into the form's fields, each with how it looks, so
// that no reader has to make appearances. It returns the fields that the file
// does not have, whose looks are to be painted on the page.
func (p *printer) fill(fonts types.Dict) (rest []composedField, err error) {
	if len(p.what.Fields) == 0 {
		return nil, nil
	}
	for _, f := range p.what.Fields {
		look, err := p.form(f.Look, fonts)
		if err != nil {
			return nil, err
		}
		found, err := p.fillOne(f, look)
		if err != nil {
			return nil, err
		}
		if !found {
			rest = append(rest, f)
		}
	}
	return rest, p.formIsFilled()
}

// fillOne fills in the field whose widget stands where f says.
func (p *printer) fillOne(f composedField, look types.IndirectRef) (found bool, err error) {
	pg, pageRef, _, err := p.ctx.PageDict(f.Page, false)
	if err != nil || pg == nil {
		return false, err
	}
	annots, err := p.ctx.DereferenceArray(pg["Annots"])
	if err != nil {
		return false, nil
	}
	for _, a := range annots {
		d, err := p.ctx.DereferenceDict(a)
		if err != nil || d == nil || d.Subtype() == nil || *d.Subtype() != "Widget" || !p.stands(d, f.Rect) {
			continue
		}
		p.changed(a, *pageRef, pg["Annots"])
		return true, p.fillWidget(f, a, d, look)
	}
	return false, nil
}

// stands reports whether a widget has this rectangle, to about a point.
func (p *printer) stands(d types.Dict, r page.Rect) bool {
	have, ok := rectOf(p.ctx, d)
	return ok && have.Min.Sub(r.Min).Len() < 1.5 && have.Max.Sub(r.Max).Len() < 1.5
}

// changed notes what has to be written anew for a changed object: itself, or,
// where it stands within others, these.
func (p *printer) changed(o types.Object, holders ...types.Object) {
	if ref, ok := o.(types.IndirectRef); ok {
		p.ctx.Write.IncrementWithObjNr(ref.ObjectNumber.Value())
		return
	}
	for _, h := range holders {
		if ref, ok := h.(types.IndirectRef); ok {
			p.ctx.Write.IncrementWithObjNr(ref.ObjectNumber.Value())
		}
	}
}

func (p *printer) fillWidget(f composedField, o types.Object, d types.Dict, look types.IndirectRef) error {
	inherited, _, _, err := fieldOf(p.ctx, o, d)
	if err != nil {
		return err
	}
	field, kids, err := p.fieldDict(o, d)
	if err != nil {
		return err
	}
	if ft, _ := inherited["FT"].(types.Name); ft == "Btn" {
		return p.press(f, d, field, kids, look)
	}
	delete(field, "RV")
	delete(field, "I")
	if ft, _ := inherited["FT"].(types.Name); ft == "Ch" {
		p.choose(f.Values, field, inherited["Opt"])
	} else {
		field["V"] = types.NewHexLiteral(utf16Text(strings.Join(f.Values, "\n")))
	}
	if look, err = p.dressed(d, f.Look.Crop, look); err != nil {
		return err
	}
	for _, k := range append(kids, d) { // the same value may be shown in several places
		k["AP"] = types.Dict{"N": look}
		delete(k, "AS")
	}
	return nil
}

// dressed puts a field's own ground and border behind its look, which take
// the place of what it had (ISO 32000-2, table 192).
func (p *printer) dressed(d types.Dict, r page.Rect, look types.IndirectRef) (types.IndirectRef, error) {
	mk, err := p.ctx.DereferenceDict(d["MK"])
	if err != nil || mk == nil {
		return look, nil
	}
	ops := ""
	if ground := p.color(mk["BG"]); ground != "" {
		ops += fmt.Sprintf("%s %.4g %.4g %.4g %.4g re f\n", strings.ToLower(ground), r.Min.X, r.Min.Y, r.W(), r.H())
	}
	if border := p.color(mk["BC"]); border != "" {
		width := 1.0
		if bs, err := p.ctx.DereferenceDict(d["BS"]); err == nil && bs["W"] != nil {
			if w, err := p.ctx.DereferenceNumber(bs["W"]); err == nil {
				width = w
			}
		}
		if width > 0 {
			in := r.Grow(-width / 2)
			ops += fmt.Sprintf("%s %.4g w %.4g %.4g %.4g %.4g re S\n", border, width, in.Min.X, in.Min.Y, in.W(), in.H())
		}
	}
	if ops == "" {
		return look, nil
	}
	return p.addStream([]byte("q "+ops+"Q /Look Do\n"), types.Dict{
		"Type": types.Name("XObject"), "Subtype": types.Name("Form"), "BBox": types.NewNumberArray(r.Min.X, r.Min.Y, r.Max.X, r.Max.Y),
		"Resources": types.Dict{"XObject": types.Dict{"Look": look}},
	}, nil)
}

// color writes a colour of one, three or four components as an operator for
// strokes, or "" for none.
func (p *printer) color(o types.Object) string {
	a, err := p.ctx.DereferenceArray(o)
	op := map[int]string{1: "G", 3: "RG", 4: "K"}[len(a)]
	if err != nil || op == "" {
		return ""
	}
	out := ""
	for _, c := range a {
		v, err := p.ctx.DereferenceNumber(c)
		if err != nil {
			return ""
		}
		out += fmt.Sprintf("%.4g ", v)
	}
	return out + op
}

// fieldDict returns the field that a widget belongs to, which may be the
// widget itself, and the field's other widgets.
func (p *printer) fieldDict(o types.Object, d types.Dict) (field types.Dict, kids []types.Dict, err error) {
	if d["T"] != nil || d["Parent"] == nil {
		return d, nil, nil
	}
	parent := d["Parent"]
	if field, err = p.ctx.DereferenceDict(parent); err != nil || field == nil {
		return d, nil, err
	}
	p.changed(parent)
	all, err := p.ctx.DereferenceArray(field["Kids"])
	for _, k := range all {
		kid, err := p.ctx.DereferenceDict(k)
		if err == nil && kid != nil && k != o {
			p.changed(k, parent)
			kids = append(kids, kid)
		}
	}
	return field, kids, err
}

// press turns a button on, with the sign that was put there in place of the
// form's own, and all others of its field off that are not of the same state.
func (p *printer) press(f composedField, d, field types.Dict, kids []types.Dict, look types.IndirectRef) error {
	on := cmp.Or(onState(p.ctx, d), "Yes")
	off := p.off(d)
	signed, err := p.signed(d, off, f.Look.Crop, look)
	if err != nil {
		return err
	}
	normal := types.Dict{on: signed}
	if off != nil {
		normal["Off"] = *off
	}
	d["AP"] = types.Dict{"N": normal}
	d["AS"], field["V"] = types.Name(on), types.Name(on)
	for _, k := range kids {
		if onState(p.ctx, k) != on {
			k["AS"] = types.Name("Off")
		}
	}
	return nil
}

// off returns how a button looks that is off, nil where the file does not say.
func (p *printer) off(d types.Dict) *types.IndirectRef {
	if ref, ok := normalLooks(p.ctx, d)["Off"].(types.IndirectRef); ok {
		return &ref
	}
	return nil
}

// signed lays a sign over how a button looks that is off, which may have a
// border that nothing else shows; where there is none, over its ground.
func (p *printer) signed(d types.Dict, off *types.IndirectRef, r page.Rect, look types.IndirectRef) (types.IndirectRef, error) {
	if off == nil {
		return p.dressed(d, r, look)
	}
	stream, _, err := p.ctx.DereferenceStreamDict(*off)
	if err != nil || stream == nil {
		return p.dressed(d, r, look)
	}
	box, ok := rectIn(p.ctx, stream.Dict["BBox"])
	if !ok || box.Empty() {
		return p.dressed(d, r, look)
	}
	// Its box goes to the field's rectangle (ISO 32000-2, 12.5.5), a matrix of
	// its own left out: a border looks the same turned by quarters.
	sx, sy := r.W()/box.W(), r.H()/box.H()
	ops := fmt.Sprintf("q %.4g 0 0 %.4g %.4f %.4f cm /Off Do Q /Look Do\n", sx, sy, r.Min.X-sx*box.Min.X, r.Min.Y-sy*box.Min.Y)
	return p.addStream([]byte(ops), types.Dict{
		"Type": types.Name("XObject"), "Subtype": types.Name("Form"), "BBox": types.NewNumberArray(r.Min.X, r.Min.Y, r.Max.X, r.Max.Y),
		"Resources": types.Dict{"XObject": types.Dict{"Look": look, "Off": *off}},
	}, nil)
}

// choose sets what was chosen of options, each of which may have a value that
// differs from how it is shown.
func (p *printer) choose(values []string, field types.Dict, opt types.Object) {
	options, _ := p.ctx.DereferenceArray(opt)
	var set types.Array
	var at []int
	for _, v := range values {
		export := v
		for i, o := range options {
			shown := o
			pair, err := p.ctx.DereferenceArray(o)
			if err == nil && len(pair) == 2 {
				o, shown = pair[0], pair[1]
			}
			if text, err := p.ctx.DereferenceText(shown); err == nil && text == v {
				if e, err := p.ctx.DereferenceText(o); err == nil {
					export = e
				}
				at = append(at, i)
				break
			}
		}
		set = append(set, types.NewHexLiteral(utf16Text(export)))
	}
	field["V"] = set
	if len(set) == 1 {
		field["V"] = set[0]
	}
	if len(at) == len(values) {
		slices.Sort(at)
		field["I"] = types.NewIntegerArray(at...)
	}
}

// formIsFilled tells readers that every field has its appearance, and takes
// away a second description of the form that they might believe instead (ISO
// 32000-1, 12.7.8).
func (p *printer) formIsFilled() error {
	root, err := p.ctx.Catalog()
	if err != nil {
		return err
	}
	form, err := p.ctx.DereferenceDict(root["AcroForm"])
	if err != nil || form == nil {
		return err
	}
	delete(form, "NeedAppearances")
	delete(form, "XFA")
	p.changed(root["AcroForm"], *p.ctx.Root)
	return nil
}
