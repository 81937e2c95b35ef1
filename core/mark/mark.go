// Package mark knows the kinds of marks that people put on a page: what each
// is made of, what is valid, how it is moved and recoloured, and what it
// covers. It does not know who made a mark or how it is stored.
//
// The set of kinds is closed. Everything that treats kinds differently
// (painting, export, comparing) is a [Visitor], so that a new kind cannot be
// forgotten. Names follow the annotations of ISO 32000-2, 12.5.6, where one
// exists. All lengths are points in page space.
package mark

import (
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"math"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"readymargin/core/ink"
	"readymargin/core/page"
)

// A Mark is one thing on one page.
type Mark struct {
	ID     string
	Page   int    // from 1
	Rank   int    // higher ones lie in front; among equals the one made later
	Helper string // who made it in the student's stead, if somebody did
	Blank  string // the ID of the blank that it was written in, "" for none
	Body   Body
}

// A Body is what a mark is made of: *FreeText, *Ink, *Highlight,
// *Underline, *StrikeOut, *Line, *PolyLine, *Square, *Circle, *Stamp,
// *Picture, *Widget, *Note, *Reply or *Paper.
type Body interface {
	// Kind returns the name under which the kind is stored.
	Kind() string
	// Bounds returns the smallest rectangle around what is painted.
	Bounds() page.Rect
	// Moved returns a copy moved by d.
	Moved(d page.Point) Body
	// Fitted returns a copy stretched as from is stretched to become to. What
	// is turned is stretched along its own sides.
	Fitted(from, to page.Rect) Body
	// Turned returns a copy turned about c by an angle in degrees, clockwise.
	// What cannot be turned only travels along.
	Turned(c page.Point, degrees float64) Body
	// Restyled returns a copy with what s says.
	Restyled(s Style) Body
	// Distance returns how far p is from what is painted, 0 when on it.
	Distance(p page.Point) float64

	check() error
	accept(Mark, Visitor)
}

// A Visitor does one thing for each kind of mark.
type Visitor interface {
	FreeText(Mark, *FreeText)
	Ink(Mark, *Ink)
	Highlight(Mark, *Highlight)
	Underline(Mark, *Underline)
	StrikeOut(Mark, *StrikeOut)
	Line(Mark, *Line)
	PolyLine(Mark, *PolyLine)
	Square(Mark, *Square)
	Circle(Mark, *Circle)
	Stamp(Mark, *Stamp)
	Picture(Mark, *Picture)
	Widget(Mark, *Widget)
	Note(Mark, *Note)
	Reply(Mark, *Reply)
	Paper(Mark, *Paper)
}

// Visit calls the method of v that belongs to m's kind.
func (m Mark) Visit(v Visitor) { m.Body.accept(m, v) }

// Limits of a single mark; beyond them Valid refuses it.
const (
	MaxText   = 20_000 // characters
	MaxPoints = 30_000 // of a stroke's path
	MaxQuads  = 400
	far       = 20_000 // points; a page side is at most 5 m, that is 14,173 points
)

// ErrInvalid is wrapped by every error of Valid and of reading a mark.
var ErrInvalid = errors.New("mark: invalid")

func invalid(format string, a ...any) error {
	return fmt.Errorf("%w: %s", ErrInvalid, fmt.Sprintf(format, a...))
}

// ValidID reports whether s can be the name of a mark or an operation: 8 to
// 64 letters, digits, hyphens and underscores.
func ValidID(s string) bool {
	return len(s) >= 8 && len(s) <= 64 && consistsOf(s, "0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz_-")
}

// consistsOf reports whether all of s is in the alphabet. The core is sent to
// browsers, and regular expressions would make a fifth of it.
func consistsOf(s, alphabet string) bool { return strings.Trim(s, alphabet) == "" }

const hex = "0123456789abcdef"

// Valid says why m cannot be kept, or nil.
func (m Mark) Valid() error {
	switch {
	case !ValidID(m.ID):
		return invalid("name %q", m.ID)
	case m.Page < 1:
		return invalid("page %d", m.Page)
	case m.Rank < -1000 || m.Rank > 1000:
		return invalid("rank %d", m.Rank)
	case utf8.RuneCountInString(m.Helper) > 60:
		return invalid("helper %q", m.Helper)
	case m.Blank != "" && !ValidID(m.Blank):
		return invalid("blank %q", m.Blank)
	case m.Body == nil:
		return invalid("nothing in it")
	}
	return m.Body.check()
}

// onPaper refuses what lies outside any page.
func onPaper(b page.Rect) error {
	if !(b.Min.X > -far && b.Min.Y > -far && b.Max.X < far && b.Max.Y < far) {
		return invalid("outside any page: %v", b)
	}
	return nil
}

// A Color is a colour in the form #rrggbb, in sRGB.
type Color string

// Good reports whether there is such a colour.
func (c Color) Good() bool { return c.check() == nil }

func (c Color) check() error {
	if len(c) != 7 || c[0] != '#' || !consistsOf(string(c[1:]), hex) {
		return invalid("colour %q", string(c))
	}
	return nil
}

// RGB returns the parts of the colour from 0 to 1.
func (c Color) RGB() (r, g, b float64) {
	v, err := strconv.ParseUint(strings.TrimPrefix(string(c), "#"), 16, 24)
	if err != nil {
		return 0, 0, 0
	}
	return float64(v>>16) / 255, float64(v>>8&0xff) / 255, float64(v&0xff) / 255
}

// Thinned returns the colour that c has on white paper where it is laid on with
// this opacity, from 0 to 1.
func (c Color) Thinned(opacity float64) Color {
	part := func(v float64) int { return int(math.Round(255 * (1 - (1-v)*min(max(opacity, 0), 1)))) }
	r, g, b := c.RGB()
	return Color(fmt.Sprintf("#%02x%02x%02x", part(r), part(g), part(b)))
}

// A Style is what can be changed of marks of several kinds at once. What is
// zero stays as it is; a colour comes with the meaning that it has in the
// colour key, or with none.
type Style struct {
	Color   Color   `json:"color"`
	Meaning string  `json:"meaning"`
	Sign    string  `json:"sign"`
	Width   float64 `json:"width"`   // of lines, points
	Opacity float64 `json:"opacity"` // of lines, 0 to 1
}

// apply sets what s says of a plain mark; what a mark does not have is nil.
func (s Style) apply(color *Color, width, opacity *float64) {
	if s.Color != "" && color != nil {
		*color = s.Color
	}
	if s.Width > 0 && width != nil {
		*width = s.Width
	}
	if s.Opacity > 0 && opacity != nil {
		*opacity = s.Opacity
	}
}

// mean sets colour and meaning, which go together.
func (s Style) mean(color *Color, meaning, sign *string) {
	if s.Color != "" {
		*color, *meaning, *sign = s.Color, s.Meaning, s.Sign
	}
}

// Renamed returns the mark with other names for itself and for what it speaks
// about; those that are not in names stay.
func (m Mark) Renamed(names map[string]string) Mark {
	other := func(id string) string {
		if n, ok := names[id]; ok {
			return n
		}
		return id
	}
	m.ID = other(m.ID)
	switch b := m.Body.(type) {
	case *Note:
		n := *b
		n.On = other(b.On)
		m.Body = &n
	case *Reply:
		r := *b
		r.To = other(b.To)
		m.Body = &r
	}
	return m
}

// Means returns the meaning of the colour key that the mark was chosen by, ""
// for none.
func (m Mark) Means() string {
	if b, ok := m.Body.(interface{ means() string }); ok {
		return b.means()
	}
	return ""
}

func (i *Ink) means() string       { return i.Meaning }
func (h *Highlight) means() string { return h.Meaning }
func (n *Note) means() string      { return n.Meaning }
func (m Markup) means() string     { return m.Meaning }
func (s Shape) means() string      { return s.Meaning }

// Ink is freehand drawing, by a pen or, as a wash, by a highlighter.
type Ink struct {
	Color   Color        `json:"color"`
	Width   float64      `json:"width"`             // points
	Opacity float64      `json:"opacity"`           // 0 to 1
	Wash    bool         `json:"wash,omitempty"`    // what is beneath shows through
	Meaning string       `json:"meaning,omitempty"` // of the colour key, if chosen by it
	Sign    string       `json:"sign,omitempty"`    // of that meaning, painted beside it
	InkList []ink.Stroke `json:"inkList"`
	Rubbed  []ink.Rub    `json:"rubbed,omitempty"` // what was rubbed out of it
}

// Highlight is a wash of colour over words (one quad a line) or over a box.
type Highlight struct {
	Color      Color        `json:"color"`
	QuadPoints [][8]float64 `json:"quadPoints"`        // corners in the order of page.Quad
	Text       string       `json:"text,omitempty"`    // the words under it, if any
	Meaning    string       `json:"meaning,omitempty"` // of the colour key, if chosen by it
	Sign       string       `json:"sign,omitempty"`    // of that meaning, painted beside it
}

// Quads returns the highlight's regions.
func (h *Highlight) Quads() []page.Quad {
	out := make([]page.Quad, len(h.QuadPoints))
	for i, q := range h.QuadPoints {
		out[i] = page.Quad{{X: q[0], Y: q[1]}, {X: q[2], Y: q[3]}, {X: q[4], Y: q[5]}, {X: q[6], Y: q[7]}}
	}
	return out
}

// QuadPoints writes quads as the numbers of a Highlight.
func QuadPoints(qs []page.Quad) [][8]float64 {
	out := make([][8]float64, len(qs))
	for i, q := range qs {
		for k, p := range q {
			out[i][2*k], out[i][2*k+1] = page.Round(p.X), page.Round(p.Y)
		}
	}
	return out
}

// Stamp is a small ready sign.
type Stamp struct {
	Name  string     `json:"name"` // one of StampNames
	Color Color      `json:"color"`
	Rect  [4]float64 `json:"rect"`           // left, top, right, bottom
	Turn  float64    `json:"turn,omitempty"` // degrees clockwise about its middle
}

// StampNames are the signs there are.
var StampNames = []string{"tick", "cross", "question", "star", "smile", "up", "down"}

// Picture is a picture laid on the page.
type Picture struct {
	Hash string     `json:"hash"`           // SHA-256 of the picture, in hexadecimal
	Name string     `json:"name"`           // what it shows, in words
	Rect [4]float64 `json:"rect"`           // left, top, right, bottom
	Turn float64    `json:"turn,omitempty"` // degrees clockwise about its middle

	// Words are those that are in it, where it shows what was typed with another program.
	Words string `json:"words,omitempty"`
}

// MaxPictureWords is how many bytes of words a picture holds at most.
const MaxPictureWords = 1000

// A Voice is a spoken remark.
type Voice struct {
	Sound        string `json:"sound"` // SHA-256 of the sound, in hexadecimal
	Milliseconds int    `json:"ms"`
	Peaks        []int  `json:"peaks"` // loudness along the way, 0 to 100

	// Trail is what was shown meanwhile, the SHA-256 of a core/trail: then it is a
	// talk-through.
	Trail string `json:"trail,omitempty"`

	// Of a sound that is laid on a sheet: how often it may be heard, 0 for as often as
	// one likes, and what it says, for those who cannot hear it. Students are only told
	// that there are words.
	Times   int    `json:"times,omitempty"`
	Words   string `json:"words,omitempty"`
	Written bool   `json:"written,omitempty"`
}

// MostTimes is how often a sound may be heard at most, where that is counted.
const MostTimes = 9

// Note is something said at a place, typed or spoken. One that speaks about a
// mark goes where that mark goes.
type Note struct {
	At      [2]float64  `json:"at"`
	On      string      `json:"on,omitempty"`      // the mark it speaks about, if any
	From    *[2]float64 `json:"from,omitempty"`    // where that mark began when At was set
	Quote   string      `json:"quote,omitempty"`   // the words it speaks about, if any
	Says    string      `json:"says,omitempty"`    // one of Says
	Color   Color       `json:"color,omitempty"`   // of its point; its author's when empty
	Meaning string      `json:"meaning,omitempty"` // of the colour key, if chosen by it
	Sign    string      `json:"sign,omitempty"`    // of that meaning
	Help    string      `json:"help,omitempty"`    // who helped, when it says that somebody did
	Text    string      `json:"text,omitempty"`
	Rich    bool        `json:"rich,omitempty"` // Text has a form: it is CommonMark
	Voice   *Voice      `json:"voice,omitempty"`
}

// Says is what a student's note is: a question, or a part of the work. One
// that says that somebody helped is neither.
var Says = []string{"", "ask", "work"}

// Whole is what replies name that are about the copy as a whole, and no note.
const Whole = "the-whole-copy"

// Reply answers a note, or speaks of the copy as a whole; it has no place of its own.
type Reply struct {
	To    string `json:"to"`             // the note's ID, or Whole
	Asks  uint64 `json:"asks,omitempty"` // the person who alone is asked by it
	Text  string `json:"text,omitempty"`
	Rich  bool   `json:"rich,omitempty"` // as of Note
	Done  bool   `json:"done,omitempty"` // it says that the note is settled, in words or without
	Voice *Voice `json:"voice,omitempty"`
}

type wire struct {
	ID     string          `json:"id"`
	Page   int             `json:"page"`
	Rank   int             `json:"rank"`
	Helper string          `json:"helper"`
	Blank  string          `json:"blank"`
	Kind   string          `json:"kind"`
	Body   json.RawMessage `json:"body"`
}

// MarshalJSON writes m with the name of its kind.
func (m Mark) MarshalJSON() ([]byte, error) {
	body, err := json.Marshal(m.Body)
	if err != nil {
		return nil, err
	}
	out := append([]byte(`{"id":`), strconv.Quote(m.ID)...) // valid names need no escaping
	out = append(out, `,"page":`...)
	out = strconv.AppendInt(out, int64(m.Page), 10)
	if m.Rank != 0 {
		out = strconv.AppendInt(append(out, `,"rank":`...), int64(m.Rank), 10)
	}
	if m.Helper != "" {
		name, err := json.Marshal(m.Helper)
		if err != nil {
			return nil, err
		}
		out = append(append(out, `,"helper":`...), name...)
	}
	if m.Blank != "" {
		out = append(out, `,"blank":`+strconv.Quote(m.Blank)...)
	}
	out = append(out, `,"kind":"`+m.Body.Kind()+`","body":`...)
	return append(append(out, body...), '}'), nil
}

// kinds returns an empty body of every kind there is, by its name.
func kinds() map[string]Body {
	return map[string]Body{
		"freetext": &FreeText{}, "ink": &Ink{}, "highlight": &Highlight{},
		"underline": &Underline{}, "strikeout": &StrikeOut{}, "line": &Line{}, "polyline": &PolyLine{}, "square": &Square{}, "circle": &Circle{},
		"stamp": &Stamp{}, "picture": &Picture{}, "widget": &Widget{}, "note": &Note{}, "reply": &Reply{}, "paper": &Paper{},
	}
}

// Bodies returns an empty body of every kind there is.
func Bodies() []Body { return slices.Collect(maps.Values(kinds())) }

// UnmarshalJSON reads what MarshalJSON writes; a kind that does not exist and
// a body that is not valid are refused with ErrInvalid.
func (m *Mark) UnmarshalJSON(b []byte) error {
	var w wire
	if err := json.Unmarshal(b, &w); err != nil {
		return invalid("%v", err)
	}
	body, ok := kinds()[w.Kind]
	if !ok {
		return invalid("kind %q", w.Kind)
	}
	if err := json.Unmarshal(w.Body, body); err != nil {
		return invalid("%v", err)
	}
	*m = Mark{ID: w.ID, Page: w.Page, Rank: w.Rank, Helper: w.Helper, Blank: w.Blank, Body: body}
	return m.Valid()
}

// meaningOK checks a meaning of the colour key and its sign.
func meaningOK(meaning, sign string) error {
	if utf8.RuneCountInString(meaning) > 40 || utf8.RuneCountInString(sign) > 3 {
		return invalid("meaning %q with the sign %q", meaning, sign)
	}
	return textOK(meaning + sign)
}

func textOK(s string) error {
	if !utf8.ValidString(s) || utf8.RuneCountInString(s) > MaxText {
		return invalid("text of %d bytes", len(s))
	}
	return nil
}
