// Package dictation knows how what was spoken is written on a sheet: which words a
// recogniser is to expect there, and how numbers, units, signs and names are written. It
// knows English, of which there is a model.
package dictation

import (
	"slices"
	"strings"
	"unicode"

	"readymargin/core/aloud"
	"readymargin/core/speech"
)

// A Piece is a part of what is written.
type Piece struct {
	Text   string   `json:"text"`
	Joined bool     `json:"joined,omitempty"` // no space stands before it
	Unsure bool     `json:"unsure,omitempty"`
	Others []string `json:"others,omitempty"` // what may be meant instead, the likeliest first
}

// Spoken returns the ways in which a printed passage is said, each as words of small
// letters.
func Spoken(passage string) (ways [][]string) {
	var tokens []aloud.Token
	for f := range strings.FieldsSeq(passage) {
		if strings.Trim(f, "_.…") != "" {
			tokens = append(tokens, aloud.Token{Text: f})
		}
	}
	ways = [][]string{nil}
	for _, s := range aloud.Sentences(tokens, "en") {
		for f := range strings.FieldsSeq(s.Text) {
			f = strings.ToLower(strings.Trim(f, ".,:;!?()[]“”\"‘’…"))
			said := []string{letters(f)}
			if strings.ContainsFunc(f, unicode.IsDigit) {
				said = numeral(f)
			}
			if len(said) == 0 || said[0] == "" {
				continue
			}
			if len(ways)*len(said) > 8 {
				said = said[:1]
			}
			var next [][]string
			for _, w := range said {
				for _, so := range ways {
					next = append(next, slices.Concat(so, strings.Fields(w)))
				}
			}
			ways = next
		}
	}
	if len(ways[0]) == 0 {
		return nil
	}
	return ways
}

// letters returns a word as dictionaries of pronunciation have it: with an apostrophe, in
// parts where it is joined; "" for what is none of the Latin alphabet's.
func letters(w string) string {
	w = strings.NewReplacer("’", "'", "-", " ", "–", " ", "/", " ").Replace(w)
	if strings.ContainsFunc(w, func(r rune) bool { return r != '\'' && r != ' ' && (r < 'a' || r > 'z') }) {
		return ""
	}
	return strings.Trim(w, "' ")
}

// A Writer writes what was said on a sheet.
type Writer struct {
	times map[string]string // times of the day by how they are said, as they are printed
	names map[string]string // words that are printed with large letters, by their small ones
}

// NewWriter returns one for a sheet with such passages.
func NewWriter(passages []string) Writer {
	w := Writer{map[string]string{}, map[string]string{}}
	small := map[string]bool{}
	for _, p := range passages {
		begins := true // a sentence
		for f := range strings.FieldsSeq(p) {
			first := begins
			begins = strings.ContainsAny(f[len(f)-1:], ".!?:")
			f = strings.Trim(f, ".,:;!?()[]“”\"‘’…")
			if strings.Contains(f, ":") {
				for _, way := range numeral(f) {
					w.times[way] = f
				}
			}
			switch lower := strings.ToLower(f); {
			case lower == f:
				small[f] = true
			case !first && letters(lower) == lower:
				w.names[lower] = f
			}
		}
	}
	for s := range small {
		delete(w.names, s)
	}
	w.names["i"] = "I"
	return w
}

// Write writes words as they are written on the sheet.
func (w Writer) Write(heard []speech.Word) (out []Piece) {
	said := make([]string, len(heard))
	for i, h := range heard {
		said[i] = strings.ToLower(h.Text)
	}
	for i := 0; i < len(said); {
		p, took := w.next(said, i)
		for _, h := range heard[i : i+took] {
			p.Unsure = p.Unsure || h.Certainty < speech.Unsure
		}
		if took == 1 {
			for _, o := range heard[i].Others {
				other, _ := w.next([]string{strings.ToLower(o)}, 0)
				if other.Text != p.Text {
					p.Others = append(p.Others, other.Text)
				}
			}
		}
		out, i = append(out, p), i+took
	}
	return out
}

// next writes what begins at a word, and says how many words it takes.
func (w Writer) next(said []string, i int) (p Piece, took int) {
	for n := min(4, len(said)-i); n > 0; n-- {
		run := strings.Join(said[i:i+n], " ")
		if t, is := w.times[run]; is {
			return Piece{Text: t}, n
		}
		if sign, is := commands[run]; is {
			return Piece{Text: sign, Joined: true}, n
		}
	}
	if text, n := counted(said[i:]); n > 0 {
		for k := min(3, len(said)-i-n); k > 0; k-- {
			if sign, is := units[strings.Join(said[i+n:i+n+k], " ")]; is {
				if sign == "%" || strings.HasPrefix(sign, "°") {
					return Piece{Text: text + sign}, n + k
				}
				return Piece{Text: text + " " + sign}, n + k
			}
		}
		// A small number in a sentence is written as a word.
		if n > 1 || len(said) < 4 || len(text) > 1 {
			return Piece{Text: text}, n
		}
	}
	if name, is := w.names[said[i]]; is {
		return Piece{Text: name}, 1
	}
	return Piece{Text: said[i]}, 1
}

// Marked puts pieces together, those of which one is not sure in brackets, to be looked at.
func Marked(pieces []Piece) string {
	all := slices.Clone(pieces)
	for i, p := range all {
		if p.Unsure {
			all[i].Text = "[" + p.Text + "?]"
		}
	}
	return Text(all)
}

// Text puts pieces together.
func Text(pieces []Piece) string {
	var b strings.Builder
	for i, p := range pieces {
		if i > 0 && !p.Joined && !strings.HasSuffix(b.String(), "\n") {
			b.WriteByte(' ')
		}
		b.WriteString(p.Text)
	}
	return b.String()
}
