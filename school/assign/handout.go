package assign

import (
	"context"
	"slices"
	"time"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/school"
)

// known says whether an audience is made of sections and students that a
// course has.
func (s *Assignments) known(ctx context.Context, course uint64, a access.Audience) error {
	if a.Everybody() {
		return nil
	}
	members, err := s.store.Members(ctx, course)
	if err != nil {
		return err
	}
	for _, section := range a.Sections {
		if section == "" || !slices.ContainsFunc(members, func(m school.Member) bool { return m.Section == section }) {
			return school.Refuse("audience", "section", section)
		}
	}
	for _, person := range a.People {
		if !slices.ContainsFunc(members, func(m school.Member) bool { return m.PersonID == person && m.Role == access.Student }) {
			return school.Refuse("audience", "person", "")
		}
	}
	return nil
}

// changed lets change have an assignment of the teacher's; what takes long or
// asks the store is done before.
func (s *Assignments) changed(ctx context.Context, who school.Person, id uint64, change func(*school.Assignment) error) (school.Assignment, error) {
	if a, _, err := s.Given(ctx, who, id); err != nil {
		return a, err
	}
	return s.store.ChangeAssignment(ctx, id, change)
}

// SetAudience says whom an assignment is given to. Work of those who are no
// longer among them is kept.
func (s *Assignments) SetAudience(ctx context.Context, who school.Person, id uint64, to access.Audience) (school.Assignment, error) {
	a, c, err := s.Given(ctx, who, id)
	if err != nil {
		return a, err
	}
	if err := s.known(ctx, c.ID, to); err != nil {
		return a, err
	}
	return s.changed(ctx, who, id, func(a *school.Assignment) error { a.Audience = to; return nil })
}

// maxHandouts bounds the worksheets of one assignment.
const maxHandouts = 12

// AddHandout gives some of an assignment's students another worksheet. They
// do not learn that there are others.
func (s *Assignments) AddHandout(ctx context.Context, who school.Person, id, worksheet uint64, to access.Audience, anyway bool) (school.Assignment, error) {
	a, c, err := s.Given(ctx, who, id)
	if err != nil {
		return a, err
	}
	w, err := s.gate.Worksheet(ctx, who, worksheet, access.UseWorksheet)
	if err != nil {
		return a, err
	}
	if to.Everybody() {
		return a, school.Refuse("nobody", "section", "")
	}
	if err := s.known(ctx, c.ID, to); err != nil {
		return a, err
	}
	full := func(a school.Assignment) bool {
		return len(a.Handouts) >= maxHandouts || a.Mode == flow.OneForAll || a.Mode == flow.OwnPages
	}
	if full(a) { // before a file is made
		return a, school.Refuse("handouts", "", "")
	}
	r, err := s.publishing.Revise(ctx, w, anyway)
	if err != nil {
		return a, err
	}
	return s.changed(ctx, who, id, func(a *school.Assignment) error {
		if full(*a) {
			return school.Refuse("handouts", "", "")
		}
		a.Handouts = append(a.Handouts, school.Handout{WorksheetID: w.ID, RevisionID: r.ID, Audience: to})
		return nil
	})
}

// RemoveHandout takes back what AddHandout gave; copies that are begun stay.
func (s *Assignments) RemoveHandout(ctx context.Context, who school.Person, id uint64, number int) (school.Assignment, error) {
	return s.changed(ctx, who, id, func(a *school.Assignment) error {
		if number < 1 || number >= len(a.Handouts) {
			return access.ErrHidden
		}
		a.Handouts = slices.Delete(a.Handouts, number, number+1)
		return nil
	})
}

// Publish hands out what was kept as a draft.
func (s *Assignments) Publish(ctx context.Context, who school.Person, id uint64) (school.Assignment, error) {
	return s.changed(ctx, who, id, func(a *school.Assignment) error { a.Draft = false; return nil })
}

// Unassign takes an assignment away from the students. What they have done is
// kept, and they can still read it.
func (s *Assignments) Unassign(ctx context.Context, who school.Person, id uint64) (school.Assignment, error) {
	return s.changed(ctx, who, id, func(a *school.Assignment) error {
		now := s.now()
		a.RemovedAt = &now
		return nil
	})
}

// AssignAgain undoes Unassign.
func (s *Assignments) AssignAgain(ctx context.Context, who school.Person, id uint64) (school.Assignment, error) {
	return s.changed(ctx, who, id, func(a *school.Assignment) error { a.RemovedAt = nil; return nil })
}

// GiveTime gives a student until a later due time, by the course's clock; ""
// takes that back. Nobody else learns of it.
func (s *Assignments) GiveTime(ctx context.Context, who school.Person, id, student uint64, wall string) error {
	a, c, err := s.Given(ctx, who, id)
	if err != nil {
		return err
	}
	m, err := s.store.Membership(ctx, c.ID, student)
	if err != nil {
		return err
	}
	if m.Role != access.Student {
		return access.ErrHidden
	}
	var due *time.Time
	if wall != "" {
		at, err := flow.At(wall, c.Location())
		switch {
		case err != nil:
			return school.Refuse("due time", "due", wall)
		case a.DueAt == nil || !at.After(*a.DueAt):
			return school.Refuse("extra time", "due", "")
		}
		due = &at
	}
	mine, err := s.store.CopyFor(ctx, id, student, a.For(student, m.Section).RevisionID)
	if err != nil {
		return err
	}
	return s.store.InCopy(ctx, mine.ID, func(tx school.CopyTx) error {
		locked, err := tx.Copy()
		if err != nil {
			return err
		}
		locked.DueAt = due
		return tx.SetCopy(locked)
	})
}

// A Recipient is a student whom an assignment may concern.
type Recipient struct {
	school.Member
	Given    bool       // it is given to this student
	Handout  int        // which worksheet
	ExtraDue *time.Time // the later due time
	Begun    bool
}

// Recipients returns the students of an assignment's course as the assignment
// concerns them.
func (s *Assignments) Recipients(ctx context.Context, who school.Person, id uint64) (school.Assignment, school.Course, []Recipient, error) {
	a, c, err := s.Given(ctx, who, id)
	if err != nil {
		return a, c, nil, err
	}
	members, err := s.store.Members(ctx, c.ID)
	if err != nil {
		return a, c, nil, err
	}
	copies, err := s.store.CopiesOf(ctx, id)
	if err != nil {
		return a, c, nil, err
	}
	var out []Recipient
	for _, m := range members {
		if m.Role != access.Student {
			continue
		}
		one := Recipient{Member: m, Given: a.Audience.Includes(m.PersonID, m.Section), Handout: a.For(m.PersonID, m.Section).Number}
		for _, cp := range copies {
			if cp.StudentID == m.PersonID {
				one.ExtraDue, one.Begun = cp.DueAt, cp.State != flow.NotStarted
			}
		}
		out = append(out, one)
	}
	return a, c, out, nil
}

// Sections returns the sections of members, each once, sorted.
func Sections(members []school.Member) (out []string) {
	for _, m := range members {
		if m.Section != "" && m.Role == access.Student {
			out = append(out, m.Section)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}
