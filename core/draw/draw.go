// Package draw turns marks into the few simple shapes that every renderer can
// paint. The screen's SVG and the PDF's content are made from the same
// shapes, which is why they agree.
//
// Notes and replies have no shape: what is said lives in the margin.
package draw

import (
	"unicode/utf8"

	"readymargin/core/mark"
	"readymargin/core/page"
)

// A Shape is a filled or stroked path, a line of text, or a picture.
type Shape struct {
	Path     page.Path  `json:"-"`
	D        string     `json:"d,omitempty"`        // Path, as SVG reads it
	Fill     mark.Color `json:"fill,omitempty"`     // none when empty
	Stroke   mark.Color `json:"stroke,omitempty"`   // none when empty; ends and corners are round
	Width    float64    `json:"width,omitempty"`    // of the stroke, points
	Opacity  float64    `json:"opacity,omitempty"`  // 0 means 1
	Multiply bool       `json:"multiply,omitempty"` // darkens what is beneath (ISO 32000-2, 11.3.5.2)
	Text     *Text      `json:"text,omitempty"`
	Image    *Image     `json:"image,omitempty"`
}

// Text is one line of letters from X on the baseline Y.
type Text struct {
	X    float64    `json:"x"`
	Y    float64    `json:"y"`
	Runs []mark.Run `json:"runs"`
}

// Image is a picture in a rectangle: left, top, right, bottom.
type Image struct {
	Hash string     `json:"hash"`
	Name string     `json:"name"`
	Rect [4]float64 `json:"rect"`
}

// Shapes returns what to paint for m, from back to front. D is left out; see
// ForScreen.
func Shapes(m mark.Mark) []Shape {
	p := painter{out: []Shape{}} // never null in JSON
	m.Visit(&p)
	return p.out
}

// ForScreen returns Shapes with D, as script paints them.
func ForScreen(m mark.Mark) []Shape {
	out := Shapes(m)
	for i := range out {
		out[i].D = out[i].Path.SVG()
	}
	return out
}

type painter struct{ out []Shape }

func (p *painter) FreeText(_ mark.Mark, t *mark.FreeText) {
	for i, l := range t.Lines {
		if len(l.Runs) > 0 {
			p.out = append(p.out, Shape{Text: &Text{t.X, page.Round(t.Baseline(i)), l.Runs}})
		}
	}
}

func (p *painter) Ink(_ mark.Mark, i *mark.Ink) {
	for _, s := range i.InkList {
		shape := Shape{Opacity: i.Opacity}
		if s.Even() {
			shape.Path, shape.Stroke, shape.Width = s.Center(), i.Color, page.Round(i.Width*s.Width[0])
		} else {
			shape.Path, shape.Fill = s.Outline(i.Width), i.Color
		}
		p.out = append(p.out, shape)
	}
}

func (p *painter) Highlight(_ mark.Mark, h *mark.Highlight) {
	var path page.Path
	for _, q := range h.Quads() {
		path.Quad(q)
	}
	p.out = append(p.out, Shape{Path: path, Fill: h.Color, Multiply: true})
	if h.Sign != "" { // raised before its beginning, where it covers no word
		q := h.Quads()[0].Bounds()
		p.out = append(p.out, Shape{Text: &Text{page.Round(q.Min.X - signSize*0.62*float64(utf8.RuneCountInString(h.Sign)) - 0.5), page.Round(q.Min.Y + 0.75*signSize), []mark.Run{{Text: h.Sign, Size: signSize, Color: "#1e2a44"}}}})
	}
}

// signSize is the size of the letters of a meaning's sign.
const signSize = 7

func (p *painter) Stamp(_ mark.Mark, s *mark.Stamp) {
	path, width := s.Path()
	p.out = append(p.out, Shape{Path: path, Stroke: s.Color, Width: page.Round(width)})
}

func (p *painter) Picture(_ mark.Mark, q *mark.Picture) {
	p.out = append(p.out, Shape{Image: &Image{q.Hash, q.Name, q.Rect}})
}

func (p *painter) Note(mark.Mark, *mark.Note)   {}
func (p *painter) Reply(mark.Mark, *mark.Reply) {}
