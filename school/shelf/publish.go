package shelf

import (
	"context"
	"errors"
	"fmt"
	"strconv"

	"readymargin/core/access"
	"readymargin/core/document"
	"readymargin/core/worksheet"
	"readymargin/school"
)

// Publishing makes revisions of worksheets: what students get.
type Publishing struct {
	store  PublishingStore
	engine Assembler
	gate   *school.Gate
	shelf  *Shelf
	now    school.Clock
}

// NewPublishing returns what makes revisions of the worksheets on a shelf.
func NewPublishing(store PublishingStore, engine Assembler, gate *school.Gate, worksheets *Shelf, now school.Clock) *Publishing {
	return &Publishing{store, engine, gate, worksheets, now}
}

// Revise returns the revision that students would get now, binding a new one
// if the plan has changed since the last. Likely answer pages that nobody has
// decided on are a problem unless anyway is set.
func (s *Publishing) Revise(ctx context.Context, w school.Worksheet, anyway bool) (r school.Revision, err error) {
	for range 4 { // somebody else may give the same worksheet out in the same moment
		if r, err = s.revise(ctx, w, anyway); !errors.Is(err, school.ErrTaken) {
			break
		}
	}
	return r, err
}

func (s *Publishing) revise(ctx context.Context, w school.Worksheet, anyway bool) (school.Revision, error) {
	if w.Reading { // a page may yet prove to hold answers
		if err := s.shelf.read(ctx, w.ID); err != nil {
			return school.Revision{}, err
		}
		var err error
		if w, err = s.store.Worksheet(ctx, w.ID); err != nil {
			return school.Revision{}, err
		}
	}
	p, err := worksheet.Parse(w.Plan)
	if err != nil {
		return school.Revision{}, err
	}
	if len(p.Of(worksheet.Sheet)) == 0 {
		return school.Revision{}, school.Refuse("no pages", "", "")
	}
	if n := len(p.Undecided()); n > 0 && !anyway {
		return school.Revision{}, school.Refuse("undecided", "", strconv.Itoa(n))
	}
	last, err := s.store.LatestRevision(ctx, w.ID)
	if err != nil && !errors.Is(err, school.ErrNotFound) {
		return last, err
	}
	if err == nil && last.Plan == w.Plan {
		return last, nil
	}
	r := school.Revision{WorksheetID: w.ID, Number: last.Number + 1, Plan: w.Plan, CreatedAt: s.now()}
	if r.Guides, err = s.guides(ctx, w.ID, p); err != nil {
		return r, err
	}
	if last.ID != 0 {
		was, err := worksheet.Parse(last.Plan)
		if err != nil {
			return r, err
		}
		if was.SameSheet(p) { // only what is held back or left out has changed
			r.FileHash, r.PageCount = last.FileHash, last.PageCount
			file, err := s.store.Blob(ctx, last.FileHash)
			if err != nil {
				return r, err
			}
			if err := s.lead(ctx, file, nil, r.Guides); err != nil {
				return r, err
			}
			return r, s.add(ctx, &r)
		}
	}
	bound, err := s.assemble(ctx, w.ID, p)
	if err != nil {
		return r, err
	}
	r.FileHash, r.PageCount = bound.hash, len(bound.pages)
	if err := s.lead(ctx, bound.file, bound.pages, r.Guides); err != nil {
		return r, err
	}
	return r, s.add(ctx, &r)
}

// add keeps a revision.
func (s *Publishing) add(ctx context.Context, r *school.Revision) error {
	if err := s.store.AddRevision(ctx, r); err != nil {
		return err
	}
	return s.shelf.tellNew(ctx, *r)
}

// OwnPages returns the ruled page that stands where students bring pages of their own.
func (s *Publishing) OwnPages(ctx context.Context) (school.Worksheet, error) {
	return s.shelf.OwnPages(ctx)
}

// lead puts what leads from page to page of an assembled file on its guides;
// without its pages they are read where something does.
func (s *Publishing) lead(ctx context.Context, file []byte, pages []document.Page, guides []worksheet.Guide) error {
	leads, err := s.engine.Leads(ctx, file)
	if err != nil || len(leads.Heads)+len(leads.Links) == 0 {
		return err
	}
	if pages == nil {
		if pages, err = s.engine.Inspect(ctx, file); err != nil {
			return err
		}
	}
	leads.Guide(pages, guides)
	return nil
}

// guides returns what every page that students get has to be worked on.
func (s *Publishing) guides(ctx context.Context, sheetID uint64, p worksheet.Plan) (out []worksheet.Guide, err error) {
	sheet := worksheet.Plan(p.Of(worksheet.Sheet))
	found, err := s.shelf.found(ctx, sheetID, sheet)
	for i, f := range found {
		out = append(out, sheet[i].Guided(f))
	}
	return out, err
}

// A boundFile is one that was assembled and is kept.
type boundFile struct {
	hash  string
	file  []byte
	pages []document.Page
}

// assemble makes the PDF that students get: always a new one, so that nothing
// of the teacher's file goes along that is not on its pages.
func (s *Publishing) assemble(ctx context.Context, sheetID uint64, p worksheet.Plan) (out boundFile, err error) {
	sources, err := s.store.Sources(ctx, sheetID)
	if err != nil {
		return out, err
	}
	files := make([][]byte, len(sources)) // those that have a page on the sheet
	var leaves []document.PageRef
	for _, l := range p.Of(worksheet.Sheet) {
		if files[l.Source] == nil {
			if files[l.Source], err = s.store.Blob(ctx, sources[l.Source].FileHash); err != nil {
				return out, err
			}
		}
		leaves = append(leaves, document.PageRef{File: l.Source, Page: l.Page, Turn: l.Turn})
	}
	if out.file, err = s.engine.Assemble(ctx, files, leaves); err != nil {
		return out, err
	}
	if out.pages, err = s.engine.Inspect(ctx, out.file); err != nil {
		return out, err
	}
	out.hash, err = s.shelf.keep(ctx, out.file, out.pages)
	return out, err
}

// AssembleAnew gives a revision that hands out a teacher's file as it was
// brought in, as earlier versions did, one that was made of its pages.
func (s *Publishing) AssembleAnew(ctx context.Context, revision uint64) error {
	r, err := s.store.Revision(ctx, revision)
	if err != nil {
		return err
	}
	p, err := worksheet.Parse(r.Plan)
	if err != nil {
		return err
	}
	bound, err := s.assemble(ctx, r.WorksheetID, p)
	if err != nil {
		return err
	}
	if len(bound.pages) != r.PageCount {
		return fmt.Errorf("%w: %d pages of %d", document.ErrDamaged, len(bound.pages), r.PageCount)
	}
	return s.store.SetRevisionFile(ctx, r.ID, bound.hash)
}

// Reissue lets the worksheet's assignments go on with what the plan says now.
// Copies that are begun stay as they are; begun is how many these are.
func (s *Publishing) Reissue(ctx context.Context, who school.Person, id uint64, anyway bool) (begun int, err error) {
	w, err := s.gate.Worksheet(ctx, who, id, access.UseWorksheet)
	if err != nil {
		return 0, err
	}
	r, err := s.Revise(ctx, w, anyway)
	if err != nil {
		return 0, err
	}
	return s.store.Reissue(ctx, id, r.ID)
}
