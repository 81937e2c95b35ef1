package screen

import (
	"context"
	"time"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/practice"
	"readymargin/core/submission"
	"readymargin/school"
)

// Practise returns the screen of the practice sheet, on which every instrument
// is tried once. Nothing of it is kept.
func (s *Screens) Practise(ctx context.Context, who school.Person) (Screen, error) {
	if who.ID == 0 {
		return Screen{}, access.ErrSignIn
	}
	w, err := s.shelf.PracticeSheet(ctx)
	if err != nil {
		return Screen{}, err
	}
	v, err := s.preview(ctx, who, w)
	if err != nil {
		return v, err
	}
	v.Course, v.Steps = "five minutes, nothing is handed in", practice.Steps
	for _, m := range practice.Laid() {
		v.Marks = append(v.Marks, Show(submission.Work, submission.Shown{Version: m.ID, Mark: m}, who.Name, true, time.Time{}, true))
	}
	return v, nil
}

// Empty returns a copy with nothing on it but what the teacher says on its sheet.
func (s *Screens) Empty(ctx context.Context, c school.CopyInCourse) (Screen, error) {
	v := Screen{Base: Base{Copy: c.ID, Assignment: c.Assignment.ID, Sheet: c.Revision.ID, Title: c.Assignment.Title, Course: c.Course.Name, Student: c.Student.Name, State: c.State, Marks: []Mark{}}}
	issued, err := s.revisions.Revised(ctx, c.Revision)
	if err != nil {
		return v, err
	}
	v.issued(issued)
	v.direct()
	return v, nil
}

// preview returns a student's screen of a worksheet of which nothing is kept.
func (s *Screens) preview(ctx context.Context, who school.Person, w school.Worksheet) (Screen, error) {
	r, err := s.publishing.Revise(ctx, w, true)
	if err != nil {
		return Screen{}, err
	}
	v := Screen{ForStudent: &ForStudent{May: []Action{}}, ForTrial: &ForTrial{Trial: true}, Base: Base{Sheet: r.ID, Title: w.Title, Course: "as a student sees it", Student: who.Name, State: flow.NotStarted, Attempt: 1,
		Edit: submission.Work, Zone: "UTC", Person: who.ID, Me: who.Name, Settings: who.Settings, Marks: []Mark{}}}
	issued, err := s.revisions.Issued(ctx, r)
	if err != nil {
		return v, err
	}
	v.issued(issued)
	v.direct()
	return v, nil
}

// Writing returns the screen on which a teacher writes and draws on the sheet itself.
func (s *Screens) Writing(ctx context.Context, who school.Person, id uint64) (Screen, error) {
	w, err := s.gate.Worksheet(ctx, who, id, access.UseWorksheet)
	if err != nil {
		return Screen{}, err
	}
	v, err := s.preview(ctx, who, w)
	if err != nil {
		return v, err
	}
	v.Course, v.Edit, v.Writes, v.Version = "you write on the sheet: every copy has it", submission.Sheet, w.ID, w.Version
	v.Marks = v.Marks[:0]
	for _, m := range v.directions {
		v.Marks = append(v.Marks, Show(submission.Sheet, submission.Shown{Version: m.ID, Mark: m}, who.Name, true, time.Time{}, true))
	}
	return v, nil
}

// Preview returns the student's screen of a worksheet, to be tried out.
func (s *Screens) Preview(ctx context.Context, who school.Person, id uint64) (Screen, error) {
	w, err := s.gate.Worksheet(ctx, who, id, access.UseWorksheet)
	if err != nil {
		return Screen{}, err
	}
	return s.preview(ctx, who, w)
}
