package school

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"readymargin/core/access"
	"readymargin/core/copy"
	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/points"
)

// Returned is the feedback as it was given back. The student sees this and
// nothing else of what the teachers wrote; what they change afterwards is
// seen at the next Return.
type Returned struct {
	Points *points.Points `json:"points"`
	Remark string         `json:"remark"`
	Marks  []ReturnedMark `json:"marks"`
}

// A ReturnedMark is a mark of the feedback and who made it.
type ReturnedMark struct {
	Mark mark.Mark `json:"mark"`
	By   string    `json:"by"`
	At   time.Time `json:"at"`
}

func (r Returned) marks() (out []mark.Mark) {
	for _, m := range r.Marks {
		out = append(out, m.Mark)
	}
	return out
}

func (s *School) returned(ctx context.Context, a Attempt) (r Returned, err error) {
	b, err := s.Store.Blob(ctx, a.ReturnedHash)
	if err == nil {
		err = json.Unmarshal(b, &r)
	}
	return r, err
}

// Return gives an attempt and its feedback to the student. Where there are
// points to give and none were given it is the Problem "no points", unless
// pointless is set.
func (s *School) Return(ctx context.Context, who Person, id uint64, number int, pointless bool) error {
	in, err := s.copyFor(ctx, who, id, access.MarkCopy, "")
	if err != nil {
		return err
	}
	if number < 1 {
		return problem("wrong form", "attempt", "")
	}
	err = s.Store.InCopy(ctx, id, func(tx CopyTx) error {
		c, err := tx.Copy()
		if err != nil {
			return err
		}
		a, err := tx.Attempt(number)
		if errors.Is(err, ErrNotFound) {
			return access.ErrHidden
		}
		if err != nil {
			return err
		}
		if in.Assignment.Points > 0 && a.Points == nil && !pointless {
			return problem("no points", "", in.Assignment.Points.String())
		}
		if number == c.Attempts {
			if c.State, err = flow.Next(c.State, flow.Return, flow.Facts{}); err != nil {
				return err
			}
		}
		if a.ReturnedHash, err = fixFeedback(tx, a); err != nil {
			return err
		}
		now := s.Now()
		a.ReturnedAt, a.OpenedAt = &now, nil
		if a.MarkedAt == nil {
			a.MarkedAt = &now
		}
		if err := tx.PutAttempt(a); err != nil {
			return err
		}
		return tx.SetCopy(c)
	})
	if err == nil {
		s.feed.tell(id)
	}
	return err
}

// fixFeedback stores what the teachers have said about an attempt so far.
func fixFeedback(tx CopyTx, a Attempt) (string, error) {
	heads, err := tx.Heads(copy.Feedback(a.Number))
	if err != nil {
		return "", err
	}
	shown, by := present(heads)
	r := Returned{Points: a.Points, Remark: a.Remark, Marks: []ReturnedMark{}}
	for _, w := range shown {
		r.Marks = append(r.Marks, ReturnedMark{w.Mark, by[w.Version].AuthorName, by[w.Version].At})
	}
	b, err := json.Marshal(r)
	if err != nil {
		return "", err
	}
	return tx.PutBlob(b)
}

// ReturnAll returns every marked copy of an assignment that waits, and says
// how many.
func (s *School) ReturnAll(ctx context.Context, who Person, assignment uint64) (int, error) {
	a, _, roll, err := s.Roll(ctx, who, assignment)
	if err != nil {
		return 0, err
	}
	n := 0
	for _, r := range roll {
		if r.Waiting() && r.Marked(a.Points) {
			if err := s.Return(ctx, who, r.Copy.ID, r.Latest.Number, false); err != nil {
				return n, err
			}
			n++
		}
	}
	return n, nil
}

// showReturned adds what was given back with an attempt.
func (s *School) showReturned(ctx context.Context, v *View, a *Attempt) error {
	r, err := s.returned(ctx, *a)
	if err != nil {
		return err
	}
	v.Remark, v.ReturnedAt, v.Feedback = r.Remark, a.ReturnedAt, a.Number
	if r.Points != nil {
		given := r.Points.String()
		v.Given = &given
	}
	for _, m := range r.Marks {
		v.Marks = append(v.Marks, viewMark(copy.Feedback(a.Number), copy.Shown{Mark: m.Mark}, m.By, false, m.At, true))
	}
	return nil
}

// opened notes that the student has seen what was returned.
func (s *School) opened(ctx context.Context, id uint64, a Attempt) error {
	if a.OpenedAt != nil {
		return nil
	}
	return s.Store.InCopy(ctx, id, func(tx CopyTx) error {
		a, err := tx.Attempt(a.Number)
		if err != nil || a.OpenedAt != nil {
			return err
		}
		now := s.Now()
		a.OpenedAt = &now
		return tx.PutAttempt(a)
	})
}

func replyText(m mark.Mark) string {
	if r, ok := m.Body.(*mark.Reply); ok {
		if r.Text == "" {
			return "(spoken)"
		}
		return r.Text
	}
	return ""
}
