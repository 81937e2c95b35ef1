package speech

import (
	"testing"
	"time"
)

func TestWhatARecogniserSaysIsChecked(t *testing.T) {
	good := []Word{{"ebb", 0, 400, 0.9}, {"tide", 500, 900, 0.3}}
	for name, c := range map[string]struct {
		words []Word
		good  bool
	}{
		"nothing said":         {nil, true},
		"words":                {good, true},
		"a word of nothing":    {[]Word{{"", 0, 1, 1}}, false},
		"a line break":         {[]Word{{"a\nb", 0, 1, 1}}, false},
		"backwards":            {[]Word{{"a", 500, 600, 1}, {"b", 100, 200, 1}}, false},
		"ends before it":       {[]Word{{"a", 500, 400, 1}}, false},
		"behind the end":       {[]Word{{"a", 0, 9000, 1}}, false},
		"more than certain":    {[]Word{{"a", 0, 1, 1.5}}, false},
		"before the beginning": {[]Word{{"a", -5, 1, 1}}, false},
	} {
		if err := Check(c.words, time.Second); (err == nil) != c.good {
			t.Errorf("%s: %v", name, err)
		}
	}
	if text := Text(good); text != "ebb [tide?]" {
		t.Errorf("together they are %q", text)
	}
}
