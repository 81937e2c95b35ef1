package pdf

import (
	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/types"
)

// What readers aloud go by is the structure of a file (ISO 32000-2, 14.7): a
// tree of elements whose leaves are marked pieces of pages. Of it comes along
// what stands on bound pages. A text that an element brings instead of what is
// on the page (Alt, ActualText, E) comes along only where all of it is bound:
// it may say what is on a page that is held back.

// Bounds of a structure: what is deeper, or more, is left behind.
const (
	maxStructureDepth = 100
	maxStructure      = 200_000 // elements
)

// structured copies the structure of one of the old files. kids are elements
// at the top, parents the way back from pages and annotations to elements.
type structured struct {
	*sourceFile
	count   int
	parents *parentTree
}

// A parentTree is the way back from what stands on pages to the elements
// (ISO 32000-2, 14.7.5.4), by the number that a page or an annotation has.
type parentTree struct {
	next  int
	pages map[types.IndirectRef]int                       // numbers of pages
	of    map[types.IndirectRef]map[int]types.IndirectRef // elements by page and marked content
	objs  map[int]types.IndirectRef                       // elements of annotations, by their number
}

func newParentTree() *parentTree {
	return &parentTree{pages: map[types.IndirectRef]int{}, of: map[types.IndirectRef]map[int]types.IndirectRef{}, objs: map[int]types.IndirectRef{}}
}

// marked notes that an element holds a piece of a page.
func (t *parentTree) marked(page types.IndirectRef, mcid int, element types.IndirectRef) {
	if _, known := t.pages[page]; !known {
		t.pages[page] = t.next
		t.of[page] = map[int]types.IndirectRef{}
		t.next++
	}
	t.of[page][mcid] = element
}

// nums returns the entries of the tree, by number.
func (t *parentTree) nums(b *assembly) types.Array {
	at := make([]types.Object, t.next)
	for page, n := range t.pages {
		most := -1
		for mcid := range t.of[page] {
			most = max(most, mcid)
		}
		row := make(types.Array, most+1)
		for mcid, e := range t.of[page] {
			row[mcid] = e
		}
		at[n] = b.add(row)
	}
	for n, e := range t.objs {
		at[n] = e
	}
	out := types.Array{}
	for n, o := range at {
		out = append(out, types.Integer(n), o)
	}
	return out
}

// structure puts the structure of the old files into the new one's root.
func (b *assembly) structure(root types.Dict, files []*sourceFile) {
	self, parents := b.reserve(), newParentTree()
	kids, roles := types.Array{}, types.Dict{}
	for _, f := range files {
		if f == nil || f.ctx == nil {
			continue
		}
		if lang, err := f.ctx.DereferenceText(f.ctx.RootDict["Lang"]); err == nil && root["Lang"] == nil && len(lang) > 0 && len(lang) < 40 {
			root["Lang"] = types.NewHexLiteral(utf16Text(lang))
		}
		old, err := f.ctx.DereferenceDict(f.ctx.RootDict["StructTreeRoot"])
		if err != nil || old == nil {
			continue
		}
		s := &structured{sourceFile: f, parents: parents}
		for _, k := range s.list(old["K"]) {
			if ref, _ := s.element(k, self, nil, 0); ref != nil {
				kids = append(kids, *ref)
			}
		}
		if r, err := f.ctx.DereferenceDict(old["RoleMap"]); err == nil {
			for k, v := range r {
				if name, ok := v.(types.Name); ok && roles[k] == nil {
					roles[k] = name
				}
			}
		}
	}
	if len(kids) == 0 {
		return
	}
	out := types.Dict{"Type": types.Name("StructTreeRoot"), "K": kids, "ParentTree": b.add(types.Dict{"Nums": parents.nums(b)}), "ParentTreeNextKey": types.Integer(parents.next)}
	if len(roles) > 0 {
		out["RoleMap"] = roles
	}
	b.put(self, out)
	for page, n := range parents.pages {
		b.pageDicts[page]["StructParents"] = types.Integer(n)
	}
	root["StructTreeRoot"], root["MarkInfo"] = self, types.Dict{"Marked": types.Boolean(true)}
}

func (s *structured) list(o types.Object) types.Array {
	o, err := s.ctx.Dereference(o)
	if err != nil || o == nil {
		return nil
	}
	if a, ok := o.(types.Array); ok {
		return a
	}
	return types.Array{o}
}

// element copies an element with what of it stands on bound pages, or returns
// nil when nothing does; whole says that nothing of it was left behind. page is
// what the element above is about, if it says so.
func (s *structured) element(o types.Object, parent types.IndirectRef, page *types.IndirectRef, depth int) (ref *types.IndirectRef, whole bool) {
	old, err := s.ctx.DereferenceDict(o)
	if s.count++; err != nil || old == nil || old["S"] == nil || depth > maxStructureDepth || s.count > maxStructure {
		return nil, false
	}
	if pg, ok := old["Pg"].(types.IndirectRef); ok {
		page = &pg
	}
	self := s.reserve()
	kids, whole := types.Array{}, true
	for _, k := range s.list(old["K"]) {
		kid, all := s.kid(k, self, page, depth)
		if whole = whole && all; kid != nil {
			kids = append(kids, kid)
		}
	}
	if len(kids) == 0 {
		return nil, false
	}
	out := types.Dict{"Type": types.Name("StructElem"), "S": old["S"], "P": parent, "K": kids}
	if page != nil {
		if bound, ok := s.pages[page.ObjectNumber.Value()]; ok {
			out["Pg"] = bound
		}
	}
	said := []string{"Lang", "A", "C"}
	if whole {
		said = append(said, "Alt", "ActualText", "E")
	}
	for _, k := range said {
		if c, err := s.copy(old[k]); err == nil && c != nil {
			out[k] = c
		}
	}
	s.put(self, out)
	return &self, whole
}

// kid copies one entry of an element: a piece of a page by its number, one
// that names its page, an annotation, or a further element.
func (s *structured) kid(o types.Object, self types.IndirectRef, page *types.IndirectRef, depth int) (types.Object, bool) {
	at, err := s.ctx.Dereference(o)
	if err != nil {
		return nil, false
	}
	switch k := at.(type) {
	case types.Integer:
		bound, ok := s.bound(page)
		if !ok || k < 0 || k > 1<<16 {
			return nil, false
		}
		s.parents.marked(bound, int(k), self)
		return k, true
	case types.Dict:
		if pg, ok := k["Pg"].(types.IndirectRef); ok {
			page = &pg
		}
		kind, _ := k["Type"].(types.Name)
		switch {
		case kind == "MCR":
			mcid, ok := k["MCID"].(types.Integer)
			bound, there := s.bound(page)
			if !ok || !there || mcid < 0 || mcid > 1<<16 || k["Stm"] != nil {
				return nil, false
			}
			s.parents.marked(bound, int(mcid), self)
			return types.Dict{"Type": kind, "Pg": bound, "MCID": mcid}, true
		case kind == "OBJR":
			obj, ok := k["Obj"].(types.IndirectRef)
			moved, came := s.annots[obj.ObjectNumber.Value()]
			bound, there := s.bound(page)
			if !ok || !came || !there {
				return nil, false
			}
			n := s.parents.next
			s.parents.next++
			s.parents.objs[n] = self
			moved.dict["StructParent"] = types.Integer(n)
			s.put(moved.ref, moved.dict)
			return types.Dict{"Type": kind, "Pg": bound, "Obj": moved.ref}, true
		}
		ref, whole := s.element(o, self, page, depth+1)
		if ref == nil {
			return nil, false
		}
		return *ref, whole
	}
	return nil, false
}

func (s *structured) bound(page *types.IndirectRef) (types.IndirectRef, bool) {
	if page == nil {
		return types.IndirectRef{}, false
	}
	ref, ok := s.pages[page.ObjectNumber.Value()]
	return ref, ok
}
