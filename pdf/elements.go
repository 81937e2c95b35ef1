package pdf

import (
	"maps"
	"slices"

	"readymargin/core/document"
	"readymargin/core/page"

	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/types"
)

// structure writes the elements that hold something, and the way back to them.
func (p *printer) structure() error {
	if p.what.Tagged == nil {
		return nil
	}
	w := elementWriter{printer: p, refs: map[place]types.IndirectRef{}, inserted: map[spot]int{}}
	root, err := p.ctx.Catalog()
	if err != nil {
		return err
	}
	role := types.Name("Document")
	var tree types.Dict
	var treeRef types.IndirectRef
	if p.tags.known {
		role = types.Name(document.RoleSection)
		if tree, err = p.ctx.DereferenceDict(root["StructTreeRoot"]); err != nil {
			return err
		}
		treeRef, _ = root["StructTreeRoot"].(types.IndirectRef)
	} else {
		tree = types.Dict{"Type": types.Name("StructTreeRoot")}
		if treeRef, err = p.many(tree); err != nil {
			return err
		}
	}
	top := types.Dict{"Type": types.Name("StructElem"), "S": role, "P": treeRef}
	topRef, err := p.many(top)
	if err != nil {
		return err
	}
	kids := types.Array{}
	for n := 1; n <= len(p.tags.pages); n++ {
		w.page, w.next = n, 0
		if p.tags.whole[n] {
			ref, err := w.write(document.Element{Role: document.RoleParagraph}, wholePage, topRef, nil)
			if err != nil {
				return err
			}
			kids = append(kids, ref)
		}
		more, err := w.all(p.tags.pages[n-1].Elements, topRef)
		if err != nil {
			return err
		}
		kids = append(kids, more...)
	}
	top["K"] = kids
	nums := types.Array{}
	for i, e := range p.tags.parents {
		var to types.Object
		if row := w.row(e); e.annot {
			to = row[0]
		} else if to, err = p.many(row); err != nil {
			return err
		}
		nums = append(nums, types.Integer(p.tags.first+i), to)
	}
	next := types.Integer(p.tags.first + len(p.tags.parents))
	if p.tags.known {
		for _, g := range p.tags.grown {
			row, entry, holders := p.row(g.key)
			if entry == nil {
				continue
			}
			more := w.row(g.parent)
			if entry[1], err = p.many(append(slices.Clone(row), more[len(row):]...)); err != nil {
				return err
			}
			p.changed(holders[0], holders[1:]...)
		}
		var more types.Array // what stands nowhere in it
		if len(kids) > 0 {
			more = types.Array{topRef}
		}
		return p.addTo(tree, treeRef, more, nums, next)
	}
	tree["K"], tree["ParentTreeNextKey"] = types.Array{topRef}, next
	if tree["ParentTree"], err = p.many(types.Dict{"Nums": nums}); err != nil {
		return err
	}
	root["StructTreeRoot"], root["MarkInfo"] = treeRef, types.Dict{"Marked": types.Boolean(true)}
	return nil
}

// addTo adds elements to the structure that a file has.
func (p *printer) addTo(tree types.Dict, treeRef types.IndirectRef, more, nums types.Array, next types.Integer) error {
	kids, err := p.ctx.Dereference(tree["K"])
	if err != nil {
		return err
	}
	all, several := kids.(types.Array)
	if !several && tree["K"] != nil {
		all = types.Array{tree["K"]}
	}
	tree["K"], tree["ParentTreeNextKey"] = append(slices.Clone(all), more...), next
	p.changed(treeRef, *p.ctx.Root)
	if len(nums) == 0 {
		return nil
	}
	ways, err := p.ctx.DereferenceDict(tree["ParentTree"])
	if err != nil {
		return err
	}
	if ways == nil {
		tree["ParentTree"] = types.Dict{"Nums": nums}
		return nil
	}
	p.changed(tree["ParentTree"], treeRef)
	if branches, err := p.ctx.DereferenceArray(ways["Kids"]); err == nil && branches != nil {
		leaf, err := p.many(types.Dict{"Nums": nums, "Limits": types.Array{nums[0], nums[len(nums)-2]}})
		ways["Kids"] = append(slices.Clone(branches), leaf)
		return err
	}
	own, err := p.ctx.DereferenceArray(ways["Nums"])
	ways["Nums"] = append(slices.Clone(own), nums...)
	return err
}

// An elementWriter writes the elements of a page, in the order of their numbers.
type elementWriter struct {
	*printer
	page, next int
	refs       map[place]types.IndirectRef
	inserted   map[spot]int // how many elements stand behind a piece by now
}

// row returns the elements that an entry of the parent tree leads to.
func (w *elementWriter) row(e parent) types.Array {
	most := -1
	for _, r := range e.runs {
		most = max(most, r.mcid)
	}
	out := make(types.Array, most+1)
	for _, r := range e.runs {
		if ref, ok := w.refs[place{e.page, r.element}]; ok {
			out[r.mcid] = ref
		}
	}
	return out
}

// all writes elements, but for those that hold nothing.
func (w *elementWriter) all(elements []document.Element, above types.IndirectRef) (kids types.Array, err error) {
	for _, e := range elements {
		number := w.next
		if !w.full(e, &w.next) {
			continue
		}
		after := w.next
		w.next = number + 1
		if at, ok := w.tags.spots[place{w.page, number}]; ok {
			if err := w.insert(e, number, at); err != nil {
				return nil, err
			}
			w.next = after
			continue
		}
		ref, err := w.write(e, number, above, e.Kids)
		if err != nil {
			return nil, err
		}
		w.next = after
		kids = append(kids, ref)
	}
	return kids, nil
}

// insert writes an element into one that the file has, behind a piece of it and what was
// put there before.
func (w *elementWriter) insert(e document.Element, number int, at spot) error {
	if e.Role == document.RoleParagraph {
		e.Role = document.RoleSpan // it stands within another
	}
	ref, err := w.write(e, number, at.element, nil)
	if err != nil {
		return err
	}
	d, err := w.ctx.DereferenceDict(at.element)
	if err != nil || d == nil {
		return err
	}
	was, err := w.ctx.Dereference(d["K"])
	if err != nil {
		return err
	}
	kids, several := was.(types.Array)
	if !several {
		kids = types.Array{d["K"]}
	}
	i := slices.IndexFunc(kids, func(k types.Object) bool {
		if n, ok := k.(types.Integer); ok {
			return int(n) == at.mcid
		}
		o, err := w.ctx.DereferenceDict(k)
		if err != nil || o == nil || o["Stm"] != nil {
			return false
		}
		n := o.IntEntry("MCID")
		return n != nil && *n == at.mcid
	})
	if i < 0 {
		i = len(kids) - 1
	}
	w.inserted[at]++
	d["K"] = slices.Insert(slices.Clone(kids), min(i+w.inserted[at], len(kids)), types.Object(ref))
	w.changed(at.element)
	return nil
}

// full reports whether an element holds something, and counts it and those within. All
// cells of a table are there where one holds something.
func (w *elementWriter) full(e document.Element, next *int) bool {
	some := len(w.tags.holds[place{w.page, *next}]) > 0
	*next++
	for _, k := range e.Kids {
		some = w.full(k, next) || some
	}
	return some || e.Role == document.RoleRow || e.Role == document.RoleCell || e.Role == document.RoleHead
}

func (w *elementWriter) write(e document.Element, number int, above types.IndirectRef, within []document.Element) (types.IndirectRef, error) {
	d := types.Dict{"Type": types.Name("StructElem"), "S": types.Name(e.Role), "P": above}
	at, there := w.tags.refs[w.page]
	if there {
		d["Pg"] = at
	}
	switch {
	case e.Says == "":
	case e.Role == document.RoleFigure || e.Role == document.RoleForm:
		d["Alt"] = text(e.Says)
	default:
		d["ActualText"] = text(e.Says)
	}
	if e.Laid != "" && w.what.Copy > 0 {
		d[copyKey] = types.Integer(w.what.Copy)
	}
	if e.Role == document.RoleFigure {
		to := w.what.Boxes[min(w.page, len(w.what.Boxes))-1].ToUser()
		if w.page > len(w.what.Boxes) {
			to = page.Box{Crop: w.what.Paper}.ToUser()
		}
		d["A"] = types.Dict{"O": types.Name("Layout"), "BBox": rectangle(page.Bounds(to.Apply(e.Box.Min), to.Apply(e.Box.Max)))}
	}
	if e.Role == document.RoleHead {
		d["A"] = types.Dict{"O": types.Name("Table"), "Scope": types.Name("Column")}
	}
	ref, err := w.many(d)
	if err != nil {
		return ref, err
	}
	w.refs[place{w.page, number}] = ref
	own := types.Array{}
	for _, o := range w.tags.holds[place{w.page, number}] {
		if k, ok := o.(types.Dict); ok && there {
			k = maps.Clone(k)
			k["Pg"] = at
			o = k
		}
		own = append(own, o)
	}
	kids, err := w.all(within, ref)
	if d["K"] = append(own, kids...); len(own)+len(kids) == 1 {
		d["K"] = append(own, kids...)[0]
	}
	if w.later != nil {
		w.later.done(ref)
	}
	return ref, err
}
