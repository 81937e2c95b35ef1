package work

import (
	"cmp"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"strconv"
	"strings"

	"readymargin/core/access"
	"readymargin/core/document"
	"readymargin/core/elsewhere"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/scan"
	"readymargin/core/submission"
	"readymargin/school"
	"readymargin/school/intake"
	"readymargin/school/shelf"
)

// Elsewhere takes back a sheet that was completed in another program, or on
// paper.
type Elsewhere struct {
	store       ElsewhereStore
	engine      Comparer
	gate        *school.Gate
	intake      *intake.Intake
	revisions   *shelf.Revisions
	attachments *Attachments
	saving      *Saving
	now         school.Clock
}

// NewElsewhere returns what compares files with the sheets that they are of.
func NewElsewhere(store ElsewhereStore, engine Comparer, gate *school.Gate, in *intake.Intake, revisions *shelf.Revisions, enclosures *Attachments, saving *Saving, now school.Clock) *Elsewhere {
	return &Elsewhere{store, engine, gate, in, revisions, enclosures, saving, now}
}

// Brought says what became of a file that was worked on elsewhere.
type Brought struct {
	Pages  int      `json:"pages"`  // that were matched
	Lacks  []int    `json:"lacks"`  // pages of the sheet that the file has not
	Places int      `json:"places"` // of which a picture was taken over
	Taken  int      `json:"taken"`  // annotations and fields that are marks now
	Marks  []string `json:"marks"`  // that were made of them

	Strange []string `json:"strange,omitempty"` // kinds of annotations that are no marks
	Late    bool     `json:"late,omitempty"`    // it waits: the copy takes no more work
}

// Answers are what somebody said who was asked about a file.
type Answers struct {
	Anyway bool // another copy's file is taken over
	Some   bool // pages that are none of the sheet's are left out
	Page   int  // of the sheet that a picture shows, from 1; 0 if not said
}

// Bounds of what is taken over, over all pages.
const (
	maxPieces     = 400
	maxTaken      = 5_000 // annotations and fields
	maxPieceBytes = 12 << 20
)

// BringElsewhere takes over what was done with another program on a copy's
// sheet. Each page of the file is matched to a page of the sheet. Annotations and
// what was filled in become marks of their kind; wherever else it looks different,
// that piece of it becomes a picture among the student's marks, so that nothing on
// it is lost to sight. What a copy had on it when it was taken away is left alone: it
// is there. A picture becomes one, set straight, as large as the page that it shows.
//
// A file of another copy is the Problem "another copy", one with pages that are none
// of the sheet's "other pages", and a picture of which it cannot be told what page it
// shows is "which page", unless answers say. Then nothing of it is kept.
func (s *Elsewhere) BringElsewhere(ctx context.Context, who school.Person, id uint64, f intake.Upload, answers Answers) (Brought, error) {
	c, err := s.gate.Copy(ctx, who, id, access.BringBack, submission.Work)
	if err != nil {
		return Brought{}, err
	}
	if err := s.attachments.room(ctx, id); err != nil {
		return Brought{}, err
	}
	theirs, of, err := s.read(ctx, f)
	if err != nil {
		return Brought{}, err
	}
	if of != 0 && of != id && !answers.Anyway {
		return Brought{}, school.Refuse("another copy", "", "")
	}
	ours, err := s.sheetPages(ctx, c.Revision.Revision)
	if err != nil {
		return Brought{}, err
	}
	sheet, err := s.store.Blob(ctx, c.Revision.FileHash)
	if err != nil {
		return Brought{}, err
	}
	if out, coded, err := s.ownPaper(ctx, who, c, f, theirs, answers); coded || err != nil {
		return out, err
	}
	if theirs.Picture { // its print is the sheet's, and is taken with it
		return s.takePicture(ctx, who, id, f, sheet, ours, answers.Page)
	}
	with := Comparison{Engine: s.engine, Sheet: sheet, Pages: ours, Name: stable(id)}
	if with.Boxes, err = s.revisions.Boxes(ctx, c.Revision.FileHash); err != nil {
		return Brought{}, err
	}
	if with.Standing, err = s.standing(ctx, id); err != nil {
		return Brought{}, err
	}
	issued, err := s.revisions.Issued(ctx, c.Revision.Revision)
	if err != nil {
		return Brought{}, err
	}
	with.Guides = issued.Guides
	theirs, match, err := with.Upright(ctx, theirs)
	if err == nil {
		err = leftOut(match, answers)
	}
	if err != nil {
		return Brought{}, err
	}
	taken, parts, err := with.Compare(ctx, theirs, match, of == id)
	if err != nil {
		return Brought{}, err
	}
	out, err := s.takeOver(ctx, who, id, submission.Work, access.BringBack, match, parts, taken)
	out.Lacks = missing(match, len(ours))
	return out, err
}

// stable names what is brought to a copy by what it is in the file: the same file
// brought twice is there once.
func stable(id uint64) func(key string) string {
	return func(key string) string {
		sum := sha256.Sum256(fmt.Appendf(nil, "%d %s", id, key))
		return "brought-" + hex.EncodeToString(sum[:12])
	}
}

// standing returns the work on a copy by the names of its marks.
func (s *Elsewhere) standing(ctx context.Context, id uint64) (map[string]mark.Mark, error) {
	heads, err := s.store.Heads(ctx, id, submission.Work)
	if err != nil {
		return nil, err
	}
	shown, _ := school.Present(heads)
	out := map[string]mark.Mark{}
	for _, w := range shown {
		out[w.Mark.ID] = w.Mark
	}
	return out, nil
}

// The bound of a picture that is taken whole.
const wholeSide = 2400 // pixels along

// takePicture takes a picture of a page as one part of it, as large as the page.
func (s *Elsewhere) takePicture(ctx context.Context, who school.Person, id uint64, f intake.Upload, sheet []byte, ours []elsewhere.Page, n int) (Brought, error) {
	picture, err := s.intake.Developed(ctx, f.Data)
	if err == nil {
		picture, err = s.engine.Repaint(ctx, picture, document.Painting{Side: wholeSide, Pixels: intake.StudentPixels, Sheet: true})
	}
	if err != nil {
		return Brought{}, err
	}
	switch {
	case len(ours) == 1:
		n = 1
	case n < 1 || n > len(ours):
		if n, err = s.pictured(ctx, sheet, ours, picture); err != nil {
			return Brought{}, err
		}
	}
	all := page.R(0, 0, ours[n-1].Width, ours[n-1].Height)
	return s.takeOver(ctx, who, id, submission.Work, access.BringBack, []int{n}, [][]document.Part{{{Rect: all, JPEG: picture}}}, elsewhere.Taken{})
}

// pictured returns which page of a sheet a picture shows, by its ink.
func (s *Elsewhere) pictured(ctx context.Context, sheet []byte, ours []elsewhere.Page, picture []byte) (int, error) {
	as := make([]scan.Ink, len(ours))
	of := map[page.Point]scan.Ink{} // few pages have a size of their own
	for i := range ours {
		size := page.Pt(ours[i].Width, ours[i].Height)
		var err error
		if _, ok := of[size]; !ok {
			if of[size], err = s.engine.PictureInk(ctx, picture, size); err != nil {
				return 0, err
			}
		}
		as[i] = of[size]
		if ours[i].Ink, err = s.engine.Ink(ctx, sheet, i+1); err != nil {
			return 0, err
		}
	}
	n := elsewhere.Pictured(ours, as)
	if n == 0 {
		return 0, school.Refuse("which page", "", "")
	}
	return n, nil
}

// takeOver lays parts of pages on a copy, behind the marks that were found: which
// page of the sheet each list is of is told by match.
func (s *Elsewhere) takeOver(ctx context.Context, who school.Person, id uint64, layer submission.Layer, by access.Action, match []int, all [][]document.Part, taken elsewhere.Taken) (Brought, error) {
	heads, err := s.store.Heads(ctx, id, layer)
	if err != nil {
		return Brought{}, err
	}
	there := map[string]string{} // versions of marks
	shown, _ := school.Present(heads)
	for _, w := range shown {
		there[w.Mark.ID] = w.Version
	}

	var ops []submission.Op
	var pictures [][]byte
	size := 0
	for i, n := range match {
		parts := all[i]
		for _, p := range parts {
			op := s.piece(id, n, p)
			if _, laid := there[op.On]; laid {
				continue // it was brought in before
			}
			pictures, size = append(pictures, p.JPEG), size+len(p.JPEG)
			ops = append(ops, op)
		}
		if len(ops) > maxPieces || size > maxPieceBytes {
			return Brought{}, school.Refuse("too much", "", "")
		}
	}
	places := len(ops)
	if len(taken.Found) > maxTaken {
		return Brought{}, school.Refuse("too much", "", "")
	}
	for _, f := range taken.Found {
		m := f.Mark
		ops = append(ops, submission.Op{ID: s.newName(), On: m.ID, Base: there[m.ID], Mark: &m})
	}
	for _, b := range pictures {
		hash, err := s.store.PutBlob(ctx, b)
		if err != nil {
			return Brought{}, err
		}
		if err := s.attachments.addPicture(ctx, who, id, layer, hash); err != nil {
			return Brought{}, err
		}
	}
	stands, err := s.gate.Layer(ctx, who, id, by, layer)
	if err != nil {
		return Brought{}, err
	}
	late := false
	for rest := ops; len(rest) > 0; {
		batch := rest[:min(len(rest), MaxBatch)]
		saved, err := s.saving.save(ctx, who, id, layer, stands, batch)
		if err != nil {
			return Brought{}, err
		}
		late = late || saved.Waiting > 0
		rest = rest[len(batch):]
	}
	out := Brought{Lacks: []int{}, Late: late, Places: places, Taken: len(taken.Found), Strange: taken.Strange, Marks: []string{}}
	for _, n := range match {
		if n > 0 {
			out.Pages++
		}
	}
	for _, o := range ops {
		out.Marks = append(out.Marks, o.On)
	}
	return out, nil
}

// read reads a file without what a copy had on it when it was taken away, and
// tells the number of that copy.
func (s *Elsewhere) read(ctx context.Context, f intake.Upload) (out Done, copied uint64, err error) {
	read, err := s.intake.Read(ctx, f)
	if err != nil || read.Picture {
		return Done{Read: read}, 0, err
	}
	bare, of, err := s.engine.Bare(ctx, read.File)
	if intake.Untold(err) {
		return Done{Read: read}, 0, nil // its pages are compared as they are seen
	}
	if err == nil && of != 0 {
		read, err = s.intake.Read(ctx, intake.Upload{Name: f.Name, Data: bare})
	}
	if err != nil {
		return Done{}, 0, err
	}
	out, err = ReadDone(ctx, s.engine, read)
	return out, cmp.Or(of, out.Copy), err
}

// sheetPages returns what is known of the pages that students get.
func (s *Elsewhere) sheetPages(ctx context.Context, r school.Revision) ([]elsewhere.Page, error) {
	sizes, err := s.revisions.Sizes(ctx, r)
	if err != nil {
		return nil, err
	}
	out := make([]elsewhere.Page, len(sizes))
	for i, size := range sizes {
		p, err := s.store.FilePage(ctx, r.FileHash, i+1)
		if err != nil {
			return nil, err
		}
		out[i] = elsewhere.Page{Width: size.Width, Height: size.Height}
		if err := json.Unmarshal([]byte(p.TextLayer), &out[i].Print); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// piece is the operation that lays a part of a page on page n of a copy.
func (s *Elsewhere) piece(id uint64, n int, p document.Part) submission.Op {
	sum := sha256.Sum256(p.JPEG)
	m := mark.Mark{ID: stable(id)(fmt.Sprintf("picture %d %x", n, sum)), Page: n, Rank: -1, Body: &mark.Picture{Hash: hex.EncodeToString(sum[:]), Name: "done elsewhere", Words: p.Words, Rect: [4]float64{
		page.Round(p.Rect.Min.X), page.Round(p.Rect.Min.Y), page.Round(p.Rect.Max.X), page.Round(p.Rect.Max.Y)}}}
	return submission.Op{ID: s.newName(), On: m.ID, Mark: &m}
}

// newName names a mark or an operation, so that names sort by their time as
// those that browsers give.
func (s *Elsewhere) newName() string {
	return fmt.Sprintf("%09s-%s", strconv.FormatInt(s.now().UnixMilli(), 36), strings.ToLower(rand.Text()[:12]))
}
