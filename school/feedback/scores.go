package feedback

import (
	"context"
	"slices"
	"strings"

	"readymargin/core/access"
	"readymargin/core/points"
	"readymargin/core/worksheet"
	"readymargin/school"
)

// Score keeps what an attempt gets for a question as a draft; "" takes it away.
// The total follows, unless one was given as a whole. Was is what stood there
// for the person who gives: what somebody else has given meanwhile is not
// written over unseen, but the Problem "scored".
func (s *Marking) Score(ctx context.Context, who school.Person, id uint64, number int, question, text, was string) (school.Attempt, error) {
	c, err := s.gate.Copy(ctx, who, id, access.MarkCopy, "")
	if err != nil {
		return school.Attempt{}, err
	}
	issued, err := s.revisions.Issued(ctx, c.Revision)
	if err != nil {
		return school.Attempt{}, err
	}
	asked := worksheet.Worth(issued.Guides)
	at := slices.IndexFunc(asked, func(q worksheet.Question) bool { return q.ID == question })
	if at < 0 || number < 1 {
		return school.Attempt{}, access.ErrHidden
	}
	now := s.now()
	score := school.Score{Attempt: number, QuestionID: question, PersonID: who.ID, At: now}
	if text = strings.TrimSpace(text); text != "" {
		if score.Points, err = points.Parse(text); err != nil || score.Points > asked[at].Points {
			return school.Attempt{}, school.Refuse("score", "points", asked[at].Points.String())
		}
		text = score.Points.String()
	}
	var out school.Attempt
	err = s.store.InCopy(ctx, id, func(tx school.CopyTx) (err error) {
		if out, err = marked(tx, number); err != nil {
			return err
		}
		scores, err := tx.Scores(number)
		if err != nil {
			return err
		}
		given, stood := school.Given(scores), ""
		if p, ok := given[question]; ok {
			stood = p.String()
		}
		if stood == text {
			return nil // nothing changes, and nothing is touched
		}
		if score.Points%c.Course.Step() != 0 {
			return school.Refuse("point step", "points", c.Course.Step().String())
		}
		if stood != was {
			return school.Refuse("scored", "points", stood)
		}
		followed := !worksheet.Add(asked, given).Whole(out.Points)
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
		if followed {
			out.Points = worksheet.Add(asked, given).Points
		}
		out.MarkedAt = &now
		return tx.PutAttempt(out)
	})
	return out, err
}
