// Package submission knows a student's copy of a worksheet: its layers, the
// operations that change it, what is present after them, and the attempts
// that were fixed. It does not know tables or sockets.
//
// An operation names the operation it was made on (its base). The operations
// on one mark so form a tree, and the present is the tree's leaves. That is
// why operations may arrive twice and in any order and still give the same
// present: the order of arrival is never asked.
package submission

import (
	"cmp"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"readymargin/core/mark"
)

// A Layer is a part of a copy with one owner. Nobody writes in another's layer.
type Layer string

// The layers. There is one feedback layer for each attempt; see Feedback.
const (
	Sheet   Layer = "sheet"   // the teacher's, the same for every copy
	Work    Layer = "work"    // the student's
	Replies Layer = "replies" // the student's answers to feedback; seen by the teachers at once
	Own     Layer = "own"     // private to its author
	Among   Layer = "among"   // what those who mark say to each other; no student sees it
)

// Feedback returns the layer in which teachers speak about attempt n.
func Feedback(n int) Layer { return Layer("feedback." + strconv.Itoa(n)) }

// Attempt returns the number of the attempt that a feedback layer is about,
// and 0 for every other layer.
func (l Layer) Attempt() int {
	rest, ok := strings.CutPrefix(string(l), "feedback.")
	n, err := strconv.Atoi(rest)
	if !ok || err != nil || n < 1 || n > 999 || Feedback(n) != l { // "feedback.01" would be a layer that nobody reads
		return 0
	}
	return n
}

// Known reports whether l is the name of a layer.
func (l Layer) Known() bool {
	return l == Sheet || l == Work || l == Replies || l == Own || l == Among || l.Attempt() > 0
}

// An Op changes one mark: with a Mark it puts it (anew or changed), without
// one it removes it.
type Op struct {
	ID   string     `json:"id"`             // made by the browser; sorts by the time of its making
	On   string     `json:"on"`             // the mark's ID
	Base string     `json:"base,omitempty"` // the operation that this one was made on; "" for a new mark
	Mark *mark.Mark `json:"mark,omitempty"`
}

// ErrOp is wrapped by every error of Valid.
var ErrOp = errors.New("submission: invalid operation")

// Valid says why the operation cannot be taken, or nil.
func (o Op) Valid() error {
	switch {
	case !mark.ValidID(o.ID) || !mark.ValidID(o.On):
		return fmt.Errorf("%w: names %q, %q", ErrOp, o.ID, o.On)
	case o.Base != "" && !mark.ValidID(o.Base) || o.Base == o.ID:
		return fmt.Errorf("%w: base %q", ErrOp, o.Base)
	case o.Mark == nil && o.Base == "":
		return fmt.Errorf("%w: removes what was never put", ErrOp)
	case o.Mark != nil && o.Mark.ID != o.On:
		return fmt.Errorf("%w: puts %q as %q", ErrOp, o.Mark.ID, o.On)
	}
	if o.Mark != nil {
		return o.Mark.Valid()
	}
	return nil
}

// A Head is a leaf of a mark's tree: an operation that no other was made on.
type Head struct {
	Op   string     `json:"op"`
	On   string     `json:"on"`
	Mark *mark.Mark `json:"mark,omitempty"` // nil when removed
}

// A Shown is a mark that is present. Beside says that it lost to another
// version made elsewhere at the same time: it is shown faintly, to be taken
// or dropped.
type Shown struct {
	Version  string    `json:"version"` // the operation to name as base of the next change
	Mark     mark.Mark `json:"mark"`
	Conflict bool      `json:"conflict,omitempty"`
}

// Present returns what the heads of a layer show, by page, from back to front:
// by rank, and then by the time at which each mark was first put. Of several versions of one mark the
// latest made is the mark and the others stand beside it; a removal never
// hides a version that it did not know.
func Present(heads []Head) []Shown {
	byMark := map[string][]Head{}
	for _, h := range heads {
		byMark[h.On] = append(byMark[h.On], h)
	}
	var out []Shown
	for _, hs := range byMark {
		out = append(out, versions(hs)...)
	}
	slices.SortFunc(out, func(a, b Shown) int {
		return cmp.Or(cmp.Compare(a.Mark.Page, b.Mark.Page), cmp.Compare(a.Mark.Rank, b.Mark.Rank), cmp.Compare(a.Mark.ID, b.Mark.ID), cmp.Compare(a.Version, b.Version))
	})
	return out
}

// versions returns what the heads of one mark show.
func versions(heads []Head) (out []Shown) {
	latest := ""
	for _, h := range heads {
		if h.Mark != nil {
			latest = max(latest, h.Op)
		}
	}
	for _, h := range heads {
		if h.Mark != nil {
			out = append(out, Shown{Version: h.Op, Mark: *h.Mark, Conflict: h.Op != latest})
		}
	}
	return out
}

// A Change is what an operation does to the heads of its layer.
type Change struct {
	Known bool   // the operation was taken before: nothing to do
	Drop  string // the head that it replaces, or ""
	Head  *Head  // the head that it adds, or nil when a later operation was already made on it
}

// History answers what Decide must know of the operations taken so far.
type History interface {
	Taken(op string) bool    // whether an operation of this name was taken
	MadeOn(base string) bool // whether an operation with this base was taken
}

// Decide says what taking o does, given what was taken before.
func Decide(h History, o Op) Change {
	if h.Taken(o.ID) {
		return Change{Known: true}
	}
	c := Change{Drop: o.Base}
	if !h.MadeOn(o.ID) {
		c.Head = &Head{Op: o.ID, On: o.On, Mark: o.Mark}
	}
	return c
}

// Enclosed returns the hashes of the sounds, the trails and the pictures that marks show, sorted.
func Enclosed(marks []mark.Mark) []string {
	var v enclosed
	for _, m := range marks {
		m.Visit(&v)
	}
	slices.Sort(v)
	return slices.Compact(v)
}

type enclosed []string

func (e *enclosed) add(v *mark.Voice) {
	if v == nil {
		return
	}
	*e = append(*e, v.Sound)
	if v.Trail != "" {
		*e = append(*e, v.Trail)
	}
}
func (e *enclosed) FreeText(mark.Mark, *mark.FreeText)   {}
func (e *enclosed) Ink(mark.Mark, *mark.Ink)             {}
func (e *enclosed) Highlight(mark.Mark, *mark.Highlight) {}
func (e *enclosed) Underline(mark.Mark, *mark.Underline) {}
func (e *enclosed) StrikeOut(mark.Mark, *mark.StrikeOut) {}
func (e *enclosed) Line(mark.Mark, *mark.Line)           {}
func (e *enclosed) PolyLine(mark.Mark, *mark.PolyLine)   {}
func (e *enclosed) Square(mark.Mark, *mark.Square)       {}
func (e *enclosed) Circle(mark.Mark, *mark.Circle)       {}
func (e *enclosed) Stamp(mark.Mark, *mark.Stamp)         {}
func (e *enclosed) Widget(mark.Mark, *mark.Widget)       {}
func (e *enclosed) Picture(_ mark.Mark, p *mark.Picture) { *e = append(*e, p.Hash) }
func (e *enclosed) Note(_ mark.Mark, n *mark.Note)       { e.add(n.Voice) }
func (e *enclosed) Paper(mark.Mark, *mark.Paper)         {}
func (e *enclosed) Reply(_ mark.Mark, r *mark.Reply)     { e.add(r.Voice) }

// A Snapshot is an attempt as it was submitted. Its canonical form never
// changes; the SHA-256 of that form is the attempt's fingerprint.
type Snapshot struct {
	Worksheet string      `json:"worksheet"` // SHA-256 of the sheet's PDF
	Number    int         `json:"attempt"`
	Sheet     []mark.Mark `json:"sheet,omitempty"` // the teacher's directions
	Marks     []mark.Mark `json:"marks"`
	Enclosed  []string    `json:"enclosed"` // sounds and pictures that the marks show
}

// NewSnapshot fixes what a layer shows, over what the teacher says on the
// sheet; versions standing beside go along, so that nothing that the student
// saw is missing.
func NewSnapshot(worksheet string, sheet []mark.Mark, number int, shown []Shown) Snapshot {
	s := Snapshot{Worksheet: worksheet, Number: number, Sheet: sheet, Marks: []mark.Mark{}, Enclosed: []string{}}
	for _, w := range shown {
		s.Marks = append(s.Marks, w.Mark)
	}
	s.Enclosed = append(s.Enclosed, Enclosed(s.Marks)...)
	return s
}

// Canonical returns the bytes that are kept and whose SHA-256 is the fingerprint.
func (s Snapshot) Canonical() ([]byte, error) { return json.Marshal(s) }

// Asks returns which notes among the marks of a student ask the teacher
// something, and whether anybody helped.
func Asks(marks []mark.Mark) (asked []string, helped bool) {
	asked = []string{}
	for _, m := range marks {
		helped = helped || m.Helper != ""
		n, ok := m.Body.(*mark.Note)
		if !ok {
			continue
		}
		helped = helped || n.Help != ""
		if n.Says == "ask" {
			asked = append(asked, m.ID)
		}
	}
	return asked, helped
}

// Aliases returns what marks are called while it is hidden whose they are: the
// names that they were given tell when they were made. The order stays.
func Aliases(marks []mark.Mark) map[string]string {
	ids := make([]string, len(marks))
	for i, m := range marks {
		ids[i] = m.ID
	}
	slices.Sort(ids)
	out := map[string]string{}
	for i, id := range ids {
		sum := sha256.Sum256([]byte(id))
		out[id] = fmt.Sprintf("hidden-%05d-%x", i, sum[:4])
	}
	return out
}

// Since says what became of the marks of an attempt in the next one: which were
// added, which are not as they were, and which are gone.
func Since(before, after []mark.Mark) (added, changed []string, gone []mark.Mark) {
	was := map[string]mark.Mark{}
	for _, m := range before {
		was[m.ID] = m
	}
	for _, m := range after {
		old, there := was[m.ID]
		switch {
		case !there:
			added = append(added, m.ID)
		case !reflect.DeepEqual(old, m):
			changed = append(changed, m.ID)
		}
		delete(was, m.ID)
	}
	for _, m := range before {
		if _, left := was[m.ID]; left {
			gone = append(gone, m)
		}
	}
	return added, changed, gone
}
