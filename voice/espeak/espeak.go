// Package espeak says texts with the library of espeak-ng, which tells when each word
// begins; its command does not. It is for a process of its own, see voice/child, so that the
// house itself loads no library.
//
// The names and numbers are those of the library's header, speak_lib.h (API revision 12).
package espeak

import (
	"errors"
	"fmt"
	"unicode/utf8"
	"unsafe"

	"github.com/ebitengine/purego"

	"readymargin/core/aloud"
)

// ErrVoice says that there is no such voice.
var ErrVoice = errors.New("no such voice")

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

// Say says a text with a voice of espeak-ng, as "en-gb": ErrVoice where there is none. It
// returns when each word is said, and the sound as WAV.
func Say(text, voice string) (words []aloud.Moment, wav []byte, err error) {
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
	if setVoice(voice) != 0 {
		return nil, nil, ErrVoice
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
	if synth(text, uint64(len(text)+1), 0, positionCharacter, 0, charsUTF8, 0, 0) != 0 {
		return nil, nil, errors.New("espeak-ng could not say it")
	}
	return aloud.Settled(words, len(pcm)/2*1000/int(rate), utf8.RuneCountInString(text)), aloud.WAV(pcm, int(rate)), nil
}
