package document

import (
	"readymargin/core/page"
	"readymargin/core/worksheet"
)

// Leads are what leads from page to page of a file: its contents list (the
// outline of ISO 32000-2, 12.3.3) and the links on its pages (12.5.6.5).
type Leads struct {
	Heads []Head `json:"heads,omitempty"`
	Links []Link `json:"links,omitempty"`
}

// A Head is an entry of a contents list.
type Head struct {
	Title string `json:"title"`
	Depth int    `json:"depth"` // 0 at the top
	To    Target `json:"to"`
}

// A Link is a part of a page that leads to another place of the same file.
type Link struct {
	Page int       `json:"page"` // on which it is, from 1
	Rect page.Rect `json:"rect"` // in PDF user space
	To   Target    `json:"to"`
}

// A Target is a place in a file.
type Target struct {
	Page int      `json:"page"`          // from 1
	Top  *float64 `json:"top,omitempty"` // y in PDF user space; nil for the top of the page
}

// Guide puts what leads to the pages of the file, and away from them, on what
// these pages have to be worked on.
func (l Leads) Guide(pages []Page, guides []worksheet.Guide) {
	n := min(len(pages), len(guides))
	at := func(t Target) (y float64, ok bool) {
		if t.Page < 1 || t.Page > n {
			return 0, false
		}
		p := pages[t.Page-1]
		if t.Top != nil && p.Box.Quarter()%2 == 0 { // on a page on its side nothing is higher up
			y = min(max(p.Box.FromUser().Apply(page.Pt(p.Box.Crop.Min.X, *t.Top)).Y, 0), p.Height)
		}
		return page.Round(y), true
	}
	for _, h := range l.Heads {
		if y, ok := at(h.To); ok {
			g := &guides[h.To.Page-1]
			g.Heads = append(g.Heads, worksheet.Head{Title: h.Title, Depth: h.Depth, Y: y})
		}
	}
	for _, k := range l.Links {
		y, ok := at(k.To)
		if !ok || k.Page < 1 || k.Page > n {
			continue
		}
		m := pages[k.Page-1].Box.FromUser()
		r := page.Bounds(m.Apply(k.Rect.Min), m.Apply(k.Rect.Max))
		g := &guides[k.Page-1]
		g.Links = append(g.Links, worksheet.Link{Rect: worksheet.BoxOf(page.Rect{Min: r.Min.Round(), Max: r.Max.Round()}), Page: k.To.Page, Y: y})
	}
}
