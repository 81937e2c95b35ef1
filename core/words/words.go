// Package words knows the printed words of a page: where they stand, in which
// order they are read, and which of them a gesture means.
//
// It is told the words; how they were found in a file is not its concern.
package words

import (
	"math"
	"strings"
	"unicode"
	"unicode/utf8"

	"readymargin/core/page"
)

// A Word is a printed word in page space.
type Word struct {
	Text     string     `json:"t"`
	Box      [4]float64 `json:"b"` // left, top, right, bottom of its line's height, in points
	Baseline float64    `json:"y"`
	Line     int        `json:"l"`           // words of one printed line share a number; numbers grow in reading order
	Size     float64    `json:"s,omitempty"` // of its letters in points, where the file tells it
	Edges    []float64  `json:"x"`           // the left edge of each letter, and the right edge of the last
	Sure     float64    `json:"c,omitempty"` // of a word that was read in a picture: from above 0, a guess, to below 1; 1 where somebody has put it right
}

// Moved returns the word where it is after a move.
func (w Word) Moved(by page.Point) Word {
	w.Box = [4]float64{page.Round(w.Box[0] + by.X), page.Round(w.Box[1] + by.Y), page.Round(w.Box[2] + by.X), page.Round(w.Box[3] + by.Y)}
	w.Baseline = page.Round(w.Baseline + by.Y)
	edges := make([]float64, len(w.Edges))
	for i, x := range w.Edges {
		edges[i] = page.Round(x + by.X)
	}
	w.Edges = edges
	return w
}

// Saying returns a word that was read as somebody has put it right: it is sure, and its
// letters stand evenly where they are others.
func (w Word) Saying(text string) Word {
	if n := utf8.RuneCountInString(text); n != utf8.RuneCountInString(w.Text) {
		w.Edges = make([]float64, n+1)
		for i := range w.Edges {
			w.Edges[i] = page.Round(w.Box[0] + float64(i)/float64(n)*(w.Box[2]-w.Box[0]))
		}
	}
	w.Text, w.Sure = text, 1
	return w
}

// PutRight reports whether somebody has put the word right.
func (w Word) PutRight() bool { return w.Sure == 1 }

// Han returns the language for which Chinese characters on a page are set, as far as its
// words tell: Japanese where there are kana, Korean where there is hangul, else "".
func (p Page) Han() string {
	kana, hangul := 0, 0
	for _, w := range p.Words {
		for _, r := range w.Text {
			if unicode.In(r, unicode.Hiragana, unicode.Katakana) {
				kana++
			} else if unicode.Is(unicode.Hangul, r) {
				hangul++
			}
		}
	}
	switch {
	case kana > hangul:
		return "ja"
	case hangul > 0:
		return "ko"
	}
	return ""
}

// Rect returns the word's box.
func (w Word) Rect() page.Rect { return page.R(w.Box[0], w.Box[1], w.Box[2], w.Box[3]) }

// A Rule is a printed horizontal line from X0 to X1 at Y, in points.
type Rule struct {
	X0 float64 `json:"x0"`
	X1 float64 `json:"x1"`
	Y  float64 `json:"y"`
}

// A Page holds what is printed: words in reading order, rules, tables and figures.
type Page struct {
	Words   []Word       `json:"words"`
	Rules   []Rule       `json:"rules"`
	Tables  []Table      `json:"tables,omitempty"`
	Figures [][4]float64 `json:"figures,omitempty"` // pictures and drawings: left, top, right, bottom

	Wordless bool `json:"wordless,omitempty"` // it is a picture of which no words are known, or not yet
	Anew     bool `json:"anew,omitempty"`     // its words are being read once more
}

// Lines returns the words, line by line.
func Lines(ws []Word) (out [][]Word) {
	for from := 0; from < len(ws); {
		to := from + 1
		for to < len(ws) && ws[to].Line == ws[from].Line {
			to++
		}
		out, from = append(out, ws[from:to]), to
	}
	return out
}

// IsNumber reports whether a word is made of digits alone.
func IsNumber(s string) bool {
	return s != "" && strings.IndexFunc(s, func(r rune) bool { return !unicode.IsDigit(r) }) < 0
}

// A Run is a part of the printed text: the quads that cover it, one a line,
// and the words themselves.
type Run struct {
	Quads []page.Quad
	Text  string
}

// beside is how far from a word a gesture may begin and still mean it: the
// space between two words belongs to the nearer one.
const beside = 3

// At returns the index of the word under p, or -1.
func (pg Page) At(p page.Point) int {
	best, reach := -1, float64(beside)
	for i, w := range pg.Words {
		r := w.Rect()
		if p.Y < r.Min.Y-1 || p.Y > r.Max.Y+1 {
			continue
		}
		if d := outside(p.X, r.Min.X, r.Max.X); d < reach {
			best, reach = i, d
		}
	}
	return best
}

// sideways reports whether the word's line runs up or down the page. Of a word
// of one letter that cannot be told, and it is not.
func (w Word) sideways() bool {
	r := w.Rect()
	return !w.single() && len(w.Edges) == 2 && r.H() > 1.2*r.W()
}

func (w Word) single() bool { return utf8.RuneCountInString(w.Text) < 2 }

// from returns how far p is from w along a line and across it.
func (w Word) from(p page.Point, sideways bool) (along, across float64) {
	r := w.Rect()
	along, across = outside(p.X, r.Min.X, r.Max.X), outside(p.Y, r.Min.Y, r.Max.Y)
	if sideways {
		return across, along
	}
	return along, across
}

// nearest returns the word that a gesture ending at p means: of the lines the
// closest among those level with p, and on it the closest word.
func (pg Page) nearest(p page.Point, sideways bool) int {
	best, cost := -1, math.Inf(1)
	for i, w := range pg.Words {
		if w.sideways() != sideways && !w.single() {
			continue
		}
		along, across := w.from(p, sideways)
		if c := along + 4*across; c < cost {
			best, cost = i, c
		}
	}
	return best
}

// How far before, behind, over and under the words of a line a gesture may
// begin and still be about them.
const (
	before  = 14  // points along the line
	between = 0.6 // of the line's height
	across  = 300 // points along the line, of a gesture that goes on over the words
)

// first returns the word that a gesture from one place to another begins with:
// the one under it, or, when it begins beside the words of a line or goes on
// over them, the nearest of these; -1 when it is about the paper.
func (pg Page) first(from, to page.Point) int {
	if i := pg.At(from); i >= 0 {
		return i
	}
	best, cost := -1, math.Inf(1)
	for i, w := range pg.Words {
		high, way, dir := w.Rect().H(), to.X-from.X, w.Rect().Center().X-from.X
		if w.sideways() {
			high, way, dir = w.Rect().W(), to.Y-from.Y, w.Rect().Center().Y-from.Y
		}
		along, off := w.from(from, w.sideways())
		_, end := w.from(to, w.sideways())
		over := off == 0 && end <= between*high && way*dir > 0 && along <= min(math.Abs(way), across)
		if c := along + 4*off; c < cost && (over || off <= between*high && along <= before) {
			best, cost = i, c
		}
	}
	return best
}

func outside(v, lo, hi float64) float64 { return max(lo-v, v-hi, 0) }

// Between returns the run from the word under from to the one meant by to,
// in reading order, in whole words or, with letters, in whole letters. ok is
// false when no words are meant by from: then the gesture is about the paper.
func (pg Page) Between(from, to page.Point, letters bool) (run Run, ok bool) {
	first := pg.first(from, to)
	if first < 0 {
		return Run{}, false
	}
	last := pg.nearest(to, pg.Words[first].sideways())
	a, b := from, to
	if last < first {
		first, last, a, b = last, first, to, from
	}
	if first == last && a.X > b.X {
		a, b = b, a
	}
	lo, hi := 0, len(pg.Words[last].Edges)-1
	if letters {
		lo = letterAt(pg.Words[first], a.X)
		hi = letterAt(pg.Words[last], b.X) + 1
	}
	return pg.run(first, last, lo, hi), true
}

// Span returns the run of the words from one number to before another, as they are read;
// ok is false where there are none.
func (pg Page) Span(from, to int) (run Run, ok bool) {
	if from < 0 || to > len(pg.Words) || from >= to {
		return Run{}, false
	}
	return pg.run(from, to-1, 0, len(pg.Words[to-1].Edges)-1), true
}

// letterAt returns the index of the letter of w that x is on, or the nearest.
func letterAt(w Word, x float64) int {
	n := 0
	for n+2 < len(w.Edges) && x >= w.Edges[n+1] {
		n++
	}
	return n
}

// run gathers the words from first to last, beginning at the letter lo of the
// first and ending before the letter hi of the last.
func (pg Page) run(first, last, lo, hi int) Run {
	var out Run
	var text strings.Builder
	line, box := -1, page.Rect{}
	for i := first; i <= last; i++ {
		w := pg.Words[i]
		r, t := w.Rect(), []rune(w.Text)
		from, to := 0, len(t)
		apart := len(w.Edges) == len(t)+1 // its letters can be told apart
		if apart && i == last && hi < len(w.Edges) {
			r.Max.X, to = w.Edges[hi], min(hi, len(t))
		}
		if apart && i == first && lo < len(w.Edges) {
			r.Min.X, from = w.Edges[lo], min(lo, to)
		}
		if i > first {
			text.WriteByte(' ')
		}
		text.WriteString(string(t[from:to]))
		if w.Line != line && !box.Empty() {
			out.Quads = append(out.Quads, page.QuadOf(box))
			box = page.Rect{}
		}
		line, box = w.Line, box.Union(r)
	}
	if !box.Empty() {
		out.Quads = append(out.Quads, page.QuadOf(box))
	}
	out.Text = text.String()
	return out
}

// Distance returns how far p is from the nearest word, except those that lie
// in a place: dots and underscores are printed to be written over.
func (pg Page) Distance(p page.Point, but page.Rect) float64 {
	best := math.Inf(1)
	for _, w := range pg.Words {
		if r := w.Rect(); !but.Contains(r.Center()) {
			best = min(best, r.Distance(p))
		}
	}
	return best
}

// Clear returns the place nearest to p where a disc of radius r covers no word,
// or p where there is none within reach.
func (pg Page) Clear(p page.Point, r, reach float64) page.Point {
	for far := 0.0; far <= reach; far += 2 {
		for turn := range 16 {
			a := float64(turn) * math.Pi / 8
			q := page.Pt(p.X+far*math.Cos(a), p.Y-far*math.Sin(a))
			if pg.Distance(q, page.Rect{}) >= r {
				return q.Round()
			}
			if far == 0 {
				break
			}
		}
	}
	return p
}

// OnRule is how far above a printed rule letters stand on it, in points.
const OnRule = 0.7

// Settle returns the baseline on which letters of the given size stand when
// somebody starts to type at p: on a printed rule or on the baseline of a
// printed line when one is near, else where the letters are centred on p.
func (pg Page) Settle(p page.Point, size float64) float64 {
	free := p.Y + 0.35*size
	best, reach := free, 0.75*size
	offer := func(y float64) {
		if d := math.Abs(y - free); d < reach {
			best, reach = y, d
		}
	}
	for _, r := range pg.Rules {
		if p.X > r.X0-2 && p.X < r.X1+2 && p.Y < r.Y+0.4*size {
			offer(r.Y - OnRule)
		}
	}
	for _, w := range pg.Words {
		if p.Y > w.Box[1]-1 && p.Y < w.Box[3]+1 && math.Abs(p.X-w.Rect().Center().X) < 300 {
			offer(w.Baseline)
		}
	}
	return page.Round(best)
}
