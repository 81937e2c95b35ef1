package optical

import (
	"strings"
	"testing"

	"readymargin/core/page"
	"readymargin/core/words"
)

func TestWhatAReaderSaysIsChecked(t *testing.T) {
	good := words.Word{Text: "ebb", Box: [4]float64{10, 10, 40, 24}, Baseline: 20, Line: 1, Edges: []float64{10, 20, 30, 40}, Sure: 0.9}
	for name, wrong := range map[string]func(*words.Word){
		"no letters":          func(w *words.Word) { w.Text = "" },
		"a space":             func(w *words.Word) { w.Text = "a b" },
		"far too long":        func(w *words.Word) { w.Text = strings.Repeat("a", 201) },
		"no width":            func(w *words.Word) { w.Box[2] = 10 },
		"beside the page":     func(w *words.Word) { w.Box[2] = 700 },
		"above it":            func(w *words.Word) { w.Box[1] = -40 },
		"an earlier line":     func(w *words.Word) { w.Line = -1 },
		"edges of another":    func(w *words.Word) { w.Edges = w.Edges[:3] },
		"edges that go back":  func(w *words.Word) { w.Edges = []float64{10, 30, 20, 40} },
		"sure by nothing":     func(w *words.Word) { w.Sure = 0 },
		"surer than possible": func(w *words.Word) { w.Sure = 2 },
	} {
		w := good
		wrong(&w)
		if Check([]words.Word{w}, page.Pt(595, 842)) == nil {
			t.Errorf("%s is believed", name)
		}
	}
	if err := Check([]words.Word{good, good}, page.Pt(595, 842)); err != nil {
		t.Error(err)
	}
	if Check(make([]words.Word, most+1), page.Pt(595, 842)) == nil {
		t.Error("a page of any length is believed")
	}
}
