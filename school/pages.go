package school

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"readymargin/core/access"
	"readymargin/core/page"
	"readymargin/core/plan"
	"readymargin/queue"
)

// Print returns what is printed on a page, as JSON of words.Page.
func (s *School) Print(ctx context.Context, who Person, revision uint64, number int) (string, error) {
	r, err := s.revision(ctx, who, revision, access.SeeWorksheet)
	if err != nil {
		return "", err
	}
	p, err := s.Store.FilePage(ctx, r.FileHash, number)
	if errors.Is(err, ErrNotFound) {
		return "", access.ErrHidden
	}
	return p.Print, err
}

// Scales are the pictures that there are of a page, in hundredths of a pixel
// per point.
var Scales = []int{25, 100, 150, 200, 300, 400}

// A Picture is a page's picture.
type Picture struct {
	Data []byte
	Type string // media type
}

// Picture returns a page as students see it. It is rendered once and kept;
// everybody who sees it gets the same bytes.
func (s *School) Picture(ctx context.Context, who Person, revision uint64, number, scale int) (Picture, error) {
	r, err := s.revision(ctx, who, revision, access.SeeWorksheet)
	if err != nil {
		return Picture{}, err
	}
	return s.picture(ctx, pictureKey{r.FileHash, number, scale}, r.PageCount)
}

// HeldPicture returns the picture of the n-th page that is held back.
func (s *School) HeldPicture(ctx context.Context, who Person, revision uint64, n, scale int) (Picture, error) {
	r, err := s.revision(ctx, who, revision, access.SeeHeld)
	if err != nil {
		return Picture{}, err
	}
	p, err := plan.Parse(r.Plan)
	if err != nil {
		return Picture{}, err
	}
	held := p.Of(plan.Held)
	if n < 1 || n > len(held) {
		return Picture{}, access.ErrHidden
	}
	return s.sourcePicture(ctx, r.WorksheetID, held[n-1].Source, held[n-1].Page, scale)
}

// SourcePicture returns the picture of a page that the teacher brought in.
func (s *School) SourcePicture(ctx context.Context, who Person, worksheet uint64, source, number, scale int) (Picture, error) {
	if _, err := s.worksheet(ctx, who, worksheet); err != nil {
		return Picture{}, err
	}
	return s.sourcePicture(ctx, worksheet, source, number, scale)
}

func (s *School) sourcePicture(ctx context.Context, worksheet uint64, source, number, scale int) (Picture, error) {
	sources, err := s.Store.Sources(ctx, worksheet)
	if err != nil {
		return Picture{}, err
	}
	if source < 0 || source >= len(sources) {
		return Picture{}, access.ErrHidden
	}
	return s.picture(ctx, pictureKey{sources[source].FileHash, number, scale}, sources[source].PageCount)
}

func (s *School) picture(ctx context.Context, k pictureKey, pages int) (p Picture, err error) {
	if k.page < 1 || k.page > pages || !slices.Contains(Scales, k.scale) {
		return p, access.ErrHidden
	}
	hash, kind, err := s.Store.Picture(ctx, k.file, k.page, k.scale)
	if err == nil {
		p.Type = kind
		p.Data, err = s.Store.Blob(ctx, hash)
		if errors.Is(err, ErrDamaged) {
			if dropErr := s.Store.DropBlob(ctx, hash); dropErr != nil {
				return p, dropErr
			}
			err = ErrNotFound
		}
	}
	if err == nil || !errors.Is(err, ErrNotFound) {
		return p, err
	}
	drawn, err, _ := s.drawing.Do(fmt.Sprint(k), func() (any, error) { return s.draw(queue.In(context.WithoutCancel(ctx), queue.Look), k) })
	if err != nil {
		return p, err
	}
	return drawn.(Picture), nil
}

func (s *School) draw(ctx context.Context, k pictureKey) (Picture, error) {
	file, err := s.Store.Blob(ctx, k.file)
	if err != nil {
		return Picture{}, err
	}
	pic, err := s.Press.Picture(ctx, file, k.page, float64(k.scale)/100)
	if err != nil {
		return Picture{}, err
	}
	hash, err := s.Store.PutBlob(ctx, pic.Data)
	if err != nil {
		return Picture{}, err
	}
	return Picture{pic.Data, pic.Type}, s.Store.SetPicture(ctx, k.file, k.page, k.scale, hash, pic.Type)
}

type pictureKey struct {
	file        string
	page, scale int
}

// boxes returns how the pages of a file show themselves.
func (s *School) boxes(ctx context.Context, file string) ([]page.Box, error) {
	pages, err := s.Store.FilePages(ctx, file)
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
