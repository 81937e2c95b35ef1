package pdf

import (
	"strings"
	"unicode/utf8"

	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/types"

	"readymargin/core/document"
	"readymargin/core/page"
)

// Bounds of what leads through a file; what is deeper, or more, is left behind.
const (
	maxHeadDepth = 8
	maxHeads     = 2_000
	maxLinks     = 2_000
	maxTitle     = 200 // letters
)

// contents puts the outlines of the old files into the new one's root: of each
// the entries that lead to a bound page. The others' words may tell what is on
// a page that is held back; what is under them moves up.
func (b *assembly) contents(root types.Dict, files []*sourceFile) {
	var top []*entry
	for _, f := range files {
		if f == nil || f.ctx == nil {
			continue
		}
		old, err := f.ctx.DereferenceDict(f.ctx.RootDict["Outlines"])
		if err != nil || old == nil {
			continue
		}
		w := outline{sourceFile: f, seen: map[int]bool{}}
		top = append(top, w.under(old, 0)...)
	}
	if len(top) == 0 {
		return
	}
	self := b.reserve()
	first, last, n := b.entries(top, self)
	b.put(self, types.Dict{"Type": types.Name("Outlines"), "First": first, "Last": last, "Count": types.Integer(n)})
	root["Outlines"] = self
}

// An entry of an outline, with what is under it.
type entry struct {
	title string
	dest  types.Array
	under []*entry
}

type outline struct {
	*sourceFile
	seen map[int]bool // a file may lead in circles
}

// under returns the entries under an item of an old file.
func (w *outline) under(item types.Dict, depth int) (out []*entry) {
	next := item["First"]
	for next != nil && depth < maxHeadDepth && len(w.seen) < maxHeads {
		ref, ok := next.(types.IndirectRef)
		if !ok || w.seen[ref.ObjectNumber.Value()] {
			break
		}
		w.seen[ref.ObjectNumber.Value()] = true
		d, err := w.ctx.DereferenceDict(ref)
		if err != nil || d == nil {
			break
		}
		under := w.under(d, depth+1)
		own := types.Dict{}
		if w.target(d, own) && own["Dest"] != nil {
			out = append(out, &entry{w.title(d), w.pointed(own["Dest"].(types.Array)), under})
		} else {
			out = append(out, under...)
		}
		next = d["Next"]
	}
	return out
}

func (v *sourceFile) title(d types.Dict) string {
	text, err := v.ctx.DereferenceText(d["Title"])
	if err != nil || !utf8.ValidString(text) {
		return ""
	}
	text = strings.Join(strings.Fields(text), " ")
	if letters := []rune(text); len(letters) > maxTitle {
		text = string(letters[:maxTitle])
	}
	return text
}

// pointed returns a place on the new page for one on an old one.
func (v *sourceFile) pointed(dest types.Array) types.Array {
	out := dest.Clone().(types.Array)
	out[0] = v.pages[dest[0].(types.IndirectRef).ObjectNumber.Value()]
	for i, o := range out[1:] {
		if o, err := v.ctx.Dereference(o); err == nil {
			out[i+1] = o
		}
	}
	return out
}

// entries writes entries one behind the other, and returns how many there are.
func (b *assembly) entries(all []*entry, parent types.IndirectRef) (first, last types.IndirectRef, n int) {
	refs := make([]types.IndirectRef, len(all))
	for i := range all {
		refs[i] = b.reserve()
	}
	for i, e := range all {
		d := types.Dict{"Title": types.NewHexLiteral(utf16Text(e.title)), "Parent": parent, "Dest": e.dest}
		if i > 0 {
			d["Prev"] = refs[i-1]
		}
		if i+1 < len(all) {
			d["Next"] = refs[i+1]
		}
		if n++; len(e.under) > 0 {
			down, up, under := b.entries(e.under, refs[i])
			d["First"], d["Last"], d["Count"] = down, up, types.Integer(under)
			n += under
		}
		b.put(refs[i], d)
	}
	return refs[0], refs[len(refs)-1], n
}

// leads returns what leads through a file that assemble has made: there every
// target is a place on a page.
func leads(file []byte) (out document.Leads, err error) {
	b := &assembly{}
	v, err := b.open(file)
	if err != nil {
		return out, err
	}
	for i, number := range v.numbers {
		v.pages[number] = *types.NewIndirectRef(i+1, 0)
	}
	target := func(d types.Dict) (t document.Target, ok bool) {
		own := types.Dict{}
		if !v.target(d, own) || own["Dest"] == nil {
			return t, false
		}
		to := v.pointed(own["Dest"].(types.Array))
		t.Page = to[0].(types.IndirectRef).ObjectNumber.Value()
		at := map[string]int{"XYZ": 3, "FitH": 2, "FitBH": 2, "FitR": 5}
		if len(to) > 1 {
			if kind, ok := to[1].(types.Name); ok && at[string(kind)] > 0 && at[string(kind)] < len(to) {
				if y, ok := numeric(to[at[string(kind)]]); ok {
					t.Top = &y
				}
			}
		}
		return t, true
	}
	var walk func(item types.Dict, depth int)
	walk = func(item types.Dict, depth int) {
		for next := item["First"]; next != nil && depth < maxHeadDepth && len(out.Heads) < maxHeads; {
			d, err := v.ctx.DereferenceDict(next)
			if err != nil || d == nil {
				return
			}
			title := v.title(d)
			if t, ok := target(d); ok && title != "" {
				out.Heads = append(out.Heads, document.Head{Title: title, Depth: depth, To: t})
			}
			walk(d, depth+1)
			next = d["Next"]
		}
	}
	if top, err := v.ctx.DereferenceDict(v.ctx.RootDict["Outlines"]); err == nil && top != nil {
		walk(top, 0)
	}
	for i, n := range v.numbers {
		p, err := v.ctx.DereferenceDict(*types.NewIndirectRef(n, 0))
		if err != nil || p == nil {
			continue
		}
		annots, _ := v.ctx.DereferenceArray(p["Annots"])
		for _, a := range annots {
			d, err := v.ctx.DereferenceDict(a)
			if err != nil || d == nil || d.Subtype() == nil || *d.Subtype() != "Link" || len(out.Links) >= maxLinks {
				continue
			}
			corners, err := v.ctx.DereferenceArray(d["Rect"])
			t, ok := target(d)
			if err != nil || len(corners) != 4 || !ok {
				continue
			}
			var c [4]float64
			for k := range c {
				c[k], _ = numeric(corners[k])
			}
			out.Links = append(out.Links, document.Link{Page: i + 1, Rect: page.Bounds(page.Pt(c[0], c[1]), page.Pt(c[2], c[3])), To: t})
		}
	}
	return out, nil
}

func numeric(o types.Object) (float64, bool) {
	switch n := o.(type) {
	case types.Integer:
		return float64(n), true
	case types.Float:
		return float64(n), true
	}
	return 0, false
}
