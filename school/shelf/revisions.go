package shelf

import (
	"context"
	"encoding/json"
	"slices"
	"strings"
	"sync"

	"golang.org/x/sync/singleflight"

	"readymargin/core/access"
	"readymargin/core/inwords"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/recording"
	"readymargin/core/submission"
	"readymargin/core/tagged"
	"readymargin/core/trail"
	"readymargin/core/words"
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

	mu    sync.Mutex
	known map[uint64]read // what was read of revisions
}

// NewRevisions returns the revisions of a store.
func NewRevisions(store RevisionStore, engine Painter, gate *school.Gate) *Revisions {
	return &Revisions{store: store, engine: engine, gate: gate, known: map[uint64]read{}}
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
	issued, err := s.Issued(ctx, r)
	out := make([]worksheet.Guide, len(issued.Guides))
	for i, g := range issued.Guides {
		out[i] = g.ForStudents()
	}
	return out, err
}

// InWords returns each page that students get in words.
func (s *Revisions) InWords(ctx context.Context, who school.Person, revision uint64) ([][]inwords.Piece, error) {
	r, err := s.gate.Revision(ctx, who, revision, access.SeeWorksheet)
	if err != nil {
		return nil, err
	}
	pages, err := s.Worded(ctx, r)
	out := make([][]inwords.Piece, len(pages))
	for i, p := range pages {
		out[i] = p.Pieces
	}
	return out, err
}

// Worded returns the pages of a revision in words.
func (s *Revisions) Worded(ctx context.Context, r school.Revision) ([]tagged.Page, error) {
	issued, err := s.Issued(ctx, r)
	if err != nil {
		return nil, err
	}
	prints, err := s.prints(ctx, r.FileHash)
	if err != nil {
		return nil, err
	}
	out := make([]tagged.Page, len(issued.Guides))
	for i, g := range issued.Guides {
		var print words.Page
		if i < len(prints) {
			print = prints[i]
		}
		out[i] = tagged.Worded(print, g, issued.Sizes[i])
	}
	return out, nil
}

// prints returns what is printed on the pages of a file.
func (s *Revisions) prints(ctx context.Context, hash string) ([]words.Page, error) {
	layers, err := s.store.TextLayers(ctx, hash)
	out := make([]words.Page, len(layers))
	for i, l := range layers {
		if l == "" {
			continue
		}
		if err := json.Unmarshal([]byte(l), &out[i]); err != nil {
			return nil, err
		}
	}
	return out, err
}

// Issued is what a revision has for the work as its worksheet says now. It is
// shared, and not to be changed.
type Issued struct {
	Guides     []worksheet.Guide // of each page, with what only teachers see
	Directions []mark.Mark       // what the teacher says on the sheet
	Sizes      []page.Point      // of each page, points
	Title      string            // of the worksheet
	worksheet.Kit
}

// issuedMost bounds the revisions that are kept read: a class hands in the same
// sheet in the same minute.
const issuedMost = 200

// read is what was made of a plan.
type read struct {
	plan, kit, title string
	reread           int
	Issued
}

// Handed is a revision with what it has for the work.
type Handed struct {
	school.Revision
	Now Issued
}

// HandedIn returns revisions with what they have for the work, by their IDs.
func (s *Revisions) HandedIn(ctx context.Context, ids ...uint64) (map[uint64]Handed, error) {
	out := map[uint64]Handed{}
	if len(ids) == 0 {
		return out, nil
	}
	all, err := s.store.RevisedIn(ctx, ids...)
	if err != nil {
		return nil, err
	}
	for _, r := range all {
		is, err := s.Revised(ctx, r)
		if err != nil {
			return nil, err
		}
		out[r.ID] = Handed{r.Revision, is}
	}
	return out, nil
}

// Revised returns what a revision has for the work, of a worksheet as it is now.
func (s *Revisions) Revised(ctx context.Context, r school.Revised) (Issued, error) {
	return s.issued(ctx, r.Revision, school.Worksheet{Title: r.NowTitle, Plan: r.NowPlan, Kit: r.NowKit})
}

// Issued returns what a revision has for the work.
func (s *Revisions) Issued(ctx context.Context, r school.Revision) (Issued, error) {
	w, err := s.store.Worksheet(ctx, r.WorksheetID)
	if err != nil {
		return Issued{}, err
	}
	return s.issued(ctx, r, w)
}

// issued is Issued of a worksheet as it is now.
func (s *Revisions) issued(ctx context.Context, r school.Revision, w school.Worksheet) (Issued, error) {
	s.mu.Lock()
	known, ok := s.known[r.ID]
	s.mu.Unlock()
	if ok && known.plan == w.Plan && known.kit == w.Kit && known.title == w.Title && known.reread == r.Reread {
		return known.Issued, nil
	}
	now, err := worksheet.Parse(w.Plan)
	if err != nil {
		return Issued{}, err
	}
	then, err := worksheet.Parse(r.Plan)
	if err != nil {
		return Issued{}, err
	}
	guides, err := s.store.RevisionGuides(ctx, r.ID)
	if err != nil {
		return Issued{}, err
	}
	sizes, err := s.Sizes(ctx, r)
	if err != nil {
		return Issued{}, err
	}
	kit, err := worksheet.ParseKit(w.Kit)
	if err != nil {
		return Issued{}, err
	}
	out := Issued{kit.Spoken(now.Guides(then, guides, corners(sizes))), now.Directions(then, corners(sizes)), corners(sizes), w.Title, kit}
	s.mu.Lock()
	defer s.mu.Unlock()
	if len(s.known) >= issuedMost {
		clear(s.known)
	}
	s.known[r.ID] = read{w.Plan, w.Kit, w.Title, r.Reread, out}
	return out, nil
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
	if err != nil || e.Type != recording.MediaType && e.Type != trail.Media {
		return e, err
	}
	issued, err := s.Issued(ctx, r)
	if err == nil && !slices.Contains(submission.Enclosed(issued.Directions), hash) {
		err = access.ErrHidden // said on a page that is held back
	}
	if err == nil && counted(issued.Directions, hash) {
		_, err = s.gate.Revision(ctx, who, revision, access.SeeHeld) // students hear it by a hearing alone
	}
	if err != nil {
		e.Close()
	}
	return e, err
}

// counted reports whether a sound may be heard so and so often only.
func counted(directions []mark.Mark, hash string) bool {
	return slices.ContainsFunc(directions, func(m mark.Mark) bool {
		n, ok := m.Body.(*mark.Note)
		return ok && n.Voice != nil && n.Voice.Times > 0 && n.Voice.Sound == strings.ToLower(hash)
	})
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
