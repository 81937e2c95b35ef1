package school

import (
	"context"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"readymargin/core/access"
	"readymargin/core/copy"
	"readymargin/core/flow"
	"readymargin/core/plan"
	"readymargin/core/points"
)

// A Heap is what lies on a teacher's pile of one assignment.
type Heap struct {
	Assignment Assignment
	Course     Course
	ToMark     int       // submitted and not returned
	Again      int       // of these, later attempts than the first
	Late       int       // of these, late
	Oldest     time.Time // when the one that lies longest was submitted
	In         int       // students who have submitted at least once
	Students   int
	Unopened   int // students who have not opened what was returned
	Asked      []Asked
}

// Asked is a student's answer to feedback that nobody has answered since.
type Asked struct {
	Student      string
	Text         string
	CopyID       uint64
	AssignmentID uint64
}

// Pile returns the teacher's assignments: first those with copies to mark,
// the one whose oldest copy has lain longest first; then the others by due time.
func (s *School) Pile(ctx context.Context, who Person) ([]Heap, error) {
	courses, err := s.given(ctx, who, access.Teacher, access.Assistant)
	if err != nil {
		return nil, err
	}
	var out []Heap
	for _, c := range courses {
		members, err := s.Store.Members(ctx, c.ID)
		if err != nil {
			return nil, err
		}
		for _, a := range c.given {
			h, err := s.heap(ctx, a, c.Course, members)
			if err != nil {
				return nil, err
			}
			out = append(out, h)
		}
	}
	slices.SortStableFunc(out, func(a, b Heap) int {
		switch {
		case a.ToMark > 0 && b.ToMark > 0:
			return a.Oldest.Compare(b.Oldest)
		case a.ToMark > 0:
			return -1
		case b.ToMark > 0:
			return 1
		}
		return 0
	})
	return out, nil
}

func (s *School) heap(ctx context.Context, a Assignment, c Course, members []Member) (Heap, error) {
	h := Heap{Assignment: a, Course: c}
	roll, err := s.roll(ctx, a, members)
	if err != nil {
		return h, err
	}
	h.Students = len(roll)
	for _, r := range roll {
		if r.Copy.Attempts > 0 {
			h.In++
		}
		if r.Latest.ReturnedAt != nil && r.Latest.OpenedAt == nil {
			h.Unopened++
		}
		if !r.Waiting() {
			continue
		}
		h.ToMark++
		if r.Latest.Number > 1 {
			h.Again++
		}
		if r.Latest.LateMinutes > 0 {
			h.Late++
		}
		if h.Oldest.IsZero() || r.Latest.SubmittedAt.Before(h.Oldest) {
			h.Oldest = r.Latest.SubmittedAt
		}
	}
	h.Asked, err = s.asked(ctx, roll)
	return h, err
}

// asked finds replies of students that are newer than the newest return.
func (s *School) asked(ctx context.Context, roll []OnRoll) (out []Asked, err error) {
	for _, r := range roll {
		if r.Back.IsZero() {
			continue
		}
		heads, err := s.Store.Heads(ctx, r.Copy.ID, copy.Replies)
		if err != nil {
			return nil, err
		}
		for _, h := range heads {
			if h.Mark == nil || !h.At.After(r.Back) {
				continue
			}
			out = append(out, Asked{r.Member.Name, replyText(*h.Mark), r.Copy.ID, r.Copy.AssignmentID})
		}
	}
	return out, nil
}

// OnRoll is a student as the roll shows one.
type OnRoll struct {
	Member Member
	Copy   Copy
	Latest Attempt   // the newest attempt, if any
	Back   time.Time // when an attempt was last returned, if ever
}

// Waiting reports whether a submitted copy waits for its return.
func (r OnRoll) Waiting() bool { return r.Copy.State == flow.Submitted }

// Marked reports whether a submitted copy could be returned: it has points,
// or, where there are none to give, any feedback.
func (r OnRoll) Marked(of points.Points) bool {
	if of > 0 {
		return r.Latest.Points != nil
	}
	return r.Latest.Marked()
}

// Unsent reports whether there is feedback that the student has not got.
func (r OnRoll) Unsent() bool {
	return r.Latest.Marked() && (r.Latest.ReturnedAt == nil || r.Latest.MarkedAt.After(*r.Latest.ReturnedAt))
}

func (s *School) roll(ctx context.Context, a Assignment, members []Member) ([]OnRoll, error) {
	copies, err := s.Store.CopiesOf(ctx, a.ID)
	if err != nil {
		return nil, err
	}
	attempts, err := s.Store.AttemptsOf(ctx, a.ID)
	if err != nil {
		return nil, err
	}
	byStudent, latest, back := map[uint64]Copy{}, map[uint64]Attempt{}, map[uint64]time.Time{}
	for _, c := range copies {
		byStudent[c.StudentID] = c
	}
	for _, t := range attempts {
		latest[t.CopyID] = t
		if t.ReturnedAt != nil && t.ReturnedAt.After(back[t.CopyID]) {
			back[t.CopyID] = *t.ReturnedAt
		}
	}
	var out []OnRoll
	for _, m := range members {
		if m.Role != access.Student {
			continue
		}
		c, ok := byStudent[m.PersonID]
		if !a.Audience.Includes(m.PersonID, m.Section) && c.StartedAt == nil {
			continue
		}
		if !ok {
			c.State = flow.NotStarted
		}
		out = append(out, OnRoll{m, c, latest[c.ID], back[c.ID]})
	}
	return out, nil
}

// Roll returns the class as it stands with an assignment: what can be marked
// first, the longest lying at the top; then returned, then the others.
func (s *School) Roll(ctx context.Context, who Person, assignment uint64) (Assignment, Course, []OnRoll, error) {
	a, err := s.Store.Assignment(ctx, assignment)
	if err != nil {
		return a, Course{}, nil, access.ErrHidden
	}
	c, members, err := s.Members(ctx, who, a.CourseID)
	if err != nil {
		return a, c, nil, err
	}
	roll, err := s.roll(ctx, a, members)
	rank := func(r OnRoll) int {
		switch {
		case r.Waiting():
			return 0
		case r.Copy.Attempts > 0:
			return 1
		case r.Copy.State == flow.InProgress:
			return 2
		}
		return 3
	}
	slices.SortStableFunc(roll, func(x, y OnRoll) int {
		if d := rank(x) - rank(y); d != 0 || rank(x) != 0 {
			return d
		}
		return x.Latest.SubmittedAt.Compare(y.Latest.SubmittedAt)
	})
	return a, c, roll, err
}

// OpenToMark returns a teacher's view of an attempt; 0 is the newest.
func (s *School) OpenToMark(ctx context.Context, who Person, id uint64, number int) (View, error) {
	c, err := s.copyFor(ctx, who, id, access.MarkCopy, "")
	if err != nil {
		return View{}, err
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
	p, err := plan.Parse(c.Revision.Plan)
	if err != nil {
		return v, err
	}
	v.Teacher, v.Attempt, v.Held = true, number, len(p.Of(plan.Held))
	v.Edit, v.Say = copy.Feedback(number), copy.Feedback(number)
	v.Remark, v.ReturnedAt, v.Feedback = a.Remark, a.ReturnedAt, number
	v.Unsent = OnRoll{Latest: a}.Unsent()
	if a.Points != nil {
		given := a.Points.String()
		v.Given = &given
	}
	if err := s.showAttempt(ctx, &v, &a, c.Student.Name, false); err != nil {
		return v, err
	}
	if err := s.showLive(ctx, &v, id, copy.Feedback(number), who, false); err != nil {
		return v, err
	}
	if err := s.showLive(ctx, &v, id, copy.Replies, who, true); err != nil {
		return v, err
	}
	if a.ReturnedAt != nil {
		for i, m := range v.Marks {
			v.Marks[i].Sent = m.Sent || !m.At.After(*a.ReturnedAt)
		}
	}
	return v, nil
}

// Others says who else has the copy open, and that this person has.
func (s *School) Others(ctx context.Context, who Person, id uint64) ([]string, error) {
	if _, err := s.copyFor(ctx, who, id, access.MarkCopy, ""); err != nil {
		return nil, err
	}
	now := s.Now()
	return s.Store.View(ctx, id, who.ID, now, now.Add(-25*time.Second))
}

// GivePoints keeps the points and the overall remark of an attempt as a
// draft; "" takes the points away.
func (s *School) GivePoints(ctx context.Context, who Person, id uint64, number int, given, remark string) (Attempt, error) {
	c, err := s.copyFor(ctx, who, id, access.MarkCopy, "")
	if err != nil {
		return Attempt{}, err
	}
	if number < 1 {
		return Attempt{}, problem("wrong form", "attempt", "")
	}
	var p *points.Points
	if strings.TrimSpace(given) != "" {
		v, err := points.Parse(given)
		if err != nil || v > c.Assignment.Points {
			return Attempt{}, problem("points", "points", given)
		}
		p = &v
	}
	if utf8.RuneCountInString(remark) > 5000 {
		return Attempt{}, problem("remark", "remark", "")
	}
	var out Attempt
	err = s.Store.InCopy(ctx, id, func(tx CopyTx) error {
		locked, err := tx.Copy()
		if err != nil {
			return err
		}
		if _, err := flow.Next(locked.State, flow.Mark, flow.Facts{}); err != nil {
			return err
		}
		if out, err = tx.Attempt(number); err != nil {
			return access.ErrHidden
		}
		now := s.Now()
		out.Points, out.Remark, out.MarkedAt = p, strings.TrimSpace(remark), &now
		return tx.PutAttempt(out)
	})
	return out, err
}
