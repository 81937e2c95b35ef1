// Package speechtest is the conformance test of recognisers.
package speechtest

import (
	"context"
	"errors"
	"testing"
	"time"

	"readymargin/core/speech"
)

// A Sample is a sound with what is said in it.
type Sample struct {
	Name  string
	Sound []byte
	Type  string // media type
	Lasts time.Duration
	Says  []speech.Word // From and To as they are, Certainty the least
}

// near is how far words may lie from where they are, in milliseconds.
const near = 150

// Conform checks what every recogniser keeps: the words of samples at their times, none
// in silence, order and bounds, an error for what is no sound, and an end when nobody
// waits any more.
func Conform(t *testing.T, r speech.Recogniser, samples []Sample, silence Sample) {
	t.Helper()
	ctx := context.Background()
	for _, s := range append(samples, silence) {
		words, err := r.Recognise(ctx, speech.Sound{Data: s.Sound, Type: s.Type, Language: "en"})
		if err != nil {
			t.Errorf("%s: %v", s.Name, err)
			continue
		}
		if err := speech.Check(words, s.Lasts); err != nil {
			t.Errorf("%s: %v", s.Name, err)
		}
		if len(words) != len(s.Says) {
			t.Errorf("%s: %+v, want %+v", s.Name, words, s.Says)
			continue
		}
		for i, w := range words {
			want := s.Says[i]
			if w.Text != want.Text || abs(w.From-want.From) > near || abs(w.To-want.To) > near || w.Certainty < want.Certainty {
				t.Errorf("%s: word %d is %+v, want %+v", s.Name, i, w, want)
			}
		}
	}
	for name, b := range map[string][]byte{"nothing": nil, "no sound": []byte("words in a text"), "a part of one": samples[0].Sound[:min(40, len(samples[0].Sound))]} {
		if words, err := r.Recognise(ctx, speech.Sound{Data: b, Type: samples[0].Type, Language: "en"}); !errors.Is(err, speech.ErrUnreadable) {
			t.Errorf("%s: %v, %v", name, words, err)
		}
	}
	ended, cancel := context.WithCancel(ctx)
	cancel()
	if _, err := r.Recognise(ended, speech.Sound{Data: samples[0].Sound, Type: samples[0].Type, Language: "en"}); err == nil {
		t.Error("it goes on though nobody waits")
	}
}

func abs(n int) int { return max(n, -n) }
