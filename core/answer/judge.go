package answer

import (
	"math/big"
	"slices"
	"strings"

	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/points"
	"readymargin/core/worksheet"
)

// A Verdict is how an answer stands to what the teacher expects. It is told to
// who marks, and never given by itself.
type Verdict string

const (
	Agrees  Verdict = "agrees"
	Differs Verdict = "differs"
	Unsure  Verdict = "cannot say"
)

// Judge compares an answer with what is expected; one that is empty differs.
// Spellings are equal as Normal says. A number agrees within its tolerance, in
// whatever unit measures the same; without a unit it is taken to be in the one
// that is expected, which the sheet may print behind the place. What was drawn,
// and words where a number is expected, cannot be compared.
func Judge(e worksheet.Expected, a Answer) Verdict {
	if a.Text == "" {
		if a.Drawn {
			return Unsure
		}
		return Differs
	}
	if slices.ContainsFunc(e.Words, func(w string) bool { return Normal(w) == a.Normal }) {
		return Agrees
	}
	if e.Number == "" {
		if len(e.Words) == 0 {
			return Unsure
		}
		return Differs
	}
	want, ok := quantity(plain(strings.TrimSpace(e.Number + " " + e.Unit)))
	if !ok {
		return Unsure
	}
	got, ok := quantity(shifted(plain(a.Text)))
	switch {
	case !ok:
		return Unsure
	case got.unit == "" && want.unit != "": // in the unit that is expected
		if got, ok = quantity(plain(a.Text) + " " + plain(e.Unit)); !ok {
			return Unsure
		}
	}
	if got.unit != want.unit {
		return Differs
	}
	off := new(big.Rat).Sub(got.value, want.value)
	tolerance := new(big.Rat)
	if e.Tolerance != "" {
		t, ok := quantity(plain(strings.TrimSpace(e.Tolerance + " " + e.Unit)))
		if !ok {
			return Unsure
		}
		tolerance = t.value
	}
	if off.Abs(off).Cmp(tolerance.Abs(tolerance)) > 0 {
		return Differs
	}
	return Agrees
}

// A Found is what comparing says of a question on one copy.
type Found struct {
	Question string         `json:"id"`
	Blanks   []Judged       `json:"blanks,omitempty"`
	Hit      []string       `json:"hit,omitempty"` // words that are expected to be marked, and are
	Missed   []string       `json:"missed,omitempty"`
	Excess   []string       `json:"excess,omitempty"` // marked, and not expected
	Points   *points.Points `json:"-"`                // proposed; nil for none
}

// Judged is a place in which something is expected.
type Judged struct {
	Blank   string        `json:"id"`
	Page    int           `json:"page"`
	Rect    worksheet.Box `json:"rect"`
	Verdict Verdict       `json:"is"`
	Wants   string        `json:"wants"` // what is expected, as people read it
}

// Find compares what stands on a copy with what the teacher expects, question by
// question; those for which nothing is expected are left out. Points are
// proposed where every place of a question can be compared: the share of those that agree, in
// the course's steps and rounded down; and for words to be marked all or, when
// one is missed or in excess, none are proposed.
func Find(pages []worksheet.Guide, answers []Answer, marks []mark.Mark, step points.Points) (out []Found) {
	for n, g := range pages {
		of := g.Of()
		for q, ask := range g.Questions {
			f := Found{Question: ask.ID}
			agree, unsure := 0, false
			for i, b := range g.Blanks {
				if of[i] != q || b.Holds != "" {
					continue
				}
				if b.Expected == nil {
					unsure = true // nobody has said what is right there
					continue
				}
				var a Answer
				if k := slices.IndexFunc(answers, func(a Answer) bool { return a.Blank == b.ID }); k >= 0 {
					a = answers[k]
				}
				v := Judge(*b.Expected, a)
				f.Blanks = append(f.Blanks, Judged{b.ID, n + 1, b.Rect, v, b.Expected.String()})
				if v == Agrees {
					agree++
				}
				unsure = unsure || v == Unsure
			}
			words := len(ask.Words) > 0
			if words {
				f.Hit, f.Missed, f.Excess = Words(ask, n+1, marks)
			}
			if len(f.Blanks) == 0 && !words {
				continue
			}
			if !unsure && ask.Points > 0 && (!words || len(f.Missed)+len(f.Excess) == 0) {
				share := ask.Points
				if total := len(f.Blanks); total > 0 {
					share = ask.Points * points.Points(agree) / points.Points(total)
				}
				share -= share % max(step, 1)
				f.Points = &share
			}
			out = append(out, f)
		}
	}
	return out
}

// Words returns which of the words that a question expects to be marked on a
// page are, which are not, and what else is washed over or underlined there as
// words.
func Words(ask worksheet.Question, number int, marks []mark.Mark) (hit, missed, excess []string) {
	taken := make([]bool, len(ask.Words))
	for _, m := range marks {
		if m.Page != number {
			continue
		}
		quads, text := washed(m), ""
		switch b := m.Body.(type) {
		case *mark.Highlight:
			text = b.Text
		case *mark.Underline:
			text = b.Text
		}
		expected := false
		for i, w := range ask.Words {
			for _, word := range (&mark.Highlight{QuadPoints: w.QuadPoints}).Quads() {
				if slices.ContainsFunc(quads, func(q page.Quad) bool { return q.Bounds().Contains(word.Bounds().Center()) }) {
					taken[i], expected = true, true
				}
			}
		}
		if !expected && text != "" {
			excess = append(excess, text)
		}
	}
	for i, w := range ask.Words {
		if taken[i] {
			hit = append(hit, w.Text)
		} else {
			missed = append(missed, w.Text)
		}
	}
	return hit, missed, excess
}
