package work

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"readymargin/core/document"
	"readymargin/core/elsewhere"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/worksheet"
	"readymargin/school"
	"readymargin/school/intake"
)

// A Comparison holds a sheet against files that were worked on with other programs.
type Comparison struct {
	Engine   Comparer
	Sheet    []byte
	Pages    []elsewhere.Page // of the sheet
	Boxes    []page.Box
	Guides   []worksheet.Guide
	Standing map[string]mark.Mark    // what is on the copy, by names
	Name     func(key string) string // of new marks

	// Marking and Mine are as of elsewhere.File.
	Marking bool
	Mine    map[string]bool
}

// NewComparison returns what holds a sheet, as it was read, against files. Nothing is
// on the copy yet.
func NewComparison(engine Comparer, sheet intake.Read, name func(key string) string) Comparison {
	c := Comparison{Engine: engine, Sheet: sheet.File, Name: name}
	for _, p := range sheet.Pages {
		c.Boxes = append(c.Boxes, p.Box)
		c.Pages = append(c.Pages, elsewhere.Page{Print: p.Print, Width: p.Width, Height: p.Height})
		c.Guides = append(c.Guides, p.Guide())
	}
	return c
}

// Done is a file that was worked on, with what was done in it.
type Done struct {
	intake.Read
	document.Annotated
}

// ReadDone reads what was done in a file. Of one whose objects cannot be read nothing
// is told: its pages are compared as they are seen.
func ReadDone(ctx context.Context, engine Comparer, read intake.Read) (Done, error) {
	out := Done{Read: read}
	boxes := make([]page.Box, len(read.Pages))
	for i, p := range read.Pages {
		boxes[i] = p.Box
	}
	var err error
	if out.Annotated, err = engine.Annotations(ctx, read.File, boxes); err != nil && intake.Untold(err) {
		return Done{Read: read}, nil
	}
	return out, err
}

// Match returns for each page of a file which page of the sheet it is. Words tell most
// of them; only pages without are looked at, one at a time. Pages that are none of the
// sheet's are the Problem "other sheet".
func (c Comparison) Match(ctx context.Context, theirs Done) ([]int, error) {
	file, ours := make([]elsewhere.Page, len(theirs.Pages)), slices.Clone(c.Pages)
	for i, p := range theirs.Pages {
		file[i] = elsewhere.Page{Print: p.Print, Width: p.Width, Height: p.Height}
	}
	look := func(b []byte, pages []elsewhere.Page, others []elsewhere.Page) (err error) {
		for i := range pages {
			if elsewhere.NeedsInk(pages[i], others) {
				if pages[i].Ink, err = c.Engine.Ink(ctx, b, i+1); err != nil {
					return err
				}
			}
		}
		return nil
	}
	if err := errors.Join(look(c.Sheet, ours, file), look(theirs.File, file, ours)); err != nil {
		return nil, err
	}
	match := elsewhere.Match(ours, file)
	var strange []string
	for i, n := range match {
		if n == 0 {
			strange = append(strange, fmt.Sprint(i+1))
		}
	}
	if len(strange) > 0 {
		return nil, school.Refuse("other sheet", "", strings.Join(strange, ", "))
	}
	return match, nil
}

// Compare returns what was done on a file with annotations and in its form, as marks,
// and what else each of its pages shows, as pictures. What the copy has already is in
// neither. Marks are held against how the file shows them: one that looks otherwise
// stays a picture. Own says that the file was taken away from this copy.
func (c Comparison) Compare(ctx context.Context, theirs Done, match []int, own bool) (elsewhere.Taken, [][]document.Part, error) {
	file, sheet := elsewhere.File{Annotated: theirs.Annotated, Pages: match, Own: own, Marking: c.Marking, Mine: c.Mine}, elsewhere.Sheet{Guides: c.Guides}
	for _, p := range theirs.Pages {
		file.Sizes = append(file.Sizes, page.Pt(p.Width, p.Height))
	}
	for _, p := range c.Pages {
		sheet.Sizes = append(sheet.Sizes, page.Pt(p.Width, p.Height))
	}
	taken := elsewhere.Take(sheet, file, c.Standing, c.Name)
	bare, err := c.Engine.Without(ctx, theirs.File, taken.Known)
	if err != nil {
		return taken, nil, err
	}
	parts := make([][]document.Part, len(match))
	again := false
	for i, n := range match {
		if parts[i], err = c.Engine.Differ(ctx, c.Sheet, n, bare, i+1); err != nil {
			return taken, nil, err
		}
		elsewhere.Plain(taken.Found, n, parts[i])
		again = again || slices.ContainsFunc(taken.Found, func(f elsewhere.Found) bool { return !f.Loose })
	}
	for again {
		again = false
		ours, err := c.withMarks(ctx, taken.Found)
		if err != nil {
			return taken, nil, err
		}
		for i, n := range match {
			if parts[i], err = c.Engine.Differ(ctx, ours, n, bare, i+1); err != nil {
				return taken, nil, err
			}
			for _, k := range slices.Backward(elsewhere.Unlike(taken.Found, n, parts[i])) {
				taken.Found, again = slices.Delete(taken.Found, k, k+1), true
			}
		}
	}
	for i, n := range match {
		parts[i] = elsewhere.Rest(slices.Concat(taken.Same, taken.Found), n, parts[i])
	}
	return taken, parts, nil
}

// withMarks returns the sheet with the marks printed that are compared closely.
func (c Comparison) withMarks(ctx context.Context, found []elsewhere.Found) ([]byte, error) {
	what := document.Export{Boxes: c.Boxes}
	for _, f := range found {
		if !f.Loose {
			what.Marks = append(what.Marks, f.Mark)
		}
	}
	if len(what.Marks) == 0 {
		return c.Sheet, nil
	}
	return c.Engine.Print(ctx, c.Sheet, what)
}
