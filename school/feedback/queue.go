package feedback

import (
	"context"
	"slices"
	"strings"
	"time"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/points"
	"readymargin/school"
	"readymargin/school/assign"
	"readymargin/school/enrol"
)

// A Queue is what waits to be marked.
type Queue struct {
	store  QueueStore
	roster *enrol.Roster
	agenda *assign.Agenda
}

// NewQueue returns every teacher's queue.
func NewQueue(store QueueStore, roster *enrol.Roster, agenda *assign.Agenda) *Queue {
	return &Queue{store, roster, agenda}
}

// textOf returns what a note or a reply says.
func textOf(m mark.Mark) string {
	text, rich := "", false
	switch b := m.Body.(type) {
	case *mark.Reply:
		text, rich = b.Text, b.Rich
	case *mark.Note:
		text, rich = b.Text, b.Rich
	}
	if text == "" {
		return "(spoken)"
	}
	return school.Plainly(text, rich)
}

// isReply reports whether a mark says something to a note, and not only that it is
// settled. What is asked by a note of its own is a school.Question.
func isReply(m mark.Mark) bool {
	r, ok := m.Body.(*mark.Reply)
	return ok && !r.Done
}

// A MarkingQueue is what lies on a teacher's pile of one assignment.
type MarkingQueue struct {
	Assignment school.Assignment
	Course     school.Course
	ToMark     int       // submitted and not returned
	Again      int       // of these, later attempts than the first
	Late       int       // of these, late
	Asking     int       // of these, with a question to the teacher
	Helped     int       // of these, with help received
	Oldest     time.Time // when the one that lies longest was submitted
	In         int       // students who have submitted at least once
	Students   int
	Unopened   int // students who have not opened what was returned
	Begun      int // students who have begun and not submitted
	Back       int // students who have something back
	Asked      []Asked
}

// Asked is a student's answer to feedback that nobody has answered since.
type Asked struct {
	Student      string
	Text         string
	CopyID       uint64
	AssignmentID uint64
}

// A Waits is a question that waits for somebody's answer.
type Waits struct {
	school.Question
	Words string
}

// Asks returns what waits for somebody's own answer, whatever they are in the course,
// and what students ask those who teach about some assignments; the oldest first.
func (s *Queue) Asks(ctx context.Context, who school.Person, all ...MarkingQueue) (out []Waits, err error) {
	var given []uint64
	for _, q := range all {
		given = append(given, q.Assignment.ID)
	}
	found, err := s.store.Waiting(ctx, who.ID, given...)
	for _, q := range found {
		out = append(out, Waits{q, textOf(*q.Asks)})
	}
	return out, err
}

// Pile returns the teacher's assignments: first those with copies to mark,
// the one whose oldest copy has lain longest first; then the others by due time.
func (s *Queue) Pile(ctx context.Context, who school.Person) ([]MarkingQueue, error) {
	courses, err := s.agenda.Given(ctx, who, access.Teacher, access.Assistant)
	if err != nil {
		return nil, err
	}
	out, err := s.queues(ctx, courses)
	slices.SortStableFunc(out, func(a, b MarkingQueue) int {
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
	return out, err
}

// InCourse returns how every assignment of a course stands with the class, by due
// time, to those who mark in it; and the people of the course.
func (s *Queue) InCourse(ctx context.Context, who school.Person, course uint64) (school.Course, []school.Member, []MarkingQueue, error) {
	c, members, err := s.roster.Members(ctx, who, course)
	if err != nil {
		return c, nil, nil, err
	}
	given, err := s.store.AssignmentsOf(ctx, course)
	if err != nil {
		return c, nil, nil, err
	}
	out, err := s.queues(ctx, []assign.CourseGiven{{CourseRole: school.CourseRole{Course: c}, Given: given}})
	return c, members, out, err
}

// queues returns what lies there of what is assigned in courses, in their order.
func (s *Queue) queues(ctx context.Context, courses []assign.CourseGiven) ([]MarkingQueue, error) {
	var ids, given []uint64
	for _, c := range courses {
		ids = append(ids, c.ID)
		for _, a := range c.Given {
			given = append(given, a.ID)
		}
	}
	members, err := s.store.Members(ctx, ids...)
	if err != nil {
		return nil, err
	}
	in := map[uint64][]school.Member{}
	for _, m := range members {
		in[m.CourseID] = append(in[m.CourseID], m)
	}
	all, err := s.handedIn(ctx, given...)
	if err != nil {
		return nil, err
	}
	replies, err := s.store.Unanswered(ctx, given...)
	if err != nil {
		return nil, err
	}
	var out []MarkingQueue
	for _, c := range courses {
		for _, a := range c.Given {
			out = append(out, queueOf(a, c.Course, all.roll(a, in[c.ID]), replies))
		}
	}
	return out, nil
}

// queueOf counts what lies there of one assignment; replies are those that
// nobody has answered, by copy.
func queueOf(a school.Assignment, c school.Course, roll []RosterEntry, replies map[uint64][]school.SavedHead) MarkingQueue {
	h := MarkingQueue{Assignment: a, Course: c, Students: len(roll)}
	for _, r := range roll {
		for _, reply := range replies[r.Copy.ID] {
			if reply.Mark != nil && isReply(*reply.Mark) {
				h.Asked = append(h.Asked, Asked{r.Member.Name, textOf(*reply.Mark), r.Copy.ID, a.ID})
			}
		}
		if r.Copy.Attempts > 0 {
			h.In++
		}
		if r.Copy.Attempts == 0 && r.Copy.Begun() {
			h.Begun++
		}
		if r.Copy.State == flow.Returned || r.Copy.State == flow.Reworking {
			h.Back++
		}
		if r.Latest.ReturnedAt != nil && r.Latest.OpenedAt == nil {
			h.Unopened++
		}
		if !r.ToMark() {
			continue
		}
		h.ToMark++
		if len(r.Latest.Asked) > 0 {
			h.Asking++
		}
		if r.Latest.Helped {
			h.Helped++
		}
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

// RosterEntry is a student as the roll shows one.
type RosterEntry struct {
	Member school.Member
	Copy   school.Copy
	Latest school.Attempt // the newest attempt, if any
	Scores []school.Score // that attempt's, by question

	Watched bool // it is being worked on, and may be looked at; known of a whole roll
}

// Score returns what a question got.
func (r RosterEntry) Score(question string) (points.Points, bool) {
	p, ok := school.Given(r.Scores)[question]
	return p, ok
}

// Scored returns the questions that have points.
func (r RosterEntry) Scored() (all []string) {
	for _, sc := range r.Scores {
		all = append(all, sc.QuestionID)
	}
	return all
}

// ToMark reports whether a copy lies on the pile: it waits, and nothing was
// decided about it.
func (r RosterEntry) ToMark() bool { return r.Waiting() && r.Latest.Pending == nil }

// Waiting reports whether a submitted copy waits for its return.
func (r RosterEntry) Waiting() bool { return r.Copy.State == flow.Submitted }

// Marked reports whether a submitted copy could be returned: it has points,
// or, where there are none to give, any feedback.
func (r RosterEntry) Marked(of points.Points) bool {
	if of > 0 {
		return r.Latest.Points != nil
	}
	return r.Latest.Marked()
}

// copies are the copies of some assignments, by assignment and student, and
// the newest attempt of each, by copy.
type copies struct {
	of     map[[2]uint64]school.Copy
	latest map[uint64]school.Attempt
}

func (s *Queue) handedIn(ctx context.Context, assignments ...uint64) (out copies, err error) {
	found, attempts, err := s.store.HandedIn(ctx, assignments...)
	if err != nil {
		return out, err
	}
	out.of = map[[2]uint64]school.Copy{}
	for _, c := range found {
		out.of[[2]uint64{c.AssignmentID, c.StudentID}] = c
	}
	out.latest, _ = school.Newest(attempts)
	return out, err
}

// roll returns the members to whom an assignment is given, or who have begun it.
func (all copies) roll(a school.Assignment, members []school.Member) (out []RosterEntry) {
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
		r := RosterEntry{Member: m, Copy: c, Latest: all.latest[c.ID]}
		if a.Hides(c) {
			r.Member = school.Member{Membership: school.Membership{CourseID: m.CourseID, Role: m.Role}, Name: c.Label()}
			if c.Attempts == 0 { // who is missing tells whose the next copy is
				r.Member.Name, r.Copy.ID, r.Copy.State = "Not submitted yet", 0, flow.NotStarted
			}
			r.Copy.StudentID, r.Copy.StartedAt, r.Copy.DueAt, r.Latest.LateMinutes = 0, nil, nil, 0
		}
		out = append(out, r)
	}
	return out
}

// Next returns the assignment whose pile is to be marked after another's, the
// one whose oldest copy has lain longest; of none the ID is 0.
func (s *Queue) Next(ctx context.Context, who school.Person, after uint64) (school.Assignment, error) {
	all, err := s.Pile(ctx, who)
	for _, h := range all {
		if h.ToMark > 0 && h.Assignment.ID != after {
			return h.Assignment, err
		}
	}
	return school.Assignment{}, err
}

// Roll returns the class as it stands with an assignment: what can be marked
// first, the longest lying at the top; then returned, then the others.
func (s *Queue) Roll(ctx context.Context, who school.Person, assignment uint64) (school.Assignment, school.Course, []RosterEntry, error) {
	a, err := s.store.AssignmentBare(ctx, assignment)
	if err != nil {
		return a, school.Course{}, nil, access.ErrHidden
	}
	c, members, err := s.roster.Members(ctx, who, a.CourseID)
	if err != nil {
		return a, c, nil, err
	}
	all, err := s.handedIn(ctx, a.ID)
	if err != nil {
		return a, c, nil, err
	}
	roll := all.roll(a, members)
	for i, r := range roll {
		roll[i].Watched = access.Thing{State: r.Copy.State, Given: access.Given{Mode: a.Mode, Begun: r.Copy.Begun(), Watched: a.WatchedIn(c), Shown: r.Copy.Shown}}.Watched()
	}
	scores, err := s.store.ScoresOf(ctx, a.ID)
	if err != nil {
		return a, c, nil, err
	}
	of := map[uint64][]school.Score{}
	for _, sc := range scores {
		of[sc.CopyID] = append(of[sc.CopyID], sc)
	}
	for i := range roll {
		roll[i].Scores = of[roll[i].Copy.ID]
	}
	rank := func(r RosterEntry) int {
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
	slices.SortStableFunc(roll, func(x, y RosterEntry) int {
		if d := rank(x) - rank(y); d != 0 || rank(x) != 0 {
			return d
		}
		if a.Nameless { // not by when they came, which tells something
			return strings.Compare(x.Copy.Label(), y.Copy.Label())
		}
		return x.Latest.SubmittedAt.Compare(y.Latest.SubmittedAt)
	})
	return a, c, roll, nil
}
