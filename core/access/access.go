// Package access decides who may do what to which thing in which state. It
// is one function over a few facts; sessions and routes are not its concern.
package access

import (
	"errors"

	"readymargin/core/copy"
	"readymargin/core/flow"
)

// A Role is what a person is in a course.
type Role string

const (
	None    Role = ""        // not in the course, or refused by the teacher
	Waiting Role = "waiting" // joined, and not yet let in
	Student Role = "student"
	Left    Role = "left" // was a student, and may come back

	Assistant Role = "assistant" // marks and returns, and does not run the course
	Teacher   Role = "teacher"
)

// A Person is who asks: a role in the course that the thing belongs to, and
// whether the thing is their own.
type Person struct {
	SignedIn bool
	Admin    bool
	Role     Role
	Owner    bool // of the copy, the worksheet or the account asked about
}

// An Action is what somebody wants to do.
type Action string

const (
	MakeCourse     Action = "make a course"
	InviteTeacher  Action = "invite a teacher"
	BringDirectory Action = "bring in the school's directory"
	RunCourse      Action = "run the course" // join code, newcomers, assigning, slips
	SeeRoll        Action = "see who is in the course and what was given"
	ShareCopy      Action = "work on a copy that is one for all"
	SeeWorksheet   Action = "see a worksheet's pages" // by being handed it, or by owning it
	UseWorksheet   Action = "use a worksheet"         // assign it, change it, see the original
	SeeHeld        Action = "see the pages that are held back"
	MarkCopy       Action = "mark a copy"
	SubmitCopy     Action = "submit, take back or improve a copy"
	ReadLayer      Action = "read a layer"
	WriteLayer     Action = "write in a layer"
	SeeReturned    Action = "see returned feedback"
)

// A Thing is what it is done to.
type Thing struct {
	State   flow.State
	Layer   copy.Layer
	Attempt int  // the newest submitted attempt of the copy, 0 when there is none
	Shared  bool // the copy is one for all; Owner is then everybody whom it is given to
}

// Refusals. ErrHidden is for things whose existence is nobody's business.
var (
	ErrSignIn = errors.New("access: sign in first")
	ErrHidden = errors.New("access: there is no such thing for you")
	ErrDenied = errors.New("access: not yours to do")
)

// May returns nil when the person may do it, and otherwise which of the
// refusals holds. Whether a move fits the state of a copy is asked of
// flow.Next as well; May only says whose move it is.
func May(p Person, a Action, t Thing) error {
	if !p.SignedIn {
		return ErrSignIn
	}
	ok, visible := decide(p, a, t)
	switch {
	case ok:
		return nil
	case visible:
		return ErrDenied
	}
	return ErrHidden
}

// decide returns whether it is allowed, and whether the person may know that
// the thing exists.
func decide(p Person, a Action, t Thing) (ok, visible bool) {
	teacher, student, staff := p.Role == Teacher, p.Role == Student, p.marks()
	own := student && p.Owner
	switch a {
	case MakeCourse:
		return p.Admin || p.Owner, true // Owner: of an account that was invited as a teacher's
	case InviteTeacher, BringDirectory:
		return p.Admin, true
	case RunCourse:
		return teacher, student || staff
	case SeeRoll:
		return staff, student
	case SeeWorksheet:
		return p.Owner || staff || student, false
	case UseWorksheet:
		return p.Owner, false
	case SeeHeld:
		return p.Owner || staff, false
	case MarkCopy:
		return staff && t.Attempt > 0, own || staff
	case SubmitCopy:
		return own && !t.Shared, own || staff
	case ShareCopy:
		return t.Shared && (own || staff), own || staff
	case SeeReturned:
		return own || staff, own || staff
	case ReadLayer:
		return readLayer(p, t), own || staff
	case WriteLayer:
		return writeLayer(p, t), own || staff
	}
	return false, false
}

// marks reports whether the person sees and marks the copies of a course.
func (p Person) marks() bool { return p.Role == Teacher || p.Role == Assistant }

// readLayer: the student's live work is the student's alone (the teachers see
// attempts); the live feedback is the teachers' alone (the student sees what
// was returned).
func readLayer(p Person, t Thing) bool {
	own := p.Role == Student && p.Owner
	switch {
	case t.Shared:
		return t.Layer == copy.Work && (own || p.marks())
	case t.Layer == copy.Work || t.Layer == copy.Own:
		return own
	case t.Layer == copy.Replies:
		return own || p.marks()
	case t.Layer.Attempt() > 0:
		return p.marks()
	}
	return false
}

func writeLayer(p Person, t Thing) bool {
	own := p.Role == Student && p.Owner
	switch {
	case t.Shared:
		return t.Layer == copy.Work && (own || p.marks())
	case t.Layer == copy.Work || t.Layer == copy.Own:
		return own
	case t.Layer == copy.Replies:
		return own && (t.State == flow.Returned || t.State == flow.Reworking || t.Attempt > 1)
	case t.Layer.Attempt() > 0:
		return p.marks() && t.Layer.Attempt() <= t.Attempt
	}
	return false
}
