package screen

import (
	"context"
	"slices"
	"time"

	"readymargin/core/access"
	"readymargin/core/answer"
	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/core/worksheet"
	"readymargin/school"
)

// OpenToMark returns a teacher's view of an attempt; 0 is the newest.
func (s *Screens) OpenToMark(ctx context.Context, who school.Person, id uint64, number int) (Screen, error) {
	c, err := s.gate.Copy(ctx, who, id, access.MarkCopy, "")
	if err != nil {
		return Screen{}, err
	}
	hidden := c.Assignment.Hides(c.Copy)
	if hidden {
		c.Student, c.Copy.DueAt = school.Person{Name: c.Label()}, nil
	}
	v, attempts, err := s.base(ctx, who, c)
	if err != nil {
		return v, err
	}
	if number == 0 {
		number = c.Attempts
	}
	if number < 1 || number > len(attempts) {
		return v, access.ErrHidden
	}
	a := attempts[number-1]
	p, err := worksheet.Parse(c.Revision.Plan)
	if err != nil {
		return v, err
	}
	v.ForTeacher = &ForTeacher{Teacher: true, CourseOf: c.Course.ID, Held: len(p.Of(worksheet.Held)), Unsent: a.Unsent(), Opened: a.OpenedAt != nil}
	v.Watches = s.gate.May(who, c, access.WatchCopy, "") == nil
	v.Attempt = number
	v.Edit, v.Say = submission.Feedback(number), submission.Feedback(number)
	v.Remark, v.RemarkRich, v.ReturnedAt, v.Feedback = a.Remark, a.RemarkRich, a.ReturnedAt, number
	if a.Points != nil {
		given := a.Points.String()
		v.Given = &given
	}
	if err := s.addScores(ctx, &v, c, a); err != nil {
		return v, err
	}
	if v.Returns, err = s.store.Returns(ctx, id, number); err != nil {
		return v, err
	}
	for _, r := range v.Returns {
		if r.Pending() {
			v.Pending = &r.DueAt
		}
	}
	if err := s.showAttempt(ctx, &v, &a, c.Student.Name, false); err != nil {
		return v, err
	}
	if number > 1 {
		if err := s.addSince(ctx, &v, attempts[number-2], a, c.Student.Name); err != nil {
			return v, err
		}
	}
	if err := s.showLive(ctx, &v, id, who, submission.Feedback(number), submission.Replies); err != nil {
		return v, err
	}
	if hidden {
		if err := s.hide(ctx, &v, c.Revision); err != nil {
			return v, err
		}
	}
	if a.ReturnedAt != nil {
		for i, m := range v.Marks {
			v.Marks[i].Sent = m.Sent || !m.At.After(*a.ReturnedAt)
		}
	}
	return v, nil
}

// OpenToWatch returns a teacher's view of a copy as it is being worked on.
func (s *Screens) OpenToWatch(ctx context.Context, who school.Person, id uint64) (Screen, error) {
	c, err := s.gate.Copy(ctx, who, id, access.WatchCopy, "")
	if err != nil {
		return Screen{}, err
	}
	v, _, err := s.base(ctx, who, c)
	if err != nil {
		return v, err
	}
	v.ForTeacher = &ForTeacher{Teacher: true, CourseOf: c.Course.ID, Watch: true, Watches: true}
	v.Attempt = c.Attempts + 1
	v.Edit, v.Say = submission.Replies, submission.Replies
	v.direct()
	return v, s.showLive(ctx, &v, id, who, submission.Replies, submission.Work)
}

// hide takes out of an attempt what says whose it is, and when it came.
func (s *Screens) hide(ctx context.Context, v *Screen, r school.Revised) error {
	issued, err := s.revisions.Revised(ctx, r)
	if err != nil {
		return err
	}
	var work []mark.Mark
	for _, m := range v.Marks {
		if m.Layer == submission.Work {
			work = append(work, m.Mark)
		}
	}
	aliases := submission.Aliases(work)
	v.Marks = slices.DeleteFunc(v.Marks, func(m Mark) bool {
		return m.Layer == submission.Work && len(worksheet.Nameless(issued.Guides, []mark.Mark{m.Mark})) == 0
	})
	for i := range v.Marks {
		if l := v.Marks[i].Layer; l == submission.Work || l == submission.Sheet {
			v.Marks[i].At = time.Time{}
		}
		v.Marks[i].Mark = v.Marks[i].Mark.Renamed(aliases)
	}
	v.Receipt = &Receipt{Attempt: v.Receipt.Attempt}
	return nil
}

// addSince adds what was changed between two attempts, and what questions got
// for the first of them.
func (s *Screens) addSince(ctx context.Context, v *Screen, before, a school.Attempt, student string) error {
	was, err := school.ReadSnapshot(ctx, s.store, &before)
	if err != nil {
		return err
	}
	is, err := school.ReadSnapshot(ctx, s.store, &a)
	if err != nil {
		return err
	}
	added, changed, gone := submission.Since(was.Marks, is.Marks)
	v.Since = &Since{Added: added, Changed: changed, Gone: []Mark{}}
	for _, m := range gone {
		v.Since.Gone = append(v.Since.Gone, Show(submission.Work, submission.Shown{Mark: m}, student, false, before.SubmittedAt, true))
	}
	scores, err := s.store.Scores(ctx, v.Copy, before.Number)
	if err != nil {
		return err
	}
	v.Before = map[string]string{}
	for _, sc := range scores {
		v.Before[sc.QuestionID] = sc.Points.String()
	}
	return nil
}

// addScores adds the questions that points are given for, with what they got.
func (s *Screens) addScores(ctx context.Context, v *Screen, c school.CopyInCourse, a school.Attempt) error {
	issued, err := s.revisions.Revised(ctx, c.Revision)
	if err != nil {
		return err
	}
	if expects(issued.Guides) {
		answers, err := s.store.Answers(ctx, c.ID, a.Number)
		if err != nil {
			return err
		}
		snap, err := school.ReadSnapshot(ctx, s.store, &a)
		if err != nil {
			return err
		}
		for _, f := range answer.Find(issued.Guides, answers, snap.Marks, c.Course.Step()) {
			one := Finding{Found: f}
			if f.Points != nil {
				one.Proposal = f.Points.String()
			}
			v.Found = append(v.Found, one)
		}
	}
	if len(worksheet.Worth(issued.Guides)) == 0 {
		return nil
	}
	scores, err := s.store.Scores(ctx, c.ID, a.Number)
	if err != nil {
		return err
	}
	v.Scaled = c.Assignment.Scaled
	v.Questions, v.Reason = school.ScoredOf(issued.Guides, scores), a.Reason
	v.Rubrics = rubrics(issued.Guides, scores)
	t := c.Assignment.Tallied(worksheet.Worth(issued.Guides), school.Given(scores), c.Course.Step())
	v.Missing, v.Whole = t.Missing, t.Whole(a.Points)
	return nil
}

// expects reports whether a teacher has said anywhere what is expected.
func expects(pages []worksheet.Guide) bool {
	return slices.ContainsFunc(pages, func(g worksheet.Guide) bool {
		return slices.ContainsFunc(g.Blanks, func(b worksheet.Blank) bool { return b.Expected != nil }) ||
			slices.ContainsFunc(g.Questions, func(q worksheet.Question) bool { return len(q.Words) > 0 })
	})
}
