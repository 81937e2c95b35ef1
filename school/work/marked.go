package work

import (
	"bytes"
	"context"
	"fmt"
	"maps"
	"slices"

	"readymargin/core/access"
	"readymargin/core/annotation"
	"readymargin/core/document"
	"readymargin/core/elsewhere"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/submission"
	"readymargin/core/xfdf"
	"readymargin/school"
	"readymargin/school/intake"
)

// BringMarked takes over what a teacher did with another program on a copy that was
// taken away: a PDF, or XFDF. What is new in it becomes feedback on an attempt, 0 for
// the latest; of what the student did nothing changes. Brought twice it is there once.
//
// A file of another copy is the Problem "another copy", and one of another attempt
// "another attempt", unless answers say anyway.
func (s *Elsewhere) BringMarked(ctx context.Context, who school.Person, id uint64, number int, f intake.Upload, answers Answers) (Brought, error) {
	attempts, err := s.store.Attempts(ctx, id)
	if err != nil {
		return Brought{}, err
	}
	if number == 0 {
		number = len(attempts)
	}
	layer := submission.Feedback(max(number, 1))
	c, err := s.gate.Copy(ctx, who, id, access.WriteLayer, layer)
	if err != nil {
		return Brought{}, err
	}
	if number < 1 || number > len(attempts) {
		return Brought{}, access.ErrHidden
	}
	if err := s.attachments.room(ctx, id); err != nil {
		return Brought{}, err
	}
	with, names, err := s.marked(ctx, c, &attempts[number-1], layer)
	if err != nil {
		return Brought{}, err
	}
	lay := func(match []int, parts [][]document.Part, taken elsewhere.Taken) (Brought, error) {
		for i, f := range taken.Found {
			taken.Found[i].Mark = f.Mark.Renamed(names)
		}
		return s.takeOver(ctx, who, id, layer, access.WriteLayer, match, parts, taken)
	}
	if bytes.Contains(f.Data[:min(len(f.Data), 4096)], []byte(xfdf.Namespace)) {
		taken, match, err := with.laid(f.Data)
		if err != nil {
			return Brought{}, err
		}
		return lay(match, make([][]document.Part, len(match)), taken)
	}
	theirs, of, err := s.read(ctx, f)
	if err != nil {
		return Brought{}, err
	}
	switch {
	case theirs.Picture:
		return Brought{}, school.Refuse("marked picture", "", "")
	case of != 0 && of != id && !answers.Anyway:
		return Brought{}, school.Refuse("another copy", "", "")
	case theirs.Fingerprint != "" && theirs.Fingerprint != attempts[number-1].SnapshotHash && !answers.Anyway:
		return Brought{}, school.Refuse("another attempt", "", fmt.Sprint(theirs.Attempt))
	}
	theirs, match, err := with.Upright(ctx, theirs)
	if err == nil {
		err = leftOut(match, Answers{Some: true}) // pages of notes, and what a student added
	}
	if err != nil {
		return Brought{}, err
	}
	if !slices.ContainsFunc(theirs.Annotations, func(a annotation.Annotation) bool { return a.Own != "" }) {
		// What the student did is a part of the page, as it was printed.
		if with.Sheet, err = s.printed(ctx, who, c, with); err != nil {
			return Brought{}, err
		}
	}
	taken, parts, err := with.Compare(ctx, theirs, match, true)
	if err != nil {
		return Brought{}, err
	}
	return lay(match, parts, taken)
}

// marked returns what a file with feedback on an attempt is held against, and the names
// that marks have by those that files say while it is hidden whose the copy is.
func (s *Elsewhere) marked(ctx context.Context, c school.CopyInCourse, a *school.Attempt, layer submission.Layer) (with Comparison, back map[string]string, err error) {
	r := c.Revision.Revision
	with = Comparison{Engine: s.engine, Name: stable(c.Copy.ID), Marking: true, Standing: map[string]mark.Mark{}, Mine: map[string]bool{}}
	if with.Sheet, err = s.store.Blob(ctx, r.FileHash); err != nil {
		return with, nil, err
	}
	if with.Pages, err = s.sheetPages(ctx, r); err != nil {
		return with, nil, err
	}
	if with.Boxes, err = s.revisions.Boxes(ctx, r.FileHash); err != nil {
		return with, nil, err
	}
	issued, err := s.revisions.Issued(ctx, r)
	if err != nil {
		return with, nil, err
	}
	with.Guides = issued.Guides
	snap, err := school.ReadSnapshot(ctx, s.store, a)
	if err != nil {
		return with, nil, err
	}
	names, back := map[string]string{}, map[string]string{}
	if c.Assignment.Hides(c.Copy) {
		names = submission.Aliases(snap.Marks)
	}
	for name, alias := range names {
		back[alias] = name
	}
	for _, m := range snap.Marks {
		m = m.Renamed(names)
		with.Standing[m.ID] = m
	}
	for _, l := range []submission.Layer{layer, submission.Replies} {
		heads, err := s.store.Heads(ctx, c.Copy.ID, l)
		if err != nil {
			return with, nil, err
		}
		shown, _ := school.Present(heads)
		for _, w := range shown {
			m := w.Mark.Renamed(names)
			with.Standing[m.ID] = m
			with.Mine[m.ID] = l == layer
		}
	}
	return with, back, nil
}

// laid returns what marks without a sheet become.
func (c Comparison) laid(file []byte) (taken elsewhere.Taken, match []int, err error) {
	d, err := xfdf.Read(bytes.NewReader(file), c.Boxes)
	if err != nil {
		return taken, nil, school.Refuse("no xfdf", "", "")
	}
	sheet := elsewhere.Sheet{Guides: c.Guides}
	for i, p := range c.Pages {
		sheet.Sizes, match = append(sheet.Sizes, page.Pt(p.Width, p.Height)), append(match, i+1)
	}
	return elsewhere.Take(sheet, elsewhere.File{
		Annotated: document.Annotated{Annotations: d.Annotations}, Sizes: sheet.Sizes, Pages: match, Own: true, Marking: true, Mine: c.Mine,
	}, c.Standing, c.Name), match, nil
}

// printed returns the sheet with what is standing printed on it.
func (s *Elsewhere) printed(ctx context.Context, who school.Person, c school.CopyInCourse, with Comparison) ([]byte, error) {
	what := document.Export{Boxes: with.Boxes}
	for _, id := range slices.Sorted(maps.Keys(with.Standing)) {
		if m := with.Standing[id]; m.Page <= len(with.Boxes) {
			what.Marks = append(what.Marks, m)
		}
	}
	var err error
	if what.Pictures, err = s.attachments.Pictures(ctx, s.revisions, who, c.Copy.ID, c.Revision.WorksheetID, what.Marks); err != nil {
		return nil, err
	}
	return s.engine.Print(ctx, with.Sheet, what)
}
