// Package note puts notes and their answers together as conversations, and
// gives them the numbers that stand at both ends of a leader line. It does
// not know audio files.
package note

import (
	"slices"
	"time"

	"readymargin/core/mark"
)

// A Remark is something said by somebody: the note itself or an answer.
type Remark struct {
	ID      string      `json:"id"`
	Version string      `json:"version,omitempty"` // of the mark, for changing it
	Layer   string      `json:"layer"`
	Author  string      `json:"author"`
	Mine    bool        `json:"mine"`
	Sent    bool        `json:"sent"` // the other side can see it
	At      time.Time   `json:"at"`
	Text    string      `json:"text,omitempty"`
	Rich    bool        `json:"rich,omitempty"` // Text is CommonMark
	Voice   *mark.Voice `json:"voice,omitempty"`
	Helper  string      `json:"helper,omitempty"` // who said it in the author's stead
	Help    string      `json:"help,omitempty"`   // who helped, when it says that somebody did
	Color   mark.Color  `json:"color,omitempty"`  // of the note's point
	Says    string      `json:"says,omitempty"`   // what a student's note is, see mark.Says
	Asks    uint64      `json:"asks,omitempty"`   // the person who alone is asked by it
}

// A Thread is a note with its answers, at its place.
type Thread struct {
	Number  int        `json:"number"`
	Page    int        `json:"page"`
	Place   [2]float64 `json:"place"`
	On      string     `json:"on,omitempty"`      // the mark it speaks about
	Gone    bool       `json:"gone,omitempty"`    // that mark is not there any more
	Quote   string     `json:"quote,omitempty"`   // the words it speaks about
	Meaning string     `json:"meaning,omitempty"` // of the colour key
	Remarks []Remark   `json:"remarks"`
	Done    *Remark    `json:"done,omitempty"` // who settled it, as long as nothing was said after that
}

// Said is a mark together with who made it and how it stands.
type Said struct {
	Mark   mark.Mark
	Remark Remark // ID, Text, Rich and Voice are filled in from the mark
}

// Threads gathers notes and replies, in the order of their places on the
// sheet. Replies to a note that is not there are left out. About gives the mark
// of an ID as it is now, beside which a note about it stands.
func Threads(all []Said, about func(id string) (mark.Mark, bool)) []Thread {
	g := gatherer{about: about}
	for _, s := range all {
		g.said = s
		s.Mark.Visit(&g)
	}
	slices.SortStableFunc(g.threads, func(a, b Thread) int {
		switch {
		case a.Page != b.Page:
			return a.Page - b.Page
		case a.Place[1] != b.Place[1]:
			if a.Place[1] < b.Place[1] {
				return -1
			}
			return 1
		}
		return 0
	})
	for i := range g.threads {
		t := &g.threads[i]
		t.Number = i + 1
		answers := g.replies[t.Remarks[0].ID]
		slices.SortStableFunc(answers, Remark.later)
		t.Remarks = append(t.Remarks, answers...)
		t.Done = settled(g.done[t.Remarks[0].ID], t.Remarks)
	}
	return g.threads
}

// Whole returns what was said about a copy as a whole, beside any note, the oldest
// first.
func Whole(all []Said) []Remark {
	g := gatherer{about: func(string) (mark.Mark, bool) { return mark.Mark{}, false }}
	for _, s := range all {
		g.said = s
		s.Mark.Visit(&g)
	}
	said := g.replies[mark.Whole]
	slices.SortStableFunc(said, Remark.later)
	return said
}

// later compares when things were said. What has no time is not saved yet, and newer
// than all that is.
func (r Remark) later(than Remark) int {
	if r.At.IsZero() != than.At.IsZero() {
		return -r.At.Compare(than.At)
	}
	return r.At.Compare(than.At)
}

// settled returns who said last that a note is settled, unless something was said
// after that.
func settled(done, said []Remark) *Remark {
	if len(done) == 0 {
		return nil
	}
	last := slices.MaxFunc(done, Remark.later)
	if slices.MaxFunc(said, Remark.later).later(last) > 0 {
		return nil
	}
	return &last
}

type gatherer struct {
	about   func(id string) (mark.Mark, bool)
	said    Said
	threads []Thread
	replies map[string][]Remark
	done    map[string][]Remark
}

func (g *gatherer) remark(text string, rich bool, v *mark.Voice) Remark {
	r := g.said.Remark
	r.ID, r.Text, r.Rich, r.Voice, r.Helper = g.said.Mark.ID, text, rich, v, g.said.Mark.Helper
	return r
}

func (g *gatherer) Note(m mark.Mark, n *mark.Note) {
	first := g.remark(n.Text, n.Rich, n.Voice)
	first.Color, first.Help, first.Says = n.Color, n.Help, n.Says
	t := Thread{Page: m.Page, Place: n.At, On: n.On, Quote: n.Quote, Meaning: n.Meaning, Remarks: []Remark{first}}
	if n.On != "" {
		if on, there := g.about(n.On); there {
			p := n.PlaceOn(on.Body)
			t.Page, t.Place = on.Page, [2]float64{p.X, p.Y}
		} else {
			t.Gone = true
		}
	}
	g.threads = append(g.threads, t)
}

func (g *gatherer) Reply(_ mark.Mark, r *mark.Reply) {
	if g.replies == nil {
		g.replies, g.done = map[string][]Remark{}, map[string][]Remark{}
	}
	if r.Done {
		g.done[r.To] = append(g.done[r.To], g.remark(r.Text, r.Rich, r.Voice))
		return
	}
	said := g.remark(r.Text, r.Rich, r.Voice)
	said.Asks = r.Asks
	g.replies[r.To] = append(g.replies[r.To], said)
}

func (g *gatherer) Paper(mark.Mark, *mark.Paper)         {}
func (g *gatherer) FreeText(mark.Mark, *mark.FreeText)   {}
func (g *gatherer) Ink(mark.Mark, *mark.Ink)             {}
func (g *gatherer) Highlight(mark.Mark, *mark.Highlight) {}
func (g *gatherer) Underline(mark.Mark, *mark.Underline) {}
func (g *gatherer) StrikeOut(mark.Mark, *mark.StrikeOut) {}
func (g *gatherer) Line(mark.Mark, *mark.Line)           {}
func (g *gatherer) Square(mark.Mark, *mark.Square)       {}
func (g *gatherer) Circle(mark.Mark, *mark.Circle)       {}
func (g *gatherer) Stamp(mark.Mark, *mark.Stamp)         {}
func (g *gatherer) Picture(mark.Mark, *mark.Picture)     {}
func (g *gatherer) PolyLine(mark.Mark, *mark.PolyLine)   {}
func (g *gatherer) Widget(mark.Mark, *mark.Widget)       {}
