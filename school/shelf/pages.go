package shelf

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
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

// A PageAt is which picture of a page is wanted.
type PageAt struct {
	Number int  // of the page, from 1
	Scale  int  // one of Scales
	Light  bool // for slow lines: scans and photographs are kept more roughly
}

// reading is the picture that a page is first read by.
const reading = 150

// Picture returns a page as students see it. It is rendered once and kept;
// everybody who sees it gets the same bytes.
func (s *Revisions) Picture(ctx context.Context, who school.Person, revision uint64, at PageAt) (school.Media, error) {
	r, err := s.gate.Revision(ctx, who, revision, access.SeeWorksheet)
	if err != nil {
		return school.Media{}, err
	}
	return s.picture(ctx, pictureKey{r.FileHash, at}, r.PageCount)
}

// HeldPicture returns the picture of the n-th page that is held back.
func (s *Revisions) HeldPicture(ctx context.Context, who school.Person, revision uint64, at PageAt) (school.Media, error) {
	r, err := s.gate.Revision(ctx, who, revision, access.SeeHeld)
	if err != nil {
		return school.Media{}, err
	}
	p, err := worksheet.Parse(r.Plan)
	if err != nil {
		return school.Media{}, err
	}
	held := p.Of(worksheet.Held)
	if at.Number < 1 || at.Number > len(held) {
		return school.Media{}, access.ErrHidden
	}
	source := held[at.Number-1].Source
	at.Number = held[at.Number-1].Page
	return s.sourcePicture(ctx, r.WorksheetID, source, at)
}

// SourcePicture returns the picture of a page that the teacher brought in.
func (s *Shelf) SourcePicture(ctx context.Context, who school.Person, sheetID uint64, source int, at PageAt) (school.Media, error) {
	if _, err := s.gate.Worksheet(ctx, who, sheetID, access.CopyWorksheet); err != nil {
		return school.Media{}, err
	}
	return s.revisions.sourcePicture(ctx, sheetID, source, at)
}

func (s *Revisions) sourcePicture(ctx context.Context, sheetID uint64, source int, at PageAt) (school.Media, error) {
	sources, err := s.store.Sources(ctx, sheetID)
	if err != nil {
		return school.Media{}, err
	}
	if source < 0 || source >= len(sources) {
		return school.Media{}, access.ErrHidden
	}
	return s.picture(ctx, pictureKey{sources[source].FileHash, at}, sources[source].PageCount)
}

func (s *Revisions) picture(ctx context.Context, k pictureKey, pages int) (p school.Media, err error) {
	if k.Number < 1 || k.Number > pages || !slices.Contains(Scales, k.Scale) {
		return p, access.ErrHidden
	}
	hash, kind, err := s.store.Picture(ctx, k.file, k.Number, k.Scale, k.Light)
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
	paint := s.engine.Picture
	if k.Light {
		paint = s.engine.Light
	}
	pic, err := paint(ctx, file, k.Number, float64(k.Scale)/100)
	if err != nil {
		return d, err
	}
	d.kind = pic.Type
	if d.hash, err = s.store.PutBlob(ctx, pic.Data); err != nil {
		return d, err
	}
	return d, s.store.SetPicture(ctx, k.file, k.Number, k.Scale, k.Light, d.hash, d.kind)
}

type pictureKey struct {
	file string
	PageAt
}

// A Weight is how much of a worksheet's pages comes over the line to each student.
type Weight struct {
	Pages int   `json:"pages"`
	Bytes int64 `json:"bytes"`
	Light int64 `json:"light"` // the same with lighter scans
}

// weighed is how many pages are weighed, for those of a longer sheet as well.
const weighed = 6

// Weigh says how large what students get of a worksheet is, by the pictures of its
// pages as they are read.
func (s *Shelf) Weigh(ctx context.Context, who school.Person, id uint64) (out Weight, err error) {
	_, p, err := s.planned(ctx, who, id)
	if err != nil {
		return out, err
	}
	sheet := p.Of(worksheet.Sheet)
	out.Pages = len(sheet)
	every := max(1, (len(sheet)+weighed-1)/weighed)
	looked := 0
	for i := 0; i < len(sheet); i += every {
		looked++
		for _, light := range []bool{false, true} {
			m, err := s.revisions.sourcePicture(ctx, id, sheet[i].Source, PageAt{sheet[i].Page, reading, light})
			if err != nil {
				return out, err
			}
			n, err := m.Seek(0, io.SeekEnd)
			if err := errors.Join(err, m.Close()); err != nil {
				return out, err
			}
			if light {
				out.Light += n
			} else {
				out.Bytes += n
			}
		}
	}
	if looked > 0 {
		out.Bytes, out.Light = out.Bytes*int64(len(sheet))/int64(looked), out.Light*int64(len(sheet))/int64(looked)
	}
	return out, nil
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
