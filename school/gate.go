// Package school holds what all steps of the job share: the records that a
// store keeps, the refusals that people can do something about, and the gate
// that says who may do what. The steps are the packages below it: enrol, shelf,
// assign, work, feedback, takeaway. Each is a few small services, which check
// who may take the step (core/access, core/flow), let the core compute, and
// store; what a service needs from outside it declares in its ports.go. None
// knows HTTP, SQL or HTML.
package school

import (
	"context"
	"errors"
	"time"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/submission"
)

// A Clock tells the time, in UTC.
type Clock = func() time.Time

// A Gate says, for every use case, what somebody may do: it reads what
// decides and asks core/access.
type Gate struct {
	store GateStore
	now   Clock
}

// NewGate returns a gate.
func NewGate(store GateStore, now Clock) *Gate { return &Gate{store, now} }

// Worksheet loads a worksheet and checks one action.
func (s *Gate) Worksheet(ctx context.Context, who Person, id uint64, a access.Action) (Worksheet, error) {
	if who.ID == 0 {
		return Worksheet{}, access.ErrSignIn
	}
	w, err := s.store.WorksheetFor(ctx, id, who.ID)
	if errors.Is(err, ErrNotFound) || err == nil && w.DeletedAt != nil {
		return w.Worksheet, access.ErrHidden
	}
	if err != nil {
		return w.Worksheet, err
	}
	p := access.Person{SignedIn: true, Owner: w.OwnerID == who.ID, Colleague: w.Shared && (who.Staff || who.Admin), Together: w.Changes}
	return w.Worksheet, access.May(p, a, access.Thing{})
}

// Revision loads what students get of a worksheet and checks one action.
func (s *Gate) Revision(ctx context.Context, who Person, id uint64, a access.Action) (Revision, error) {
	if who.ID == 0 {
		return Revision{}, access.ErrSignIn
	}
	r, err := s.store.Revision(ctx, id)
	if errors.Is(err, ErrNotFound) {
		return r, access.ErrHidden
	}
	if err != nil {
		return r, err
	}
	w, err := s.store.Worksheet(ctx, r.WorksheetID)
	if err != nil {
		return r, err
	}
	if w.OwnerID == Nobody && a == access.SeeWorksheet {
		return r, nil
	}
	if w.OwnerID == who.ID {
		return r, access.May(access.Person{SignedIn: true, Owner: true}, a, access.Thing{})
	}
	held, err := s.store.Holdings(ctx, id, who.ID)
	if err != nil {
		return r, err
	}
	err = access.ErrHidden
	for _, h := range held {
		if h.Copy.ID == 0 && h.Role.Learns() { // with no copy yet, what they would get
			a, err := s.store.Assignment(ctx, h.Assignment.ID)
			if err != nil {
				return r, err
			}
			if a.For(who.ID, h.Section).RevisionID != id {
				continue
			}
		}
		p, t := s.stands(who, h.Role, h.Section, h.Assignment, h.Copy, "")
		if err = access.May(p, a, t); err == nil {
			return r, nil
		}
	}
	return r, err
}

// stands returns who asks and about what, for core/access: a member of the
// assignment's course about a copy of it, or about the one they would get.
func (s *Gate) stands(who Person, role access.Role, section string, a Assignment, c Copy, layer submission.Layer) (access.Person, access.Thing) {
	shared := a.Mode == flow.OneForAll
	t := access.Thing{State: c.State, Layer: layer, Attempt: c.Attempts, Shared: shared, Now: s.now(), Given: access.Given{
		Mode: a.Mode, Draft: a.Draft, Removed: a.Over(), Included: a.Audience.Includes(who.ID, section), Begun: c.Begun(), KeptHere: a.KeepHere, Watched: a.Watched, Shown: c.Shown, Nameless: a.Nameless}}
	if a.OpensAt != nil {
		t.Given.Opens = *a.OpensAt
	}
	mine := shared || c.ID == 0 || c.StudentID == who.ID
	return access.Person{SignedIn: who.ID != 0, Admin: who.Admin, Role: role, Owner: mine}, t
}

// May asks core/access about a copy.
func (s *Gate) May(who Person, c CopyInCourse, a access.Action, layer submission.Layer) error {
	p, t := s.stands(who, c.Role, c.Section, c.Assignment, c.Copy, layer)
	t.Asked = c.Asked
	return access.May(p, a, t)
}

// Copy loads a copy and checks one action.
func (s *Gate) Copy(ctx context.Context, who Person, id uint64, a access.Action, layer submission.Layer) (CopyInCourse, error) {
	if who.ID == 0 {
		return CopyInCourse{}, access.ErrSignIn
	}
	c, err := s.store.CopyInCourse(ctx, id, who.ID)
	if errors.Is(err, ErrNotFound) {
		return c, access.ErrHidden
	}
	if err != nil {
		return c, err
	}
	return c, s.May(who, c, a, layer)
}

// Course loads a course and checks one action.
func (s *Gate) Course(ctx context.Context, who Person, id uint64, a access.Action) (Course, access.Role, error) {
	if who.ID == 0 {
		return Course{}, access.None, access.ErrSignIn
	}
	c, err := s.store.CourseFor(ctx, id, who.ID)
	if errors.Is(err, ErrNotFound) {
		return Course{}, access.None, access.ErrHidden
	}
	if err != nil {
		return Course{}, access.None, err
	}
	return c.Course, c.Role, access.May(access.Person{SignedIn: true, Admin: who.Admin, Role: c.Role}, a, access.Thing{})
}

// Given loads an assignment with its course and checks one action there.
func (s *Gate) Given(ctx context.Context, who Person, id uint64, a access.Action) (Assignment, Course, error) {
	given, err := s.store.Assignment(ctx, id)
	if errors.Is(err, ErrNotFound) {
		return given, Course{}, access.ErrHidden
	}
	if err != nil {
		return given, Course{}, err
	}
	c, _, err := s.Course(ctx, who, given.CourseID, a)
	return given, c, err
}

// Closed reports whether a copy takes no more work now, of somebody to whom
// the assignment is given, or no longer.
func (s *Gate) Closed(a Assignment, c Copy, section string) bool {
	if a.Mode == flow.ToKeep && c.Begun() {
		return false // it is theirs
	}
	gone := a.Mode.HandedIn() && !a.Audience.Includes(c.StudentID, section)
	return gone || !a.TimesFor(c).Open(s.now())
}

// Assigned asks core/access about an assignment and somebody's copy of it, if
// there is one.
func (s *Gate) Assigned(who Person, in CourseRole, a Assignment, mine Copy, what access.Action) error {
	p, t := s.stands(who, in.Role, in.Section, a, mine, "")
	return access.May(p, what, t)
}

// Layer checks whether the person may read or write a layer of a copy, by
// one query: saving and following ask it all the time.
func (s *Gate) Layer(ctx context.Context, who Person, id uint64, a access.Action, layer submission.Layer) (WriteContext, error) {
	if who.ID == 0 {
		return WriteContext{}, access.ErrSignIn
	}
	c, err := s.store.WriteContext(ctx, id, who.ID)
	if errors.Is(err, ErrNotFound) {
		return c, access.ErrHidden
	}
	if err != nil {
		return c, err
	}
	return c, s.MayIn(who, c, a, layer)
}

// MayIn asks core/access about a copy that is written in.
func (s *Gate) MayIn(who Person, c WriteContext, a access.Action, layer submission.Layer) error {
	p, t := s.stands(who, c.Role, c.Section, c.Assignment, c.Copy, layer)
	t.Asked = c.Asked
	return access.May(p, a, t)
}

// A GateStore keeps what decides who may do what.
type GateStore interface {
	// CourseFor returns a course with what a person is in it; access.None for nothing.
	CourseFor(ctx context.Context, id, person uint64) (CourseRole, error)
	Worksheet(ctx context.Context, id uint64) (Worksheet, error)
	// WorksheetFor returns a worksheet with whether it is shared with somebody.
	WorksheetFor(ctx context.Context, id, person uint64) (WorksheetFor, error)
	Revision(ctx context.Context, id uint64) (Revision, error)
	// Assignment returns one with its handouts.
	Assignment(ctx context.Context, id uint64) (Assignment, error)
	// Holdings returns what gives a person a revision to see.
	Holdings(ctx context.Context, revision, person uint64) ([]Holding, error)
	// CopyInCourse returns a copy with its surroundings as the asker stands to it.
	CopyInCourse(ctx context.Context, id, asker uint64) (CopyInCourse, error)
	WriteContext(ctx context.Context, id, asker uint64) (WriteContext, error)
}
