package school

import (
	"context"
	"encoding/json"
	"time"

	"readymargin/core/access"
)

// A Draft is what somebody is typing at a place of a thing and has not kept
// yet: a note, an answer, a remark, the line to the teacher, a title. It is
// theirs alone, is written over, and is in no history, feed or export.
type Draft struct {
	PersonID uint64    `json:"-"`
	Thing    Drafted   `json:"-"`
	ThingID  uint64    `json:"-"`
	Place    string    `json:"place"`
	Body     string    `json:"body"` // as the screen wrote it; "" for none
	At       time.Time `json:"at"`   // by the clock of the device that it was typed on
}

// Drafted is a kind of thing that drafts are about.
type Drafted string

// What drafts are about. An assignment that is only being made is typed about
// its worksheet.
const (
	OfCopy       Drafted = "copy"
	OfAssignment Drafted = "assignment"
	OfWorksheet  Drafted = "worksheet"
)

// Bounds of drafts: of one, in bytes, and of one person's about one thing.
const (
	maxDraft  = 60_000
	maxDrafts = 60
)

// lineDraft is the place of the line to the teacher, as the screen names it.
const lineDraft = "line"

// mayDraft says whether a person may type about a thing.
func (s *School) mayDraft(ctx context.Context, who Person, of Drafted, id uint64) (err error) {
	switch of {
	case OfCopy:
		_, err = s.standing(ctx, who, id, access.SeeReturned, "")
	case OfAssignment:
		_, _, err = s.Given(ctx, who, id)
	case OfWorksheet:
		_, err = s.worksheet(ctx, who, id)
	default:
		err = access.ErrHidden
	}
	return err
}

// Drafts returns what a person has typed about a thing and not kept.
func (s *School) Drafts(ctx context.Context, who Person, of Drafted, id uint64) ([]Draft, error) {
	if err := s.mayDraft(ctx, who, of, id); err != nil {
		return nil, err
	}
	return s.Store.Drafts(ctx, who.ID, of, id)
}

// KeepDrafts keeps what a person is typing about a thing, in place of what
// stood there; an empty body takes it away. Of two devices the one that was
// typed on later wins.
func (s *School) KeepDrafts(ctx context.Context, who Person, of Drafted, id uint64, all []Draft) error {
	if err := s.mayDraft(ctx, who, of, id); err != nil {
		return err
	}
	if len(all) == 0 || len(all) > maxDrafts {
		return problem("draft", "", "")
	}
	latest := s.Now().Add(time.Minute)
	for i := range all {
		d := &all[i]
		if d.Place == "" || len(d.Place) > 100 || len(d.Body) > maxDraft || !json.Valid([]byte(d.Body)) && d.Body != "" || d.At.Year() < 2020 {
			return problem("draft", "", "")
		}
		for _, c := range d.Place {
			if c <= ' ' || c > '~' {
				return problem("draft", "", "")
			}
		}
		if d.At.After(latest) { // a clock that is ahead would win for ever
			d.At = latest
		}
		d.At = d.At.UTC().Truncate(time.Microsecond)
		d.PersonID, d.Thing, d.ThingID = who.ID, of, id
	}
	return s.Store.PutDrafts(ctx, all, maxDrafts)
}
