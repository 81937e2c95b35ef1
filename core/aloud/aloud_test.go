package aloud

import (
	"strings"
	"testing"
)

func tokens(s string) (out []Token) {
	for _, f := range strings.Fields(s) {
		if in, ok := strings.CutPrefix(f, "@"); ok {
			out = append(out, Token{Text: strings.ReplaceAll(in, "_", " "), Place: true})
		} else {
			out = append(out, Token{Text: f})
		}
	}
	return out
}

// How numbers, units and signs are said follows how the International System of Units
// (the SI Brochure of the BIPM, 9th edition, 5.4: unit names) writes the names out in
// English and French; the rest is common practice, no source.
func TestAsPeopleSayIt(t *testing.T) {
	for _, c := range []struct{ lang, print, said string }{
		{"en", "The depth is 3.5 m at 20 °C.", "The depth is 3.5 metres at 20 degrees Celsius."},
		{"en", "1 m and 2 m²", "1 metre and 2 square metres"},
		{"en", "Steer 214° for 10% of 4kg.", "Steer 214 degrees for 10 per cent of 4 kilograms."},
		{"en", "H₂O and Ca²⁺ at 10⁻³", "H 2 O and Ca 2 plus at 10 to the power of minus 3"},
		{"en", "x² + y³ = −4", "x squared plus y cubed equals minus 4"},
		{"en", "(ii) Write • ____ here", "2, Write here"},
		{"en", "The range is @4.5 m", "The range is blank, 4.5, m"},
		{"en", "so this is a @ tide", "so this is a blank tide"},
		{"de", "Die Tiefe ist 3,5 m und 1 km²", "Die Tiefe ist 3,5 Meter und 1 Quadratkilometer"},
		{"de", "5 · 3 = @", "5 mal 3 gleich Lücke"},
		{"fr", "Il y a 3,5 m et 20 °C", "Il y a 3,5 mètres et 20 degrés Celsius"},
		{"es", "Mide 3,5 m y pesa 2 kg", "Mide 3,5 metros y pesa 2 kilogramos"},
		{"fi", "Syvyys on 3,5 m", "Syvyys on 3,5 m"},
	} {
		got := Sentences(tokens(c.print), c.lang)
		if len(got) != 1 || got[0].Text != c.said {
			t.Errorf("%s %q is said %+v, want %q", c.lang, c.print, got, c.said)
		}
	}
}

func TestSentences(t *testing.T) {
	for _, c := range []struct {
		print string
		want  []string
	}{
		{"1. Read it. Then write: 3 m. And? Yes", []string{"1, Read it.", "Then write:", "3 metres.", "And?", "Yes"}},
		{"Mr. Pugh, e.g. J. R. Hart, came. He went.", []string{"Mr. Pugh, e.g. J. R. Hart, came.", "He went."}},
		{"____ · ....", nil},
		{strings.Repeat("word ", 90), []string{strings.TrimSpace(strings.Repeat("word ", 40)), strings.TrimSpace(strings.Repeat("word ", 40)), strings.TrimSpace(strings.Repeat("word ", 10))}},
	} {
		var got []string
		at := 0
		for _, s := range Sentences(tokens(c.print), "en") {
			got = append(got, s.Text)
			if s.From < at || s.To <= s.From || len(s.At) != s.To-s.From {
				t.Errorf("%q: sentence %+v", c.print, s)
			}
			at = s.To
		}
		if strings.Join(got, "|") != strings.Join(c.want, "|") {
			t.Errorf("%q: %q, want %q", c.print, got, c.want)
		}
	}
}

// Of a word that is said as several, the first begins it and the last ends it.
func TestTimesOfTokens(t *testing.T) {
	s := Sentences(tokens("Steer 214° · now"), "en")[0] // Steer 214 degrees now
	got := s.Times([]Moment{{0, 0, 300}, {6, 300, 900}, {10, 900, 1300}, {18, 1300, 1600}})
	if want := [][2]int{{0, 300}, {300, 1300}, {-1, -1}, {1300, 1600}}; len(got) != 4 || got[0] != want[0] || got[1] != want[1] || got[2] != want[2] || got[3] != want[3] {
		t.Errorf("%v, want %v", got, want)
	}
}
