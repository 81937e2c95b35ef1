// Package takeaway makes the files that people take away.
package takeaway

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"
	"time"

	"readymargin/core/access"
	"readymargin/core/annotation"
	"readymargin/core/document"
	"readymargin/core/draw"
	"readymargin/core/mark"
	"readymargin/core/note"
	"readymargin/core/page"
	"readymargin/core/submission"
	"readymargin/core/tagged"
	"readymargin/core/typeset"
	"readymargin/school"
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
func spooled(name, kind string, data []byte) (File, error) {
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
	return File{school.Media{ReadSeekCloser: f, Hash: hex.EncodeToString(sum[:]), Type: kind}, name}, nil
}

// A Form is what a copy is taken away as, which depends on what it is for.
type Form string

// The forms there are.
const (
	Clean   Form = "sheet"   // an empty sheet: as handed out
	Printed Form = "printed" // to keep or print: what stands on the page is part of it
	Movable Form = "movable" // to go on in another program: marks are annotations
	Margin  Form = "margin"  // to read on paper: each page beside its margin

	Pictures Form = "pictures" // pages as PNG pictures
	Marks    Form = "marks"    // the marks alone, as XFDF
	Data     Form = "data"     // all of it as one JSON document
)

func (f Form) known() bool {
	return slices.Contains([]Form{Clean, Printed, Movable, Margin, Pictures, Marks, Data}, f)
}

// A Choice is what of a copy is taken away. The zero value is all of it, printed.
type Choice struct {
	Form    Form
	Attempt int    // 0 for what is worked on
	Pages   string // such as "1-3, 5"; "" for all
	NoNotes bool   // what is said at notes is left out of a printed file
	Anyway  bool   // letters that no font has are left out
}

// TakeCopy returns the copy as a file, as the person may see it. Letters that no font
// has are the Problem "letters", unless the choice says anyway; a page that there is
// not is the Problem "pages".
func (s *Exports) TakeCopy(ctx context.Context, who school.Person, id uint64, choice Choice) (File, error) {
	f, _, err := s.take(ctx, who, id, choice)
	return f, err
}

// take returns a copy as a file, and the sounds that are in it.
func (s *Exports) take(ctx context.Context, who school.Person, id uint64, choice Choice) (File, []document.Attached, error) {
	choice.Form = cmp.Or(choice.Form, Printed)
	if !choice.Form.known() {
		return File{}, nil, school.Refuse("form", "", "")
	}
	if choice.Form == Data {
		v, err := s.open(ctx, who, id, choice.Attempt)
		if err != nil {
			return File{}, nil, err
		}
		f, err := wholeCopy(v)
		return f, nil, err
	}
	b, err := s.built(ctx, who, id, choice)
	if err != nil {
		return File{}, nil, err
	}
	if choice.Form == Marks {
		f, err := b.marks()
		return f, nil, err
	}
	data, err := s.engine.Print(ctx, b.file, b.what)
	if err != nil {
		return File{}, nil, err
	}
	if choice.Form == Pictures {
		f, err := b.pages(ctx, data)
		return f, nil, err
	}
	f, err := spooled(fileName(b.view, choice.Form), pdfType, data)
	return f, b.what.Files, err
}

// open opens an attempt to who marks it, or to the student.
func (s *Exports) open(ctx context.Context, who school.Person, id uint64, attempt int) (screen.Screen, error) {
	v, err := s.screens.OpenToMark(ctx, who, id, attempt)
	if errors.Is(err, access.ErrDenied) || errors.Is(err, access.ErrHidden) {
		if _, err := s.gate.Copy(ctx, who, id, access.TakeAway, ""); err != nil {
			return v, err
		}
		return s.screens.OpenAttempt(ctx, who, id, attempt)
	}
	return v, err
}

// built returns what one file is made of.
func (s *Exports) built(ctx context.Context, who school.Person, id uint64, choice Choice) (b builder, err error) {
	b = builder{Exports: s, who: who, choice: choice}
	if choice.Form == Clean {
		err = b.empty(ctx, id)
	} else {
		b.view, err = s.open(ctx, who, id, choice.Attempt)
	}
	if err != nil {
		return b, err
	}
	threads, whole := b.view.Threads()
	if !choice.Anyway && choice.Form != Marks {
		if missing := missingLetters(b.view, threads, whole); missing != "" {
			return b, school.Refuse("letters", "", missing)
		}
	}
	if b.revision, err = s.store.Revision(ctx, b.view.Sheet); err != nil {
		return b, err
	}
	if b.file, err = s.store.Blob(ctx, b.revision.FileHash); err != nil {
		return b, err
	}
	if b.what.Boxes, err = s.revisions.Boxes(ctx, b.revision.FileHash); err != nil {
		return b, err
	}
	if b.added, err = s.added(ctx, b.revision, b.view, len(b.what.Boxes)); err != nil {
		return b, err
	}
	if err := b.codes(ctx); err != nil {
		return b, err
	}
	if err := b.pick(ctx); err != nil {
		return b, err
	}
	return b, b.build(ctx, threads, whole)
}

// A builder puts together what one file is made of.
type builder struct {
	*Exports
	who      school.Person
	view     screen.Screen
	choice   Choice
	revision school.Revision
	added    added
	coded    *school.CopyInCourse // whose pages get codes

	file []byte
	what document.Export
}

// Lay returns what is printed on a sheet whose pages show themselves as boxes say, of
// a copy as somebody sees it, but for pictures and sounds. Of the sheet's pages in words
// the file is tagged.
func Lay(form Form, boxes []page.Box, pages []tagged.Page, v screen.Screen) document.Export {
	b := builder{view: v, choice: Choice{Form: form}, added: added{sheet: len(boxes)}}
	b.what.Boxes = boxes
	b.tag(pages, b.lay(v.Threads()))
	return b.what
}

// build fills in what stands on the pages, and what goes along.
func (b *builder) build(ctx context.Context, threads []note.Thread, whole []note.Remark) (err error) {
	v := b.view
	pages, err := b.revisions.Worded(ctx, b.revision)
	if err != nil {
		return err
	}
	threads = b.lay(threads, whole)
	b.names()
	b.tag(pages, threads)
	all := slices.Clone(b.what.Marks)
	for _, a := range b.what.Annotations {
		all = append(all, *a.Mark)
	}
	if b.what.Pictures, err = b.attachments.Pictures(ctx, b.revisions, b.who, v.Copy, b.revision.WorksheetID, all); err != nil || slices.Contains([]Form{Clean, Marks, Pictures}, b.choice.Form) {
		return err
	}
	b.what.Files, err = b.spoken(ctx, b.who, v.Copy, b.revision.WorksheetID, threads, whole)
	return err
}

// lay sets marks and what was said, and returns the conversations that are on the
// pages of the file, numbered as those.
func (b *builder) lay(threads []note.Thread, whole []note.Remark) []note.Thread {
	v := b.view
	b.what.Extra, b.what.About = len(b.added.at), describe(v, b.choice.Form)
	if b.choice.Form == Clean {
		for _, m := range marksOf(v) {
			b.put(m)
		}
		return nil
	}
	b.what.Copy = v.Copy
	threads = slices.DeleteFunc(b.added.numbered(threads), func(t note.Thread) bool { return t.Page == 0 })
	if b.choice.Form == Movable || b.choice.Form == Marks {
		b.annotations(threads)
		return threads
	}
	for _, m := range slices.Concat(marksOf(v), b.added.signs, tags(v)) {
		b.put(m)
	}
	for _, t := range threads {
		b.what.Notes = append(b.what.Notes, document.NoteMarker{Page: t.Page, At: page.Pt(t.Place[0], t.Place[1]), Number: t.Number, Color: noteColor(t.Remarks[0])})
	}
	pages := len(b.what.Boxes) + len(b.added.at)
	switch {
	case b.choice.Form == Margin:
		b.margin(threads, whole, pages)
	case !b.choice.NoNotes && b.choice.Form != Pictures:
		b.what.Marks = append(b.what.Marks, saidPages(v, threads, whole, pages, &b.what.Extra)...)
	}
	return threads
}

// put lays a mark on the page of the file on which it is, if that is one that was
// chosen.
func (b *builder) put(m mark.Mark) {
	if m.Page = b.added.page(m.Page); m.Page > 0 {
		b.what.Marks = append(b.what.Marks, m)
	}
}

// describe returns what the file says of itself: no more of a person than its form needs.
func describe(v screen.Screen, form Form) document.About {
	out := document.About{Title: v.Title, Language: v.Language}
	if form == Clean {
		return out
	}
	out.Author, out.Subject = v.Student, v.Course
	if r := v.Receipt; r != nil {
		out.Subject = fmt.Sprintf("%s, attempt %d", v.Course, r.Attempt)
		out.Attempt, out.Fingerprint, out.At = r.Attempt, r.Fingerprint, r.At
	}
	return out
}

// annotations turns marks into annotations. The teacher's directions are part of the
// sheet, and what was filled in stands in its fields.
func (b *builder) annotations(threads []note.Thread) {
	numbers, places := map[string]int{}, map[string][2]float64{}
	for _, t := range threads {
		numbers[t.Remarks[0].ID], places[t.Remarks[0].ID] = t.Number, t.Place
	}
	var said []annotation.Said
	add := func(m mark.Mark, by string, at time.Time, layer annotation.Layer) {
		if m.Page = b.added.page(m.Page); m.Page == 0 {
			return
		}
		if n, ok := m.Body.(*mark.Note); ok {
			c := *n
			c.At = places[m.ID]
			m.Body = &c
		}
		said = append(said, annotation.Said{Mark: m, Author: by, At: at, Layer: layer, Number: numbers[m.ID]})
	}
	v := b.view
	for _, m := range v.Marks {
		_, note := m.Mark.Body.(*mark.Note)
		_, filled := m.Mark.Body.(*mark.Widget)
		_, paper := m.Mark.Body.(*mark.Paper)
		switch {
		case m.Layer == submission.Among: // nobody else's business
		case filled || paper || m.Layer == submission.Sheet && !note:
			b.put(m.Mark)
		case m.Layer == submission.Sheet:
			add(m.Mark, m.By, m.At, "")
		case m.Layer == submission.Work || m.Layer == submission.Replies && m.By == v.Student:
			add(m.Mark, m.By, m.At, annotation.Work)
		default:
			add(m.Mark, m.By, m.At, annotation.Feedback)
		}
	}
	for _, m := range b.added.signs {
		b.put(m)
	}
	for _, m := range tags(v) {
		add(m, "Points", b.what.About.At, annotation.Feedback)
	}
	b.what.Annotations = annotation.All(said, school.Plainly)
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
			mark.Mark{ID: fmt.Sprintf("%sbox-%d", annotation.Tagged, i), Page: q.Page, Body: &mark.Square{Shape: mark.Shape{Color: tagColor, Width: 0.8, Opacity: 1}, Rect: [4]float64{x, q.Tag, x + w + 8, q.Tag + tagHeight}}},
			mark.Mark{ID: fmt.Sprintf("%stag-%d", annotation.Tagged, i), Page: q.Page, Body: &mark.FreeText{
				X: x + 4, Y: q.Tag + tagHeight - 4, Width: w + 4, Lines: []mark.TextLine{{Runs: []mark.Run{{Text: text, Size: tagSize, Color: tagColor}}}}}})
	}
	return out
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
	lay := func(runs []mark.Run, size float64, color mark.Color, indent float64) {
		for _, l := range set(runs, size, color, saidWidth-indent) {
			lines = append(lines, saidLine{l, size, indent})
		}
	}
	add := func(s string, size float64, color mark.Color, indent float64) {
		lay([]mark.Run{{Text: s}}, size, color, indent)
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
			lay(append([]mark.Run{{Text: p.Lead}}, p.Runs...), saidSize, "#1e2a44", listIndent*float64(p.Deep))
		}
	}
	say := func(who string, r note.Remark, color mark.Color) {
		add(who, 9, "#5b667d", 0)
		if words := spokenWords(r); words != "" {
			for _, p := range school.Paragraphs(words, r.Rich) {
				lay(append([]mark.Run{{Text: p.Lead}}, p.Runs...), saidSize, color, 12+listIndent*float64(p.Deep))
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

// set returns runs in one size and colour, as lines no wider than width.
func set(runs []mark.Run, size float64, color mark.Color, width float64) [][]mark.Run {
	runs = slices.Clone(runs)
	for i := range runs {
		runs[i].Size, runs[i].Color = size, color
	}
	return typeset.WrapRuns(runs, width)
}

// Names of the lines of what was said; the first is the heading.
const (
	saidLineID = "said-line-"
	saidHead   = saidLineID + "0"
)

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
			out = append(out, mark.Mark{ID: fmt.Sprint(saidLineID, i), Page: pages, Body: &mark.FreeText{
				X: saidLeft + l.indent, Y: y, Width: saidWidth, Lines: []mark.TextLine{{Runs: l.runs}}}})
		}
		y += l.size * 1.45
	}
	return out
}

// fileName says worksheet, student, attempt and what it is.
func fileName(v screen.Screen, form Form) string {
	if form == Clean {
		return school.FileName(v.Title) + ", empty sheet.pdf"
	}
	is := map[Form]string{Printed: "marks printed.pdf", Movable: "marks movable.pdf", Margin: "with its margin.pdf", Marks: "marks.xfdf", Data: "copy.json", Pictures: "pages"}[form]
	return fmt.Sprintf("%s, %s, attempt %d, %s", school.FileName(v.Title), school.FileName(v.Student), v.Attempt, is)
}
