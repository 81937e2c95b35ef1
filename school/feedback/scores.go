package feedback

import (
	"context"
	"slices"
	"strings"
	"time"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/points"
	"readymargin/core/worksheet"
	"readymargin/school"
)

// Scored is how an attempt's points stand after a question got some.
type Scored struct {
	worksheet.Tally
	Points *points.Points // in all
	At     time.Time
}

// Score keeps what an attempt gets for a question as a draft; "" takes it away.
// The total follows, unless one was given as a whole. Was is what stood there
// for the person who gives: what somebody else has given meanwhile is not
// written over unseen, but the Problem "scored".
func (s *Marking) Score(ctx context.Context, who school.Person, id uint64, number int, question, text, was string) (Scored, error) {
	c, err := s.gate.Copy(ctx, who, id, access.MarkCopy, "")
	if err != nil {
		return Scored{}, err
	}
	issued, err := s.revisions.Issued(ctx, c.Revision)
	if err != nil {
		return Scored{}, err
	}
	asked := worksheet.Worth(issued.Guides)
	at := slices.IndexFunc(asked, func(q worksheet.Question) bool { return q.ID == question })
	if at < 0 || number < 1 {
		return Scored{}, access.ErrHidden
	}
	now := s.now()
	score := school.Score{Attempt: number, QuestionID: question, PersonID: who.ID, At: now}
	if text = strings.TrimSpace(text); text != "" {
		if score.Points, err = points.Parse(text); err != nil || score.Points > asked[at].Points {
			return Scored{}, school.Refuse("score", "points", asked[at].Points.String())
		}
		text = score.Points.String()
	}
	out := Scored{At: now}
	err = s.store.InCopy(ctx, id, func(tx school.CopyTx) error {
		locked, err := tx.Copy()
		if err != nil {
			return err
		}
		if _, err := flow.Next(locked.State, flow.Mark, flow.Facts{}); err != nil {
			return err
		}
		a, err := tx.Attempt(number)
		if err != nil {
			return access.ErrHidden
		}
		scores, err := tx.Scores(number)
		if err != nil {
			return err
		}
		given, stood := school.Given(scores), ""
		if p, ok := given[question]; ok {
			stood = p.String()
		}
		if stood != was && stood != text {
			return school.Refuse("scored", "points", stood)
		}
		if stood == text { // nothing changes, and nothing is touched
			out.Tally, out.Points = worksheet.Add(asked, given), a.Points
			return nil
		}
		followed := !worksheet.Add(asked, given).Whole(a.Points)
		if text == "" {
			delete(given, question)
			err = tx.DropScore(number, question)
		} else {
			given[question] = score.Points
			err = tx.PutScore(score)
		}
		if err != nil {
			return err
		}
		out.Tally = worksheet.Add(asked, given)
		if followed {
			a.Points = out.Tally.Points
		}
		out.Points, a.MarkedAt = a.Points, &now
		return tx.PutAttempt(a)
	})
	return out, err
}
