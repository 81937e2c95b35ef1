package blank

import (
	"fmt"
	"testing"

	"readymargin/core/words"
)

// How worksheets ask for marks, in four languages; invented sentences in the
// wording that is common practice, no source.
func TestHowAQuestionIsAnsweredByMarks(t *testing.T) {
	for said, want := range map[string]string{
		"Underline the ten verbs in the text.":                     "words 10",
		"Circle the right answer.":                                 "options 0",
		"Read the text and highlight all adjectives.":              "words 0",
		"Circle one word in each line that does not belong.":       "words 1 each",
		"Tick two pictures that show a wreck.":                     "options 2",
		"Choose the best answer.":                                  "options 0",
		"Match the words with the pictures.":                       "pairs 0",
		"Draw a line from each flag to its country.":               "pairs 0",
		"Draw a lighthouse.":                                       "draw 0",
		"Colour in the half that is under water.":                  "colour 0",
		"Unterstreiche die fünf Nomen.":                            "words 5",
		"Kreuze die richtige Antwort an.":                          "options 0",
		"Verbinde die Wörter mit den Bildern.":                     "pairs 0",
		"Zeichne ein Boot.":                                        "draw 0",
		"Souligne les trois verbes.":                               "words 3",
		"Entoure la bonne réponse.":                                "options 0",
		"Relie les mots aux images.":                               "pairs 0",
		"Colorie les poissons.":                                    "colour 0",
		"Subraya los cuatro verbos.":                               "words 4",
		"Rodea la respuesta correcta.":                             "options 0",
		"Une cada palabra con su imagen.":                          "pairs 0",
		"Mark is twelve years old. How old is his sister?":         " 0",
		"Circle A has a radius of 4 cm. What is its area?":         " 0",
		"Circle the verbs and write them into the table.":          " 0",
		"What does the word ‘ebb’ mean?":                           " 0",
		"How many lines can you draw through two points?":          " 0",
		"Explain why one draws a line from the buoy to the shore.": " 0",
	} {
		task, count, each := TaskOf(said)
		got := fmt.Sprint(task, " ", count)
		if each {
			got += " each"
		}
		if got != want {
			t.Errorf("%q: %q, not %q", said, got, want)
		}
	}
}

func TestHowManyMarksForEveryLine(t *testing.T) {
	var ws []words.Word
	add := func(line int, x, y float64, text ...string) { ws = append(ws, printed(line, x, y, text...)...) }
	add(0, 60, 100, "1.", "Circle", "two", "words", "in", "each", "line.")
	for i := range 4 {
		add(1+i, 80, 120+16*float64(i), "ebb", "flood", "rock", "tide", "surge")
	}
	add(5, 60, 220, "2.", "Underline", "one", "verb", "in", "every", "sentence.")
	for i, letter := range []string{"a)", "b)", "c)"} {
		add(6+i, 80, 240+20*float64(i), letter, "The", "keeper", "rows", "home.")
	}
	add(9, 60, 330, "3.", "Underline", "the", "verbs", "in", "your", "answer.")
	p := Page{Width: 595, Height: 842, Words: ws}
	got := map[string]int{}
	blanks := []Blank{{Baseline: 340, Kind: Line}} // what is written into is no such question
	blanks[0].Rect.Max.X = 300
	for _, q := range Questions(p, blanks) {
		if q.Task != "" {
			got[q.Number] = q.Count
		}
	}
	if want := map[string]int{"1.": 8, "2.": 3}; fmt.Sprint(got) != fmt.Sprint(want) {
		t.Errorf("%v, not %v", got, want)
	}
}
