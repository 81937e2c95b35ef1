// Package practice draws the sheets that ship: the practice sheet, one page on which
// every instrument is tried once, laid out by the steps of core/practice, and the
// ruled page that stands where somebody brings pages of their own.
package practice

import (
	"bytes"
	"fmt"
	"time"

	"codeberg.org/go-pdf/fpdf"

	"readymargin/core/practice"
)

// page begins a file of one page, whose bytes are the same every time.
func page() *fpdf.Fpdf {
	f := fpdf.New("P", "pt", "A4", "")
	f.SetAutoPageBreak(false, 0)
	made := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)
	f.SetCreationDate(made)
	f.SetModificationDate(made)
	f.SetCatalogSort(true)
	f.AddPage()
	return f
}

// Ruled returns a ruled page as a PDF, the same bytes every time.
func Ruled() ([]byte, error) {
	f := page()
	f.SetDrawColor(190, 202, 216)
	f.SetLineWidth(0.6)
	for y := 96.0; y < 800; y += 26 {
		f.Line(56, y, 539, y)
	}
	var b bytes.Buffer
	err := f.Output(&b)
	return b.Bytes(), err
}

// printed is what stands at a step to be worked on.
var printed = map[string]string{
	"Highlighter": "The harbour wakes with the rising tide, and the boats begin to lift.",
	"Underline":   "High water comes twice a day, a little later each time.",
	"Cross out":   "A lighthouse shows its light by night and by yesterday.",
}

// Sheet returns the page as a PDF, the same bytes every time.
func Sheet() ([]byte, error) {
	f := page()
	utf := f.UnicodeTranslatorFromDescriptor("")
	say := func(x, y, size float64, style, text string) {
		f.SetFont("Helvetica", style, size)
		f.Text(x, y, utf(text))
	}
	say(56, 76, 20, "B", "Practice sheet")
	f.SetTextColor(90, 90, 90)
	say(56, 96, 11, "", "Twelve things to try. Nothing is handed in, and you can begin again as often as you like.")
	f.SetTextColor(0, 0, 0)
	for i, s := range practice.Steps {
		r := s.Rect
		number := fmt.Sprint(i+1, ".")
		say(r[0]-18*min(1, float64(len(number))), r[1]-8, 11, "B", number)
		say(r[0]+4, r[1]-8, 11, "", s.Instrument+": "+s.Task)
		f.SetLineWidth(0.8)
		switch text := printed[s.Instrument]; {
		case text != "":
			say(r[0], r[3]-4, 12, "", text)
		case r[3]-r[1] < 30:
			f.Line(r[0], r[3]-2, r[2], r[3]-2)
		default:
			f.SetDrawColor(150, 160, 175)
			f.Rect(r[0], r[1], r[2]-r[0], r[3]-r[1], "D")
			f.SetDrawColor(0, 0, 0)
		}
	}
	var b bytes.Buffer
	err := f.Output(&b)
	return b.Bytes(), err
}
