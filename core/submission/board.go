package submission

import (
	"cmp"
	"slices"

	"readymargin/core/ink"
	"readymargin/core/mark"
	"readymargin/core/page"
)

// An Entry is a mark that lies on a board.
type Entry struct {
	Shown
	Layer Layer
}

// A Diff is what became of a board: versions that are not shown any more, and
// entries that are new, or stand in another light than before.
type Diff struct {
	Gone []string
	Put  []Entry
}

// A Board holds what is present on a copy, of all layers that somebody sees. It
// takes the same operations as the server, by the same rules, and so shows the
// same whenever it has taken the same, in whatever order. The zero value is
// empty.
type Board struct {
	taken, bases map[string]bool
	heads        map[string]onBoard
	byMark       map[string][]string // the heads of a mark, removals too
	shown        map[string]Entry
	order        []string // what is shown, from back to front
	gone         []string // since the last settling
}

type onBoard struct {
	Head
	layer Layer
}

func (b *Board) Taken(op string) bool    { return b.taken[op] }
func (b *Board) MadeOn(base string) bool { return b.bases[base] }

// Clear takes everything away.
func (b *Board) Clear() {
	*b = Board{map[string]bool{}, map[string]bool{}, map[string]onBoard{}, map[string][]string{}, map[string]Entry{}, nil, nil}
}

// Apply takes an operation of a layer.
func (b *Board) Apply(l Layer, o Op) (Diff, error) {
	if err := o.Valid(); err != nil {
		return Diff{}, err
	}
	if b.heads == nil {
		b.Clear()
	}
	c := Decide(b, o)
	b.taken[o.ID], b.bases[o.Base] = true, true
	if c.Known { // laid there as what is present; what it was made on may have come behind it
		b.drop(o.Base)
		return b.settle(o.On), nil
	}
	b.drop(c.Drop)
	if c.Head != nil {
		b.add(l, *c.Head)
	}
	return b.settle(o.On), nil
}

// Put lays a version that is present, as the server has it, on the board.
func (b *Board) Put(l Layer, version string, m mark.Mark) Diff {
	if b.heads == nil {
		b.Clear()
	}
	b.drop(version)
	b.taken[version] = true
	b.add(l, Head{Op: version, On: m.ID, Mark: &m})
	return b.settle(m.ID)
}

// Lay lays a mark on the board that no operation changes: of an attempt that
// was fixed, or one that is only being moved about.
func (b *Board) Lay(l Layer, version string, m mark.Mark) Diff {
	if b.heads == nil {
		b.Clear()
	}
	b.drop(version)
	b.add(l, Head{Op: version, On: version, Mark: &m})
	return b.settle(version)
}

// Drop takes a version away that is present no more.
func (b *Board) Drop(version string) Diff {
	h, there := b.heads[version]
	if !there {
		return Diff{}
	}
	b.drop(version)
	return b.settle(h.On)
}

// Base returns what the next change of a mark is made on: its newest version,
// or the operation that removed it; "" when there was none.
func (b *Board) Base(on string) string {
	base := ""
	for _, v := range b.byMark[on] {
		base = max(base, v)
	}
	return base
}

// Entry returns what is shown of a version.
func (b *Board) Entry(version string) (Entry, bool) {
	e, ok := b.shown[version]
	return e, ok
}

// Find returns a mark of an ID as it is shown, of whatever layer.
func (b *Board) Find(id string) (mark.Mark, bool) {
	for _, v := range b.byMark[id] {
		if e, there := b.shown[v]; there && !e.Conflict {
			return e.Mark, true
		}
	}
	for _, e := range b.shown { // marks of an attempt lie under their version
		if e.Mark.ID == id && !e.Conflict {
			return e.Mark, true
		}
	}
	return mark.Mark{}, false
}

// Present returns what a layer shows, in the order of Present.
func (b *Board) Present(l Layer) []Shown {
	var heads []Head
	for _, h := range b.heads {
		if h.layer == l {
			heads = append(heads, h.Head)
		}
	}
	return Present(heads)
}

func (b *Board) add(l Layer, h Head) {
	b.heads[h.Op] = onBoard{h, l}
	b.byMark[h.On] = append(b.byMark[h.On], h.Op)
}

func (b *Board) drop(version string) {
	h, there := b.heads[version]
	if !there {
		return
	}
	delete(b.heads, version)
	b.byMark[h.On] = slices.DeleteFunc(b.byMark[h.On], func(v string) bool { return v == version })
	if b.hide(version) {
		b.gone = append(b.gone, version)
	}
}

// settle brings what is shown of a mark in line with its heads.
func (b *Board) settle(on string) Diff {
	d := Diff{Gone: b.gone}
	b.gone = nil
	heads := make([]Head, 0, len(b.byMark[on]))
	for _, v := range b.byMark[on] {
		heads = append(heads, b.heads[v].Head)
	}
	for _, s := range versions(heads) {
		if was, there := b.shown[s.Version]; there && was.Conflict == s.Conflict {
			continue
		}
		e := Entry{s, b.heads[s.Version].layer}
		b.hide(s.Version)
		b.show(e)
		d.Put = append(d.Put, e)
	}
	return d
}

// before says whether a lies behind c: by rank, and then by the time at which
// each mark was first put.
func before(a, c Entry) int {
	return cmp.Or(cmp.Compare(a.Mark.Rank, c.Mark.Rank), cmp.Compare(a.Mark.ID, c.Mark.ID), cmp.Compare(a.Version, c.Version))
}

func (b *Board) show(e Entry) {
	b.shown[e.Version] = e
	i, _ := slices.BinarySearchFunc(b.order, e, func(v string, e Entry) int { return before(b.shown[v], e) })
	b.order = slices.Insert(b.order, i, e.Version)
}

func (b *Board) hide(version string) bool {
	e, there := b.shown[version]
	if !there {
		return false
	}
	i, _ := slices.BinarySearchFunc(b.order, e, func(v string, e Entry) int { return before(b.shown[v], e) })
	b.order = slices.Delete(b.order, i, i+1)
	delete(b.shown, version)
	return true
}

// On returns what is shown of some layers on a page, from back to front.
func (b *Board) On(layers []Layer, n int) (out []Entry) {
	for _, v := range b.order {
		if e := b.shown[v]; e.Mark.Page == n && slices.Contains(layers, e.Layer) {
			out = append(out, e)
		}
	}
	return out
}

// Of returns all marks that a layer shows, from back to front.
func (b *Board) Of(l Layer) (out []mark.Mark) {
	for _, v := range b.order {
		if e := b.shown[v]; e.Layer == l {
			out = append(out, e.Mark)
		}
	}
	return out
}

// Hit returns the version of the foremost mark within reach of a place, the
// nearest among those; "" when there is none. What is under the place itself
// wins over what is only near.
func (b *Board) Hit(layers []Layer, n int, p page.Point, reach float64) (version string) {
	on := b.On(layers, n)
	for _, e := range slices.Backward(on) {
		if !e.Mark.Body.Bounds().Grow(reach + 1).Contains(p) {
			continue
		}
		d := e.Mark.Body.Distance(p)
		if d == 0 {
			return e.Version
		}
		if d < reach {
			version, reach = e.Version, d
		}
	}
	return version
}

// Within returns the versions of the marks whose middle lies in a loop, or all
// of the page when the loop has no area.
func (b *Board) Within(layers []Layer, n int, loop []page.Point) []string {
	found := []string{}
	for _, e := range b.On(layers, n) {
		if _, paper := e.Mark.Body.(*mark.Paper); !paper && (len(loop) < 3 || page.Inside(loop, e.Mark.Body.Bounds().Center())) {
			found = append(found, e.Version)
		}
	}
	return found
}

// Rubbed returns what a rubber leaves of the drawings that it touched, by
// version: nil when nothing is left.
func (b *Board) Rubbed(layers []Layer, n int, rub ink.Rub) (order []string, left map[string]*mark.Mark) {
	left = map[string]*mark.Mark{}
	for _, e := range b.On(layers, n) {
		drawn, ok := e.Mark.Body.(*mark.Ink)
		if !ok {
			continue
		}
		switch now := drawn.Rubbing(rub); now {
		case drawn:
			continue
		case nil:
			left[e.Version] = nil
		default:
			m := e.Mark
			m.Body = now
			left[e.Version] = &m
		}
		order = append(order, e.Version)
	}
	return order, left
}
