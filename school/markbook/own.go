package markbook

import (
	"cmp"
	"context"
	"encoding/json"
	"slices"
	"time"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/points"
	"readymargin/school"
)

// A Sheet is something that was assigned, as it stands with one student.
type Sheet struct {
	Assignment school.Assignment
	Copy       school.Copy // with no ID where there is none yet
	Revision   uint64      // that the copy is of, or will be
	Gone       bool        // no longer given; the work is kept
	Hidden     bool        // it is marked without names: nothing of it is told yet
	Attempts   []Attempt   // the newest first
}

// Due returns when it is due for the student, nil for never.
func (s Sheet) Due() *time.Time { return s.Assignment.DueFor(s.Copy) }

// Given reports whether it is given to the student: now, or it was when they began.
func (s Sheet) Given() bool { return !s.Gone || s.Copy.Begun() }

// An Attempt is one submitting, with what came back for it.
type Attempt struct {
	school.Attempt
	Points *points.Points // nil where none were given, and while it is fresh
	Remark string         // "" while it is fresh
	Fresh  bool           // it came back and was not opened yet, and may still be withdrawn
	of     points.Points
}

// Share is the part of the points that was reached; 0 where there are none.
func (a Attempt) Share() float64 {
	if a.Points == nil || a.of == 0 {
		return 0
	}
	return float64(*a.Points) / float64(a.of)
}

// Own returns what a course gave a student, by chapter and due time, with every
// attempt and what came back for it, as it was returned. Nothing of anybody else is
// in it.
func (b *Books) Own(ctx context.Context, who school.Person, course uint64) (school.Course, []Sheet, error) {
	c, _, err := b.gate.Course(ctx, who, course, access.SeeOwnPoints)
	if err != nil {
		return c, nil, err
	}
	m, err := b.store.Membership(ctx, course, who.ID)
	if err != nil {
		return c, nil, err
	}
	in := school.CourseRole{Course: c, Role: m.Role, Section: m.Section}
	sheets, err := b.sheets(ctx, course, m, func(a school.Assignment, k school.Copy) bool {
		return b.gate.Assigned(who, in, a, k, access.SeeAssignment) == nil
	})
	if err != nil {
		return c, nil, err
	}
	var hashes []string
	for _, s := range sheets {
		for _, a := range s.Attempts {
			if a.ReturnedAt != nil {
				hashes = append(hashes, a.ReturnedHash)
			}
		}
	}
	blobs, err := b.store.SmallBlobs(ctx, hashes...)
	if err != nil {
		return c, nil, err
	}
	for i := range sheets {
		for n := range sheets[i].Attempts {
			a := &sheets[i].Attempts[n]
			a.Points, a.Remark = nil, "" // what is being marked is not the student's yet
			if a.ReturnedAt == nil || a.Fresh {
				continue
			}
			var r school.Returned
			if err := json.Unmarshal(blobs[a.ReturnedHash], &r); err != nil {
				return c, nil, err
			}
			a.Points, a.Remark, a.RemarkRich = r.Points, r.Remark, r.Rich
		}
	}
	return c, sheets, nil
}

// Of returns what a course gave one of its students, to those who mark in it:
// points and remarks as they are now, returned or not.
func (b *Books) Of(ctx context.Context, who school.Person, m school.Membership) ([]Sheet, error) {
	if _, _, err := b.gate.Course(ctx, who, m.CourseID, access.SeeRoll); err != nil {
		return nil, err
	}
	sheets, err := b.sheets(ctx, m.CourseID, m, func(school.Assignment, school.Copy) bool { return true })
	for i, s := range sheets {
		if s.Assignment.Hides(s.Copy) {
			sheets[i] = Sheet{Assignment: s.Assignment, Hidden: true}
		}
	}
	return slices.DeleteFunc(sheets, func(s Sheet) bool { return !s.Given() && !s.Hidden }), err
}

// sheets returns what was assigned in a course and is shown, with a member's copies.
func (b *Books) sheets(ctx context.Context, course uint64, m school.Membership, shown func(school.Assignment, school.Copy) bool) ([]Sheet, error) {
	given, err := b.store.AssignmentsOf(ctx, course)
	if err != nil {
		return nil, err
	}
	copies, err := b.store.CopiesOfStudent(ctx, m.PersonID)
	if err != nil {
		return nil, err
	}
	attempts, err := b.store.AttemptsOfStudent(ctx, m.PersonID)
	if err != nil {
		return nil, err
	}
	of := map[uint64]school.Copy{}
	for _, k := range copies {
		of[k.AssignmentID] = k
	}
	by := map[uint64][]school.Attempt{}
	for _, a := range attempts {
		by[a.CopyID] = append(by[a.CopyID], a)
	}
	var out []Sheet
	for _, a := range given {
		k := of[a.ID]
		if k.ID == 0 {
			k.State = flow.NotStarted
		}
		if !shown(a, k) {
			continue
		}
		s := Sheet{Assignment: a, Copy: k, Gone: a.Over() || !a.Audience.Includes(m.PersonID, m.Section)}
		s.Revision = cmp.Or(k.RevisionID, a.For(m.PersonID, m.Section).RevisionID)
		for _, t := range by[k.ID] {
			s.Attempts = append(s.Attempts, Attempt{Attempt: t, Points: t.Points, Remark: t.Remark, Fresh: t.ReturnedAt != nil && t.OpenedAt == nil, of: a.Points})
		}
		slices.SortFunc(s.Attempts, func(x, y Attempt) int { return cmp.Compare(y.Number, x.Number) })
		out = append(out, s)
	}
	// What has no chapter comes first.
	slices.SortStableFunc(out, func(x, y Sheet) int { return cmp.Compare(x.Assignment.Chapter, y.Assignment.Chapter) })
	return out, nil
}
