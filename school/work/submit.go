package work

import (
	"context"
	"encoding/json"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"readymargin/core/access"
	"readymargin/core/answer"
	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/school"
	"readymargin/school/screen"
	"readymargin/school/shelf"
)

// Submitting is the student's side of the flow: handing in, taking back,
// going on after a return.
type Submitting struct {
	store     SubmittingStore
	gate      *school.Gate
	revisions *shelf.Revisions
	feed      school.Feed
	now       school.Clock
}

// NewSubmitting returns what fixes attempts.
func NewSubmitting(store SubmittingStore, gate *school.Gate, revisions *shelf.Revisions, feed school.Feed, now school.Clock) *Submitting {
	return &Submitting{store, gate, revisions, feed, now}
}

// Submit fixes what the server has of the student's work as an attempt. seq
// is the newest acknowledgement that the browser has seen: when the server
// has more, the student has not looked at all of it and is told ("more work").
func (s *Submitting) Submit(ctx context.Context, who school.Person, id uint64, line string, seq int64) (screen.Receipt, error) {
	c, err := s.gate.Copy(ctx, who, id, access.SubmitCopy, "")
	if err != nil {
		return screen.Receipt{}, err
	}
	line = strings.TrimSpace(line)
	if utf8.RuneCountInString(line) > 2000 {
		return screen.Receipt{}, school.Refuse("line", "line", "")
	}
	issued, err := s.revisions.Revised(ctx, c.Revision)
	if err != nil {
		return screen.Receipt{}, err
	}
	var a school.Attempt
	err = s.store.InCopy(ctx, id, func(tx school.CopyTx) error {
		locked, err := tx.Copy()
		if err != nil {
			return err
		}
		letOn := locked.State == flow.Reworking // by the teacher, when no attempt was left
		if locked.State, err = flow.Next(locked.State, flow.Submit, flow.Facts{Closed: s.gate.Closed(c.Assignment, locked, c.Section)}); err != nil {
			return err
		}
		if c.Assignment.UsedUp(locked.Attempts) && !letOn {
			return school.Refuse("attempts used", "", strconv.Itoa(c.Assignment.MaxAttempts))
		}
		have, err := tx.LayerSeq(submission.Work)
		if err != nil {
			return err
		}
		if have > seq {
			return school.Refuse("more work", "", "")
		}
		locked.Attempts++
		locked.Waiting = 0
		now := s.now()
		a = school.Attempt{CopyID: id, Number: locked.Attempts, SubmittedAt: now, Line: line,
			LateMinutes: int(c.Assignment.TimesFor(locked).Late(now) / time.Minute)}
		marks, err := fix(tx, c.Revision.FileHash, issued.Directions, &a)
		if err != nil {
			return err
		}
		a.Asked, a.Helped = submission.Asks(marks)
		if err := tx.PutAttempt(a); err != nil {
			return err
		}
		if err := tx.AddAnswers(a.Number, answer.Of(issued.Guides, marks)); err != nil {
			return err
		}
		if err := tx.PutDraft(school.Draft{PersonID: who.ID, Thing: school.OfCopy, ThingID: id, Place: school.LineDraft, At: now}); err != nil {
			return err
		}
		return tx.SetCopy(locked)
	})
	if err != nil {
		return screen.Receipt{}, err
	}
	s.feed.Tell(id)
	return screen.Receipt{Attempt: a.Number, At: a.SubmittedAt, LateMinutes: a.LateMinutes, Fingerprint: a.SnapshotHash}, nil
}

// fix stores the snapshot of the work as it stands, gives the attempt its
// fingerprint, and returns the marks.
func fix(tx school.CopyTx, file string, said []mark.Mark, a *school.Attempt) ([]mark.Mark, error) {
	heads, err := tx.Heads(submission.Work)
	if err != nil {
		return nil, err
	}
	shown, _ := school.Present(heads)
	snap := submission.NewSnapshot(file, said, a.Number, shown)
	b, err := snap.Canonical()
	if err != nil {
		return nil, err
	}
	a.SnapshotHash, err = tx.PutBlob(b)
	return snap.Marks, err
}

// LayDown lays down the answers of all attempts of a copy, which earlier
// versions did not when it was submitted.
func (s *Submitting) LayDown(ctx context.Context, copyID uint64) error {
	c, err := s.store.CopyInCourse(ctx, copyID, 0)
	if err != nil {
		return err
	}
	issued, err := s.revisions.Revised(ctx, c.Revision)
	if err != nil {
		return err
	}
	attempts, err := s.store.Attempts(ctx, copyID)
	if err != nil {
		return err
	}
	for i := range attempts {
		snap, err := school.ReadSnapshot(ctx, s.store, &attempts[i])
		if err != nil {
			return err
		}
		all := answer.Of(issued.Guides, snap.Marks)
		if err := s.store.InCopy(ctx, copyID, func(tx school.CopyTx) error {
			if _, err := tx.Copy(); err != nil {
				return err
			}
			if err := tx.DropAnswers(attempts[i].Number); err != nil {
				return err
			}
			return tx.AddAnswers(attempts[i].Number, all)
		}); err != nil {
			return err
		}
	}
	return nil
}

// TakeBack gives the student the submitted copy back, while nobody has begun
// to mark it.
func (s *Submitting) TakeBack(ctx context.Context, who school.Person, id uint64) error {
	return s.move(ctx, who, id, flow.TakeBack, func(tx school.CopyTx, c *school.Copy) error {
		a, err := tx.Attempt(c.Attempts)
		if err != nil {
			return err
		}
		if err := tx.Withdraw(a, s.now()); err != nil {
			return err
		}
		if a.Line != "" { // it stands there again at the next Submit
			line, err := json.Marshal(a.Line)
			if err != nil {
				return err
			}
			if err := tx.PutDraft(school.Draft{PersonID: who.ID, Thing: school.OfCopy, ThingID: id, Place: school.LineDraft, Body: string(line), At: s.now()}); err != nil {
				return err
			}
		}
		c.Attempts--
		if c.Attempts > 0 {
			c.State = flow.Reworking
		}
		return nil
	})
}

// Improve lets the student go on after a return. The attempt stays as it was.
func (s *Submitting) Improve(ctx context.Context, who school.Person, id uint64) error {
	return s.move(ctx, who, id, flow.Improve, func(tx school.CopyTx, c *school.Copy) error {
		a, err := tx.Assignment()
		if err == nil && a.UsedUp(c.Attempts) {
			err = school.Refuse("attempts used", "", strconv.Itoa(a.MaxAttempts))
		}
		return err
	})
}

// move makes one of the student's moves, with what else it changes.
func (s *Submitting) move(ctx context.Context, who school.Person, id uint64, e flow.Event, change func(school.CopyTx, *school.Copy) error) error {
	c, err := s.gate.Copy(ctx, who, id, access.SubmitCopy, "")
	if err != nil {
		return err
	}
	err = s.store.InCopy(ctx, id, func(tx school.CopyTx) error {
		locked, err := tx.Copy()
		if err != nil {
			return err
		}
		facts := flow.Facts{Closed: s.gate.Closed(c.Assignment, locked, c.Section)}
		if locked.Attempts > 0 {
			a, err := tx.Attempt(locked.Attempts)
			if err != nil {
				return err
			}
			facts.Feedback = a.Marked()
		}
		if locked.State, err = flow.Next(locked.State, e, facts); err != nil {
			return err
		}
		if err := change(tx, &locked); err != nil {
			return err
		}
		locked.Waiting = 0
		return tx.SetCopy(locked)
	})
	if err == nil {
		s.feed.Tell(id)
	}
	return err
}
