// Package caption cuts what is said in a sound into captions in step with it.
//
// The words are those that people keep, typed or written down by a program and put right
// since, in any language. Where they are said is told by the sound's loudness alone: words
// take time by their letters, of the time in which something is heard, and sentences end
// where it is quiet.
package caption

import (
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"
)

// A Cue is a caption with its time, in milliseconds from the beginning of the sound.
type Cue struct {
	From int    `json:"from"`
	To   int    `json:"to"`
	Text string `json:"text"`
}

// longest is how many letters a caption has at most: two lines of 42 (common practice,
// no source).
const longest = 84

// Cues returns the captions of a sound of ms milliseconds, whose loudness along the way is
// given in even steps from 0 to 100.
func Cues(text string, peaks []int, ms int) []Cue {
	parts := cut(text)
	if len(parts) == 0 || ms <= 0 {
		return nil
	}
	h := listen(peaks, ms)
	whole := 0
	for _, p := range parts {
		whole += weight(p)
	}
	out := make([]Cue, len(parts))
	from, said := h.at(0), 0
	for i, p := range parts {
		said += weight(p)
		to, next := h.at(float64(said)/float64(whole)), 0
		if next = to; i < len(parts)-1 && ends(p) {
			to, next = h.quiet(to)
		}
		out[i] = Cue{From: from, To: max(to, from), Text: p}
		from = max(next, from)
	}
	return out
}

// weight is how long words take to be said, beside others.
func weight(s string) int { return utf8.RuneCountInString(s) + 1 }

// ends reports whether one stops behind a part.
func ends(s string) bool { return strings.ContainsAny(s[len(s)-1:], ".!?;:,") }

// cut makes parts of a text: sentences, or pieces of those that are long, at their commas
// where they have any.
func cut(text string) (out []string) {
	var words []string
	letters := 0
	flush := func() {
		if len(words) > 0 {
			out = append(out, strings.Join(words, " "))
		}
		words, letters = nil, 0
	}
	for _, w := range strings.Fields(text) {
		n := weight(w)
		if letters+n > longest+1 {
			at := 0 // behind the last comma
			for i, o := range words {
				if ends(o) && i < len(words)-1 {
					at = i + 1
				}
			}
			rest := slices.Clone(words[at:])
			if at > 0 {
				words = words[:at]
			} else {
				rest = nil
			}
			flush()
			for _, o := range rest {
				words, letters = append(words, o), letters+weight(o)
			}
		}
		words, letters = append(words, w), letters+n
		if strings.ContainsAny(w[len(w)-1:], ".!?") {
			flush()
		}
	}
	flush()
	return out
}

// heard is where in a sound something is said.
type heard struct {
	ms    int
	voice []bool // step by step
	count int    // of those in which something is heard
}

// listen tells where something is said: where it is a good deal louder than where it is
// quietest.
func listen(peaks []int, ms int) heard {
	h := heard{ms: ms, voice: make([]bool, len(peaks))}
	if len(peaks) == 0 {
		h.voice = []bool{true}
	} else {
		sorted := slices.Sorted(slices.Values(peaks))
		low, high := sorted[len(sorted)/10], sorted[len(sorted)*9/10]
		for i, p := range peaks {
			h.voice[i] = p > low+(high-low)/6
		}
	}
	for _, v := range h.voice {
		if v {
			h.count++
		}
	}
	if h.count == 0 { // all of it is as loud
		for i := range h.voice {
			h.voice[i] = true
		}
		h.count = len(h.voice)
	}
	return h
}

func (h heard) step(i int) int { return i * h.ms / len(h.voice) }

// at is when so much of what is said has been said, from 0 to 1.
func (h heard) at(share float64) int {
	want := share * float64(h.count)
	passed := 0.0
	for i, v := range h.voice {
		if !v {
			continue
		}
		if passed+1 > want {
			return h.step(i) + int((want-passed)*float64(h.ms)/float64(len(h.voice)))
		}
		passed++
	}
	for i := len(h.voice) - 1; i > 0; i-- {
		if h.voice[i] {
			return h.step(i + 1)
		}
	}
	return h.ms
}

// near is how far from where a sentence should end its pause may be, in milliseconds.
const near = 1500

// quiet returns the pause about a time: the longest nearby, the same time twice for none.
func (h heard) quiet(at int) (from, to int) {
	best := 0.0
	from, to = at, at
	for i := 0; i < len(h.voice); {
		if h.voice[i] {
			i++
			continue
		}
		k := i
		for k < len(h.voice) && !h.voice[k] {
			k++
		}
		a, b := h.step(i), h.step(k)
		if away := max(a-at, at-b, 0); away < near && i > 0 && k < len(h.voice) {
			if worth := float64(b-a) / float64(300+away); worth > best {
				best, from, to = worth, a, b
			}
		}
		i = k
	}
	return from, to
}

// VTT writes captions as WebVTT (W3C, WebVTT: The Web Video Text Tracks Format).
func VTT(cues []Cue) string {
	var b strings.Builder
	b.WriteString("WEBVTT\n")
	for _, c := range cues {
		fmt.Fprintf(&b, "\n%s --> %s\n%s\n", stamp(c.From), stamp(max(c.To, c.From+1)), escaped.Replace(c.Text))
	}
	return b.String()
}

var escaped = strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;")

func stamp(ms int) string {
	return fmt.Sprintf("%02d:%02d:%02d.%03d", ms/3600000, ms/60000%60, ms/1000%60, ms%1000)
}
