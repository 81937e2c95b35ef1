package dictionary

import (
	"bufio"
	"context"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"readymargin/core/lookup"
)

func open(t *testing.T) *WordNet {
	t.Helper()
	w, err := Open(Where)
	if err != nil {
		t.Fatal(err)
	}
	return w
}

// Words of the demo's sheets, with the meanings that stand in WordNet 3.0.
func TestLook(t *testing.T) {
	w, ctx := open(t), context.Background()
	for _, c := range []struct {
		word, base string
		part       lookup.Part
		says       string
	}{
		{"tide", "tide", lookup.Noun, "the periodic rise and fall of the sea level under the gravitational pull of the moon"},
		{"Tides,", "tide", lookup.Noun, "the periodic rise and fall"},
		{"dries", "dry", lookup.Verb, "remove the moisture from"},
		{"feet", "foot", lookup.Noun, "the part of the leg of a human being below the ankle joint"},
		{"deeper", "deep", lookup.Adjective, "relatively deep or strong"},
		{"bearings", "bearing", lookup.Noun, "relevant relation"},
		{"went", "go", lookup.Verb, "change location"},
		{"quickly", "quickly", lookup.Adverb, "with rapid movements"},
		{"(“sill”)", "sill", lookup.Noun, "structural member"},
		{"a", "a", lookup.Noun, "a metric unit of length equal to one ten billionth of a meter"}, // the index's first line of words
		{"zymurgy", "zymurgy", lookup.Noun, "the branch of chemistry concerned with fermentation"},
	} {
		entries, err := w.Look(ctx, c.word, "en-GB")
		if err != nil {
			t.Errorf("%s: %v", c.word, err)
			continue
		}
		found := false
		for _, e := range entries {
			for _, s := range e.Senses {
				found = found || e.Word == c.base && s.Part == c.part && strings.Contains(s.Says, c.says)
			}
		}
		if !found {
			t.Errorf("%s: %+v, want %s, %s: %s", c.word, entries, c.base, c.part, c.says)
		}
	}
	for word, want := range map[string]error{"": lookup.ErrUnknown, "…": lookup.ErrUnknown, "skerrymouthish": lookup.ErrUnknown, strings.Repeat("a", 5000): lookup.ErrUnknown, "zzzz": lookup.ErrUnknown, "../../etc": lookup.ErrUnknown} {
		if e, err := w.Look(ctx, word, "en"); !errors.Is(err, want) {
			t.Errorf("%q: %v, %v", word, e, err)
		}
	}
	if _, err := w.Look(ctx, "Haus", "de"); !errors.Is(err, lookup.ErrLanguage) {
		t.Errorf("a German word: %v", err)
	}
}

// Every irregular form in WordNet's own lists leads to its base form where the dictionary
// has that one.
func TestIrregularForms(t *testing.T) {
	w := open(t)
	for part, name := range files {
		f, err := os.Open(filepath.Join(Where, name+".exc"))
		if err != nil {
			t.Fatal(err)
		}
		defer f.Close()
		lines, n, missed := bufio.NewScanner(f), 0, 0
		for lines.Scan() {
			all := strings.Fields(lines.Text())
			for _, base := range all[1:] {
				n++
				forms := lookup.BaseForms(all[0], part, w.irregular[part][all[0]])
				ok := false
				for _, form := range forms {
					ok = ok || form == base
				}
				if !ok {
					missed++
					t.Errorf("%s: %v, want %s", all[0], forms, base)
				}
			}
		}
		t.Logf("%s: %d irregular forms, %d missed", part, n, missed)
	}
}

// Files that are not what they should be are told of; nothing is found in them.
func TestADictionaryThatIsNone(t *testing.T) {
	if _, err := Open(t.TempDir()); !errors.Is(err, os.ErrNotExist) {
		t.Errorf("an empty folder: %v", err)
	}
	dir := t.TempDir()
	for _, name := range files {
		for _, file := range []string{"index." + name, "data." + name, name + ".exc"} {
			if err := os.WriteFile(filepath.Join(dir, file), []byte("tide n\ntide\n\n  1 x"), 0o644); err != nil {
				t.Fatal(err)
			}
		}
	}
	w, err := Open(dir)
	if err != nil {
		t.Fatal(err)
	}
	if e, err := w.Look(context.Background(), "tide", "en"); !errors.Is(err, lookup.ErrUnknown) {
		t.Errorf("%v, %v", e, err)
	}
}
