// Package recording knows what a recording is once it has been taken in, and
// what can be wrong with one. It does not know how sound is read.
package recording

import "errors"

// A Clip is a recording ready to be kept and played.
type Clip struct {
	Type         string // audio/webm; codecs=opus
	Data         []byte
	Milliseconds int
	Peaks        []int // loudness along the way, 0 to 100, PeakCount of them
}

// PeakCount is how many peaks a waveform is made of.
const PeakCount = 96

// MediaType is the type of every clip.
const MediaType = "audio/webm; codecs=opus"

// What can be wrong with a recording. Each is one sentence for people; see web.
var (
	ErrUnreadable = errors.New("recording: cannot be read as a recording")
	ErrTooLong    = errors.New("recording: longer than allowed")
	ErrTooLarge   = errors.New("recording: too many bytes")
	ErrSilent     = errors.New("recording: nothing was recorded")
)

// MaxBytes bounds a recording as it comes from the browser.
const MaxBytes = 32 << 20
