package demo

import (
	"bytes"
	"encoding/json"
	"image"
	"image/color"
	"image/draw"
	"image/png"

	"readymargin/core/mark"
	"readymargin/core/points"
	"readymargin/core/words"
	"readymargin/core/worksheet"
	"readymargin/school"
	"readymargin/school/intake"
	"readymargin/sound"
)

// key is the colour key of the sheet about tides.
var key = []worksheet.Meaning{
	{Name: "danger", Color: "#ffc38a", Sign: "D"},
	{Name: "sea mark", Color: "#bfe3c0", Sign: "S"},
	{Name: "depth", Color: "#bfdcf5", Sign: "m"},
}

// explained judges what is explained in one's own words, by one point in all.
var explained = &worksheet.Rubric{Shown: true, Criteria: []worksheet.Criterion{
	{ID: "explained-rule", Text: "Uses the rule of twelfths", Levels: []worksheet.Level{
		{ID: "explained-rule-named", Text: "named, with its numbers", Points: points.One / 2},
		{ID: "explained-rule-hinted", Text: "hinted at", Points: points.One / 4},
		{ID: "explained-rule-not", Text: "not there"},
	}},
	{ID: "explained-reason", Text: "Says why", Levels: []worksheet.Level{
		{ID: "explained-reason-given", Text: "in words of one’s own", Points: points.One / 2},
		{ID: "explained-reason-not", Text: "not there"},
	}},
}}

// meant highlights with a meaning of the key.
func meant(m markMaker, of worksheet.Meaning) markMaker {
	return func(id string) mark.Mark {
		made := m(id)
		h := made.Body.(*mark.Highlight)
		h.Color, h.Meaning, h.Sign = mark.Color(of.Color), of.Name, of.Sign
		return made
	}
}

// prepareTides gives the sheet about tides points by question, directions, a
// colour key and a picture shelf.
func (f *filler) prepareTides(w school.Worksheet) {
	if f.err != nil {
		return
	}
	found, err := f.Shelf.Found(f.ctx, f.teachers[0], w.ID)
	f.check(err)
	p, err := worksheet.Parse(w.Plan)
	f.check(err)
	buoy, err := f.Shelf.AddPicture(f.ctx, f.teachers[0], w.ID, intake.Upload{Name: "Red buoy.png", Data: RedBuoy()})
	f.check(err)
	wav, err := sound.Speak(f.ctx, "Read the extract twice before you fill in the table. The curve on the second page helps you with question seven.", "en-gb", 150)
	f.check(err)
	if f.err != nil {
		return
	}
	voice, err := f.Shelf.AddSpoken(f.ctx, f.teachers[0], w.ID, intake.Recorded{Data: wav})
	f.check(err)
	worth := []points.Points{6, 2, 1, 2, 1, 1, 1, 0} // whole ones, of all pages
	for i := range p {
		asks := found[i].Questions
		for k := range asks {
			if len(worth) > 0 {
				asks[k].Points, worth = worth[0]*points.One, worth[1:]
			}
		}
		if i == 0 {
			layer, err := f.Shelf.LeafPrint(f.ctx, f.teachers[0], w.ID, p[i])
			f.check(err)
			var print words.Page
			if f.err == nil {
				f.check(json.Unmarshal([]byte(layer), &print))
			}
			for k := range asks {
				if asks[k].Number == "5." {
					asks[k].Rubric = explained
				}
				if asks[k].Number != "4." {
					continue
				}
				for _, m := range toMark[:len(toMark)-1] {
					run := phrase(print, m.words)
					asks[k].Words = append(asks[k].Words, worksheet.Run{Text: run.Text, QuadPoints: mark.QuadPoints(run.Quads)})
				}
			}
		}
		places := found[i].Blanks
		for k := range places {
			if places[k].Label == "2. The range of the tide is" {
				places[k].Kind, places[k].Expected = "number", &worksheet.Expected{Number: "4.5", Tolerance: "0.1", Unit: "m"}
			}
		}
		p[i].Questions, p[i].Blanks = &asks, &places
	}
	p[0].Said = []mark.Mark{
		{ID: "direction-listen", Page: 1, Body: &mark.Note{At: [2]float64{548, 104}, Voice: &voice}},
		{ID: "direction-key", Page: 1, Body: &mark.Note{At: [2]float64{548, 508}, Text: "Choose the meaning, not the colour: danger, sea mark or depth."}},
	}
	f.check(f.Shelf.Arrange(f.ctx, f.teachers[0], w.ID, w.Version, p, worksheet.Kit{Key: key, Shelf: []worksheet.Picture{buoy}}))
}

// prepareSymbols takes the places off the chart on the second page of the sheet
// about symbols, whose squares look like cells of a table.
func (f *filler) prepareSymbols(w school.Worksheet) {
	if f.err != nil {
		return
	}
	p, err := worksheet.Parse(w.Plan)
	f.check(err)
	if f.err != nil {
		return
	}
	p[1].Blanks = &[]worksheet.Blank{}
	f.check(f.Shelf.Arrange(f.ctx, f.teachers[0], w.ID, w.Version, p, worksheet.Kit{}))
}

// RedBuoy is a small picture for the shelf.
func RedBuoy() []byte {
	m := image.NewRGBA(image.Rect(0, 0, 120, 160))
	draw.Draw(m, m.Bounds(), image.White, image.Point{}, draw.Src)
	fill := func(r image.Rectangle, c color.Color) { draw.Draw(m, r, image.NewUniform(c), image.Point{}, draw.Src) }
	fill(image.Rect(36, 30, 84, 110), color.RGBA{0xc2, 0x2f, 0x20, 0xff})
	fill(image.Rect(56, 8, 64, 30), color.RGBA{0x1e, 0x2a, 0x44, 0xff})
	fill(image.Rect(24, 104, 96, 116), color.RGBA{0x8c, 0x1f, 0x15, 0xff})
	for y := 122; y < 150; y += 12 {
		fill(image.Rect(4, y, 116, y+4), color.RGBA{0x9f, 0xc4, 0xe3, 0xff})
	}
	var out bytes.Buffer
	if err := png.Encode(&out, m); err != nil {
		panic(err) // an image in memory always encodes
	}
	return out.Bytes()
}
