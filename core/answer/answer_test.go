package answer_test

import (
	"slices"
	"testing"

	"readymargin/core/answer"
	"readymargin/core/blank"
	"readymargin/core/mark"
	"readymargin/core/worksheet"
)

func TestNormal(t *testing.T) {
	for _, same := range [][]string{
		{"5.5 m", "5,5 m", " 5.50  m ", "5.5m", "+5,5m", "05.5 m", "５.５ m", "5.5 m.", "550 cm", "0.0055 km", "5500 mm", "5 500 mm"},
		{"-0.25", "−0,25", "–0.250"},
		{"0", "-0", "0.0", "00,00"},
		{"straße", "STRASSE", "Straße"},
		{"café", "cafe\u0301", "CAFÉ"}, // UAX 15, figure 3: one letter, or a letter and its accent
		{"ﬁsh", "fish", "FISH"},        // UAX 15, figure 6: a ligature
		{"it's", "It’s"},
		{"the ebb tide", "The  ebb\ntide", "The ebb tide."},
		// The International System of Units, 9th edition, tables 4, 7 and 8.
		{"1 h", "60 min", "3600 s"}, {"1 d", "24 h"}, {"1 ha", "10 000 m²", "0.01 km2", "0.01 km^2"}, {"1 L", "1 l", "1 dm3", "1000 cm³", "1000 mL"}, {"1 t", "1000 kg"},
		{"36 km/h", "10 m/s", "10 m s-1", "10 m·s⁻¹"}, {"2 kJ", "2000 J"}, {"3 µm", "3 μm", "0.003 mm"}, {"1 nmi", "1852 m"}, {"10 kn", "18.52 km/h"}, // common practice at sea
		{"214°", "214 °", "214º"}, {"30'", "0.5°"}, {"20 °C", "20 ℃"}, {"12 %", "12%"},
		{"3 apples", "3 Apples", "3  apples."},
		{"10³", "10^3"}, {"x⁻¹", "x^-1"}, {"H₂O", "H2O"}, {"Ca(OH)₂", "Ca(OH)2"},
	} {
		for _, s := range same[1:] {
			if a, b := answer.Normal(same[0]), answer.Normal(s); a != b {
				t.Errorf("%q is %q and %q is %q", same[0], a, s, b)
			}
		}
	}
	for _, other := range [][2]string{{"5.5", "55"}, {"1.5 m", "1.5 km"}, {"5", "-5"}, {"1.000", "1.001"}, {"12.5.2026", "12.52026"}, {"1, 2", "1.2"}, {"cafe", "café"}, {"", "0"},
		{"10²", "102"}, {"10^2", "102"}, {"x²", "x2"}, {"log₂8", "log28"}, {"x₂", "x^2"}, {"1½", "11/2"}, {"5 mW", "5 MW"}, {"5 m", "5 M"}, {"5 m", "5"}, {"5 m", "5 m²"}, {"5 Hz", "5 Bq"}, {"5 J", "5 N m"}, {"20 °C", "20 K"},
		{"3 kg", "3 km"}, {"5 MM", "5 mm"}, {"1 m/s", "1 m s"}, {"1 000", "1.000"}, {"06:40", "6.40"}, {"3 apples", "3 pears"}, {"3 V", "3 v"}, {"2 h", "2 H"}} {
		if a, b := answer.Normal(other[0]), answer.Normal(other[1]); a == b {
			t.Errorf("%q and %q are both %q", other[0], other[1], a)
		}
	}
}

func TestAnswersGoByTheBlankThatWasNamed(t *testing.T) {
	pages := []worksheet.Guide{{}, {
		Blanks: []worksheet.Blank{
			{ID: "blank-one", Rect: worksheet.Box{100, 100, 200, 120}, Baseline: 115, Kind: blank.Line},
			{ID: "blank-two", Rect: worksheet.Box{100, 140, 200, 160}, Baseline: 155, Kind: blank.Line},
			{ID: "blank-tick", Rect: worksheet.Box{300, 140, 312, 152}, Baseline: 150, Kind: blank.Tick},
			{ID: "blank-name", Rect: worksheet.Box{400, 20, 500, 40}, Baseline: 36, Kind: blank.Line, Holds: blank.Name},
			{ID: "blank-shown", Rect: worksheet.Box{400, 300, 500, 320}, Baseline: 315, Kind: blank.Line},
			{ID: "blank-empty", Rect: worksheet.Box{400, 400, 500, 420}, Baseline: 415, Kind: blank.Line},
		},
		Questions: []worksheet.Question{{ID: "question-1", Number: "1.", Rect: worksheet.Box{50, 90, 300, 100}}},
	}}
	text := func(id, blank string, x, y float64, s string) mark.Mark {
		return mark.Mark{ID: id, Page: 2, Blank: blank, Body: &mark.FreeText{X: x, Y: y, Lines: []mark.TextLine{{Runs: []mark.Run{{Text: s, Size: 12, Color: "#000000"}}, Hard: true}}}}
	}
	on := text("mark-on", "blank-one", 60, 120, "on and on") // goes on on a page that was added
	on.Page = 3
	got := answer.Of(pages, []mark.Mark{
		on,
		text("mark-name", "blank-name", 402, 36, "Ines"),       // is no answer
		text("mark-moved", "blank-one", 102, 155, "Ebb"),       // over the second blank, and still the first one's
		text("mark-free", "", 102, 115, "and flow"),            // names none, and begins in the first
		text("mark-gone", "blank-deleted", 102, 155, "spring"), // its blank was taken away, and it lies in the second
		{ID: "mark-tick", Page: 2, Body: &mark.Stamp{Name: "tick", Color: "#000000", Rect: [4]float64{300, 140, 312, 152}}},
		{ID: "mark-shown", Page: 2, Body: &mark.Picture{Hash: "x", Name: "done elsewhere", Words: "4.5 m", Rect: [4]float64{401, 301, 440, 318}}}, // of another program
		{ID: "mark-drawn", Page: 2, Blank: "blank-two", Body: &mark.Square{Shape: mark.Shape{Color: "#000000", Width: 1, Opacity: 1}, Rect: [4]float64{110, 141, 120, 151}}},
	})
	want := []answer.Answer{
		{Blank: "blank-one", Question: "question-1", Text: "and flow\nEbb\non and on", Normal: "and flow ebb on and on"},
		{Blank: "blank-two", Question: "question-1", Text: "spring", Normal: "spring", Drawn: true},
		{Blank: "blank-tick", Question: "question-1", Text: "tick", Normal: "tick"},
		{Blank: "blank-shown", Question: "question-1", Text: "4.5 m", Normal: answer.Normal("4.5 m")},
	}
	if !slices.Equal(got, want) {
		t.Errorf("answers:\n%+v\nwant\n%+v", got, want)
	}
}

// What a class may have written, sorted by hand into what says the same: nothing
// that differs is gathered, and little that is the same is missed.
func TestGathering(t *testing.T) {
	missed, pairs := 0, 0
	for question, classes := range map[string][][]string{
		"height of the tide": {{"4.5 m", "4,5m", "4.50 m", "450 cm", "4,5 M"}, {"4.5"}, {"4.5 ft"}, {"5.4 m", "5,4 m", "5.4m"}, {"45 m"}, {"4 m 5"}, {"about 4.5 m", "ca. 4.5 m"}, {"four and a half metres"}, {"-4.5 m"}},
		"kind of tide":       {{"spring", "Spring", "spring tide", "SPRING ", "a spring"}, {"springs"}, {"neap", "Neap", "neap."}, {"high"}, {"spring or neap"}, {"nepa"}},
		"speed":              {{"36 km/h", "36km/h", "10 m/s", "36 kmh", "36 KM/H"}, {"36 m/s"}, {"36 km"}, {"3.6 km/h"}, {"10 m/s²"}, {"10 kn"}},
		"water":              {{"H₂O", "H2O", "h2o"}, {"H²O"}, {"HO2"}, {"water", "Water"}},
		"power of ten":       {{"10^3", "10³"}, {"1000", "1 000"}, {"103"}, {"10^-3", "10⁻³"}, {"10-3"}},
		"time":               {{"06:40", "6:40", "6.40", "06.40"}, {"06:04"}, {"18:40"}, {"640"}},
		"bearing":            {{"214°", "214 °", "214"}, {"214° T"}, {"034°", "34°"}, {"241°"}},
		"accents":            {{"marée", "Marée", "mare\u0301e"}, {"maree"}, {"mare"}},
	} {
		for i, class := range classes {
			for k, a := range class {
				for _, b := range class[k+1:] {
					pairs++
					if answer.Normal(a) != answer.Normal(b) {
						missed++
					}
				}
				for _, other := range classes[i+1:] {
					for _, b := range other {
						if answer.Normal(a) == answer.Normal(b) {
							t.Errorf("%s: %q and %q are gathered, as %q", question, a, b, answer.Normal(a))
						}
					}
				}
			}
		}
	}
	t.Logf("of %d pairs that say the same %d are missed", pairs, missed)
	if missed*2 > pairs {
		t.Errorf("of %d pairs that say the same %d are missed", pairs, missed)
	}
}
