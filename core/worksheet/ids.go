package worksheet

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"

	"readymargin/core/mark"
	"readymargin/core/page"
)

// named gives an ID to every blank and question that has none: one that
// follows from the page and from what it is, so that what is found on a page
// has the same ID whenever it is asked for. From then on the ID stays, however
// the thing is moved or changed. Seen are those that are taken.
func (l PageRef) named(g Guide, seen map[string]bool) Guide {
	out := g
	out.Blanks, out.Questions = make([]Blank, len(g.Blanks)), make([]Question, len(g.Questions))
	id := func(has, of string) string {
		for n := 0; has == "" || seen[has]; n++ { // two of the same kind may lie at the same place
			sum := sha256.Sum256(fmt.Appendf(nil, "%d/%d/%d %s %d", l.Source, l.Page, l.Turn, of, n))
			has = hex.EncodeToString(sum[:8])
		}
		seen[has] = true
		return has
	}
	for i, b := range g.Blanks {
		b.ID = id(b.ID, fmt.Sprintf("blank %s %.1f", b.Kind, b.Rect))
		out.Blanks[i] = b
	}
	for i, q := range g.Questions {
		q.ID = id(q.ID, fmt.Sprintf("question %s %.1f", q.Number, q.Rect))
		out.Questions[i] = q
	}
	return out
}

// Named returns the plan with an ID for every blank and question that a
// teacher has set.
func (p Plan) Named() Plan {
	out, seen := make(Plan, len(p)), map[string]bool{}
	for i, l := range p {
		g := l.guided(Guide{}, seen)
		if l.Blanks != nil {
			l.Blanks = &g.Blanks
		}
		if l.Questions != nil {
			l.Questions = &g.Questions
		}
		out[i] = l
	}
	return out
}

// Keeping returns g with the IDs of an older guide of the same page, for what
// lies where something of the same kind lay: when more than half of what both
// cover together is covered by both.
func (g Guide) Keeping(older Guide) Guide {
	out := g
	out.Blanks, out.Questions = append([]Blank{}, g.Blanks...), append([]Question{}, g.Questions...)
	taken := map[string]bool{}
	for i, b := range out.Blanks {
		best := 0.5
		for _, o := range older.Blanks {
			if v := shared(b.Rect, o.Rect); v > best && o.Kind == b.Kind && !taken[o.ID] {
				best, out.Blanks[i].ID = v, o.ID
			}
		}
		taken[out.Blanks[i].ID] = true
	}
	for i, q := range out.Questions {
		for _, o := range older.Questions {
			if o.Number == q.Number && !taken[o.ID] && shared(q.Rect, o.Rect) > 0.5 {
				out.Questions[i].ID = o.ID
			}
		}
		taken[out.Questions[i].ID] = true
	}
	return out
}

// Told returns a guide with what another one of the same page tells of it, whose words
// have come since: the labels of places that have none, and the questions where there are
// none. Places stay as they are, with their IDs.
func (g Guide) Told(by Guide) Guide {
	out := g
	out.Blanks = append([]Blank{}, g.Blanks...)
	for i, b := range out.Blanks {
		for _, o := range by.Blanks {
			if b.Label == "" && o.Label != "" && shared(b.Rect, o.Rect) > 0.5 {
				out.Blanks[i].Label = o.Label
				if b.Holds == "" {
					out.Blanks[i].Holds = o.Holds
				}
			}
		}
	}
	if len(out.Questions) == 0 {
		out.Questions = by.Questions
	}
	if out.Lang == "" {
		out.Lang = by.Lang
	}
	if out.Han == "" {
		out.Han = by.Han
	}
	return out
}

// shared returns how much of what two boxes cover is covered by both, 0 to 1.
func shared(a, b Box) float64 {
	w, h := min(a[2], b[2])-max(a[0], b[0]), min(a[3], b[3])-max(a[1], b[1])
	if w <= 0 || h <= 0 {
		return 0
	}
	return w * h / (area(a) + area(b) - w*h)
}

func area(b Box) float64 { return (b[2] - b[0]) * (b[3] - b[1]) }

// named reports whether an ID can be one; "" can, until it is given.
func named(id string) bool { return id == "" || mark.ValidID(id) }

// TurnedTo returns a guide of the page as it is when the page is turned
// otherwise; size is that of the page turned so.
func (g Guide) TurnedTo(from, to int, size page.Point) Guide {
	l := PageRef{Turn: from, Blanks: &g.Blanks, Questions: &g.Questions}.turnedTo(to, size)
	return Guide{Blanks: *l.Blanks, Questions: *l.Questions}
}
