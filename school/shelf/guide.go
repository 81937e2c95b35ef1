package shelf

import (
	"context"
	"encoding/json"
	"slices"
	"time"

	"readymargin/core/access"
	"readymargin/core/document"
	"readymargin/core/inwords"
	"readymargin/core/mark"
	"readymargin/core/recording"
	"readymargin/core/submission"
	"readymargin/core/trail"
	"readymargin/core/words"
	"readymargin/core/worksheet"
	"readymargin/school"
	"readymargin/school/intake"
)

// Found returns what was found on each page of a worksheet to be worked on,
// in the place of which the plan may have something else.
func (s *Shelf) Found(ctx context.Context, who school.Person, id uint64) ([]worksheet.Guide, error) {
	if _, err := s.readOut(ctx, who, id); err != nil {
		return nil, err
	}
	_, p, err := s.planned(ctx, who, id)
	if err != nil {
		return nil, err
	}
	return s.found(ctx, id, p)
}

// found returns what was found on each page of a plan, with IDs that are the
// same whenever it is asked for.
func (s *Shelf) found(ctx context.Context, id uint64, p worksheet.Plan) ([]worksheet.Guide, error) {
	sources, err := s.store.Sources(ctx, id)
	if err != nil {
		return nil, err
	}
	bySource := make([][]worksheet.Guide, len(sources))
	out := make([]worksheet.Guide, len(p))
	for i, l := range p {
		if bySource[l.Source] == nil {
			if bySource[l.Source], err = s.revisions.guides(ctx, sources[l.Source].FileHash); err != nil {
				return nil, err
			}
		}
		upright := worksheet.PageRef{Source: l.Source, Page: l.Page}
		out[i] = upright.Guided(bySource[l.Source][l.Page-1])
		if l.Turn != 0 {
			if out[i], err = s.foundTurned(ctx, sources[l.Source].FileHash, l, out[i]); err != nil {
				return nil, err
			}
		}
	}
	return out, nil
}

// turnedPage is a page of a file that is kept, as it is when it is turned.
func (s *Shelf) turnedPage(ctx context.Context, file string, l worksheet.PageRef) (hash string, err error) {
	data, err := s.store.Blob(ctx, file)
	if err != nil {
		return "", err
	}
	one, err := s.engine.Assemble(ctx, [][]byte{data}, []document.PageRef{{Page: l.Page, Turn: l.Turn}})
	if err != nil {
		return "", err
	}
	pages, err := s.engine.Inspect(ctx, one)
	if err != nil {
		return "", err
	}
	return s.keep(ctx, one, pages)
}

// foundTurned returns what was found on a page that is turned. What was found
// on it upright keeps its IDs.
func (s *Shelf) foundTurned(ctx context.Context, file string, l worksheet.PageRef, upright worksheet.Guide) (worksheet.Guide, error) {
	hash, err := s.turnedPage(ctx, file, l)
	if err != nil {
		return worksheet.Guide{}, err
	}
	all, err := s.revisions.guides(ctx, hash)
	if err != nil {
		return worksheet.Guide{}, err
	}
	sizes, err := s.revisions.Sizes(ctx, school.Revision{FileHash: hash})
	if err != nil {
		return worksheet.Guide{}, err
	}
	turned := worksheet.PageRef{Source: l.Source, Page: l.Page, Turn: l.Turn}
	return turned.Guided(all[0]).Keeping(upright.TurnedTo(0, l.Turn, corners(sizes)[0])), nil
}

// LeafPrint returns what is printed on a page that the teacher brought in,
// turned as asked, as JSON of words.Page.
func (s *Shelf) LeafPrint(ctx context.Context, who school.Person, sheetID uint64, l worksheet.PageRef) (string, error) {
	if _, err := s.readOut(ctx, who, sheetID); err != nil {
		return "", err
	}
	sources, err := s.store.Sources(ctx, sheetID)
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
	p, err := s.store.FilePage(ctx, hash, n)
	if err != nil || !p.Wordless {
		return p.TextLayer, err
	}
	var print words.Page
	if err := json.Unmarshal([]byte(p.TextLayer), &print); err != nil {
		return "", err
	}
	print.Anew = !print.Wordless
	b, err := json.Marshal(print)
	return string(b), err
}

// LeafInWords returns a leaf of a worksheet in words, as its plan has it, counted from 0.
func (s *Shelf) LeafInWords(ctx context.Context, who school.Person, id uint64, at int) ([]inwords.Piece, error) {
	if _, err := s.readOut(ctx, who, id); err != nil {
		return nil, err
	}
	_, p, err := s.planned(ctx, who, id)
	if err != nil {
		return nil, err
	}
	if at < 0 || at >= len(p) {
		return nil, access.ErrHidden
	}
	l := p[at]
	found, err := s.found(ctx, id, worksheet.Plan{l})
	if err != nil {
		return nil, err
	}
	layer, err := s.LeafPrint(ctx, who, id, l)
	if err != nil {
		return nil, err
	}
	var print words.Page
	if err := json.Unmarshal([]byte(layer), &print); err != nil {
		return nil, err
	}
	sources, err := s.store.Sources(ctx, id)
	if err != nil {
		return nil, err
	}
	page, err := s.store.FilePage(ctx, sources[l.Source].FileHash, l.Page)
	if err != nil {
		return nil, err
	}
	size := corners([]school.PageSize{{Width: page.Width, Height: page.Height}})[0]
	if l.Turn%180 != 0 {
		size.X, size.Y = size.Y, size.X
	}
	return inwords.Of(print, l.Guided(found[0]), size), nil
}

// guides returns what was found on each page of a file.
func (s *Revisions) guides(ctx context.Context, file string) ([]worksheet.Guide, error) {
	pages, err := s.store.FileGuides(ctx, file)
	if err != nil {
		return nil, err
	}
	out := make([]worksheet.Guide, len(pages))
	for i, p := range pages {
		if err := json.Unmarshal([]byte(p), &out[i]); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// Write puts what the teacher writes and draws on the sheet in place of what was there:
// marks on the pages that students get, counted from 1. version is the worksheet's that
// it was written on; the new one is returned. It reaches copies that are begun too.
func (s *Shelf) Write(ctx context.Context, who school.Person, id uint64, version int, marks []mark.Mark) (int, error) {
	w, p, err := s.planned(ctx, who, id)
	if err != nil {
		return 0, err
	}
	kit, err := worksheet.ParseKit(w.Kit)
	if err != nil {
		return 0, err
	}
	n := 0
	next := slices.Clone(p)
	for i, l := range next {
		if l.Use != worksheet.Sheet {
			continue
		}
		n++
		next[i].Said = nil
		for _, m := range marks {
			if m.Page == n {
				next[i].Said = append(next[i].Said, m)
			}
		}
	}
	if slices.ContainsFunc(marks, func(m mark.Mark) bool { return m.Page < 1 || m.Page > n }) {
		return 0, school.Refuse("plan", "", "")
	}
	return version + 1, s.Arrange(ctx, who, id, version, next, kit)
}

// checkAttachments checks that every sound and picture that a plan and a kit speak of lies
// with the worksheet.
func (s *Shelf) checkAttachments(ctx context.Context, sheetID uint64, p worksheet.Plan, k worksheet.Kit) error {
	var wanted []string
	for _, l := range p {
		wanted = append(wanted, submission.Enclosed(l.Said)...)
	}
	for _, pic := range k.Shelf {
		wanted = append(wanted, pic.Hash)
	}
	if len(wanted) == 0 {
		return nil
	}
	there, err := s.store.WorksheetAttachments(ctx, sheetID)
	if err != nil {
		return err
	}
	for _, hash := range wanted {
		if !slices.ContainsFunc(there, func(e school.WorksheetAttachment) bool { return e.Hash == hash }) {
			return school.Refuse("plan", "", "")
		}
	}
	return nil
}

// directionSeconds is the longest direction that is spoken.
const directionSeconds = 20 * 60

// AddSpoken takes a recording in for the directions of a worksheet.
func (s *Shelf) AddSpoken(ctx context.Context, who school.Person, sheetID uint64, recorded intake.Recorded) (mark.Voice, error) {
	if _, err := s.gate.Worksheet(ctx, who, sheetID, access.UseWorksheet); err != nil {
		return mark.Voice{}, err
	}
	v, peaks, err := s.intake.Recording(ctx, recorded, directionSeconds*time.Second)
	if err == nil && v.Trail != "" {
		err = s.store.AddWorksheetAttachment(ctx, school.WorksheetAttachment{WorksheetID: sheetID, Hash: v.Trail, MediaType: trail.Media, Peaks: "[]"})
	}
	if err != nil {
		return v, err
	}
	return v, s.store.AddWorksheetAttachment(ctx, school.WorksheetAttachment{WorksheetID: sheetID, Hash: v.Sound, MediaType: recording.MediaType, Milliseconds: v.Milliseconds, Peaks: peaks})
}

// AddPicture takes a picture in for the picture shelf of a worksheet. It is
// painted anew, so that nothing else of the file goes to students.
func (s *Shelf) AddPicture(ctx context.Context, who school.Person, sheetID uint64, f intake.Upload) (worksheet.Picture, error) {
	if _, err := s.gate.Worksheet(ctx, who, sheetID, access.UseWorksheet); err != nil {
		return worksheet.Picture{}, err
	}
	pic, err := s.intake.Picture(ctx, f, intake.StaffPixels)
	if err != nil {
		return worksheet.Picture{}, err
	}
	return pic, s.store.AddWorksheetAttachment(ctx, school.WorksheetAttachment{WorksheetID: sheetID, Hash: pic.Hash, MediaType: intake.PictureType, Peaks: "[]"})
}

// Attachment returns a sound or a picture that lies with a worksheet to its owner.
func (s *Shelf) Attachment(ctx context.Context, who school.Person, sheetID uint64, hash string) (school.Media, error) {
	if _, err := s.gate.Worksheet(ctx, who, sheetID, access.UseWorksheet); err != nil {
		return school.Media{}, err
	}
	return s.revisions.Attachment(ctx, sheetID, hash)
}
