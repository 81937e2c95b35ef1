// Package aloud knows how what is printed is said: in which sentences, and each word in
// the form in which people say it. It also says what an engine of speech has to do; how
// one does it is not its concern.
package aloud

import (
	"cmp"
	"context"
	"errors"
	"strings"
	"unicode"
	"unicode/utf8"

	"readymargin/core/language"
)

// A Token is a printed word, or a place to write with what stands in it.
type Token struct {
	Text  string `json:"t"`
	Place bool   `json:"p,omitempty"`
}

// A Sentence is what is said in one breath.
type Sentence struct {
	From int    `json:"from"` // its first token
	To   int    `json:"to"`   // the one behind its last
	Text string `json:"text"` // as it is said
	At   []int  `json:"at"`   // for each of its tokens, the letter of Text where it begins, from 0; -1 where nothing is said of it
}

// A Moment is when a part of a text is said.
type Moment struct {
	Letter int `json:"letter"` // of the text, where the part begins, from 0
	From   int `json:"from"`   // milliseconds from the beginning of the sound
	To     int `json:"to"`     // the same
}

// Speech is a text that was said: the sound, and when each of its words begins.
type Speech struct {
	WAV   []byte
	Words []Moment // in the order of their times
}

// An Engine says texts. Language is a BCP 47 tag; one that it does not speak is
// ErrLanguage, and that it cannot be reached ErrAway. aloudtest.Conform is what every
// one of them keeps.
type Engine interface {
	Say(ctx context.Context, text, language string) (Speech, error)
}

// What can be wrong.
var (
	ErrLanguage = errors.New("aloud: there is no voice for this language")
	ErrAway     = errors.New("aloud: the engine of speech cannot be reached")
)

// Most is how many letters are said at a time.
const Most = 1200

const breath = 40 // tokens; a sentence that is longer is said in parts

// Sentences parts what is printed into sentences and says how they are said in a
// language.
func Sentences(tokens []Token, language string) (out []Sentence) {
	w := wordsOf(language)
	for from := 0; from < len(tokens); {
		to := from + 1
		for to < len(tokens) && !ends(tokens[from:to]) && to-from < breath {
			to++
		}
		if s := w.sentence(tokens, from, to); strings.ContainsFunc(s.Text, isSaid) {
			out = append(out, s)
		}
		from = to
	}
	return out
}

// LanguageOf guesses in which language something is to be said: English where nothing tells.
func LanguageOf(tokens []Token) string {
	var all []string
	for _, t := range tokens {
		all = append(all, t.Text)
	}
	return cmp.Or(language.Guess(strings.Join(all, " ")), "en")
}

func isSaid(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) || r == '…' }

// ends reports whether a sentence ends with the last of some tokens.
func ends(tokens []Token) bool {
	last := tokens[len(tokens)-1]
	t := strings.TrimRight(last.Text, `"'”’)]»`)
	if last.Place || t == "" || len(tokens) == 1 && number.MatchString(last.Text) {
		return false
	}
	if strings.HasSuffix(t, ".") {
		return !abbreviated.MatchString(t)
	}
	return strings.HasSuffix(t, "!") || strings.HasSuffix(t, "?") || strings.HasSuffix(t, ":") || strings.HasSuffix(t, "。") || strings.HasSuffix(t, "؟") || strings.HasSuffix(t, "।")
}

// sentence says the tokens from one to before another.
func (w words) sentence(tokens []Token, from, to int) Sentence {
	s := Sentence{From: from, To: to, At: make([]int, to-from)}
	var b strings.Builder
	letters := 0
	for i := from; i < to; i++ {
		said := w.say(tokens, i, i == from)
		if said == "" {
			s.At[i-from] = -1
			continue
		}
		if letters > 0 {
			b.WriteByte(' ')
			letters++
		}
		s.At[i-from] = letters
		b.WriteString(said)
		letters += utf8.RuneCountInString(said)
	}
	s.Text = b.String()
	return s
}

// Times tells for each token of a sentence when it is said: from and to in milliseconds,
// {-1, -1} where nothing is said of it.
func (s Sentence) Times(said []Moment) [][2]int {
	out := make([][2]int, len(s.At))
	for i := range out {
		out[i] = [2]int{-1, -1}
	}
	for _, m := range said {
		of := -1
		for i, at := range s.At {
			if at >= 0 && at <= m.Letter {
				of = i
			}
		}
		if of < 0 {
			continue
		}
		if out[of][0] < 0 {
			out[of][0] = m.From
		}
		out[of][1] = max(out[of][1], m.To)
	}
	return out
}

// Settled returns the moments of words as an engine tells when each of them begins, in a
// sound of so many milliseconds and a text of so many letters: every word ends where the
// next one begins, and what is told of one place is one word.
func Settled(words []Moment, lasts, letters int) (out []Moment) {
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
