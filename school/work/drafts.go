package work

import (
	"context"
	"encoding/json"
	"time"

	"readymargin/core/access"
	"readymargin/school"
	"readymargin/school/assign"
)

// Drafts keep what is being typed anywhere.
type Drafts struct {
	store       DraftStore
	gate        *school.Gate
	assignments *assign.Assignments
	now         school.Clock
}

// NewDrafts returns the drafts of a store.
func NewDrafts(store DraftStore, gate *school.Gate, assignments *assign.Assignments, now school.Clock) *Drafts {
	return &Drafts{store, gate, assignments, now}
}

// Bounds of drafts: of one, in bytes, and of one person's about one thing.
const (
	maxDraft  = 60_000
	maxDrafts = 60
)

// mayDraft says whether a person may type about a thing.
func (s *Drafts) mayDraft(ctx context.Context, who school.Person, of school.Drafted, id uint64) (err error) {
	switch of {
	case school.OfCopy:
		_, err = s.gate.Layer(ctx, who, id, access.SeeReturned, "")
	case school.OfAssignment:
		err = s.assignments.Marked(ctx, who, id)
	case school.OfWorksheet:
		_, err = s.gate.Worksheet(ctx, who, id, access.UseWorksheet)
	default:
		err = access.ErrHidden
	}
	return err
}

// Drafts returns what a person has typed about a thing and not kept.
func (s *Drafts) Drafts(ctx context.Context, who school.Person, of school.Drafted, id uint64) ([]school.Draft, error) {
	if err := s.mayDraft(ctx, who, of, id); err != nil {
		return nil, err
	}
	return s.store.Drafts(ctx, who.ID, of, id)
}

// KeepDrafts keeps what a person is typing about a thing, in place of what
// stood there; an empty body takes it away. Of two devices the one that was
// typed on later wins.
func (s *Drafts) KeepDrafts(ctx context.Context, who school.Person, of school.Drafted, id uint64, all []school.Draft) error {
	if err := s.mayDraft(ctx, who, of, id); err != nil {
		return err
	}
	if len(all) == 0 || len(all) > maxDrafts {
		return school.Refuse("draft", "", "")
	}
	latest := s.now().Add(time.Minute)
	for i := range all {
		d := &all[i]
		if d.Place == "" || len(d.Place) > 100 || len(d.Body) > maxDraft || !json.Valid([]byte(d.Body)) && d.Body != "" || d.At.Year() < 2020 {
			return school.Refuse("draft", "", "")
		}
		for _, c := range d.Place {
			if c <= ' ' || c > '~' {
				return school.Refuse("draft", "", "")
			}
		}
		if d.At.After(latest) { // a clock that is ahead would win for ever
			d.At = latest
		}
		d.At = d.At.UTC().Truncate(time.Microsecond)
		d.PersonID, d.Thing, d.ThingID = who.ID, of, id
	}
	return s.store.PutDrafts(ctx, all, maxDrafts)
}
