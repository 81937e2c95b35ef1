// Package draw turns marks into the few simple shapes that every renderer can
// paint. The screen's SVG and the PDF's content are made from the same
// shapes, which is why they agree.
//
// Notes and replies have no shape: what is said lives in the margin.
package draw

import (
	"math"
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
	p.sign(h.Sign, h.Quads()[0].Bounds())
}

// sign paints the sign of a meaning, raised before the beginning of what it is
// of, where it covers no word.
func (p *painter) sign(sign string, of page.Rect) {
	if sign == "" {
		return
	}
	x := of.Min.X - signSize*0.62*float64(utf8.RuneCountInString(sign)) - 0.5
	p.out = append(p.out, Shape{Text: &Text{page.Round(x), page.Round(of.Min.Y + 0.75*signSize), []mark.Run{{Text: sign, Size: signSize, Color: "#1e2a44"}}}})
}

// across paints a line through each line of words, at a share of its height
// from the top.
func (p *painter) across(m mark.Markup, share float64) {
	for _, q := range m.Quads() {
		var path page.Path
		path.MoveTo(q[0].Add(q[3].Sub(q[0]).Mul(share)))
		path.LineTo(q[1].Add(q[2].Sub(q[1]).Mul(share)))
		p.out = append(p.out, Shape{Path: path, Stroke: m.Color, Width: page.Round(max(0.075*q[0].Dist(q[3]), 0.8))})
	}
	p.sign(m.Sign, m.Quads()[0].Bounds())
}

func (p *painter) Underline(_ mark.Mark, u *mark.Underline) { p.across(u.Markup, 0.95) }
func (p *painter) StrikeOut(_ mark.Mark, s *mark.StrikeOut) { p.across(s.Markup, 0.55) }

func (p *painter) outline(path page.Path, s mark.Shape, around page.Rect) {
	p.out = append(p.out, Shape{Path: path, Stroke: s.Color, Width: s.Width, Opacity: s.Opacity})
	p.sign(s.Sign, around)
}

func (p *painter) Straight(_ mark.Mark, l *mark.Straight) {
	from, to := l.Ends()
	var path page.Path
	path.MoveTo(from)
	path.LineTo(to)
	for i, end := range []page.Point{from, to} {
		if l.LineEnding[i] == "" {
			continue
		}
		back := []page.Point{to, from}[i].Sub(end).Unit().Mul(l.Head())
		sin, cos := math.Sincos(25 * math.Pi / 180)
		path.MoveTo(end.Add(page.Pt(back.X*cos-back.Y*sin, back.X*sin+back.Y*cos)).Round())
		path.LineTo(end)
		path.LineTo(end.Add(page.Pt(back.X*cos+back.Y*sin, -back.X*sin+back.Y*cos)).Round())
	}
	p.outline(path, l.Shape, l.Bounds())
}

func (p *painter) Square(_ mark.Mark, s *mark.Square) {
	var path page.Path
	path.Quad(page.QuadOf(page.R(s.Rect[0], s.Rect[1], s.Rect[2], s.Rect[3])))
	p.outline(path, s.Shape, s.Bounds())
}

func (p *painter) Circle(_ mark.Mark, c *mark.Circle) {
	var path page.Path
	path.Ellipse(page.R(c.Rect[0], c.Rect[1], c.Rect[2], c.Rect[3]))
	p.outline(path, c.Shape, c.Bounds())
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
