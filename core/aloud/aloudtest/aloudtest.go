// Package aloudtest is the conformance test of engines of speech.
package aloudtest

import (
	"context"
	"encoding/binary"
	"errors"
	"slices"
	"strings"
	"testing"
	"unicode/utf8"

	"readymargin/core/aloud"
)

// Conform checks what every engine keeps: a sound with something in it, every word of a
// text once, in order, beginning where a word does, and while something sounds; an error
// for a language that it does not speak; an end when nobody waits any more. texts are by
// their languages.
func Conform(t *testing.T, e aloud.Engine, texts map[string]string) {
	t.Helper()
	ctx := context.Background()
	for language, text := range texts {
		said, err := e.Say(ctx, text, language)
		if err != nil {
			t.Errorf("%s: %v", language, err)
			continue
		}
		samples, rate, err := aloud.Samples(said.WAV)
		if err != nil {
			t.Errorf("%s: %v", language, err)
			continue
		}
		lasts := len(samples) / 2 * 1000 / rate
		var begins []int
		letters := 0
		for _, w := range strings.Fields(text) {
			begins, letters = append(begins, letters), letters+utf8.RuneCountInString(w)+1
		}
		var at []int
		before := 0
		for i, w := range said.Words {
			if w.From < before || w.To <= w.From || w.To > lasts+1 {
				t.Errorf("%s: word %d from %d to %d of %d ms", language, i, w.From, w.To, lasts)
			}
			if !slices.Contains(begins, w.Letter) {
				t.Errorf("%s: word %d begins at letter %d", language, i, w.Letter)
			}
			if loudest(samples, rate, w.From, w.To) < 500 {
				t.Errorf("%s: nothing sounds from %d to %d ms", language, w.From, w.To)
			}
			at, before = append(at, w.Letter), w.From
		}
		if !slices.Equal(at, begins) {
			t.Errorf("%s: words begin at %v, want %v", language, at, begins)
		}
	}
	for _, language := range []string{"", "tlh-x-none", "not a tag", "zxx"} {
		if _, err := e.Say(ctx, "nothing", language); !errors.Is(err, aloud.ErrLanguage) {
			t.Errorf("language %q: %v", language, err)
		}
	}
	ended, cancel := context.WithCancel(ctx)
	cancel()
	if _, err := e.Say(ended, "nobody waits", "en"); err == nil {
		t.Error("it goes on though nobody waits")
	}
}

// loudest is the largest sample of a stretch.
func loudest(samples []byte, rate, from, to int) (most int) {
	for i := from * rate / 1000; i < to*rate/1000 && 2*i+1 < len(samples); i++ {
		v := int(int16(binary.LittleEndian.Uint16(samples[2*i:])))
		most = max(most, v, -v)
	}
	return most
}
