package inwords

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"readymargin/core/blank"
	"readymargin/core/worksheet"
)

// bullets begin the items of a list.
var bullets = regexp.MustCompile(`^(?:[•◦▪‣●○■–—*-]|\(?(?:\d{1,2}|[a-zA-Z]|[ivx]{1,4})[.)])$`)

// pieces makes pieces of the rows.
func (l *layout) pieces() (out []Piece) {
	for i := 0; i < len(l.rows); {
		switch r := l.rows[i]; {
		case r.table >= 0:
			out = append(out, l.table(r))
		case r.figure:
			d, _ := l.guide.Described(worksheet.BoxOf(r.box))
			out = append(out, Piece{Kind: Picture, Box: worksheet.BoxOf(r.box), Shows: d.Says})
		case len(r.signs) == 0: // a question that is not printed
			q := l.guide.Questions[r.asks]
			out = append(out, Piece{Kind: Heading, Level: levelOf(q.Number), Question: q.ID, Said: strings.TrimSpace(q.Number + " " + q.Text), Box: q.Rect})
		default:
			n := i + 1
			for n < len(l.rows) && l.goesOn(l.rows[i:n], l.rows[n]) {
				n++
			}
			out = append(out, l.text(l.rows[i:n])...)
			i = n
			continue
		}
		i++
	}
	l.call(out)
	l.choices(out)
	return out
}

// choices says which pictures are those that a question wants some of taken: two or more
// behind it.
func (l *layout) choices(pieces []Piece) {
	wants := map[string]bool{}
	for _, q := range l.guide.Questions {
		wants[q.ID] = blank.Picks(q.Text) || q.Task != nil && q.Task.Kind == blank.Options
	}
	for i := 0; i < len(pieces); i++ {
		if !wants[pieces[i].Question] {
			continue
		}
		var pictures []int
		for k := i + 1; k < len(pieces) && pieces[k].Question == ""; k++ {
			if pieces[k].Kind == Picture {
				pictures = append(pictures, k)
			}
		}
		for _, k := range pictures {
			pieces[k].Taken = len(pictures) > 1
		}
	}
}

// goesOn reports whether a row belongs to the text before it.
func (l *layout) goesOn(text []row, r row) bool {
	last := text[len(text)-1]
	if r.asks >= 0 || last.size == 0 || r.size == 0 || bullets.MatchString(l.first(r)) || l.heading(last) != l.heading(r) {
		return false
	}
	if max(r.size, last.size) > 1.12*min(r.size, last.size) || r.box.Min.X > last.box.Max.X || r.box.Max.X < last.box.Min.X {
		return false
	}
	right := r.box.Max.X
	for _, o := range text {
		right = max(right, o.box.Max.X)
	}
	end := l.signs(last.signs[len(last.signs)-1:])
	full := strings.ContainsAny(end[max(len(end)-1, 0):], ".!?:")
	if full && last.box.Max.X < right-0.3*(right-last.box.Min.X) {
		return false // it ended before the line did
	}
	switch gap := r.baseline - last.baseline; {
	case gap <= 0:
		return false
	case gap <= 1.9*r.size:
		return true
	default: // a text with gaps is set wide enough to be written in
		first, _ := utf8.DecodeRuneInString(l.first(r))
		return gap <= 3.2*r.size && !full && unicode.IsLower(first)
	}
}

// heading reports whether a row is of letters larger than most, and says something.
func (l *layout) heading(r row) bool {
	letters := 0
	for _, s := range r.signs {
		if s.place >= 0 {
			return false
		}
		for _, c := range l.print.Words[s.word].Text {
			if unicode.IsLetter(c) {
				letters++
			}
		}
	}
	return letters >= 3 && r.size > 1.15*l.usual+0.5
}

// levelOf is that of a question's heading.
func levelOf(number string) int {
	if blank.IsNumeral(number) || number == "" {
		return 2
	}
	return 3
}

// text makes pieces of rows that belong together: of a question its number, with what
// it asks where nothing is to be written into that, is the heading.
func (l *layout) text(rows []row) []Piece {
	const long = 30 // words; more are no heading
	var signs []sign
	box := rows[0].box
	for _, r := range rows {
		signs, box = append(signs, r.signs...), box.Union(r.box)
	}
	p := Piece{Kind: Paragraph, Box: worksheet.BoxOf(box), Bits: l.bits(signs)}
	switch asks := rows[0].asks; {
	case asks < 0 && l.heading(rows[0]):
		p.Kind, p.Level = Heading, 1
	case asks < 0 && bullets.MatchString(l.first(rows[0])):
		p.Kind = Item
	case asks >= 0:
		q := l.guide.Questions[asks]
		head := Piece{Kind: Heading, Level: levelOf(q.Number), Question: q.ID, Box: p.Box}
		written := slices.ContainsFunc(signs, func(s sign) bool { return s.place >= 0 })
		if len(signs) <= long && !written {
			head.Bits = p.Bits
			return []Piece{head}
		}
		own := l.own(signs, !written, long)
		if own == 0 {
			head.Said = cmp.Or(q.Number, q.Text)
		}
		if head.Bits = l.bits(signs[:own]); own == len(signs) {
			return []Piece{head}
		}
		p.Bits = l.bits(signs[own:])
		return []Piece{head, p}
	}
	return []Piece{p}
}

// own returns how many of the signs of a question are its heading's: its first
// sentence, or its number alone.
func (l *layout) own(signs []sign, sentence bool, long int) int {
	if sentence {
		for i, s := range signs[:min(len(signs), long)] {
			t := l.print.Words[s.word].Text
			if i > 0 && strings.ContainsAny(t[len(t)-1:], ".!?:") {
				return i + 1
			}
		}
	}
	n := 0
	for n < min(len(signs), 2) && signs[n].word >= 0 {
		t := l.print.Words[signs[n].word].Text
		if !bullets.MatchString(t) && !strings.ContainsFunc(t, unicode.IsDigit) && (n > 0 || len(signs) < 2 || signs[1].word < 0 || !strings.ContainsFunc(l.print.Words[signs[1].word].Text, unicode.IsDigit)) {
			break
		}
		n++
		if bullets.MatchString(t) || strings.ContainsFunc(t, unicode.IsDigit) {
			break
		}
	}
	return n
}

// bits makes bits of signs: words that follow each other on the page are one.
func (l *layout) bits(signs []sign) (out []Bit) {
	for _, s := range signs {
		if s.place >= 0 {
			out = append(out, Bit{Place: s.place + 1})
			continue
		}
		word := Spoken(l.print.Words[s.word].Text)
		if n := len(out); n > 0 && out[n-1].Place == 0 && out[n-1].To == s.word {
			out[n-1].Text, out[n-1].To = out[n-1].Text+" "+word, s.word+1
			continue
		}
		out = append(out, Bit{Text: word, From: s.word, To: s.word + 1})
	}
	return out
}

// signs returns the words among signs, and "…" for places.
func (l *layout) signs(signs []sign) string {
	var out []string
	for _, s := range signs {
		if s.place >= 0 {
			out = append(out, "…")
		} else {
			out = append(out, Spoken(l.print.Words[s.word].Text))
		}
	}
	return strings.Join(out, " ")
}

// table makes a piece of a table. What stands in a cell is in it line by line.
func (l *layout) table(r row) Piece {
	p := Piece{Kind: Table, Box: worksheet.BoxOf(r.box), Heads: true}
	cells := l.cells(r.table)
	for y, row := range cells {
		var out [][]Bit
		for x, cell := range row {
			slices.SortStableFunc(cell, func(a, b sign) int {
				if a.word >= 0 && b.word >= 0 {
					return cmp.Compare(a.word, b.word)
				}
				if d := a.box.Center().Y - b.box.Center().Y; d < -0.6*l.usual || d > 0.6*l.usual {
					return cmp.Compare(d, 0)
				}
				return cmp.Compare(a.box.Center().X, b.box.Center().X)
			})
			for _, s := range cell {
				if s.place >= 0 {
					p.Heads = p.Heads && y > 0
					l.inCell(s.place, cells, y, x)
				}
			}
			bits := l.bits(cell)
			if bits == nil {
				bits = []Bit{}
			}
			out = append(out, bits)
		}
		p.Rows = append(p.Rows, out)
	}
	return p
}

// inCell names a place by what stands at the head of its row and of its column.
func (l *layout) inCell(place int, cells [][][]sign, y, x int) {
	var heads []string
	add := func(cell []sign) {
		for _, s := range cell {
			if s.place == place {
				return
			}
		}
		if said := strings.Trim(l.signs(cell), " …"); said != "" && !slices.Contains(heads, said) {
			heads = append(heads, said)
		}
	}
	if own := strings.Trim(l.signs(cells[y][x]), " …"); own != "" {
		heads = append(heads, own)
	}
	add(cells[y][0])
	add(cells[0][x])
	l.names[place] = strings.Join(heads, ", ")
}

// call names the places: by their questions, which of how many they are there, and
// the words around them.
func (l *layout) call(pieces []Piece) {
	count, at := map[int]int{}, make([]int, len(l.guide.Blanks))
	var order []int // of the places as they are read
	for i := range pieces {
		l.around(pieces[i].Bits)
		pieces[i].each(func(b *Bit) {
			if b.Place > 0 {
				order = append(order, b.Place-1)
			}
		})
	}
	for _, i := range order {
		if q := l.of[i]; l.guide.Blanks[i].Holds == "" {
			count[q]++
			at[i] = count[q]
		}
	}
	for i := range pieces {
		pieces[i].each(func(b *Bit) {
			if b.Place > 0 {
				b.Name = l.called(b.Place-1, at[b.Place-1], count[l.of[b.Place-1]])
			}
		})
	}
}

func (l *layout) called(i, at, of int) string {
	p := l.guide.Blanks[i]
	words := l.names[i]
	if p.Field != "" && p.Label != "" || p.Holds != "" && p.Label != "" || words == "" {
		words = p.Label
	}
	if p.Holds != "" {
		return cmp.Or(words, string(p.Holds))
	}
	number := l.number(l.of[i])
	which := fmt.Sprintf("blank %d of %d", at, of)
	if p.Kind == blank.Tick {
		which = fmt.Sprintf("box %d of %d", at, of)
	}
	if of == 1 && number != "" {
		which = ""
	}
	head := strings.TrimPrefix(number+", "+which, ", ")
	head = strings.TrimSuffix(head, ", ")
	if words == "" {
		return head
	}
	return head + ": " + words
}

// number is a question's as it is spoken of: that of a part behind its question's.
func (l *layout) number(q int) string {
	if q < 0 {
		return ""
	}
	plain := func(s string) string { return strings.Trim(s, ".() ") }
	n := l.guide.Questions[q].Number
	if blank.IsNumeral(n) || n == "" {
		return plain(n)
	}
	for i := q - 1; i >= 0; i-- {
		if o := l.guide.Questions[i]; blank.IsNumeral(o.Number) {
			return plain(o.Number) + plain(n)
		}
	}
	return plain(n)
}

// around names the places of a text by the words around them.
func (l *layout) around(bits []Bit) {
	const far = 7 // words
	for i, b := range bits {
		if b.Place == 0 {
			continue
		}
		var before, behind []string
		for _, o := range bits[:i] {
			before = append(before, said(o)...)
		}
		for _, o := range bits[i+1:] {
			behind = append(behind, said(o)...)
		}
		if l.guide.Blanks[b.Place-1].Kind == blank.Tick {
			before = nil // the words of a box to be ticked stand behind it
			if n := slices.Index(behind, "…"); n >= 0 {
				behind = behind[:n]
			}
		}
		before, behind = before[max(0, len(before)-far):], behind[:min(far, len(behind))]
		if len(before)+len(behind) == 0 {
			continue
		}
		gap := []string{"…"}
		if l.guide.Blanks[b.Place-1].Kind == blank.Tick && len(behind) > 0 {
			gap = nil
		}
		l.names[b.Place-1] = strings.Join(slices.Concat(before, gap, behind), " ")
	}
}

func said(b Bit) []string {
	if b.Place > 0 {
		return []string{"…"}
	}
	return strings.Fields(b.Text)
}

// each calls f with every bit of a piece.
func (p *Piece) each(f func(*Bit)) {
	for i := range p.Bits {
		f(&p.Bits[i])
	}
	for _, row := range p.Rows {
		for _, cell := range row {
			for i := range cell {
				f(&cell[i])
			}
		}
	}
}
