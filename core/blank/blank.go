// Package blank finds the places to write on a printed page: underscored and
// dotted runs, ruled lines, boxes, table cells, combs, tick boxes, words to
// choose from, and the room under a question.
//
// It is told what is printed, as words and as straight strokes; how these were
// found in a file, and what form fields a file has, is not its concern.
package blank

import (
	"cmp"
	"math"
	"slices"
	"strings"

	"readymargin/core/page"
	"readymargin/core/words"
)

// A Kind is what a blank is written into.
type Kind string

const (
	Line   Kind = "line"   // one line of writing
	Lines  Kind = "lines"  // several ruled lines, for one answer
	Box    Kind = "box"    // a frame of its own
	Cell   Kind = "cell"   // of a table
	Tick   Kind = "tick"   // a small box or circle to be ticked
	Comb   Kind = "comb"   // a row of boxes, a letter each
	Choice Kind = "choice" // words of which one is to be marked
	Room   Kind = "room"   // empty paper under a question

	// What no page tells, and only people set.
	Number  Kind = "number"  // with its unit
	Drawing Kind = "drawing" // to be drawn in
	Shade   Kind = "shade"   // to be shaded
)

// A Blank is a place to write, in page space.
type Blank struct {
	Rect       page.Rect
	Baseline   float64 // of the first line of writing, points from the top
	Size       float64 // of its letters, points
	Step       float64 // from baseline to baseline, of several ruled lines
	Kind       Kind
	Label      string  // the words before it, or over it
	Confidence float64 // from 0 to 1
}

// A Stroke is a printed straight line, along or across the page.
type Stroke struct {
	X0 float64 `json:"x0"`
	Y0 float64 `json:"y0"`
	X1 float64 `json:"x1"`
	Y1 float64 `json:"y1"`
}

// Art is a picture, or a drawing with curves or slanting lines.
type Art struct {
	Rect    page.Rect `json:"r"`
	Picture bool      `json:"p,omitempty"`
}

// A Page is what blanks are found on.
type Page struct {
	Width, Height float64
	Words         []words.Word
	Strokes       []Stroke
	Art           []Art
}

// Find returns the blanks of a page in reading order.
func Find(p Page) []Blank {
	f := &finder{page: p, text: textOf(p.Words)}
	f.across, f.down = straighten(p.Strokes)
	f.cells()
	f.runs()
	f.ticks()
	f.circles()
	f.rules()
	f.choices()
	f.room()
	f.settle()
	return f.found
}

// Settle labels blanks that were not found but known, such as the fields of a
// form, and returns them in reading order.
func Settle(p Page, known []Blank) []Blank {
	f := &finder{page: p, text: textOf(p.Words), found: known}
	f.settle()
	return f.found
}

// A span is a straight line: across at y=at from lo to hi, or down at x=at.
type span struct {
	at, lo, hi float64
	broken     bool // into dots or dashes
}

func (s span) length() float64 { return s.hi - s.lo }

// covers reports whether the span runs over the stretch from a to b.
func (s span) covers(a, b float64) bool { return s.lo <= a+slack && s.hi >= b-slack }

const (
	slack    = 2.5 // points by which lines may miss each other
	maxSpans = 1200
)

type finder struct {
	page         Page
	text         []row
	across, down []span
	taken        []span // parts of lines across that belong to cells
	found        []Blank
}

// straighten sorts strokes into lines across and down, and joins the pieces
// of one line: dots, dashes, and the borders of neighbouring cells.
func straighten(strokes []Stroke) (across, down []span) {
	for _, s := range strokes {
		w, h := math.Abs(s.X1-s.X0), math.Abs(s.Y1-s.Y0)
		switch {
		case h <= 1.5 && w > 0.2:
			across = append(across, span{at: (s.Y0 + s.Y1) / 2, lo: min(s.X0, s.X1), hi: max(s.X0, s.X1)})
		case w <= 1.5 && h > 0.2:
			down = append(down, span{at: (s.X0 + s.X1) / 2, lo: min(s.Y0, s.Y1), hi: max(s.Y0, s.Y1)})
		}
	}
	return joined(across), joined(down)
}

func joined(in []span) (out []span) {
	slices.SortFunc(in, func(a, b span) int { return cmp.Or(cmp.Compare(a.at, b.at), cmp.Compare(a.lo, b.lo)) })
	// Lines within a point of each other are one: a band is joined at a time.
	for from := 0; from < len(in); {
		to := from + 1
		for to < len(in) && in[to].at-in[to-1].at < 0.8 && in[to].at-in[from].at < 2 {
			to++
		}
		band := slices.Clone(in[from:to])
		slices.SortFunc(band, func(a, b span) int { return cmp.Compare(a.lo, b.lo) })
		now, pieces := band[0], 1
		end := func() {
			now.broken = pieces >= 8 && now.length() < 12*float64(pieces)
			out = append(out, now)
		}
		for _, s := range band[1:] {
			if s.lo <= now.hi+3.2 {
				if s.lo > now.hi+0.3 {
					pieces++
				}
				now.hi = max(now.hi, s.hi)
				continue
			}
			end()
			now, pieces = s, 1
		}
		end()
		from = to
	}
	out = slices.DeleteFunc(out, func(s span) bool { return s.length() < 5 })
	return out[:min(len(out), maxSpans)]
}

// A row is a printed line of words.
type row struct {
	words    []words.Word
	box      page.Rect
	baseline float64
	size     float64
}

func (r row) String() string {
	var out []string
	for _, w := range r.words {
		out = append(out, w.Text)
	}
	return strings.Join(out, " ")
}

func textOf(ws []words.Word) (out []row) {
	for _, l := range words.Lines(ws) {
		r := row{words: l, baseline: l[0].Baseline, box: l[0].Rect()}
		for _, w := range l {
			r.box, r.size = r.box.Union(w.Rect()), max(r.size, cmp.Or(w.Size, 0.8*w.Rect().H()))
		}
		out = append(out, r)
	}
	return out
}

// empty reports whether no word, no picture and no drawing stands in r. A
// drawing that fills r is its frame, not something in it.
func (f *finder) empty(r page.Rect) bool {
	for _, a := range f.page.Art {
		area, room := a.Rect.W()*a.Rect.H(), r.W()*r.H()
		if area > 20 && area < 1.2*room && (a.Picture || area < 0.8*room) && r.Contains(a.Rect.Center()) {
			return false
		}
	}
	for _, w := range f.page.Words {
		if r.Contains(w.Rect().Center()) && !IsRun(w.Text) {
			return false
		}
	}
	return true
}

// add keeps a blank unless it lies on one that is there.
func (f *finder) add(b Blank) {
	for _, o := range f.found {
		both := o.Rect.Intersect(b.Rect)
		if !both.Empty() && both.W()*both.H() > 0.5*min(o.Rect.W()*o.Rect.H(), b.Rect.W()*b.Rect.H()) {
			return
		}
	}
	f.found = append(f.found, b)
}

// settle puts the blanks into reading order and rounds them.
func (f *finder) settle() {
	for i := range f.found {
		b := &f.found[i]
		if b.Label == "" {
			b.Label = f.label(*b)
		}
		f.measure(b)
		b.Rect = page.Rect{Min: b.Rect.Min.Round(), Max: b.Rect.Max.Round()}
		b.Baseline, b.Size, b.Step = page.Round(b.Baseline), page.Round(b.Size), page.Round(b.Step)
	}
	slices.SortStableFunc(f.found, func(a, b Blank) int {
		if d := a.Baseline - b.Baseline; math.Abs(d) > 6 {
			return cmp.Compare(d, 0)
		}
		return cmp.Compare(a.Rect.Min.X, b.Rect.Min.X)
	})
}

// measure makes what is written in b as large as the print next to it: in its
// line, else above it, as far as there is room.
func (f *finder) measure(b *Blank) {
	switch b.Kind {
	case Line, Lines, Cell, Box, Room, Number:
	default:
		return
	}
	var beside *row
	nearest := math.Inf(1)
	for i := range f.text {
		r := &f.text[i]
		if IsRun(r.String()) {
			continue
		}
		d := math.Hypot(max(b.Rect.Min.X-r.box.Max.X, r.box.Min.X-b.Rect.Max.X, 0), 3*math.Abs(r.baseline-b.Baseline))
		switch {
		case b.Kind == Cell && b.level(r):
			d /= 100
		case r.baseline > b.Rect.Max.Y+4:
			d += 60 // what follows is another matter
		}
		if d < nearest {
			nearest, beside = d, r
		}
	}
	if nearest > 400 {
		return // nothing printed near it
	}
	if b.Kind == Cell && b.level(beside) {
		b.Baseline = beside.baseline // in line with what its row begins with
	}
	most := 0.75 * b.Rect.H()
	if b.Kind == Lines {
		most = 0.75 * b.Step
	}
	b.Size = max(min(beside.size, most, largest), smallest)
}

// level reports whether a row of print goes on in b.
func (b *Blank) level(r *row) bool {
	return r.baseline > b.Rect.Min.Y+8 && r.baseline < b.Rect.Max.Y-1
}

// Letters in a blank, in points: smaller ones aren't read, and larger ones are
// headings.
const smallest, largest = 8, 24

// label returns the words that say what goes into b: those before it in its
// line, after a tick box, over a cell and at the head of its row, or above.
func (f *finder) label(b Blank) string {
	beside, over, after := "", "", ""
	nearest := math.Inf(1)
	for _, r := range f.text {
		level := r.baseline > b.Rect.Min.Y-2 && r.box.Min.Y < b.Rect.Max.Y+2
		if b.Kind == Lines || b.Kind == Box || b.Kind == Room {
			level = r.baseline > b.Rect.Min.Y-2 && r.box.Min.Y < b.Rect.Min.Y+16
		}
		var before, behind []string
		from, to := f.between(b, r)
		for _, w := range r.words {
			if IsRun(w.Text) {
				if w.Box[2] < b.Rect.Min.X-1 {
					before = nil // that led to an earlier blank
				}
				continue
			}
			if strings.Trim(w.Text, ".·…") == "" {
				continue // a leader
			}
			switch c := w.Rect().Center().X; {
			case c < from || c > to:
			case c < b.Rect.Min.X:
				before = append(before, w.Text)
			case w.Box[0] > b.Rect.Max.X-2 && len(behind) < 8:
				behind = append(behind, w.Text)
			}
		}
		switch {
		case level && len(before) > 0 && b.Rect.Min.X-r.box.Min.X < 450:
			before = f.ownPart(r, before)
			beside = strings.Join(before[max(0, len(before)-10):], " ")
		case r.box.Max.Y <= b.Rect.Min.Y+3 && overlap(r.box.Min.X, r.box.Max.X, b.Rect.Min.X, b.Rect.Max.X) > 0:
			if d := b.Rect.Min.Y - r.box.Max.Y; d < nearest && d < 240 {
				nearest = d
				over = strings.Join(f.within(r, b.Rect.Min.X-4, b.Rect.Max.X+4, b.Kind == Cell), " ")
			}
		}
		if level && len(behind) > 0 {
			after = strings.Join(behind, " ")
		}
	}
	switch {
	case b.Kind == Tick && after != "":
		return after
	case b.Kind == Line && beside == "" && b.Rect.W() < 90 && len(after) > 3: // no mere unit
		return after
	case b.Kind == Cell && beside != "" && over != "":
		return beside + ", " + over
	case beside != "":
		return beside
	}
	return over
}

// between returns the part of a row that is about b and not about the places
// before and behind it: of a line what stands behind the line before, of a box
// to tick what stands before the next one.
func (f *finder) between(b Blank, r row) (from, to float64) {
	from, to = math.Inf(-1), math.Inf(1)
	if b.Kind != Line && b.Kind != Tick {
		return from, to
	}
	for _, o := range f.found {
		if o.Kind != b.Kind || r.baseline < o.Rect.Min.Y-2 || r.baseline > o.Rect.Max.Y+5 {
			continue
		}
		if b.Kind == Tick && o.Rect.Min.X > b.Rect.Max.X {
			to = min(to, o.Rect.Min.X)
		}
		if b.Kind == Line && o.Rect.Max.X <= b.Rect.Min.X+1 && slices.ContainsFunc(r.words, func(w words.Word) bool {
			return w.Box[0] >= o.Rect.Max.X-2 && w.Box[2] <= b.Rect.Min.X+3 && !IsRun(w.Text)
		}) {
			from = max(from, o.Rect.Max.X-2)
		}
	}
	return from, to
}

// ownPart returns the words that lead up to a place without the end of what
// was said to the place before: the unit behind it, with its comma.
func (f *finder) ownPart(r row, before []string) []string {
	first := slices.IndexFunc(r.words, func(w words.Word) bool { return w.Text == before[0] })
	follows := first >= 0 && slices.ContainsFunc(f.found, func(o Blank) bool {
		d := r.words[first].Box[0] - o.Rect.Max.X
		return o.Kind != Room && d > -4 && d < 14 && r.baseline > o.Rect.Min.Y && r.baseline < o.Rect.Max.Y+4
	})
	if unit := before[0]; follows && len(before) > 1 && len(unit) <= 6 && strings.ContainsAny(unit[len(unit)-1:], ",;.") {
		return before[1:]
	}
	return before
}

// within returns the words of a row, of one column only if column is set.
func (f *finder) within(r row, lo, hi float64, column bool) (out []string) {
	for _, w := range r.words {
		if c := w.Rect().Center().X; !IsRun(w.Text) && (!column || c > lo && c < hi) {
			out = append(out, w.Text)
		}
	}
	return out[:min(len(out), 16)]
}

// overlap is the length that two stretches share.
func overlap(a0, a1, b0, b1 float64) float64 { return min(a1, b1) - max(a0, b0) }

// IsRun reports whether a word is made to be written over.
func IsRun(s string) bool {
	n := 0
	for _, r := range s {
		switch r {
		case '_', '…', '.', '·', '‥':
			n++
		case ':', ',', ';', '(', ')', '-':
		default:
			return false
		}
	}
	return strings.Count(s, "_") >= 2 || strings.Count(s, "…") >= 2 || n >= 4 || strings.Count(s, "-") >= 6
}

// runs finds underscores and dots that are printed as letters.
func (f *finder) runs() {
	for _, r := range f.text {
		for i := 0; i < len(r.words); i++ {
			lo, hi, ok := runIn(r.words[i])
			if !ok || i == 0 && strings.HasPrefix(r.words[i].Text, "---") {
				continue // nothing, or a line that parts print from print
			}
			w := r.words[i]
			for i+1 < len(r.words) && IsRun(r.words[i+1].Text) && r.words[i+1].Box[0]-hi < 8 {
				i++
				hi = r.words[i].Box[2]
			}
			last := r.words[len(r.words)-1].Text
			if !strings.Contains(w.Text, "_") && i >= len(r.words)-2 && words.IsNumber(strings.TrimLeft(last, ".·… ")) {
				continue // a leader to a page number
			}
			if hi-lo < 10 || f.torn(span{at: w.Baseline, lo: lo, hi: hi}) {
				continue
			}
			f.line(lo, hi, w.Baseline, r.size, 0.95)
		}
	}
}

// runIn returns where in a word the part to be written over lies.
func runIn(w words.Word) (lo, hi float64, ok bool) {
	letters := []rune(w.Text)
	from, to := -1, -1
	for i := 0; i < len(letters); i++ {
		j := i
		for j < len(letters) && strings.ContainsRune("_….·‥-", letters[j]) {
			j++
		}
		if j-i > to-from && IsRun(string(letters[i:j])) {
			from, to = i, j
		}
		i = max(i, j)
	}
	if from < 0 {
		return 0, 0, false
	}
	if len(w.Edges) != len(letters)+1 {
		return w.Box[0], w.Box[2], from == 0 && to == len(letters)
	}
	return w.Edges[from], w.Edges[to], true
}

// line adds one line of writing on a baseline.
func (f *finder) line(lo, hi, y, size, sure float64) {
	size = min(max(size, smallest), largest)
	top := y - 1.25*max(size, 10)
	for _, r := range f.text { // not into the print above
		if overlap(r.box.Min.X, r.box.Max.X, lo, hi) > 2 && r.baseline < y-3 && r.baseline > top {
			top = r.baseline + 1
		}
	}
	f.add(Blank{Rect: page.R(lo, min(top, y-7), hi, y+2), Baseline: y, Size: size, Kind: Line, Confidence: sure})
}
