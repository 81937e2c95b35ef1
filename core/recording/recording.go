// Package recording knows what a recording is once it has been taken in, and
// what can be wrong with one. It does not know how sound is read.
package recording

import (
	"errors"
	"time"
)

// A Clip is a recording ready to be kept and played.
type Clip struct {
	Type         string // audio/webm; codecs=opus
	Data         []byte
	Milliseconds int
	Peaks        []int // loudness along the way, 0 to 100, PeakCount of them
}

// A Cut is the part of a recording that is kept. It ends with the recording where To
// is 0.
type Cut struct{ From, To time.Duration }

// Good reports whether anything is left of a recording.
func (c Cut) Good() bool { return c.From >= 0 && (c.To == 0 || c.To > c.From) }

// Loudness is how loud clips sound, in LUFS (EBU R 128, which measures by ITU-R
// BS.1770): as loud as speech is kept for small loudspeakers, three above the target of
// broadcasting.
const Loudness = -20.0

// Gain returns by how many decibels a recording of so many LUFS is made louder. What is
// all but silent stays so, rather than becoming noise.
func Gain(loudness float64) float64 {
	if loudness < silence {
		return 0
	}
	return min(Loudness-loudness, mostGain)
}

// Bounds of making louder: the gate of the measure, below which it hears nothing (EBU
// R 128), and what a microphone that is all but off still gives.
const (
	silence  = -69
	mostGain = 40
)

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
