package school

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"readymargin/core/roster"
)

// OneLine brings what is a name or a title into order: white space of any kind
// becomes single spaces. It is not ok with more than so many letters, with
// signs that are none, or with letters that turn the direction of what follows.
func OneLine(s string, most int) (line string, ok bool) {
	line = strings.Join(strings.Fields(s), " ")
	for _, r := range line {
		if r == utf8.RuneError || unicode.IsControl(r) || unicode.Is(unicode.Bidi_Control, r) {
			return line, false
		}
	}
	return line, utf8.ValidString(line) && utf8.RuneCountInString(line) <= most
}

// Called returns a name of its parts, or the Problem "name".
func Called(given, family string) (roster.Name, error) {
	n := roster.Joined(given, family)
	if whole, ok := OneLine(n.Whole, 100); !ok || whole == "" {
		return n, Refuse("name", "name", n.Whole)
	}
	return n, nil
}

// Shorten returns the first letters of s, at most n.
func Shorten(s string, n int) string {
	r := []rune(s)
	return string(r[:min(len(r), n)])
}
