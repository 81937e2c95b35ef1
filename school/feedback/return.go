package feedback

import (
	"context"
	"encoding/json"
	"errors"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/submission"
	"readymargin/core/worksheet"
	"readymargin/school"
)

// Return gives an attempt and its feedback to the student. Where there are
// points to give and none were given it is the Problem "no points", unless
// pointless is set.
func (s *Marking) Return(ctx context.Context, who school.Person, id uint64, number int, pointless bool) error {
	in, err := s.gate.Copy(ctx, who, id, access.MarkCopy, "")
	if err != nil {
		return err
	}
	if number < 1 {
		return school.Refuse("wrong form", "attempt", "")
	}
	issued, err := s.revisions.Issued(ctx, in.Revision)
	if err != nil {
		return err
	}
	err = s.store.InCopy(ctx, id, func(tx school.CopyTx) error {
		c, err := tx.Copy()
		if err != nil {
			return err
		}
		a, err := tx.Attempt(number)
		if errors.Is(err, school.ErrNotFound) {
			return access.ErrHidden
		}
		if err != nil {
			return err
		}
		if in.Assignment.Points > 0 && a.Points == nil && !pointless {
			return school.Refuse("no points", "", in.Assignment.Points.String())
		}
		if number == c.Attempts {
			if c.State, err = flow.Next(c.State, flow.Return, flow.Facts{}); err != nil {
				return err
			}
		}
		if a.ReturnedHash, err = fixFeedback(tx, a, issued.Guides); err != nil {
			return err
		}
		now := s.now()
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
		s.feed.Tell(id)
	}
	return err
}

// fixFeedback stores what the teachers have said about an attempt so far.
func fixFeedback(tx school.CopyTx, a school.Attempt, pages []worksheet.Guide) (string, error) {
	heads, err := tx.Heads(submission.Feedback(a.Number))
	if err != nil {
		return "", err
	}
	shown, by := school.Present(heads)
	scores, err := tx.Scores(a.Number)
	if err != nil {
		return "", err
	}
	r := school.Returned{Points: a.Points, Remark: a.Remark, Marks: []school.ReturnedMark{}}
	if len(scores) > 0 {
		r.Scores, _ = school.ScoredOf(pages, scores)
	}
	for _, w := range shown {
		r.Marks = append(r.Marks, school.ReturnedMark{Mark: w.Mark, By: by[w.Version].AuthorName, At: by[w.Version].At})
	}
	b, err := json.Marshal(r)
	if err != nil {
		return "", err
	}
	return tx.PutBlob(b)
}

// ReturnAll returns every marked copy of an assignment that waits, and says
// how many.
func (s *Marking) ReturnAll(ctx context.Context, who school.Person, assignment uint64) (int, error) {
	a, _, roll, err := s.queue.Roll(ctx, who, assignment)
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
