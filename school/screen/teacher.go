package screen

import (
	"context"
	"slices"
	"time"

	"readymargin/core/access"
	"readymargin/core/answer"
	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/roster"
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
	v.Heard = a.Heard
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
	if err := s.showLive(ctx, &v, id, who, submission.Feedback(number), submission.Replies, submission.Among); err != nil {
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
	return v, s.showLive(ctx, &v, id, who, submission.Replies, submission.Among, submission.Work)
}

// OpenAsked returns a teacher's view of what was asked on a copy before it is
// submitted: the questions, and of the work what stood around them then.
func (s *Screens) OpenAsked(ctx context.Context, who school.Person, id uint64) (Screen, error) {
	c, err := s.gate.Copy(ctx, who, id, access.AnswerNow, "")
	if err != nil {
		return Screen{}, err
	}
	v, _, err := s.base(ctx, who, c)
	if err != nil {
		return v, err
	}
	asked, err := s.store.QuestionsOf(ctx, id)
	if err != nil {
		return v, err
	}
	v.ForTeacher = &ForTeacher{Teacher: true, CourseOf: c.Course.ID, Watch: true, Asked: true}
	v.Attempt, v.Say = c.Attempts+1, submission.Replies
	v.direct()
	shown := map[string]bool{}
	for _, q := range asked {
		for _, m := range q.Patch {
			if !shown[m.ID] {
				v.Marks = append(v.Marks, Show(submission.Work, submission.Shown{Mark: m}, c.Student.Name, false, q.At, true))
			}
			shown[m.ID] = true
		}
	}
	return v, s.showLive(ctx, &v, id, who, submission.Replies, submission.Among)
}

// Colleagues returns whom somebody may ask about a copy: those who mark in its course,
// and about one that is for all, everybody in it.
func (s *Screens) Colleagues(ctx context.Context, who school.Person, id uint64) (out []Colleague, err error) {
	c, err := s.gate.Copy(ctx, who, id, access.SeeReturned, "")
	if err != nil {
		return nil, err
	}
	shared := c.Assignment.Mode == flow.OneForAll
	if !shared && c.Role.Learns() {
		return nil, access.ErrDenied
	}
	members, err := s.store.Members(ctx, c.Course.ID)
	if err != nil {
		return nil, err
	}
	school.SortMembers(members, roster.ByFamily)
	out = []Colleague{}
	for _, staff := range []bool{true, false} {
		for _, m := range members {
			marks := m.Role == access.Teacher || m.Role == access.Assistant
			if marks == staff && (marks || shared && m.Role == access.Student) {
				out = append(out, Colleague{m.PersonID, m.Name, m.PersonID == who.ID})
			}
		}
	}
	return out, nil
}

// A Colleague is somebody who may be asked about a copy.
type Colleague struct {
	ID   uint64 `json:"id"`
	Name string `json:"name"`
	Me   bool   `json:"me,omitempty"`
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
