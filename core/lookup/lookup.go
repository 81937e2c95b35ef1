// Package lookup knows how a word is looked up: by its base forms, as it does not stand
// in a dictionary as it stands in a text. What a dictionary is made of is not its concern.
package lookup

import (
	"context"
	"errors"
	"slices"
	"strings"
	"unicode"
)

// A Part is a part of speech.
type Part string

const (
	Noun      Part = "noun"
	Verb      Part = "verb"
	Adjective Part = "adjective"
	Adverb    Part = "adverb"
)

// Parts lists them.
var Parts = []Part{Noun, Verb, Adjective, Adverb}

// A Sense is one of the things that a word means.
type Sense struct {
	Part    Part   `json:"part,omitempty"`
	Says    string `json:"says"`
	Example string `json:"example,omitempty"`
}

// Where an entry is from that no dictionary has.
const (
	Sheet  = "sheet"  // the sheet's own list
	Course = "course" // its course's
)

// An Entry is what a dictionary has of a word, or what a teacher says of it.
type Entry struct {
	Word    string  `json:"word"` // its base form
	Senses  []Sense `json:"senses"`
	From    string  `json:"from,omitempty"`    // Sheet or Course, "" for the dictionary
	Picture string  `json:"picture,omitempty"` // of the sheet's shelf, by its hash
}

// Means reports whether somebody who looks a word up means an entry of a list that a
// teacher has written: the same word, a form of it where it is English, or one of the
// words that it is made of.
func Means(entry, word, language string) bool {
	entry, word = Plain(entry), Plain(word)
	if entry == "" || word == "" {
		return false
	}
	forms := []string{word}
	if short, _, _ := strings.Cut(language, "-"); short == "en" {
		for _, p := range Parts {
			forms = append(forms, BaseForms(word, p, nil)...)
		}
	}
	return slices.ContainsFunc(forms, func(f string) bool { return f == entry || slices.Contains(strings.Fields(entry), f) })
}

// A Dictionary has the words of a language. A word that it does not have is ErrUnknown,
// a language that it is not of ErrLanguage.
type Dictionary interface {
	Look(ctx context.Context, word, language string) ([]Entry, error)
}

// What can be wrong.
var (
	ErrUnknown  = errors.New("lookup: the dictionary does not have this word")
	ErrLanguage = errors.New("lookup: there is no dictionary for this language")
)

// detached are the endings of inflected forms and what stands in their place in the base
// form: the rules of detachment of WordNet, morphy(7WN).
var detached = map[Part][][2]string{
	Noun:      {{"s", ""}, {"ses", "s"}, {"xes", "x"}, {"zes", "z"}, {"ches", "ch"}, {"shes", "sh"}, {"men", "man"}, {"ies", "y"}},
	Verb:      {{"s", ""}, {"ies", "y"}, {"es", "e"}, {"es", ""}, {"ed", "e"}, {"ed", ""}, {"ing", "e"}, {"ing", ""}},
	Adjective: {{"er", ""}, {"est", ""}, {"er", "e"}, {"est", "e"}},
}

// BaseForms returns what an English word may be a form of, as a part of speech: what
// irregular gives of it, or else itself and what is left when endings are taken off. It
// does not say whether there is such a word.
func BaseForms(word string, p Part, irregular []string) []string {
	if len(irregular) > 0 {
		return irregular
	}
	out := []string{word}
	for _, d := range detached[p] {
		if stem, ok := strings.CutSuffix(word, d[0]); ok && stem+d[1] != "" && !slices.Contains(out, stem+d[1]) {
			out = append(out, stem+d[1])
		}
	}
	return out
}

// Plain returns a word as it is looked up: in small letters and without the signs around
// it; "" for what is no word.
func Plain(s string) string {
	s = strings.ToLower(strings.TrimFunc(s, func(r rune) bool { return !unicode.IsLetter(r) }))
	s = strings.ReplaceAll(s, "’", "'")
	s = strings.TrimSuffix(s, "'s")
	if len(s) > 60 {
		return ""
	}
	return s
}
