package feedback

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"readymargin/core/access"
	"readymargin/core/mark"
	"readymargin/core/points"
	"readymargin/core/recording"
	"readymargin/core/submission"
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
	all = slices.DeleteFunc(slices.Clone(all), func(r school.ReadyRemark) bool { // shared in this course, it need not stand there twice
		return r.CourseID != course && slices.ContainsFunc(all, func(o school.ReadyRemark) bool {
			return o.CourseID == course && o.Text == r.Text && o.Rich == r.Rich && o.Sound == r.Sound
		})
	})
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

// A Kept is a remark as it is to be kept.
type Kept struct {
	Text, Short, Points string // the short key and the points may be empty
	Rich                bool   // the text is CommonMark
	Shared              bool   // all who mark in the course have it

	// The sound of a voice note in the feedback on a copy, where it is spoken; Text
	// is then what it says.
	Copy  uint64
	Sound string
}

// Keep keeps a remark to be used again. The places {first name} and {question}
// in its text are filled in by whoever uses it.
func (s *Ready) Keep(ctx context.Context, who school.Person, course uint64, k Kept) (school.ReadyRemark, error) {
	if _, _, err := s.gate.Course(ctx, who, course, access.SeeRoll); err != nil {
		return school.ReadyRemark{}, err
	}
	r := school.ReadyRemark{OwnerID: who.ID, Text: strings.TrimSpace(k.Text), Rich: k.Rich, CreatedAt: s.now()}
	var ok bool
	if r.Short, ok = school.OneLine(k.Short, 20); !ok {
		return r, school.Refuse("short key", "short", k.Short)
	}
	if r.Text == "" || utf8.RuneCountInString(r.Text) > mostReadyText {
		return r, school.Refuse("ready remark", "text", "")
	}
	if strings.TrimSpace(k.Points) != "" {
		p, err := points.Parse(k.Points)
		if err != nil {
			return r, school.Refuse("points", "points", k.Points)
		}
		r.Points = &p
	}
	if k.Sound != "" {
		spoken, err := s.spoken(ctx, who, k.Copy, k.Sound)
		if err != nil {
			return r, err
		}
		r.Sound, r.Milliseconds, r.Peaks = spoken.Hash, spoken.Milliseconds, spoken.Peaks
	}
	if k.Shared {
		r.CourseID = course
	}
	return s.store.KeepReadyRemark(ctx, who.ID, func(own []school.ReadyRemark) (school.ReadyRemark, error) {
		for _, o := range own {
			if o.Text == r.Text && o.Rich == r.Rich && o.CourseID == r.CourseID && o.Sound == r.Sound {
				return o, nil // it is there
			}
		}
		if len(own) >= mostReady {
			return r, school.Refuse("ready remarks", "", "")
		}
		return r, nil
	})
}

// spoken returns a sound of the feedback on a copy that somebody marks.
func (s *Ready) spoken(ctx context.Context, who school.Person, id uint64, sound string) (school.CopyAttachment, error) {
	if _, err := s.gate.Copy(ctx, who, id, access.MarkCopy, ""); err != nil {
		return school.CopyAttachment{}, err
	}
	all, err := s.store.CopyAttachments(ctx, id)
	if err != nil {
		return school.CopyAttachment{}, err
	}
	for _, a := range all {
		if a.Hash == sound && a.MediaType == recording.MediaType && a.Layer.Attempt() > 0 {
			return a, nil
		}
	}
	return school.CopyAttachment{}, access.ErrHidden
}

// Speak lets marks in a layer of a copy say what a ready remark says, and returns
// that.
func (s *Ready) Speak(ctx context.Context, who school.Person, course, id, copyID uint64, layer submission.Layer) (mark.Voice, error) {
	r, err := s.one(ctx, who, course, id)
	if err != nil {
		return mark.Voice{}, err
	}
	c, err := s.gate.Copy(ctx, who, copyID, access.WriteLayer, layer)
	if err != nil {
		return mark.Voice{}, err
	}
	if r.Sound == "" || c.Course.ID != course {
		return mark.Voice{}, access.ErrHidden
	}
	v := mark.Voice{Sound: r.Sound, Milliseconds: r.Milliseconds}
	if err := json.Unmarshal([]byte(r.Peaks), &v.Peaks); err != nil {
		return v, err
	}
	return v, s.store.AddCopyAttachment(ctx, school.CopyAttachment{Hash: r.Sound, CopyID: copyID, Layer: layer, PersonID: who.ID, MediaType: recording.MediaType, Milliseconds: r.Milliseconds, Peaks: r.Peaks})
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
