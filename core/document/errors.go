package document

import (
	"bytes"
	"errors"
)

// What can be wrong with a file that somebody brings. Each is one sentence for
// people; see web.
var (
	ErrNotPDF    = errors.New("document: not a PDF file")
	ErrDamaged   = errors.New("document: the file is damaged")
	ErrEncrypted = errors.New("document: the file asks for a password")
	ErrEmpty     = errors.New("document: no pages")
	ErrTooLarge  = errors.New("document: too many bytes")
	ErrPages     = errors.New("document: too many pages")
	ErrSide      = errors.New("document: a page is too large")
	ErrTime      = errors.New("document: takes too long to read")
	ErrMemory    = errors.New("document: takes too much memory to read")
	ErrNoPage    = errors.New("document: no such page")
	ErrPixels    = errors.New("document: a picture of too many pixels")
)

// ErrPicture says that a picture cannot be read, or is not one.
var ErrPicture = errors.New("document: not a picture that can be read")

// IsPDF reports whether a file begins as one does (ISO 32000-2, 7.5.2), perhaps behind
// what a mailer put before it; a ZIP with one in it is none.
func IsPDF(file []byte) bool {
	return bytes.Contains(file[:min(len(file), 1024)], []byte("%PDF-")) && !bytes.HasPrefix(file, []byte("PK\x03\x04"))
}

// IsPicture reports whether a file begins as a PNG, JPEG or WebP picture does.
func IsPicture(file []byte) bool {
	return bytes.HasPrefix(file, []byte("\x89PNG\r\n\x1a\n")) || bytes.HasPrefix(file, []byte{0xff, 0xd8, 0xff}) ||
		len(file) > 12 && string(file[:4]) == "RIFF" && string(file[8:12]) == "WEBP"
}
