package school

import (
	"context"
	"errors"
	"time"

	"readymargin/core/access"
	"readymargin/core/copy"
	"readymargin/core/document"
	"readymargin/core/flow"
	"readymargin/core/recording"
	"readymargin/core/scan"
)

// Errors that a Store returns.
var (
	ErrNotFound = errors.New("school: there is no such thing")
	ErrTaken    = errors.New("school: the name is taken")
	ErrStale    = errors.New("school: changed elsewhere in the meantime")
	ErrAway     = errors.New("school: the database cannot be reached")
	ErrDamaged  = errors.New("school: what is stored is damaged")
)

// A Store keeps the records. Everything written is durable when a method
// returns.
type Store interface {
	People
	Courses
	Worksheets
	Copies
	Drafts
	Blobs
}

// Drafts are what people are typing.
type Drafts interface {
	// Drafts returns a person's drafts about a thing, the oldest first.
	Drafts(ctx context.Context, person uint64, of Drafted, id uint64) ([]Draft, error)
	// PutDrafts writes drafts of one person about one thing over older ones,
	// takes those away that are empty, and of all keeps the newest most.
	PutDrafts(ctx context.Context, all []Draft, most int) error
}

// People are accounts.
type People interface {
	// AddPerson adds p; a login in use gets a number behind it, and ErrTaken
	// says that none was free.
	AddPerson(ctx context.Context, p *Person) error
	Person(ctx context.Context, id uint64) (Person, error)
	PersonByLogin(ctx context.Context, login string) (Person, error)
	// NewPassword gives a person another password, ends all their sessions but
	// one ("" for all), forgets their devices and voids their slips.
	NewPassword(ctx context.Context, person uint64, hash, session string, now time.Time) error
	// EndSessions ends all of a person's sessions but one and forgets their devices.
	EndSessions(ctx context.Context, person uint64, session string) error
	SetSettings(ctx context.Context, id uint64, settings string) error
	AddSlip(ctx context.Context, s Slip) error
	// Logins returns which of these are in use.
	Logins(ctx context.Context, logins []string) (map[string]bool, error)
	// AddStudents adds people to a course, with a slip each, all or none. A
	// login in use gets a number behind it.
	AddStudents(ctx context.Context, course uint64, at time.Time, people []*Person, slips []*Slip) error
	// CoursesBySource and PeopleBySource return those of a school's directory
	// that are there, by the names they have in it.
	CoursesBySource(ctx context.Context, sources []string) (map[string]Course, error)
	PeopleBySource(ctx context.Context, sources []string) (map[string]Person, error)
	// AddDirectory writes what a directory brings, all or none. Logins in use
	// get a number behind them.
	AddDirectory(ctx context.Context, change DirectoryChange, at time.Time) error
	// UseSlip returns an unused slip that has not expired, and marks it used.
	UseSlip(ctx context.Context, tokenHash string, now time.Time) (Slip, error)
	// PeekSlip is UseSlip without using it.
	PeekSlip(ctx context.Context, tokenHash string, now time.Time) (Slip, error)
	// SetCalendar gives a person's calendar another address; CalendarOwner
	// returns whose an address is.
	SetCalendar(ctx context.Context, person uint64, tokenHash string) error
	CalendarOwner(ctx context.Context, tokenHash string) (Person, error)
	// Allow takes a try of a subject when its pace permits one; otherwise it
	// takes none and returns after how long it would.
	Allow(ctx context.Context, subject string, p Pace, now time.Time) (wait time.Duration, err error)
	// GiveBack undoes one Allow.
	GiveBack(ctx context.Context, subject string, p Pace) error
	// KnownDevice says whether a person has signed in on a device before.
	KnownDevice(ctx context.Context, tokenHash string, person uint64) (bool, error)
	AddDevice(ctx context.Context, tokenHash string, person uint64, now time.Time) error
}

// Courses are classes, their members and what is assigned.
type Courses interface {
	AddCourse(ctx context.Context, c *Course, teacher uint64) error
	Course(ctx context.Context, id uint64) (Course, error)
	CourseByCode(ctx context.Context, code string) (Course, error)
	// ChangeCourse lets change have a course that nobody else changes meanwhile,
	// and keeps what it made of it. Nothing else of the store is reachable inside.
	ChangeCourse(ctx context.Context, id uint64, change func(*Course) error) (Course, error)
	SetMembership(ctx context.Context, m Membership) error
	// Membership returns what a person is in a course; in none, with access.None.
	Membership(ctx context.Context, course, person uint64) (Membership, error)
	Members(ctx context.Context, courses ...uint64) ([]Member, error)
	CoursesOf(ctx context.Context, person uint64) ([]CourseRole, error)
	AddAssignments(ctx context.Context, all []*Assignment) error // all or none
	Assignment(ctx context.Context, id uint64) (Assignment, error)
	// ChangeAssignment lets change have an assignment with its handouts that
	// nobody else changes meanwhile, keeps what it made of it, and moves copies
	// that are not started to the revision that their students get now. Nothing
	// else of the store is reachable inside.
	ChangeAssignment(ctx context.Context, id uint64, change func(*Assignment) error) (Assignment, error)
	// AssignmentsOf returns those of courses by due time; what is never due comes last.
	AssignmentsOf(ctx context.Context, courses ...uint64) ([]Assignment, error)
}

// A CourseRole is a course with what a person is in it.
type CourseRole struct {
	Course
	Role    access.Role
	Section string
}

// Worksheets are what teachers brought in.
type Worksheets interface {
	AddWorksheet(ctx context.Context, w *Worksheet, sources []Source, extras []Extra) error
	Worksheet(ctx context.Context, id uint64) (Worksheet, error)
	// WorksheetsOf returns the owner's worksheets, newest first: all, or those
	// whose title or print has every one of the words, or words that begin so.
	WorksheetsOf(ctx context.Context, owner uint64, words []string) ([]Shelved, error)
	SetTitle(ctx context.Context, worksheet uint64, title string) error
	// ChangeWorksheet lets change have a worksheet that nobody else changes
	// meanwhile, keeps what it made of it, and adds a source if there is one.
	ChangeWorksheet(ctx context.Context, id uint64, change func(*Worksheet) error, add *Source) error
	AddExtra(ctx context.Context, e Extra) error
	Extras(ctx context.Context, worksheet uint64) ([]Extra, error)
	Sources(ctx context.Context, worksheet uint64) ([]Source, error)
	AddRevision(ctx context.Context, r *Revision) error
	Revision(ctx context.Context, id uint64) (Revision, error)
	LatestRevision(ctx context.Context, worksheet uint64) (Revision, error)
	// WholeRevisions returns those that hand out a file just as it was brought in.
	WholeRevisions(ctx context.Context) ([]Revision, error)
	// SetRevisionFile gives a revision another file with the same pages.
	SetRevisionFile(ctx context.Context, revision uint64, hash string) error
	// Reissue lets the worksheet's assignments go on with a revision: copies
	// that are not started move to it, and begun is how many stay.
	Reissue(ctx context.Context, worksheet, revision uint64) (begun int, err error)
	// Uses returns where a worksheet is assigned, newest first.
	Uses(ctx context.Context, worksheet uint64) ([]Use, error)
	// Holdings returns what gives a person a revision to see.
	Holdings(ctx context.Context, revision, person uint64) ([]Holding, error)
	AddFilePages(ctx context.Context, pages []FilePage) error       // those that are there stay
	SetFilePages(ctx context.Context, pages []FilePage) error       // in place of those that are there
	FilePages(ctx context.Context, file string) ([]FilePage, error) // without Print, Text and Guide
	FileGuides(ctx context.Context, file string) ([]string, error)  // of each page
	FilePage(ctx context.Context, file string, number int) (FilePage, error)
	// Picture returns the blob of a rendered page, or ErrNotFound.
	Picture(ctx context.Context, file string, page, scale int) (hash, mediaType string, err error)
	SetPicture(ctx context.Context, file string, page, scale int, hash, mediaType string) error
}

// A Use is an assignment of a worksheet.
type Use struct {
	AssignmentID uint64
	Title        string
	Course       string
	Begun        int // copies that are begun
}

// Copies are the students' exemplars and all that happens to them.
type Copies interface {
	// CopyFor returns the student's copy, making it of a revision when there is
	// none. Student 0 is everybody: the copy that is one for all.
	CopyFor(ctx context.Context, assignment, student, revision uint64) (Copy, error)
	// CopyOf returns the student's copy if there is one.
	CopyOf(ctx context.Context, assignment, student uint64) (Copy, error)
	// CopyInCourse returns a copy with its surroundings as the asker stands to it.
	CopyInCourse(ctx context.Context, id, asker uint64) (CopyInCourse, error)
	Standing(ctx context.Context, id, asker uint64) (Standing, error)
	CopiesOf(ctx context.Context, assignments ...uint64) ([]Copy, error)
	CopiesOfStudent(ctx context.Context, student uint64) ([]Copy, error)
	Attempts(ctx context.Context, copyID uint64) ([]Attempt, error)
	// AttemptsOf returns the attempts of all copies of assignments, and
	// AttemptsOfStudent those of one student, of each copy in their order.
	AttemptsOf(ctx context.Context, assignments ...uint64) ([]Attempt, error)
	AttemptsOfStudent(ctx context.Context, student uint64) ([]Attempt, error)
	// Unanswered returns, by copy, the replies to feedback that came after the
	// copy was last returned.
	Unanswered(ctx context.Context, assignments ...uint64) (map[uint64][]SavedHead, error)
	Heads(ctx context.Context, copyID uint64, layer copy.Layer) ([]SavedHead, error)
	// HeadsAmong returns those of some operations that are present.
	HeadsAmong(ctx context.Context, copyID uint64, layer copy.Layer, ops []string) ([]SavedHead, error)
	// OpsAfter returns the operations of a layer with a sequence number above after.
	OpsAfter(ctx context.Context, copyID uint64, layer copy.Layer, after int64) ([]SavedOp, error)
	LayerSeq(ctx context.Context, copyID uint64, layer copy.Layer) (int64, error)
	// Pulses returns how copies stand, of those that are there.
	Pulses(ctx context.Context, copies []uint64) (map[uint64]Pulse, error)
	AddEnclosure(ctx context.Context, e Enclosure) error
	Enclosures(ctx context.Context, copyID uint64) ([]Enclosure, error)
	// View notes that a person has a copy open, and returns the others who
	// did so since the given time.
	View(ctx context.Context, copyID, person uint64, now, since time.Time) (others []string, err error)
	// InCopy runs fn in one transaction that holds the copy. Changes of one
	// copy come one after another, and wait for their turn before they take a
	// connection.
	//
	// Inside fn only tx is reachable: whoever asks the Store for anything else
	// there waits for a connection that others hold who wait in the same way.
	// The first error of the database ends the transaction, whatever fn returns
	// afterwards. fn may run more than once when the database asks for it, each
	// time with everything undone that it did in the store, and must begin anew
	// with what it keeps outside.
	InCopy(ctx context.Context, copyID uint64, fn func(CopyTx) error) error
}

// A Pulse is how a copy stands: whatever happens to it changes something here.
type Pulse struct {
	State    flow.State
	Returned time.Time            // when an attempt was last returned, zero for never
	Seq      map[copy.Layer]int64 // the newest operation of each layer that was written in
}

// A CopyTx changes one copy. Nobody else changes it meanwhile. All of its
// methods use the transaction's own connection.
type CopyTx interface {
	Copy() (Copy, error) // read under the lock; every other method comes after it
	SetCopy(Copy) error
	Attempt(number int) (Attempt, error)
	PutAttempt(Attempt) error
	// Withdraw takes the attempt away and keeps a record that it was taken back.
	Withdraw(a Attempt, at time.Time) error
	// AddOps takes operations into a layer, once each, and returns how it stands then.
	AddOps(layer copy.Layer, author uint64, at time.Time, ops []copy.Op) (Layered, error)
	Heads(layer copy.Layer) ([]SavedHead, error)
	// OthersAmong reports whether any of some operations is present and not by
	// the author.
	OthersAmong(layer copy.Layer, author uint64, ops []string) (bool, error)
	LayerSeq(layer copy.Layer) (int64, error)
	// Assignment returns the copy's assignment, without its handouts.
	Assignment() (Assignment, error)
	// PutDraft writes a draft over an older one.
	PutDraft(Draft) error
	// PutBlob stores small blobs: the snapshot of an attempt, what is returned.
	PutBlob(b []byte) (hash string, err error)
}

// Blobs are bytes under the name of their SHA-256.
type Blobs interface {
	PutBlob(ctx context.Context, b []byte) (hash string, err error)
	// Blob returns the bytes of that name, ErrNotFound, or ErrDamaged.
	Blob(ctx context.Context, hash string) ([]byte, error)
	// DropBlob forgets what can be made again.
	DropBlob(ctx context.Context, hash string) error
}

// A Press reads and writes PDF files; pdf.Pool is one.
type Press interface {
	Limits() document.Limits
	Inspect(ctx context.Context, file []byte) ([]document.Page, error)
	Sizes(ctx context.Context, file []byte) ([]document.Page, error)
	Picture(ctx context.Context, file []byte, page int, scale float64) (document.Picture, error)
	Print(ctx context.Context, file []byte, what document.Export) ([]byte, error)
	SheetOf(ctx context.Context, picture []byte) ([]byte, error)
	Fonts(ctx context.Context, file []byte) ([][]string, error)
	Repaint(ctx context.Context, picture []byte, side, pixels int) ([]byte, error)
	Ink(ctx context.Context, file []byte, page int) (scan.Ink, error)
	Differ(ctx context.Context, sheet []byte, number int, file []byte, page int) ([]document.Part, error)
	Carries(ctx context.Context, file []byte) (document.Carried, error)
	Assemble(ctx context.Context, files [][]byte, leaves []document.PageRef) ([]byte, error)
}

// An Office turns documents of office programs into PDF; office.LibreOffice
// is one.
type Office interface {
	Knows(file []byte) bool // whether a file is a document that can be turned
	PDF(ctx context.Context, file []byte) (document.Converted, error)
	// Replaced says which of the fonts that a document asks for were replaced;
	// pages has the names of the fonts on each page of its PDF.
	Replaced(ctx context.Context, asked []string, pages [][]string) []document.Replaced
}

// A Darkroom turns the photographs of telephones into JPEG; photo.Heif is one.
type Darkroom interface {
	Knows(file []byte) bool // whether a file is such a photograph
	JPEG(ctx context.Context, file []byte) ([]byte, error)
}

// An Ear takes recordings in; sound.Ffmpeg is one.
type Ear interface {
	TakeIn(ctx context.Context, recording []byte, most time.Duration) (recording.Clip, error)
}
