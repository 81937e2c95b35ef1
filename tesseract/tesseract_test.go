package tesseract

import (
	"errors"
	"strings"
	"testing"

	"readymargin/core/optical"
	"readymargin/core/optical/opticaltest"
)

func TestItReadsAsEveryReader(t *testing.T) { opticaltest.Conform(t, Reader{}) }

// What the program answers is taken apart, however odd.
func TestWhatItAnswersIsParsed(t *testing.T) {
	const line = `<span class='ocr_line' title="bbox 100 100 900 160; baseline 0 -10; x_size 50; x_descenders 10">`
	for name, c := range map[string]struct {
		answer, words string
		wrong         bool
	}{
		"a word": {`<div>` + line + `<span class='ocrx_word' title='bbox 100 110 200 150; x_wconf 90'><span class='ocrx_cinfo' title='x_bboxes 100 1 150 2'>A</span><span class='ocrx_cinfo' title='x_bboxes 150 1 200 2'>&amp;</span></span></span></div>`, "A&", false},
		"one of no width, one of no letters, one without a box": {line + `<span class='ocrx_word' title='bbox 100 110 100 150'>a</span><span class='ocrx_word' title='bbox 100 110 200 150'> </span><span class='ocrx_word' title='x_wconf 3'>b</span></span>`, "", false},
		"letters in slanted print":                              {line + `<span class='ocrx_word' title='bbox 100 110 200 150; x_wconf 90'><em><span class='ocrx_cinfo' title='x_bboxes 100 1 150 2'>e</span></em></span></span>`, "e", false},
		"numbers that are none":                                 {`<span class='ocr_line' title="bbox a b c d"><span class='ocrx_word' title='bbox 1 x'>a</span></span>`, "", false},
		"nothing":                                               {"", "", false},
		"no answer":                                             {"<a", "", true},
	} {
		ws, err := parse(strings.NewReader(c.answer), 4)
		var said []string
		for _, w := range ws {
			said = append(said, w.Text)
		}
		if (err != nil) != c.wrong || strings.Join(said, " ") != c.words || err != nil && !errors.Is(err, optical.ErrFailed) {
			t.Errorf("%s: %q, %v", name, said, err)
		}
	}
	ws, err := parse(strings.NewReader(line+`<span class='ocrx_word' title='bbox 100 110 200 150; x_wconf 90'>At</span></span>`), 4)
	if err != nil || len(ws) != 1 {
		t.Fatal(ws, err)
	}
	if w := ws[0]; w.Box != [4]float64{25, 27.5, 50, 40} || w.Baseline != 37.5 || w.Size != 12.5 || w.Sure != 0.9 || w.Line != 1 || len(w.Edges) != 2 {
		t.Errorf("it stands at %+v", w)
	}
}
