package takeaway

import (
	"fmt"

	"readymargin/core/document"
	"readymargin/core/margin"
	"readymargin/core/mark"
	"readymargin/core/note"
	"readymargin/core/page"
	"readymargin/school"
)

// Measures of a margin on paper, in points.
const (
	marginWidth = 236 // beside each page
	cardLeft    = 22  // from the page's edge
	cardPad     = 8
	cardWidth   = marginWidth - cardLeft - 12
	cardGap     = 8
	cardTop     = 24 // from the upper edge, and from the lower
	cardSize    = 9.5
	cardHead    = 8
	cardSteps   = 1.35 // from line to line, as a factor of the size
)

// The margin's colours on paper.
const (
	cardInk    mark.Color = "#1e2a44"
	cardHint   mark.Color = "#5b667d"
	cardBorder mark.Color = "#c9ced8"
)

// A card is a conversation as it is set in the margin.
type card struct {
	lines  [][]mark.Run
	number int // of the note, 0 for none
	color  mark.Color
	place  page.Point
	level  float64
}

func (c card) height() float64 {
	h := 2.0 * cardPad
	for _, l := range c.lines {
		h += cardSteps * lineSize(l)
	}
	return h
}

func lineSize(l []mark.Run) float64 {
	if len(l) == 0 {
		return cardSize
	}
	return l[0].Size
}

// say adds what somebody said to a card.
func (c *card) say(who, text string, rich bool, color mark.Color) {
	add := func(runs []mark.Run, size float64, color mark.Color) {
		c.lines = append(c.lines, set(runs, size, color, cardWidth-2*cardPad)...)
	}
	if who != "" {
		add([]mark.Run{{Text: who}}, cardHead, cardHint)
	}
	if text == "" {
		return
	}
	for _, p := range school.Paragraphs(text, rich) {
		add(append([]mark.Run{{Text: p.Lead}}, p.Runs...), cardSize, color)
	}
}

// conversation returns remarks as a card.
func conversation(remarks []note.Remark, head string) card {
	c := card{color: noteColor(remarks[0])}
	for i, r := range remarks {
		who := r.Author
		if i == 0 && head != "" {
			who = head + " · " + who
		}
		c.say(who, spokenWords(r), r.Rich, noteColor(r))
	}
	return c
}

// spokenWords are a remark's words; of one that was spoken, that it was as well.
func spokenWords(r note.Remark) string {
	if r.Voice == nil {
		return r.Text
	}
	says := fmt.Sprintf("Voice note, %d:%02d", r.Voice.Milliseconds/60000, r.Voice.Milliseconds/1000%60)
	if r.Text != "" {
		says += "\n\n" + r.Text
	}
	return says
}

// margin sets what was said beside each page of so many, with lines that lead to
// what it is about; what has no room goes on behind the last page.
func (b *builder) margin(threads []note.Thread, whole []note.Remark, pages int) {
	v := b.view
	b.what.Beside = marginWidth
	on := map[int][]card{}
	first := card{color: cardInk}
	if v.Given != nil && v.PointsOf != "" {
		first.lines = append(first.lines, []mark.Run{{Text: *v.Given + " of " + v.PointsOf, Size: 14, Color: cardInk, Bold: true}})
	}
	if v.Remark != "" {
		first.say("", v.Remark, v.RemarkRich, cardInk)
	}
	if len(first.lines) > 0 {
		on[1] = append(on[1], first)
	}
	if len(whole) > 0 {
		on[1] = append(on[1], conversation(whole, "About the whole copy"))
	}
	for _, t := range threads {
		c := conversation(t.Remarks, fmt.Sprint(t.Number))
		if t.Done != nil {
			c.say("Done · "+t.Done.Author, "", false, cardHint)
		}
		c.number, c.place = t.Number, page.Pt(t.Place[0], t.Place[1])
		c.level = c.place.Y - 12
		on[t.Page] = append(on[t.Page], c)
	}
	var left []card
	for n := 1; n <= pages; n++ {
		w, h := page.Box{Crop: document.A4}.Size()
		if n <= len(b.what.Boxes) {
			w, h = b.what.Boxes[n-1].Size()
		}
		left = append(left, b.setCards(on[n], n, w, h, true)...)
	}
	for len(left) > 0 {
		b.what.Extra++
		pages++
		w, h := page.Box{Crop: document.A4}.Size()
		rest := b.setCards(left, pages, w, h, false)
		if len(rest) == len(left) { // one that is higher than a page
			left[0].lines = left[0].lines[:min(len(left[0].lines), 50)]
			continue
		}
		left = rest
	}
}

// setCards sets cards beside page n, and returns those that found no room.
func (b *builder) setCards(all []card, n int, w, h float64, lead bool) []card {
	heights := make([]margin.Card, len(all))
	for i, c := range all {
		heights[i] = margin.Card{Level: c.level, Height: c.height()}
	}
	tops := margin.Place(heights, cardTop, h-cardTop, cardGap)
	id := 0
	add := func(body mark.Body) {
		id++
		b.what.Marks = append(b.what.Marks, mark.Mark{ID: fmt.Sprintf("margin-%d-%d", n, id), Page: n, Body: body})
	}
	for i, top := range tops {
		c := all[i]
		left := w + cardLeft
		add(&mark.Square{Shape: mark.Shape{Color: cardBorder, Width: 0.6, Opacity: 1}, Rect: [4]float64{left, top, left + cardWidth, top + c.height()}})
		add(&mark.Line{Shape: mark.Shape{Color: c.color, Width: 2, Opacity: 1}, L: [4]float64{left, top + 1, left, top + c.height() - 1}})
		if c.number > 0 && lead {
			add(&mark.PolyLine{Shape: mark.Shape{Color: c.color, Width: 0.5, Opacity: 0.7}, Vertices: [][2]float64{
				{page.Round(c.place.X + mark.NoteRadius), page.Round(c.place.Y)}, {page.Round(w + 8), page.Round(c.place.Y)}, {left, page.Round(top + 12)}}})
		}
		y := top + cardPad
		for _, l := range c.lines {
			y += cardSteps * lineSize(l)
			if len(l) > 0 {
				add(&mark.FreeText{X: left + cardPad, Y: page.Round(y - 0.35*lineSize(l)), Width: cardWidth, Lines: []mark.TextLine{{Runs: l}}})
			}
		}
	}
	return all[len(tops):]
}
