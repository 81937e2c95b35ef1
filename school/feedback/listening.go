package feedback

import (
	"context"
	"time"

	"readymargin/core/access"
	"readymargin/core/mark"
	"readymargin/school"
)

// Listening is what students hear of their feedback, and to where; which those who
// mark are told, and the students that it is so.
type Listening struct {
	store ListeningStore
	gate  *school.Gate
	now   school.Clock
}

// NewListening returns what keeps to where feedback was heard.
func NewListening(store ListeningStore, gate *school.Gate, now school.Clock) *Listening {
	return &Listening{store, gate, now}
}

// A Spoken is a remark that was returned and can be heard.
type Spoken struct {
	Mark  string      `json:"mark"`
	By    string      `json:"by"`
	Page  int         `json:"page"` // 0 for one on the whole copy
	Text  string      `json:"text"` // its words, "" where nobody has typed them
	Voice *mark.Voice `json:"voice"`
	Heard int         `json:"heard"` // milliseconds
}

// Aloud returns what can be heard of the newest feedback that a student has got on a
// copy: first of the whole, then by page.
func (s *Listening) Aloud(ctx context.Context, who school.Person, id uint64) (attempt int, all []Spoken, err error) {
	a, err := s.returned(ctx, who, id, 0)
	if err != nil {
		return 0, nil, err
	}
	r, err := school.ReadReturned(ctx, s.store, a)
	return a.Number, spoken(r, a.Heard), err
}

// spoken returns what of returned feedback can be heard.
func spoken(r school.Returned, heard map[string]int) (out []Spoken) {
	out = []Spoken{}
	whole := 0
	for _, m := range r.Marks {
		one := Spoken{Mark: m.Mark.ID, By: m.By, Page: m.Mark.Page, Heard: heard[m.Mark.ID]}
		switch b := m.Mark.Body.(type) {
		case *mark.Note:
			one.Voice, one.Text = b.Voice, school.Plainly(b.Text, b.Rich)
		case *mark.Reply:
			one.Voice, one.Text = b.Voice, school.Plainly(b.Text, b.Rich)
			if b.To == mark.Whole && b.Voice != nil {
				one.Page = 0
				out = append(out[:whole], append([]Spoken{one}, out[whole:]...)...)
				whole++
				continue
			}
		}
		if one.Voice != nil {
			out = append(out, one)
		}
	}
	return out
}

// returned returns an attempt that was returned to a student, 0 for the newest.
func (s *Listening) returned(ctx context.Context, who school.Person, id uint64, number int) (school.Attempt, error) {
	c, err := s.gate.Copy(ctx, who, id, access.ReadCopy, "")
	if err != nil {
		return school.Attempt{}, err
	}
	if !c.Role.Learns() {
		return school.Attempt{}, access.ErrDenied
	}
	all, err := s.store.Attempts(ctx, id)
	if err != nil {
		return school.Attempt{}, err
	}
	for i := len(all) - 1; i >= 0; i-- {
		if all[i].ReturnedAt != nil && (number == 0 || number == all[i].Number) {
			return all[i], nil
		}
	}
	return school.Attempt{}, access.ErrHidden
}

// Heard notes to where a student has heard a remark of an attempt, 0 for the newest
// that was returned; who hears it has seen that it is there. To have heard more before
// stays.
func (s *Listening) Heard(ctx context.Context, who school.Person, id uint64, attempt int, remark string, to time.Duration) error {
	a, err := s.returned(ctx, who, id, attempt)
	if err != nil {
		return err
	}
	r, err := school.ReadReturned(ctx, s.store, a)
	if err != nil {
		return err
	}
	for _, one := range spoken(r, nil) {
		if one.Mark != remark {
			continue
		}
		ms := min(max(int(to.Milliseconds()), 0), one.Voice.Milliseconds)
		return s.store.InCopy(ctx, id, func(tx school.CopyTx) error {
			if _, err := tx.Copy(); err != nil {
				return err
			}
			now := s.now()
			a, err := tx.Attempt(a.Number)
			if err != nil || a.ReturnedAt == nil { // it was withdrawn
				return err
			}
			if a.OpenedAt == nil {
				a.OpenedAt = &now
				if err := tx.PutAttempt(a); err != nil {
					return err
				}
			}
			return tx.Hear(a.Number, remark, ms, now)
		})
	}
	return access.ErrHidden
}
