package pdf

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/model"
	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/types"

	"readymargin/core/annotation"
	"readymargin/core/document"
	"readymargin/core/mark"
	"readymargin/core/page"
)

// Bounds of what is read; what is beyond them is seen in the page's picture.
const (
	mostAnnotations = 4_000  // on a page
	mostPlaces      = 60_000 // of one annotation
)

// unmarked are kinds of annotations that nobody put there to say something (ISO
// 32000-2, table 171).
var unmarked = []string{"Popup", "Link", "Widget", "PrinterMark", "TrapNet", "Projection"}

// annotated reads the annotations of a file, and the values of its form, on pages
// that show themselves as boxes say.
func annotated(file []byte, boxes []page.Box) (out document.Annotated, err error) {
	ctx, err := objects(file)
	if err != nil {
		return out, err
	}
	r := annotationReader{ctx: ctx, names: map[int]string{}}
	for n := 1; n <= min(ctx.PageCount, len(boxes)); n++ {
		d, _, _, err := ctx.PageDict(n, false)
		if err != nil || d == nil {
			continue
		}
		all, _ := ctx.DereferenceArray(d["Annots"])
		for i, o := range all[:min(len(all), mostAnnotations)] {
			dict, err := ctx.DereferenceDict(o)
			if err != nil || dict == nil || dict.Subtype() == nil {
				continue
			}
			if f, ok := fieldOn(ctx, o); ok {
				if filled, ok := r.filled(o, dict, f, n, boxes[n-1]); ok {
					out.Fields = append(out.Fields, filled)
				}
				continue
			}
			if slices.Contains(unmarked, *dict.Subtype()) {
				continue
			}
			a := r.read(dict, boxes[n-1])
			a.Page, a.At = n, i
			if a.Name == "" {
				a.Name = fmt.Sprintf("page %d, %d", n, i+1)
			}
			if ref, ok := o.(types.IndirectRef); ok {
				r.names[ref.ObjectNumber.Value()] = a.Name
			}
			r.about = append(r.about, dict["IRT"])
			out.Annotations = append(out.Annotations, a)
		}
	}
	for i, o := range r.about {
		if ref, ok := o.(types.IndirectRef); ok {
			out.Annotations[i].ReplyTo = r.names[ref.ObjectNumber.Value()]
		}
	}
	out.Copy, out.Attempt, out.Fingerprint = r.origin()
	return out, nil
}

type annotationReader struct {
	ctx   *model.Context
	names map[int]string // of annotations, by their objects
	about []types.Object // what they are about, in their order
}

func (r *annotationReader) text(o types.Object) string {
	if o == nil {
		return ""
	}
	s, err := r.ctx.DereferenceText(o)
	if err != nil {
		return ""
	}
	return strings.ToValidUTF8(strings.ReplaceAll(s, "\x00", ""), "")
}

func (r *annotationReader) name(o types.Object) string {
	d, err := r.ctx.Dereference(o)
	n, ok := d.(types.Name)
	if err != nil || !ok {
		return ""
	}
	return string(n)
}

func (r *annotationReader) number(o types.Object) (float64, bool) {
	if o == nil {
		return 0, false
	}
	v, err := r.ctx.DereferenceNumber(o)
	return v, err == nil && !math.IsNaN(v) && !math.IsInf(v, 0)
}

func (r *annotationReader) numbers(o types.Object) []float64 {
	a, err := r.ctx.DereferenceArray(o)
	if err != nil {
		return nil
	}
	out := make([]float64, 0, len(a))
	for _, e := range a[:min(len(a), 2*mostPlaces)] {
		v, ok := r.number(e)
		if !ok {
			return out
		}
		out = append(out, v)
	}
	return out
}

func (r *annotationReader) places(o types.Object, to page.Matrix) []page.Point {
	v := r.numbers(o)
	out := make([]page.Point, len(v)/2)
	for i := range out {
		out[i] = to.Apply(page.Pt(v[2*i], v[2*i+1]))
	}
	return out
}

// read reads one annotation. What is damaged in it counts as not said.
func (r *annotationReader) read(d types.Dict, b page.Box) annotation.Annotation {
	to := b.FromUser()
	a := annotation.Annotation{
		Subtype: annotation.Subtype(*d.Subtype()), Name: r.text(d["NM"]), Author: r.text(d["T"]), Subject: r.text(d["Subj"]),
		Contents: r.text(d["Contents"]), Rich: r.rich(d["RC"]), Created: r.date(d["CreationDate"]), Changed: r.date(d["M"]),
		Color: r.color(d["C"]), Interior: r.color(d["IC"]), Icon: r.name(d["Name"]), Group: r.name(d["RT"]) == "Group", State: r.text(d["State"]),
		Own: r.text(d[markKey]), Layer: r.layer(d["OC"]),
	}
	flags := 0
	if f, ok := r.number(d["F"]); ok {
		flags = int(f)
	}
	a.Hidden = flags&(annotation.FlagHidden|annotation.FlagNoView) != 0
	rect, _ := rectOf(r.ctx, d)
	if flags&annotation.FlagNoRotate != 0 {
		to = unturned(b, to.Apply(page.Pt(rect.Min.X, rect.Max.Y))).FromUser()
	}
	a.Rect = page.Bounds(to.Apply(rect.Min), to.Apply(rect.Max))
	if rd := r.numbers(d["RD"]); len(rd) == 4 {
		in := page.Rect{Min: page.Pt(rect.Min.X+rd[0], rect.Min.Y+rd[3]), Max: page.Pt(rect.Max.X-rd[2], rect.Max.Y-rd[1])}
		if !in.Empty() {
			a.Inner = page.Bounds(to.Apply(in.Min), to.Apply(in.Max))
		}
	}
	if v, ok := r.number(d["CA"]); ok && v > 0 {
		a.Opacity = min(v, 1)
	}
	if q, ok := r.number(d["Q"]); ok {
		a.Align = int(min(max(q, 0), 2))
	}
	if look, err := r.ctx.DereferenceDict(d["AP"]); err == nil && look["N"] != nil {
		a.Looks = true
	}
	a.Width = r.border(d) * to.Scale()
	if a.Width < 0 {
		a.Width = -1
	}
	corners := r.places(d["QuadPoints"], to)
	for i := 0; i+3 < len(corners); i += 4 {
		a.Quads = append(a.Quads, annotation.QuadFrom([4]page.Point(corners[i:i+4])))
	}
	lists, _ := r.ctx.DereferenceArray(d["InkList"])
	left := mostPlaces
	for _, l := range lists {
		if ps := r.places(l, to); len(ps) > 0 && left >= len(ps) {
			a.InkList, left = append(a.InkList, ps), left-len(ps)
		}
	}
	a.Vertices = r.places(d["Vertices"], to)
	if a.Subtype == annotation.Line {
		a.Vertices = r.places(d["L"], to)
	}
	if ends, err := r.ctx.DereferenceArray(d["LE"]); err == nil && len(ends) == 2 {
		a.Endings = [2]string{r.name(ends[0]), r.name(ends[1])}
	}
	if a.Subtype == annotation.FreeText {
		r.letters(&a, d, to.Scale())
	}
	return a
}

// rich reads rich text, which may be a string or a stream.
func (r *annotationReader) rich(o types.Object) string {
	if sd, _, err := r.ctx.DereferenceStreamDict(o); err == nil && sd != nil {
		if sd.Decode() != nil || len(sd.Content) > 1<<20 {
			return ""
		}
		return strings.ToValidUTF8(string(sd.Content), "")
	}
	return r.text(o)
}

// border returns the width of an annotation's lines in user space: 0 where it does
// not say, -1 where there are none.
func (r *annotationReader) border(d types.Dict) float64 {
	w, said := 0.0, false
	if bs, err := r.ctx.DereferenceDict(d["BS"]); err == nil && bs != nil {
		w, said = r.number(bs["W"])
	} else if b := r.numbers(d["Border"]); len(b) >= 3 {
		w, said = b[2], true
	}
	if said && w <= 0 {
		return -1
	}
	return w
}

// letters reads how text is set: of DA (ISO 32000-2, 12.7.4.3) and, where there is
// one, of the style DS.
func (r *annotationReader) letters(a *annotation.Annotation, d types.Dict, scale float64) {
	a.Font, a.Size, a.Letters = annotation.ParseAppearance(r.text(d["DA"]))
	a.Size *= scale
	for _, rule := range strings.Split(r.text(d["DS"]), ";") {
		name, value, _ := strings.Cut(rule, ":")
		value = strings.TrimSpace(value)
		switch strings.TrimSpace(name) {
		case "color":
			if c := mark.Color(strings.ToLower(value)); c.Good() {
				a.Letters = c
			}
		case "font", "font-size":
			for _, word := range strings.Fields(value) {
				if v, err := strconv.ParseFloat(strings.TrimSuffix(word, "pt"), 64); err == nil && strings.HasSuffix(word, "pt") && v > 0 {
					a.Size = v * scale
				}
			}
		}
	}
}

func (r *annotationReader) color(o types.Object) mark.Color {
	return annotation.ColorOf(r.numbers(o))
}

func (r *annotationReader) date(o types.Object) time.Time { return annotation.ParseDate(r.text(o)) }

// layer returns the layer of optional content that files from here have.
func (r *annotationReader) layer(o types.Object) annotation.Layer {
	d, err := r.ctx.DereferenceDict(o)
	if err != nil || d == nil {
		return ""
	}
	switch l := annotation.Layer(r.text(d["Name"])); l {
	case annotation.Work, annotation.Feedback:
		return l
	}
	return ""
}

// filled reads the value of a field; false where it has none.
func (r *annotationReader) filled(o types.Object, d types.Dict, f document.Field, n int, b page.Box) (document.Filled, bool) {
	to := b.FromUser()
	f.Rect = page.Bounds(to.Apply(f.Rect.Min), to.Apply(f.Rect.Max))
	out := document.Filled{Page: n, Field: f}
	inherited, _, _, err := fieldOf(r.ctx, o, d)
	if err != nil {
		return out, false
	}
	if f.Type == "Btn" {
		state := r.name(d["AS"])
		out.On = state != "" && state != "Off"
		return out, out.On
	}
	values, err := r.ctx.DereferenceArray(inherited["V"])
	if err != nil || values == nil {
		values = types.Array{inherited["V"]}
	}
	for _, v := range values {
		if s := r.text(v); s != "" {
			out.Values = append(out.Values, r.shown(s, inherited["Opt"]))
		}
	}
	return out, len(out.Values) > 0
}

// shown returns how an option of a list is shown that has this value.
func (r *annotationReader) shown(value string, opt types.Object) string {
	options, _ := r.ctx.DereferenceArray(opt)
	for _, o := range options {
		if pair, err := r.ctx.DereferenceArray(o); err == nil && len(pair) == 2 && r.text(pair[0]) == value {
			return r.text(pair[1])
		}
	}
	return value
}

// origin returns of which copy and attempt the file says that it is.
func (r *annotationReader) origin() (copied uint64, attempt int, fingerprint string) {
	root, err := r.ctx.Catalog()
	if err != nil {
		return 0, 0, ""
	}
	pieces, _ := r.ctx.DereferenceDict(root["PieceInfo"])
	piece, _ := r.ctx.DereferenceDict(pieces[pieceName])
	own, _ := r.ctx.DereferenceDict(piece["Private"])
	if n, ok := r.number(own["Copy"]); ok && n > 0 {
		copied = uint64(n)
	}
	if n, ok := r.number(own["Attempt"]); ok && n > 0 {
		attempt = int(n)
	}
	return copied, attempt, r.text(own["Fingerprint"])
}
