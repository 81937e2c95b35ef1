package school

import (
	"context"
	"encoding/json"
	"errors"
	"path"
	"strconv"
	"strings"
	"unicode"

	"readymargin/core/access"
	"readymargin/core/document"
	"readymargin/core/heldback"
	"readymargin/core/plan"
	"readymargin/queue"
)

// An Upload is a file as it comes from somebody's machine.
type Upload struct {
	Name string
	Data []byte
}

// BringIn makes a new worksheet of a PDF, a picture or an office document, or
// of several, one behind the other. Whatever is wrong with a file is one of the
// errors of the packages pdf and office, and then there is no new worksheet.
func (s *School) BringIn(ctx context.Context, who Person, files ...Upload) (Worksheet, error) {
	if err := access.May(access.Person{SignedIn: who.ID != 0, Admin: who.Admin, Owner: who.Staff}, access.MakeCourse, access.Thing{}); err != nil {
		return Worksheet{}, err
	}
	var p plan.Plan
	var all []taken
	reading := false
	for i, f := range files {
		t, later, err := s.readSoonest(ctx, f)
		if err != nil {
			return Worksheet{}, err
		}
		reading = reading || later
		t.source.Number = i
		all, p = append(all, t), p.Join(i, len(t.pages), len(p), heldback.Propose(document.Printed(t.pages)))
		if len(p) > s.Press.Limits().Pages {
			return Worksheet{}, document.ErrPages
		}
	}
	if len(p) == 0 {
		return Worksheet{}, problem("no file", "", "")
	}
	var sources []Source
	for _, t := range all { // nothing was kept before all of them were found good
		source, err := s.keepSource(ctx, t)
		if err != nil {
			return Worksheet{}, err
		}
		sources = append(sources, source)
	}
	w := Worksheet{OwnerID: who.ID, Title: titleOf(files[0].Name), Plan: p.String(), Version: 1, Reading: reading, CreatedAt: s.Now()}
	if err := s.Store.AddWorksheet(ctx, &w, sources, nil); err != nil {
		return w, err
	}
	if reading {
		go s.readSoon(context.WithoutCancel(ctx), w.ID)
	}
	return w, nil
}

// A taken file is one that was read, as a PDF, and is not kept yet.
type taken struct {
	source Source // without its hash
	file   []byte
	pages  []document.Page
}

// readIn reads a file; nothing of it is kept.
func (s *School) readIn(ctx context.Context, f Upload) (taken, error) {
	file := f.Data
	if len(file) == 0 {
		return taken{}, document.ErrEmpty
	}
	var err error
	var office document.Converted
	if file, err = s.developed(ctx, file); err != nil {
		return taken{}, err
	}
	switch {
	case document.IsPicture(file):
		file, err = s.Press.SheetOf(ctx, file)
	case s.Office.Knows(file):
		office, err = s.Office.PDF(ctx, file)
		file = office.PDF
	}
	if err != nil {
		return taken{}, err
	}
	pages, err := s.Press.Inspect(ctx, file)
	if err != nil {
		return taken{}, err
	}
	source := Source{Name: shorten(f.Name, 100), PageCount: len(pages)}
	if len(office.Fonts) > 0 {
		if source.Remark, err = s.replaced(ctx, office); err != nil {
			return taken{}, err
		}
	} else if source.Remark, err = s.carries(ctx, file); err != nil {
		return taken{}, err
	}
	return taken{source, file, pages}, nil
}

// carries says what of a file students do not get.
func (s *School) carries(ctx context.Context, file []byte) (string, error) {
	c, err := s.Press.Carries(ctx, file)
	if errors.Is(err, document.ErrDamaged) || errors.Is(err, document.ErrTime) || errors.Is(err, document.ErrMemory) {
		return "", nil // it cannot be told
	}
	return c.String(), err
}

// keepSource keeps a file that was read, with its pages.
func (s *School) keepSource(ctx context.Context, t taken) (source Source, err error) {
	source = t.source
	source.FileHash, err = s.keep(ctx, t.file, t.pages)
	return source, err
}

// developed returns a photograph of a telephone as JPEG, and any other file as
// it is.
func (s *School) developed(ctx context.Context, file []byte) ([]byte, error) {
	if !s.Darkroom.Knows(file) {
		return file, nil
	}
	return s.Darkroom.JPEG(ctx, file)
}

// replaced says which fonts of a document were replaced on which pages.
func (s *School) replaced(ctx context.Context, d document.Converted) (string, error) {
	fonts, err := s.Press.Fonts(ctx, d.PDF)
	if err != nil {
		return "", err
	}
	var said []string
	for _, r := range s.Office.Replaced(ctx, d.Fonts, fonts) {
		said = append(said, r.String())
	}
	return strings.Join(said, " "), nil
}

// keep stores a PDF with its pages and returns its hash.
func (s *School) keep(ctx context.Context, file []byte, pages []document.Page) (string, error) {
	hash, err := s.Store.PutBlob(ctx, file)
	if err != nil {
		return "", err
	}
	rows, err := filePages(hash, pages)
	if err != nil {
		return "", err
	}
	return hash, s.Store.AddFilePages(ctx, rows)
}

// filePages are the records of a file's pages.
func filePages(hash string, pages []document.Page) ([]FilePage, error) {
	rows := make([]FilePage, len(pages))
	for i, p := range pages {
		box, err1 := json.Marshal(p.Box)
		print, err2 := json.Marshal(p.Print)
		guide, err3 := json.Marshal(p.Guide())
		if err := errors.Join(err1, err2, err3); err != nil {
			return nil, err
		}
		var text strings.Builder
		for _, w := range p.Print.Words {
			text.WriteString(w.Text + " ")
		}
		rows[i] = FilePage{FileHash: hash, Number: i + 1, Width: p.Width, Height: p.Height, Box: string(box), Print: string(print), Text: text.String(), Guide: string(guide)}
	}
	return rows, nil
}

// titleOf makes a title of a file's name.
func titleOf(fileName string) string {
	t := path.Base(strings.ReplaceAll(fileName, `\`, "/"))
	t, ok := oneLine(strings.ReplaceAll(shorten(strings.TrimSuffix(t, path.Ext(t)), 100), "_", " "), 100)
	if !ok || t == "" || t == "." {
		return "Worksheet"
	}
	return t
}

// worksheet loads a worksheet of the person's own.
func (s *School) worksheet(ctx context.Context, who Person, id uint64) (Worksheet, error) {
	if who.ID == 0 {
		return Worksheet{}, access.ErrSignIn
	}
	w, err := s.Store.Worksheet(ctx, id)
	if errors.Is(err, ErrNotFound) {
		return w, access.ErrHidden
	}
	if err != nil {
		return w, err
	}
	return w, access.May(access.Person{SignedIn: true, Owner: w.OwnerID == who.ID}, access.UseWorksheet, access.Thing{})
}

// planned loads a worksheet of the person's own with its plan.
func (s *School) planned(ctx context.Context, who Person, id uint64) (w Worksheet, p plan.Plan, err error) {
	if w, err = s.worksheet(ctx, who, id); err == nil {
		p, err = plan.Parse(w.Plan)
	}
	return w, p, err
}

// revision loads what students get of a worksheet and checks one action.
func (s *School) revision(ctx context.Context, who Person, id uint64, a access.Action) (Revision, error) {
	if who.ID == 0 {
		return Revision{}, access.ErrSignIn
	}
	r, err := s.Store.Revision(ctx, id)
	if errors.Is(err, ErrNotFound) {
		return r, access.ErrHidden
	}
	if err != nil {
		return r, err
	}
	w, err := s.Store.Worksheet(ctx, r.WorksheetID)
	if err != nil {
		return r, err
	}
	if w.OwnerID == nobody && a == access.SeeWorksheet {
		return r, nil
	}
	if w.OwnerID == who.ID {
		return r, access.May(access.Person{SignedIn: true, Owner: true}, a, access.Thing{})
	}
	held, err := s.Store.Holdings(ctx, id, who.ID)
	if err != nil {
		return r, err
	}
	err = access.ErrHidden
	for _, h := range held {
		p, t := s.stands(who, h.Role, h.Section, h.Assignment, h.Copy, "")
		if err = access.May(p, a, t); err == nil {
			return r, nil
		}
	}
	return r, err
}

// A Bench is a worksheet while it is being prepared.
type Bench struct {
	Worksheet Worksheet
	Plan      plan.Plan
	Pages     []PageSize // of the plan's leaves, before they are turned
	Sources   []Source
	Uses      []Use
	Changed   bool // since the newest revision
	Kit       plan.Kit
}

// Prepare returns a worksheet of the teacher's own as it is being prepared.
func (s *School) Prepare(ctx context.Context, who Person, id uint64) (b Bench, err error) {
	if b.Worksheet, b.Plan, err = s.planned(ctx, who, id); err != nil {
		return b, err
	}
	if b.Worksheet.Reading {
		go s.readSoon(context.WithoutCancel(ctx), id) // who began may be gone
	}
	if b.Kit, err = plan.ParseKit(b.Worksheet.Kit); err != nil {
		return b, err
	}
	if b.Sources, err = s.Store.Sources(ctx, id); err != nil {
		return b, err
	}
	sizes := make([][]FilePage, len(b.Sources))
	for i, f := range b.Sources {
		if sizes[i], err = s.Store.FilePages(ctx, f.FileHash); err != nil {
			return b, err
		}
	}
	for _, l := range b.Plan {
		p := sizes[l.Source][l.Page-1]
		b.Pages = append(b.Pages, PageSize{p.Width, p.Height})
	}
	if b.Uses, err = s.Store.Uses(ctx, id); err != nil {
		return b, err
	}
	last, err := s.Store.LatestRevision(ctx, id)
	if errors.Is(err, ErrNotFound) {
		return b, nil
	}
	if err != nil {
		return b, err
	}
	was, err := plan.Parse(last.Plan)
	b.Changed = !was.SameSheet(b.Plan)
	return b, err
}

// Arrange changes which pages the worksheet has, how, what stands on each for
// the work, and what becomes of the others. version is the worksheet's that
// the change was made on.
func (s *School) Arrange(ctx context.Context, who Person, id uint64, version int, want plan.Plan, kit plan.Kit) error {
	_, now, err := s.planned(ctx, who, id)
	if err != nil {
		return err
	}
	next, err := now.Changed(want)
	if err != nil {
		return problem("plan", "", "")
	}
	if kit.Check() != nil {
		return problem("kit", "", "")
	}
	if err := s.lies(ctx, id, next, kit); err != nil {
		return err
	}
	return s.Store.ChangeWorksheet(ctx, id, func(w *Worksheet) error {
		if w.Version != version {
			return ErrStale
		}
		now, err := plan.Parse(w.Plan) // answers may have been noticed meanwhile
		if err != nil {
			return err
		}
		if next, err = now.Changed(want); err != nil {
			return problem("plan", "", "")
		}
		w.Plan, w.Kit, w.Version = next.String(), kit.String(), version+1
		return nil
	}, nil)
}

// AddPages adds the pages of another file before the leaf at index at.
func (s *School) AddPages(ctx context.Context, who Person, id uint64, at int, file Upload) error {
	if _, err := s.readOut(ctx, who, id); err != nil {
		return err
	}
	w, now, err := s.planned(ctx, who, id)
	if err != nil {
		return err
	}
	sources, err := s.Store.Sources(ctx, id)
	if err != nil {
		return err
	}
	t, err := s.readIn(ctx, file)
	if err != nil {
		return err
	}
	if len(now)+len(t.pages) > s.Press.Limits().Pages {
		return document.ErrPages
	}
	source, err := s.keepSource(ctx, t)
	if err != nil {
		return err
	}
	source.WorksheetID, source.Number = id, len(sources)
	next := now.Join(source.Number, len(t.pages), at, heldback.Propose(document.Printed(t.pages)))
	return s.Store.ChangeWorksheet(ctx, id, func(locked *Worksheet) error {
		if locked.Version != w.Version {
			return ErrStale
		}
		locked.Plan, locked.Version = next.String(), w.Version+1
		return nil
	}, &source)
}

// Rename gives a worksheet another title.
func (s *School) Rename(ctx context.Context, who Person, id uint64, title string) error {
	if _, err := s.worksheet(ctx, who, id); err != nil {
		return err
	}
	title, ok := oneLine(title, 100)
	if !ok || title == "" {
		return problem("title", "title", title)
	}
	return s.Store.SetTitle(ctx, id, title)
}

// revise returns the revision that students would get now, binding a new one
// if the plan has changed since the last. Likely answer pages that nobody has
// decided on are a problem unless anyway is set.
func (s *School) revise(ctx context.Context, w Worksheet, anyway bool) (Revision, error) {
	if w.Reading { // a page may yet prove to hold answers
		if err := s.read(ctx, w.ID); err != nil {
			return Revision{}, err
		}
		var err error
		if w, err = s.Store.Worksheet(ctx, w.ID); err != nil {
			return Revision{}, err
		}
	}
	p, err := plan.Parse(w.Plan)
	if err != nil {
		return Revision{}, err
	}
	if len(p.Of(plan.Sheet)) == 0 {
		return Revision{}, problem("no pages", "", "")
	}
	if n := len(p.Undecided()); n > 0 && !anyway {
		return Revision{}, problem("undecided", "", strconv.Itoa(n))
	}
	last, err := s.Store.LatestRevision(ctx, w.ID)
	if err != nil && !errors.Is(err, ErrNotFound) {
		return last, err
	}
	r := Revision{WorksheetID: w.ID, Number: last.Number + 1, Plan: w.Plan, CreatedAt: s.Now()}
	if err == nil {
		if last.Plan == w.Plan {
			return last, nil
		}
		was, err := plan.Parse(last.Plan)
		if err != nil {
			return r, err
		}
		if was.SameSheet(p) { // only what is held back or left out has changed
			r.FileHash, r.PageCount = last.FileHash, last.PageCount
			return r, s.Store.AddRevision(ctx, &r)
		}
	}
	if r.FileHash, r.PageCount, err = s.assemble(ctx, w.ID, p); err != nil {
		return r, err
	}
	return r, s.Store.AddRevision(ctx, &r)
}

// assemble makes the PDF that students get: always a new one, so that nothing
// of the teacher's file goes along that is not on its pages.
func (s *School) assemble(ctx context.Context, worksheet uint64, p plan.Plan) (hash string, pages int, err error) {
	sources, err := s.Store.Sources(ctx, worksheet)
	if err != nil {
		return "", 0, err
	}
	files := make([][]byte, len(sources)) // those that have a page on the sheet
	var leaves []document.PageRef
	for _, l := range p.Of(plan.Sheet) {
		if files[l.Source] == nil {
			if files[l.Source], err = s.Store.Blob(ctx, sources[l.Source].FileHash); err != nil {
				return "", 0, err
			}
		}
		leaves = append(leaves, document.PageRef{File: l.Source, Page: l.Page, Turn: l.Turn})
	}
	bound, err := s.Press.Assemble(ctx, files, leaves)
	if err != nil {
		return "", 0, err
	}
	inspected, err := s.Press.Inspect(ctx, bound)
	if err != nil {
		return "", 0, err
	}
	hash, err = s.keep(ctx, bound, inspected)
	return hash, len(inspected), err
}

// AssembleAnew gives revisions that hand out a teacher's file as it was brought
// in, as earlier versions did, one that was made of its pages. It may be begun
// any number of times. A file that cannot be taken apart stays as it is, and is
// counted.
func (s *School) AssembleAnew(ctx context.Context) (done, left int, err error) {
	ctx = queue.In(queue.For(ctx, "assembling"), queue.Behind)
	whole, err := s.Store.WholeRevisions(ctx)
	if err != nil {
		return 0, 0, err
	}
	for _, r := range whole {
		p, err := plan.Parse(r.Plan)
		if err != nil {
			return done, left, err
		}
		hash, pages, err := s.assemble(ctx, r.WorksheetID, p)
		if ctx.Err() != nil {
			return done, left, ctx.Err()
		}
		if err != nil || pages != r.PageCount {
			left++
			continue
		}
		if err := s.Store.SetRevisionFile(ctx, r.ID, hash); err != nil {
			return done, left, err
		}
		done++
	}
	return done, left, nil
}

// Reissue lets the worksheet's assignments go on with what the plan says now.
// Copies that are begun stay as they are; begun is how many these are.
func (s *School) Reissue(ctx context.Context, who Person, id uint64, anyway bool) (begun int, err error) {
	w, err := s.worksheet(ctx, who, id)
	if err != nil {
		return 0, err
	}
	r, err := s.revise(ctx, w, anyway)
	if err != nil {
		return 0, err
	}
	return s.Store.Reissue(ctx, id, r.ID)
}

// Preview returns the student's screen of a worksheet, to be tried out.
func (s *School) Preview(ctx context.Context, who Person, id uint64) (View, error) {
	w, err := s.worksheet(ctx, who, id)
	if err != nil {
		return View{}, err
	}
	return s.preview(ctx, who, w)
}

func (s *School) sizes(ctx context.Context, r Revision) ([]PageSize, error) {
	pages, err := s.Store.FilePages(ctx, r.FileHash)
	out := make([]PageSize, len(pages))
	for i, p := range pages {
		out[i] = PageSize{p.Width, p.Height}
	}
	return out, err
}

// Worksheets returns the teacher's own worksheets, newest first; with a query,
// those in whose title or print its words stand.
func (s *School) Worksheets(ctx context.Context, who Person, query string) ([]Shelved, error) {
	words := strings.FieldsFunc(query, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) && !unicode.IsMark(r) })
	return s.Store.WorksheetsOf(ctx, who.ID, words[:min(len(words), 8)])
}

// Duplicate puts a copy of a worksheet on the shelf, to be changed without
// touching what was assigned.
func (s *School) Duplicate(ctx context.Context, who Person, id uint64) (Worksheet, error) {
	w, err := s.worksheet(ctx, who, id)
	if err != nil {
		return w, err
	}
	sources, err := s.Store.Sources(ctx, id)
	if err != nil {
		return w, err
	}
	extras, err := s.Store.Extras(ctx, id)
	if err != nil {
		return w, err
	}
	again := Worksheet{OwnerID: who.ID, Title: shorten(w.Title, 90) + ", copy", Plan: w.Plan, Kit: w.Kit, Version: 1, CreatedAt: s.Now()}
	return again, s.Store.AddWorksheet(ctx, &again, sources, extras)
}
