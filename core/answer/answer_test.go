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
		{"5.5 m", "5,5 m", " 5.50  M ", "5.5m", "+5,5m", "05.5 m", "５.5 m"},
		{"-0.25", "−0,25", "–0.250"},
		{"0", "-0", "0.0", "00,00"},
		{"straße", "STRASSE", "Straße"},
		{"café", "cafe\u0301", "CAFÉ"}, // UAX 15, figure 3: one letter, or a letter and its accent
		{"ﬁsh", "fish", "FISH"},        // UAX 15, figure 6: a ligature
		{"it's", "It’s"},
		{"the ebb tide", "The  ebb\ntide"},
	} {
		for _, s := range same[1:] {
			if a, b := answer.Normal(same[0]), answer.Normal(s); a != b {
				t.Errorf("%q is %q and %q is %q", same[0], a, s, b)
			}
		}
	}
	for _, other := range [][2]string{{"5.5", "55"}, {"1.5 m", "1.5 km"}, {"5", "-5"}, {"1.000", "1.001"}, {"12.5.2026", "12.52026"}, {"1, 2", "1.2"}, {"cafe", "café"}, {"", "0"}} {
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
		{ID: "mark-drawn", Page: 2, Blank: "blank-two", Body: &mark.Square{Shape: mark.Shape{Color: "#000000", Width: 1, Opacity: 1}, Rect: [4]float64{110, 141, 120, 151}}},
	})
	want := []answer.Answer{
		{Blank: "blank-one", Question: "question-1", Text: "and flow\nEbb\non and on", Normal: "and flow ebb on and on"},
		{Blank: "blank-two", Question: "question-1", Text: "spring", Normal: "spring", Drawn: true},
		{Blank: "blank-tick", Question: "question-1", Text: "tick", Normal: "tick"},
	}
	if !slices.Equal(got, want) {
		t.Errorf("answers:\n%+v\nwant\n%+v", got, want)
	}
}
