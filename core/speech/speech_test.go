package speech

import (
	"strings"
	"testing"
	"time"
)

func TestWhatARecogniserSaysIsChecked(t *testing.T) {
	good := []Word{{Text: "ebb", To: 400, Certainty: 0.9}, {Text: "tide", From: 500, To: 900, Certainty: 0.3}}
	for name, c := range map[string]struct {
		words []Word
		good  bool
	}{
		"nothing said":         {nil, true},
		"words":                {good, true},
		"a word of nothing":    {[]Word{{Text: "", From: 0, To: 1, Certainty: 1}}, false},
		"a line break":         {[]Word{{Text: "a\nb", From: 0, To: 1, Certainty: 1}}, false},
		"backwards":            {[]Word{{Text: "a", From: 500, To: 600, Certainty: 1}, {Text: "b", From: 100, To: 200, Certainty: 1}}, false},
		"ends before it":       {[]Word{{Text: "a", From: 500, To: 400, Certainty: 1}}, false},
		"behind the end":       {[]Word{{Text: "a", From: 0, To: 9000, Certainty: 1}}, false},
		"more than certain":    {[]Word{{Text: "a", From: 0, To: 1, Certainty: 1.5}}, false},
		"before the beginning": {[]Word{{Text: "a", From: -5, To: 1, Certainty: 1}}, false},
	} {
		if err := Check(c.words, time.Second); (err == nil) != c.good {
			t.Errorf("%s: %v", name, err)
		}
	}
	for heard, want := range map[string]int{"the ebb tide": 0, "the tide": 1, "the web tide": 1, "ebb": 2, "": 3, "the the ebb tide now": 2} {
		if got := Wrong([]string{"the", "ebb", "tide"}, strings.Fields(heard)); got != want {
			t.Errorf("%q for \"the ebb tide\" is %d wrong, want %d", heard, got, want)
		}
	}
}
