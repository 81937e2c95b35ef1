package document

import (
	"fmt"
	"time"

	"readymargin/core/annotation"
	"readymargin/core/mark"
	"readymargin/core/page"
)

// An Export says what to print on the pages of a file. Marks are painted in
// their order, highlights beneath all others; marks on page numbers behind
// the last page go on extra pages of A4.
type Export struct {
	Boxes  []page.Box // of the file's pages, as Inspect gave them
	Marks  []mark.Mark
	Notes  []NoteMarker
	Extra  int     // pages to add
	Beside float64 // points that every page becomes broader by, to the right as it is shown
	Copy   uint64  // the number of the copy, by which the file is known again
	Codes  []PageCode

	// Annotations are marks that can be moved in other programs; they are none of Marks.
	Annotations []annotation.Annotation
	About       About
	Files       []Attached
	Tagged      []Tagged          // each page that is made, in its words; nil where the file is not to be tagged
	Pictures    map[string][]byte `json:"-"` // JPEG with three colours, by hash; others are not painted
}

// A4 is the paper of pages that are added (ISO 216), in points.
var A4 = page.R(0, 0, 595.28, 841.89)

// Box returns how page n shows itself in the file that is made: broader where there is
// something beside the pages; added pages are upright A4.
func (e Export) Box(n int) page.Box {
	b := page.Box{Crop: A4}
	if n <= len(e.Boxes) {
		b = e.Boxes[n-1]
	}
	if e.Beside > 0 {
		w, h := b.Size()
		to := b.ToUser()
		b.Crop = page.Bounds(to.Apply(page.Pt(0, 0)), to.Apply(page.Pt(w+e.Beside, h)))
	}
	return b
}

// About is what a file says of itself.
type About struct {
	Title, Author, Subject string
	Language               string // as BCP 47 has it, "" where it is not known
	Attempt                int    // of the copy; 0 for none
	Fingerprint            string // of the attempt
	At                     time.Time
}

// A PageCode is a code that is printed on a page (ISO/IEC 18004), on white paper that
// reaches a little beyond it.
type PageCode struct {
	Page  int
	Says  string
	At    page.Rect
	Quiet float64 // how far, in points
}

// Key is the name of the code among what is laid on its page.
func (c PageCode) Key() string { return "code " + c.Says }

// A Code is one that was seen in a picture.
type Code struct {
	Says    string
	Modules int           // how many it is wide
	Finders [3]page.Point // the middles of its finder patterns, in pixels: upper left, upper right, lower left
}

// A NoteMarker is the sign of a note on a page.
type NoteMarker struct {
	Page   int
	At     page.Point
	Number int
	Color  mark.Color
}

// Key is the name of the sign among what is laid on its page.
func (n NoteMarker) Key() string { return fmt.Sprint("note ", n.Number) }

// An Attached file goes along with a document: the sound of a note at its place.
type Attached struct {
	Name string
	Type string // media type
	Says string // what it is, for readers and lists
	Page int    // 0 for none: it belongs to the document as a whole
	At   page.Point
	By   string // who brought it
	When time.Time
	Data []byte
}
