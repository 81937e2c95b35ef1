// Package espeak says texts with the library of espeak-ng, which tells when each word
// begins; its command does not. It runs in a process of its own, see Serve, so that the
// house itself loads no library.
//
// The names and numbers are those of the library's header, speak_lib.h (API revision 12).
package espeak

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"unicode/utf8"
	"unsafe"

	"github.com/ebitengine/purego"

	"readymargin/core/aloud"
)

// A Request is what is to be said: one JSON document on standard input.
type Request struct {
	Text  string `json:"text"`
	Voice string `json:"voice"` // of espeak-ng, as "en-gb"
}

// An Answer comes back on standard output, followed by the sound as WAV; an Error has
// none.
type Answer struct {
	Words []aloud.Moment `json:"words"`
	Bytes int            `json:"bytes"` // of the sound
	Error string         `json:"error,omitempty"`
}

// NoVoice is the error of an Answer whose voice there is not.
const NoVoice = "no such voice"

const (
	outputSynchronous = 2 // AUDIO_OUTPUT_SYNCHRONOUS
	charsUTF8         = 1 // espeakCHARS_UTF8
	positionCharacter = 1 // POS_CHARACTER
	eventEnd          = 0 // espeakEVENT_LIST_TERMINATED
	eventWord         = 1 // espeakEVENT_WORD
	parameterRate     = 1 // espeakRATE, words a minute
	usualRate         = 150
)

// event is an espeak_EVENT.
type event struct {
	Type         int32
	Unique       uint32
	TextPosition int32 // in letters, from 1
	Length       int32
	AudioMillis  int32
	Sample       int32
	UserData     uintptr
	ID           [8]byte
}

// Serve says what is asked on in, and answers on out.
func Serve(in io.Reader, out io.Writer) error {
	var r Request
	if err := json.NewDecoder(in).Decode(&r); err != nil {
		return err
	}
	words, wav, err := say(r)
	a := Answer{Words: words, Bytes: len(wav)}
	if err != nil {
		a = Answer{Error: err.Error()}
	}
	if err := json.NewEncoder(out).Encode(a); err != nil {
		return err
	}
	_, err = out.Write(wav)
	return err
}

func say(r Request) (words []aloud.Moment, wav []byte, err error) {
	lib, err := purego.Dlopen("libespeak-ng.so.1", purego.RTLD_NOW|purego.RTLD_GLOBAL)
	if err != nil {
		return nil, nil, fmt.Errorf("espeak-ng is needed (apt-get install espeak-ng): %w", err)
	}
	var (
		initialise func(output, buffer int32, path uintptr, options int32) int32
		setVoice   func(name string) int32
		setCall    func(f uintptr)
		setRate    func(parameter, value, relative int32) int32
		synth      func(text string, size uint64, position uint32, positionType int32, end, flags uint32, unique, user uintptr) int32
	)
	for name, f := range map[string]any{"espeak_Initialize": &initialise, "espeak_SetVoiceByName": &setVoice, "espeak_SetSynthCallback": &setCall, "espeak_SetParameter": &setRate, "espeak_Synth": &synth} {
		purego.RegisterLibFunc(f, lib, name)
	}
	rate := initialise(outputSynchronous, 0, 0, 0)
	if rate <= 0 {
		return nil, nil, errors.New("espeak-ng does not start: its data are missing (apt-get install espeak-ng-data)")
	}
	if setVoice(r.Voice) != 0 {
		return nil, nil, errors.New(NoVoice)
	}
	setRate(parameterRate, usualRate, 0)
	var pcm []byte
	setCall(purego.NewCallback(func(samples unsafe.Pointer, n int32, events unsafe.Pointer) uintptr {
		if samples != nil && n > 0 {
			pcm = append(pcm, unsafe.Slice((*byte)(samples), 2*int(n))...)
		}
		for at := events; at != nil; at = unsafe.Add(at, unsafe.Sizeof(event{})) {
			e := (*event)(at)
			if e.Type == eventEnd {
				break
			}
			if e.Type == eventWord {
				words = append(words, aloud.Moment{Letter: int(e.TextPosition) - 1, From: int(e.AudioMillis)})
			}
		}
		return 0
	}))
	if synth(r.Text, uint64(len(r.Text)+1), 0, positionCharacter, 0, charsUTF8, 0, 0) != 0 {
		return nil, nil, errors.New("espeak-ng could not say it")
	}
	return settle(words, len(pcm)/2*1000/int(rate), utf8.RuneCountInString(r.Text)), aloud.WAV(pcm, int(rate)), nil
}

// settle ends every word where the next one begins; events at one place are one word.
func settle(words []aloud.Moment, lasts, letters int) (out []aloud.Moment) {
	for _, w := range words {
		if w.Letter < 0 || w.Letter >= letters || w.From > lasts {
			continue
		}
		if n := len(out); n > 0 {
			if out[n-1].Letter == w.Letter {
				continue
			}
			w.From = max(w.From, out[n-1].From)
			out[n-1].To = w.From
		}
		w.To = lasts
		out = append(out, w)
	}
	return out
}
