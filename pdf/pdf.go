// Package pdf opens PDF files that strangers made, gives their pages as
// pictures and words, and writes PDF files with marks on them.
//
// A stranger's bytes are parsed only in child processes of this binary (see
// Pool and WorkerMain), inside limits; the parent never reads into them. The
// package knows nothing of courses or people.
package pdf

import (
	"readymargin/core/document"
)

// failures are the errors that a worker can report, by the name they have on the wire.
var failures = map[string]error{}

func init() {
	for _, e := range []error{document.ErrNotPDF, document.ErrDamaged, document.ErrEncrypted, document.ErrEmpty, document.ErrTooLarge, document.ErrPages, document.ErrSide, document.ErrTime, document.ErrMemory, document.ErrNoPage, document.ErrPicture, document.ErrPixels} {
		failures[e.Error()] = e
	}
}

// MaxPixels bounds a page's picture.
const MaxPixels = 40_000_000
