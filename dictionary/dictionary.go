// Package dictionary reads the dictionary that Debian carries, WordNet, from its files:
// wndb(5WN) and wninput(5WN) say how these are written. It looks into them where they
// are, and keeps none of them in memory but the irregular forms.
package dictionary

import (
	"bufio"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"golang.org/x/text/language"

	"readymargin/core/lookup"
)

// A WordNet is one that is open.
type WordNet struct {
	index, data map[lookup.Part]*os.File
	irregular   map[lookup.Part]map[string][]string
}

var _ lookup.Dictionary = (*WordNet)(nil)

// Where is where Debian's wordnet-base puts it.
const Where = "/usr/share/wordnet"

var files = map[lookup.Part]string{lookup.Noun: "noun", lookup.Verb: "verb", lookup.Adjective: "adj", lookup.Adverb: "adv"}

// Open opens the files of a folder.
func Open(dir string) (*WordNet, error) {
	w := &WordNet{map[lookup.Part]*os.File{}, map[lookup.Part]*os.File{}, map[lookup.Part]map[string][]string{}}
	for part, name := range files {
		var err1, err2, err3 error
		w.index[part], err1 = os.Open(filepath.Join(dir, "index."+name))
		w.data[part], err2 = os.Open(filepath.Join(dir, "data."+name))
		w.irregular[part], err3 = exceptions(filepath.Join(dir, name+".exc"))
		if err := errors.Join(err1, err2, err3); err != nil {
			return nil, fmt.Errorf("dictionary: wordnet-base is needed (apt-get install wordnet-base): %w", err)
		}
	}
	return w, nil
}

// exceptions reads a list of irregular forms with their base forms.
func exceptions(name string) (map[string][]string, error) {
	f, err := os.Open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	out := map[string][]string{}
	lines := bufio.NewScanner(f)
	for lines.Scan() {
		if all := strings.Fields(lines.Text()); len(all) > 1 {
			out[all[0]] = append(out[all[0]], all[1:]...)
		}
	}
	return out, lines.Err()
}

// How much is told of a word.
const (
	mostEntries = 3
	mostSenses  = 3 // of a part of speech
)

// found is a base form as a part of speech.
type found struct {
	word   string
	part   lookup.Part
	synset []int64 // offsets of its senses, the commonest first
	tagged int     // senses that were met in texts
}

// Look returns what there is of a word, its commonest base form first.
func (w *WordNet) Look(_ context.Context, word, tag string) ([]lookup.Entry, error) {
	if base, _ := language.Make(tag).Base(); base.String() != "en" {
		return nil, lookup.ErrLanguage
	}
	word = lookup.Plain(word)
	if word == "" {
		return nil, lookup.ErrUnknown
	}
	var all []found
	for _, part := range lookup.Parts {
		for _, base := range lookup.BaseForms(word, part, w.irregular[part][word]) {
			f, err := w.find(base, part)
			if err != nil {
				return nil, err
			}
			if len(f.synset) > 0 {
				all = append(all, f)
			}
		}
	}
	slices.SortStableFunc(all, func(a, b found) int { return cmp.Compare(b.tagged, a.tagged) })
	var out []lookup.Entry
	for _, f := range all {
		i := slices.IndexFunc(out, func(e lookup.Entry) bool { return e.Word == f.word })
		if i < 0 {
			if len(out) == mostEntries {
				continue
			}
			i, out = len(out), append(out, lookup.Entry{Word: f.word})
		}
		for _, at := range f.synset[:min(len(f.synset), mostSenses)] {
			s, err := w.sense(f.part, at)
			if err != nil {
				return nil, err
			}
			out[i].Senses = append(out[i].Senses, s)
		}
	}
	if len(out) == 0 {
		return nil, lookup.ErrUnknown
	}
	return out, nil
}

// find looks for a word in the index of a part of speech, whose lines are in order.
func (w *WordNet) find(word string, part lookup.Part) (found, error) {
	f := w.index[part]
	end, err := f.Seek(0, io.SeekEnd)
	if err != nil {
		return found{}, err
	}
	want := strings.ReplaceAll(word, " ", "_")
	lo, hi := int64(0), end // the line begins in [lo, hi)
	for lo < hi {
		mid := (lo + hi) / 2
		line, next, err := lineAt(f, mid)
		if err != nil && !errors.Is(err, io.EOF) {
			return found{}, err
		}
		lemma, _, _ := strings.Cut(line, " ")
		switch {
		case line == "" && errors.Is(err, io.EOF):
			hi = mid
		case strings.HasPrefix(line, "  ") || lemma < want && lemma != "":
			lo = next
		case lemma == want:
			return entry(word, part, line), nil
		default:
			hi = mid
		}
	}
	return found{}, nil
}

// lineAt returns the first line that begins at a place of a file or behind it, and where
// the next one begins.
func lineAt(f *os.File, at int64) (line string, next int64, err error) {
	from := max(at-1, 0)
	r := bufio.NewReaderSize(io.NewSectionReader(f, from, 1<<40), 4096)
	if at > 0 {
		skipped, err := r.ReadString('\n') // to the end of the line that at is in
		if err != nil {
			return "", from + int64(len(skipped)), err
		}
		from += int64(len(skipped))
	}
	line, err = r.ReadString('\n')
	return strings.TrimSuffix(line, "\n"), from + int64(len(line)), err
}

// entry reads a line of an index: lemma pos synset_cnt p_cnt [ptr_symbol…] sense_cnt
// tagsense_cnt synset_offset…
func entry(word string, part lookup.Part, line string) found {
	f := strings.Fields(line)
	out := found{word: word, part: part}
	if len(f) < 4 {
		return out
	}
	pointers, _ := strconv.Atoi(f[3])
	rest := f[min(4+pointers, len(f)):]
	if len(rest) < 3 {
		return out
	}
	out.tagged, _ = strconv.Atoi(rest[1])
	for _, s := range rest[2:] {
		if at, err := strconv.ParseInt(s, 10, 64); err == nil {
			out.synset = append(out.synset, at)
		}
	}
	return out
}

// sense reads a sense: what stands behind the bar is what it means and, in quotation
// marks, examples.
func (w *WordNet) sense(part lookup.Part, at int64) (lookup.Sense, error) {
	line, err := bufio.NewReader(io.NewSectionReader(w.data[part], at, 1<<20)).ReadString('\n')
	if err != nil {
		return lookup.Sense{}, err
	}
	_, gloss, ok := strings.Cut(line, " | ")
	if !ok {
		return lookup.Sense{}, errors.New("dictionary: a line without a meaning")
	}
	says, rest, quoted := strings.Cut(strings.TrimSpace(gloss), `"`)
	out := lookup.Sense{Part: part, Says: strings.TrimRight(strings.TrimSpace(says), ";: ")}
	if quoted {
		out.Example, _, _ = strings.Cut(rest, `"`)
	}
	return out, nil
}
