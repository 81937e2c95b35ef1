package feedback

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"time"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/submission"
	"readymargin/core/worksheet"
	"readymargin/school"
)

// Grace is how long a return waits before it is done, to be stopped.
const Grace = 8 * time.Second

// furthest is how far ahead a return may be planned.
const furthest = 366 * 24 * time.Hour

// Return gives an attempt and its feedback to the student at once.
func (s *Marking) Return(ctx context.Context, who school.Person, id uint64, number int) error {
	r, err := s.plan(ctx, who, id, number, s.now())
	if err != nil {
		return err
	}
	return s.GiveBack(ctx, r.ID)
}

// PlanReturn lets an attempt and its feedback be given to the student at a
// time; "" is after Grace, otherwise a time by the course's clock. What stands
// there then is what the student gets, and it takes the place of a return that
// was planned before. Unless anyway is set, a copy on which something may have
// been forgotten is the Problem "look first".
func (s *Marking) PlanReturn(ctx context.Context, who school.Person, id uint64, number int, wall string, anyway bool) (school.Return, error) {
	in, err := s.gate.Copy(ctx, who, id, access.MarkCopy, "")
	if err != nil {
		return school.Return{}, err
	}
	due, err := s.time(wall, in.Course)
	if err != nil {
		return school.Return{}, err
	}
	if !anyway && number == in.Attempts {
		_, _, checks, err := s.Checks(ctx, who, in.Assignment.ID, id)
		if err != nil {
			return school.Return{}, err
		}
		if slices.ContainsFunc(checks, func(c Check) bool { return !c.Clear() }) {
			return school.Return{}, school.Refuse("look first", "", "")
		}
	}
	return s.plan(ctx, who, id, number, due)
}

// PlanAll plans the return of the newest attempts of several copies of an
// assignment that wait, with points or without. Others of them are passed over.
func (s *Marking) PlanAll(ctx context.Context, who school.Person, assignment uint64, copies []uint64, wall string) (planned int, due time.Time, err error) {
	_, course, roll, err := s.queue.Roll(ctx, who, assignment)
	if err != nil {
		return 0, due, err
	}
	if due, err = s.time(wall, course); err != nil {
		return 0, due, err
	}
	for _, r := range roll {
		if !r.Waiting() || !slices.Contains(copies, r.Copy.ID) {
			continue
		}
		if _, err := s.plan(ctx, who, r.Copy.ID, r.Latest.Number, due); err != nil {
			return planned, due, err
		}
		planned++
	}
	return planned, due, nil
}

// time is when a return is due that is wanted at a time by a course's clock.
func (s *Marking) time(wall string, c school.Course) (time.Time, error) {
	now := s.now()
	if wall == "" {
		return now.Add(Grace), nil
	}
	at, err := flow.At(wall, c.Location())
	if err != nil || at.Before(now) || at.After(now.Add(furthest)) {
		return at, school.Refuse("return time", "at", wall)
	}
	return at.UTC(), nil
}

// plan plans the return of a copy that the person may mark. One that is about to be
// done stays: pressing again puts nothing off.
func (s *Marking) plan(ctx context.Context, who school.Person, id uint64, number int, due time.Time) (out school.Return, err error) {
	if number < 1 {
		return out, school.Refuse("wrong form", "attempt", "")
	}
	err = s.store.InCopy(ctx, id, func(tx school.CopyTx) error {
		c, err := tx.Copy()
		if err != nil {
			return err
		}
		if _, err := attemptOf(tx, number); err != nil {
			return err
		}
		if number == c.Attempts {
			if _, err := flow.Next(c.State, flow.Return, flow.Facts{}); err != nil {
				return err
			}
		}
		before, err := tx.Returns(number)
		if err != nil {
			return err
		}
		now := s.now()
		for _, r := range before {
			if !r.Pending() {
				continue
			}
			if !r.DueAt.After(due) && !due.After(now.Add(Grace)) {
				out = r
				return nil
			}
			r.StoppedAt = &now // this one comes in its place
			if err := tx.PutReturn(&r); err != nil {
				return err
			}
		}
		out = school.Return{Attempt: number, PersonID: who.ID, PlannedAt: now, DueAt: due}
		return tx.PutReturn(&out)
	})
	if err == nil {
		s.wake(due)
	}
	return out, err
}

// attemptOf returns an attempt; one that there is not is hidden.
func attemptOf(tx school.CopyTx, number int) (school.Attempt, error) {
	a, err := tx.Attempt(number)
	if errors.Is(err, school.ErrNotFound) {
		return a, access.ErrHidden
	}
	return a, err
}

// GiveBack does a return that was planned, when its time has come; one that was
// stopped, or done, is left as it is. In its one transaction the feedback
// becomes the student's.
func (s *Marking) GiveBack(ctx context.Context, planned uint64) error {
	r, err := s.store.Return(ctx, planned)
	if err != nil {
		return err
	}
	in, err := s.store.CopyInCourse(ctx, r.CopyID, r.PersonID)
	if err != nil {
		return err
	}
	issued, err := s.revisions.Revised(ctx, in.Revision)
	if err != nil {
		return err
	}
	err = s.store.InCopy(ctx, r.CopyID, func(tx school.CopyTx) error {
		c, err := tx.Copy()
		if err != nil {
			return err
		}
		r, err := returnOf(tx, r)
		if err != nil || !r.Pending() || r.DueAt.After(s.now()) {
			return err
		}
		a, err := tx.Attempt(r.Attempt)
		if err != nil {
			return err
		}
		if r.Attempt == c.Attempts {
			if c.State, err = flow.Next(c.State, flow.Return, flow.Facts{}); err != nil {
				return err
			}
		}
		r.BeforeHash, r.BeforeAt, r.BeforeOpened = a.ReturnedHash, a.ReturnedAt, a.OpenedAt
		if a.ReturnedHash, a.Spoken, err = fixFeedback(tx, a, issued.Guides); err != nil {
			return err
		}
		now := s.now()
		a.ReturnedAt, a.OpenedAt, r.DoneAt = &now, nil, &now
		if a.MarkedAt == nil {
			a.MarkedAt = &now
		}
		if err := errors.Join(tx.PutAttempt(a), tx.PutReturn(&r), tx.Notify(school.NoticeReturned, 0, now.Add(school.NoticeRest))); err != nil {
			return err
		}
		return tx.SetCopy(c)
	})
	if err == nil {
		s.feed.Tell(r.CopyID)
	}
	return err
}

// returnOf returns a giving back as the transaction sees it.
func returnOf(tx school.CopyTx, r school.Return) (school.Return, error) {
	all, err := tx.Returns(r.Attempt)
	if err != nil {
		return r, err
	}
	if i := slices.IndexFunc(all, func(o school.Return) bool { return o.ID == r.ID }); i >= 0 {
		return all[i], nil
	}
	return r, school.ErrNotFound
}

// Stop stops the returns of copies of an assignment that are not done yet, and
// says how many.
func (s *Marking) Stop(ctx context.Context, who school.Person, assignment uint64, copies []uint64) (int, error) {
	if _, _, _, err := s.queue.Roll(ctx, who, assignment); err != nil {
		return 0, err
	}
	pending, err := s.store.PendingReturns(ctx, assignment)
	if err != nil {
		return 0, err
	}
	stopped := 0
	for _, p := range pending {
		if !slices.Contains(copies, p.CopyID) {
			continue
		}
		err := s.store.InCopy(ctx, p.CopyID, func(tx school.CopyTx) error {
			if _, err := tx.Copy(); err != nil {
				return err
			}
			r, err := returnOf(tx, p)
			if err != nil || !r.Pending() {
				return err
			}
			now := s.now()
			r.StoppedAt = &now
			stopped++
			return tx.PutReturn(&r)
		})
		if err != nil && !errors.Is(err, school.ErrNotFound) {
			return stopped, err
		}
	}
	return stopped, nil
}

// Withdraw takes back what was returned with an attempt, as long as the student
// has not opened it: the Problem "opened" says that it is too late. What was
// returned before that is the student's again.
func (s *Marking) Withdraw(ctx context.Context, who school.Person, id uint64, number int) error {
	return s.move(ctx, who, id, number, func(tx school.CopyTx, c *school.Copy, a *school.Attempt) error {
		if number < 1 {
			return school.Refuse("wrong form", "attempt", "")
		}
		all, err := tx.Returns(number)
		if err != nil {
			return err
		}
		last := -1
		for i, r := range all {
			if r.Stands() {
				last = i
			}
		}
		if last < 0 || a.ReturnedAt == nil {
			return school.Refuse("not returned", "", "")
		}
		if a.OpenedAt != nil || number != c.Attempts || c.State == flow.Reworking {
			return school.Refuse("opened", "", "")
		}
		r, now := all[last], s.now()
		if r.BeforeHash == "" {
			if c.State, err = flow.Next(c.State, flow.Withdraw, flow.Facts{}); err != nil {
				return err
			}
		}
		a.ReturnedHash, a.ReturnedAt, a.OpenedAt = r.BeforeHash, r.BeforeAt, r.BeforeOpened
		r.WithdrawnAt = &now
		return tx.PutReturn(&r)
	})
}

// Reopen has a student go on with a copy that was returned, with a later due
// time, by the course's clock, when one is given, whatever attempts are left.
func (s *Marking) Reopen(ctx context.Context, who school.Person, id uint64, wall string) error {
	in, err := s.gate.Copy(ctx, who, id, access.MarkCopy, "")
	if err != nil {
		return err
	}
	var due *time.Time
	if wall != "" {
		at, err := s.time(wall, in.Course)
		if err != nil {
			return err
		}
		due = &at
	}
	return s.move(ctx, who, id, 0, func(_ school.CopyTx, c *school.Copy, _ *school.Attempt) (err error) {
		if due != nil {
			c.DueAt = due
		}
		c.State, err = flow.Next(c.State, flow.Reopen, flow.Facts{})
		return err
	})
}

// move changes a copy and one of its attempts, 0 for the newest, for somebody
// who marks it.
func (s *Marking) move(ctx context.Context, who school.Person, id uint64, number int, change func(school.CopyTx, *school.Copy, *school.Attempt) error) error {
	if _, err := s.gate.Copy(ctx, who, id, access.MarkCopy, ""); err != nil {
		return err
	}
	err := s.store.InCopy(ctx, id, func(tx school.CopyTx) error {
		c, err := tx.Copy()
		if err != nil {
			return err
		}
		if number == 0 {
			number = c.Attempts
		}
		a, err := attemptOf(tx, number)
		if err != nil {
			return err
		}
		if err := change(tx, &c, &a); err != nil {
			return err
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

// fixFeedback stores what the teachers have said about an attempt so far, and tells how
// many milliseconds of it can be heard.
func fixFeedback(tx school.CopyTx, a school.Attempt, pages []worksheet.Guide) (hash string, aloud int, err error) {
	heads, err := tx.Heads(submission.Feedback(a.Number))
	if err != nil {
		return "", 0, err
	}
	shown, by := school.Present(heads)
	scores, err := tx.Scores(a.Number)
	if err != nil {
		return "", 0, err
	}
	r := school.Returned{Points: a.Points, Reason: a.Reason, Remark: a.Remark, Rich: a.RemarkRich, Marks: []school.ReturnedMark{}}
	if len(scores) > 0 {
		r.Scores = school.ScoredOf(pages, scores)
	}
	for _, w := range shown {
		r.Marks = append(r.Marks, school.ReturnedMark{Mark: w.Mark, By: by[w.Version].AuthorName, At: by[w.Version].At})
	}
	for _, one := range spoken(r, nil) {
		aloud += one.Voice.Milliseconds
	}
	b, err := json.Marshal(r)
	if err != nil {
		return "", 0, err
	}
	hash, err = tx.PutBlob(b)
	return hash, aloud, err
}
