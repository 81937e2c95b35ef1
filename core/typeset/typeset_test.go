package typeset

import (
	"strings"
	"testing"

	"readymargin/core/mark"
)

// The expected widths were read off the hmtx table of DejaVu Sans 2.37 with
// fontTools: Omega = 1565, Zhe (U+0416) = 2206 and the square root = 1305
// units of 2048.
func TestWidthsAreTheFonts(t *testing.T) {
	fs := Load()
	for _, c := range []struct {
		text string
		face string
	}{{"a", "clear-400-normal-latin"}, {"ő", "clear-400-normal-latin-ext"}, {"Ω", "signs"}, {"Ж", "signs"}, {"√", "signs"}, {"₂", "signs"}} {
		if g := fs.Shape(c.text, 10)[0]; g.Face.Name != c.face || g.Width <= 0 {
			t.Errorf("%s is set in %s, %v wide; want %s", c.text, g.Face.Name, g.Width, c.face)
		}
	}
	for text, units := range map[string]float64{"Ω": 1565, "Ж": 2206, "√": 1305} {
		if got := fs.Width(text, 2048); got != units {
			t.Errorf("%s is %v units wide, want %v", text, got, units)
		}
	}
	if a, b := fs.Width("Skerry", 14), fs.Width("Skerry", 28); b != 2*a {
		t.Errorf("twice the size is %v wide, want twice %v", b, a)
	}
}

// A zero is an oval with one counter and nothing through it, as wide as the
// font's own was: what the upstream files' hmtx tables have, in thousandths.
// With it widths were kept, and by them lines were broken.
func TestAZeroIsPlainAndAsWideAsItWas(t *testing.T) {
	wide := map[Look]float64{
		{}: 648, {Bold: true}: 659, {Italic: true}: 640, {Bold: true, Italic: true}: 656,
		{Font: "mono"}: 632, {Font: "mono", Bold: true}: 632, {Font: "mono", Italic: true}: 632, {Font: "mono", Bold: true, Italic: true}: 632,
		{Font: "serif"}: 579, {Font: "school"}: 585.9375,
	}
	for look, want := range wide {
		g := Of(look).Shape("0", 1000)[0]
		c, err := g.Face.SFNT.Glyf.Contour(g.ID)
		if err != nil || len(c.EndPoints) != 2 {
			t.Errorf("%+v: a zero of %d outlines (%v), want an oval and its counter", look, len(c.EndPoints), err)
		}
		if g.Width != want {
			t.Errorf("%+v: a zero %v wide, want %v", look, g.Width, want)
		}
	}
}

func TestWrapKeepsInsideAndLosesNothing(t *testing.T) {
	fs := Load()
	wrap := func(s string, size, width float64) (lines []string) {
		for _, runs := range WrapRuns([]mark.Run{{Text: s, Size: size}}, width) {
			line := ""
			for _, r := range runs {
				line += r.Text
			}
			lines = append(lines, strings.TrimRight(line, " "))
		}
		return lines
	}
	for _, s := range []string{
		"The range of the tide is four and a half metres, so this is a spring tide.",
		"Antidisestablishmentarianismandthensomemoreofit",
		"one\ntwo three four five six seven eight nine ten\n\nlast",
		"",
	} {
		lines := wrap(s, 14, 120)
		for _, l := range lines {
			if w := fs.Width(l, 14); w > 120 {
				t.Errorf("%q is %v wide", l, w)
			}
		}
		squeeze := strings.NewReplacer(" ", "", "\n", "").Replace
		if got := squeeze(strings.Join(lines, "")); got != squeeze(s) {
			t.Errorf("%q became %q", s, got)
		}
	}
	if got := wrap("a\n\nb", 14, 100); len(got) != 3 || got[1] != "" {
		t.Errorf("an empty line did not stay: %q", got)
	}
}

func TestMissingLettersAreNamed(t *testing.T) {
	for _, l := range []Look{{}, {Font: "serif", Bold: true}, {Font: "school", Italic: true}, {Font: "mono"}} {
		if got := Of(l).Unfit("H₂SO₄ ≥ 5 m, Здравствуй, καλημέρα, שלום 漢字 漢 👍 ꯃ 👍", map[rune]bool{}); string(got) != "👍ꯃ" {
			t.Errorf("%+v: unfit %q, want 👍ꯃ", l, string(got))
		}
	}
}

// Numbers stand in what runs to the left as they are read, and stay between what runs
// to the right (Unicode Standard Annex 9, 2.1).
func TestWhatIsSeenFromTheLeft(t *testing.T) {
	for s, want := range map[string]string{
		"abc": "abc", "שלום": "םולש", "a שלום b": "a םולש b", "שלום 123": "123 םולש", "x שלום 12,5 עולם y": "x םלוע 12,5 םולש y", "5 שלום": "5 םולש",
	} {
		got := ""
		for _, g := range Load().Shape(s, 10) {
			got += string(g.Rune)
		}
		if got != want {
			t.Errorf("%q is seen as %q, want %q", s, got, want)
		}
	}
	// Letters of Arabic join: alone each has another shape.
	word, alone := Load().Shape("بيت", 10), map[uint16]bool{}
	for _, r := range "بيت" {
		alone[Load().Shape(string(r), 10)[0].ID] = true
	}
	joined := 0
	for _, g := range word {
		if !alone[g.ID] {
			joined++
		}
	}
	if joined < 2 {
		t.Errorf("of %d shapes %d are joined", len(word), joined)
	}
}
