// Package practice knows the steps of the practice sheet, on which every
// instrument is tried once, and tells which of them are done.
package practice

import (
	"math"
	"slices"
	"strings"

	"readymargin/core/ink"
	"readymargin/core/mark"
	"readymargin/core/page"
)

// A Step is one thing to try at a place of the sheet's page.
type Step struct {
	Instrument string     `json:"instrument"`
	Task       string     `json:"task"`
	Rect       [4]float64 `json:"rect"` // left, top, right, bottom, points

	done func(Step, []mark.Mark) bool
}

// Marks that lie on the sheet from the beginning.
const (
	Spill = "practice-spill" // to be taken away with the eraser
	Star  = "practice-star"  // to be dragged to its place
	Loose = "practice-loose" // a line of which a part is to be rubbed out
)

// of tells of a kind of mark that stands in the step's place.
func of(kinds ...string) func(Step, []mark.Mark) bool {
	return func(s Step, ms []mark.Mark) bool {
		return slices.ContainsFunc(ms, func(m mark.Mark) bool {
			return slices.Contains(kinds, m.Body.Kind()) && m.ID != Star && m.ID != Loose && m.ID != Spill && s.has(m)
		})
	}
}

func (s Step) has(m mark.Mark) bool {
	return page.R(s.Rect[0], s.Rect[1], s.Rect[2], s.Rect[3]).Grow(6).Contains(m.Body.Bounds().Center())
}

func signed(s Step, ms []mark.Mark) bool {
	return slices.ContainsFunc(ms, func(m mark.Mark) bool {
		t, ok := m.Body.(*mark.FreeText)
		return ok && s.has(m) && strings.ContainsAny(t.String(), "°′″×√→←↑↓±≈πα")
	})
}

func find(ms []mark.Mark, id string) (mark.Mark, bool) {
	i := slices.IndexFunc(ms, func(m mark.Mark) bool { return m.ID == id })
	if i < 0 {
		return mark.Mark{}, false
	}
	return ms[i], true
}

func moved(s Step, ms []mark.Mark) bool {
	m, there := find(ms, Star)
	return there && s.has(m)
}

func erased(_ Step, ms []mark.Mark) bool {
	_, there := find(ms, Spill)
	return !there
}

func rubbed(_ Step, ms []mark.Mark) bool {
	m, there := find(ms, Loose)
	line, ok := m.Body.(*mark.Ink)
	return !there || ok && len(line.Rubbed) > 0
}

// Steps are in the order of the sheet.
var Steps = []Step{
	{"Type", "Type your name on the line.", [4]float64{74, 140, 300, 160}, of("freetext")},
	{"Signs", "Write an angle with its sign: 35°.", [4]float64{370, 140, 520, 160}, signed},
	{"Highlighter", "Highlight “the rising tide”.", [4]float64{74, 196, 520, 212}, of("highlight")},
	{"Underline", "Underline “twice a day”.", [4]float64{74, 240, 520, 256}, of("underline")},
	{"Cross out", "Cross out the word that is wrong.", [4]float64{74, 284, 520, 300}, of("strikeout")},
	{"Pen", "Draw a wave in the frame.", [4]float64{74, 338, 280, 402}, of("ink")},
	{"Shapes", "Draw a box or an ellipse in the frame.", [4]float64{310, 338, 520, 402}, of("square", "circle", "line", "polyline")},
	{"Stamp", "Put a stamp into the frame.", [4]float64{74, 440, 280, 504}, of("stamp")},
	{"Pick", "Drag the star into the frame.", [4]float64{310, 440, 520, 504}, moved},
	{"Eraser: parts", "Rub out a piece of the line.", [4]float64{74, 544, 280, 604}, rubbed},
	{"Eraser: whole marks", "Take the spill away.", [4]float64{310, 544, 520, 604}, erased},
	{"Note", "Leave a note here for your teacher.", [4]float64{74, 644, 520, 704}, of("note")},
}

// Done tells of each step whether the marks on the page show that it was done.
func Done(ms []mark.Mark) []bool {
	out := make([]bool, len(Steps))
	for i, s := range Steps {
		out[i] = s.done(s, ms)
	}
	return out
}

func center(s Step, y float64) page.Point { return page.Pt((s.Rect[0]+s.Rect[2])/2, y) }

// Laid returns the marks that lie on the sheet from the beginning.
func Laid() []mark.Mark {
	drawn := func(color mark.Color, width float64, at func(t float64) page.Point) *mark.Ink {
		var samples []ink.Sample
		for i := range 60 {
			p := at(float64(i) / 59)
			samples = append(samples, ink.Sample{X: p.X, Y: p.Y, Pressure: 0.5})
		}
		return &mark.Ink{Color: color, Width: width, Opacity: 1, InkList: []ink.Stroke{ink.Fit(samples)}}
	}
	return []mark.Mark{
		{ID: Star, Page: 1, Body: &mark.Stamp{Name: "star", Color: "#c96a12", Rect: [4]float64{532, 412, 558, 438}}},
		{ID: Loose, Page: 1, Body: drawn("#1f4fa3", 3, func(t float64) page.Point { return page.Pt(90+175*t, 574+14*math.Sin(9*t)) })},
		{ID: Spill, Page: 1, Body: drawn("#7a3fa0", 9, func(t float64) page.Point {
			return page.Pt(415+24*t*math.Cos(14*t), 574+20*t*math.Sin(14*t))
		})},
	}
}
