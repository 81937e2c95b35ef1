// Package feedback is the teacher's step: what waits to be marked, points and
// remarks, returning.
package feedback

import (
	"context"
	"strings"
	"time"
	"unicode/utf8"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/points"
	"readymargin/core/worksheet"
	"readymargin/school"
	"readymargin/school/shelf"
)

// Marking is the teacher's side of the flow: points, remarks, returning.
type Marking struct {
	store     MarkingStore
	gate      *school.Gate
	queue     *Queue
	revisions *shelf.Revisions
	feed      school.Feed
	now       school.Clock
	wake      func(at time.Time)
}

// NewMarking returns what marks copies, and tells the feed of it. Returns that
// are planned are jobs; wake lets them be looked for at a time.
func NewMarking(store MarkingStore, gate *school.Gate, queue *Queue, revisions *shelf.Revisions, feed school.Feed, now school.Clock, wake func(at time.Time)) *Marking {
	return &Marking{store, gate, queue, revisions, feed, now, wake}
}

// Others says who else has the copy open, and that this person has.
func (s *Marking) Others(ctx context.Context, who school.Person, id uint64) ([]string, error) {
	if _, err := s.gate.Copy(ctx, who, id, access.MarkCopy, ""); err != nil {
		return nil, err
	}
	now := s.now()
	return s.store.View(ctx, id, who.ID, false, now, now.Add(-school.StillThere))
}

// Watching says who else looks at a copy as it is being worked on, and that this
// person does, which the student is told.
func (s *Marking) Watching(ctx context.Context, who school.Person, id uint64) ([]string, error) {
	if _, err := s.gate.Copy(ctx, who, id, access.WatchCopy, ""); err != nil {
		return nil, err
	}
	now := s.now()
	others, err := s.store.View(ctx, id, who.ID, true, now, now.Add(-school.StillThere))
	s.feed.Tell(id)
	return others, err
}

// GivePoints keeps the points, given as a whole, and the overall remark of an
// attempt, CommonMark where it is rich, as a draft; "" is what its questions add up to, if they have points.
// Reason is why other points were given than these, if somebody says so.
func (s *Marking) GivePoints(ctx context.Context, who school.Person, id uint64, number int, given, reason, remark string, rich bool) (school.Attempt, error) {
	c, err := s.gate.Copy(ctx, who, id, access.MarkCopy, "")
	if err != nil {
		return school.Attempt{}, err
	}
	if number < 1 {
		return school.Attempt{}, school.Refuse("wrong form", "attempt", "")
	}
	var p *points.Points
	if strings.TrimSpace(given) != "" {
		v, err := points.Parse(given)
		if err != nil || v > c.Assignment.Points {
			return school.Attempt{}, school.Refuse("points", "points", given)
		}
		p = &v
	}
	if utf8.RuneCountInString(remark) > 5000 {
		return school.Attempt{}, school.Refuse("remark", "remark", "")
	}
	reason, ok := school.OneLine(reason, 300)
	if !ok {
		return school.Attempt{}, school.Refuse("reason", "reason", "")
	}
	issued, err := s.revisions.Revised(ctx, c.Revision)
	if err != nil {
		return school.Attempt{}, err
	}
	var out school.Attempt
	err = s.store.InCopy(ctx, id, func(tx school.CopyTx) (err error) {
		if out, err = marked(tx, number); err != nil {
			return err
		}
		if p != nil && *p%c.Course.Step() != 0 && (out.Points == nil || *out.Points != *p) { // what stands may be of another step
			return school.Refuse("point step", "points", c.Course.Step().String())
		}
		scores, err := tx.Scores(number)
		if err != nil {
			return err
		}
		asked := worksheet.Worth(issued.Guides)
		adds := c.Assignment.Tallied(asked, school.Given(scores), c.Course.Step())
		total := p
		if total == nil {
			total = adds.Points
		}
		if out.Whole = len(asked) > 0 && adds.Whole(total); !out.Whole {
			reason = ""
		}
		now := s.now()
		out.Points, out.Reason, out.Remark, out.RemarkRich, out.MarkedAt = total, reason, strings.TrimSpace(remark), rich, &now
		return tx.PutAttempt(out)
	})
	return out, err
}

// marked returns an attempt of a copy that can be marked now.
func marked(tx school.CopyTx, number int) (school.Attempt, error) {
	c, err := tx.Copy()
	if err != nil {
		return school.Attempt{}, err
	}
	if _, err := flow.Next(c.State, flow.Mark, flow.Facts{}); err != nil {
		return school.Attempt{}, err
	}
	a, err := tx.Attempt(number)
	if err != nil {
		return a, access.ErrHidden
	}
	return a, nil
}
