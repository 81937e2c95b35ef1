package annotation

import (
	"cmp"
	"encoding/json"
	"strings"
	"time"

	"readymargin/core/draw"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/typeset"
)

// Of returns the annotation that a mark is taken away as. False is returned for
// what is none: what was filled into fields is in these, paper that was added
// is a page, and answers belong to what they answer (see All).
func Of(m mark.Mark) (Annotation, bool) {
	v := maker{a: Annotation{Page: m.Page, Name: m.ID, Rect: painted(m), Mark: &m}}
	m.Visit(&v)
	if v.a.Subtype == "" {
		return Annotation{}, false
	}
	v.a.Own = kept{Mark: cmp.Or(v.own, &m)}.String()
	return v.a, true
}

// kept is what an annotation's own form says: its mark, and the note that is its
// text.
type kept struct {
	Mark *mark.Mark `json:"mark"`
	Note *mark.Mark `json:"note,omitempty"`
}

func (k kept) String() string {
	b, err := json.Marshal(k)
	if err != nil {
		return "" // what cannot be written is read by what the standard says
	}
	return string(b)
}

// edge is left free around what is painted, in points: readers cut appearances off
// at their edges, each in its own way.
const edge = 0.5

// painted returns a rectangle around all that a mark shows, with its sign and the
// name of who helped.
func painted(m mark.Mark) page.Rect {
	out := m.Body.Bounds()
	for _, s := range draw.Shapes(m) {
		switch {
		case s.Text != nil:
			out = out.Union(around(*s.Text))
		case s.Image == nil:
			out = out.Union(s.Path.Bounds().Grow(s.Width / 2))
		}
	}
	out = out.Grow(edge)
	return page.Rect{Min: out.Min.Round(), Max: out.Max.Round()}
}

// around returns the rectangle around a line of text, with what stands above and
// below its letters.
func around(t draw.Text) page.Rect {
	at := page.Pt(t.X, t.Y)
	r := page.Rect{Min: at, Max: at}
	x := t.X
	for _, run := range t.Runs {
		w := run.Advance
		if w == 0 {
			w = typeset.Of(typeset.Look{Font: run.Font, Bold: run.Bold, Italic: run.Italic}).Width(run.Text, run.Size)
		}
		y := t.Y - run.Rise
		r = r.Union(page.R(x, y-1.1*run.Size, x+w+0.1*run.Size, y+0.35*run.Size))
		x += w
	}
	return page.QuadOf(r).Turned(at, t.Turn).Bounds()
}

// A maker fills in what each kind has.
type maker struct {
	a   Annotation
	own *mark.Mark // the mark as it is kept, where that is not the mark itself
}

func (v *maker) FreeText(_ mark.Mark, t *mark.FreeText) {
	v.a.Subtype, v.a.Subject = FreeText, "Text"
	v.a.Contents, v.a.Rich = t.String(), rich(t)
	v.a.Color, v.a.Width = t.Fill, -1
	v.a.Size, v.a.Letters = t.Size(), "#000000"
	if len(t.Lines) > 0 && len(t.Lines[0].Runs) > 0 {
		v.a.Letters, v.a.Font = t.Lines[0].Runs[0].Color, t.Lines[0].Runs[0].Font
	}
	if t.Turn == 0 {
		v.a.Inner = t.Frame().Grow(pad)
	}
	switch t.Align {
	case "center":
		v.a.Align = 1
	case "right":
		v.a.Align = 2
	}
}

func (v *maker) Ink(_ mark.Mark, i *mark.Ink) {
	v.a.Subtype, v.a.Subject, v.a.Contents = Ink, "Drawing", "A drawing"
	if i.Wash {
		v.a.Contents = "A broad stroke of the highlighter"
	}
	v.a.Color, v.a.Width, v.a.Opacity = i.Color, i.Width, i.Opacity
	for _, s := range i.InkList {
		v.a.InkList = append(v.a.InkList, s.Middle())
	}
	v.means(i.Meaning)
}

func (v *maker) words(kind Subtype, says, text string, c mark.Color, quads []page.Quad, meaning string) {
	v.a.Subtype, v.a.Subject, v.a.Contents = kind, says, says
	if text != "" {
		v.a.Contents = says + ": " + text
	}
	v.a.Color, v.a.Quads = c, quads
	v.means(meaning)
}

// means says what the mark's colour stands for.
func (v *maker) means(meaning string) {
	if meaning != "" {
		v.a.Subject = meaning
	}
}

func (v *maker) Highlight(_ mark.Mark, h *mark.Highlight) {
	v.words(Highlight, "Highlight", h.Text, h.Color, h.Quads(), h.Meaning)
}

func (v *maker) Underline(_ mark.Mark, u *mark.Underline) {
	v.words(Underline, "Underlined", u.Text, u.Color, u.Quads(), u.Meaning)
}

func (v *maker) StrikeOut(_ mark.Mark, s *mark.StrikeOut) {
	v.words(StrikeOut, "Crossed out", s.Text, s.Color, s.Quads(), s.Meaning)
}

func (v *maker) shape(kind Subtype, says string, s mark.Shape) {
	v.a.Subtype, v.a.Subject, v.a.Contents = kind, says, says
	v.a.Color, v.a.Interior, v.a.Width, v.a.Opacity = s.Color, s.Fill, s.Width, s.Opacity
	v.means(s.Meaning)
}

func (v *maker) line(kind Subtype, s mark.Shape, through []page.Point, endings [2]string) {
	says := "Line"
	if endings != [2]string{} {
		says = "Arrow"
	}
	v.shape(kind, says, s)
	v.a.Vertices = through
	for i, e := range endings {
		if v.a.Endings[i] = e; e == "" {
			v.a.Endings[i] = "None"
		}
	}
}

func (v *maker) Line(_ mark.Mark, l *mark.Line) {
	from, to := l.Ends()
	v.line(Line, l.Shape, []page.Point{from, to}, l.LineEnding)
}

func (v *maker) PolyLine(_ mark.Mark, l *mark.PolyLine) {
	v.line(PolyLine, l.Shape, l.Points(), l.LineEnding)
}

// Square of a box that is turned is the polygon of its corners: a Square has
// no angle.
func (v *maker) Square(_ mark.Mark, s *mark.Square) {
	v.shape(Square, "Box", s.Shape)
	v.a.Inner = rectOf(s.Rect).Grow(s.Width / 2)
	if s.Turn != 0 {
		r := rectOf(s.Rect)
		corners := page.QuadOf(r).Turned(r.Center(), s.Turn)
		v.a.Subtype, v.a.Vertices, v.a.Inner = Polygon, corners[:], page.Rect{}
	}
}

func (v *maker) Circle(_ mark.Mark, c *mark.Circle) {
	v.shape(Circle, "Ellipse", c.Shape)
	if c.Turn == 0 {
		v.a.Inner = rectOf(c.Rect).Grow(c.Width / 2)
	}
}

func rectOf(r [4]float64) page.Rect { return page.R(r[0], r[1], r[2], r[3]) }

// stampWords are what readers aloud say of signs.
var stampWords = map[string]string{
	"tick": "Tick", "cross": "Cross", "question": "Question mark", "star": "Star", "smile": "Smile", "up": "Thumb up", "down": "Thumb down",
}

func (v *maker) Stamp(_ mark.Mark, s *mark.Stamp) {
	v.a.Subtype, v.a.Subject, v.a.Contents, v.a.Color = Stamp, "Sign", stampWords[s.Name], s.Color
	v.a.Icon = iconOf + s.Name
}

// iconOf begins the names of signs that are this product's own: the standard
// lets there be others than its own (ISO 32000-2, table 184).
const iconOf = "ReadyMargin"

func (v *maker) Picture(_ mark.Mark, p *mark.Picture) {
	v.a.Subtype, v.a.Subject, v.a.Contents, v.a.Icon = Stamp, "Picture", p.Name, iconOf+"Picture"
}

func (v *maker) Note(m mark.Mark, n *mark.Note) {
	v.a.Subtype, v.a.Subject, v.a.Contents, v.a.Icon = Text, "Note", said(n.Text, n.Voice), "Comment"
	if n.Says == "ask" {
		v.a.Subject, v.a.Icon = "Question", "Help"
	}
	v.a.Color = n.Color
	if n.Voice != nil { // what was said goes along as a file
		c := *n
		c.Voice, c.Text = nil, v.a.Contents
		m.Body = &c
		v.own = &m
	}
}

func (*maker) Widget(mark.Mark, *mark.Widget) {}
func (*maker) Reply(mark.Mark, *mark.Reply)   {}
func (*maker) Paper(mark.Mark, *mark.Paper)   {}

// said returns the words of a remark.
func said(text string, v *mark.Voice) string {
	if v == nil {
		return text
	}
	return strings.TrimSpace("(spoken) " + v.Words + "\n" + text)
}

// beneath reports whether a mark is painted before others.
func beneath(m mark.Mark) bool {
	i, drawn := m.Body.(*mark.Ink)
	_, washed := m.Body.(*mark.Highlight)
	return washed || drawn && i.Wash
}

// Said is a mark together with who made it, when, and to which layer it belongs.
type Said struct {
	Mark   mark.Mark
	Author string
	At     time.Time
	Layer  Layer
	Number int // of a note, as it stands on the page; 0 elsewhere
}

// All returns the annotations that marks are taken away as, those that darken what
// is beneath before the others, as they are painted. What is said about a mark by who
// made it is that annotation's own text; what others say about it, and answers, are
// replies. Plainly gives words without the signs of their form.
func All(all []Said, plainly func(text string, rich bool) string) []Annotation {
	var out []Annotation
	at := map[string]int{} // places in out by the IDs of marks
	add := func(a Annotation, s Said) {
		a.Author, a.Created, a.Changed, a.Layer, a.Number = s.Author, s.At, s.At, s.Layer, s.Number
		at[s.Mark.ID] = len(out)
		out = append(out, a)
	}
	for _, first := range []bool{true, false} {
		for _, s := range all {
			if _, note := s.Mark.Body.(*mark.Note); note || beneath(s.Mark) != first {
				continue
			}
			if a, ok := Of(s.Mark); ok {
				add(a, s)
			}
		}
	}
	spoken := map[int]bool{} // of annotations that have their text
	for _, s := range all {
		n, ok := s.Mark.Body.(*mark.Note)
		if !ok {
			continue
		}
		a, _ := Of(s.Mark)
		a.Contents = said(plainly(n.Text, n.Rich), n.Voice)
		if on, there := at[n.On]; there && n.On != "" {
			if about := &out[on]; about.Author == s.Author && !spoken[on] && about.Subtype != FreeText && n.Voice == nil {
				about.Contents, about.Popup, spoken[on] = a.Contents, true, true
				about.Own = kept{about.Mark, &s.Mark}.String()
				at[s.Mark.ID] = on
				continue
			}
			a.ReplyTo = out[on].Name
		}
		a.Popup = a.ReplyTo == ""
		add(a, s)
	}
	for _, s := range all {
		r, ok := s.Mark.Body.(*mark.Reply)
		if !ok {
			continue
		}
		on, there := at[r.To]
		if !there {
			continue
		}
		about := out[on]
		a := Annotation{
			Subtype: Text, Page: about.Page, Rect: about.Rect, Name: s.Mark.ID, Subject: "Answer", Icon: "Comment",
			Contents: said(plainly(r.Text, r.Rich), r.Voice), ReplyTo: about.Name, Color: about.Color, Mark: &s.Mark,
		}
		if r.Done && a.Contents == "" {
			a.State, a.Contents = "Completed", "Done"
		}
		add(a, s)
	}
	return out
}
