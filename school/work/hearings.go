package work

import (
	"context"
	"crypto/rand"
	"time"

	"readymargin/core/access"
	"readymargin/core/mark"
	"readymargin/core/recording"
	"readymargin/school"
	"readymargin/school/shelf"
)

// Hearings count how often somebody hears a sound on a sheet that may be heard so and
// so often: a listening task. The sound itself is only to be had by a hearing.
type Hearings struct {
	store     HearingStore
	gate      *school.Gate
	revisions *shelf.Revisions
	now       school.Clock
}

// NewHearings returns what counts hearings.
func NewHearings(store HearingStore, gate *school.Gate, revisions *shelf.Revisions, now school.Clock) *Hearings {
	return &Hearings{store, gate, revisions, now}
}

// A HearingStore counts hearings.
type HearingStore interface {
	school.BlobOpener
	// Hear counts one more hearing, unless there were most already, and lets a token
	// open it until a time; it says how many there were then.
	Hear(ctx context.Context, h school.Hearing, most int) (times int, ok bool, err error)
	// ReadWords notes that somebody has had the words instead.
	ReadWords(ctx context.Context, copyID, person uint64, mark string) error
	// HearingOf returns the hearing that a token opens, ErrNotFound for none.
	HearingOf(ctx context.Context, copyID, person uint64, tokenHash string) (school.Hearing, error)
}

// A Heard is a hearing that has begun.
type Heard struct {
	Token string `json:"token"` // that opens the sound
	Left  int    `json:"left"`  // hearings after this one
}

// asks returns a counted sound of a copy that the person works on.
func (s *Hearings) asks(ctx context.Context, who school.Person, id uint64, name string) (*mark.Voice, error) {
	c, err := s.gate.Copy(ctx, who, id, access.SeeReturned, "")
	if err != nil {
		return nil, err
	}
	if !c.Role.Learns() {
		return nil, access.ErrDenied
	}
	issued, err := s.revisions.Revised(ctx, c.Revision)
	if err != nil {
		return nil, err
	}
	for _, m := range issued.Directions {
		if n, ok := m.Body.(*mark.Note); ok && m.ID == name && n.Voice != nil {
			return n.Voice, nil
		}
	}
	return nil, access.ErrHidden
}

// Begin begins a hearing. Where the sound has been heard as often as it may be, it is
// the Problem "heard".
func (s *Hearings) Begin(ctx context.Context, who school.Person, id uint64, name string) (Heard, error) {
	v, err := s.asks(ctx, who, id, name)
	if err != nil {
		return Heard{}, err
	}
	if v.Times == 0 {
		return Heard{}, access.ErrHidden
	}
	token := rand.Text()
	// Long enough to hear it slowly, with rests and over a slow line.
	until := s.now().Add(4*time.Duration(v.Milliseconds)*time.Millisecond + 2*time.Minute)
	times, ok, err := s.store.Hear(ctx, school.Hearing{CopyID: id, PersonID: who.ID, MarkID: name, TokenHash: school.TokenHash(token), Until: &until}, v.Times)
	if err != nil {
		return Heard{}, err
	}
	if !ok {
		return Heard{}, school.Refuse("heard", "", "")
	}
	return Heard{token, v.Times - times}, nil
}

// Sound returns the sound of a hearing that has begun.
func (s *Hearings) Sound(ctx context.Context, who school.Person, id uint64, token string) (school.Media, error) {
	if _, err := s.gate.Copy(ctx, who, id, access.SeeReturned, ""); err != nil {
		return school.Media{}, err
	}
	h, err := s.store.HearingOf(ctx, id, who.ID, school.TokenHash(token))
	if err != nil || h.Until == nil || s.now().After(*h.Until) {
		return school.Media{}, access.ErrHidden
	}
	v, err := s.asks(ctx, who, id, h.MarkID)
	if err != nil {
		return school.Media{}, err
	}
	return school.Open(ctx, s.store, v.Sound, recording.MediaType)
}

// Words returns what a sound says, for those who cannot hear it; that somebody has had
// them the teacher sees.
func (s *Hearings) Words(ctx context.Context, who school.Person, id uint64, name string) (string, error) {
	v, err := s.asks(ctx, who, id, name)
	if err != nil {
		return "", err
	}
	if v.Words == "" {
		return "", access.ErrHidden
	}
	return v.Words, s.store.ReadWords(ctx, id, who.ID, name)
}
