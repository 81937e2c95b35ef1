package mark

import "readymargin/core/page"

// Markup is a mark over words: one quad a line.
type Markup struct {
	Color      Color        `json:"color"`
	QuadPoints [][8]float64 `json:"quadPoints"` // corners in the order of page.Quad
	Text       string       `json:"text,omitempty"`
	Meaning    string       `json:"meaning,omitempty"` // of the colour key, if chosen by it
	Sign       string       `json:"sign,omitempty"`    // of that meaning, painted beside it
}

// Underline is a line under words.
type Underline struct{ Markup }

// StrikeOut is a line through words.
type StrikeOut struct{ Markup }

// Quads returns the regions of the words.
func (m Markup) Quads() []page.Quad { return (&Highlight{QuadPoints: m.QuadPoints}).Quads() }

func (m Markup) Bounds() page.Rect { return (&Highlight{QuadPoints: m.QuadPoints}).Bounds() }

func (m Markup) mapped(f func(page.Point) page.Point) Markup {
	m.QuadPoints = mapped(m.Quads(), f)
	return m
}

func (m Markup) moved(d page.Point) Markup {
	return m.mapped(by(d))
}

func (m Markup) turned(about page.Point, degrees float64) Markup {
	return m.mapped(around(about, degrees))
}

func (m Markup) restyled(s Style) Markup {
	s.mean(&m.Color, &m.Meaning, &m.Sign)
	return m
}

// Distance is that to the words: a line under them is too thin to be met.
func (m Markup) Distance(p page.Point) float64 {
	return (&Highlight{QuadPoints: m.QuadPoints}).Distance(p)
}

func (m Markup) check() error {
	return (&Highlight{Color: m.Color, QuadPoints: m.QuadPoints, Text: m.Text, Meaning: m.Meaning, Sign: m.Sign}).check()
}

func (*Underline) Kind() string                     { return "underline" }
func (u *Underline) accept(m Mark, v Visitor)       { v.Underline(m, u) }
func (u *Underline) Moved(d page.Point) Body        { return &Underline{u.moved(d)} }
func (u *Underline) Fitted(from, to page.Rect) Body { return &Underline{u.mapped(from.Fit(to))} }
func (u *Underline) Turned(c page.Point, degrees float64) Body {
	return &Underline{u.turned(c, degrees)}
}
func (u *Underline) Restyled(s Style) Body          { return &Underline{u.restyled(s)} }
func (*StrikeOut) Kind() string                     { return "strikeout" }
func (s *StrikeOut) accept(m Mark, v Visitor)       { v.StrikeOut(m, s) }
func (s *StrikeOut) Moved(d page.Point) Body        { return &StrikeOut{s.moved(d)} }
func (s *StrikeOut) Fitted(from, to page.Rect) Body { return &StrikeOut{s.mapped(from.Fit(to))} }
func (s *StrikeOut) Turned(c page.Point, degrees float64) Body {
	return &StrikeOut{s.turned(c, degrees)}
}
func (s *StrikeOut) Restyled(style Style) Body { return &StrikeOut{s.restyled(style)} }
