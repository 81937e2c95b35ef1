package document

import (
	"slices"
	"strings"

	textlanguage "golang.org/x/text/language"

	"readymargin/core/blank"
	"readymargin/core/language"
	"readymargin/core/worksheet"
)

// Flags of fields (ISO 32000-2, tables 226, 228, 229 and 231).
const (
	readOnly    = 1 << 0
	multiline   = 1 << 12
	radio       = 1 << 15
	pushButton  = 1 << 16
	combo       = 1 << 17
	editable    = 1 << 18
	multiSelect = 1 << 21
	noScroll    = 1 << 23
	comb        = 1 << 24
)

// Language returns the page's as BCP 47 has it: the file's, or else what its words tell.
func (p Page) Language() string {
	if tag, err := textlanguage.Parse(p.Lang); err == nil && p.Lang != "" {
		return tag.String()
	}
	var all []string
	for _, w := range p.Print.Words {
		all = append(all, w.Text)
	}
	return language.Guess(strings.Join(all, " "))
}

// Guide returns what is on the page to be worked on: the fields of its form
// as they are with the lines beside them, or, where there is none, the blanks
// that are found; and the questions.
func (p Page) Guide() worksheet.Guide {
	flat := p.Flat()
	var found []blank.Blank
	byPlace := map[[2]float64]Field{}
	for _, f := range p.Fields {
		if b, ok := f.blank(); ok {
			found = append(found, b)
			byPlace[topLeft(b)] = f
		}
	}
	if len(found) > 0 {
		found = blank.Settle(flat, append(found, p.beside(found)...))
	} else {
		found = p.Blanks()
	}
	g := worksheet.Guide{Blanks: []worksheet.Blank{}, Questions: []worksheet.Question{}, Han: p.Print.Han(), Lang: p.Language()}
	for _, b := range found {
		place := worksheet.Blank{Rect: worksheet.BoxOf(b.Rect), Baseline: b.Baseline, Size: b.Size, Step: b.Step, Kind: b.Kind, Label: b.Label}
		if f, ok := byPlace[topLeft(b)]; ok {
			f.fill(&place)
		}
		if place.Kind == blank.Line || place.Kind == blank.Cell {
			place.Holds = blank.Holds(place.Label, b.Rect.Min.Y/flat.Height)
		}
		g.Blanks = append(g.Blanks, place)
	}
	for _, i := range flat.Notes(found) {
		g.Blanks[i].Holds = blank.Notes
	}
	if p.Wordless() {
		return g // no numbers can be read
	}
	for _, q := range blank.Questions(flat, found) {
		if p.Scan != nil {
			q.Rect, q.Text = q.Rect.Add(p.leaning(q.Rect)), said(q.Text)
		}
		ask := worksheet.Question{Number: q.Number, Text: q.Text, Rect: worksheet.BoxOf(q.Rect)}
		if q.Task != "" {
			ask.Task = &worksheet.Task{Kind: q.Task, Count: q.Count}
		}
		g.Questions = append(g.Questions, ask)
		for _, i := range q.Blanks {
			switch q.Task {
			case blank.Draw:
				g.Blanks[i].Kind = blank.Drawing
			case blank.Colour:
				g.Blanks[i].Kind = blank.Shade
			case blank.Options, blank.Pairs, blank.Words:
				g.Blanks[i].Kind = "" // nobody writes under it
			}
		}
	}
	g.Blanks = slices.DeleteFunc(g.Blanks, func(b worksheet.Blank) bool { return b.Kind == "" })
	return g
}

// beside returns the lines to write on that stand apart from the fields of the
// page's form, such as one for a name over it.
func (p Page) beside(fields []blank.Blank) (out []blank.Blank) {
	for _, b := range p.Blanks() {
		if b.Kind != blank.Line || b.Label == "" || slices.ContainsFunc(fields, func(f blank.Blank) bool {
			return !f.Rect.Grow(6).Intersect(b.Rect).Empty()
		}) {
			continue
		}
		out = append(out, b)
	}
	return out
}

func topLeft(b blank.Blank) [2]float64 {
	p := b.Rect.Min.Round()
	return [2]float64{p.X, p.Y}
}

// fill adds to a place what is to be known for filling the field in.
func (f Field) fill(p *worksheet.Blank) {
	p.Field, p.MaxLen = f.Name, f.MaxLen
	p.Fixed = f.Type == "Tx" && f.Flags&noScroll != 0
	if f.Says != "" {
		p.Label = f.Says
	}
	switch f.Type {
	case "Btn":
		p.On, p.One = f.On, f.Flags&radio != 0
	case "Ch":
		p.Options = f.Options
		p.Many = f.Flags&multiSelect != 0
		p.Free = f.Flags&combo != 0 && f.Flags&editable != 0
	}
}

// blank returns the field as a place to write; false for buttons to press,
// signatures, and what nobody may fill in.
func (f Field) blank() (blank.Blank, bool) {
	size := min(max(0.7*f.Rect.H(), 10), 14)
	b := blank.Blank{Rect: f.Rect, Baseline: f.Rect.Max.Y - 0.3*size, Size: size, Kind: blank.Line, Confidence: 1}
	switch {
	case f.Rect.W() < 2 || f.Rect.H() < 2 || f.Flags&readOnly != 0:
		return b, false
	case f.Type == "Btn":
		b.Kind = blank.Tick
		return b, f.Flags&pushButton == 0
	case f.Type == "Ch":
		b.Kind = blank.Choice
	case f.Type != "Tx":
		return b, false
	case f.Flags&comb != 0:
		b.Kind = blank.Comb
	case f.Flags&multiline != 0:
		b.Kind, b.Size, b.Baseline = blank.Box, 12, f.Rect.Min.Y+14
	}
	return b, true
}
