// Package school is the job, step by step: enrol, prepare, assign, work,
// submit, mark, give back, take away. Each step checks who may take it (core/
// access, core/flow), lets the core compute, and stores. It does not know
// HTTP, SQL or HTML; what it needs from outside it declares in ports.go.
package school

import (
	"context"
	"errors"
	"time"

	"golang.org/x/sync/singleflight"

	"readymargin/core/access"
	"readymargin/core/copy"
	"readymargin/core/flow"
	"readymargin/queue"
)

// A School is all use cases over one store.
type School struct {
	Store    Store
	Press    Press
	Ear      Ear
	Office   Office
	Darkroom Darkroom
	Now      func() time.Time

	hashing *queue.Queue // bounds the memory of password hashing, and who waits for it
	feed    *feed
	drawing singleflight.Group // pictures being rendered: a class opens a worksheet in the same minute
	readers singleflight.Group // worksheets being read
}

// New returns a School whose clock is the machine's.
func New(store Store, press Press, ear Ear, papers Office, photos Darkroom) *School {
	return &School{
		Store: store, Press: press, Ear: ear, Office: papers, Darkroom: photos,
		Now:     func() time.Time { return time.Now().UTC().Truncate(time.Microsecond) },
		hashing: queue.New(queue.Config{AtOnce: 2, Waiting: 600}), feed: newFeed(store.Pulses),
	}
}

// A Problem is a refusal that people can do something about; web has a
// sentence for each.
type Problem struct {
	Code  string // what is wrong, in a word or two
	Field string // of the form, if one is to blame
	Value string // what it was
}

func (p *Problem) Error() string { return "school: " + p.Code + " " + p.Field + " " + p.Value }

func problem(code, field, value string) error { return &Problem{code, field, value} }

// IsProblem reports whether err is the Problem of that code.
func IsProblem(err error, code string) bool {
	var p *Problem
	return errors.As(err, &p) && p.Code == code
}

// stands returns who asks and about what, for core/access: a member of the
// assignment's course about a copy of it, or about the one they would get.
func (s *School) stands(who Person, role access.Role, section string, a Assignment, c Copy, layer copy.Layer) (access.Person, access.Thing) {
	shared := a.Way == flow.OneForAll
	t := access.Thing{State: c.State, Layer: layer, Attempt: c.Attempts, Shared: shared, Now: s.Now(), Given: access.Given{
		Way: a.Way, Draft: a.Draft, Removed: a.RemovedAt != nil, Included: a.Audience.Includes(who.ID, section), Begun: c.begun(), KeptHere: a.KeepHere}}
	if a.OpensAt != nil {
		t.Given.Opens = *a.OpensAt
	}
	mine := shared || c.ID == 0 || c.StudentID == who.ID
	return access.Person{SignedIn: who.ID != 0, Admin: who.Admin, Role: role, Owner: mine}, t
}

// may asks core/access about a copy.
func (s *School) may(who Person, c CopyInCourse, a access.Action, layer copy.Layer) error {
	p, t := s.stands(who, c.Role, c.Section, c.Assignment, c.Copy, layer)
	return access.May(p, a, t)
}

// copyFor loads a copy and checks one action.
func (s *School) copyFor(ctx context.Context, who Person, id uint64, a access.Action, layer copy.Layer) (CopyInCourse, error) {
	if who.ID == 0 {
		return CopyInCourse{}, access.ErrSignIn
	}
	c, err := s.Store.CopyInCourse(ctx, id, who.ID)
	if errors.Is(err, ErrNotFound) {
		return c, access.ErrHidden
	}
	if err != nil {
		return c, err
	}
	return c, s.may(who, c, a, layer)
}

// course loads a course and checks one action.
func (s *School) course(ctx context.Context, who Person, id uint64, a access.Action) (Course, access.Role, error) {
	if who.ID == 0 {
		return Course{}, access.None, access.ErrSignIn
	}
	c, err := s.Store.Course(ctx, id)
	if errors.Is(err, ErrNotFound) {
		return c, access.None, access.ErrHidden
	}
	if err != nil {
		return c, access.None, err
	}
	m, err := s.Store.Membership(ctx, id, who.ID)
	if err != nil {
		return c, m.Role, err
	}
	return c, m.Role, access.May(access.Person{SignedIn: true, Admin: who.Admin, Role: m.Role}, a, access.Thing{})
}

// closed reports whether a copy takes no more work now, of somebody to whom
// the assignment is given, or no longer.
func (s *School) closed(a Assignment, c Copy, section string) bool {
	gone := a.Way == flow.CopyEach && !a.Audience.Includes(c.StudentID, section)
	return gone || !a.TimesFor(c).Open(s.Now())
}
