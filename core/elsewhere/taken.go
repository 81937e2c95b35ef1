package elsewhere

import (
	"fmt"
	"slices"
	"strings"

	"readymargin/core/annotation"
	"readymargin/core/blank"
	"readymargin/core/document"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/worksheet"
)

// A Sheet is what a file is compared with.
type Sheet struct {
	Sizes  []page.Point // of its pages
	Guides []worksheet.Guide
}

// A File is what was done on a sheet with another program.
type File struct {
	document.Annotated
	Sizes []page.Point // of its pages
	Pages []int        // which page of the sheet each of them is, from 1; 0 for none
	Own   bool         // it was taken away from this copy

	// Marking says that a teacher marked it: of what the student did nothing is taken,
	// and answers are answers. Mine are the names of what the teacher has on the copy.
	Marking bool
	Mine    map[string]bool
}

// A Found is a mark that an annotation or a field of a file becomes.
type Found struct {
	Mark mark.Mark // takes the place of one of its name on the copy
	From string    // annotation or field
	Kind string    // what it was there
	Rect page.Rect // of the sheet's page that it accounts for
	// Loose says that how it looks may differ from how it looked: words are set in
	// another font, a note is a number.
	Loose bool
}

// A Place is an annotation of a file.
type Place struct{ Page, At int }

// Taken is what becomes of what was done with annotations and in a form.
type Taken struct {
	Found []Found
	// Known is what the copy has already: the file is compared without it.
	Known []Place
	// Same are the parts of the sheet's pages where fields say what the copy says.
	Same []Found
	// Strange are the kinds that are no marks, once each: they are kept as pictures.
	Strange []string
}

// Take returns what becomes of the annotations and fields of a file. Standing is
// what is on the copy, by names; name gives new ones, the same for the same key: what
// is brought in twice is there once.
func Take(sheet Sheet, file File, standing map[string]mark.Mark, name func(key string) string) Taken {
	t := taker{sheet: sheet, file: file, standing: standing, name: name, named: map[string]string{}}
	for _, a := range file.Annotations {
		if t.named[a.Name] = t.name(key(a)); file.Own {
			if _, there := standing[a.Name]; there {
				t.named[a.Name] = a.Name // it says what it is
			}
		}
	}
	for _, a := range file.Annotations {
		if a.Page <= len(file.Pages) && file.Pages[a.Page-1] > 0 && !a.Hidden {
			t.annotation(a)
		}
	}
	for _, f := range file.Fields {
		if f.Page <= len(file.Pages) && file.Pages[f.Page-1] > 0 && !file.Marking {
			t.field(f)
		}
	}
	return t.out
}

// key tells an annotation from all others of the file, and is its key again when the
// file comes a second time.
func key(a annotation.Annotation) string {
	return fmt.Sprintf("%s %d %s %s %.1f", a.Subtype, a.Page, a.Name, a.Contents, a.Rect)
}

type taker struct {
	sheet    Sheet
	file     File
	standing map[string]mark.Mark
	name     func(key string) string
	named    map[string]string // what annotations are called as marks, by their names
	renamed  map[string]string
	out      Taken
}

// onto returns the page of the sheet that a page of the file is, and how places go
// from one to the other: what was printed on other paper is as large as the sheet.
func (t *taker) onto(n int) (to int, from, size page.Rect) {
	to = t.file.Pages[n-1]
	a, b := t.file.Sizes[n-1], t.sheet.Sizes[to-1]
	return to, page.R(0, 0, a.X, a.Y), page.R(0, 0, b.X, b.Y)
}

func (t *taker) annotation(a annotation.Annotation) {
	known := func() { t.out.Known = append(t.out.Known, Place{a.Page, a.At}) }
	_, there := t.standing[a.Name]
	switch {
	case strings.HasPrefix(a.Name, annotation.Tagged), !t.file.Marking && a.Layer == annotation.Feedback, there && a.ReplyTo != "" && t.file.Own, t.file.Marking && (a.Layer == annotation.Work || there && !t.file.Mine[a.Name]):
		known()
		return
	case t.file.Marking && a.ReplyTo != "" && !a.Group && a.State == "":
		if t.answer(a) {
			return
		}
	}
	first := true
	taken := a.Take(func() string {
		if first {
			first = false
			return t.named[a.Name]
		}
		return t.name("note " + key(a))
	})
	to, from, size := t.onto(a.Page)
	if taken.Ours {
		was, there := t.standing[taken.Mark.ID]
		_, picture := taken.Mark.Body.(*mark.Picture)
		switch {
		case t.file.Own && there && !taken.Moved, a.Layer == "" && t.file.Own, picture && !there:
			if known(); taken.Note != nil && a.Layer != "" {
				t.note(a, *taken.Note, to)
			}
			return
		case t.file.Own && there && t.file.Marking && !t.file.Mine[was.ID]:
			known() // the student's own is not changed
			return
		case t.file.Own && there:
			m := *taken.Mark
			m.Rank, m.Blank = was.Rank, was.Blank
			t.put(a, m, taken, to)
			return
		case !t.file.Own:
			taken = t.anew(taken)
		}
	}
	if taken.Mark == nil {
		if a.State == "" && !slices.Contains(t.out.Strange, string(a.Subtype)) && a.Subtype != annotation.Stamp {
			t.out.Strange = append(t.out.Strange, string(a.Subtype))
		}
		return
	}
	if was, there := t.standing[taken.Mark.ID]; there && !taken.Ours && same(was.Body, taken.Mark.Body) {
		known() // it was brought in before
		return
	}
	m := *taken.Mark
	m.Page = to
	if from.Max.Sub(size.Max).Len() > 0.6 {
		m.Body = m.Body.Fitted(from, size)
	}
	t.put(a, m, taken, to)
}

// same reports whether two marks are as they would be brought in: places are rounded.
func same(a, b mark.Body) bool {
	return a.Kind() == b.Kind() && a.Bounds().Min.Dist(b.Bounds().Min) < 0.1 && a.Bounds().Max.Dist(b.Bounds().Max) < 0.1
}

// answer takes an answer of the teacher's to a note of the student's; false where what
// it answers is none.
func (t *taker) answer(a annotation.Annotation) bool {
	about, there := t.standing[a.ReplyTo]
	if _, note := about.Body.(*mark.Note); !there || !note {
		return false
	}
	m := mark.Mark{ID: t.named[a.Name], Page: about.Page, Body: &mark.Reply{To: about.ID, Text: strings.TrimSpace(a.Contents)}}
	if _, there := t.standing[m.ID]; !there && m.Valid() == nil {
		t.out.Found = append(t.out.Found, Found{Mark: m, From: "annotation", Kind: string(a.Subtype), Loose: true})
	}
	return true
}

// put adds a mark, and the note about it.
func (t *taker) put(a annotation.Annotation, m mark.Mark, taken annotation.Taken, to int) {
	_, from, size := t.onto(a.Page)
	fit := from.Fit(size)
	f := Found{Mark: m, From: "annotation", Kind: string(a.Subtype), Rect: page.Bounds(fit(a.Rect.Min), fit(a.Rect.Max))}
	switch m.Body.(type) {
	case *mark.FreeText:
		f.Loose = true
		if to <= len(t.sheet.Guides) && m.Blank == "" {
			f.Mark.Blank = t.sheet.Guides[to-1].BlankOf(m)
		}
	case *mark.Note, *mark.Highlight, *mark.Underline, *mark.StrikeOut:
		f.Loose = true
	}
	// Without an appearance each reader paints it as it likes, or not at all; and what
	// was taken away from here is known.
	f.Loose = f.Loose || !a.Looks || taken.Ours
	if f.Mark.Valid() != nil {
		return
	}
	t.out.Found = append(t.out.Found, f)
	if taken.Frame != nil {
		frame := Found{Mark: *taken.Frame, From: "annotation", Kind: string(a.Subtype), Rect: f.Rect, Loose: !a.Looks}
		if frame.Mark.Page = to; from.Max.Sub(size.Max).Len() > 0.6 {
			frame.Mark.Body = frame.Mark.Body.Fitted(from, size)
		}
		t.out.Found = append(t.out.Found, frame)
	}
	if taken.Note != nil {
		t.note(a, *taken.Note, to)
	}
}

// note adds what is said about a mark, unless the copy says it already.
func (t *taker) note(a annotation.Annotation, m mark.Mark, to int) {
	n := m.Body.(*mark.Note)
	if was, there := t.standing[m.ID]; there {
		if b, ok := was.Body.(*mark.Note); ok && b.Text == n.Text && t.file.Own {
			return
		}
	}
	for _, was := range t.standing { // said about the same mark in the same words
		if b, ok := was.Body.(*mark.Note); ok && b.On == n.On && b.Text == n.Text {
			return
		}
	}
	m.Page = to
	t.out.Found = append(t.out.Found, Found{Mark: m, From: "annotation", Kind: string(a.Subtype), Loose: true})
}

// anew gives what was taken away from another copy names of this one.
func (t *taker) anew(taken annotation.Taken) annotation.Taken {
	if t.renamed == nil {
		t.renamed = map[string]string{}
	}
	for _, m := range []*mark.Mark{taken.Mark, taken.Note} {
		if m == nil {
			continue
		}
		t.renamed[m.ID] = t.name("of another copy " + m.ID)
		*m = m.Renamed(t.renamed)
		m.Blank = ""
	}
	return taken
}

// field takes what was filled into a field.
func (t *taker) field(f document.Filled) {
	to := t.file.Pages[f.Page-1]
	if to > len(t.sheet.Guides) {
		return
	}
	_, from, size := t.onto(f.Page)
	fit := from.Fit(size)
	rect := page.Bounds(fit(f.Rect.Min), fit(f.Rect.Max))
	for _, b := range t.sheet.Guides[to-1].Blanks {
		if b.Field == "" || b.Field != f.Name || b.Rect.Rect().Intersect(rect).Empty() {
			continue
		}
		w := widget(b, f)
		if w == nil {
			return
		}
		out := Found{Mark: mark.Mark{ID: t.name(fmt.Sprintf("field %s %d %.1f", f.Name, to, b.Rect)), Page: to, Blank: b.ID, Body: w}, From: "field", Kind: f.Type, Rect: rect.Grow(2), Loose: true}
		for id, was := range t.standing {
			old, ok := was.Body.(*mark.Widget)
			if !ok || old.Field != b.Field || was.Page != to || page.R(old.Rect[0], old.Rect[1], old.Rect[2], old.Rect[3]).Intersect(rect).Empty() {
				continue
			}
			if slices.Equal(old.Values, w.Values) {
				t.out.Same = append(t.out.Same, out)
				return
			}
			out.Mark.ID, out.Mark.Rank = id, was.Rank
		}
		if out.Mark.Valid() == nil {
			t.out.Found = append(t.out.Found, out)
		}
		return
	}
}

// widget returns what a field's value is as a mark, set as in its place.
func widget(b worksheet.Blank, f document.Filled) *mark.Widget {
	w := &mark.Widget{Field: b.Field, Values: f.Values, Rect: b.Rect}
	if b.Kind == blank.Tick {
		w.Values, w.Sign = []string{b.On}, "check"
		if b.On == "" {
			w.Values = []string{"Yes"}
		}
		if b.One {
			w.Sign = "dot"
		}
		return w
	}
	a := annotation.Annotation{Subtype: annotation.FreeText, Rect: b.Rect.Rect(), Contents: strings.Join(f.Values, "\n"), Size: b.Size, Letters: "#1e2a44"}
	text, ok := a.Set()
	if !ok {
		return nil
	}
	text.Y = page.Round(b.Baseline)
	w.Text = text
	return w
}

// How much of the room of a mark may differ from how the file shows it, as a share
// and in square points: below that it is the painting of another program.
const (
	mayDiffer = 0.3
	isLittle  = 60
)

// Unlike returns which of what was found on a page looks otherwise in the file, as
// numbers of the list, given where the sheet with these marks differs from the file.
func Unlike(found []Found, n int, parts []document.Part) (out []int) {
	for i, f := range found {
		if f.Mark.Page != n || f.Loose {
			continue
		}
		in, off := f.Rect.Grow(3), 0.0
		for _, p := range parts {
			if r := in.Intersect(p.Rect); !r.Empty() {
				off += r.W() * r.H()
			}
		}
		if off > isLittle && off > mayDiffer*in.W()*in.H() {
			out = append(out, i)
		}
	}
	return out
}

// Plain marks what was found as loose where the file shows nothing of it, given
// where the sheet without marks differs from the file: there is nothing to hold it
// against.
func Plain(found []Found, n int, parts []document.Part) {
	for i, f := range found {
		if f.Mark.Page == n && !slices.ContainsFunc(parts, func(p document.Part) bool { return !f.Rect.Grow(3).Intersect(p.Rect).Empty() }) {
			found[i].Loose = true
		}
	}
}

// mostly is which share of a part lies within what was found where it is that.
const mostly = 0.7

// Rest returns the parts of a page that what was found does not account for: they
// are kept as pictures.
func Rest(found []Found, n int, parts []document.Part) (out []document.Part) {
	for _, p := range parts {
		covered := slices.ContainsFunc(found, func(f Found) bool {
			r := f.Rect.Grow(6).Intersect(p.Rect)
			return f.Mark.Page == n && !f.Rect.Empty() && !r.Empty() && r.W()*r.H() >= mostly*p.Rect.W()*p.Rect.H()
		})
		if !covered {
			out = append(out, p)
		}
	}
	return out
}
