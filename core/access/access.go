// Package access decides who may do what to which thing in which state. It
// is one function over a few facts; sessions and routes are not its concern.
package access

import (
	"errors"
	"time"

	"readymargin/core/flow"
	"readymargin/core/submission"
)

// A Role is what a person is in a course.
type Role string

const (
	None    Role = ""        // not in the course, or refused by the teacher
	Waiting Role = "waiting" // joined, and not yet let in
	Student Role = "student"
	// Practice is a teacher's own student, who does what students do and counts nowhere.
	Practice Role = "practice"
	Left     Role = "left" // was a student, and may come back

	Assistant Role = "assistant" // marks and returns, and does not run the course
	Teacher   Role = "teacher"
)

// Learns reports whether somebody of the role works on copies.
func (r Role) Learns() bool { return r == Student || r == Practice }

// A Person is who asks: a role in the course that the thing belongs to, and
// whether the thing is their own.
type Person struct {
	SignedIn bool
	Admin    bool
	Role     Role
	Owner    bool // of the copy, the worksheet or the account asked about

	Colleague bool // the worksheet asked about is shared with them
	Together  bool // and they may change it too
}

// An Action is what somebody wants to do.
type Action string

const (
	MakeCourse     Action = "make a course"
	InviteTeacher  Action = "invite a teacher"
	BringDirectory Action = "bring in the school's directory"
	RunSchool      Action = "run the school" // its accounts, courses, storage and jobs
	RunCourse      Action = "run the course" // join code, newcomers, assigning, slips
	HearClass      Action = "hear what is said to a class"
	SeeRoll        Action = "see who is in the course and what was given"
	SeeOwnPoints   Action = "see one's own points in a course"
	ReadCopy       Action = "see one's own copy"
	ShareCopy      Action = "work on a copy that is one for all"
	SeeWorksheet   Action = "see a worksheet's pages"  // by being handed it, or by owning it
	UseWorksheet   Action = "use a worksheet"          // assign it, change it, see the original
	CopyWorksheet  Action = "copy a worksheet"         // onto one's own shelf, and look at it before
	OwnWorksheet   Action = "decide about a worksheet" // share it, put it away, delete it
	SeeHeld        Action = "see the pages that are held back"
	MarkCopy       Action = "mark a copy"
	WatchCopy      Action = "look at a copy that is still being worked on"
	AnswerNow      Action = "answer what was asked before a copy was submitted"
	KeepCopy       Action = "decide about a copy that is to keep"
	BringPages     Action = "bring pages of one's own"
	SubmitCopy     Action = "submit, take back or improve a copy"
	ReadLayer      Action = "read a layer"
	WriteLayer     Action = "write in a layer"
	SeeReturned    Action = "see returned feedback"
	SeeAssignment  Action = "see that something was assigned"
	OpenCopy       Action = "have a copy of what was assigned"
	TakeAway       Action = "take a copy away as a file"
	BringBack      Action = "bring back a file that was worked on elsewhere"
	OnPaper        Action = "print a copy's empty sheet, and bring in what was written on it"
	AskNow         Action = "ask something before the copy is submitted"
)

// A Thing is what it is done to.
type Thing struct {
	State   flow.State
	Layer   submission.Layer
	Attempt int  // the newest submitted attempt of the copy, 0 when there is none
	Shared  bool // the copy is one for all; Owner is then every student of the course
	Asked   bool // something in it was asked that is to be answered now
	Given   Given
	Now     time.Time
}

// Given is how an assignment stands to the one who asks. That there is a copy
// gives no right: extra time, an opening by somebody else or an earlier
// audience may have made it.
type Given struct {
	Mode     flow.Mode
	Draft    bool      // students do not know of it yet
	Opens    time.Time // before that neither
	Removed  bool      // it was unassigned
	Included bool      // the one who asks is among those whom it is given to
	Begun    bool      // the copy was written on, or opened to be read
	KeptHere bool      // students do not take it away as a file
	Watched  bool      // the course lets those who mark look at work before it is submitted
	Shown    bool      // the student lets them look at a copy that is to keep
	Nameless bool      // those who mark are to see no names
}

// lasts reports whether a student may still work on it: it is out, and it is
// given to them.
func (t Thing) lasts() bool { return t.out() && t.Given.Included && !t.Given.Removed }

// out reports whether students may know of it.
func (t Thing) out() bool { return !t.Given.Draft && !t.Now.Before(t.Given.Opens) }

// seen reports whether a student sees a thing of their own: while it lasts,
// and afterwards if they had begun, to read what they have done. On one for
// all somebody else may have begun.
func (t Thing) seen() bool {
	return t.lasts() || t.out() && t.Given.Begun && (!t.Shared || t.Given.Included)
}

// Refusals. ErrHidden is for things whose existence is nobody's business.
var (
	ErrSignIn = errors.New("access: sign in first")
	ErrHidden = errors.New("access: there is no such thing for you")
	ErrDenied = errors.New("access: not yours to do")
	ErrKept   = errors.New("access: it is not taken away as a file")
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
	case visible && t.Given.KeptHere && (a == TakeAway || a == BringBack):
		return ErrKept
	case visible:
		return ErrDenied
	}
	return ErrHidden
}

// decide returns whether it is allowed, and whether the person may know that
// the thing exists.
func decide(p Person, a Action, t Thing) (ok, visible bool) {
	teacher, staff, own := p.Role == Teacher, p.marks(), p.owns(t)
	made := p.Owner && p.Role == None // of a worksheet, which belongs to no course
	switch a {
	case MakeCourse:
		return p.Admin || p.Owner, true // Owner: of an account that was invited as a teacher's
	case InviteTeacher, BringDirectory, RunSchool:
		return p.Admin, true
	case RunCourse:
		return teacher, p.Role.Learns() || staff
	case HearClass:
		return p.Role.Learns() || staff, false
	case SeeRoll:
		return staff, p.Role.Learns()
	case SeeOwnPoints:
		return p.Role.Learns(), p.Role.Learns() || staff
	case SeeAssignment:
		return own || staff, false
	case OpenCopy:
		return own && (t.lasts() || t.Given.Begun && !t.Shared) || staff && t.Shared, false
	case SeeWorksheet:
		return made || staff || own, false
	case OwnWorksheet:
		return made, p.Colleague
	case CopyWorksheet:
		return made || p.Colleague, false
	case UseWorksheet:
		return made || p.Colleague && p.Together, p.Colleague
	case SeeHeld:
		return made || staff, false
	case MarkCopy:
		return staff && t.Attempt > 0, own || staff
	case WatchCopy:
		return staff && t.Watched(), own || staff
	case AskNow:
		return own && t.asks(), own || staff
	case AnswerNow:
		return staff && t.Asked, own || staff
	case SubmitCopy:
		return own && !t.Shared && t.Given.Mode.HandedIn(), own || staff
	case KeepCopy:
		return own && t.Given.Mode == flow.ToKeep, own || staff
	case BringPages:
		return own && t.lasts() && t.Given.Mode == flow.OwnPages, own || staff
	case ReadCopy:
		return own && !t.Shared, own || staff
	case ShareCopy:
		return t.Shared && (own || staff), own || staff
	case SeeReturned:
		return own || staff, own || staff
	case ReadLayer:
		return readLayer(p, t), own || staff
	case WriteLayer:
		return writeLayer(p, t), own || staff
	case TakeAway:
		return own && !t.Given.KeptHere || staff && (t.Attempt > 0 || t.Shared), own || staff
	case OnPaper:
		return staff && !t.Shared && !t.Given.Nameless && t.Given.Mode.HandedIn(), own || staff
	case BringBack:
		return writeLayer(p, t) && !t.Given.KeptHere && t.Layer != submission.Own, own || staff
	}
	return false, false
}

// owns reports whether the thing is a student's own and they may know of it.
func (p Person) owns(t Thing) bool { return p.Role.Learns() && p.Owner && t.seen() }

// marks reports whether the person sees and marks the copies of a course.
func (p Person) marks() bool { return p.Role == Teacher || p.Role == Assistant }

// Watched reports whether those who mark may look at the work as it is done: where the
// course lets them, or the student does.
func (t Thing) Watched() bool {
	if t.Given.Mode == flow.ToKeep {
		return t.Given.Begun && t.Given.Shown
	}
	return t.Given.Watched && t.Given.Begun && t.Given.Mode.HandedIn() && (t.State == flow.InProgress || t.State == flow.Reworking)
}

// asks reports whether a student may ask something now, before the copy is submitted:
// not where those who mark are to see no names.
func (t Thing) asks() bool {
	return t.lasts() && t.Given.Mode.HandedIn() && !t.Given.Nameless && t.State.WorkedOn()
}

// readLayer: the student's live work is the student's alone (the teachers see
// attempts, and it as it is done where the course lets them); the live feedback is the teachers' alone (the student sees what
// was returned).
func readLayer(p Person, t Thing) bool {
	own := p.owns(t)
	switch {
	case t.Shared:
		return t.Layer == submission.Work && (own || p.marks())
	case t.Layer == submission.Work:
		return own || p.marks() && t.Watched()
	case t.Layer == submission.Own:
		return own
	case t.Layer == submission.Replies:
		return own || p.marks()
	case t.Layer == submission.Among, t.Layer.Attempt() > 0:
		return p.marks()
	}
	return false
}

// writeLayer leaves the closing time to the flow: what was done before it may
// arrive after it, and is kept.
func writeLayer(p Person, t Thing) bool {
	own := p.owns(t)
	switch {
	case t.Given.Mode == flow.ToRead:
		return own && t.Layer == submission.Own
	case t.Shared:
		return t.Layer == submission.Work && (own && t.lasts() || p.marks())
	case t.Layer == submission.Work || t.Layer == submission.Own:
		return own
	case t.Layer == submission.Replies:
		return own && (t.State != flow.NotStarted || t.asks()) || p.marks() && (t.Attempt > 0 || t.Watched() || t.Asked)
	case t.Layer == submission.Among:
		return p.marks() && (t.Attempt > 0 || t.Watched() || t.Asked)
	case t.Layer.Attempt() > 0:
		return p.marks() && t.Layer.Attempt() <= t.Attempt
	}
	return false
}
