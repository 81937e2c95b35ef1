// Package flite says English with the library of flite, whose voices are made of what
// people have said, and sound better than those that are reckoned. It is for a process of
// its own, see voice/child.
//
// Names and layouts are those of the library's headers (flite 2.2: cst_synth.h, cst_item.h,
// cst_wave.h).
package flite

import (
	"errors"
	"fmt"
	"unsafe"

	"github.com/ebitengine/purego"

	"readymargin/core/aloud"
)

// ErrLetters says that a text has letters that English has not.
var ErrLetters = errors.New("letters that are not English")

// plain are the letters that stand for others, one for one.
var plain = map[rune]rune{'’': '\'', '‘': '\'', '“': '"', '”': '"', '–': '-', '—': '-', '\u00a0': ' '}

// wave is a cst_wave.
type wave struct {
	_        uintptr // what it is called
	rate     int32
	samples  int32
	channels int32
	data     *byte
}

// Say says a text. It returns when each word is said, and the sound as WAV.
func Say(text string) (words []aloud.Moment, wav []byte, err error) {
	letters := []rune(text)
	for i, r := range letters {
		if p, ok := plain[r]; ok {
			letters[i] = p
		} else if r > '~' || r < ' ' {
			return nil, nil, ErrLetters
		}
	}
	lib, err := purego.Dlopen("libflite.so.1", purego.RTLD_NOW|purego.RTLD_GLOBAL)
	if err != nil {
		return nil, nil, fmt.Errorf("flite is needed (apt-get install libflite1): %w", err)
	}
	voices, err := purego.Dlopen("libflite_cmu_us_slt.so.1", purego.RTLD_NOW|purego.RTLD_GLOBAL)
	if err != nil {
		return nil, nil, fmt.Errorf("flite is needed (apt-get install libflite1): %w", err)
	}
	var (
		initialise func() int32
		register   func(dir uintptr) uintptr
		synth      func(text string, voice uintptr) uintptr
		waveOf     func(utterance uintptr) *wave
		relation   func(utterance uintptr, name string) uintptr
		head, next func(uintptr) uintptr
		whole      func(item uintptr, path string) int32
		real       func(item uintptr, path string) float32
	)
	purego.RegisterLibFunc(&register, voices, "register_cmu_us_slt")
	for name, f := range map[string]any{"flite_init": &initialise, "flite_synth_text": &synth, "utt_wave": &waveOf, "utt_relation": &relation,
		"relation_head": &head, "item_next": &next, "flite_ffeature_int": &whole, "flite_ffeature_float": &real} {
		purego.RegisterLibFunc(f, lib, name)
	}
	initialise()
	said := synth(string(letters), register(0))
	if said == 0 {
		return nil, nil, errors.New("flite could not say it")
	}
	from, behind := 0, 0 // where the word's token begins, and what is behind it
	for item := head(relation(said, "Word")); item != 0; item = next(item) {
		if at := int(whole(item, "R:Token.parent.file_pos")); at != behind { // which flite tells when it has read the token
			from, behind = behind, at
		}
		words = append(words, aloud.Moment{Letter: begins(letters, from), From: int(1000 * real(item, "R:SylStructure.daughter1.daughter1.R:Segment.p.end"))})
	}
	w := waveOf(said)
	if w == nil || w.samples <= 0 || w.rate <= 0 || w.channels != 1 {
		return nil, nil, errors.New("flite made no sound")
	}
	pcm := unsafe.Slice(w.data, 2*int(w.samples))
	return aloud.Settled(words, int(w.samples)*1000/int(w.rate), len(letters)), aloud.WAV(pcm, int(w.rate)), nil
}

// begins is where the word at a place begins, behind spaces.
func begins(letters []rune, at int) int {
	for at < len(letters)-1 && letters[at] == ' ' {
		at++
	}
	return at
}
