// Package takeaway makes the files that people take away.
package takeaway

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"
	"unicode"

	"readymargin/core/access"
	"readymargin/core/document"
	"readymargin/core/draw"
	"readymargin/core/mark"
	"readymargin/core/note"
	"readymargin/core/page"
	"readymargin/core/typeset"
	"readymargin/school"
	"readymargin/school/intake"
	"readymargin/school/markbook"
	"readymargin/school/screen"
	"readymargin/school/shelf"
	"readymargin/school/work"
)

// Exports are files to take away.
type Exports struct {
	store       ExportStore
	engine      Printer
	sounds      Sounds
	gate        *school.Gate
	revisions   *shelf.Revisions
	screens     *screen.Screens
	attachments *work.Attachments
	books       *markbook.Books
}

// New returns what makes files to take away.
func New(store ExportStore, engine Printer, sounds Sounds, gate *school.Gate, revisions *shelf.Revisions, screens *screen.Screens, enclosures *work.Attachments, books *markbook.Books) *Exports {
	return &Exports{store, engine, sounds, gate, revisions, screens, enclosures, books}
}

// A File is something to take away, opened to be read. Whoever gets it closes
// it.
type File struct {
	school.Media
	Name string
}

// spooled lays a file down on disk, where it is gone with whoever has it open:
// somebody with a slow line takes no memory meanwhile.
func spooled(name string, data []byte) (File, error) {
	f, err := os.CreateTemp("", "readymargin-export-*")
	if err != nil {
		return File{}, err
	}
	_, err = f.Write(data)
	if err = errors.Join(err, os.Remove(f.Name())); err == nil {
		_, err = f.Seek(0, io.SeekStart)
	}
	if err != nil {
		f.Close()
		return File{}, err
	}
	sum := sha256.Sum256(data)
	return File{school.Media{ReadSeekCloser: f, Hash: hex.EncodeToString(sum[:]), Type: "application/pdf"}, name}, nil
}

// PrintCopy returns the copy as a PDF with work and feedback printed on the
// pages, as the person may see them, and what was said on a page at its end.
// Letters that no font has are the Problem "letters", unless anyway is set.
func (s *Exports) PrintCopy(ctx context.Context, who school.Person, id uint64, number int, anyway bool) (File, error) {
	v, err := s.screens.OpenToMark(ctx, who, id, number)
	if errors.Is(err, access.ErrDenied) || errors.Is(err, access.ErrHidden) {
		if _, err := s.gate.Copy(ctx, who, id, access.TakeAway, ""); err != nil {
			return File{}, err
		}
		v, err = s.screens.OpenAttempt(ctx, who, id, number)
	}
	if err != nil {
		return File{}, err
	}
	threads, whole := v.Threads()
	if !anyway {
		if missing := missingLetters(v, threads, whole); missing != "" {
			return File{}, school.Refuse("letters", "", missing)
		}
	}
	r, err := s.store.Revision(ctx, v.Sheet)
	if err != nil {
		return File{}, err
	}
	file, err := s.store.Blob(ctx, r.FileHash)
	if err != nil {
		return File{}, err
	}
	boxes, err := s.revisions.Boxes(ctx, r.FileHash)
	if err != nil {
		return File{}, err
	}
	p := document.Export{Boxes: boxes, Copy: id}
	added, err := s.added(ctx, r, v, len(boxes))
	if err != nil {
		return File{}, err
	}
	p.Extra = len(added.at)
	for _, m := range append(marksOf(v), added.signs...) {
		if m.Page = added.page(m.Page); m.Page > 0 {
			p.Marks = append(p.Marks, m)
		}
	}
	p.Marks = append(p.Marks, tags(v)...)
	if p.Pictures, err = s.pictures(ctx, who, id, r.WorksheetID, p.Marks); err != nil {
		return File{}, err
	}
	threads = added.numbered(threads)
	for _, t := range threads {
		p.Notes = append(p.Notes, document.NoteMarker{Page: t.Page, At: page.Pt(t.Place[0], t.Place[1]), Number: t.Number, Color: noteColor(t.Remarks[0])})
	}
	if p.Files, err = s.spoken(ctx, who, id, r.WorksheetID, threads, whole); err != nil {
		return File{}, err
	}
	p.Marks = append(p.Marks, saidPages(v, threads, whole, len(boxes)+len(added.at), &p.Extra)...)
	data, err := s.engine.Print(ctx, file, p)
	if err != nil {
		return File{}, err
	}
	return spooled(fileName(v), data)
}

// Looks of the sign with a question's points, in points.
const (
	tagSize, tagHeight, tagFromEdge = 10, 15, 10
	tagColor                        = mark.Color("#c22f20")
)

// tags are the points of questions, each beside its question at the page's edge.
func tags(v screen.Screen) (out []mark.Mark) {
	if v.Feedback != v.Attempt {
		return nil // they are not of what is printed
	}
	for i, q := range v.Questions {
		if q.Given == "" || q.Page > len(v.Pages) {
			continue
		}
		text := q.Given + " of " + q.Of
		w := typeset.Load().Width(text, tagSize)
		x := v.Pages[q.Page-1].Width - tagFromEdge - w - 8
		out = append(out,
			mark.Mark{ID: fmt.Sprintf("points-box-%d", i), Page: q.Page, Body: &mark.Square{Shape: mark.Shape{Color: tagColor, Width: 0.8, Opacity: 1}, Rect: [4]float64{x, q.Tag, x + w + 8, q.Tag + tagHeight}}},
			mark.Mark{ID: fmt.Sprintf("points-tag-%d", i), Page: q.Page, Body: &mark.FreeText{
				X: x + 4, Y: q.Tag + tagHeight - 4, Width: w + 4, Lines: []mark.TextLine{{Runs: []mark.Run{{Text: text, Size: tagSize, Color: tagColor}}}}}})
	}
	return out
}

// pictures returns the pictures that marks on a copy show, by hash: of the
// worksheet's shelf, or brought to the copy.
func (s *Exports) pictures(ctx context.Context, who school.Person, id, worksheet uint64, marks []mark.Mark) (map[string][]byte, error) {
	out := map[string][]byte{}
	for _, m := range marks {
		pic, ok := m.Body.(*mark.Picture)
		if !ok || out[pic.Hash] != nil {
			continue
		}
		e, err := s.revisions.Attachment(ctx, worksheet, pic.Hash)
		if errors.Is(err, access.ErrHidden) {
			e, err = s.attachments.Attachment(ctx, who, id, pic.Hash)
		}
		if errors.Is(err, access.ErrHidden) {
			continue
		}
		if err != nil {
			return nil, err
		}
		if e.Type == intake.PictureType {
			out[pic.Hash], err = io.ReadAll(e)
		}
		if err := errors.Join(err, e.Close()); err != nil {
			return nil, err
		}
	}
	return out, nil
}

func noteColor(first note.Remark) mark.Color {
	if strings.HasPrefix(first.Layer, "feedback") {
		return "#c22f20"
	}
	return "#2f6f9f"
}

// missingLetters returns the letters of everything to be printed that no font
// has, or that run from right to left, which the file would set the wrong way
// round, so that they can be named before the file is made.
func missingLetters(v screen.Screen, threads []note.Thread, whole []note.Remark) string {
	var out []rune
	said := map[rune]bool{}
	add := func(text string, look typeset.Look) {
		if len(out) < maxMissing {
			out = append(out, typeset.Of(look).Unfit(text, said)...)
		}
	}
	for _, m := range v.Marks {
		for _, s := range draw.Shapes(m.Mark) {
			if s.Text == nil {
				continue
			}
			for _, r := range s.Text.Runs {
				add(r.Text, typeset.Look{Font: r.Font, Bold: r.Bold, Italic: r.Italic})
			}
		}
	}
	for _, t := range append(threads, note.Thread{Remarks: whole}) {
		for _, r := range t.Remarks {
			add(school.Plainly(r.Text, r.Rich)+r.Author, typeset.Look{})
		}
	}
	add(school.Plainly(v.Remark, v.RemarkRich), typeset.Look{})
	return string(out[:min(len(out), maxMissing)])
}

// maxMissing is how many letters are named at most.
const maxMissing = 60

// listIndent is how far what is in a list stands in, in points.
const listIndent = 14

// Layout of the pages with what was said, in points on A4.
const (
	saidLeft, saidTop, saidBottom = 64, 72, 780
	saidWidth                     = 595.28 - 2*saidLeft
	saidSize                      = 11
)

// saidPages sets what was said, numbered as on the pages, on pages behind the
// last one; with nothing said there is none.
func saidPages(v screen.Screen, threads []note.Thread, whole []note.Remark, pages int, extra *int) []mark.Mark {
	var lines []saidLine
	set := func(runs []mark.Run, size float64, color mark.Color, indent float64) {
		runs = slices.Clone(runs)
		for i := range runs {
			runs[i].Size, runs[i].Color = size, color
		}
		for _, l := range typeset.WrapRuns(runs, saidWidth-indent) {
			lines = append(lines, saidLine{l, size, indent})
		}
	}
	add := func(s string, size float64, color mark.Color, indent float64) {
		set([]mark.Run{{Text: s}}, size, color, indent)
	}
	about := "" // said where it is not the attempt that is printed
	if v.Feedback != v.Attempt && v.Feedback > 0 {
		about = fmt.Sprintf("Attempt %d: ", v.Feedback)
	}
	switch {
	case v.PointsOf == "" || v.ReturnedAt == nil && v.Given == nil:
	case v.Given == nil:
		add(about+"no points were given", 14, "#1e2a44", 0)
	default:
		add(about+*v.Given+" of "+v.PointsOf, 14, "#1e2a44", 0)
	}
	if v.Remark != "" {
		for _, p := range school.Paragraphs(v.Remark, v.RemarkRich) {
			set(append([]mark.Run{{Text: p.Lead}}, p.Runs...), saidSize, "#1e2a44", listIndent*float64(p.Deep))
		}
	}
	say := func(who string, r note.Remark, color mark.Color) {
		add(who, 9, "#5b667d", 0)
		if r.Voice != nil {
			add(fmt.Sprintf("Voice note, %d:%02d", r.Voice.Milliseconds/60000, r.Voice.Milliseconds/1000%60), saidSize, color, 12)
		}
		if r.Text != "" {
			for _, p := range school.Paragraphs(r.Text, r.Rich) {
				set(append([]mark.Run{{Text: p.Lead}}, p.Runs...), saidSize, color, 12+listIndent*float64(p.Deep))
			}
		}
	}
	for _, r := range whole {
		say("About the whole copy · "+r.Author, r, noteColor(r))
	}
	for _, t := range threads {
		add(" ", 6, "#1e2a44", 0)
		for i, r := range t.Remarks {
			who := r.Author
			if i == 0 {
				who = fmt.Sprintf("%d · page %d · %s", t.Number, t.Page, r.Author)
			}
			say(who, r, noteColor(t.Remarks[0]))
		}
		if t.Done != nil {
			add("Done · "+t.Done.Author, 9, "#5b667d", 0)
		}
	}
	if len(lines) == 0 {
		return nil
	}
	head := saidLine{[]mark.Run{{Text: v.Title + " · " + v.Student, Size: 16, Color: "#1e2a44"}}, 16, 0}
	return setLines(append([]saidLine{head}, lines...), pages, extra)
}

type saidLine struct {
	runs   []mark.Run
	size   float64
	indent float64
}

func setLines(lines []saidLine, pages int, extra *int) (out []mark.Mark) {
	pages++
	*extra++
	y := float64(saidTop)
	for i, l := range lines {
		if y > saidBottom {
			pages++
			*extra++
			y = saidTop
		}
		if len(l.runs) > 0 {
			out = append(out, mark.Mark{ID: fmt.Sprintf("said-line-%d", i), Page: pages, Body: &mark.FreeText{
				X: saidLeft + l.indent, Y: y, Width: saidWidth, Lines: []mark.TextLine{{Runs: l.runs}}}})
		}
		y += l.size * 1.45
	}
	return out
}

// fileName says worksheet, student, attempt and what it is.
func fileName(v screen.Screen) string {
	return fmt.Sprintf("%s, %s, attempt %d, marks printed.pdf", clean(v.Title), clean(v.Student), v.Attempt)
}

// clean makes a part of a file's name of a text.
func clean(s string) string {
	return strings.TrimSpace(strings.Map(func(r rune) rune {
		if unicode.IsControl(r) || strings.ContainsRune(`/\:*?"<>|`, r) {
			return '-'
		}
		return r
	}, s))
}
