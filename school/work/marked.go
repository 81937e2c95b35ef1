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
	m, err := s.openMarked(ctx, who, id, number)
	if err != nil {
		return Brought{}, err
	}
	if err := m.compare(ctx, f, answers); err != nil {
		return Brought{}, err
	}
	return m.take(ctx)
}

// A marking is what a file with feedback on an attempt comes to.
type marking struct {
	*Elsewhere
	who      school.Person
	copy     school.CopyInCourse
	attempt  school.Attempt
	layer    submission.Layer
	with     Comparison
	names    map[string]string
	match    []int
	parts    [][]document.Part
	taken    elsewhere.Taken
	feedback int // marks that are on the attempt
}

// openMarked returns what a file with feedback on an attempt is compared with, 0 for the
// latest.
func (s *Elsewhere) openMarked(ctx context.Context, who school.Person, id uint64, number int) (*marking, error) {
	attempts, err := s.store.Attempts(ctx, id)
	if err != nil {
		return nil, err
	}
	if number == 0 {
		number = len(attempts)
	}
	m := &marking{Elsewhere: s, who: who, layer: submission.Feedback(max(number, 1))}
	if m.copy, err = s.gate.Copy(ctx, who, id, access.WriteLayer, m.layer); err != nil {
		return nil, err
	}
	if number < 1 || number > len(attempts) {
		return nil, access.ErrHidden
	}
	if err := s.attachments.room(ctx, id); err != nil {
		return nil, err
	}
	m.attempt = attempts[number-1]
	if m.with, m.names, err = s.marked(ctx, m.copy, &m.attempt, m.layer); err != nil {
		return nil, err
	}
	for _, mine := range m.with.Mine {
		if mine {
			m.feedback++
		}
	}
	return m, nil
}

// compare tells what a file would be taken over as.
func (m *marking) compare(ctx context.Context, f intake.Upload, answers Answers) (err error) {
	if isXFDF(f.Data) {
		m.taken, m.match, err = m.with.laid(f.Data)
		m.parts = make([][]document.Part, len(m.match))
		return err
	}
	theirs, of, err := m.read(ctx, f)
	if err != nil {
		return err
	}
	switch {
	case theirs.Picture:
		return school.Refuse("marked picture", "", "")
	case of != 0 && of != m.copy.ID && !answers.Anyway:
		return school.Refuse("another copy", "", "")
	case theirs.Fingerprint != "" && theirs.Fingerprint != m.attempt.SnapshotHash && !answers.Anyway:
		return school.Refuse("another attempt", "", fmt.Sprint(theirs.Attempt))
	}
	theirs, m.match, err = m.with.Upright(ctx, theirs)
	if err == nil {
		err = leftOut(m.match, Answers{Some: true}) // pages of notes, and what a student added
	}
	if err != nil {
		return err
	}
	if !slices.ContainsFunc(theirs.Annotations, func(a annotation.Annotation) bool { return a.Own != "" }) {
		// What the student did is a part of the page, as it was printed.
		if m.with.Sheet, err = m.printed(ctx, m.who, m.copy, m.with); err != nil {
			return err
		}
	}
	m.taken, m.parts, err = m.with.Compare(ctx, theirs, m.match, true)
	return err
}

// take keeps what was compared.
func (m *marking) take(ctx context.Context) (Brought, error) {
	for i, f := range m.taken.Found {
		m.taken.Found[i].Mark = f.Mark.Renamed(m.names)
	}
	return m.takeOver(ctx, m.who, m.copy.ID, m.layer, access.WriteLayer, m.match, m.parts, m.taken)
}

// isXFDF reports whether a file is marks without a sheet.
func isXFDF(file []byte) bool {
	return bytes.Contains(file[:min(len(file), 4096)], []byte(xfdf.Namespace))
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
