package access

import "slices"

// An Audience is whom something is for: some sections and some persons of a
// course. The zero Audience is everybody.
type Audience struct {
	Sections []string `json:"sections,omitempty"`
	People   []uint64 `json:"people,omitempty"`
}

// Everybody reports whether the audience is the whole course.
func (a Audience) Everybody() bool { return len(a.Sections) == 0 && len(a.People) == 0 }

// Includes reports whether a person of a section is among them.
func (a Audience) Includes(person uint64, section string) bool {
	return a.Everybody() || section == Anywhere || section != "" && slices.Contains(a.Sections, section) || slices.Contains(a.People, person)
}

// Anywhere is the section of a practice student: everything is given to them. It is no
// name that a section can have.
const Anywhere = "*"
