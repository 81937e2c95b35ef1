package shelf

import (
	"context"
	"slices"
	"strings"

	"golang.org/x/sync/singleflight"

	"readymargin/core/access"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/recording"
	"readymargin/core/submission"
	"readymargin/core/worksheet"
	"readymargin/school"
)

// Revisions are what students get of worksheets: pages, their words, what is
// to be filled in, what the teacher says.
type Revisions struct {
	store   RevisionStore
	engine  Painter
	gate    *school.Gate
	drawing singleflight.Group // pictures being rendered: a class opens a worksheet in the same minute
}

// NewRevisions returns the revisions of a store.
func NewRevisions(store RevisionStore, engine Painter, gate *school.Gate) *Revisions {
	return &Revisions{store: store, engine: engine, gate: gate}
}

// corners returns the sizes of pages as points.
func corners(sizes []school.PageSize) []page.Point {
	out := make([]page.Point, len(sizes))
	for i, s := range sizes {
		out[i] = page.Pt(s.Width, s.Height)
	}
	return out
}

// Guides returns what each page that students get has to be worked on: as the
// teacher wants it now, or as it was handed out.
func (s *Revisions) Guides(ctx context.Context, who school.Person, revision uint64) ([]worksheet.Guide, error) {
	r, err := s.gate.Revision(ctx, who, revision, access.SeeWorksheet)
	if err != nil {
		return nil, err
	}
	out, err := s.GuidesOf(ctx, r)
	for i := range out {
		out[i] = out[i].ForStudents()
	}
	return out, err
}

// GuidesOf is Guides with what only teachers see.
func (s *Revisions) GuidesOf(ctx context.Context, r school.Revision) ([]worksheet.Guide, error) {
	issued, err := s.store.RevisionGuides(ctx, r.ID)
	if err != nil {
		return nil, err
	}
	sizes, err := s.Sizes(ctx, r)
	if err != nil {
		return nil, err
	}
	_, now, then, err := s.BothPlans(ctx, r)
	if err != nil {
		return nil, err
	}
	return now.Guides(then, issued, corners(sizes)), nil
}

// BothPlans returns a revision's worksheet with its plan as it is now, and the
// plan of the revision.
func (s *Revisions) BothPlans(ctx context.Context, r school.Revision) (w school.Worksheet, now, then worksheet.Plan, err error) {
	if w, err = s.store.Worksheet(ctx, r.WorksheetID); err != nil {
		return w, nil, nil, err
	}
	if now, err = worksheet.Parse(w.Plan); err != nil {
		return w, nil, nil, err
	}
	then, err = worksheet.Parse(r.Plan)
	return w, now, then, err
}

// Directions returns what the teacher says on the sheet of a revision now.
func (s *Revisions) Directions(ctx context.Context, r school.Revision) ([]mark.Mark, error) {
	_, now, then, err := s.BothPlans(ctx, r)
	if err != nil || !now.Speaks() {
		return nil, err
	}
	sizes, err := s.Sizes(ctx, r)
	if err != nil {
		return nil, err
	}
	return now.Directions(then, corners(sizes)), nil
}

// AttachmentOf returns a sound or a picture to those who have the sheet that it
// lies with: what is said on its pages, and the pictures that lay on its shelf,
// which may stand on copies by now.
func (s *Revisions) AttachmentOf(ctx context.Context, who school.Person, revision uint64, hash string) (school.Media, error) {
	r, err := s.gate.Revision(ctx, who, revision, access.SeeWorksheet)
	if err != nil {
		return school.Media{}, err
	}
	e, err := s.Attachment(ctx, r.WorksheetID, hash)
	if err != nil || e.Type != recording.MediaType {
		return e, err
	}
	said, err := s.Directions(ctx, r)
	if err == nil && !slices.Contains(submission.Enclosed(said), hash) {
		err = access.ErrHidden // said on a page that is held back
	}
	if err != nil {
		e.Close()
	}
	return e, err
}

// Attachment returns a sound or a picture that lies with a worksheet.
func (s *Revisions) Attachment(ctx context.Context, sheetID uint64, hash string) (school.Media, error) {
	all, err := s.store.WorksheetAttachments(ctx, sheetID)
	if err != nil {
		return school.Media{}, err
	}
	for _, e := range all {
		if e.Hash == strings.ToLower(hash) {
			return school.Open(ctx, s.store, e.Hash, e.MediaType)
		}
	}
	return school.Media{}, access.ErrHidden
}

// Sizes returns the sizes of a revision's pages.
func (s *Revisions) Sizes(ctx context.Context, r school.Revision) ([]school.PageSize, error) {
	pages, err := s.store.FilePages(ctx, r.FileHash)
	out := make([]school.PageSize, len(pages))
	for i, p := range pages {
		out[i] = school.PageSize{Width: p.Width, Height: p.Height}
	}
	return out, err
}
