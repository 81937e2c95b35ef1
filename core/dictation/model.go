package dictation

import (
	"fmt"
	"io"
	"maps"
	"math"
	"slices"
	"strings"

	"readymargin/core/aloud"
)

// A Model says how likely words follow one another: a trigram model, interpolated as
// Witten and Bell have it (I. H. Witten, T. C. Bell: The zero-frequency problem, IEEE
// Transactions on Information Theory 37, 1991; from memory).
type Model struct {
	counts [3]map[string]float64 // of runs of one, two and three words, joined by spaces
	after  map[string]float64    // how often something follows a run
	kinds  map[string]float64    // how many different words do
	words  []string              // all that it knows, sorted, without the marks of the ends
}

const (
	begins = "<s>"
	ends   = "</s>"
)

// How much sentences count.
const (
	ofSheet   = 1.0 // what is printed
	expected  = 3.0 // what is expected as an answer
	amounts   = 0.02
	ofTongue  = 0.15 // words that every answer may have
	commanded = 0.5

	ofThisSheet = 5 // times as much count units that the sheet has

	weight = 0.2 // of the kinds of words that follow a run: many sentences count for little too
)

// common are words that answers of all subjects have. Common practice, no source.
var common = strings.Fields(`the a an and or but not of to in on at by for from with without into over under about because so if when while then than that this
these those there here it its they them their he she his her we our you your i is are was were be been being has have had do does did can could will would
should may must what which who why how where more less most least many much some any all each both few no yes up down out first second third last next same
different higher lower bigger smaller faster slower before after between during through against until one two three four five six seven eight nine ten equals
plus minus times divided by goes go comes come gets get becomes become makes make means mean shows show changes change increases decreases stays starts ends
water light air heat energy time day night year people animals plants north south east west left right top bottom above below near far long short high low
old new good bad big small fast slow hot cold very also only too`)

// commands are words that stand for signs, and for a new line.
var commands = map[string]string{"comma": ",", "full stop": ".", "period": ".", "question mark": "?", "exclamation mark": "!", "colon": ":", "semicolon": ";", "new line": "\n"}

// units are how signs of units are said, in words.
var units = func() map[string]string {
	out := map[string]string{"decimetres": "dm", "decimetre": "dm"}
	for sign, said := range aloud.Units("en") {
		for _, s := range said {
			if s = strings.ToLower(s); out[s] == "" || len(sign) < len(out[s]) {
				out[s] = sign
			}
		}
	}
	return out
}()

// NewModel makes a model of what is printed on a sheet and what is expected as answers,
// beside numbers with units and words that answers of all subjects have.
func NewModel(printed, answers []string) *Model {
	m := &Model{after: map[string]float64{}, kinds: map[string]float64{}}
	for i := range m.counts {
		m.counts[i] = map[string]float64{}
	}
	for _, p := range printed {
		for _, s := range Spoken(p) {
			m.learn(s, ofSheet)
		}
	}
	for _, a := range answers {
		for _, s := range Spoken(a) {
			m.learn(s, expected)
		}
	}
	for _, w := range common {
		m.learn([]string{w}, ofTongue)
	}
	for _, c := range slices.Sorted(maps.Keys(commands)) {
		m.learn(strings.Fields(c), commanded)
	}
	on := map[string]bool{} // units that the sheet has
	for said, sign := range units {
		on[sign] = on[sign] || m.counts[0][said[strings.LastIndexByte(said, ' ')+1:]] > 0
	}
	for _, unit := range slices.Sorted(maps.Keys(units)) {
		much := amounts
		if on[units[unit]] {
			much *= ofThisSheet
		}
		for n := range 10 {
			m.learn(strings.Fields(fmt.Sprintf("%s point %s %s", ones[n], ones[(n*7+3)%10], unit)), much*2)
			m.learn(strings.Fields(cardinal(n*11+n%3)+" "+unit), much)
		}
	}
	for a := range 10 {
		for b := range 10 {
			m.learn(strings.Fields(ones[a]+" point "+ones[b]), amounts)
			m.learn(strings.Fields(cardinal(10*a+b)), amounts)
			m.learn(strings.Fields(cardinal(100*max(a, 1)+11*b)), amounts/2)
			m.learn(strings.Fields(cardinal(a+3)+" "+cardinal(5*b+10)), amounts/2) // times of day
		}
	}
	known := map[string]bool{}
	for w := range m.counts[0] {
		if w != begins && w != ends {
			known[w] = true
		}
	}
	m.words = slices.Sorted(maps.Keys(known))
	return m
}

// Words returns all words that the model knows.
func (m *Model) Words() []string { return m.words }

func (m *Model) learn(sentence []string, much float64) {
	if len(sentence) == 0 {
		return
	}
	s := slices.Concat([]string{begins}, sentence, []string{ends})
	for i := 1; i < len(s); i++ { // nothing comes before the beginning
		for n := 1; n <= 3 && n <= i+1; n++ {
			run := strings.Join(s[i+1-n:i+1], " ")
			if m.counts[n-1][run] == 0 {
				m.kinds[before(run)]++
			}
			m.counts[n-1][run] += much
			m.after[before(run)] += much
		}
	}
	m.counts[0][begins] += 0
}

// before is a run without its last word.
func before(run string) string {
	i := strings.LastIndexByte(run, ' ')
	return run[:max(i, 0)]
}

// behind is a run without its first word.
func behind(run string) string {
	_, rest, _ := strings.Cut(run, " ")
	return rest
}

// likely returns how likely the last word of a run is behind the others.
func (m *Model) likely(run string) float64 {
	n := strings.Count(run, " ")
	lower := 1 / float64(len(m.words)+1)
	if n > 0 {
		lower = m.likely(behind(run))
	}
	h := before(run)
	if m.after[h] == 0 {
		return lower
	}
	return (m.counts[n][run] + weight*m.kinds[h]*lower) / (m.after[h] + weight*m.kinds[h])
}

// WriteARPA writes the model in the form that recognisers read (the format of MIT Lincoln
// Laboratory's, as SRILM's ngram-format(5) tells it; from memory).
func (m *Model) WriteARPA(w io.Writer) error {
	var b strings.Builder
	b.WriteString("\\data\\\n")
	for n := range m.counts {
		fmt.Fprintf(&b, "ngram %d=%d\n", n+1, len(m.counts[n]))
	}
	for n := range m.counts {
		fmt.Fprintf(&b, "\n\\%d-grams:\n", n+1)
		for _, run := range slices.Sorted(maps.Keys(m.counts[n])) {
			p := -99.0
			if run != begins {
				p = math.Log10(m.likely(run))
			}
			fmt.Fprintf(&b, "%.4f %s", p, run)
			if n < 2 {
				back := 0.0
				if k := weight * m.kinds[run]; k > 0 {
					back = math.Log10(k / (m.after[run] + k))
				}
				fmt.Fprintf(&b, " %.4f", back)
			}
			b.WriteByte('\n')
		}
	}
	b.WriteString("\n\\end\\\n")
	_, err := io.WriteString(w, b.String())
	return err
}
