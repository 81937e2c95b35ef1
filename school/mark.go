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
	var ids, given []uint64
	for _, c := range courses {
		ids = append(ids, c.ID)
		for _, a := range c.given {
			given = append(given, a.ID)
		}
	}
	members, err := s.Store.Members(ctx, ids...)
	if err != nil {
		return nil, err
	}
	in := map[uint64][]Member{}
	for _, m := range members {
		in[m.CourseID] = append(in[m.CourseID], m)
	}
	all, err := s.handedIn(ctx, given...)
	if err != nil {
		return nil, err
	}
	replies, err := s.Store.Unanswered(ctx, given...)
	if err != nil {
		return nil, err
	}
	var out []Heap
	for _, c := range courses {
		for _, a := range c.given {
			out = append(out, heap(a, c.Course, all.roll(a, in[c.ID]), replies))
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

// heap counts what lies there of one assignment; replies are those that
// nobody has answered, by copy.
func heap(a Assignment, c Course, roll []OnRoll, replies map[uint64][]SavedHead) Heap {
	h := Heap{Assignment: a, Course: c, Students: len(roll)}
	for _, r := range roll {
		for _, reply := range replies[r.Copy.ID] {
			if reply.Mark != nil {
				h.Asked = append(h.Asked, Asked{r.Member.Name, replyText(*reply.Mark), r.Copy.ID, a.ID})
			}
		}
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
	return h
}

// OnRoll is a student as the roll shows one.
type OnRoll struct {
	Member Member
	Copy   Copy
	Latest Attempt // the newest attempt, if any
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

// copies are the copies of some assignments, by assignment and student, and
// the newest attempt of each, by copy.
type copies struct {
	of     map[[2]uint64]Copy
	latest map[uint64]Attempt
}

func (s *School) handedIn(ctx context.Context, assignments ...uint64) (out copies, err error) {
	found, err := s.Store.CopiesOf(ctx, assignments...)
	if err != nil {
		return out, err
	}
	out.of = map[[2]uint64]Copy{}
	for _, c := range found {
		out.of[[2]uint64{c.AssignmentID, c.StudentID}] = c
	}
	attempts, err := s.Store.AttemptsOf(ctx, assignments...)
	out.latest, _ = newest(attempts)
	return out, err
}

// roll returns the members to whom an assignment is given, or who have begun it.
func (all copies) roll(a Assignment, members []Member) (out []OnRoll) {
	for _, m := range members {
		if m.Role != access.Student {
			continue
		}
		c, ok := all.of[[2]uint64{a.ID, m.PersonID}]
		if !a.Audience.Includes(m.PersonID, m.Section) && c.StartedAt == nil {
			continue
		}
		if !ok {
			c.State = flow.NotStarted
		}
		out = append(out, OnRoll{m, c, all.latest[c.ID]})
	}
	return out
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
	all, err := s.handedIn(ctx, a.ID)
	roll := all.roll(a, members)
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
