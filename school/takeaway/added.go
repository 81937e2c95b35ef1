package takeaway

import (
	"context"
	"fmt"

	"readymargin/core/mark"
	"readymargin/core/note"
	"readymargin/core/worksheet"
	"readymargin/school"
	"readymargin/school/screen"
)

// added are the pages that a student added to a copy, as they stand in a file:
// behind the sheet, without gaps.
type added struct {
	sheet int         // pages of the sheet
	at    map[int]int // their numbers in the file by those on the copy
	signs []mark.Mark // what leads to them and back

	only map[int]int // of the sheet's pages, if some were chosen: their numbers by those before
}

// added returns the pages that were added to a copy of so many pages.
func (s *Exports) added(ctx context.Context, r school.Revision, v screen.Screen, pages int) (added, error) {
	out, ms := added{sheet: pages, at: map[int]int{}}, marksOf(v)
	for i, p := range worksheet.Papers(ms) {
		out.at[p.Page] = pages + i + 1
	}
	if len(out.at) == 0 {
		return out, nil
	}
	issued, err := s.revisions.Issued(ctx, r)
	for i, sign := range worksheet.Signs(issued.Guides, ms) {
		out.signs = append(out.signs, sign.Mark(fmt.Sprintf("sign-leads-%d", i)))
	}
	return out, err
}

// page returns the number that a page of the copy has in the file, 0 for none.
func (a added) page(n int) int {
	switch {
	case n > a.sheet:
		return a.at[n]
	case a.only != nil:
		return a.only[n]
	}
	return n
}

// chosen returns what is left of the copy when pages are chosen: at has their new
// numbers by those that they had in the file.
func (a added) chosen(at map[int]int) added {
	out := added{sheet: a.sheet, at: map[int]int{}, signs: a.signs, only: at}
	for n, was := range a.at {
		if at[was] > 0 {
			out.at[n] = at[was]
		}
	}
	return out
}

// numbered returns conversations with the pages as they are in the file, 0 for those
// on pages that were not chosen.
func (a added) numbered(threads []note.Thread) []note.Thread {
	for i, t := range threads {
		if n := a.page(t.Page); n > 0 || a.only != nil {
			threads[i].Page = n
		}
	}
	return threads
}

func marksOf(v screen.Screen) []mark.Mark {
	out := make([]mark.Mark, len(v.Marks))
	for i, m := range v.Marks {
		out[i] = m.Mark
	}
	return out
}
