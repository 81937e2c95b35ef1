package takeaway

import (
	"archive/zip"
	"bytes"
	"cmp"
	"context"
	_ "embed" // the index page
	"fmt"
	"html/template"
	"io"
	"path"
	"slices"
	"strings"
	"time"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/school"
)

// An archive is a ZIP of copies, written as it is made, with a page that lists them,
// opens without a line and plays what was spoken.
type archive struct {
	*Exports
	zip     *zip.Writer
	title   string
	taken   map[string]bool // names
	rows    []archived
	missing []string // what could not be made
}

// An archived copy is a row of the index page.
type archived struct {
	Section, Family, Given, Title string
	Attempt                       int
	Submitted                     time.Time
	Points, File                  string
	Sounds                        []archivedSound
}

type archivedSound struct{ File, Says string }

func (s *Exports) archive(to io.Writer, title string) *archive {
	return &archive{Exports: s, zip: zip.NewWriter(to), title: title, taken: map[string]bool{}}
}

// put writes a file.
func (a *archive) put(name string, data []byte) error {
	f, err := a.zip.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Deflate, Modified: time.Now()})
	if err == nil {
		_, err = f.Write(data)
	}
	return err
}

// stored writes a file that is packed already, as PDF and sounds are.
func stored(z *zip.Writer, name string, at time.Time, from io.Reader) error {
	to, err := z.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Store, Modified: at})
	if err == nil {
		_, err = io.Copy(to, from)
	}
	return err
}

// name returns a name in a folder that nothing has yet: two students may be called the
// same, and two sheets.
func (a *archive) name(folder, base, extension string) string {
	name := fmt.Sprintf("%s/%s%s", folder, base, extension)
	for n := 2; a.taken[name]; n++ {
		name = fmt.Sprintf("%s/%s (%d)%s", folder, base, n, extension)
	}
	a.taken[name] = true
	return name
}

// attempt writes an attempt in a form, named by section, family name, given name and
// number, with what was spoken beside it. What cannot be made is noted, and the rest
// goes on.
func (a *archive) attempt(ctx context.Context, who school.Person, form Form, given school.Assignment, k school.Copy, t school.Attempt, m school.Member) error {
	row := archived{Title: given.Title, Attempt: t.Number, Submitted: t.SubmittedAt}
	row.Section, row.Family, row.Given = given.NamedIn(k, m)
	if t.Points != nil {
		row.Points = fmt.Sprintf("%s of %s", t.Points, given.Points)
	}
	base := given.CopyName(k, m, t.Number)
	f, sounds, err := a.take(ctx, who, k.ID, Choice{Form: form, Attempt: t.Number, Anyway: true})
	if err != nil {
		if ctx.Err() != nil {
			return err
		}
		a.missing = append(a.missing, school.FileName(given.Title)+"/"+base)
		return nil
	}
	defer f.Close()
	row.File = a.name(school.FileName(given.Title), base, path.Ext(f.Name))
	err = stored(a.zip, row.File, t.SubmittedAt, f)
	for _, s := range sounds {
		if err != nil {
			return err
		}
		ext := path.Ext(s.Name)
		name := a.name(school.FileName(given.Title)+"/sounds", base+", "+strings.TrimSuffix(s.Name, ext), ext)
		if s.Type != captions {
			row.Sounds = append(row.Sounds, archivedSound{name, s.Says})
		}
		err = stored(a.zip, name, t.SubmittedAt, bytes.NewReader(s.Data))
	}
	a.rows = append(a.rows, row)
	return err
}

//go:embed index.html
var indexPage string

var indexOf = template.Must(template.New("index").Parse(indexPage))

// close writes the index page, and ends the archive.
func (a *archive) close() error {
	if len(a.missing) > 0 {
		if err := a.put("could not be made.txt", []byte(strings.Join(a.missing, "\r\n")+"\r\n")); err != nil {
			return err
		}
	}
	slices.SortStableFunc(a.rows, func(x, y archived) int {
		return cmp.Or(strings.Compare(x.Section, y.Section), strings.Compare(x.Family, y.Family), strings.Compare(x.Given, y.Given), strings.Compare(x.Title, y.Title), x.Attempt-y.Attempt)
	})
	var page bytes.Buffer
	if err := indexOf.Execute(&page, map[string]any{"Title": a.title, "Rows": a.rows, "Missing": a.missing}); err != nil {
		return err
	}
	if err := a.put("index.html", page.Bytes()); err != nil {
		return err
	}
	return a.zip.Close()
}

// ClassName returns what the file of all copies of an assignment is called, to those
// who mark it.
func (s *Exports) ClassName(ctx context.Context, who school.Person, assignment uint64, form Form) (string, error) {
	a, c, err := s.marked(ctx, who, assignment)
	if err == nil {
		err = form.forClass()
	}
	return fmt.Sprintf("%s, %s.zip", school.FileName(a.Title), school.FileName(c.Name)), err
}

// forClass refuses a form in which the copies of a class are not taken away: an empty
// sheet says nothing of anybody.
func (f Form) forClass() error {
	if f == Clean || !f.known() {
		return school.Refuse("form", "", "")
	}
	return nil
}

// marked returns an assignment and its course to those who mark it.
func (s *Exports) marked(ctx context.Context, who school.Person, assignment uint64) (school.Assignment, school.Course, error) {
	return s.gate.Given(ctx, who, assignment, access.SeeRoll)
}

// WriteClass writes a ZIP with every attempt at an assignment, in a form.
func (s *Exports) WriteClass(ctx context.Context, who school.Person, assignment uint64, form Form, to io.Writer) error {
	given, course, err := s.marked(ctx, who, assignment)
	if err == nil {
		err = form.forClass()
	}
	if err != nil {
		return err
	}
	members, err := s.store.Members(ctx, course.ID)
	if err != nil {
		return err
	}
	z := s.archive(to, given.Title+" · "+course.Name)
	if err := z.assignment(ctx, who, form, given, members); err != nil {
		return err
	}
	return z.close()
}

// assignment writes the attempts at an assignment, of each copy in their order; those
// of the teacher's practice band are none.
func (a *archive) assignment(ctx context.Context, who school.Person, form Form, given school.Assignment, members []school.Member) error {
	copies, attempts, err := a.store.HandedIn(ctx, given.ID)
	if err != nil {
		return err
	}
	of, by := map[uint64]school.Copy{}, map[uint64]school.Member{}
	for _, k := range copies {
		of[k.ID] = k
	}
	for _, m := range members {
		by[m.PersonID] = m
	}
	for _, t := range attempts {
		k := of[t.CopyID]
		m := by[k.StudentID]
		if m.Role == access.Practice {
			continue
		}
		if err := a.attempt(ctx, who, form, given, k, t, m); err != nil {
			return err
		}
	}
	return nil
}

// OwnName returns what the file of a student's own copies in a course is called.
func (s *Exports) OwnName(ctx context.Context, who school.Person, course uint64) (string, error) {
	c, _, err := s.gate.Course(ctx, who, course, access.SeeOwnPoints)
	return fmt.Sprintf("%s, %s.zip", school.FileName(c.Name), school.FileName(who.Name)), err
}

// WriteOwnCopies writes a ZIP with all of a student's copies in a course, to revise
// from: every attempt, and what is being worked on, with the marks printed. Feedback
// that was not opened yet is left out: taking it away is not reading it, after which
// it cannot be withdrawn.
func (s *Exports) WriteOwnCopies(ctx context.Context, who school.Person, course uint64, to io.Writer) error {
	c, sheets, err := s.books.Own(ctx, who, course)
	if err != nil {
		return err
	}
	z := s.archive(to, c.Name+" · "+who.Name)
	me := school.Member{Name: who.Name, Given: who.Given, Family: who.Family}
	for _, sheet := range sheets {
		given := sheet.Assignment
		given.Nameless = false // to oneself one has a name
		fresh := false
		for _, a := range slices.Backward(sheet.Attempts) {
			if a.Fresh {
				fresh = true
				z.missing = append(z.missing, fmt.Sprintf("%s, attempt %d: its feedback was not opened yet", given.Title, a.Number))
				continue
			}
			t := a.Attempt
			t.Points = a.Points // no more than came back
			if err := z.attempt(ctx, who, Printed, given, sheet.Copy, t, me); err != nil {
				return err
			}
		}
		if working(sheet.Copy.State) && !fresh { // what is worked on shows what came back last
			if err := z.attempt(ctx, who, Printed, given, sheet.Copy, school.Attempt{SubmittedAt: time.Now()}, me); err != nil {
				return err
			}
		}
	}
	return z.close()
}

// working reports whether a copy has work on it that was not submitted.
func working(s flow.State) bool { return s == flow.InProgress || s == flow.Reworking }
