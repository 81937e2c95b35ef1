package feedback

import (
	"context"
	"maps"
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
	return s.score(ctx, who, id, number, question, was, func(q worksheet.Question) (given, error) {
		text := strings.TrimSpace(text)
		if text == "" {
			return given{}, nil
		}
		p, err := points.Parse(text)
		if err != nil || p > q.Points {
			return given{}, school.Refuse("score", "points", q.Points.String())
		}
		return given{points: &p}, nil
	})
}

// Judge is Score by a question's rubric: levels has one for every criterion, and
// what they give are the points.
func (s *Marking) Judge(ctx context.Context, who school.Person, id uint64, number int, question string, levels map[string]string, was string) (school.Attempt, error) {
	return s.score(ctx, who, id, number, question, was, func(q worksheet.Question) (given, error) {
		if q.Rubric == nil {
			return given{}, school.Refuse("judged", "levels", "")
		}
		p, whole := q.Rubric.Given(levels)
		if !whole {
			return given{}, school.Refuse("judged", "levels", "")
		}
		return given{&p, levels}, nil
	})
}

// given is what a question gets, nil for nothing, and by which levels.
type given struct {
	points *points.Points
	levels map[string]string
}

func (g given) text() string {
	if g.points == nil {
		return ""
	}
	return g.points.String()
}

// score keeps what is to be given for a question.
func (s *Marking) score(ctx context.Context, who school.Person, id uint64, number int, question, was string, what func(worksheet.Question) (given, error)) (school.Attempt, error) {
	c, err := s.gate.Copy(ctx, who, id, access.MarkCopy, "")
	if err != nil {
		return school.Attempt{}, err
	}
	issued, err := s.revisions.Revised(ctx, c.Revision)
	if err != nil {
		return school.Attempt{}, err
	}
	asked := worksheet.Worth(issued.Guides)
	at := slices.IndexFunc(asked, func(q worksheet.Question) bool { return q.ID == question })
	if at < 0 || number < 1 {
		return school.Attempt{}, access.ErrHidden
	}
	give, err := what(asked[at])
	if err != nil {
		return school.Attempt{}, err
	}
	now, step := s.now(), c.Course.Step()
	var out school.Attempt
	err = s.store.InCopy(ctx, id, func(tx school.CopyTx) (err error) {
		if out, err = marked(tx, number); err != nil {
			return err
		}
		scores, err := tx.Scores(number)
		if err != nil {
			return err
		}
		var stood given
		for _, sc := range scores {
			if sc.QuestionID == question {
				stood = given{&sc.Points, sc.Levels}
			}
		}
		by := school.Given(scores)
		out.Whole = c.Assignment.Tallied(asked, by, step).Whole(out.Points)
		if stood.text() == give.text() && maps.Equal(stood.levels, give.levels) {
			return nil // nothing changes, and nothing is touched
		}
		if give.points != nil && give.levels == nil && *give.points%step != 0 { // what a rubric gives is its maker's to say
			return school.Refuse("point step", "points", step.String())
		}
		if stood.text() != was {
			return school.Refuse("scored", "points", stood.text())
		}
		if give.points == nil {
			delete(by, question)
			err = tx.DropScore(number, question)
		} else {
			by[question] = *give.points
			err = tx.PutScore(school.Score{Attempt: number, QuestionID: question, Points: *give.points, Levels: give.levels, PersonID: who.ID, At: now})
		}
		if err != nil {
			return err
		}
		if !out.Whole {
			out.Points, out.Reason = c.Assignment.Tallied(asked, by, step).Points, ""
		}
		out.MarkedAt = &now
		return tx.PutAttempt(out)
	})
	return out, err
}
