package school

import (
	"bytes"
	"context"
	"encoding/json"
	"image/jpeg"
	"slices"
	"strings"
	"time"

	"readymargin/core/access"
	"readymargin/core/copy"
	"readymargin/core/document"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/plan"
	"readymargin/core/recording"
)

// Found returns what was found on each leaf of a worksheet to be worked on,
// in the place of which the plan may have something else.
func (s *School) Found(ctx context.Context, who Person, id uint64) ([]plan.Guide, error) {
	if _, err := s.readOut(ctx, who, id); err != nil {
		return nil, err
	}
	_, p, err := s.planned(ctx, who, id)
	if err != nil {
		return nil, err
	}
	sources, err := s.Store.Sources(ctx, id)
	if err != nil {
		return nil, err
	}
	bySource := make([][]plan.Guide, len(sources))
	out := make([]plan.Guide, len(p))
	for i, l := range p {
		if l.Turn != 0 {
			if out[i], err = s.foundTurned(ctx, sources[l.Source].FileHash, l); err != nil {
				return nil, err
			}
			continue
		}
		if bySource[l.Source] == nil {
			if bySource[l.Source], err = s.guides(ctx, sources[l.Source].FileHash); err != nil {
				return nil, err
			}
		}
		out[i] = bySource[l.Source][l.Page-1]
	}
	return out, nil
}

// turnedPage is a page of a file that is kept, as it is when it is turned.
func (s *School) turnedPage(ctx context.Context, file string, l plan.Leaf) (hash string, err error) {
	data, err := s.Store.Blob(ctx, file)
	if err != nil {
		return "", err
	}
	one, err := s.Press.Assemble(ctx, [][]byte{data}, []document.PageRef{{Page: l.Page, Turn: l.Turn}})
	if err != nil {
		return "", err
	}
	pages, err := s.Press.Inspect(ctx, one)
	if err != nil {
		return "", err
	}
	return s.keep(ctx, one, pages)
}

func (s *School) foundTurned(ctx context.Context, file string, l plan.Leaf) (plan.Guide, error) {
	hash, err := s.turnedPage(ctx, file, l)
	if err != nil {
		return plan.Guide{}, err
	}
	all, err := s.guides(ctx, hash)
	if err != nil {
		return plan.Guide{}, err
	}
	return all[0], nil
}

// LeafPrint returns what is printed on a page that the teacher brought in,
// turned as asked, as JSON of words.Page.
func (s *School) LeafPrint(ctx context.Context, who Person, worksheet uint64, l plan.Leaf) (string, error) {
	if _, err := s.readOut(ctx, who, worksheet); err != nil {
		return "", err
	}
	sources, err := s.Store.Sources(ctx, worksheet)
	if err != nil {
		return "", err
	}
	if l.Source < 0 || l.Source >= len(sources) || l.Page < 1 || l.Page > sources[l.Source].PageCount || l.Turn%90 != 0 || l.Turn < 0 || l.Turn > 270 {
		return "", access.ErrHidden
	}
	hash, n := sources[l.Source].FileHash, l.Page
	if l.Turn != 0 {
		if hash, err = s.turnedPage(ctx, hash, l); err != nil {
			return "", err
		}
		n = 1
	}
	p, err := s.Store.FilePage(ctx, hash, n)
	return p.Print, err
}

// guides returns what was found on each page of a file.
func (s *School) guides(ctx context.Context, file string) ([]plan.Guide, error) {
	pages, err := s.Store.FileGuides(ctx, file)
	if err != nil {
		return nil, err
	}
	out := make([]plan.Guide, len(pages))
	for i, p := range pages {
		if err := json.Unmarshal([]byte(p), &out[i]); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// corners returns the sizes of pages as points.
func corners(sizes []PageSize) []page.Point {
	out := make([]page.Point, len(sizes))
	for i, s := range sizes {
		out[i] = page.Pt(s.Width, s.Height)
	}
	return out
}

// Guides returns what each page that students get has to be worked on: as the
// teacher wants it now, or as it was found.
func (s *School) Guides(ctx context.Context, who Person, revision uint64) ([]plan.Guide, error) {
	r, err := s.revision(ctx, who, revision, access.SeeWorksheet)
	if err != nil {
		return nil, err
	}
	found, err := s.guides(ctx, r.FileHash)
	if err != nil {
		return nil, err
	}
	sizes, err := s.sizes(ctx, r)
	if err != nil {
		return nil, err
	}
	_, now, then, err := s.bothPlans(ctx, r)
	if err != nil {
		return nil, err
	}
	out := now.Guides(then, found, corners(sizes))
	for i := range out {
		out[i] = out[i].ForStudents()
	}
	return out, nil
}

// bothPlans returns a revision's worksheet with its plan as it is now, and the
// plan of the revision.
func (s *School) bothPlans(ctx context.Context, r Revision) (w Worksheet, now, then plan.Plan, err error) {
	if w, err = s.Store.Worksheet(ctx, r.WorksheetID); err != nil {
		return w, nil, nil, err
	}
	if now, err = plan.Parse(w.Plan); err != nil {
		return w, nil, nil, err
	}
	then, err = plan.Parse(r.Plan)
	return w, now, then, err
}

// directions returns what the teacher says on the sheet of a revision now.
func (s *School) directions(ctx context.Context, r Revision) ([]mark.Mark, error) {
	_, now, then, err := s.bothPlans(ctx, r)
	if err != nil || !now.Speaks() {
		return nil, err
	}
	sizes, err := s.sizes(ctx, r)
	if err != nil {
		return nil, err
	}
	return now.Directions(then, corners(sizes)), nil
}

// dress adds what the teacher prepared for the work: the colour key, the
// picture shelf and, where live is set, the directions as they are now.
func (s *School) dress(ctx context.Context, v *View, r Revision, live bool) error {
	w, err := s.Store.Worksheet(ctx, r.WorksheetID)
	if err != nil {
		return err
	}
	kit, err := plan.ParseKit(w.Kit)
	if err != nil {
		return err
	}
	v.Key, v.Shelf = kit.Key, kit.Shelf
	if !live {
		return nil
	}
	said, err := s.directions(ctx, r)
	for _, m := range said {
		v.Marks = append(v.Marks, viewMark(copy.Sheet, copy.Shown{Mark: m}, "Directions", false, time.Time{}, true))
	}
	return err
}

// lies checks that every sound and picture that a plan and a kit speak of lies
// with the worksheet.
func (s *School) lies(ctx context.Context, worksheet uint64, p plan.Plan, k plan.Kit) error {
	var wanted []string
	for _, l := range p {
		wanted = append(wanted, copy.Enclosed(l.Said)...)
	}
	for _, pic := range k.Shelf {
		wanted = append(wanted, pic.Hash)
	}
	if len(wanted) == 0 {
		return nil
	}
	there, err := s.Store.Extras(ctx, worksheet)
	if err != nil {
		return err
	}
	for _, hash := range wanted {
		if !slices.ContainsFunc(there, func(e Extra) bool { return e.Hash == hash }) {
			return problem("plan", "", "")
		}
	}
	return nil
}

// directionSeconds is the longest direction that is spoken.
const directionSeconds = 15 * 60

// AddSpoken takes a recording in for the directions of a worksheet.
func (s *School) AddSpoken(ctx context.Context, who Person, worksheet uint64, recorded []byte) (mark.Voice, error) {
	if _, err := s.worksheet(ctx, who, worksheet); err != nil {
		return mark.Voice{}, err
	}
	v, peaks, err := s.recorded(ctx, recorded, directionSeconds*time.Second)
	if err != nil {
		return v, err
	}
	return v, s.Store.AddExtra(ctx, Extra{worksheet, v.Sound, recording.MediaType, v.Milliseconds, peaks})
}

// shelfSide is the longest side of a picture on the shelf, in pixels.
const shelfSide = 1600

// AddPicture takes a picture in for the picture shelf of a worksheet. It is
// painted anew, so that nothing else of the file goes to students.
func (s *School) AddPicture(ctx context.Context, who Person, worksheet uint64, f Upload) (plan.Picture, error) {
	if _, err := s.worksheet(ctx, who, worksheet); err != nil {
		return plan.Picture{}, err
	}
	pic, err := s.painted(ctx, f, staffPixels)
	if err != nil {
		return plan.Picture{}, err
	}
	return pic, s.Store.AddExtra(ctx, Extra{WorksheetID: worksheet, Hash: pic.Hash, MediaType: pictureType, Peaks: "[]"})
}

const pictureType = "image/jpeg"

// The most pixels of a picture that somebody brings: what a telephone takes,
// and for teachers what a scanner does.
const (
	studentPixels = 26_000_000
	staffPixels   = 40_000_000
)

// painted keeps a picture that somebody brought, painted anew, so that nothing
// else of the file goes to others.
func (s *School) painted(ctx context.Context, f Upload, pixels int) (plan.Picture, error) {
	var err error
	if f.Data, err = s.developed(ctx, f.Data); err != nil {
		return plan.Picture{}, err
	}
	if !document.IsPicture(f.Data) {
		return plan.Picture{}, document.ErrPicture
	}
	data, err := s.Press.Repaint(ctx, f.Data, shelfSide, pixels)
	if err != nil {
		return plan.Picture{}, err
	}
	size, err := jpeg.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return plan.Picture{}, document.ErrPicture
	}
	hash, err := s.Store.PutBlob(ctx, data)
	return plan.Picture{Name: titleOf(f.Name), Hash: hash, Width: float64(size.Width), Height: float64(size.Height)}, err
}

// Extra returns a sound or a picture that lies with a worksheet to its owner.
func (s *School) Extra(ctx context.Context, who Person, worksheet uint64, hash string) (Picture, error) {
	if _, err := s.worksheet(ctx, who, worksheet); err != nil {
		return Picture{}, err
	}
	return s.extra(ctx, worksheet, hash)
}

// SheetExtra returns a sound or a picture to those who have the sheet that it
// lies with: what is said on its pages, and the pictures that lay on its shelf,
// which may stand on copies by now.
func (s *School) SheetExtra(ctx context.Context, who Person, revision uint64, hash string) (Picture, error) {
	r, err := s.revision(ctx, who, revision, access.SeeWorksheet)
	if err != nil {
		return Picture{}, err
	}
	e, err := s.extra(ctx, r.WorksheetID, hash)
	if err != nil || e.Type != recording.MediaType {
		return e, err
	}
	said, err := s.directions(ctx, r)
	if err == nil && !slices.Contains(copy.Enclosed(said), hash) {
		err = access.ErrHidden // said on a page that is held back
	}
	return e, err
}

func (s *School) extra(ctx context.Context, worksheet uint64, hash string) (Picture, error) {
	all, err := s.Store.Extras(ctx, worksheet)
	if err != nil {
		return Picture{}, err
	}
	for _, e := range all {
		if e.Hash == strings.ToLower(hash) {
			data, err := s.Store.Blob(ctx, e.Hash)
			return Picture{data, e.MediaType}, err
		}
	}
	return Picture{}, access.ErrHidden
}
