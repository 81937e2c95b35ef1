// Package document knows what a file is once it has been read: its pages with
// their words, lines and form fields, what is found on them to be worked on,
// and what can be wrong with it. It does not know how a file is read.
package document

import (
	"slices"
	"strings"

	"readymargin/core/annotation"
	"readymargin/core/blank"
	"readymargin/core/heldback"
	"readymargin/core/page"
	"readymargin/core/scan"
	"readymargin/core/words"
)

// A Page is a page as it is shown.
type Page struct {
	Box    page.Box   `json:"box"`
	Width  float64    `json:"width"` // points, in page space
	Height float64    `json:"height"`
	Print  words.Page `json:"print"` // what is printed on it

	Lang string `json:"lang,omitempty"` // as the file says, BCP 47; "" where it does not

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
		flat := blank.Page{Width: p.Width, Height: p.Height, Words: p.Scan.Words, Strokes: p.Scan.Strokes}
		for _, r := range p.Scan.Rings {
			flat.Art = append(flat.Art, blank.Art{Rect: r})
		}
		return flat
	}
	return blank.Page{Width: p.Width, Height: p.Height, Words: p.Print.Words, Strokes: p.Strokes, Art: p.Art}
}

// TextLayer returns what is printed on the page, with the tables and figures that its
// lines and pictures make.
func (p Page) TextLayer() words.Page {
	out := p.Print
	out.Tables, out.Figures = blank.Drawn(p.Flat())
	out.Wordless = p.Wordless()
	return out
}

// Wordless reports whether the page is a picture of which no words are known.
func (p Page) Wordless() bool { return p.Scan != nil && len(p.Print.Words) == 0 }

// Blanks returns the blanks that are found on the page. On a picture of one
// they lean as the page does, and have no labels as long as its words are not known.
func (p Page) Blanks() []blank.Blank {
	found := blank.Find(p.Flat())
	if p.Scan == nil {
		return found
	}
	for i := range found {
		b := &found[i]
		b.Label = said(b.Label)
		if p.Wordless() {
			b.Label = ""
		}
		d := p.leaning(b.Rect)
		b.Rect, b.Baseline = b.Rect.Add(d), page.Round(b.Baseline+d.Y)
		b.Rect = page.Rect{Min: b.Rect.Min.Round(), Max: b.Rect.Max.Round()}
	}
	return found
}

// leaning returns by how much what stands somewhere on the page set upright lies elsewhere
// on the page as it is.
func (p Page) leaning(r page.Rect) page.Point {
	c := r.Center()
	return scan.Turn(p.Scan.Tilt, page.Pt(p.Width/2, p.Height/2)).Apply(c).Sub(c)
}

// unread stands for a letter of what could be a word and was not read (of the private
// use area of Unicode).
const unread = "\uE000"

// said returns a label or a question without what was not read.
func said(text string) string {
	return strings.Join(slices.DeleteFunc(strings.Fields(text), func(w string) bool { return strings.Contains(w, unread) }), " ")
}

// Read returns a page that is only a picture with the words that were read on it when it
// was set upright. What could be words where none were read stays where it was seen.
func (p Page) Read(ws []words.Word) Page {
	seen := *p.Scan
	p.Scan = &seen
	p.Print.Words = make([]words.Word, len(ws))
	for i, w := range ws {
		p.Print.Words[i] = w.Moved(p.leaning(w.Rect()))
	}
	last := 0
	if len(ws) > 0 {
		last = ws[len(ws)-1].Line
	}
	all := slices.Clone(ws)
	for _, w := range seen.Words {
		if !slices.ContainsFunc(ws, func(o words.Word) bool { return !o.Rect().Intersect(w.Rect()).Empty() }) {
			w.Line += last + 1
			w.Text = strings.Repeat(unread, max(len(w.Text), 1))
			all = append(all, w)
		}
	}
	seen.Words = all
	return p
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

// A Painting is how a picture is painted anew.
type Painting struct {
	Side   int  `json:"side,omitempty"`   // most pixels along
	Pixels int  `json:"pixels,omitempty"` // most pixels that it may have had
	Sheet  bool `json:"sheet,omitempty"`  // it is a sheet of paper, to be seen from straight above
}

// A Part is a piece of a page that differs from another file's page: where it
// is in page space, and its picture.
type Part struct {
	Rect  page.Rect `json:"rect"`
	Size  int       `json:"size"`            // bytes of the picture
	Words string    `json:"words,omitempty"` // that are in it
	JPEG  []byte    `json:"-"`
}

// A PageRef is a page of a file, both counted from where their lists begin (files
// from 0, pages from 1), turned clockwise by Turn degrees.
type PageRef struct {
	File int `json:"file"`
	Page int `json:"page"`
	Turn int `json:"turn"`
}

// Annotated is what was done on a file's pages with annotations and in its form,
// and, where the file says so, of which copy and attempt it is.
type Annotated struct {
	Annotations []annotation.Annotation
	Fields      []Filled
	Copy        uint64
	Attempt     int
	Fingerprint string
}

// Filled is a field of a form with its value.
type Filled struct {
	Page int
	Field
	Values []string // as they are shown
	On     bool     // it is a button that is on
}
