// Package shelf prepares worksheets and makes of them what students get.
package shelf

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"strings"
	"time"
	"unicode"

	"golang.org/x/sync/singleflight"

	"readymargin/core/access"
	"readymargin/core/document"
	"readymargin/core/heldback"
	"readymargin/core/optical"
	"readymargin/core/words"
	"readymargin/core/worksheet"
	"readymargin/school"
	"readymargin/school/intake"
)

// A Shelf holds a teacher's worksheets while they are prepared.
type Shelf struct {
	store     ShelfStore
	engine    Reader
	gate      *school.Gate
	intake    *intake.Intake
	revisions *Revisions
	now       school.Clock
	letters   optical.Reader     // of the words in pictures of pages; nil for none
	wake      func()             // lets jobs be looked for
	readers   singleflight.Group // worksheets being read
}

// NewShelf returns the shelf of every teacher.
func NewShelf(store ShelfStore, engine Reader, gate *school.Gate, in *intake.Intake, revisions *Revisions, letters optical.Reader, now school.Clock, wake func()) *Shelf {
	return &Shelf{store: store, engine: engine, gate: gate, intake: in, revisions: revisions, letters: letters, now: now, wake: wake}
}

// BringIn makes a new worksheet of a PDF, a picture or an office document, or
// of several, one behind the other. Whatever is wrong with a file is one of the
// errors of the packages pdf and office, and then there is no new worksheet.
func (s *Shelf) BringIn(ctx context.Context, who school.Person, files ...intake.Upload) (school.Worksheet, error) {
	if err := prepares(who); err != nil {
		return school.Worksheet{}, err
	}
	return s.bringIn(ctx, school.Worksheet{OwnerID: who.ID, Title: intake.Title(files[0].Name)}, true, files)
}

// laid is how long pages that a student brings may take to be laid under a copy.
const laid = time.Hour

// BringOwn makes a worksheet of pages that a student brings to an assignment: all of
// them are the sheet. It lies on no shelf, and goes with the copy that has it; where
// none ever has, because the process ended between, it goes by itself.
func (s *Shelf) BringOwn(ctx context.Context, who school.Person, title string, files []intake.Upload) (school.Worksheet, error) {
	until := s.now().Add(laid)
	return s.bringIn(ctx, school.Worksheet{OwnerID: who.ID, Title: title, DeletedAt: &until}, false, files)
}

// bringIn makes a worksheet of files, of which pages that look like answers are
// proposed to be held back, or none are.
func (s *Shelf) bringIn(ctx context.Context, w school.Worksheet, propose bool, files []intake.Upload) (school.Worksheet, error) {
	var p worksheet.Plan
	var all []intake.Read
	reading := false
	for i, f := range files {
		t, later, err := s.readSoonest(ctx, f)
		if err != nil {
			return school.Worksheet{}, err
		}
		reading = reading || later
		t.Source.Number = i
		var answers map[int]heldback.Reason
		if propose {
			answers = heldback.Propose(document.Printed(t.Pages))
		}
		all, p = append(all, t), p.Join(i, len(t.Pages), len(p), answers)
		if t.Picture {
			p = p.AsTaken(i)
		}
		if len(p) > s.engine.Limits().Pages {
			return school.Worksheet{}, document.ErrPages
		}
	}
	if len(p) == 0 {
		return school.Worksheet{}, school.Refuse("no file", "", "")
	}
	var sources []school.Source
	for _, t := range all { // nothing was kept before all of them were found good
		source, err := s.keepSource(ctx, t)
		if err != nil {
			return school.Worksheet{}, err
		}
		sources = append(sources, source)
	}
	w.Plan, w.Version, w.Reading, w.CreatedAt = p.String(), 1, reading, s.now()
	if err := s.store.AddWorksheet(ctx, &w, sources, nil); err != nil {
		return w, err
	}
	if reading {
		time.AfterFunc(time.Second, s.wake) // so that the first pages are painted first
	}
	return w, nil
}

// keepSource keeps a file that was read, with its pages.
func (s *Shelf) keepSource(ctx context.Context, t intake.Read) (source school.Source, err error) {
	source = t.Source
	source.FileHash, err = s.keep(ctx, t.File, t.Pages)
	return source, err
}

// keep stores a PDF with its pages and returns its hash.
func (s *Shelf) keep(ctx context.Context, file []byte, pages []document.Page) (string, error) {
	hash, err := s.store.PutBlob(ctx, file)
	if err != nil {
		return "", err
	}
	rows, err := filePages(hash, pages)
	if err != nil {
		return "", err
	}
	if err := s.store.AddFilePages(ctx, rows); err != nil {
		return hash, err
	}
	if slices.ContainsFunc(rows, func(p school.FilePage) bool { return p.Wordless }) {
		s.wake()
	}
	return hash, nil
}

// filePages are the records of a file's pages.
func filePages(hash string, pages []document.Page) ([]school.FilePage, error) {
	rows := make([]school.FilePage, len(pages))
	for i, p := range pages {
		var err error
		if rows[i], err = filePage(hash, i+1, p); err != nil {
			return nil, err
		}
	}
	return rows, nil
}

// filePage is the record of one page.
func filePage(hash string, number int, p document.Page) (out school.FilePage, err error) {
	box, err1 := json.Marshal(p.Box)
	layer := p.TextLayer()
	print, err2 := json.Marshal(layer)
	guide, err3 := json.Marshal(p.Guide())
	out = school.FilePage{FileHash: hash, Number: number, Width: p.Width, Height: p.Height, Box: string(box), TextLayer: string(print), Text: searched(layer), Guide: string(guide), Wordless: p.Wordless()}
	return out, errors.Join(err1, err2, err3)
}

// searched is what of a page is found when words are looked for.
func searched(p words.Page) string {
	var text strings.Builder
	for _, w := range p.Words {
		text.WriteString(w.Text + " ")
	}
	return text.String()
}

// planned loads a worksheet of the person's own with its plan.
func (s *Shelf) planned(ctx context.Context, who school.Person, id uint64) (w school.Worksheet, p worksheet.Plan, err error) {
	if w, err = s.gate.Worksheet(ctx, who, id, access.UseWorksheet); err == nil {
		p, err = worksheet.Parse(w.Plan)
	}
	return w, p, err
}

// A Bench is a worksheet while it is being prepared.
type Bench struct {
	Worksheet school.Worksheet
	Plan      worksheet.Plan
	Pages     []school.PageSize // of the plan's leaves, before they are turned
	Sources   []school.Source
	Uses      []school.Use
	Changed   bool // since the newest revision
	Kit       worksheet.Kit
	Heading   string // of its first page, where that is offered as the title
}

// Prepare returns a worksheet of the teacher's own as it is being prepared.
func (s *Shelf) Prepare(ctx context.Context, who school.Person, id uint64) (b Bench, err error) {
	if b.Worksheet, b.Plan, err = s.planned(ctx, who, id); err != nil {
		return b, err
	}
	if b.Worksheet.Reading {
		s.wake()
	}
	if b.Kit, err = worksheet.ParseKit(b.Worksheet.Kit); err != nil {
		return b, err
	}
	if b.Sources, err = s.store.Sources(ctx, id); err != nil {
		return b, err
	}
	sizes := make([][]school.FilePage, len(b.Sources))
	for i, f := range b.Sources {
		if sizes[i], err = s.store.FilePages(ctx, f.FileHash); err != nil {
			return b, err
		}
	}
	for _, l := range b.Plan {
		p := sizes[l.Source][l.Page-1]
		b.Pages = append(b.Pages, school.PageSize{Width: p.Width, Height: p.Height})
	}
	if b.Uses, err = s.store.Uses(ctx, id); err != nil {
		return b, err
	}
	if b.Heading, err = s.heading(ctx, b); err != nil {
		return b, err
	}
	last, err := s.store.LatestRevision(ctx, id)
	if errors.Is(err, school.ErrNotFound) {
		return b, nil
	}
	if err != nil {
		return b, err
	}
	was, err := worksheet.Parse(last.Plan)
	b.Changed = !was.SameSheet(b.Plan)
	return b, err
}

// heading returns what the first page is headed with, while the worksheet is called
// after its file.
func (s *Shelf) heading(ctx context.Context, b Bench) (string, error) {
	sheet := b.Plan.Of(worksheet.Sheet)
	if len(sheet) == 0 || b.Worksheet.Title != intake.Title(b.Sources[0].Name) {
		return "", nil
	}
	p, err := s.store.FilePage(ctx, b.Sources[sheet[0].Source].FileHash, sheet[0].Page)
	if err != nil || p.TextLayer == "" {
		return "", err
	}
	var printed words.Page
	if err := json.Unmarshal([]byte(p.TextLayer), &printed); err != nil {
		return "", err
	}
	heading, ok := school.OneLine(printed.Heading(p.Height), 100)
	if !ok || heading == b.Worksheet.Title {
		return "", nil
	}
	return heading, nil
}

// Arrange changes which pages the worksheet has, how, what stands on each for
// the work, and what becomes of the others. version is the worksheet's that
// the change was made on.
func (s *Shelf) Arrange(ctx context.Context, who school.Person, id uint64, version int, want worksheet.Plan, kit worksheet.Kit) error {
	_, now, err := s.planned(ctx, who, id)
	if err != nil {
		return err
	}
	next, err := now.Changed(want)
	if err != nil {
		return school.Refuse("plan", "", "")
	}
	if kit.Check() != nil {
		return school.Refuse("kit", "", "")
	}
	if err := s.checkAttachments(ctx, id, next, kit); err != nil {
		return err
	}
	was := ""
	err = s.store.ChangeWorksheet(ctx, id, func(w *school.Worksheet) error {
		if w.Version != version {
			return school.ErrStale
		}
		now, err := worksheet.Parse(w.Plan) // answers may have been noticed meanwhile
		if err != nil {
			return err
		}
		if next, err = now.Changed(want); err != nil {
			return school.Refuse("plan", "", "")
		}
		before, err := worksheet.ParseKit(w.Kit)
		if err != nil {
			return err
		}
		was = before.Lang
		w.Plan, w.Kit, w.Version = next.String(), kit.String(), version+1
		return nil
	}, nil)
	if err != nil || kit.Lang == "" || kit.Lang == was {
		return err
	}
	return s.readAnew(ctx, id)
}

// AddPages adds the pages of another file before the leaf at index at.
func (s *Shelf) AddPages(ctx context.Context, who school.Person, id uint64, at int, file intake.Upload) error {
	if _, err := s.readOut(ctx, who, id); err != nil {
		return err
	}
	w, now, err := s.planned(ctx, who, id)
	if err != nil {
		return err
	}
	sources, err := s.store.Sources(ctx, id)
	if err != nil {
		return err
	}
	t, err := s.intake.Read(ctx, file)
	if err != nil {
		return err
	}
	if len(now)+len(t.Pages) > s.engine.Limits().Pages {
		return document.ErrPages
	}
	source, err := s.keepSource(ctx, t)
	if err != nil {
		return err
	}
	source.WorksheetID, source.Number = id, len(sources)
	next := now.Join(source.Number, len(t.Pages), at, heldback.Propose(document.Printed(t.Pages)))
	if t.Picture {
		next = next.AsTaken(source.Number)
	}
	return s.store.ChangeWorksheet(ctx, id, func(locked *school.Worksheet) error {
		if locked.Version != w.Version {
			return school.ErrStale
		}
		locked.Plan, locked.Version = next.String(), w.Version+1
		return nil
	}, &source)
}

// Rename gives a worksheet another title.
func (s *Shelf) Rename(ctx context.Context, who school.Person, id uint64, title string) error {
	if _, err := s.gate.Worksheet(ctx, who, id, access.UseWorksheet); err != nil {
		return err
	}
	title, ok := school.OneLine(title, 100)
	if !ok || title == "" {
		return school.Refuse("title", "title", title)
	}
	return s.store.SetTitle(ctx, id, title)
}

// A Look says what of a shelf is looked at.
type Look struct {
	Query    string // its words stand in title or print
	Folder   string // "" for all
	Archived bool   // what was put away, and otherwise what was not
}

// A Shelving is what lies on a teacher's shelf, the newest first.
type Shelving struct {
	Own     []school.Shelved
	Shared  []school.Shelved // by colleagues
	Folders []string         // of all that is the teacher's own
	Away    int              // how many are put away
}

// Worksheets returns what of a teacher's shelf is looked at. What is searched for is
// found in all folders.
func (s *Shelf) Worksheets(ctx context.Context, who school.Person, look Look) (out Shelving, err error) {
	words := strings.FieldsFunc(look.Query, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) && !unicode.IsMark(r) })
	all, err := s.store.WorksheetsOf(ctx, who.ID, words[:min(len(words), 8)])
	if err != nil {
		return out, err
	}
	for _, w := range all {
		if w.OwnerID != who.ID {
			if !look.Archived && look.Folder == "" {
				out.Shared = append(out.Shared, w)
			}
			continue
		}
		if w.Folder != "" && w.ArchivedAt == nil {
			out.Folders = append(out.Folders, w.Folder)
		}
		if w.ArchivedAt != nil {
			out.Away++
		}
		if (w.ArchivedAt != nil) == look.Archived && (look.Folder == "" || len(words) > 0 || w.Folder == look.Folder) {
			out.Own = append(out.Own, w)
		}
	}
	slices.Sort(out.Folders)
	out.Folders = slices.Compact(out.Folders)
	return out, nil
}

// PutInto puts a worksheet of the teacher's own into a folder, "" for none.
func (s *Shelf) PutInto(ctx context.Context, who school.Person, id uint64, folder string) error {
	folder, ok := school.OneLine(folder, 60)
	if !ok {
		return school.Refuse("folder", "folder", folder)
	}
	return s.decide(ctx, who, id, func(w *school.Worksheet) { w.Folder = folder })
}

// PutAway puts a worksheet of the teacher's own away, or brings it back. What is
// assigned of it stays.
func (s *Shelf) PutAway(ctx context.Context, who school.Person, id uint64, away bool) error {
	now := s.now()
	return s.decide(ctx, who, id, func(w *school.Worksheet) {
		if w.ArchivedAt = nil; away {
			w.ArchivedAt = &now
		}
	})
}

// decide changes what only its owner decides of a worksheet.
func (s *Shelf) decide(ctx context.Context, who school.Person, id uint64, change func(*school.Worksheet)) error {
	if _, err := s.gate.Worksheet(ctx, who, id, access.OwnWorksheet); err != nil {
		return err
	}
	return s.store.ChangeWorksheet(ctx, id, func(w *school.Worksheet) error { change(w); return nil }, nil)
}

// Delete takes a worksheet of the teacher's own off the shelf for good. What is
// assigned of it stays as it is; the rest goes, and all of it once nothing of it is
// assigned any more.
func (s *Shelf) Delete(ctx context.Context, who school.Person, id uint64) error {
	if _, err := s.gate.Worksheet(ctx, who, id, access.OwnWorksheet); err != nil {
		return err
	}
	return s.store.DropWorksheet(ctx, id, s.now())
}

// Forget lets go of a worksheet that a student brought: from now on it is there as
// long as a copy has it. The one that the copy had before goes.
func (s *Shelf) Forget(ctx context.Context, w school.Worksheet) error {
	return s.store.LetGo(ctx, w.ID, s.now())
}

// Share says with which colleagues a worksheet of the teacher's own is shared: those
// of courses that the teacher works in, or the school's (course 0).
func (s *Shelf) Share(ctx context.Context, who school.Person, id uint64, shares []school.Share) error {
	if _, err := s.gate.Worksheet(ctx, who, id, access.OwnWorksheet); err != nil {
		return err
	}
	for i := range shares {
		shares[i].WorksheetID = id
		if shares[i].CourseID == 0 {
			continue
		}
		if _, _, err := s.gate.Course(ctx, who, shares[i].CourseID, access.SeeRoll); err != nil {
			return err
		}
	}
	return s.store.SetShares(ctx, id, shares)
}

// Shares returns with whom a worksheet of the teacher's own is shared.
func (s *Shelf) Shares(ctx context.Context, who school.Person, id uint64) ([]school.Share, error) {
	if _, err := s.gate.Worksheet(ctx, who, id, access.OwnWorksheet); err != nil {
		return nil, err
	}
	return s.store.Shares(ctx, id)
}

// Duplicate puts a copy of a worksheet, one's own or a colleague's, on the shelf, to be changed without
// touching what was assigned.
func (s *Shelf) Duplicate(ctx context.Context, who school.Person, id uint64) (school.Worksheet, error) {
	w, err := s.gate.Worksheet(ctx, who, id, access.CopyWorksheet)
	if err != nil {
		return w, err
	}
	sources, err := s.store.Sources(ctx, id)
	if err != nil {
		return w, err
	}
	extras, err := s.store.WorksheetAttachments(ctx, id)
	if err != nil {
		return w, err
	}
	again := school.Worksheet{OwnerID: who.ID, Title: school.Shorten(w.Title, 90) + ", copy", Plan: w.Plan, Kit: w.Kit, Version: 1, CreatedAt: s.now()}
	return again, s.store.AddWorksheet(ctx, &again, sources, extras)
}
