package school

import (
	"context"
	"errors"
	"io"
	"time"

	"readymargin/core/access"
	"readymargin/core/answer"
	"readymargin/core/flow"
	"readymargin/core/submission"
)

// Errors that a Store returns.
var (
	ErrNotFound = errors.New("school: there is no such thing")
	ErrTaken    = errors.New("school: the name is taken")
	ErrInUse    = errors.New("school: still in use")
	ErrStale    = errors.New("school: changed elsewhere in the meantime")
	ErrAway     = errors.New("school: the database cannot be reached")
	ErrDamaged  = errors.New("school: what is stored is damaged")
)

// A CourseRole is a course with what a person is in it.
type CourseRole struct {
	Course
	Role    access.Role
	Section string
}

// A Use is an assignment of a worksheet.
type Use struct {
	WorksheetID  uint64 `json:"-"`
	AssignmentID uint64
	Title        string
	Course       string
	Begun        int // copies that are begun
}

// StillThere is for how long somebody counts as having a copy open after they
// were last heard of.
const StillThere = 25 * time.Second

// A Pulse is how a copy stands: whatever happens to it changes something here.
type Pulse struct {
	State    flow.State
	Returned time.Time                  // when an attempt was last returned, zero for never
	Watchers []string                   // who looked at the work a moment ago, by name
	Seq      map[submission.Layer]int64 // the newest operation of each layer that was written in
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
	AddOps(layer submission.Layer, author uint64, at time.Time, ops []submission.Op) (Layered, error)
	// AddAnswers lays down what an attempt answers; DropAnswers takes it away.
	AddAnswers(attempt int, all []answer.Answer) error
	DropAnswers(attempt int) error
	// PutScore writes what an attempt got for a question over what was there;
	// Scores returns all of an attempt, and DropScore takes one away.
	PutScore(Score) error
	DropScore(attempt int, question string) error
	Scores(attempt int) ([]Score, error)
	// Returns are the givings back of an attempt, the oldest first. PutReturn
	// keeps one, and lets a pending one be done when its time has come.
	Returns(attempt int) ([]Return, error)
	PutReturn(*Return) error
	Heads(layer submission.Layer) ([]SavedHead, error)
	// AddState keeps a state of the copy; States returns those of a layer, the
	// oldest first.
	AddState(State) error
	States(layer submission.Layer) ([]State, error)
	// OthersAmong reports whether any of some operations is present and not by
	// the author.
	OthersAmong(layer submission.Layer, author uint64, ops []string) (bool, error)
	LayerSeq(layer submission.Layer) (int64, error)
	// PutQuestion keeps a question, or what was changed of it, while the operation
	// that asks it is present; DropQuestion forgets the one that a mark asks, and
	// Answered notes that somebody has answered what was asked of them about a note.
	PutQuestion(q Question, op string) error
	DropQuestion(mark string) error
	Answered(note string, by uint64, at time.Time) error
	// Hear notes to where a remark was heard, unless it was heard farther before.
	Hear(attempt int, remark string, milliseconds int, at time.Time) error
	// Notify lets people be told of something on the copy who want mail: one person of
	// its course, or with 0 its student, and of what was asked those who teach.
	Notify(kind NoticeKind, person uint64, due time.Time) error
	// Assignment returns the copy's assignment, without its handouts.
	Assignment() (Assignment, error)
	// PutDraft writes a draft over an older one.
	PutDraft(Draft) error
	// PutBlob stores small blobs: the snapshot of an attempt, what is returned.
	PutBlob(b []byte) (hash string, err error)
}

// A BlobReader returns the bytes of a name, ErrNotFound, or ErrDamaged.
type BlobReader interface {
	Blob(ctx context.Context, hash string) ([]byte, error)
}

// A BlobOpener opens the bytes of a name: ErrNotFound, or ErrDamaged. They are
// not all in memory, and while they are read no connection is held.
type BlobOpener interface {
	OpenBlob(ctx context.Context, hash string) (io.ReadSeekCloser, error)
}

// Open returns a blob as the media that it is.
func Open(ctx context.Context, blobs BlobOpener, hash, mediaType string) (Media, error) {
	f, err := blobs.OpenBlob(ctx, hash)
	return Media{f, hash, mediaType}, err
}

// A Feed is told that a copy has changed.
type Feed interface{ Tell(copyID uint64) }
