package pdf

import (
	"cmp"
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"readymargin/core/annotation"
	"readymargin/core/document"
	"readymargin/core/page"

	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/model"
	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/types"
)

// tags are what a file that is printed says of its structure (ISO 32000-2, 14.7): which
// element holds which pieces of the pages, forms and annotations.
type tags struct {
	pages   []document.Tagged
	known   bool // the file has a structure, to which only what is laid on it is added
	first   int  // key in the parent tree
	holds   map[place][]types.Object
	parents []parent // by their keys, from first
	whole   map[int]bool
	used    map[types.IndirectRef]bool // forms that are marked within themselves
	pieces  map[int]int                // how many pages have, with those that are laid on them
	grown   []grown
	spots   map[place]spot            // of what is laid on pages that the file has tagged
	refs    map[int]types.IndirectRef // of pages
	names   map[nameOn]int            // numbers of the elements of what is laid on pages
}

// A grown entry is one that the file's own parent tree has for a page, which gets what is
// laid on that as well.
type grown struct {
	parent
	key int
}

type nameOn struct {
	page int
	name string
}

// A place is an element by its page and its number there.
type place struct{ page, element int }

// A parent is one entry of the parent tree: the pieces of a stream, or the one that is an
// annotation.
type parent struct {
	page  int
	runs  []run
	annot bool
	own   bool // it is the page itself
}

// A run is a piece of a stream and the element that it is of. No two on a page have the
// same number, also where one is in a form: some readers take them for each other.
type run struct{ mcid, element int }

// wholePage is the number of the element of a page of which nothing more is known.
const wholePage = -1

// tag marks what the file itself paints on its pages.
func (p *printer) tag() error {
	p.tags = tags{pages: p.what.Tagged, holds: map[place][]types.Object{}, whole: map[int]bool{}, used: map[types.IndirectRef]bool{}, refs: map[int]types.IndirectRef{}, names: map[nameOn]int{}, pieces: map[int]int{}, spots: map[place]spot{}}
	if p.what.Tagged == nil {
		return nil
	}
	for i, t := range p.what.Tagged {
		t.Each(func(n int, e *document.Element) {
			if e.Laid != "" {
				p.tags.names[nameOn{i + 1, e.Laid}] = n
			}
		})
	}
	root, err := p.ctx.Catalog()
	if err != nil {
		return err
	}
	old, err := p.ctx.DereferenceDict(root["StructTreeRoot"])
	if err != nil {
		return err
	}
	p.tags.known = old != nil
	p.tags.first = p.nextKey(old)
	for n := 1; n <= p.ctx.PageCount; n++ {
		_, ref, _, err := p.ctx.PageDict(n, false)
		if err != nil || ref == nil {
			return fmt.Errorf("%w: page %d: %v", document.ErrDamaged, n, err)
		}
		p.tags.refs[n] = *ref
		if n > len(p.tags.pages) {
			continue
		}
		if p.tags.known {
			err = p.growPage(n)
		} else {
			err = p.tagPage(n)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// tagPage marks the content of a page. What cannot be followed is marked as a whole, and
// read in the order in which it is painted.
func (p *printer) tagPage(n int) error {
	dict, ref, inherited, err := p.ctx.PageDict(n, false)
	if err != nil {
		return err
	}
	stream, err := p.pageContent(dict)
	resources, none := p.resourcesOf(dict, inherited)
	var out []byte
	var runs []run
	laid := p.what.sheet(n).Runs
	pieces := len(laid)
	c := &content{printer: p, page: n, finder: newFinder(p.tags.pages[n-1]), pieces: &pieces, resources: resources, objects: types.Dict{}}
	follows := err == nil && none == nil
	if follows {
		out, runs, err = marked(stream, p.what.Boxes[n-1].FromUser(), &pieces, c.choose)
		follows = err == nil
	}
	p.tags.pieces[n] = pieces
	if !follows {
		runs = []run{{pieces, wholePage}}
		p.tags.pieces[n]++
	}
	key := p.tags.add(parent{page: n, runs: append(runs, laid...), own: true})
	for _, r := range append(runs, laid...) {
		p.tags.hold(n, r.element, types.Integer(r.mcid))
	}
	dict["StructParents"] = types.Integer(key)
	p.ctx.Write.IncrementWithObjNr(ref.ObjectNumber.Value())
	if !follows {
		p.tags.whole[n] = true
		return p.surround(n, fmt.Sprintf("/P <</MCID %d>> BDC\n", pieces), "\nEMC\n")
	}
	p.tags.settle(n, c.finder)
	if dict["Contents"], err = p.stream(pack(out), nil); err != nil {
		return err
	}
	if len(c.objects) > 0 {
		dict["Resources"], err = p.with(c.resources, "XObject", c.objects)
	}
	return err
}

// growPage gives what is laid on a page that is tagged its numbers, behind those that it
// has, and finds behind which of its pieces it stands.
func (p *printer) growPage(n int) error {
	dict, ref, inherited, err := p.ctx.PageDict(n, false)
	if err != nil {
		return err
	}
	s := p.what.sheet(n)
	key := dict.IntEntry("StructParents")
	if key == nil {
		p.tags.laidOn(n, *ref, dict, s.Runs)
		return nil
	}
	row, _, _ := p.row(*key)
	p.tags.pieces[n] = len(row)
	g := grown{parent{page: n}, *key}
	for _, r := range s.Runs {
		g.runs = append(g.runs, run{len(row) + r.mcid, r.element})
		p.tags.hold(n, r.element, types.Integer(len(row)+r.mcid))
	}
	if len(g.runs) > 0 {
		p.tags.grown = append(p.tags.grown, g)
	}
	p.locate(n, dict, inherited, row)
	return nil
}

// A spot is behind a piece of an element that the file has.
type spot struct {
	element types.IndirectRef
	mcid    int
}

// locate finds the spots of what is laid on a page: behind the word that is read before it.
// Where the page cannot be followed there are none.
func (p *printer) locate(n int, dict types.Dict, inherited *model.InheritedPageAttrs, row types.Array) {
	stream, err := p.pageContent(dict)
	if err != nil {
		return
	}
	l := locator{finder: newFinder(p.tags.pages[n-1]), at: map[int]int{}}
	if resources, err := p.resourcesOf(dict, inherited); err == nil {
		l.properties, _ = p.ctx.DereferenceDict(resources["Properties"])
	}
	l.number = func(o types.Object) *int {
		d, err := p.ctx.DereferenceDict(o)
		if err != nil || d == nil {
			return nil
		}
		return d.IntEntry("MCID")
	}
	if follow(stream, p.what.Boxes[n-1].FromUser(), &l) != nil {
		return
	}
	last := -1
	p.tags.pages[n-1].Each(func(i int, e *document.Element) {
		if mcid, ok := l.at[i]; ok {
			last = mcid
		}
		if e.Laid == "" || last < 0 || last >= len(row) {
			return
		}
		if ref, ok := row[last].(types.IndirectRef); ok {
			p.tags.spots[place{n, i}] = spot{ref, last}
		}
	})
}

// A locator finds the pieces in which the words of elements are.
type locator struct {
	finder     *finder
	properties types.Dict // by which pieces may have their numbers
	number     func(types.Object) *int
	open       []int       // the numbers of the pieces that are open, -1 for none
	at         map[int]int // the last piece of each element
}

func (l *locator) paints(p painting, _ page.Matrix) {
	if p.kind != paintsText || len(l.open) == 0 || l.open[len(l.open)-1] < 0 {
		return
	}
	if e := l.finder.text(p.start, p.goesOn); e >= 0 {
		l.at[e] = l.open[len(l.open)-1]
	}
}

var inlineNumber = regexp.MustCompile(`/MCID\s+(\d{1,6})\b`)

func (l *locator) bounds(operator string, operands [][]byte, _, _ int) error {
	switch operator {
	case "BMC", "BDC":
		n := -1
		if len(l.open) > 0 {
			n = l.open[len(l.open)-1]
		}
		if len(operands) > 1 {
			if m := inlineNumber.FindSubmatch(operands[1]); m != nil {
				n, _ = strconv.Atoi(string(m[1]))
			} else if named := l.number(l.properties[strings.TrimPrefix(string(operands[1]), "/")]); named != nil {
				n = *named
			}
		}
		l.open = append(l.open, n)
	case "EMC":
		if len(l.open) == 0 {
			return errContent
		}
		l.open = l.open[:len(l.open)-1]
	}
	return nil
}

// row returns the entry of a key in the file's own parent tree, where it stands, and what
// has to be written anew for it.
func (p *printer) row(key int) (row, entry types.Array, holders []types.Object) {
	p.eachParent(func(k int, at types.Array, above []types.Object) {
		if k == key {
			row, _ = p.ctx.DereferenceArray(at[1])
			entry, holders = at, above
		}
	})
	return row, entry, holders
}

// eachParent calls f with the entries of the file's own parent tree, a number tree (7.9.7):
// the key, the key and the value where they stand, and in what they lie, the nearest first.
func (p *printer) eachParent(f func(key int, entry types.Array, holders []types.Object)) {
	var walk func(o types.Object, above []types.Object, deep int)
	walk = func(o types.Object, above []types.Object, deep int) {
		d, err := p.ctx.DereferenceDict(o)
		if err != nil || d == nil || deep > maxStructureDepth {
			return
		}
		above = append([]types.Object{o}, above...)
		all, _ := p.ctx.DereferenceArray(d["Nums"])
		for i := 0; i+1 < len(all); i += 2 {
			if k, ok := all[i].(types.Integer); ok {
				f(int(k), all[i:i+2], append([]types.Object{d["Nums"]}, above...))
			}
		}
		kids, _ := p.ctx.DereferenceArray(d["Kids"])
		for _, k := range kids {
			walk(k, append([]types.Object{d["Kids"]}, above...), deep+1)
		}
	}
	root, err := p.ctx.DereferenceDict(p.ctx.RootDict["StructTreeRoot"])
	if err == nil && root != nil {
		walk(root["ParentTree"], []types.Object{p.ctx.RootDict["StructTreeRoot"], *p.ctx.Root}, 0)
	}
}

// laidOn says that pieces are those of a page that has no others.
func (t *tags) laidOn(n int, ref types.IndirectRef, page types.Dict, runs []run) {
	if t.pages == nil || len(runs) == 0 {
		return
	}
	t.refs[n] = ref
	page["StructParents"] = types.Integer(t.add(parent{page: n, runs: runs}))
	for _, r := range runs {
		t.hold(n, r.element, types.Integer(r.mcid))
	}
}

// numbered returns what is laid on a page with the numbers that its pieces have there.
func (t *tags) numbered(s composedSheet) []byte {
	behind := 0
	if t.known {
		behind = t.pieces[s.Page]
	}
	if behind == 0 {
		return s.Content
	}
	return mcid.ReplaceAllFunc(s.Content, func(m []byte) []byte {
		n, _ := strconv.Atoi(string(mcid.FindSubmatch(m)[1]))
		return fmt.Appendf(nil, "<</MCID %d>>", behind+n)
	})
}

// mcid matches the number of a piece as it is written here.
var mcid = regexp.MustCompile(`<</MCID (\d+)>>`)

// homeless returns operators that paint the look of a field that the file does not have,
// as what is read where its mark stands.
func (t *tags) homeless(f composedField, paints string) string {
	element, ok := t.laid(f.Page, f.Mark)
	if !ok || t.known {
		return paints
	}
	n := t.pieces[f.Page]
	t.pieces[f.Page]++
	t.hold(f.Page, element, types.Integer(n))
	for i, e := range t.parents {
		if e.page == f.Page && e.own {
			t.parents[i].runs = append(e.runs, run{n, element})
		}
	}
	return fmt.Sprintf("/Span <</MCID %d>> BDC %s EMC", n, paints)
}

// pageContent returns what a page paints: its streams, one behind the other.
func (p *printer) pageContent(dict types.Dict) ([]byte, error) {
	refs, err := p.contentRefs(dict["Contents"])
	if err != nil {
		return nil, err
	}
	var out []byte
	for _, r := range refs {
		sd, _, err := p.ctx.DereferenceStreamDict(r)
		if err != nil {
			return nil, err
		}
		if sd == nil {
			continue
		}
		one, err := contentOf(sd)
		if err != nil || len(out)+len(one) > mostContent {
			return nil, cmp.Or(err, errContent)
		}
		out = append(append(out, one...), '\n')
	}
	return out, nil
}

// settle gives what stands with the label of an item to the item itself, where all of it
// was painted at once.
func (t *tags) settle(n int, f *finder) {
	for label, body := range f.labels {
		if f.seen[body] || !f.seen[label] {
			continue
		}
		for i := range t.parents {
			for k, r := range t.parents[i].runs {
				if t.parents[i].page == n && r.element == label {
					t.parents[i].runs[k].element = body
				}
			}
		}
		t.holds[place{n, body}] = t.holds[place{n, label}]
		delete(t.holds, place{n, label})
	}
}

// add gives an entry of the parent tree its key.
func (t *tags) add(e parent) int {
	t.parents = append(t.parents, e)
	return t.first + len(t.parents) - 1
}

func (t *tags) hold(page, element int, what types.Object) {
	at := place{page, element}
	t.holds[at] = append(t.holds[at], what)
}

// markedStream adds a form whose pieces are those of elements of a page.
func (p *printer) markedStream(n int, z packed, entries types.Dict, runs []run) (types.IndirectRef, error) {
	if len(runs) == 0 {
		return p.stream(z, entries)
	}
	entries["StructParents"] = types.Integer(p.tags.add(parent{page: n, runs: runs}))
	ref, err := p.stream(z, entries)
	for _, r := range runs {
		p.tags.hold(n, r.element, types.Dict{"Type": types.Name("MCR"), "Stm": ref, "MCID": types.Integer(r.mcid)})
	}
	return ref, err
}

// annotation returns the key of an annotation that is of an element, see holdObject.
func (t *tags) annotation(n, element int) types.Integer {
	return types.Integer(t.add(parent{page: n, runs: []run{{0, element}}, annot: true}))
}

// holdObject says that an element holds an annotation.
func (t *tags) holdObject(n, element int, ref types.IndirectRef) {
	t.hold(n, element, types.Dict{"Type": types.Name("OBJR"), "Obj": ref})
}

// laid returns the number of the element of what is laid on a page.
func (t *tags) laid(n int, name string) (element int, ok bool) {
	element, ok = t.names[nameOn{n, name}]
	return element, ok
}

// extra adds an element behind those of a page, which is not among them yet.
func (t *tags) extra(n int, e document.Element) (element int) {
	count := 0
	t.pages[n-1].Each(func(int, *document.Element) { count++ })
	t.pages[n-1].Elements = append(t.pages[n-1].Elements, e)
	return count
}

// tagFields gives the fields and links that the file has by itself to their elements. One
// of which nothing is known is read behind its page.
func (p *printer) tagFields() error {
	for n := 1; n <= min(p.ctx.PageCount, len(p.tags.pages)) && !p.tags.known; n++ {
		dict, pageRef, _, err := p.ctx.PageDict(n, false)
		if err != nil {
			return err
		}
		annots, err := p.ctx.DereferenceArray(dict["Annots"])
		if err != nil {
			continue
		}
		for _, a := range annots {
			ref, ok := a.(types.IndirectRef)
			d, err := p.ctx.DereferenceDict(a)
			if err != nil || d == nil || !ok || d.Subtype() == nil || *d.Subtype() == "Popup" || flagsOf(d)&annotation.FlagHidden != 0 {
				continue
			}
			element, err := p.field(n, ref, d)
			if err != nil {
				return err
			}
			d["StructParent"] = p.tags.annotation(n, element)
			p.tags.holdObject(n, element, ref)
			p.changed(ref)
		}
		if len(annots) > 0 {
			dict["Tabs"] = types.Name("S")
			p.ctx.Write.IncrementWithObjNr(pageRef.ObjectNumber.Value())
		}
	}
	return nil
}

func flagsOf(d types.Dict) int {
	if f := d.IntEntry("F"); f != nil {
		return *f
	}
	return 0
}

// field returns the element of an annotation that the file has, and sees to it that it
// says what it is (ISO 14289-1, 7.18).
func (p *printer) field(n int, ref types.IndirectRef, d types.Dict) (element int, err error) {
	r, _ := rectOf(p.ctx, d)
	from := p.what.Boxes[n-1].FromUser()
	box := page.Bounds(from.Apply(r.Min), from.Apply(r.Max))
	switch *d.Subtype() {
	case "Widget":
		field, _, err := p.fieldDict(ref, d)
		if err != nil {
			return 0, err
		}
		name := cmp.Or(p.said(field["TU"]), p.said(field["T"]), "Field")
		element = -1
		p.tags.pages[n-1].Each(func(i int, e *document.Element) {
			if e.Role == document.RoleForm && e.Box.Center().Dist(box.Center()) < 3 && element < 0 {
				element, name = i, cmp.Or(e.Says, name)
			}
		})
		if field["TU"] == nil {
			field["TU"] = text(name)
			p.changed(ref)
		}
		if element >= 0 {
			return element, nil
		}
		return p.tags.extra(n, document.Element{Role: document.RoleForm, Says: name, Box: box}), nil
	case "Link":
		if d["Contents"] == nil {
			action, err := p.ctx.DereferenceDict(d["A"])
			if err != nil {
				return 0, err
			}
			d["Contents"] = text(cmp.Or(p.said(action["URI"]), "Link"))
		}
		return p.tags.extra(n, document.Element{Role: document.RoleLink}), nil
	}
	return p.tags.extra(n, document.Element{Role: document.RoleAnnot}), nil
}

// said reads a text of the file, "" for none.
func (p *printer) said(o types.Object) string {
	if o == nil {
		return ""
	}
	s, err := p.ctx.DereferenceText(o)
	if err != nil {
		return ""
	}
	return s
}

// nextKey is the first key that a parent tree does not have.
func (p *printer) nextKey(root types.Dict) int {
	next := 0
	if n := root.IntEntry("ParentTreeNextKey"); n != nil {
		next = *n
	}
	p.eachParent(func(key int, _ types.Array, _ []types.Object) { next = max(next, key+1) })
	return next
}
