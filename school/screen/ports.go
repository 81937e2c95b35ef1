package screen

import (
	"context"

	"readymargin/core/answer"
	"readymargin/core/submission"
	"readymargin/school"
)

// A ScreenStore keeps what the sheet screen shows.
type ScreenStore interface {
	// Drafts returns a person's drafts about a thing, the oldest first.
	Drafts(ctx context.Context, person uint64, of school.Drafted, id uint64) ([]school.Draft, error)
	Attempts(ctx context.Context, copyID uint64) ([]school.Attempt, error)
	// Scores returns what an attempt got, by question.
	Scores(ctx context.Context, copyID uint64, attempt int) ([]school.Score, error)
	// Answers returns what an attempt answers.
	Answers(ctx context.Context, copyID uint64, attempt int) ([]answer.Answer, error)
	// Returns are the givings back of an attempt, the oldest first.
	Returns(ctx context.Context, copyID uint64, attempt int) ([]school.Return, error)
	// Layers returns the numbers of the newest operations of layers, and what is
	// present in them then or later.
	Layers(ctx context.Context, copyID uint64, layers ...submission.Layer) (map[submission.Layer]int64, []school.SavedHead, error)
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
	InCopy(ctx context.Context, copyID uint64, fn func(school.CopyTx) error) error
	// QuestionsOf returns what was asked on a copy, answered or not.
	QuestionsOf(ctx context.Context, copyID uint64) ([]school.Question, error)
	Members(ctx context.Context, courses ...uint64) ([]school.Member, error)
	// Blob returns the bytes of that name, ErrNotFound, or ErrDamaged.
	Blob(ctx context.Context, hash string) ([]byte, error)
}
