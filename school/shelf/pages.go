package shelf

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"readymargin/core/access"
	"readymargin/core/page"
	"readymargin/core/worksheet"
	"readymargin/queue"
	"readymargin/school"
)

// TextLayer returns what is printed on a page, as JSON of words.Page.
func (s *Revisions) TextLayer(ctx context.Context, who school.Person, revision uint64, number int) (string, error) {
	r, err := s.gate.Revision(ctx, who, revision, access.SeeWorksheet)
	if err != nil {
		return "", err
	}
	p, err := s.store.FilePage(ctx, r.FileHash, number)
	if errors.Is(err, school.ErrNotFound) {
		return "", access.ErrHidden
	}
	return p.TextLayer, err
}

// Scales are the pictures that there are of a page, in hundredths of a pixel
// per point.
var Scales = []int{25, 100, 150, 200, 300, 400}

// Picture returns a page as students see it. It is rendered once and kept;
// everybody who sees it gets the same bytes.
func (s *Revisions) Picture(ctx context.Context, who school.Person, revision uint64, number, scale int) (school.Media, error) {
	r, err := s.gate.Revision(ctx, who, revision, access.SeeWorksheet)
	if err != nil {
		return school.Media{}, err
	}
	return s.picture(ctx, pictureKey{r.FileHash, number, scale}, r.PageCount)
}

// HeldPicture returns the picture of the n-th page that is held back.
func (s *Revisions) HeldPicture(ctx context.Context, who school.Person, revision uint64, n, scale int) (school.Media, error) {
	r, err := s.gate.Revision(ctx, who, revision, access.SeeHeld)
	if err != nil {
		return school.Media{}, err
	}
	p, err := worksheet.Parse(r.Plan)
	if err != nil {
		return school.Media{}, err
	}
	held := p.Of(worksheet.Held)
	if n < 1 || n > len(held) {
		return school.Media{}, access.ErrHidden
	}
	return s.sourcePicture(ctx, r.WorksheetID, held[n-1].Source, held[n-1].Page, scale)
}

// SourcePicture returns the picture of a page that the teacher brought in.
func (s *Shelf) SourcePicture(ctx context.Context, who school.Person, sheetID uint64, source, number, scale int) (school.Media, error) {
	if _, err := s.gate.Worksheet(ctx, who, sheetID, access.CopyWorksheet); err != nil {
		return school.Media{}, err
	}
	return s.revisions.sourcePicture(ctx, sheetID, source, number, scale)
}

func (s *Revisions) sourcePicture(ctx context.Context, sheetID uint64, source, number, scale int) (school.Media, error) {
	sources, err := s.store.Sources(ctx, sheetID)
	if err != nil {
		return school.Media{}, err
	}
	if source < 0 || source >= len(sources) {
		return school.Media{}, access.ErrHidden
	}
	return s.picture(ctx, pictureKey{sources[source].FileHash, number, scale}, sources[source].PageCount)
}

func (s *Revisions) picture(ctx context.Context, k pictureKey, pages int) (p school.Media, err error) {
	if k.page < 1 || k.page > pages || !slices.Contains(Scales, k.scale) {
		return p, access.ErrHidden
	}
	hash, kind, err := s.store.Picture(ctx, k.file, k.page, k.scale)
	if err == nil {
		p, err = school.Open(ctx, s.store, hash, kind)
		if errors.Is(err, school.ErrDamaged) {
			if dropErr := s.store.DropBlob(ctx, hash); dropErr != nil {
				return p, dropErr
			}
			err = school.ErrNotFound
		}
	}
	if err == nil || !errors.Is(err, school.ErrNotFound) {
		return p, err
	}
	drawn, err, _ := s.drawing.Do(fmt.Sprint(k), func() (any, error) { return s.draw(queue.In(context.WithoutCancel(ctx), queue.Look), k) })
	if err != nil {
		return p, err
	}
	d := drawn.(drawing)
	return school.Open(ctx, s.store, d.hash, d.kind)
}

// A drawing is a page's picture that was kept.
type drawing struct{ hash, kind string }

func (s *Revisions) draw(ctx context.Context, k pictureKey) (d drawing, err error) {
	file, err := s.store.Blob(ctx, k.file)
	if err != nil {
		return d, err
	}
	pic, err := s.engine.Picture(ctx, file, k.page, float64(k.scale)/100)
	if err != nil {
		return d, err
	}
	d.kind = pic.Type
	if d.hash, err = s.store.PutBlob(ctx, pic.Data); err != nil {
		return d, err
	}
	return d, s.store.SetPicture(ctx, k.file, k.page, k.scale, d.hash, d.kind)
}

type pictureKey struct {
	file        string
	page, scale int
}

// Boxes returns how the pages of a file show themselves.
func (s *Revisions) Boxes(ctx context.Context, file string) ([]page.Box, error) {
	pages, err := s.store.FilePages(ctx, file)
	if err != nil {
		return nil, err
	}
	out := make([]page.Box, len(pages))
	for i, p := range pages {
		if err := json.Unmarshal([]byte(p.Box), &out[i]); err != nil {
			return nil, err
		}
	}
	return out, nil
}
