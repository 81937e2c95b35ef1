// Package inwords knows a page in words: what is printed on it as headings,
// paragraphs, tables and pictures in the order in which it is read, with the places
// to write where they stand among the words, each with a name of its own.
//
// Every printed word is there once, but for those that are made to be written over;
// so is every place. How it is shown, or said aloud, is not its concern.
package inwords

import (
	"cmp"
	"math"
	"regexp"
	"slices"

	"readymargin/core/blank"
	"readymargin/core/page"
	"readymargin/core/words"
	"readymargin/core/worksheet"
)

// A Kind is what a piece of a page is.
type Kind string

const (
	Heading   Kind = "heading"
	Paragraph Kind = "paragraph"
	Item      Kind = "item" // of a list
	Table     Kind = "table"
	Picture   Kind = "picture"
)

// A Piece is one of the things that a page consists of.
type Piece struct {
	Kind     Kind          `json:"k"`
	Box      worksheet.Box `json:"x"`           // where it stands
	Level    int           `json:"h,omitempty"` // of a heading: 1 the page's, 2 a question's, 3 one of its parts'
	Question string        `json:"q,omitempty"` // the ID of the one that begins here
	Said     string        `json:"s,omitempty"` // of a heading that is not printed
	Bits     []Bit         `json:"b,omitempty"` // of all but a table and a picture
	Taken    bool          `json:"o,omitempty"` // a picture that is one of several, of which the question wants some taken
	Shows    string        `json:"a,omitempty"` // what a picture shows, as far as somebody has said so
	Heads    bool          `json:"d,omitempty"` // the first row of a table says what its columns are
	Rows     [][][]Bit     `json:"r,omitempty"` // of a table, row by row and cell by cell
}

// A Bit is some printed words or a place to write.
type Bit struct {
	Text string `json:"t,omitempty"` // words with single spaces between them
	From int    `json:"f,omitempty"` // the number of the first among the words of the page, from 0
	To   int    `json:"u,omitempty"` // that behind the last

	Place int    `json:"p,omitempty"` // its number among the places of the page, from 1; 0 for words
	Name  string `json:"n,omitempty"` // what the place is called: "2, blank 1 of 2: The range of the tide is … m"
}

// unread is what is printed to be written over, also where it is part of a word.
var unread = regexp.MustCompile(`_{2,}|…{2,}|\.{4,}|‥{2,}|·{4,}`)

// Spoken returns a printed word without what is made to be written over, "" for
// nothing.
func Spoken(word string) string {
	if blank.IsRun(word) {
		return ""
	}
	return unread.ReplaceAllString(word, "")
}

// A sign is a word or a place on a row.
type sign struct {
	word, place int // its number, -1 for the other
	box         page.Rect
}

// A row is a printed line with the places on it, or a place or a table alone.
type row struct {
	signs    []sign
	box      page.Rect
	baseline float64
	size     float64 // of its letters; 0 without words
	table    int     // -1 for none
	figure   bool
	asks     int // the question that begins here, -1 for none
}

func (r *row) add(s sign) {
	r.signs = append(r.signs, s)
	if r.box.Empty() {
		r.box = s.box
	} else {
		r.box = r.box.Union(s.box)
	}
}

// layout is a page on the way to its pieces.
type layout struct {
	print   words.Page
	guide   worksheet.Guide
	of      []int
	rows    []row
	usual   float64 // the size of most letters
	columns bool    // it is read in columns
	tables  map[int][][][]sign
	names   []string // of the places, where a table or a row gives one
}

// Of returns a page in words. size is the page's, in points.
func Of(print words.Page, guide worksheet.Guide, size page.Point) []Piece {
	l := &layout{print: print, guide: guide, of: guide.Of(), tables: map[int][][][]sign{}, names: make([]string, len(guide.Blanks))}
	l.readWords()
	l.usual = l.usualSize()
	l.columns = l.inColumns()
	for _, i := range l.inTables() {
		l.place(i)
	}
	for _, f := range abreast(print.Figures) {
		if d, _ := guide.Described(worksheet.BoxOf(f)); d.Plain {
			continue
		}
		r := bare()
		r.figure, r.box = true, f
		r.baseline = f.Min.Y
		l.insert(r)
	}
	if len(print.Words) == 0 && len(print.Figures) == 0 { // a picture of a page
		r := bare()
		r.figure, r.box = true, page.R(0, 0, size.X, size.Y)
		l.rows = slices.Insert(l.rows, 0, r)
	}
	l.ask()
	return arranged(l.pieces(), guide.Order)
}

// arranged puts pieces in the order in which the teacher wants them read, as what they
// are. A piece of which nothing is said stays behind the one that it was found behind;
// what need not be read is left out, but not a place or a question.
func arranged(pieces []Piece, order []worksheet.Region) []Piece {
	if len(order) == 0 {
		return pieces
	}
	const near = 3 // points: a file is read alike at all times, and rounded
	after, ranks := -1, make([]int, len(pieces))
	out := make([]int, 0, len(pieces))
	for i := range pieces {
		p := &pieces[i]
		at := slices.IndexFunc(order, func(r worksheet.Region) bool {
			a, b := r.Rect.Rect(), p.Box.Rect()
			return a.Min.Dist(b.Min) < near && a.Max.Dist(b.Max) < near
		})
		if at >= 0 {
			after = at
		}
		ranks[i] = after
		if at >= 0 && p.Question == "" {
			switch kind := order[at].Kind; {
			case kind == "plain" && !p.places():
				continue
			case kind == "heading" && len(p.Bits) > 0:
				p.Kind, p.Level = Heading, max(p.Level, 2)
			case kind == "text" && p.Kind == Heading:
				p.Kind, p.Level = Paragraph, 0
			}
		}
		out = append(out, i)
	}
	slices.SortStableFunc(out, func(a, b int) int { return cmp.Compare(ranks[a], ranks[b]) })
	all := make([]Piece, len(out))
	for i, at := range out {
		all[i] = pieces[at]
	}
	return all
}

// places reports whether there are places in it.
func (p *Piece) places() (some bool) {
	p.each(func(b *Bit) { some = some || b.Place > 0 })
	return some
}

// readWords makes the rows of what is printed, in the order in which it is read.
func (l *layout) readWords() {
	begun := map[int]bool{} // tables that have their place
	r := bare()
	line := -1
	for i, w := range l.print.Words {
		if Spoken(w.Text) == "" {
			continue
		}
		if w.Line != line {
			l.end(r)
			r, line = bare(), w.Line
		}
		s := sign{i, -1, w.Rect()}
		if t, y, x, in := l.cellAt(w.Rect().Center()); in {
			if !begun[t] {
				begun[t] = true
				l.end(r)
				r = bare()
				l.rows = append(l.rows, l.tableRow(t))
			}
			l.cells(t)[y][x] = append(l.cells(t)[y][x], s)
			continue
		}
		r.add(s)
		r.baseline, r.size = w.Baseline, max(r.size, cmp.Or(w.Size, 0.8*w.Rect().H()))
	}
	l.end(r)
}

func bare() row { return row{table: -1, asks: -1} }

func (l *layout) tableRow(t int) row {
	r := bare()
	r.table, r.box = t, l.print.Tables[t].Rect()
	r.baseline = r.box.Min.Y
	return r
}

// end puts a row behind the others; one that goes on where the last one ends, level
// with it, is a part of that one.
func (l *layout) end(r row) {
	if len(r.signs) == 0 {
		return
	}
	if n := len(l.rows); n > 0 {
		last := &l.rows[n-1]
		gap := r.box.Min.X - last.box.Max.X
		if len(last.signs) > 0 && math.Abs(last.baseline-r.baseline) < 2 && gap > -2 && (gap < 5*r.size || l.between(last.box, r.box, r.baseline)) {
			for _, s := range r.signs {
				last.add(s)
			}
			last.size = max(last.size, r.size)
			return
		}
	}
	l.rows = append(l.rows, r)
}

// between reports whether there is a place to write between two parts of a line.
func (l *layout) between(a, b page.Rect, baseline float64) bool {
	return slices.ContainsFunc(l.guide.Blanks, func(p worksheet.Blank) bool {
		c := p.Rect.Rect().Center().X
		return c > a.Max.X-4 && c < b.Min.X+4 && math.Abs(p.Baseline-baseline) < 6
	})
}

func (l *layout) cellAt(p page.Point) (table, y, x int, in bool) {
	for t, tab := range l.print.Tables {
		if y, x, in = tab.Cell(p); in {
			return t, y, x, true
		}
	}
	return 0, 0, 0, false
}

// cells returns what stands in the cells of a table.
func (l *layout) cells(t int) [][][]sign {
	if l.tables[t] == nil {
		tab := l.print.Tables[t]
		rows := make([][][]sign, len(tab.Y)-1)
		for i := range rows {
			rows[i] = make([][]sign, len(tab.X)-1)
		}
		l.tables[t] = rows
	}
	return l.tables[t]
}

// usualSize is that of most words, in points.
func (l *layout) usualSize() float64 {
	var sizes []float64
	for _, r := range l.rows {
		for range r.signs {
			sizes = append(sizes, r.size)
		}
	}
	if len(sizes) == 0 {
		return 11
	}
	slices.Sort(sizes)
	return sizes[len(sizes)/2]
}

// inTables puts the places that are in tables into their cells, and returns the others.
func (l *layout) inTables() (others []int) {
	for i, p := range l.guide.Blanks {
		box := p.Rect.Rect()
		t, y, x, in := l.cellAt(box.Center())
		if !in {
			others = append(others, i)
			continue
		}
		l.cells(t)[y][x] = append(l.cells(t)[y][x], sign{-1, i, box})
	}
	return others
}

// place puts a place on the row that it stands on, or behind the row over it.
func (l *layout) place(i int) {
	p := l.guide.Blanks[i]
	box := p.Rect.Rect()
	s := sign{-1, i, box}
	best, near := -1, math.Inf(1)
	for n, r := range l.rows {
		if len(r.signs) == 0 || r.size == 0 || !l.level(p, r) {
			continue
		}
		if d := max(box.Min.X-r.box.Max.X, r.box.Min.X-box.Max.X, 0); d < near && d < 80 {
			best, near = n, d
		}
	}
	if best >= 0 {
		r := &l.rows[best]
		r.add(s)
		slices.SortStableFunc(r.signs, func(a, b sign) int {
			if a.word >= 0 && b.word >= 0 {
				return cmp.Compare(a.word, b.word) // as it is read, which may be from right to left
			}
			return cmp.Compare(a.box.Center().X, b.box.Center().X)
		})
		return
	}
	r := bare()
	r.add(s)
	r.baseline = p.Baseline
	l.insert(r)
}

// level reports whether a place stands on a row of print.
func (l *layout) level(p worksheet.Blank, r row) bool {
	box, middle := p.Rect.Rect(), r.box.Center().Y
	switch p.Kind {
	case blank.Tick, blank.Choice:
		return math.Abs(box.Center().Y-middle) < 0.8*r.size
	case blank.Lines, blank.Room, blank.Drawing, blank.Shade:
		return false
	case blank.Line, blank.Number:
		return math.Abs(p.Baseline-r.baseline) < max(4, 0.45*r.size)
	}
	return box.H() < 3.2*r.size && middle > box.Min.Y && middle < box.Max.Y
}

// abreast returns figures from the top down, those side by side from left to right.
func abreast(figures [][4]float64) (out []page.Rect) {
	for _, f := range figures {
		out = append(out, worksheet.Box(f).Rect())
	}
	slices.SortFunc(out, func(a, b page.Rect) int { return cmp.Compare(a.Min.Y, b.Min.Y) })
	for from := 0; from < len(out); {
		to := from + 1
		for to < len(out) && out[to].Min.Y < out[from].Max.Y {
			to++
		}
		slices.SortFunc(out[from:to], func(a, b page.Rect) int { return cmp.Compare(a.Min.X, b.Min.X) })
		from = to
	}
	return out
}

// inColumns reports whether the page is read in columns: one goes back up on it.
func (l *layout) inColumns() bool {
	low := math.Inf(-1)
	for _, r := range l.rows {
		if r.size > 0 && r.baseline < low-3*l.usual {
			return true
		}
		low = max(low, r.baseline)
	}
	return false
}

// insert puts a row behind the last one over it, on a page with columns of those that
// stand in its own.
func (l *layout) insert(r row) {
	at, low := 0, math.Inf(-1)
	for n, o := range l.rows {
		if l.columns && (o.box.Min.X > r.box.Max.X+4 || o.box.Max.X < r.box.Min.X-40) {
			continue
		}
		top := cmp.Or(o.baseline, o.box.Min.Y)
		if o.figure && r.figure && o.box.Max.Y > r.box.Min.Y {
			top = r.box.Min.Y // side by side
		}
		if top <= r.box.Min.Y+8 && top >= low {
			at, low = n+1, top
		}
	}
	l.rows = slices.Insert(l.rows, at, r)
}

// ask says at which rows the questions begin; one that is not printed gets a row.
func (l *layout) ask() {
	for q, ask := range l.guide.Questions {
		want := ask.Rect.Rect()
		best, near := -1, 12.0
		for n, r := range l.rows {
			if len(r.signs) == 0 || r.asks >= 0 {
				continue
			}
			d := math.Abs(r.box.Min.Y-want.Min.Y) + max(want.Min.X-r.box.Max.X, r.box.Min.X-want.Max.X, 0)
			if number := l.first(r); number != "" && number == ask.Number {
				d -= 6
			}
			if d < near {
				best, near = n, d
			}
		}
		if best >= 0 {
			l.rows[best].asks = q
			continue
		}
		r := bare()
		r.box, r.baseline, r.asks = want, want.Min.Y, q
		l.insert(r)
	}
}

// first returns the first word of a row.
func (l *layout) first(r row) string {
	for _, s := range r.signs {
		if s.word >= 0 {
			return l.print.Words[s.word].Text
		}
	}
	return ""
}
