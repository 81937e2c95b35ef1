package feedback

import (
	"context"
	"errors"
	"strings"
	"time"
	"unicode/utf8"

	"readymargin/core/access"
	"readymargin/core/points"
	"readymargin/school"
)

// Ready keeps what teachers say often.
type Ready struct {
	store ReadyStore
	gate  *school.Gate
	now   school.Clock
}

// NewReady returns the ready remarks of a store.
func NewReady(store ReadyStore, gate *school.Gate, now school.Clock) *Ready {
	return &Ready{store, gate, now}
}

// A ReadyChoice is a ready remark for one who marks.
type ReadyChoice struct {
	school.ReadyRemark
	Gives string               `json:"points,omitempty"` // that it comes with
	Mine  bool                 `json:"mine"`
	Used  map[string]time.Time `json:"used"` // when it was last used, by question
}

// Bounds of ready remarks.
const (
	mostReady     = 500
	mostReadyText = 2000
)

// Choices returns a teacher's own ready remarks, and those that are shared in a
// course.
func (s *Ready) Choices(ctx context.Context, who school.Person, course uint64) ([]ReadyChoice, error) {
	if _, _, err := s.gate.Course(ctx, who, course, access.SeeRoll); err != nil {
		return nil, err
	}
	all, err := s.store.ReadyRemarks(ctx, who.ID, course)
	if err != nil {
		return nil, err
	}
	uses, err := s.store.ReadyUses(ctx, who.ID)
	out := make([]ReadyChoice, len(all))
	for i, r := range all {
		out[i] = ReadyChoice{ReadyRemark: r, Mine: r.OwnerID == who.ID, Used: uses[r.ID]}
		if r.Points != nil {
			out[i].Gives = r.Points.String()
		}
		if out[i].Used == nil {
			out[i].Used = map[string]time.Time{}
		}
	}
	return out, err
}

// Keep keeps a remark to be used again, with a short key and with points if they
// are given; shared, all who mark in the course have it. The places {first name}
// and {question} are filled in by whoever uses it.
func (s *Ready) Keep(ctx context.Context, who school.Person, course uint64, text, short, given string, shared bool) (school.ReadyRemark, error) {
	if _, _, err := s.gate.Course(ctx, who, course, access.SeeRoll); err != nil {
		return school.ReadyRemark{}, err
	}
	r := school.ReadyRemark{OwnerID: who.ID, Text: strings.TrimSpace(text), CreatedAt: s.now()}
	var ok bool
	if r.Short, ok = school.OneLine(short, 20); !ok {
		return r, school.Refuse("short key", "short", short)
	}
	if r.Text == "" || utf8.RuneCountInString(r.Text) > mostReadyText {
		return r, school.Refuse("ready remark", "text", "")
	}
	if strings.TrimSpace(given) != "" {
		p, err := points.Parse(given)
		if err != nil {
			return r, school.Refuse("points", "points", given)
		}
		r.Points = &p
	}
	if shared {
		r.CourseID = course
	}
	all, err := s.store.ReadyRemarks(ctx, who.ID, course)
	if err != nil {
		return r, err
	}
	own := 0
	for _, o := range all {
		if o.OwnerID != who.ID {
			continue
		}
		if own++; own >= mostReady {
			return r, school.Refuse("ready remarks", "", "")
		}
		if o.Text == r.Text && o.CourseID == r.CourseID {
			return o, nil // it is there
		}
	}
	return r, s.store.AddReadyRemark(ctx, &r)
}

// Used notes that a ready remark was used at a question, "" for none.
func (s *Ready) Used(ctx context.Context, who school.Person, course, id uint64, question string) error {
	if _, err := s.one(ctx, who, course, id); err != nil {
		return err
	}
	if len(question) > 64 || strings.ContainsFunc(question, func(r rune) bool { return r > 126 }) {
		return school.Refuse("wrong form", "question", "")
	}
	return s.store.UseReadyRemark(ctx, id, who.ID, question, s.now())
}

// Drop takes one of a teacher's own ready remarks away.
func (s *Ready) Drop(ctx context.Context, who school.Person, course, id uint64) error {
	r, err := s.one(ctx, who, course, id)
	if err != nil {
		return err
	}
	if r.OwnerID != who.ID {
		return access.ErrDenied
	}
	return s.store.DropReadyRemark(ctx, id)
}

// one returns a ready remark that somebody may use in a course.
func (s *Ready) one(ctx context.Context, who school.Person, course, id uint64) (school.ReadyRemark, error) {
	if _, _, err := s.gate.Course(ctx, who, course, access.SeeRoll); err != nil {
		return school.ReadyRemark{}, err
	}
	r, err := s.store.ReadyRemark(ctx, id)
	if errors.Is(err, school.ErrNotFound) || err == nil && r.OwnerID != who.ID && r.CourseID != course {
		return r, access.ErrHidden
	}
	return r, err
}
