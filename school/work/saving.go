// Package work is the student's step: opening a copy, saving every stroke,
// submitting.
package work

import (
	"context"
	"errors"
	"slices"
	"time"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/note"
	"readymargin/core/page"
	"readymargin/core/submission"
	"readymargin/school"
)

// Saving keeps every stroke on a copy.
type Saving struct {
	store SavingStore
	gate  *school.Gate
	feed  school.Feed
	now   school.Clock
}

// NewSaving returns what saves work, and tells the feed of it.
func NewSaving(store SavingStore, gate *school.Gate, feed school.Feed, now school.Clock) *Saving {
	return &Saving{store, gate, feed, now}
}

// Save takes operations of the person into a layer. What is acknowledged by
// its return is committed. Work that comes after Submit is kept as the
// beginning of the next attempt and never changes the one that is fixed.
func (s *Saving) Save(ctx context.Context, who school.Person, id uint64, layer submission.Layer, ops []submission.Op) (Saved, error) {
	c, err := s.gate.Layer(ctx, who, id, access.WriteLayer, layer)
	if err != nil {
		return Saved{}, err
	}
	if len(ops) == 0 || len(ops) > MaxBatch {
		return Saved{}, school.Refuse("batch", "", "")
	}
	for _, o := range ops {
		if err := s.fits(ctx, who, o, layer, c); err != nil {
			return Saved{}, err
		}
		if c.Role.Learns() && o.Base == "" && !o.Mark.Offered(c.Assignment.Instruments) {
			return Saved{}, school.Refuse("instrument", "", "")
		}
	}
	if !c.Role.Learns() && c.Assignment.Hides(c.Copy) {
		if ops, err = s.named(ctx, id, ops); err != nil {
			return Saved{}, err
		}
	}
	return s.save(ctx, who, id, layer, c, ops)
}

// named returns operations of somebody to whom it is hidden whose a copy is, with
// the names that the student's marks have and not those that were told.
func (s *Saving) named(ctx context.Context, id uint64, ops []submission.Op) ([]submission.Op, error) {
	attempts, err := s.store.Attempts(ctx, id)
	if err != nil || len(attempts) == 0 {
		return ops, err
	}
	snap, err := school.ReadSnapshot(ctx, s.store, &attempts[len(attempts)-1])
	if err != nil {
		return nil, err
	}
	names := map[string]string{}
	for name, alias := range submission.Aliases(snap.Marks) {
		names[alias] = name
	}
	out := slices.Clone(ops)
	for i, o := range out {
		if o.Mark != nil {
			m := o.Mark.Renamed(names)
			out[i].Mark = &m
		}
	}
	return out, nil
}

// save takes operations that are in order.
func (s *Saving) save(ctx context.Context, who school.Person, id uint64, layer submission.Layer, c school.WriteContext, ops []submission.Op) (Saved, error) {
	now := s.now()
	var out Saved
	err := s.store.InCopy(ctx, id, func(tx school.CopyTx) error {
		locked, err := tx.Copy()
		if err != nil {
			return err
		}
		talk := layer == submission.Replies || layer == submission.Among
		if talk || c.Assignment.Mode == flow.OneForAll && c.Role.Learns() {
			if err := ownMarks(tx, who, layer, ops); err != nil {
				return err
			}
		}
		added, err := tx.AddOps(layer, who.ID, now, ops)
		if err != nil {
			return err
		}
		if full(added) && slices.ContainsFunc(ops, func(o submission.Op) bool { return o.Mark != nil }) {
			return school.Refuse("full", "", "")
		}
		out = Saved{Seq: added.Seq, At: now, Fresh: added.Fresh}
		if added.Fresh > 0 {
			if talk || layer.Attempt() > 0 || c.Assignment.Mode == flow.OneForAll {
				if err := questions(tx, who, c, layer, ops, now); err != nil {
					return err
				}
			}
			err = s.moveOnSave(tx, &locked, layer, now, added.Fresh, s.gate.Closed(c.Assignment, locked, c.Section))
		}
		out.State, out.Waiting = locked.State, locked.Waiting
		return err
	})
	if err == nil {
		s.feed.Tell(id)
	}
	return out, err
}

// ownMarks checks that somebody changes no marks but their own in a layer that several
// write in.
func ownMarks(tx school.CopyTx, who school.Person, layer submission.Layer, ops []submission.Op) error {
	var bases []string
	for _, o := range ops {
		if o.Base != "" {
			bases = append(bases, o.Base)
		}
	}
	if len(bases) == 0 {
		return nil
	}
	others, err := tx.OthersAmong(layer, who.ID, bases)
	if err == nil && others {
		return school.Refuse("not yours", "", "")
	}
	return err
}

// Saved acknowledges operations.
type Saved struct {
	Seq     int64      `json:"seq"`
	At      time.Time  `json:"at"`
	State   flow.State `json:"state"`
	Waiting int        `json:"waiting"`
	Fresh   int        `json:"fresh"` // how many of them were new: less than Seq went up when others worked meanwhile
}

// MaxBatch is the most operations taken at once.
const MaxBatch = 200

// Bounds of one layer of a copy. Everybody who opens the copy reads what is
// present; what was written before is only kept.
const (
	MaxMarks   = 20_000
	MaxPresent = 8 << 20   // bytes
	MaxWritten = 256 << 20 // bytes
)

// full reports whether nothing more goes into a layer. Taking away goes on.
func full(l school.Layered) bool {
	return l.Marks > MaxMarks || l.Bytes > MaxPresent || l.Written > MaxWritten
}

// fits checks that an operation is in order and belongs to the layer.
func (s *Saving) fits(ctx context.Context, who school.Person, o submission.Op, layer submission.Layer, c school.WriteContext) error {
	if err := o.Valid(); err != nil {
		return school.Refuse("operation", "", err.Error())
	}
	if o.Mark == nil {
		return nil
	}
	fit := o.Mark.Page <= c.PageCount+mark.MostPapers
	said := layer == submission.Replies || layer == submission.Among
	switch b := o.Mark.Body.(type) {
	case *mark.Reply:
		if fit = fit && (layer != submission.Work || c.Assignment.Mode == flow.OneForAll); fit && b.Asks != 0 {
			return s.mayBeAsked(ctx, b.Asks, layer, c)
		}
	case *mark.Note:
		if layer == submission.Replies && c.Role.Learns() {
			if b.Says != "ask" {
				fit = false
			} else if err := s.gate.MayIn(who, c, access.AskNow, ""); err != nil {
				return err
			}
		}
		fit = fit && layer != submission.Among
	case *mark.Paper:
		fit = fit && o.Mark.Page > c.PageCount && layer == submission.Work
	default:
		fit = fit && !said
	}
	if !fit {
		return school.Refuse("operation", "", "not a mark of this layer")
	}
	return nil
}

// mayBeAsked checks that somebody is in the course, who alone is asked: of those who
// mark, or on a copy that is one for all.
func (s *Saving) mayBeAsked(ctx context.Context, person uint64, layer submission.Layer, c school.WriteContext) error {
	a, err := s.store.Assignment(ctx, c.Copy.AssignmentID)
	if err != nil {
		return err
	}
	m, err := s.store.Membership(ctx, a.CourseID, person)
	if err != nil {
		return err
	}
	staff := m.Role == access.Teacher || m.Role == access.Assistant
	if layer == submission.Among && staff || layer == submission.Work && (staff || m.Role.Learns()) {
		return nil
	}
	return school.Refuse("colleague", "", "")
}

// questions notes what operations ask somebody, answer, or take back.
func questions(tx school.CopyTx, who school.Person, c school.WriteContext, layer submission.Layer, ops []submission.Op, now time.Time) error {
	for _, o := range ops {
		if o.Mark == nil {
			if err := tx.DropQuestion(o.On); err != nil {
				return err
			}
			continue
		}
		q := school.Question{Mark: o.On, Note: o.On, Layer: layer}
		switch b := o.Mark.Body.(type) {
		case *mark.Note:
			if layer != submission.Replies || !c.Role.Learns() {
				continue
			}
			heads, err := tx.Heads(submission.Work)
			if err != nil {
				return err
			}
			q.Patch = []mark.Mark{}
			shown, _ := school.Present(heads)
			var work []mark.Mark
			for _, w := range shown {
				work = append(work, w.Mark)
			}
			q.Patch = append(q.Patch, note.Patch(work, o.Mark.Page, page.Point{X: b.At[0], Y: b.At[1]})...)
		case *mark.Reply:
			if err := tx.Answered(b.To, who.ID, now); err != nil {
				return err
			}
			if layer == submission.Replies && !c.Role.Learns() && !b.Done {
				if err := tx.Notify(school.NoticeAnswered, 0, now.Add(school.NoticeRest)); err != nil {
					return err
				}
			}
			if b.Asks == 0 {
				continue
			}
			q.Note, q.AskedID = b.To, b.Asks
		default:
			continue
		}
		if err := errors.Join(tx.PutQuestion(q, o.ID), tx.Notify(school.NoticeAsked, q.AskedID, now.Add(school.NoticeRest))); err != nil {
			return err
		}
	}
	return nil
}

// moveOnSave moves the copy's state for new operations in a layer.
func (s *Saving) moveOnSave(tx school.CopyTx, c *school.Copy, layer submission.Layer, now time.Time, fresh int, closed bool) error {
	if n := layer.Attempt(); n > 0 {
		return touchFeedback(tx, n, now)
	}
	asks := layer == submission.Replies && c.State == flow.NotStarted // only students do then
	if layer != submission.Work && !asks {
		return nil
	}
	next, err := flow.Next(c.State, flow.Change, flow.Facts{Closed: closed})
	if err != nil {
		// Work done before Submit, or before the closing, may arrive after it;
		// it is kept and waits.
		c.Waiting += fresh
		next = flow.Written(c.State)
	}
	if err == nil && next == c.State {
		return nil
	}
	c.State = next
	if c.StartedAt == nil {
		c.StartedAt = &now
	}
	return tx.SetCopy(*c)
}

// touchFeedback notes that feedback on an attempt was begun, or changed since
// it was returned.
func touchFeedback(tx school.CopyTx, number int, now time.Time) error {
	a, err := tx.Attempt(number)
	if err != nil {
		return err
	}
	if a.MarkedAt != nil && (a.ReturnedAt == nil || a.MarkedAt.After(*a.ReturnedAt)) {
		return nil
	}
	a.MarkedAt = &now
	return tx.PutAttempt(a)
}
