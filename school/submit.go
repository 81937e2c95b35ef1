package school

import (
	"context"
	"encoding/json"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"readymargin/core/access"
	"readymargin/core/copy"
	"readymargin/core/flow"
	"readymargin/core/mark"
)

// Submit fixes what the server has of the student's work as an attempt. seq
// is the newest acknowledgement that the browser has seen: when the server
// has more, the student has not looked at all of it and is told ("more work").
func (s *School) Submit(ctx context.Context, who Person, id uint64, line string, seq int64) (Receipt, error) {
	c, err := s.copyFor(ctx, who, id, access.SubmitCopy, "")
	if err != nil {
		return Receipt{}, err
	}
	line = strings.TrimSpace(line)
	if utf8.RuneCountInString(line) > 2000 {
		return Receipt{}, problem("line", "line", "")
	}
	said, err := s.directions(ctx, c.Revision)
	if err != nil {
		return Receipt{}, err
	}
	var a Attempt
	err = s.Store.InCopy(ctx, id, func(tx CopyTx) error {
		locked, err := tx.Copy()
		if err != nil {
			return err
		}
		if locked.State, err = flow.Next(locked.State, flow.Submit, flow.Facts{Closed: s.closed(c.Assignment, locked, c.Section)}); err != nil {
			return err
		}
		if c.Assignment.UsedUp(locked.Attempts) {
			return problem("attempts used", "", strconv.Itoa(c.Assignment.MaxAttempts))
		}
		have, err := tx.LayerSeq(copy.Work)
		if err != nil {
			return err
		}
		if have > seq {
			return problem("more work", "", "")
		}
		locked.Attempts++
		locked.Waiting = 0
		now := s.Now()
		a = Attempt{CopyID: id, Number: locked.Attempts, SubmittedAt: now, Line: line,
			LateMinutes: int(c.Assignment.TimesFor(locked).Late(now) / time.Minute)}
		if a.SnapshotHash, err = fix(tx, c.Revision.FileHash, said, a.Number); err != nil {
			return err
		}
		if err := tx.PutAttempt(a); err != nil {
			return err
		}
		if err := tx.PutDraft(Draft{PersonID: who.ID, Thing: OfCopy, ThingID: id, Place: lineDraft, At: now}); err != nil {
			return err
		}
		return tx.SetCopy(locked)
	})
	if err != nil {
		return Receipt{}, err
	}
	s.feed.tell(id)
	return Receipt{a.Number, a.SubmittedAt, a.LateMinutes, a.SnapshotHash}, nil
}

// fix stores the snapshot of the work as it stands and returns its fingerprint.
func fix(tx CopyTx, worksheet string, said []mark.Mark, number int) (string, error) {
	heads, err := tx.Heads(copy.Work)
	if err != nil {
		return "", err
	}
	shown, _ := present(heads)
	b, err := copy.NewSnapshot(worksheet, said, number, shown).Canonical()
	if err != nil {
		return "", err
	}
	return tx.PutBlob(b)
}

// TakeBack gives the student the submitted copy back, while nobody has begun
// to mark it.
func (s *School) TakeBack(ctx context.Context, who Person, id uint64) error {
	return s.move(ctx, who, id, flow.TakeBack, func(tx CopyTx, c *Copy) error {
		a, err := tx.Attempt(c.Attempts)
		if err != nil {
			return err
		}
		if err := tx.Withdraw(a, s.Now()); err != nil {
			return err
		}
		if a.Line != "" { // it stands there again at the next Submit
			line, err := json.Marshal(a.Line)
			if err != nil {
				return err
			}
			if err := tx.PutDraft(Draft{PersonID: who.ID, Thing: OfCopy, ThingID: id, Place: lineDraft, Body: string(line), At: s.Now()}); err != nil {
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
func (s *School) Improve(ctx context.Context, who Person, id uint64) error {
	return s.move(ctx, who, id, flow.Improve, func(tx CopyTx, c *Copy) error {
		a, err := tx.Assignment()
		if err == nil && a.UsedUp(c.Attempts) {
			err = problem("attempts used", "", strconv.Itoa(a.MaxAttempts))
		}
		return err
	})
}

// move makes one of the student's moves, with what else it changes.
func (s *School) move(ctx context.Context, who Person, id uint64, e flow.Event, change func(CopyTx, *Copy) error) error {
	c, err := s.copyFor(ctx, who, id, access.SubmitCopy, "")
	if err != nil {
		return err
	}
	err = s.Store.InCopy(ctx, id, func(tx CopyTx) error {
		locked, err := tx.Copy()
		if err != nil {
			return err
		}
		facts := flow.Facts{Closed: s.closed(c.Assignment, locked, c.Section)}
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
		s.feed.tell(id)
	}
	return err
}
