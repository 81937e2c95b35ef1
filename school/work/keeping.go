package work

import (
	"context"
	"slices"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/submission"
	"readymargin/core/worksheet"
	"readymargin/school"
	"readymargin/school/intake"
	"readymargin/school/shelf"
)

// Keeping is what students decide about copies that are their own more than others
// are: those to keep, and those of pages that they bring.
type Keeping struct {
	store      KeepingStore
	gate       *school.Gate
	shelf      *shelf.Shelf
	publishing *shelf.Publishing
	feed       school.Feed
	now        school.Clock
}

// NewKeeping returns the keeping of a store.
func NewKeeping(store KeepingStore, gate *school.Gate, s *shelf.Shelf, publishing *shelf.Publishing, feed school.Feed, now school.Clock) *Keeping {
	return &Keeping{store, gate, s, publishing, feed, now}
}

// Keeps says whether a copy is the person's to keep.
func (s *Keeping) Keeps(ctx context.Context, who school.Person, id uint64) error {
	_, err := s.gate.Copy(ctx, who, id, access.KeepCopy, "")
	return err
}

// Brings says whether the person may bring pages of their own to a copy.
func (s *Keeping) Brings(ctx context.Context, who school.Person, id uint64) error {
	_, err := s.gate.Copy(ctx, who, id, access.BringPages, "")
	return err
}

// Show lets the teachers look at a copy that is to keep, or no longer.
func (s *Keeping) Show(ctx context.Context, who school.Person, id uint64, show bool) error {
	if err := s.Keeps(ctx, who, id); err != nil {
		return err
	}
	return s.store.SetShown(ctx, id, show)
}

// SetKey lets colours stand for something on a copy that is to keep. The sheet's own
// key comes first, and the two are one key.
func (s *Keeping) SetKey(ctx context.Context, who school.Person, id uint64, key []worksheet.Meaning) error {
	c, err := s.gate.Copy(ctx, who, id, access.KeepCopy, "")
	if err != nil {
		return err
	}
	kit, err := worksheet.ParseKit(c.Revision.NowKit)
	if err != nil {
		return err
	}
	if (worksheet.Kit{Key: slices.Concat(kit.Key, key)}).Check() != nil {
		return school.Refuse("colour key", "", "")
	}
	return s.store.SetOwnKey(ctx, id, key)
}

// Bring lays a copy of pages of one's own on the pages that its student brings, as PDF
// files or photographs, in their order. It can be done again until something is
// written on them, and before they are submitted.
func (s *Keeping) Bring(ctx context.Context, who school.Person, id uint64, files []intake.Upload) error {
	c, err := s.gate.Copy(ctx, who, id, access.BringPages, "")
	if err != nil {
		return err
	}
	fits := func(k school.Copy) error {
		_, err := flow.Next(k.State, flow.Change, flow.Facts{Closed: s.gate.Closed(c.Assignment, k, c.Section)})
		if err == nil && k.Attempts > 0 {
			err = school.Refuse("brought too late", "", "")
		}
		return err
	}
	if err := fits(c.Copy); err != nil { // before files are read
		return err
	}
	w, err := s.shelf.BringOwn(ctx, who, c.Assignment.Title, files)
	if err != nil {
		return err
	}
	r, err := s.publishing.Revise(ctx, w, true)
	if err != nil {
		return err
	}
	err = s.store.InCopy(ctx, id, func(tx school.CopyTx) error {
		locked, err := tx.Copy()
		if err != nil {
			return err
		}
		if err := fits(locked); err != nil {
			return err
		}
		written, err := tx.Heads(submission.Work)
		if err != nil {
			return err
		}
		if len(written) > 0 {
			return school.Refuse("written already", "", "")
		}
		now := s.now()
		if locked.StartedAt == nil {
			locked.StartedAt = &now
		}
		locked.RevisionID, locked.State = r.ID, flow.InProgress
		return tx.SetCopy(locked)
	})
	if forget := s.shelf.Forget(ctx, w); err == nil {
		err = forget
	}
	if err == nil {
		s.feed.Tell(id)
	}
	return err
}
