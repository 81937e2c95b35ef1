package takeaway

import (
	"fmt"
	"strings"

	"readymargin/core/document"
	"readymargin/core/mark"
	"readymargin/core/note"
	"readymargin/core/page"
	"readymargin/core/tagged"
	"readymargin/school"
)

// tag says how what is made is read aloud: the sheet in its words, and what was laid on it
// where it stands.
func (b *builder) tag(sheet []tagged.Page, threads []note.Thread) {
	all := make([]tagged.Page, len(b.what.Boxes)+b.what.Extra)
	for i, p := range sheet {
		if n := b.added.page(i + 1); n > 0 && n <= len(all) {
			all[n-1] = p
		}
	}
	by := map[string]string{}
	for _, m := range b.view.Marks {
		by[m.Mark.ID] = m.By
	}
	lay := func(n int, l tagged.Laid) {
		if n >= 1 && n <= len(all) {
			all[n-1].Laid = append(all[n-1].Laid, l)
		}
	}
	for _, m := range b.what.Marks {
		l := tagged.Laid{Name: m.ID, At: m.Body.Bounds(), Mark: &m, Role: document.RoleFigure}
		switch body := m.Body.(type) {
		case *mark.Widget:
			l.Role, l.Says = document.RoleParagraph, strings.Join(body.Values, ", ")
		case *mark.FreeText:
			if l.Role, l.Says = document.RoleParagraph, body.String(); m.ID == saidHead {
				l.Role = "H1"
			}
		default:
			if who := by[m.ID]; who != "" { // what only leads the eye is not said
				l.Says = tagged.Says(m, who)
			}
		}
		lay(m.Page, l)
	}
	for _, a := range b.what.Annotations {
		lay(a.Page, tagged.Laid{Name: a.Name, At: a.Rect, Mark: a.Mark, Role: document.RoleAnnot})
	}
	at := map[string]note.Thread{}
	for _, t := range threads {
		at[fmt.Sprint(t.Page, " ", t.Number)] = t
	}
	for _, n := range b.what.Notes {
		var said []string
		for _, r := range at[fmt.Sprint(n.Page, " ", n.Number)].Remarks {
			said = append(said, r.Author+": "+school.Plainly(spokenWords(r), r.Rich))
		}
		r := page.Pt(mark.NoteRadius, mark.NoteRadius)
		lay(n.Page, tagged.Laid{Name: n.Key(), At: page.Bounds(n.At.Sub(r), n.At.Add(r)), Role: document.RoleFigure, Says: fmt.Sprintf("Note %d, %s", n.Number, strings.Join(said, "; "))})
	}
	for _, c := range b.what.Codes {
		lay(c.Page, tagged.Laid{Name: c.Key(), At: c.At, Role: document.RoleFigure, Says: "A code by which this page is known again"})
	}
	b.what.Tagged = tagged.Of(all)
}
