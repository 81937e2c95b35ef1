package school

import (
	"crypto/sha256"
	"fmt"
	"io"
	"time"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/points"
	"readymargin/core/roster"
	"readymargin/core/submission"
	"readymargin/core/worksheet"
)

// The records that a Store keeps. Times are UTC; 0 is no ID.

// A Person is anybody with an account.
type Person struct {
	ID           uint64
	Name         string // the whole of it, as it is said
	Given        string // its parts, by which lists are sorted
	Family       string
	Login        string // what one signs in with; unique
	PasswordHash string
	Admin        bool   // may invite teachers
	Staff        bool   // may make courses
	Settings     string // JSON, the person's instruments and view
	SourceID     string // of the record in a school's directory, "" for none
	CreatedAt    time.Time
	ClosedAt     *time.Time // since when they do not sign in
	PracticeOf   uint64     `gorm:"default:null"` // whose practice student it is, 0 for nobody's
}

// A Device is a browser in which somebody has signed in.
type Device struct {
	Label  string // what it calls itself, in words
	SeenAt time.Time
}

// A SignInToken lets its bearer in once: a new teacher (PersonID 0) or a person who
// forgot the password. Only the token's hash is kept.
type SignInToken struct {
	TokenHash string
	PersonID  uint64 `gorm:"default:null"` // 0 for an invitation
	ExpiresAt time.Time
	UsedAt    *time.Time
	Card      bool // lets in again and again until it expires
}

// A Course is a class with its teachers.
type Course struct {
	ID           uint64
	Name         string
	Zone         string // IANA time zone of all its times
	JoinCode     string
	JoinOpen     bool
	VoiceSeconds int                // longest voice note
	Vet          bool               // newcomers wait for a teacher's yes
	Lessons      []flow.Lesson      `gorm:"serializer:json"`
	PointStep    points.Points      // in which points are given; 0 for quarters
	Counts       Counts             // which attempt does
	Weights      map[string]float64 `gorm:"serializer:json"` // of chapters, where they are not all 1
	Watch        bool               // who marks may look at work before it is submitted
	Mail         bool               // students may have mail sent
	SourceID     string             // of its record in a school's directory, "" for none
	Version      int                // goes up with every change
	CreatedAt    time.Time
	ArchivedAt   *time.Time // when it was put away
}

// Location returns the course's time zone; UTC when the machine does not know it.
func (c Course) Location() *time.Location {
	l, err := time.LoadLocation(c.Zone)
	if err != nil {
		return time.UTC
	}
	return l
}

// Step is what points are given in multiples of.
func (c Course) Step() points.Points { return max(c.PointStep, 1) }

// Counts says which attempt at an assignment counts.
type Counts string

// The attempts that may count.
const (
	Best Counts = "best"
	Last Counts = "last"
)

// VoiceMinutes returns the longest voice note in whole minutes.
func (c Course) VoiceMinutes() int { return c.VoiceSeconds / 60 }

// A ClassLine is what a teacher says to a whole class, in words, spoken, or both.
type ClassLine struct {
	ID           uint64
	CourseID     uint64
	AuthorID     uint64 `gorm:"default:null"` // 0 when they were erased
	Text         string
	Sound        string `gorm:"default:null"` // "" for none
	Milliseconds int
	Peaks        string `gorm:"default:null"` // JSON
	At           time.Time

	Author string     `gorm:"->"`
	Course string     `gorm:"->"`
	Zone   string     `gorm:"->"`                 // of the course
	SeenBy []uint64   `gorm:"->;serializer:json"` // known of the lines of a course
	SeenAt *time.Time `gorm:"->"`                 // when the one who asks has seen it; known of one's own
}

// A Mailbox is where somebody has mail sent. Address is theirs; Wanted is one that is not
// confirmed yet.
type Mailbox struct {
	PersonID   uint64 `gorm:"primaryKey"`
	Address    string // "" for none
	Wanted     string
	TokenHash  string // that confirms Wanted
	TokenUntil *time.Time
	LeaveKey   string       // by which all of it is ended without signing in
	Choices    []NoticeKind `gorm:"serializer:json"` // what is sent
	Daily      bool         // in one letter a day
	MailedAt   *time.Time   // when a letter went last
}

// A NoticeKind is a kind of thing that people are told by mail.
type NoticeKind string

// What people are told by mail.
const (
	NoticeReturned NoticeKind = "returned" // feedback has come back
	NoticeAnswered NoticeKind = "answered" // what they asked has an answer
	NoticeAsked    NoticeKind = "asked"    // something waits for their answer
	NoticeLine     NoticeKind = "line"     // a line to the class
)

// NoticeKinds are all of them.
var NoticeKinds = []NoticeKind{NoticeReturned, NoticeAnswered, NoticeLine, NoticeAsked}

// NoticeRest is how long nothing is told by mail: what was done by mistake is undone
// in it, and what comes next goes along.
const NoticeRest = 2 * time.Minute

// A Notice is something that somebody is to be told.
type Notice struct {
	ID       uint64
	Kind     NoticeKind
	CourseID uint64
	CopyID   uint64 // 0 for none
	DueAt    time.Time

	Course string
	Zone   string // of the course
	Title  string // of the assignment, "" for none
	Over   bool   `gorm:"column:useless"` // it is of no use any more
}

// A Membership says what a person is in a course.
type Membership struct {
	CourseID uint64
	PersonID uint64
	Role     access.Role // None when refused
	Section  string      // the group of the course, "" for none
	Seen     bool        // the teacher knows of the newcomer
	JoinedAt time.Time

	NamesWords bool // they let teachers see which words they have looked up
}

// Coming is somebody new in a course, with what they sign in with for the first
// time.
type Coming struct {
	Person  *Person
	Token   *SignInToken
	Section string
}

// A Member is a membership with the person's names.
type Member struct {
	Membership
	Name   string
	Given  string
	Family string
	Login  string
}

// Sorted returns by what a member is sorted.
func (m Member) Sorted() (name roster.Name, section, login string) {
	return roster.Name{Whole: m.Name, Given: m.Given, Family: m.Family}, m.Section, m.Login
}

// SortMembers sorts members of a course.
func SortMembers(all []Member, by roster.Order) { roster.Sort(all, by, Member.Sorted) }

// A Worksheet lies on its teacher's shelf. Plan says which of the pages that
// were brought in students get, and how; see plan.Parse.
type Worksheet struct {
	ID        uint64
	OwnerID   uint64 `gorm:"default:null"` // 0 for nobody
	Title     string
	Plan      string
	Kit       string // the colour key and the picture shelf; see plan.ParseKit
	Version   int    // of plan and kit
	Reading   bool   // the words of its pages are still being read
	CreatedAt time.Time

	ArchivedAt *time.Time // when it was put away
	DeletedAt  *time.Time // when it was taken off the shelf for good; what is assigned of it stays
	Folder     string     // on the shelf, "" for none
}

// A Share says who but its owner has a worksheet: those who teach or mark in a
// course, or all teachers of the school.
type Share struct {
	WorksheetID uint64
	CourseID    uint64 `gorm:"default:null"` // 0 for the school
	MayChange   bool
}

// A WorksheetAttachment is a sound or a picture that lies with a worksheet: what is said
// in its directions, and its picture shelf.
type WorksheetAttachment struct {
	WorksheetID  uint64
	Hash         string
	MediaType    string
	Milliseconds int    // of a sound
	Peaks        string // of a sound, JSON
}

// A Shelved is a worksheet on the shelf.
type Shelved struct {
	Worksheet
	Owner     string // whose it is, where it is shared by somebody else
	MayChange bool   // the same, and it may be changed
	Used      []Use  `gorm:"-"` // where it is assigned, the newest first
}

// A WorksheetFor is a worksheet as somebody stands to it.
type WorksheetFor struct {
	Worksheet
	Shared  bool // with them
	Changes bool // they may change it too
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
	Reread      int // how often words came behind, or were put right, since

	Guides []worksheet.Guide `gorm:"-"` // of each page, when it is added
}

// A Revised is a revision with its worksheet as it is now.
type Revised struct {
	Revision `gorm:"embedded"`

	NowTitle, NowPlan, NowKit string
}

// A CourseWord is what a word means in a course.
type CourseWord struct {
	ID       uint64
	CourseID uint64
	Word     string
	Means    string
}

// A Transcript is what a program hears in a recording on a copy.
type Transcript struct {
	ID      uint64
	CopyID  uint64
	Sound   string // its SHA-256
	Done    bool
	Text    string
	Problem string // why it could not be written down; "" for none
	AskedAt time.Time
}

// LookedUp is a word that somebody has looked up on a copy.
type LookedUp struct {
	CopyID uint64
	Title  string // of the assignment
	Word   string
	Times  int
	At     time.Time // last
}

// OftenLookedUp is a word with how many students have looked it up for an assignment.
type OftenLookedUp struct {
	AssignmentID uint64
	Title        string
	Word         string
	Students     int
	Names        []string `gorm:"-"` // of those who let them be seen
}

// A FilePage is one page of a PDF that is kept. Box and Print are JSON of
// page.Box and words.Page; Text is its words, to be
// searched; Guide is JSON of plan.Guide, as it was found.
type FilePage struct {
	FileHash      string
	Number        int
	Width, Height float64
	Box           string
	TextLayer     string
	Text          string
	Guide         string
	Wordless      bool // it is a picture of which no words are known yet
}

// An Assignment gives a worksheet to a course.
type Assignment struct {
	ID           uint64
	CourseID     uint64
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
	Mode         flow.Mode
	Audience     access.Audience `gorm:"serializer:json"` // whom it is given to
	Instruments  []string        `gorm:"serializer:json"` // those offered; none for all
	KeepHere     bool            // students do not take the sheet away as a file
	NoSpelling   bool            // the browser does not help with spelling
	Nameless     bool            // who marks sees no names until a copy is returned
	Watched      bool            `gorm:"-"` // who marks may look at work before it is submitted; known of one whose copy is asked about
	Scaled       bool            // what the questions add up to is brought to Points
	Draft        bool            // students do not see it yet
	RemovedAt    *time.Time      // when it was unassigned; the work is kept
	ArchivedAt   *time.Time      // when its course was put away
	Version      int             // goes up with every change
	CreatedAt    time.Time

	Handouts []Handout `gorm:"-"` // the first is for those whom no other names
}

// A Handout is a worksheet that an assignment gives to some of its students.
type Handout struct {
	AssignmentID uint64
	Number       int // from 0
	WorksheetID  uint64
	RevisionID   uint64          // what copies begun from now on are of
	Audience     access.Audience `gorm:"serializer:json"`
}

// For returns the handout that a member gets.
func (a Assignment) For(person uint64, section string) Handout {
	for _, h := range a.Handouts[1:] {
		if section != access.Anywhere && h.Audience.Includes(person, section) {
			return h
		}
	}
	return a.Handouts[0]
}

// TimesFor returns the assignment's times for the flow, as they are for the
// owner of a copy. What is over is closed.
func (a Assignment) TimesFor(c Copy) (t flow.Times) {
	if a.OpensAt != nil {
		t.Opens = *a.OpensAt
	}
	if a.DueAt != nil {
		t.Due = *a.DueAt
	}
	if a.ClosesAt != nil {
		t.Closes = *a.ClosesAt
	}
	if c.DueAt != nil {
		t = t.Extended(*c.DueAt)
	}
	for _, gone := range []*time.Time{a.RemovedAt, a.ArchivedAt} {
		if gone != nil && (t.Closes.IsZero() || gone.Before(t.Closes)) {
			t.Closes = *gone
		}
	}
	return t
}

// DueFor returns when it is due for the owner of a copy, nil for never.
func (a Assignment) DueFor(c Copy) *time.Time {
	if t := a.TimesFor(c); !t.Due.IsZero() {
		return &t.Due
	}
	return nil
}

// Over reports whether it is given to nobody any more: it was unassigned, or its
// course is put away.
func (a Assignment) Over() bool { return a.RemovedAt != nil || a.ArchivedAt != nil }

// WatchedIn reports whether those who mark in the course may look at work before
// it is submitted: never where they are to see no names.
func (a Assignment) WatchedIn(c Course) bool { return c.Watch && !a.Nameless }

// Hides reports whether whose a copy is stays hidden from those who mark: it was
// never returned, and is marked without names.
func (a Assignment) Hides(c Copy) bool {
	return a.Nameless && c.Attempts <= 1 && c.State != flow.Returned && c.State != flow.Reworking
}

// Tallied adds up what was given for the questions of a sheet, brought to the
// assignment's points, in steps, where it is to be.
func (a Assignment) Tallied(asked []worksheet.Question, given map[string]points.Points, step points.Points) worksheet.Tally {
	t := worksheet.Add(asked, given)
	if a.Scaled && t.Points != nil {
		of := points.Points(0)
		for _, q := range asked {
			of += q.Points
		}
		*t.Points = t.Points.Scaled(of, a.Points, step)
	}
	return t
}

// UsedUp reports whether no further attempt is left after so many.
func (a Assignment) UsedUp(attempts int) bool { return a.MaxAttempts > 0 && attempts >= a.MaxAttempts }

// A Copy is a student's exemplar.
type Copy struct {
	ID           uint64
	AssignmentID uint64
	StudentID    uint64 `gorm:"default:null"` // 0 for everybody
	RevisionID   uint64
	State        flow.State
	Attempts     int // submitted so far
	Waiting      int // operations that came after the newest attempt was fixed
	StartedAt    *time.Time
	DueAt        *time.Time // later than for the others: extra time
	Excused      bool       // need not be done: it counts nowhere
	Shown        bool       // one that is to keep: its student lets the teachers look at it

	// OwnKey is what the student lets colours stand for, on a copy that is to keep.
	OwnKey []worksheet.Meaning `gorm:"serializer:json"`
}

// Begun reports whether there is anything in the copy that its student would
// miss.
func (c Copy) Begun() bool { return c.StartedAt != nil || c.Attempts > 0 }

// Label is what a copy is called whose owner is hidden. It tells nothing of them,
// and is always the same.
func (c Copy) Label() string {
	sum := sha256.Sum256(fmt.Append(nil, "copy ", c.AssignmentID, " ", c.ID))
	label := make([]byte, 4)
	for i := range label {
		label[i] = alphabet[int(sum[i])%len(alphabet)]
	}
	return "Copy " + string(label)
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
	Reason       string // why the points were given as a whole, "" for none
	Remark       string
	RemarkRich   bool       // Remark is CommonMark
	MarkedAt     *time.Time // when feedback was last touched
	ReturnedAt   *time.Time
	ReturnedHash string     `gorm:"default:null"` // blob with a Returned
	OpenedAt     *time.Time // when the student first saw what was returned
	Asked        []string   `gorm:"serializer:json"` // the notes in it that ask the teacher something
	Helped       bool       // somebody helped with it
	Whole        bool       `gorm:"-"`  // the points were given as a whole; known after they were given
	Pending      *time.Time `gorm:"->"` // when it is to be returned; known of all attempts of an assignment

	Spoken int            // milliseconds that can be heard in what was returned
	Heard  map[string]int `gorm:"->;serializer:json"` // of these, by remark
}

// HeardOf returns how much of what can be heard was heard, in milliseconds.
func (a Attempt) HeardOf() (all int) {
	for _, ms := range a.Heard {
		all += ms
	}
	return all
}

// A Return is one giving back of an attempt: planned, then done, or stopped
// before that; done, it may be withdrawn.
type Return struct {
	ID          uint64
	CopyID      uint64
	Attempt     int
	PersonID    uint64 `gorm:"default:null"` // who gives it back; 0 when they were erased
	PersonName  string `gorm:"->"`           // the same
	PlannedAt   time.Time
	DueAt       time.Time
	DoneAt      *time.Time
	StoppedAt   *time.Time
	WithdrawnAt *time.Time

	// What the attempt was returned with before, and when it was opened.
	BeforeHash   string `gorm:"default:null"`
	BeforeAt     *time.Time
	BeforeOpened *time.Time
}

// Pending reports whether an attempt is still to be given back by it.
func (r Return) Pending() bool { return r.DoneAt == nil && r.StoppedAt == nil }

// Stands reports whether it is done, and was not withdrawn.
func (r Return) Stands() bool { return r.DoneAt != nil && r.WithdrawnAt == nil }

// Unsent reports whether there is feedback that the student has not got.
func (a Attempt) Unsent() bool {
	return a.Marked() && (a.ReturnedAt == nil || a.MarkedAt.After(*a.ReturnedAt))
}

// A Score is what an attempt got for one question.
type Score struct {
	CopyID     uint64
	Attempt    int
	QuestionID string
	Points     points.Points
	Levels     map[string]string `gorm:"serializer:json"` // by which it was judged, by criterion; nil where points were given
	PersonID   uint64            // who gave it
	At         time.Time
}

// A Rubric is what somebody judges questions by, kept to be used again.
type Rubric struct {
	ID        uint64           `json:"id"`
	OwnerID   uint64           `json:"-"`
	Title     string           `json:"title"`
	Body      worksheet.Rubric `json:"body" gorm:"serializer:json"`
	CreatedAt time.Time        `json:"-"`
}

// A ReadyRemark is what a teacher says often.
type ReadyRemark struct {
	ID        uint64         `json:"id"`
	OwnerID   uint64         `json:"-"`
	CourseID  uint64         `json:"course" gorm:"default:null"` // in which it is shared, 0 for none
	Text      string         `json:"text"`
	Rich      bool           `json:"rich,omitempty"` // Text is CommonMark
	Short     string         `json:"short"`          // what finds it, "" for nothing
	Points    *points.Points `json:"-"`
	CreatedAt time.Time      `json:"-"`

	// What is said, where it is spoken; the text says it for those who cannot hear.
	Sound        string `json:"sound,omitempty" gorm:"default:null"`
	Milliseconds int    `json:"-"`
	Peaks        string `json:"-" gorm:"default:null"` // JSON
}

// Marked reports whether any feedback has been begun.
func (a Attempt) Marked() bool { return a.MarkedAt != nil }

// A CopyInCourse is a copy with everything around it that decides who may do
// what to it. The assignment is without its handouts, and of the student the
// names are known.
type CopyInCourse struct {
	Copy
	Student    Person
	Assignment Assignment
	Course     Course
	Revision   Revised
	Role       access.Role        // of the person who asks
	Section    string             // the same
	Asked      bool               // something was asked of those who teach before it was submitted
	Hearings   map[string]Hearing // of sounds on the sheet, by mark: of the student, or on a copy for all of who asks
}

// A WriteContext is what decides whether a person may write in a copy; it is read
// for every change that is saved, so it is no more than that.
type WriteContext struct {
	Copy       Copy
	Assignment Assignment  // what decides: times, audience, way, instruments
	Role       access.Role // of the person who asks
	Section    string      // the same
	PageCount  int
	Asked      bool // something was asked of those who teach before it was submitted
}

// A Holding is what gives somebody a revision to see: a copy of it, or a
// course in which they will get one, or mark them. Without a copy Copy is zero.
type Holding struct {
	Copy       Copy
	Assignment Assignment // what decides
	Role       access.Role
	Section    string
}

// A State is how a layer of a copy stood when somebody kept it under a name.
type State struct {
	CopyID uint64           `json:"-"`
	Layer  submission.Layer `json:"-"`
	Number int              `json:"number"` // from 1
	Name   string           `json:"name"`
	Seq    int64            `json:"-"` // of the last operation of that time
	At     time.Time        `json:"at"`
}

// A SavedOp is an operation as it was accepted.
type SavedOp struct {
	Seq      int64
	Op       submission.Op
	AuthorID uint64
	At       time.Time
}

// A SavedHead is a present mark with who made it and when it came.
type SavedHead struct {
	submission.Head
	Layer      submission.Layer
	AuthorID   uint64
	AuthorName string
	At         time.Time
}

// A Layered is how a layer of a copy stands after operations came.
type Layered struct {
	Seq     int64
	Fresh   int   // how many of the operations were new
	Marks   int   // present
	Bytes   int64 // of these
	Written int64 // bytes of all operations so far
}

// A Hearing is how often somebody has begun to hear a sound on a sheet that may be
// heard so and so often.
type Hearing struct {
	CopyID    uint64     `json:"-"`
	PersonID  uint64     `json:"-"`
	MarkID    string     `json:"-"`
	Times     int        `json:"times"`
	Words     bool       `json:"words,omitempty"` // they have had the words
	TokenHash string     `json:"-"`
	Until     *time.Time `json:"-"` // to when the token opens it
}

// A Question is something on a copy that waits for an answer now: a student's note that
// was asked before the copy is submitted, or what one person of the course was asked.
type Question struct {
	CopyID     uint64
	Mark       string // that asks it
	Note       string // under which it is answered
	Layer      submission.Layer
	AskerID    uint64
	Asker      string // the same, by name
	AskedID    uint64 // 0 for whoever teaches
	At         time.Time
	AnsweredAt *time.Time
	Asks       *mark.Mark // as it stands

	AssignmentID uint64
	Title        string // of the assignment
	Course       string
	Student      string // whose copy it is, "" where it is one for all
	Shared       bool   // the same

	Patch []mark.Mark // what stood around a student's note when it was asked; nil for others
}

// A CopyAttachment is a sound or a picture that marks of a layer of a copy show.
type CopyAttachment struct {
	Hash         string
	CopyID       uint64
	Layer        submission.Layer
	PersonID     uint64 // who brought it
	MediaType    string
	Milliseconds int    // of a sound
	Peaks        string // of a sound, JSON
}

// A DirectoryChange is what taking a directory in writes, all or none.
type DirectoryChange struct {
	Courses []*Course
	People  []*Person
	Tokens  []*SignInToken // one for each of People
	Members []DirectoryMember
}

// A DirectoryMember is a membership of a course and a person that may both
// still be without an ID.
type DirectoryMember struct {
	Course *Course
	Person *Person
	Role   access.Role
}

// A Draft is what somebody is typing at a place of a thing and has not kept
// yet: a note, an answer, a remark, the line to the teacher, a title. It is
// theirs alone, is written over, and is in no history, feed or export.
type Draft struct {
	PersonID uint64    `json:"-"`
	Thing    Drafted   `json:"-"`
	ThingID  uint64    `json:"-"`
	Place    string    `json:"place"`
	Body     string    `json:"body"` // as the screen wrote it; "" for none
	At       time.Time `json:"at"`   // by the clock of the device that it was typed on
}

// Drafted is a kind of thing that drafts are about.
type Drafted string

// What drafts are about. An assignment that is only being made is typed about
// its worksheet.
const (
	OfCopy       Drafted = "copy"
	OfAssignment Drafted = "assignment"
	OfWorksheet  Drafted = "worksheet"
)

// LineDraft is the place of the line to the teacher, as the screen names it.
const LineDraft = "line"

// A Media is a picture or a sound, opened to be read. Whoever gets it closes it.
type Media struct {
	io.ReadSeekCloser
	Hash string // its name
	Type string // media type
}

// Nobody owns the practice sheet, which everybody may see.
const Nobody = 0

// A Pace is how often something may be tried: Burst times at once, and then
// once Every so long.
type Pace struct {
	Burst int
	Every time.Duration
}

// A PageSize is the size of a page in points.
type PageSize struct {
	Width  float64 `json:"w"`
	Height float64 `json:"h"`
}

// A JobKind is a kind of work behind the requests.
type JobKind string

const (
	JobRead       JobKind = "read"       // the words of a worksheet's pages
	JobTranscribe JobKind = "transcribe" // what is said in a recording
	JobScans      JobKind = "scans"      // the words in the pictures of pages, of all files that have such
	JobAssemble   JobKind = "assemble"   // the file of a revision, anew
	JobAnswers    JobKind = "answers"    // of the attempts of a copy
	JobSweep      JobKind = "sweep"      // of blobs that nothing refers to
	JobReturn     JobKind = "return"     // of an attempt, when its time has come
	JobMail       JobKind = "mail"       // to a person, of what there is for them
	JobConfirm    JobKind = "confirm"    // the address of a person, by a letter
)

// A Job is work behind the requests, on one thing.
type Job struct {
	ID          uint64
	Kind        JobKind
	Ref         uint64 // of what it is about
	DueAt       time.Time
	LeasedUntil *time.Time // somebody is at it
	Tries       int
	Error       string // of the last try
	CreatedAt   time.Time
}
