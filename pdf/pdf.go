// Package pdf opens PDF files that strangers made, gives their pages as
// pictures and words, and writes PDF files with marks on them.
//
// A stranger's bytes are parsed only in child processes of this binary (see
// Pool and WorkerMain), inside limits; the parent never reads into them. The
// package knows nothing of courses or people.
package pdf

import (
	"errors"
	"time"

	"readymargin/core/blank"
	"readymargin/core/heldback"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/scan"
	"readymargin/core/words"
)

// What can be wrong with a file. Each is one sentence for people; see web.
var (
	ErrNotPDF    = errors.New("pdf: not a PDF file")
	ErrDamaged   = errors.New("pdf: the file is damaged")
	ErrEncrypted = errors.New("pdf: the file asks for a password")
	ErrEmpty     = errors.New("pdf: no pages")
	ErrTooLarge  = errors.New("pdf: too many bytes")
	ErrPages     = errors.New("pdf: too many pages")
	ErrSide      = errors.New("pdf: a page is too large")
	ErrTime      = errors.New("pdf: takes too long to read")
	ErrMemory    = errors.New("pdf: takes too much memory to read")
	ErrNoPage    = errors.New("pdf: no such page")
	ErrPixels    = errors.New("pdf: a picture of too many pixels")
)

// failures are the errors that a worker can report, by the name they have on the wire.
var failures = map[string]error{}

func init() {
	for _, e := range []error{ErrNotPDF, ErrDamaged, ErrEncrypted, ErrEmpty, ErrTooLarge, ErrPages, ErrSide, ErrTime, ErrMemory, ErrNoPage, ErrPicture, ErrPixels} {
		failures[e.Error()] = e
	}
}

// Limits are the bounds inside which a file is opened.
type Limits struct {
	Bytes  int64         `json:"bytes"`
	Pages  int           `json:"pages"`
	Side   float64       `json:"side"`   // longest page side, points
	Time   time.Duration `json:"time"`   // for one piece of work
	Memory int64         `json:"memory"` // bytes, in one worker, beside the program itself
}

// DefaultLimits are 60 MiB, 200 pages, 5 m, 20 s and 256 MiB.
var DefaultLimits = Limits{60 << 20, 200, 5 / 0.0254 * 72, 20 * time.Second, 256 << 20}

// MaxPixels bounds a page's picture.
const MaxPixels = 40_000_000

// A Page is a page as it is shown.
type Page struct {
	Box    page.Box   `json:"box"`
	Width  float64    `json:"width"` // points, in page space
	Height float64    `json:"height"`
	Print  words.Page `json:"print"` // what is printed on it

	Strokes []blank.Stroke `json:"strokes,omitempty"` // the straight lines on it
	Art     []blank.Art    `json:"art,omitempty"`     // pictures and drawings
	Fields  []Field        `json:"fields,omitempty"`  // of its form
	Scan    *Scanned       `json:"scan,omitempty"`    // where the page is only a picture
}

// Scanned is what is seen on a page without words.
type Scanned struct {
	scan.Seen
	Ink scan.Ink
}

// Flat returns the page as blanks are found on it.
func (p Page) Flat() blank.Page {
	if p.Scan != nil {
		return blank.Page{Width: p.Width, Height: p.Height, Words: p.Scan.Words, Strokes: p.Scan.Strokes}
	}
	return blank.Page{Width: p.Width, Height: p.Height, Words: p.Print.Words, Strokes: p.Strokes, Art: p.Art}
}

// Blanks returns the blanks that are found on the page. On a picture of one
// they have no labels, and lean as the page does.
func (p Page) Blanks() []blank.Blank {
	found := blank.Find(p.Flat())
	if p.Scan == nil {
		return found
	}
	turn := scan.Turn(p.Scan.Tilt, page.Pt(p.Width/2, p.Height/2))
	for i := range found {
		b := &found[i]
		b.Label = ""
		c := b.Rect.Center()
		d := turn.Apply(c).Sub(c)
		b.Rect, b.Baseline = b.Rect.Add(d), page.Round(b.Baseline+d.Y)
		b.Rect = page.Rect{Min: b.Rect.Min.Round(), Max: b.Rect.Max.Round()}
	}
	return found
}

// Printed returns what is printed on each page.
func Printed(pages []Page) []heldback.Page {
	out := make([]heldback.Page, len(pages))
	for i, p := range pages {
		out[i].Print = p.Print
		if p.Scan != nil {
			out[i].Ink = p.Scan.Ink
		}
	}
	return out
}

// A Field is a widget of an interactive form (ISO 32000-2, 12.7).
type Field struct {
	Name    string    `json:"name"` // fully qualified
	Type    string    `json:"type"` // Tx, Btn, Ch or Sig
	Flags   int       `json:"flags,omitempty"`
	Rect    page.Rect `json:"rect"` // in page space
	MaxLen  int       `json:"maxLen,omitempty"`
	Options []string  `json:"options,omitempty"` // as they are shown
	On      string    `json:"on,omitempty"`      // the state of a button that is on
	Says    string    `json:"says,omitempty"`    // its own name for readers (TU)
}

// A Picture is a page rendered for the screen.
type Picture struct {
	Type string // image/png or image/jpeg
	Data []byte
}

// A Print says what to print on the pages of a file. Marks are painted in
// their order, highlights beneath all others; marks on page numbers behind
// the last page go on extra pages of A4.
type Print struct {
	Boxes  []page.Box // of the file's pages, as Inspect gave them
	Marks  []mark.Mark
	Points []NotePoint
	Extra  int // pages to add

	Pictures map[string][]byte `json:"-"` // JPEG with three colours, by hash; others are not painted
}

// A Part is a piece of a page that differs from another file's page: where it
// is in page space, and its picture.
type Part struct {
	Rect page.Rect `json:"rect"`
	Size int       `json:"size"` // bytes of the picture
	JPEG []byte    `json:"-"`
}

// A NotePoint is the sign of a note on a page.
type NotePoint struct {
	Page   int
	At     page.Point
	Number int
	Color  mark.Color
}

// A PageRef is a page of a file, both counted from where their lists begin (files
// from 0, pages from 1), turned clockwise by Turn degrees.
type PageRef struct {
	File int `json:"file"`
	Page int `json:"page"`
	Turn int `json:"turn"`
}

// A4 is the size of an added page, in points.
var A4 = page.R(0, 0, 595.28, 841.89)
