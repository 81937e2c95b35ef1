package document

import (
	"readymargin/core/page"
	"readymargin/core/words"
)

// A Role is a standard structure type (ISO 32000-2, 14.8.4).
type Role string

// The roles that are used; headings are H1 to H6.
const (
	RoleSection   Role = "Sect"
	RoleParagraph Role = "P"
	RoleList      Role = "L"
	RoleItem      Role = "LI"
	RoleLabel     Role = "Lbl"
	RoleBody      Role = "LBody"
	RoleTable     Role = "Table"
	RoleRow       Role = "TR"
	RoleHead      Role = "TH"
	RoleCell      Role = "TD"
	RoleFigure    Role = "Figure"
	RoleForm      Role = "Form"
	RoleAnnot     Role = "Annot"
	RoleLink      Role = "Link"
	RoleSpan      Role = "Span"
)

// An Element is a piece of a page, as readers aloud come to it. It holds one kind of
// thing at most, or further elements.
type Element struct {
	Role  Role
	Says  string       // in place of what is seen, "" where it is read
	Print []words.Word // printed words; those that were read in a picture lie unseen over it
	Laid  string       // the name of what is laid on the page: an ID of a mark, or a Key
	Box   page.Rect    // where it stands, of what is laid, a printed picture (RoleFigure) and a field (RoleForm)
	Kids  []Element
}

// A Tagged page is one in the order in which it is read.
type Tagged struct {
	Elements []Element
	Unread   []page.Rect // what is printed to be written over
}

// Each calls f with every element of the page, those that hold others first, and its
// number among them, from 0.
func (t Tagged) Each(f func(n int, e *Element)) {
	n := 0
	var walk func(all []Element)
	walk = func(all []Element) {
		for i := range all {
			f(n, &all[i])
			n++
			walk(all[i].Kids)
		}
	}
	walk(t.Elements)
}
