// Package draw turns marks into the few simple shapes that every renderer can
// paint. The screen's SVG and the PDF's content are made from the same
// shapes, which is why they agree.
//
// Notes and replies have no shape: what is said lives in the margin.
package draw

import (
	"cmp"
	"unicode/utf8"

	"readymargin/core/ink"
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
	Rubbed   []Rubbed   `json:"rubbed,omitempty"`
	Text     *Text      `json:"text,omitempty"`
	Image    *Image     `json:"image,omitempty"`
}

// Text is one line of letters from X on the baseline Y, turned about that
// place by Turn degrees clockwise.
type Text struct {
	X    float64 `json:"x"`
	Y    float64 `json:"y"`
	Turn float64 `json:"turn,omitempty"`
	Runs []Run   `json:"runs"`
}

// A Run is a piece of a line in the size in which it is set.
type Run struct {
	Text   string     `json:"text"`
	Size   float64    `json:"size"`
	Color  mark.Color `json:"color"`
	Font   string     `json:"font,omitempty"`
	Bold   bool       `json:"bold,omitempty"`
	Italic bool       `json:"italic,omitempty"`
	Rise   float64    `json:"rise,omitempty"` // above the baseline, points
	Lang   string     `json:"lang,omitempty"` // that Chinese characters are set for

	// Advance is from its beginning to that of the next run, points; 0 for what
	// the font gives.
	Advance float64 `json:"advance,omitempty"`
}

// Image is a picture in a rectangle: left, top, right, bottom; turned about
// its middle by Turn degrees clockwise.
type Image struct {
	Hash string     `json:"hash"`
	Name string     `json:"name"`
	Rect [4]float64 `json:"rect"`
	Turn float64    `json:"turn,omitempty"`
}

// A Rubbed way is where a rubber went over a shape: what is under a line
// along Path, so wide and with round ends, is not painted.
type Rubbed struct {
	Way   ink.Rub `json:"-"` // not embedded: its own form in JSON would be taken for this one's
	D     string  `json:"d"`
	Width float64 `json:"width"`
}

// Shapes returns what to paint for m, from back to front. D is left out; see
// ForScreen.
func Shapes(m mark.Mark) []Shape {
	p := painter{out: []Shape{}} // never null in JSON
	m.Visit(&p)
	if m.Helper != "" && len(p.out) > 0 {
		p.helper(m.Helper, m.Body.Bounds())
	}
	return p.out
}

// helper writes whose mark it is, small and above its beginning.
func (p *painter) helper(name string, of page.Rect) {
	p.out = append(p.out, Shape{Text: &Text{X: page.Round(of.Min.X), Y: page.Round(of.Min.Y - 1), Runs: []Run{{Text: name, Size: signSize, Color: "#7a3fa0", Italic: true}}}})
}

// ForScreen returns Shapes with D, as script paints them.
func ForScreen(m mark.Mark) []Shape {
	out := Shapes(m)
	for i := range out {
		out[i].D = out[i].Path.SVG()
		for k, r := range out[i].Rubbed {
			out[i].Rubbed[k].D = r.Way.Line().SVG()
		}
	}
	return out
}

type painter struct{ out []Shape }

func (p *painter) FreeText(_ mark.Mark, t *mark.FreeText) {
	if t.Fill != "" {
		var path page.Path
		path.Quad(page.QuadOf(t.Frame().Grow(2)).Turned(t.Anchor(), t.Turn))
		p.out = append(p.out, Shape{Path: path, Fill: t.Fill})
	}
	for i, l := range t.Lines {
		if len(l.Runs) == 0 {
			continue
		}
		from := page.Pt(t.X+l.X, t.Baseline(i))
		at := from.Turned(t.Anchor(), t.Turn).Round()
		line := Text{X: at.X, Y: at.Y, Turn: t.Turn}
		x := from.X
		for _, r := range l.Runs {
			size, rise := r.Set()
			line.Runs = append(line.Runs, Run{r.Text, page.Round(size), r.Color, r.Font, r.Bold, r.Italic, page.Round(rise), cmp.Or(mark.Han(r.Text), t.Lang), r.Width})
			if r.Under && r.Width > 0 {
				p.ruled(page.R(x, from.Y+0.09*r.Size-rise, x+r.Width, from.Y+0.15*r.Size-rise), r.Color, t)
			}
			x += r.Width
		}
		p.out = append(p.out, Shape{Text: &line})
	}
}

// ruled paints the line under words of t.
func (p *painter) ruled(r page.Rect, c mark.Color, t *mark.FreeText) {
	var path page.Path
	path.Quad(page.QuadOf(r).Turned(t.Anchor(), t.Turn))
	p.out = append(p.out, Shape{Path: path, Fill: c})
}

func (p *painter) Ink(_ mark.Mark, i *mark.Ink) {
	for _, s := range i.InkList {
		shape := Shape{Opacity: i.Opacity, Multiply: i.Wash}
		if s.Even() {
			shape.Path, shape.Stroke, shape.Width = s.Center(), i.Color, page.Round(i.Width*s.Width[0])
		} else {
			shape.Path, shape.Fill = s.Outline(i.Width), i.Color
		}
		for _, r := range i.Rubbed {
			if r.Meets(s, i.Width) {
				shape.Rubbed = append(shape.Rubbed, Rubbed{Way: r, Width: page.Round(2 * r.Radius)})
			}
		}
		p.out = append(p.out, shape)
	}
	p.sign(i.Sign, i.Bounds())
}

func (p *painter) Widget(m mark.Mark, w *mark.Widget) {
	if w.Text != nil {
		p.FreeText(m, w.Text)
	}
	r := page.R(w.Rect[0], w.Rect[1], w.Rect[2], w.Rect[3])
	side := min(r.W(), r.H()) * 0.8
	c := r.Center()
	switch w.Sign {
	case "dot":
		var path page.Path
		path.Circle(c, side*0.32)
		p.out = append(p.out, Shape{Path: path, Fill: fieldInk})
	case "check", "cross":
		name := map[string]string{"check": "tick", "cross": "cross"}[w.Sign]
		p.Stamp(m, &mark.Stamp{Name: name, Color: fieldInk, Rect: [4]float64{c.X - side/2, c.Y - side/2, c.X + side/2, c.Y + side/2}})
	}
}

// fieldInk is the colour of what is put into tick boxes.
const fieldInk mark.Color = "#1e2a44"

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
	p.out = append(p.out, Shape{Text: &Text{X: page.Round(x), Y: page.Round(of.Min.Y + 0.75*signSize), Runs: []Run{{Text: sign, Size: signSize, Color: "#1e2a44"}}}})
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
	p.out = append(p.out, Shape{Path: path, Fill: s.Fill, Stroke: s.Color, Width: s.Width, Opacity: s.Opacity})
	p.sign(s.Sign, around)
}

func (p *painter) Line(_ mark.Mark, l *mark.Line) {
	from, to := l.Ends()
	p.line([]page.Point{from, to}, l.LineEnding, l.Shape, l.Bounds())
}

func (p *painter) PolyLine(_ mark.Mark, l *mark.PolyLine) {
	p.line(l.Points(), l.LineEnding, l.Shape, l.Bounds())
}

// line paints a line through places, with an arrow's head where one is asked for.
func (p *painter) line(ps []page.Point, endings [2]string, s mark.Shape, around page.Rect) {
	var path page.Path
	path.MoveTo(ps[0])
	for _, q := range ps[1:] {
		path.LineTo(q)
	}
	last := len(ps) - 1
	for i, end := range []page.Point{ps[0], ps[last]} {
		if endings[i] == "" {
			continue
		}
		back := []page.Point{ps[1], ps[last-1]}[i].Sub(end).Unit().Mul(s.Head())
		path.MoveTo(end.Add(back.Turned(page.Point{}, 25)).Round())
		path.LineTo(end)
		path.LineTo(end.Add(back.Turned(page.Point{}, -25)).Round())
	}
	p.outline(path, s, around)
}

func (p *painter) Square(_ mark.Mark, s *mark.Square) {
	var path page.Path
	r := page.R(s.Rect[0], s.Rect[1], s.Rect[2], s.Rect[3])
	path.Quad(page.QuadOf(r))
	p.outline(path.Turned(r.Center(), s.Turn), s.Shape, s.Bounds())
}

func (p *painter) Circle(_ mark.Mark, c *mark.Circle) {
	var path page.Path
	r := page.R(c.Rect[0], c.Rect[1], c.Rect[2], c.Rect[3])
	path.Ellipse(r)
	p.outline(path.Turned(r.Center(), c.Turn), c.Shape, c.Bounds())
}

// signSize is the size of the letters of a meaning's sign.
const signSize = 7

func (p *painter) Stamp(_ mark.Mark, s *mark.Stamp) {
	path, width := s.Path()
	p.out = append(p.out, Shape{Path: path, Stroke: s.Color, Width: page.Round(width)})
}

func (p *painter) Picture(_ mark.Mark, q *mark.Picture) {
	p.out = append(p.out, Shape{Image: &Image{q.Hash, q.Name, q.Rect, q.Turn}})
}

func (p *painter) Note(mark.Mark, *mark.Note)   {}
func (p *painter) Reply(mark.Mark, *mark.Reply) {}

// Paper paints the ruling of a page that was added, and what stands at its head.
func (p *painter) Paper(_ mark.Mark, of *mark.Paper) {
	line := func(path *page.Path, x0, y0, x1, y1 float64) {
		path.MoveTo(page.Pt(x0, y0).Round())
		path.LineTo(page.Pt(x1, y1).Round())
	}
	say := func(x, y, size float64, text string, bold bool) {
		if text != "" {
			p.out = append(p.out, Shape{Text: &Text{X: x, Y: y, Runs: []Run{{Text: text, Size: size, Color: paperInk, Bold: bold}}}})
		}
	}
	var path page.Path
	switch of.Ruling {
	case "ruled":
		for row := range mark.PaperRows {
			if on := row / mark.RowsGoingOn; row%mark.RowsGoingOn == 0 && on < len(of.GoesOn) {
				say(mark.PaperLeft, of.Rule(row)-6, 12, of.GoesOn[on].Title, true)
				continue
			}
			line(&path, mark.PaperLeft, of.Rule(row), mark.PaperRight, of.Rule(row))
		}
	case "squared":
		const left, top, across, down = mark.PaperSquare * 2, mark.PaperSquare * 5, 38, 52
		for i := range across + 1 {
			x := left + mark.PaperSquare*float64(i)
			line(&path, x, top, x, top+mark.PaperSquare*down)
		}
		for i := range down + 1 {
			y := top + mark.PaperSquare*float64(i)
			line(&path, left, y, left+mark.PaperSquare*across, y)
		}
	}
	if of.Ruling != "" {
		p.out = append(p.out, Shape{Path: path, Stroke: paperFeint, Width: 0.6})
	}
	say(mark.PaperLeft, 56, 14, of.Title, true)
}

// The colours of paper that was added.
const (
	paperFeint mark.Color = "#a9bccf"
	paperInk   mark.Color = "#1e2a44"
)
