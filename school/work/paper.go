package work

import (
	"context"
	"errors"
	"fmt"

	"readymargin/core/access"
	"readymargin/core/document"
	"readymargin/core/elsewhere"
	"readymargin/core/page"
	"readymargin/core/pagecode"
	"readymargin/core/photograph"
	"readymargin/core/submission"
	"readymargin/school"
	"readymargin/school/intake"
)

// An Outcome is what became of a page of paper.
type Outcome string

// What becomes of pages.
const (
	PageLaid      Outcome = "laid"       // on the copy that its code names
	PageThere     Outcome = "there"      // it was laid before
	PageLate      Outcome = "late"       // laid, and waiting: the assignment is closed
	PageSubmitted Outcome = "submitted"  // not laid: nobody works on the copy
	PageElsewhere Outcome = "elsewhere"  // not laid: it is of another assignment
	PageStrange   Outcome = "strange"    // not laid: its code names no copy here
	PageUncoded   Outcome = "no code"    // not laid: no code was read
	PageTwo       Outcome = "two sheets" // not laid: it shows codes of two
)

// A PaperPage says what became of a page of a scan, or of a photograph.
type PaperPage struct {
	Page    int     `json:"page"` // of the file
	Of      int     `json:"of"`   // pages of the file
	Outcome Outcome `json:"outcome"`
	Copy    uint64  `json:"copy,omitempty"`
	Student string  `json:"student,omitempty"`
	Sheet   int     `json:"sheet,omitempty"`   // which page of the sheet it is
	Title   string  `json:"title,omitempty"`   // of the other assignment
	Picture []byte  `json:"picture,omitempty"` // JPEG of a page that was not laid, to be looked at
}

// BringPaper takes sheets in that were printed and written on by hand: photographs, and
// scans of whole stacks. Each page is laid on the copy that its code names, set straight
// and in even light, as a picture among the student's work; pages of which that cannot be
// told are laid nowhere. Tell is told of each page as it is done, and an error of it ends
// the rest. The same file again changes nothing.
func (s *Elsewhere) BringPaper(ctx context.Context, who school.Person, assignment uint64, f intake.Upload, tell func(PaperPage) error) error {
	given, _, err := s.gate.Given(ctx, who, assignment, access.SeeRoll)
	if err != nil {
		return err
	}
	file, err := s.paper(ctx, f)
	if err != nil {
		return err
	}
	for n, of := 1, 1; n <= of; n++ {
		var p PaperPage
		var codes []document.Code
		if codes, of, err = s.engine.Codes(ctx, file, n); err != nil {
			return err
		}
		if p, err = s.sort(ctx, who, given, codes); err == nil && p.Outcome == PageLaid {
			p, err = s.layPaper(ctx, who, p, access.OnPaper, file, n, codes)
		}
		if err != nil {
			return err
		}
		if p.Page, p.Of = n, of; p.Copy == 0 {
			if p.Picture, err = s.engine.Laid(ctx, file, n, nil, page.Point{}); err != nil {
				return err
			}
		}
		if err := tell(p); err != nil {
			return err
		}
	}
	return nil
}

// paper returns a scan or a photograph; what is neither is the Problem "no paper".
func (s *Elsewhere) paper(ctx context.Context, f intake.Upload) ([]byte, error) {
	file, err := s.intake.Developed(ctx, f.Data)
	if err == nil && !document.IsPicture(file) && !document.IsPDF(file) {
		err = school.Refuse("no paper", "", "")
	}
	return file, err
}

// BringUncoded lays a picture of a page, of which no code was read, on a page of the
// sheet of a student, as who looks at it says.
func (s *Elsewhere) BringUncoded(ctx context.Context, who school.Person, assignment, student uint64, number int, f intake.Upload) (PaperPage, error) {
	given, _, err := s.gate.Given(ctx, who, assignment, access.SeeRoll)
	if err != nil {
		return PaperPage{}, err
	}
	m, err := s.store.Membership(ctx, given.CourseID, student)
	if err != nil {
		return PaperPage{}, err
	}
	if m.Role != access.Student || !given.Audience.Includes(student, m.Section) {
		return PaperPage{}, school.Refuse("whose", "student", "")
	}
	mine, err := s.store.CopyFor(ctx, given.ID, student, given.For(student, m.Section).RevisionID)
	if err != nil {
		return PaperPage{}, err
	}
	c, err := s.gate.Copy(ctx, who, mine.ID, access.OnPaper, submission.Work)
	if err != nil {
		return PaperPage{}, err
	}
	sizes, err := s.revisions.Sizes(ctx, c.Revision.Revision)
	if err != nil {
		return PaperPage{}, err
	}
	if number < 1 || number > len(sizes) {
		return PaperPage{}, school.Refuse("page", "page", fmt.Sprint(len(sizes)))
	}
	out := PaperPage{Page: 1, Of: 1, Outcome: PageLaid, Copy: c.ID, Student: c.Student.Name, Sheet: number}
	if !c.State.WorkedOn() {
		out.Outcome = PageSubmitted
		return out, nil
	}
	file, err := s.paper(ctx, f)
	if err != nil {
		return PaperPage{}, err
	}
	picture, err := s.engine.Laid(ctx, file, 1, nil, page.Point{})
	if err != nil {
		return PaperPage{}, err
	}
	return s.layPicture(ctx, who, out, access.OnPaper, sizes[number-1], picture)
}

// sort tells of which copy a page is, by its codes.
func (s *Elsewhere) sort(ctx context.Context, who school.Person, given school.Assignment, codes []document.Code) (PaperPage, error) {
	code, outcome := agreed(codes)
	if outcome != PageLaid {
		return PaperPage{Outcome: outcome}, nil
	}
	c, err := s.gate.Copy(ctx, who, code.Copy, access.OnPaper, submission.Work)
	switch {
	case errors.Is(err, access.ErrHidden), err == nil && !isOf(code, c):
		return PaperPage{Outcome: PageStrange}, nil
	case err != nil:
		return PaperPage{}, err
	case c.Assignment.ID != given.ID:
		return PaperPage{Outcome: PageElsewhere, Title: c.Assignment.Title}, nil
	}
	out := PaperPage{Outcome: PageLaid, Copy: c.ID, Student: c.Student.Name, Sheet: code.Page}
	if !c.State.WorkedOn() {
		out.Outcome = PageSubmitted
	}
	return out, nil
}

// isOf reports whether a code is of this copy, and not of one of its number elsewhere.
func isOf(code pagecode.Code, c school.CopyInCourse) bool {
	return c.Assignment.PaperCode(c.Copy, code.Page).Tag == code.Tag && code.Page <= c.Revision.PageCount
}

// agreed returns what the codes of a page say; the page can be laid where they agree.
func agreed(codes []document.Code) (out pagecode.Code, _ Outcome) {
	found := false
	for _, c := range codes {
		code, ok := pagecode.Parse(c.Says)
		if !ok {
			continue
		}
		if found && (code.Copy != out.Copy || code.Page != out.Page || code.Tag != out.Tag) {
			return out, PageTwo
		}
		out, found = code, true
	}
	if !found {
		return out, PageUncoded
	}
	return out, PageLaid
}

// ties are what codes tell of how their page lies in a picture.
func ties(codes []document.Code, size page.Point) (out []photograph.Tie) {
	for _, c := range codes {
		if code, ok := pagecode.Parse(c.Says); ok {
			for i, is := range code.Corner.Finders(size, c.Modules) {
				out = append(out, photograph.Tie{Seen: c.Finders[i], Is: is})
			}
		}
	}
	return out
}

// layPaper lays a page of a file on the copy that its codes name.
func (s *Elsewhere) layPaper(ctx context.Context, who school.Person, p PaperPage, by access.Action, file []byte, n int, codes []document.Code) (PaperPage, error) {
	c, err := s.gate.Copy(ctx, who, p.Copy, by, submission.Work)
	if err != nil {
		return p, err
	}
	sizes, err := s.revisions.Sizes(ctx, c.Revision.Revision)
	if err != nil {
		return p, err
	}
	size := sizes[p.Sheet-1]
	at := page.Pt(size.Width, size.Height)
	picture, err := s.engine.Laid(ctx, file, n, ties(codes, at), at)
	if err != nil {
		return p, err
	}
	return s.layPicture(ctx, who, p, by, size, picture)
}

// layPicture lays a picture of a page on it.
func (s *Elsewhere) layPicture(ctx context.Context, who school.Person, p PaperPage, by access.Action, size school.PageSize, picture []byte) (PaperPage, error) {
	if err := s.attachments.room(ctx, p.Copy); err != nil {
		return p, err
	}
	out, err := s.takeOver(ctx, who, p.Copy, submission.Work, by, []int{p.Sheet}, [][]document.Part{{{Rect: page.R(0, 0, size.Width, size.Height), JPEG: picture}}}, elsewhere.Taken{})
	switch {
	case err != nil:
	case out.Places == 0:
		p.Outcome = PageThere
	case out.Late:
		p.Outcome = PageLate
	}
	return p, err
}

// ownPaper takes in what a student printed, wrote on by hand and photographed or scanned,
// and reports whether it was that: whether any page without words has a code.
func (s *Elsewhere) ownPaper(ctx context.Context, who school.Person, c school.CopyInCourse, f intake.Upload, theirs Done, answers Answers) (out Brought, coded bool, err error) {
	for _, p := range theirs.Pages {
		if len(p.Print.Words) > 0 {
			return out, false, nil
		}
	}
	file, err := s.paper(ctx, f)
	if err != nil {
		return out, false, nil // a document of an office: no scan
	}
	match, codes := []int{}, [][]document.Code{}
	for n, of := 1, 1; n <= of; n++ {
		var seen []document.Code
		if seen, of, err = s.engine.Codes(ctx, file, n); err != nil {
			return out, false, err
		}
		code, outcome := agreed(seen)
		switch {
		case outcome != PageLaid || code.Page > c.Revision.PageCount:
			code.Page = 0
		case (code.Copy != c.ID || !isOf(code, c)) && !answers.Anyway:
			return out, true, school.Refuse("another copy", "", "")
		default:
			coded = true
		}
		match, codes = append(match, code.Page), append(codes, seen)
	}
	if !coded {
		return out, false, nil
	}
	if err := leftOut(match, answers); err != nil {
		return out, true, err
	}
	sizes, err := s.revisions.Sizes(ctx, c.Revision.Revision)
	if err != nil {
		return out, true, err
	}
	parts := make([][]document.Part, len(match))
	for i, n := range match {
		if n == 0 {
			continue
		}
		at := page.Pt(sizes[n-1].Width, sizes[n-1].Height)
		picture, err := s.engine.Laid(ctx, file, i+1, ties(codes[i], at), at)
		if err != nil {
			return out, true, err
		}
		parts[i] = []document.Part{{Rect: page.R(0, 0, at.X, at.Y), JPEG: picture}}
	}
	out, err = s.takeOver(ctx, who, c.ID, submission.Work, access.BringBack, match, parts, elsewhere.Taken{})
	out.Lacks = missing(match, len(sizes))
	return out, true, err
}
