package mark

import (
	"math"
	"slices"
	"unicode/utf8"

	"readymargin/core/page"
)

// FreeText is typed text. Its line breaks are part of it: whoever typed it
// set them, and every renderer keeps them.
type FreeText struct {
	X     float64    `json:"x"`     // left edge of the lines
	Y     float64    `json:"y"`     // baseline of the first line
	Width float64    `json:"width"` // of the widest line
	Lines []TextLine `json:"lines"`
	Box   float64    `json:"box,omitempty"`   // width that it was given; 0 when it grows with the text
	Align string     `json:"align,omitempty"` // center, right, or "" for left
	Fill  Color      `json:"fill,omitempty"`  // behind it; none when empty
	Turn  float64    `json:"turn,omitempty"`  // degrees clockwise about X, Y
	Step  float64    `json:"step,omitempty"`  // from baseline to baseline on a ruling; 0 where the size tells it
	Lang  string     `json:"lang,omitempty"`  // of Chinese characters where their neighbours do not tell: ja, ko, or "" for Chinese
}

// A TextLine is one line of typed text.
type TextLine struct {
	Runs []Run   `json:"runs"`
	X    float64 `json:"x,omitempty"`    // where it begins, from the left edge
	Hard bool    `json:"hard,omitempty"` // ended by the writer, not by the edge
}

// A Run is a piece of text of one look.
type Run struct {
	Text   string  `json:"text"`
	Size   float64 `json:"size"` // points; what is raised or lowered is set smaller
	Color  Color   `json:"color"`
	Font   string  `json:"font,omitempty"` // one of Fonts
	Bold   bool    `json:"bold,omitempty"`
	Italic bool    `json:"italic,omitempty"`
	Under  bool    `json:"under,omitempty"`
	Shift  int     `json:"shift,omitempty"` // 1 raised, -1 lowered
	Width  float64 `json:"w,omitempty"`     // as whoever set it found it; 0 when it stands alone
}

// Fonts are the names of the fonts of text marks: a clear one, one with
// serifs, one with the letter shapes taught to young children, and one of
// equal widths.
var Fonts = []string{"", "serif", "school", "mono"}

const (
	// Leading is the distance between two baselines, as a factor of the size.
	Leading = 1.3
	// Small is the size of what is raised or lowered, as a factor.
	Small = 0.68
)

// Set returns the size in which the run is set and how far above the baseline
// it stands.
func (r Run) Set() (size, rise float64) {
	switch {
	case r.Shift > 0:
		return r.Size * Small, r.Size * 0.36
	case r.Shift < 0:
		return r.Size * Small, -r.Size * 0.16
	}
	return r.Size, 0
}

// Size returns the largest size of the text, or 14 when there is none.
func (t *FreeText) Size() float64 {
	s := 0.0
	for _, l := range t.Lines {
		for _, r := range l.Runs {
			s = max(s, r.Size)
		}
	}
	if s == 0 {
		return 14
	}
	return s
}

// Baseline returns the baseline of line i, before the text is turned.
func (t *FreeText) Baseline(i int) float64 {
	step := t.Step
	if step == 0 {
		step = Leading * t.Size()
	}
	return t.Y + float64(i)*step
}

// Anchor returns the place about which the text is turned.
func (t *FreeText) Anchor() page.Point { return page.Pt(t.X, t.Y) }

// Frame returns the box of the text, before it is turned.
func (t *FreeText) Frame() page.Rect {
	s := t.Size()
	last := t.Baseline(max(len(t.Lines)-1, 0))
	return page.R(t.X, t.Y-0.95*s, t.X+max(t.Width, t.Box, 4), last+0.3*s)
}

// String returns the text as it was typed, without the breaks at the edge.
func (t *FreeText) String() string {
	s := ""
	for i, l := range t.Lines {
		for _, r := range l.Runs {
			s += r.Text
		}
		if l.Hard && i < len(t.Lines)-1 {
			s += "\n"
		}
	}
	return s
}

// Han returns the language that Chinese characters in a text are set for: Japanese
// where it has kana, Korean where it has hangul, else "", which is Chinese.
func Han(s string) string {
	for _, r := range s {
		switch {
		case r >= 0x3041 && r <= 0x30FF || r >= 0x31F0 && r <= 0x31FF || r >= 0xFF66 && r <= 0xFF9F: // hiragana, katakana
			return "ja"
		case r >= 0x1100 && r <= 0x11FF || r >= 0x3131 && r <= 0x318E || r >= 0xAC00 && r <= 0xD7A3:
			return "ko"
		}
	}
	return ""
}

func (*FreeText) Kind() string               { return "freetext" }
func (t *FreeText) accept(m Mark, v Visitor) { v.FreeText(m, t) }

// Bounds reaches from the top of the first line's letters to the foot of the
// last line's.
func (t *FreeText) Bounds() page.Rect {
	return page.QuadOf(t.Frame()).Turned(t.Anchor(), t.Turn).Bounds()
}

func (t *FreeText) Moved(d page.Point) Body {
	c := *t
	c.X, c.Y = page.Round(t.X+d.X), page.Round(t.Y+d.Y)
	return &c
}

// Fitted sets the text larger or smaller, as it becomes higher: its lines
// stay as they are.
func (t *FreeText) Fitted(from, to page.Rect) Body {
	k := 1.0
	if from.H() > 0 {
		k = to.H() / from.H()
	}
	k = min(max(k, 4/t.least()), 200/t.Size())
	at := from.Fit(to)(t.Anchor()).Round()
	c := t.each(func(r *Run) {
		r.Size, r.Width = page.Round(r.Size*k), page.Round(r.Width*k)
	})
	c.X, c.Y, c.Width, c.Box, c.Step = at.X, at.Y, page.Round(t.Width*k), page.Round(t.Box*k), page.Round(t.Step*k)
	for i := range c.Lines {
		c.Lines[i].X = page.Round(c.Lines[i].X * k)
	}
	return c
}

// least returns the smallest size of the text.
func (t *FreeText) least() float64 {
	s := t.Size()
	for _, l := range t.Lines {
		for _, r := range l.Runs {
			s = min(s, r.Size)
		}
	}
	return s
}

func (t *FreeText) Turned(about page.Point, degrees float64) Body {
	c := *t
	at := t.Anchor().Turned(about, degrees).Round()
	c.X, c.Y, c.Turn = at.X, at.Y, turn(t.Turn+degrees)
	return &c
}

// turn brings an angle between -180 and 180 degrees, to a tenth.
func turn(degrees float64) float64 {
	return math.Round(math.Remainder(degrees, 360)*10) / 10
}

// Restyled changes all of the text; another size is left to who can measure.
func (t *FreeText) Restyled(s Style) Body {
	c := t.each(func(r *Run) {
		if s.Color != "" {
			r.Color = s.Color
		}
	})
	return c
}

// each returns a copy with f done to every run.
func (t *FreeText) each(f func(*Run)) *FreeText {
	c := *t
	c.Lines = make([]TextLine, len(t.Lines))
	for i, l := range t.Lines {
		c.Lines[i] = l
		c.Lines[i].Runs = slices.Clone(l.Runs)
		for k := range c.Lines[i].Runs {
			f(&c.Lines[i].Runs[k])
		}
	}
	return &c
}

func (t *FreeText) Distance(p page.Point) float64 {
	return t.Frame().Distance(p.Turned(t.Anchor(), -t.Turn))
}

func (t *FreeText) check() error {
	n := 0
	for _, l := range t.Lines {
		if !(l.X >= -far && l.X <= far) {
			return invalid("a line at %v", l.X)
		}
		for _, r := range l.Runs {
			n += utf8.RuneCountInString(r.Text)
			if err := r.check(); err != nil {
				return err
			}
		}
	}
	switch {
	case t.Lang != "" && t.Lang != "ja" && t.Lang != "ko":
		return invalid("Chinese characters of the language %q", t.Lang)
	case n == 0 || n > MaxText:
		return invalid("text of %d characters", n)
	case t.Align != "" && t.Align != "center" && t.Align != "right":
		return invalid("alignment %q", t.Align)
	case !(t.Box >= 0 && t.Box < far) || !(t.Turn >= -360 && t.Turn <= 360):
		return invalid("a box %v wide, turned by %v", t.Box, t.Turn)
	case !(t.Step >= 0 && t.Step < 400):
		return invalid("lines %v apart", t.Step)
	}
	if t.Fill != "" {
		if err := t.Fill.check(); err != nil {
			return err
		}
	}
	return onPaper(t.Bounds())
}

func (r Run) check() error {
	switch {
	case !(r.Size >= 4 && r.Size <= 200):
		return invalid("size %v", r.Size)
	case !slices.Contains(Fonts, r.Font):
		return invalid("font %q", r.Font)
	case r.Shift < -1 || r.Shift > 1 || !(r.Width >= 0 && r.Width < far):
		return invalid("a run %v wide, shifted by %d", r.Width, r.Shift)
	}
	if err := textOK(r.Text); err != nil {
		return err
	}
	return r.Color.check()
}
