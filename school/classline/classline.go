// Package classline has what teachers say to a whole class: a line, typed or spoken,
// on the start pages of its students, and who has seen it.
package classline

import (
	"context"
	"errors"
	"strings"
	"time"
	"unicode/utf8"

	"readymargin/core/access"
	"readymargin/core/recording"
	"readymargin/school"
	"readymargin/school/intake"
)

// Lines are what teachers say to classes.
type Lines struct {
	store  Store
	gate   *school.Gate
	intake *intake.Intake
	now    school.Clock
}

// New returns the lines of a store.
func New(store Store, gate *school.Gate, in *intake.Intake, now school.Clock) *Lines {
	return &Lines{store, gate, in, now}
}

// A Store keeps lines.
type Store interface {
	school.BlobOpener
	AddLine(ctx context.Context, l *school.ClassLine) error
	// Lines returns those of a course, the newest first, with who has seen them.
	Lines(ctx context.Context, course uint64) ([]school.ClassLine, error)
	// LinesFor returns what was said since a time to the classes that somebody is a
	// student of, and that are not put away, the newest first.
	LinesFor(ctx context.Context, person uint64, since time.Time) ([]school.ClassLine, error)
	Line(ctx context.Context, id uint64) (school.ClassLine, error)
	SeeLine(ctx context.Context, id, person uint64, at time.Time) error
	DropLine(ctx context.Context, id uint64) error
}

// Bounds of what is said to a class.
const (
	MaxText  = 1000 // characters
	MostKept = 200  // lines of a course
	// Shown is for how long a line stands on start pages.
	Shown = 30 * 24 * time.Hour
)

// Say says something to a class of the teacher's: in words, spoken, or both.
func (s *Lines) Say(ctx context.Context, who school.Person, course uint64, text string, spoken *intake.Recorded) error {
	c, _, err := s.gate.Course(ctx, who, course, access.RunCourse)
	if err != nil {
		return err
	}
	text = strings.TrimSpace(text)
	if text == "" && spoken == nil || utf8.RuneCountInString(text) > MaxText {
		return school.Refuse("class line", "text", text)
	}
	if c.ArchivedAt != nil {
		return school.Refuse("put away", "", "")
	}
	there, err := s.store.Lines(ctx, course)
	if err != nil {
		return err
	}
	if len(there) >= MostKept {
		return school.Refuse("many lines", "text", text)
	}
	l := school.ClassLine{CourseID: course, AuthorID: who.ID, Text: text, At: s.now()}
	if spoken != nil {
		v, peaks, err := s.intake.Recording(ctx, *spoken, time.Duration(c.VoiceSeconds)*time.Second)
		if err != nil {
			return err
		}
		l.Sound, l.Milliseconds, l.Peaks = v.Sound, v.Milliseconds, peaks
	}
	return s.store.AddLine(ctx, &l)
}

// Of returns what was said to a class, the newest first, to those who mark in it.
func (s *Lines) Of(ctx context.Context, who school.Person, course uint64) ([]school.ClassLine, error) {
	if _, _, err := s.gate.Course(ctx, who, course, access.SeeRoll); err != nil {
		return nil, err
	}
	return s.store.Lines(ctx, course)
}

// For returns what was said lately to the classes of a student, the newest first.
func (s *Lines) For(ctx context.Context, who school.Person) ([]school.ClassLine, error) {
	return s.store.LinesFor(ctx, who.ID, s.now().Add(-Shown))
}

// line returns a line with what somebody is in its course.
func (s *Lines) line(ctx context.Context, who school.Person, id uint64, a access.Action) (school.ClassLine, access.Role, error) {
	if who.ID == 0 {
		return school.ClassLine{}, access.None, access.ErrSignIn
	}
	l, err := s.store.Line(ctx, id)
	if errors.Is(err, school.ErrNotFound) {
		return l, access.None, access.ErrHidden
	}
	if err != nil {
		return l, access.None, err
	}
	_, role, err := s.gate.Course(ctx, who, l.CourseID, a)
	return l, role, err
}

// See notes that a student has seen a line.
func (s *Lines) See(ctx context.Context, who school.Person, id uint64) error {
	_, role, err := s.line(ctx, who, id, access.HearClass)
	if err == nil && !role.Learns() {
		err = access.ErrDenied
	}
	if err != nil {
		return err
	}
	return s.store.SeeLine(ctx, id, who.ID, s.now())
}

// Drop takes a line away, which then nobody sees any more.
func (s *Lines) Drop(ctx context.Context, who school.Person, id uint64) (course uint64, err error) {
	l, _, err := s.line(ctx, who, id, access.RunCourse)
	if err != nil {
		return 0, err
	}
	return l.CourseID, s.store.DropLine(ctx, id)
}

// Sound returns what was spoken.
func (s *Lines) Sound(ctx context.Context, who school.Person, id uint64) (school.Media, error) {
	l, _, err := s.line(ctx, who, id, access.HearClass)
	if err != nil {
		return school.Media{}, err
	}
	if l.Sound == "" {
		return school.Media{}, access.ErrHidden
	}
	return school.Open(ctx, s.store, l.Sound, recording.MediaType)
}
