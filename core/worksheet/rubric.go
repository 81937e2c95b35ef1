package worksheet

import (
	"readymargin/core/mark"
	"readymargin/core/points"
)

// A Rubric is how a question is judged rather than counted: by criteria, each of
// them on one of several levels. What the levels give adds up to the question's
// points.
type Rubric struct {
	Criteria []Criterion `json:"c"`
	Shown    bool        `json:"s,omitempty"` // to students, with the task
}

// A Criterion is one thing that is judged.
type Criterion struct {
	ID     string  `json:"i"` // which no edit changes
	Text   string  `json:"t"`
	Levels []Level `json:"l"`
}

// A Level is how well a criterion may be met, and what it gives then.
type Level struct {
	ID     string        `json:"i"` // the same
	Text   string        `json:"t"`
	Points points.Points `json:"p"`
}

// Most returns the points of the criterion's best level.
func (c Criterion) Most() (most points.Points) {
	for _, l := range c.Levels {
		most = max(most, l.Points)
	}
	return most
}

// Points returns what the best levels of all criteria give together.
func (r *Rubric) Points() (sum points.Points) {
	for _, c := range r.Criteria {
		sum += c.Most()
	}
	return sum
}

// Given returns what the levels give that were chosen, by the IDs of their
// criteria. It is false when a criterion has none, or one that is not its own.
func (r *Rubric) Given(levels map[string]string) (sum points.Points, whole bool) {
	for _, c := range r.Criteria {
		met := false
		for _, l := range c.Levels {
			if levels[c.ID] == l.ID {
				sum, met = sum+l.Points, true
			}
		}
		if !met {
			return 0, false
		}
	}
	return sum, len(r.Criteria) > 0 && len(levels) == len(r.Criteria)
}

// Limits of a rubric.
const (
	maxCriteria = 20
	maxLevels   = 10
)

// Valid reports whether a rubric can be one: every criterion says what is judged
// and has levels, and no ID is there twice.
func (r *Rubric) Valid() bool {
	seen := map[string]bool{}
	fresh := func(id string) bool {
		taken := seen[id]
		seen[id] = true
		return !taken && mark.ValidID(id)
	}
	for _, c := range r.Criteria {
		if !fresh(c.ID) || !short(maxWords, c.Text) || len(c.Levels) == 0 || len(c.Levels) > maxLevels {
			return false
		}
		for _, l := range c.Levels {
			if !fresh(l.ID) || !short(maxText, l.Text) || l.Points < 0 || l.Points > 100*points.One {
				return false
			}
		}
	}
	return len(r.Criteria) > 0 && len(r.Criteria) <= maxCriteria
}
