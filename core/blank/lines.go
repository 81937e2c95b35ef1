package blank

import (
	"cmp"
	"math"
	"regexp"
	"slices"
	"strings"

	"readymargin/core/page"
	"readymargin/core/words"
)

// rules finds the ruled lines to write on: those that no cell has, on which
// no print stands, and which do not part print from print.
func (f *finder) rules() {
	var free []span
	for i, s := range f.across {
		if s.length() >= 16 && !f.leader(i) && !f.torn(s) && !f.middle(i) && !f.ofCell(s) && f.writable(s) {
			free = append(free, s)
		}
	}
	// Lines of one column one after the other, those of another may lie between.
	slices.SortStableFunc(free, func(a, b span) int { return cmp.Compare(math.Round(a.lo/6), math.Round(b.lo/6)) })
	for i := 0; i < len(free); {
		n := f.ruled(free[i:])
		switch {
		case n >= 2:
			g := free[i : i+n]
			step := (g[n-1].at - g[0].at) / float64(n-1)
			r := page.R(g[0].lo, g[0].at-step, g[0].hi, g[n-1].at+2)
			for _, t := range f.text { // the first line's room begins under the print
				if overlap(t.box.Min.X, t.box.Max.X, r.Min.X, r.Max.X) > 2 && t.baseline < g[0].at-3 && t.box.Max.Y > r.Min.Y {
					r.Min.Y = min(t.box.Max.Y, g[0].at-8)
				}
			}
			f.add(Blank{Rect: r, Baseline: g[0].at - words.OnRule, Size: min(max(0.5*step, 10), 14), Step: step, Kind: Lines, Confidence: 0.85})
		case f.asked(free[i]):
			f.line(free[i].lo, free[i].hi, free[i].at-words.OnRule, f.beside(free[i]), 0.8)
		}
		i += max(n, 1)
	}
}

// middle reports whether a line is the broken one in the middle of a ruling
// for young children: as long as the whole lines above and below it, and
// halfway between them.
func (f *finder) middle(i int) bool {
	s := f.across[i]
	if !s.broken {
		return false
	}
	above, below := math.Inf(1), math.Inf(1)
	for _, o := range f.across {
		if o.broken || math.Abs(o.lo-s.lo) > 4 || math.Abs(o.hi-s.hi) > 4 {
			continue
		}
		if d := s.at - o.at; d > 2 && d < above {
			above = d
		}
		if d := o.at - s.at; d > 2 && d < below {
			below = d
		}
	}
	return above < 30 && below < 30 && math.Abs(above-below) < 3
}

// torn reports whether a line is a piece of squared paper that a scanner tore:
// pieces of lines down end, and cross it, close by.
func (f *finder) torn(s span) bool {
	n := 0
	for _, d := range f.down {
		if d.at > s.lo-4 && d.at < s.hi+4 && max(d.lo-s.at, s.at-d.hi) < 18 {
			n++
		}
	}
	return n >= 3
}

// leader reports whether a dotted line leads from words to the number of a
// page, and is not the only one that does.
func (f *finder) leader(i int) bool {
	leads := func(s span) bool {
		if !s.broken {
			return false
		}
		before, number := false, false
		for _, r := range f.text {
			if r.baseline < s.at-6 || r.baseline > s.at+6 {
				continue
			}
			before = before || r.box.Min.X < s.lo && r.box.Max.X > s.lo-12
			last := r.words[len(r.words)-1]
			number = number || last.Box[0] > s.hi-4 && last.Box[0] < s.hi+14 && words.IsNumber(last.Text) && (len(r.words) == 1 || r.words[len(r.words)-2].Box[2] < s.lo+4)
		}
		return before && number
	}
	if !leads(f.across[i]) {
		return false
	}
	return slices.ContainsFunc(f.across, func(o span) bool { return o.at != f.across[i].at && leads(o) })
}

// ruled returns how many lines from the first on are one ruling: as long, in
// even steps of handwriting, and nothing printed between or beside them.
func (f *finder) ruled(s []span) int {
	n := 1
	for n < len(s) && math.Abs(s[n].lo-s[0].lo) < 3 && math.Abs(s[n].hi-s[0].hi) < 3 {
		step := s[n].at - s[n-1].at
		if step < 8 || step > 48 || n > 1 && math.Abs(step-(s[1].at-s[0].at)) > 2.5 {
			break
		}
		if !f.empty(page.R(s[n].lo, s[n-1].at, s[n].hi, s[n].at)) || f.labelled(s[n]) {
			break
		}
		n++
	}
	return n
}

// beside returns how large the print is that a line goes on from, or 12.
func (f *finder) beside(s span) float64 {
	size, nearest := 12.0, 60.0
	for _, r := range f.text {
		if d := max(s.lo-r.box.Max.X, r.box.Min.X-s.hi, 0); d < nearest && r.baseline > s.at-9 && r.baseline < s.at+4 {
			size, nearest = r.size, d
		}
	}
	return size
}

// labelled reports whether words lead up to a line, or, where it is short, begin
// right behind it.
func (f *finder) labelled(s span) bool {
	for _, r := range f.text {
		if d := r.box.Min.X - s.hi; s.length() < 90 && d > -3 && d < 20 && r.baseline > s.at-9 && r.baseline < s.at+4 {
			return true
		}
		if r.baseline > s.at-9 && r.baseline < s.at+4 && r.box.Max.X < s.lo+4 && r.box.Max.X > s.lo-60 {
			return true
		}
	}
	return false
}

func (f *finder) ofCell(s span) bool {
	covered := 0.0
	for _, t := range f.taken {
		if math.Abs(t.at-s.at) < slack {
			covered += max(0, overlap(t.lo, t.hi, s.lo, s.hi))
		}
	}
	if covered > 0.3*s.length() {
		return true
	}
	ticks := 0
	for _, d := range f.down {
		if d.at > s.lo-slack && d.at < s.hi+slack && d.lo < s.at-1.5 && d.hi > s.at+1.5 {
			ticks++
		}
	}
	if ticks >= 2 {
		return true // a line of numbers
	}
	// An axis, or a border: something goes down from it.
	return slices.ContainsFunc(f.down, func(d span) bool {
		return d.at > s.lo-slack && d.at < s.hi+slack && d.lo < s.at+slack && d.hi > s.at-slack && d.length() > 10
	})
}

// writable reports whether nothing is printed on the line: text that stands
// on it forbids it unless it leads up to it.
func (f *finder) writable(s span) bool {
	for _, r := range f.text {
		if r.baseline < s.at-7 || r.baseline > s.at+2.5 {
			continue
		}
		on := 0.0
		for _, w := range r.words {
			if o := overlap(w.Box[0], w.Box[2], s.lo, s.hi); o > 0 && !IsRun(w.Text) {
				on += o
			}
		}
		if on > 0.12*s.length() && !leads(r.String()) {
			return false
		}
		if on > 0.6*s.length() {
			return false
		}
	}
	return true
}

func leads(text string) bool {
	return strings.ContainsAny(text[max(0, len(text)-1):], ":?)=")
}

// numbered matches how questions begin: 1. 1) 1 a) (i) Question 3
var numbered = regexp.MustCompile(`^(?:\(?(?:\d{1,3}|[a-zA-Z]|[ivx]{1,4})(?:[.)]|\.\))|\d{1,3}|Question|Exercise|Task|Aufgabe|Frage|Exercice|Ejercicio|Opgave|Oppgave|Uppgift)$`)

// asks reports whether a row begins a question.
func (r row) asks() bool {
	first := r.words[0].Text
	return numbered.MatchString(first) && (len(r.words) >= 4 || !words.IsNumber(first) && len(r.words) > 1)
}

// asked reports whether a single line is one to write on, and not one that
// parts print: something beside it, or a question just above.
func (f *finder) asked(s span) bool {
	margin := f.bounds()
	full := s.length() > 0.85*margin.W()
	for _, r := range f.text {
		level := r.baseline > s.at-9 && r.baseline < s.at+4
		for _, w := range r.words {
			if IsRun(w.Text) || !level {
				continue
			}
			if d := s.lo - w.Box[2]; d > -3 && d < 40 {
				return true
			}
			if d := w.Box[0] - s.hi; d > -3 && d < 30 {
				return true
			}
		}
	}
	if s.length() < 45 {
		return false // too short for an answer that nothing leads to
	}
	if full && (s.at < margin.Min.Y+40 || s.at > margin.Max.Y-40) {
		return false // under a running head, over a foot
	}
	above, gap, below := f.around(s)
	small := below != nil && below.baseline-s.at < 14 && above != nil && gap > 20
	switch {
	case small && s.length() < 360 && len(below.words) <= 8 && !below.asks():
		return true // a line with what it is for underneath: a signature, a date
	case above == nil:
		return false
	case (leads(above.String()) || above.asks()) && gap < 60 && gap > 12:
		return true
	}
	return false
}

// around returns the rows next above and below a line, and how far the upper
// one's baseline is.
func (f *finder) around(s span) (above *row, gap float64, below *row) {
	gap = math.Inf(1)
	under := math.Inf(1)
	for i := range f.text {
		r := &f.text[i]
		if overlap(r.box.Min.X, r.box.Max.X, s.lo, s.hi) <= 0 {
			continue
		}
		if d := s.at - r.baseline; d >= 0 && d < gap {
			above, gap = r, d
		}
		if d := r.baseline - s.at; d > 2 && d < under {
			below, under = r, d
		}
	}
	return above, gap, below
}

// bounds is the part of the page that is printed.
func (f *finder) bounds() page.Rect {
	if len(f.text) == 0 {
		return page.R(0, 0, f.page.Width, f.page.Height)
	}
	r := f.text[0].box
	for _, t := range f.text[1:] {
		r = r.Union(t.box)
	}
	for _, s := range f.across {
		r.Min.X, r.Max.X = min(r.Min.X, s.lo), max(r.Max.X, s.hi)
		r.Min.Y, r.Max.Y = min(r.Min.Y, s.at), max(r.Max.Y, s.at)
	}
	return r
}

// ticks finds boxes and circles that are printed as letters.
func (f *finder) ticks() {
	for _, r := range f.text {
		for i, w := range r.words {
			letters := []rune(w.Text)
			box := w.Rect()
			switch {
			case len(letters) >= 1 && strings.ContainsRune("☐□❏❑❒▢◻○◯⬜", letters[0]):
				if len(w.Edges) > 1 {
					box.Max.X = w.Edges[1]
				}
			case strings.ContainsAny(r.String(), "{};="):
				continue // a line of a program
			case w.Text == "[]" || w.Text == "[_]" || w.Text == "(_)" || w.Text == "()" && i == 0:
			case (w.Text == "[" || w.Text == "(") && i+1 < len(r.words) && (r.words[i+1].Text == "]" || r.words[i+1].Text == ")") && r.words[i+1].Box[0]-w.Box[2] < 16:
				box = box.Union(r.words[i+1].Rect())
			default:
				continue
			}
			f.add(Blank{Rect: box, Baseline: w.Baseline, Size: max(0.8*box.H(), 8), Kind: Tick, Confidence: 0.85})
		}
	}
}

// circles finds small circles to tick or to fill: drawn ones of one size, in a
// column or in a row with words behind or beside each, or in both.
func (f *finder) circles() {
	var round []page.Rect
	for _, a := range f.page.Art {
		w, h := a.Rect.W(), a.Rect.H()
		if !a.Picture && w >= 6 && w <= 20 && h >= 6 && h <= 20 && w/h < 1.25 && h/w < 1.25 && f.empty(a.Rect.Grow(-1)) && !f.attached(a.Rect) {
			round = append(round, a.Rect)
		}
	}
	for i, r := range round {
		alike, worded := 0, false
		for k, o := range round {
			level := math.Abs(o.Min.Y-r.Min.Y) < 2 && math.Abs(o.Min.X-r.Min.X) > r.W()
			under := math.Abs(o.Min.X-r.Min.X) < 2 && math.Abs(o.Min.Y-r.Min.Y) > r.H() && math.Abs(o.Min.Y-r.Min.Y) < 60
			if k != i && (level || under) && math.Abs(o.W()-r.W()) < 1.5 {
				alike++
			}
		}
		for _, t := range f.text {
			for _, w := range t.words {
				gap := max(w.Box[0]-r.Max.X, r.Min.X-w.Box[2])
				worded = worded || gap > 0 && gap < 24 && w.Baseline > r.Min.Y && w.Baseline < r.Max.Y+5
			}
		}
		if alike > 0 && worded || alike >= 3 { // one in each cell of a table has no words beside it
			f.add(Blank{Rect: r, Baseline: r.Max.Y - 1, Size: max(r.H(), 8), Kind: Tick, Confidence: 0.75})
		}
	}
}

// choices finds words of which one is to be marked: "(rises / falls)".
func (f *finder) choices() {
	for _, r := range f.text {
		for i, w := range r.words {
			if !strings.HasPrefix(w.Text, "(") {
				continue
			}
			parts, box := 1, w.Rect()
			for j := i; j < min(len(r.words), i+10); j++ {
				box = box.Union(r.words[j].Rect())
				if r.words[j].Text == "/" {
					parts++
				}
				if strings.HasSuffix(strings.TrimRight(r.words[j].Text, ".,;:?"), ")") {
					if parts >= 2 {
						f.add(Blank{Rect: box, Baseline: w.Baseline, Size: r.size, Kind: Choice, Confidence: 0.6})
					}
					break
				}
			}
		}
	}
}

// room finds the empty paper under the last line of a question, where nothing
// else is there to write on and the sheet asks several questions.
func (f *finder) room() {
	var starts []int
	rows := slices.Clone(f.text)
	slices.SortStableFunc(rows, func(a, b row) int { return cmp.Compare(a.baseline, b.baseline) })
	for i, r := range rows {
		if r.asks() {
			starts = append(starts, i)
		}
	}
	if len(starts) < 2 {
		return
	}
	b, rooms := f.bounds(), 0
	for k, i := range starts {
		end, last := f.page.Height-40, len(rows)
		if k+1 < len(starts) {
			last = starts[k+1]
			end = rows[last].box.Min.Y
		}
		low := rows[i].box.Max.Y
		for _, r := range rows[i:last] {
			low = max(low, r.box.Max.Y)
		}
		for _, s := range f.across {
			if s.at > rows[i].box.Min.Y && s.at < end {
				low = max(low, s.at)
			}
		}
		for _, o := range f.found {
			if o.Rect.Max.Y > rows[i].box.Min.Y+2 && o.Rect.Min.Y < end-2 {
				low = math.Inf(1)
			}
		}
		for _, s := range f.down {
			if s.hi > rows[i].box.Min.Y && s.lo < end {
				low = max(low, min(s.hi, end))
			}
		}
		if end-low < 34 || !wantsRoom(rows[i:last]) {
			continue
		}
		// What stands free under the last one is only the end of a list, unless
		// the others have room too, or it asks.
		if text := rows[last-1].String(); k == len(starts)-1 && rooms == 0 && !strings.HasSuffix(text, "?") {
			continue
		}
		rooms++
		r := page.R(b.Min.X, low+4, b.Max.X, end-4)
		f.add(Blank{Rect: r, Baseline: r.Min.Y + 16, Size: 12, Kind: Room, Label: strings.Join(f.within(rows[i], 0, 0, false), " "), Confidence: 0.5})
	}
}

// wantsRoom reports whether a question is one to be answered on paper: it ends
// as a sentence does, is no mere heading or list of values, and no chapter.
func wantsRoom(rows []row) bool {
	words := 0
	for _, r := range rows {
		words += len(r.words)
	}
	text := rows[len(rows)-1].String()
	return words >= 5 && words <= 60 && strings.ContainsAny(text[len(text)-1:], "?.:!)]")
}
