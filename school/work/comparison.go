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
		c.Pages = append(c.Pages, pageOf(p))
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

// Upright returns a file with its pages turned as those of the sheet stand, and which
// of those each is, as Match does. Words tell how a page stands; one without is tried in
// every way when it is none of the sheet's as it is.
func (c Comparison) Upright(ctx context.Context, theirs Done) (Done, []int, error) {
	turns := make([]int, len(theirs.Pages))
	for i, p := range theirs.Pages {
		turns[i] = elsewhere.Turn(c.Pages, pageOf(p))
	}
	theirs, err := c.turned(ctx, theirs, turns)
	if err != nil {
		return theirs, nil, err
	}
	match, err := c.Match(ctx, theirs)
	for by := 90; by < 360 && err == nil; by += 90 {
		turns, some := make([]int, len(match)), false
		for i, n := range match {
			if n == 0 && len(theirs.Pages[i].Print.Words) == 0 {
				turns[i], some = by, true
			}
		}
		if !some {
			break
		}
		other, err := c.turned(ctx, theirs, turns)
		if err != nil {
			return theirs, nil, err
		}
		now, err := c.Match(ctx, other)
		if err != nil {
			return theirs, nil, err
		}
		for i := range turns {
			if now[i] == 0 {
				turns[i] = 0 // it is not that either
			}
		}
		if theirs, err = c.turned(ctx, theirs, turns); err != nil {
			return theirs, nil, err
		}
		if slices.Max(turns) > 0 {
			match = now
		}
	}
	return theirs, match, err
}

// turned returns a file with its pages turned, read anew.
func (c Comparison) turned(ctx context.Context, theirs Done, turns []int) (Done, error) {
	if len(turns) == 0 || slices.Max(turns) == 0 {
		return theirs, nil
	}
	file, err := c.Engine.Turned(ctx, theirs.File, turns)
	if err != nil {
		if intake.Untold(err) {
			err = nil // it stays as it is
		}
		return theirs, err
	}
	read := theirs.Read
	read.File = file
	if read.Pages, err = c.Engine.Inspect(ctx, file); err != nil {
		return theirs, err
	}
	out, err := ReadDone(ctx, c.Engine, read)
	out.Copy, out.Attempt, out.Fingerprint = theirs.Copy, theirs.Attempt, theirs.Fingerprint
	return out, err
}

func pageOf(p document.Page) elsewhere.Page {
	return elsewhere.Page{Print: p.Print, Width: p.Width, Height: p.Height}
}

// Match returns for each page of a file which page of the sheet it is, 0 for none.
// Words tell most of them; only pages without are looked at, one at a time.
func (c Comparison) Match(ctx context.Context, theirs Done) ([]int, error) {
	file, ours := make([]elsewhere.Page, len(theirs.Pages)), slices.Clone(c.Pages)
	for i, p := range theirs.Pages {
		file[i] = pageOf(p)
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
	return elsewhere.Match(ours, file), nil
}

// leftOut reports whether a file may be taken over whose pages match so. One of which
// no page is the sheet's is the Problem "other sheet"; one with some that are not is
// "other pages", unless answers say to leave those out.
func leftOut(match []int, answers Answers) error {
	var strange []string
	for i, n := range match {
		if n == 0 {
			strange = append(strange, fmt.Sprint(i+1))
		}
	}
	switch {
	case len(strange) == len(match):
		return school.Refuse("other sheet", "", strings.Join(strange, ", "))
	case len(strange) > 0 && !answers.Some:
		return school.Refuse("other pages", "", strings.Join(strange, ", "))
	}
	return nil
}

// missing returns which of so many pages of a sheet a file has not.
func missing(match []int, pages int) []int {
	out := []int{}
	for n := 1; n <= pages; n++ {
		if !slices.Contains(match, n) {
			out = append(out, n)
		}
	}
	return out
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
		if n == 0 {
			continue
		}
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
			if n == 0 {
				continue
			}
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
		if n > 0 {
			elsewhere.Written(c.Pages[n-1], pageOf(theirs.Pages[i]), parts[i])
		}
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
