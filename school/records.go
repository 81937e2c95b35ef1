package school

import (
	"time"

	"readymargin/core/access"
	"readymargin/core/copy"
	"readymargin/core/flow"
	"readymargin/core/points"
)

// The records that a Store keeps. Times are UTC; 0 is no ID.

// A Person is anybody with an account.
type Person struct {
	ID           uint64
	Name         string
	Login        string // what one signs in with; unique
	PasswordHash string
	Admin        bool   // may invite teachers
	Staff        bool   // may make courses
	Settings     string // JSON, the person's instruments and view
	CreatedAt    time.Time
}

// A Slip lets its bearer in once: a new teacher (PersonID 0) or a person who
// forgot the password. Only the token's hash is kept.
type Slip struct {
	TokenHash string
	PersonID  uint64
	ExpiresAt time.Time
	UsedAt    *time.Time
}

// A Course is a class with its teachers.
type Course struct {
	ID           uint64
	Name         string
	Zone         string // IANA time zone of all its times
	JoinCode     string
	JoinOpen     bool
	VoiceSeconds int // longest voice note
	CreatedAt    time.Time
}

// Location returns the course's time zone; UTC when the machine does not know it.
func (c Course) Location() *time.Location {
	l, err := time.LoadLocation(c.Zone)
	if err != nil {
		return time.UTC
	}
	return l
}

// VoiceMinutes returns the longest voice note in whole minutes.
func (c Course) VoiceMinutes() int { return c.VoiceSeconds / 60 }

// A Membership says what a person is in a course.
type Membership struct {
	CourseID uint64
	PersonID uint64
	Role     access.Role // None when refused
	Seen     bool        // the teacher knows of the newcomer
	JoinedAt time.Time
}

// A Member is a membership with the person's names.
type Member struct {
	Membership
	Name  string
	Login string
}

// A Worksheet lies on its teacher's shelf. Plan says which of the pages that
// were brought in students get, and how; see plan.Parse.
type Worksheet struct {
	ID        uint64
	OwnerID   uint64
	Title     string
	Plan      string
	Kit       string // the colour key and the picture shelf; see plan.ParseKit
	Version   int    // of plan and kit
	CreatedAt time.Time
}

// An Extra is a sound or a picture that lies with a worksheet: what is said
// in its directions, and its picture shelf.
type Extra struct {
	WorksheetID  uint64
	Hash         string
	MediaType    string
	Milliseconds int    // of a sound
	Peaks        string // of a sound, JSON
}

// A Shelved is a worksheet on the shelf.
type Shelved struct {
	Worksheet
	UsedIn string // the courses that it was assigned in, in words
}

// A Source is a PDF as the teacher brought it in.
type Source struct {
	WorksheetID uint64
	Number      int // from 0, as plans count
	Name        string
	FileHash    string
	PageCount   int
	Remark      string // what the teacher must know of it, such as fonts that were replaced
}

// A Revision is what students get of a worksheet. It never changes.
type Revision struct {
	ID          uint64
	WorksheetID uint64
	Number      int    // from 1
	FileHash    string // the PDF, bound of the plan's pages
	PageCount   int
	Plan        string
	CreatedAt   time.Time
}

// A FilePage is one page of a PDF that is kept. Box and Print are JSON of
// page.Box and words.Page; Text is its words, to be
// searched; Guide is JSON of plan.Guide, as it was found.
type FilePage struct {
	FileHash      string
	Number        int
	Width, Height float64
	Box           string
	Print         string
	Text          string
	Guide         string
}

// An Assignment gives a worksheet to a course.
type Assignment struct {
	ID           uint64
	CourseID     uint64
	WorksheetID  uint64
	RevisionID   uint64 // what copies begun from now on are of
	Title        string
	Instructions string
	Chapter      string
	Points       points.Points
	OpensAt      *time.Time // before that, students do not see it
	DueAt        *time.Time
	ClosesAt     *time.Time // from then on, no work is taken
	MaxAttempts  int        // how often a student may submit; 0 for as often as it is returned
	ChangedAt    *time.Time
	Changed      string // what was changed then, in words
	CreatedAt    time.Time
}

// Times returns the assignment's times for the flow.
func (a Assignment) Times() (t flow.Times) {
	if a.OpensAt != nil {
		t.Opens = *a.OpensAt
	}
	if a.DueAt != nil {
		t.Due = *a.DueAt
	}
	if a.ClosesAt != nil {
		t.Closes = *a.ClosesAt
	}
	return t
}

// Opened reports whether students see the assignment.
func (a Assignment) Opened(now time.Time) bool { return a.OpensAt == nil || !now.Before(*a.OpensAt) }

// UsedUp reports whether no further attempt is left after so many.
func (a Assignment) UsedUp(attempts int) bool { return a.MaxAttempts > 0 && attempts >= a.MaxAttempts }

// A Copy is a student's exemplar.
type Copy struct {
	ID           uint64
	AssignmentID uint64
	StudentID    uint64
	RevisionID   uint64
	State        flow.State
	Attempts     int // submitted so far
	Waiting      int // operations that came after the newest attempt was fixed
	StartedAt    *time.Time
}

// An Attempt is one submitting of a copy. The draft of points and remark is
// the teachers'; what the student sees is what stood there at Return.
type Attempt struct {
	CopyID       uint64
	Number       int
	SubmittedAt  time.Time
	LateMinutes  int
	Line         string // to the teacher
	SnapshotHash string // the fingerprint
	Points       *points.Points
	Remark       string
	MarkedAt     *time.Time // when feedback was last touched
	ReturnedAt   *time.Time
	ReturnedHash string     // blob with a Returned
	OpenedAt     *time.Time // when the student first saw what was returned
}

// Marked reports whether any feedback has been begun.
func (a Attempt) Marked() bool { return a.MarkedAt != nil }

// A CopyInCourse is a copy with everything around it that decides who may do
// what to it.
type CopyInCourse struct {
	Copy
	Student    Person
	Assignment Assignment
	Course     Course
	Revision   Revision
	Role       access.Role // of the person who asks
}

// A Standing is what decides whether a person may write in a copy; it is read
// for every change that is saved, so it is no more than that.
type Standing struct {
	State     flow.State
	Attempts  int
	StudentID uint64
	Role      access.Role // of the person who asks
	PageCount int
	ClosesAt  *time.Time
}

// A SavedOp is an operation as it was accepted.
type SavedOp struct {
	Seq      int64
	Op       copy.Op
	AuthorID uint64
	At       time.Time
}

// A SavedHead is a present mark with who made it and when it came.
type SavedHead struct {
	copy.Head
	AuthorID   uint64
	AuthorName string
	At         time.Time
}

// A Sound is a recording of a copy.
type Sound struct {
	Hash         string
	CopyID       uint64
	Layer        copy.Layer
	PersonID     uint64
	Milliseconds int
	Peaks        string // JSON
}
