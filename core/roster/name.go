package roster

import (
	"cmp"
	"slices"
	"strings"
	"unicode"

	"golang.org/x/text/collate"
	"golang.org/x/text/language"
	"golang.org/x/text/runes"
	"golang.org/x/text/transform"
	"golang.org/x/text/unicode/norm"
)

// A Name is what somebody is called: the whole, as it is said, and its parts, by
// which lists are sorted.
type Name struct{ Whole, Given, Family string }

// Split returns a name whose family name is its last word, which is right for
// most and is put right by hand for the others.
func Split(whole string) Name {
	whole = strings.Join(strings.Fields(whole), " ")
	at := strings.LastIndex(whole, " ")
	return Name{whole, strings.TrimSpace(whole[:max(at, 0)]), whole[at+1:]}
}

// Joined returns a name of its parts.
func Joined(given, family string) Name {
	given, family = strings.Join(strings.Fields(given), " "), strings.Join(strings.Fields(family), " ")
	return Name{strings.TrimSpace(given + " " + family), given, family}
}

// plain are letters that are no other letter with an accent. Common practice, no
// source.
var plain = strings.NewReplacer("ß", "ss", "æ", "ae", "œ", "oe", "ø", "o", "ł", "l", "đ", "d", "ð", "d", "þ", "th", "ħ", "h", "ı", "i", "ŋ", "n")

// Login returns what somebody of a name signs in with: lower case, words joined by
// points, letters without their accents, as any keyboard has them. Letters of other
// scripts stay. "" where nothing is left.
func Login(whole string) string {
	bare := transform.Chain(norm.NFD, runes.Remove(runes.In(unicode.Mn)), norm.NFC)
	if text, _, err := transform.String(bare, whole); err == nil && latin(text) {
		whole = text
	}
	var words []string
	for _, w := range strings.Fields(plain.Replace(strings.ToLower(whole))) {
		w = strings.Map(func(r rune) rune {
			if unicode.IsLetter(r) || unicode.IsDigit(r) || unicode.IsMark(r) || r == '-' {
				return r
			}
			return -1
		}, w)
		if w != "" {
			words = append(words, w)
		}
	}
	return strings.Join(words, ".")
}

// latin reports whether all letters are of the Latin script: in others a mark may be
// a vowel, and is none to be left out.
func latin(text string) bool {
	return strings.IndexFunc(text, func(r rune) bool { return unicode.IsLetter(r) && !unicode.Is(unicode.Latin, r) }) < 0
}

// An Order is by what a list of people is sorted.
type Order string

// The orders of a list; the first is the usual one.
const (
	ByFamily  Order = "family"
	ByGiven   Order = "given"
	BySection Order = "section"
	ByLogin   Order = "login"
)

// Sort sorts people by an order, and by family and given name where that does not
// tell them apart; letters with accents lie beside those without.
func Sort[T any](people []T, by Order, of func(T) (name Name, section, login string)) {
	c := collate.New(language.Und, collate.Loose, collate.Numeric)
	keys := func(p T) []string {
		n, section, login := of(p)
		switch by {
		case ByGiven:
			return []string{n.Given, n.Family}
		case BySection:
			return []string{section, n.Family, n.Given}
		case ByLogin:
			return []string{login}
		}
		return []string{n.Family, n.Given}
	}
	slices.SortStableFunc(people, func(a, b T) int {
		x, y := keys(a), keys(b)
		for i := range x {
			if d := c.CompareString(x[i], y[i]); d != 0 {
				return d
			}
			if d := cmp.Compare(x[i], y[i]); d != 0 && i == len(x)-1 {
				return d
			}
		}
		return 0
	})
}
