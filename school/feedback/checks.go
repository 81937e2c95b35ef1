package feedback

import (
	"context"
	"slices"

	"readymargin/core/mark"
	"readymargin/school"
)

// A Check is a copy that waits to be returned, with what may have been
// forgotten on it.
type Check struct {
	RosterEntry
	Missing    []school.Scored // questions without points
	Pointless  bool            // there are points to give, and none were given
	Unanswered []string        // the notes that ask something and have no answer
	Nothing    bool            // it has neither points nor a remark nor a mark of a teacher
}

// Clear reports whether nothing was forgotten.
func (c Check) Clear() bool {
	return len(c.Missing) == 0 && !c.Pointless && len(c.Unanswered) == 0 && !c.Nothing
}

// Checks returns the copies of an assignment that wait to be returned; only is
// one copy alone, returned before or not, and 0 for all.
func (s *Marking) Checks(ctx context.Context, who school.Person, assignment, only uint64) (school.Assignment, school.Course, []Check, error) {
	a, course, roll, err := s.queue.Roll(ctx, who, assignment)
	if err != nil {
		return a, course, nil, err
	}
	roll = slices.DeleteFunc(roll, func(r RosterEntry) bool {
		return r.Copy.Attempts == 0 || only == 0 && !r.Waiting() || only != 0 && r.Copy.ID != only
	})
	said, answered, err := s.said(ctx, roll)
	if err != nil {
		return a, course, nil, err
	}
	handed, err := s.revisions.HandedIn(ctx, revisionsOf(roll)...)
	if err != nil {
		return a, course, nil, err
	}
	out := make([]Check, len(roll))
	for i, r := range roll {
		asked := school.ScoredOf(handed[r.Copy.RevisionID].Now.Guides, nil)
		c := Check{RosterEntry: r, Pointless: a.Points > 0 && r.Latest.Points == nil}
		for _, q := range asked {
			if _, ok := r.Score(q.ID); !ok {
				c.Missing = append(c.Missing, q)
			}
		}
		if len(c.Missing) == len(asked) && r.Latest.Points != nil {
			c.Missing = nil // given as a whole
		}
		for _, note := range r.Latest.Asked {
			if !answered[note] {
				if a.Hides(r.Copy) {
					note = "" // its name tells when it was written
				}
				c.Unanswered = append(c.Unanswered, note)
			}
		}
		c.Nothing = r.Latest.Points == nil && r.Latest.Remark == "" && said[r.Copy.ID][r.Latest.Number] == 0 && len(r.Scores) == 0
		out[i] = c
	}
	return a, course, out, nil
}

// said counts what the teachers have set on each copy and attempt, and tells
// which notes they have answered.
func (s *Marking) said(ctx context.Context, roll []RosterEntry) (marks map[uint64]map[int]int, answered map[string]bool, err error) {
	var copies, asking []uint64
	for _, r := range roll {
		copies = append(copies, r.Copy.ID)
		if len(r.Latest.Asked) > 0 {
			asking = append(asking, r.Copy.ID)
		}
	}
	if len(copies) == 0 {
		return nil, nil, nil
	}
	if marks, err = s.store.FeedbackMarks(ctx, copies...); err != nil || len(asking) == 0 {
		return marks, nil, err
	}
	heads, err := s.store.FeedbackHeads(ctx, asking...)
	answered = map[string]bool{}
	for _, of := range heads {
		for _, h := range of {
			if h.Mark == nil {
				continue
			}
			if reply, ok := h.Mark.Body.(*mark.Reply); ok {
				answered[reply.To] = true
			}
		}
	}
	return marks, answered, err
}
