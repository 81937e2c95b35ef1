package mark

import (
	"errors"
	"math"
	"slices"
	"unicode/utf8"

	"readymargin/core/ink"
	"readymargin/core/page"
)

// Free text

func (*FreeText) Kind() string               { return "freetext" }
func (t *FreeText) accept(m Mark, v Visitor) { v.FreeText(m, t) }

// Bounds reaches from the top of the first line's letters to the foot of the
// last line's.
func (t *FreeText) Bounds() page.Rect {
	s := t.Size()
	last := t.Baseline(max(len(t.Lines)-1, 0))
	return page.R(t.X, t.Y-0.95*s, t.X+max(t.Width, 4), last+0.3*s)
}

func (t *FreeText) Moved(d page.Point) Body {
	c := *t
	c.X, c.Y = page.Round(t.X+d.X), page.Round(t.Y+d.Y)
	return &c
}

func (t *FreeText) Recoloured(color Color) Body {
	c := *t
	c.Lines = make([]Line, len(t.Lines))
	for i, l := range t.Lines {
		c.Lines[i] = Line{Runs: slices.Clone(l.Runs), Hard: l.Hard}
		for k := range c.Lines[i].Runs {
			c.Lines[i].Runs[k].Color = color
		}
	}
	return &c
}

func (t *FreeText) Distance(p page.Point) float64 { return fromRect(p, t.Bounds()) }

func (t *FreeText) check() error {
	n := 0
	for _, l := range t.Lines {
		for _, r := range l.Runs {
			n += utf8.RuneCountInString(r.Text)
			if err := textOK(r.Text); err != nil {
				return err
			}
			if !(r.Size >= 4 && r.Size <= 200) {
				return invalid("size %v", r.Size)
			}
			if err := r.Color.check(); err != nil {
				return err
			}
		}
	}
	if n == 0 || n > MaxText {
		return invalid("text of %d characters", n)
	}
	return onPaper(t.Bounds())
}

// Ink

func (*Ink) Kind() string               { return "ink" }
func (i *Ink) accept(m Mark, v Visitor) { v.Ink(m, i) }

func (i *Ink) Bounds() (r page.Rect) {
	for _, s := range i.InkList {
		r = r.Union(s.Bounds(i.Width))
	}
	return r
}

func (i *Ink) Moved(d page.Point) Body {
	c := *i
	c.InkList = make([]ink.Stroke, len(i.InkList))
	for k, s := range i.InkList {
		c.InkList[k] = s.Add(d)
	}
	return &c
}

func (i *Ink) Recoloured(color Color) Body {
	c := *i
	c.Color = color
	return &c
}

func (i *Ink) Distance(p page.Point) float64 {
	d := math.Inf(1)
	for _, s := range i.InkList {
		d = min(d, s.Distance(p, i.Width))
	}
	return d
}

func (i *Ink) check() error {
	if !(i.Width >= 0.25 && i.Width <= 60) || !(i.Opacity >= 0.05 && i.Opacity <= 1) {
		return invalid("pen of width %v and strength %v", i.Width, i.Opacity)
	}
	n := 0
	for _, s := range i.InkList {
		if err := s.Valid(); err != nil {
			return invalid("%v", err)
		}
		// The curve lies between its control points.
		if err := onPaper(page.Bounds(s.Path...)); err != nil {
			return err
		}
		n += len(s.Path)
	}
	if n == 0 || n > MaxPoints {
		return invalid("strokes with %d points", n)
	}
	return i.Color.check()
}

// Highlight

func (*Highlight) Kind() string               { return "highlight" }
func (h *Highlight) accept(m Mark, v Visitor) { v.Highlight(m, h) }

func (h *Highlight) Bounds() (r page.Rect) {
	for _, q := range h.Quads() {
		r = r.Union(q.Bounds())
	}
	return r
}

func (h *Highlight) Moved(d page.Point) Body {
	c := *h
	qs := h.Quads()
	for i := range qs {
		qs[i] = qs[i].Add(d)
	}
	c.QuadPoints = QuadPoints(qs)
	return &c
}

// Recoloured returns the highlight in another colour, which has no meaning of
// the colour key.
func (h *Highlight) Recoloured(color Color) Body {
	c := *h
	c.Color, c.Meaning, c.Sign = color, "", ""
	return &c
}

func (h *Highlight) Distance(p page.Point) float64 {
	d := math.Inf(1)
	for _, q := range h.Quads() {
		if q.Contains(p) {
			return 0
		}
		d = min(d, fromRect(p, q.Bounds()))
	}
	return d
}

func (h *Highlight) check() error {
	if len(h.QuadPoints) == 0 || len(h.QuadPoints) > MaxQuads {
		return invalid("a highlight of %d parts", len(h.QuadPoints))
	}
	if utf8.RuneCountInString(h.Meaning) > 40 || utf8.RuneCountInString(h.Sign) > 3 {
		return invalid("meaning %q with the sign %q", h.Meaning, h.Sign)
	}
	if err := errors.Join(textOK(h.Text), textOK(h.Meaning+h.Sign), onPaper(h.Bounds())); err != nil {
		return err
	}
	return h.Color.check()
}

// Stamp

func (*Stamp) Kind() string               { return "stamp" }
func (s *Stamp) accept(m Mark, v Visitor) { v.Stamp(m, s) }

func (s *Stamp) Bounds() page.Rect { return page.R(s.Rect[0], s.Rect[1], s.Rect[2], s.Rect[3]) }

func (s *Stamp) Moved(d page.Point) Body {
	c := *s
	r := s.Bounds().Add(d)
	c.Rect = [4]float64{page.Round(r.Min.X), page.Round(r.Min.Y), page.Round(r.Max.X), page.Round(r.Max.Y)}
	return &c
}

func (s *Stamp) Recoloured(color Color) Body {
	c := *s
	c.Color = color
	return &c
}

func (s *Stamp) Distance(p page.Point) float64 { return fromRect(p, s.Bounds()) }

func (s *Stamp) check() error {
	if !slices.Contains(StampNames, s.Name) {
		return invalid("stamp %q", s.Name)
	}
	if b := s.Bounds(); !(b.W() >= 4 && b.H() >= 4) {
		return invalid("stamp of %v x %v", b.W(), b.H())
	}
	if err := onPaper(s.Bounds()); err != nil {
		return err
	}
	return s.Color.check()
}

// strokes of the signs, in a square of side 1, drawn for Ready Margin
var signs = map[string][][]page.Point{
	"tick":  {{{X: 0.1, Y: 0.56}, {X: 0.38, Y: 0.88}, {X: 0.92, Y: 0.1}}},
	"cross": {{{X: 0.14, Y: 0.14}, {X: 0.86, Y: 0.86}}, {{X: 0.86, Y: 0.14}, {X: 0.14, Y: 0.86}}},
}

// Path returns the lines of the sign and the width they are drawn with.
func (s *Stamp) Path() (p page.Path, width float64) {
	b := s.Bounds()
	for _, line := range signs[s.Name] {
		for i, q := range line {
			at := page.Pt(b.Min.X+q.X*b.W(), b.Min.Y+q.Y*b.H())
			if i == 0 {
				p.MoveTo(at)
			} else {
				p.LineTo(at)
			}
		}
	}
	return p, 0.13 * min(b.W(), b.H())
}

// Picture

func (*Picture) Kind() string               { return "picture" }
func (p *Picture) accept(m Mark, v Visitor) { v.Picture(m, p) }

func (p *Picture) Bounds() page.Rect { return page.R(p.Rect[0], p.Rect[1], p.Rect[2], p.Rect[3]) }

func (p *Picture) Moved(d page.Point) Body {
	c := *p
	r := p.Bounds().Add(d)
	c.Rect = [4]float64{page.Round(r.Min.X), page.Round(r.Min.Y), page.Round(r.Max.X), page.Round(r.Max.Y)}
	return &c
}

// Recoloured returns the picture: its colours are its own.
func (p *Picture) Recoloured(Color) Body { return p }

func (p *Picture) Distance(q page.Point) float64 { return fromRect(q, p.Bounds()) }

func (p *Picture) check() error {
	if !isHash(p.Hash) || utf8.RuneCountInString(p.Name) > 200 {
		return invalid("picture %q, called %q", p.Hash, p.Name)
	}
	if b := p.Bounds(); !(b.W() >= 4 && b.H() >= 4) {
		return invalid("picture of %v x %v", b.W(), b.H())
	}
	return errors.Join(textOK(p.Name), onPaper(p.Bounds()))
}

// isHash reports whether s is a SHA-256 in hexadecimal.
func isHash(s string) bool { return len(s) == 64 && consistsOf(s, hex) }

// Note

// NoteRadius is the size of a note's point on the page.
const NoteRadius = 7

func (*Note) Kind() string               { return "note" }
func (n *Note) accept(m Mark, v Visitor) { v.Note(m, n) }

// Place returns where the note's point stands.
func (n *Note) Place() page.Point { return page.Pt(n.At[0], n.At[1]) }

func (n *Note) Bounds() page.Rect {
	return page.Rect{Min: n.Place(), Max: n.Place()}.Grow(NoteRadius)
}

func (n *Note) Moved(d page.Point) Body {
	c := *n
	p := n.Place().Add(d).Round()
	c.At = [2]float64{p.X, p.Y}
	return &c
}

// Recoloured returns the note: its point has the colour of its author.
func (n *Note) Recoloured(Color) Body { return n }

func (n *Note) Distance(p page.Point) float64 { return max(p.Dist(n.Place())-NoteRadius, 0) }

func (n *Note) check() error {
	if n.On != "" && !ValidID(n.On) {
		return invalid("on %q", n.On)
	}
	if err := onPaper(n.Bounds()); err != nil {
		return err
	}
	return said(n.Text, n.Voice)
}

// Reply

func (*Reply) Kind() string               { return "reply" }
func (r *Reply) accept(m Mark, v Visitor) { v.Reply(m, r) }
func (r *Reply) Bounds() page.Rect        { return page.Rect{} }
func (r *Reply) Moved(page.Point) Body    { return r }
func (r *Reply) Recoloured(Color) Body    { return r }

// Distance is infinite: a reply is not on the page.
func (r *Reply) Distance(page.Point) float64 { return math.Inf(1) }

func (r *Reply) check() error {
	if !ValidID(r.To) {
		return invalid("reply to %q", r.To)
	}
	return said(r.Text, r.Voice)
}

// said checks that something was said: some text, a voice, or both.
func said(text string, v *Voice) error {
	if text == "" && v == nil {
		return invalid("nothing said")
	}
	if v != nil && (!isHash(v.Sound) || v.Milliseconds < 0 || len(v.Peaks) > 1000) {
		return invalid("voice %q of %d ms", v.Sound, v.Milliseconds)
	}
	return textOK(text)
}

func fromRect(p page.Point, r page.Rect) float64 {
	return math.Hypot(max(r.Min.X-p.X, p.X-r.Max.X, 0), max(r.Min.Y-p.Y, p.Y-r.Max.Y, 0))
}
