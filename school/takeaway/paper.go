package takeaway

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"readymargin/core/access"
	"readymargin/core/document"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/pagecode"
	"readymargin/core/typeset"
	"readymargin/school"
)

// Whose sheet it is stands beside the first of its codes, in points.
const (
	nameSize = 9
	nameGap  = 8
)

// empty opens a copy with nothing on it. One that is still worked on gets codes, by
// which what is written on paper finds its way back to it: of the student's own, or
// where names are known to who prints it.
func (b *builder) empty(ctx context.Context, id uint64) error {
	c, err := b.gate.Copy(ctx, b.who, id, access.OnPaper, "")
	mine := err == nil
	if errors.Is(err, access.ErrDenied) || errors.Is(err, access.ErrHidden) {
		c, err = b.gate.Copy(ctx, b.who, id, access.TakeAway, "")
		mine = c.StudentID == b.who.ID
	}
	if err != nil {
		return err
	}
	if mine && c.StudentID != 0 && c.State.WorkedOn() {
		b.coded = &c
	}
	if b.view, err = b.screens.Empty(ctx, c); err == nil && c.Assignment.Hides(c.Copy) && !mine {
		b.view.Student = c.Label()
	}
	return err
}

// codes gives the pages of an empty sheet their codes, where they are free of print.
func (b *builder) codes(ctx context.Context) error {
	if b.coded == nil {
		return nil
	}
	for i, box := range b.what.Boxes {
		ink, err := b.engine.Ink(ctx, b.file, i+1)
		if err != nil {
			return err
		}
		w, h := box.Size()
		size := page.Pt(w, h)
		code := b.coded.Assignment.PaperCode(b.coded.Copy, i+1)
		for _, code.Corner = range pagecode.Corners(ink, size) {
			b.what.Codes = append(b.what.Codes, document.PageCode{Page: i + 1, Says: code.String(), At: code.Corner.Place(size), Quiet: pagecode.Quiet})
		}
	}
	return nil
}

// names brings the codes to the pages that were chosen, and says beside the first one of
// each whose sheet it is.
func (b *builder) names() {
	codes := b.what.Codes
	b.what.Codes = nil
	named := map[int]bool{}
	for _, c := range codes {
		if c.Page = b.added.page(c.Page); c.Page == 0 {
			continue
		}
		b.what.Codes = append(b.what.Codes, c)
		if named[c.Page] {
			continue
		}
		named[c.Page] = true
		text := fmt.Sprintf("%s · %s", b.view.Student, b.view.Title)
		width := typeset.Load().Width(text, nameSize)
		w, _ := b.what.Box(c.Page).Size()
		x := c.At.Max.X + nameGap
		if c.At.Min.X > w/2 {
			x = c.At.Min.X - nameGap - width
		}
		y := c.At.Min.Y + nameSize
		if _, h := b.what.Box(c.Page).Size(); c.At.Min.Y > h/2 {
			y = c.At.Max.Y
		}
		b.what.Marks = append(b.what.Marks, mark.Mark{ID: fmt.Sprintf("paper-of-%d", c.Page), Page: c.Page, Body: &mark.FreeText{X: x, Y: y, Width: width + 4,
			Lines: []mark.TextLine{{Runs: []mark.Run{{Text: text, Size: nameSize, Color: cardInk}}}}}})
	}
}

// Filed returns an assignment with those of its students whom it is given to, to those
// who mark it.
func (s *Exports) Filed(ctx context.Context, who school.Person, assignment uint64) (given school.Assignment, c school.Course, out []school.Member, err error) {
	if given, c, err = s.marked(ctx, who, assignment); err != nil {
		return given, c, nil, err
	}
	members, err := s.store.Members(ctx, c.ID)
	for _, m := range members {
		if m.Role == access.Student && given.Audience.Includes(m.PersonID, m.Section) {
			out = append(out, m)
		}
	}
	return given, c, out, err
}

// TakeStack returns the sheets of a whole class as one file to print: an empty one for
// each student, or the newest attempt of each, with a page between that says whose is
// next. Each begins a new sheet of paper where both sides are printed on. With nothing to
// print it is the Problem "nothing".
func (s *Exports) TakeStack(ctx context.Context, who school.Person, assignment uint64, form Form) (File, error) {
	given, course, err := s.marked(ctx, who, assignment)
	if err == nil && !slices.Contains([]Form{Clean, Printed, Margin}, form) {
		err = school.Refuse("form", "", "")
	}
	if err != nil {
		return File{}, err
	}
	name := fmt.Sprintf("%s, %s, to print.pdf", school.FileName(given.Title), school.FileName(course.Name))
	if form == Clean {
		name = fmt.Sprintf("%s, %s, empty sheets.pdf", school.FileName(given.Title), school.FileName(course.Name))
	}
	stacked, err := s.stacked(ctx, given, course, form)
	if err != nil {
		return File{}, err
	}
	var files [][]byte
	var leaves []document.PageRef
	for i, one := range stacked {
		choice := Choice{Form: form, Attempt: one.attempt, Anyway: true}
		b, err := s.built(ctx, who, one.copy, choice)
		if err != nil {
			return File{}, err
		}
		if last := i == len(stacked)-1; !last {
			b.part(stacked[i+1].name, form)
		}
		data, err := s.engine.Print(ctx, b.file, b.what)
		if err != nil {
			return File{}, err
		}
		files = append(files, data)
		for n := range len(b.what.Boxes) + b.what.Extra {
			leaves = append(leaves, document.PageRef{File: i, Page: n + 1})
		}
	}
	if len(files) == 0 {
		return File{}, school.Refuse("nothing", "", "")
	}
	data, err := s.engine.Assemble(ctx, files, leaves)
	if err != nil {
		return File{}, err
	}
	return spooled(name, pdfType, data)
}

// A stacked is one of the sheets of a stack.
type stacked struct {
	copy    uint64
	attempt int
	name    string
}

// stacked returns what there is to print of an assignment, in the order of the class
// list.
func (s *Exports) stacked(ctx context.Context, given school.Assignment, course school.Course, form Form) (out []stacked, err error) {
	members, err := s.store.Members(ctx, course.ID)
	if err != nil {
		return nil, err
	}
	copies, attempts, err := s.store.HandedIn(ctx, given.ID)
	if err != nil {
		return nil, err
	}
	newest := map[uint64]school.Attempt{}
	for _, t := range attempts {
		newest[t.CopyID] = t
	}
	for _, m := range members {
		if m.Role != access.Student {
			continue
		}
		one := stacked{name: m.Name}
		if form == Clean {
			if !given.Audience.Includes(m.PersonID, m.Section) {
				continue
			}
			c, err := s.store.CopyFor(ctx, given.ID, m.PersonID, given.For(m.PersonID, m.Section).RevisionID)
			if err != nil {
				return nil, err
			}
			if c.State.WorkedOn() {
				one.copy = c.ID
				out = append(out, one)
			}
			continue
		}
		for _, c := range copies {
			if t := newest[c.ID]; c.StudentID == m.PersonID && t.Number > 0 {
				one.copy, one.attempt = c.ID, t.Number
				if given.Hides(c) {
					one.name = c.Label()
				}
				out = append(out, one)
			}
		}
	}
	return out, nil
}

// part adds the page that says whose sheet comes next, and as many as bring it to the
// front of its paper.
func (b *builder) part(next string, form Form) {
	pages := len(b.what.Boxes) + b.what.Extra
	if form == Clean { // whose each is stands on it
		b.what.Extra += pages % 2
		return
	}
	b.what.Extra += 2 - pages%2
	line := func(id, text string, y, size float64) mark.Mark {
		return mark.Mark{ID: id, Page: pages + 1, Body: &mark.FreeText{X: saidLeft, Y: y, Width: saidWidth, Lines: []mark.TextLine{{Runs: []mark.Run{{Text: text, Size: size, Color: cardInk}}}}}}
	}
	b.what.Marks = append(b.what.Marks, line("part-next", "Next: "+next, 360, 28), line("part-title", b.view.Title+" · "+b.view.Course, 400, 12))
}
