// Package lookup looks words up for people who read a sheet.
package lookup

import (
	"context"
	"unicode/utf8"

	"readymargin/core/access"
	"readymargin/core/lookup"
	"readymargin/core/mark"
	"readymargin/core/worksheet"
	"readymargin/school"
	"readymargin/school/shelf"
)

// A Lookup looks words up in dictionaries.
type Lookup struct {
	gate      *school.Gate
	revisions *shelf.Revisions
	in        lookup.Dictionary
}

// New returns one; without a dictionary it knows no language.
func New(gate *school.Gate, revisions *shelf.Revisions, in lookup.Dictionary) *Lookup {
	return &Lookup{gate, revisions, in}
}

// Look looks a word up for somebody who has a copy before them, in the language of its
// sheet, where its assignment lets students do so.
func (l *Lookup) Look(ctx context.Context, who school.Person, copyID uint64, word string) ([]lookup.Entry, error) {
	c, err := l.gate.Copy(ctx, who, copyID, access.SeeReturned, "")
	if err != nil {
		return nil, err
	}
	if c.Role.Learns() && !mark.Offers(c.Assignment.Instruments, "look-up") {
		return nil, access.ErrDenied
	}
	if !utf8.ValidString(word) || len(word) > 200 {
		return nil, lookup.ErrUnknown
	}
	if l.in == nil {
		return nil, lookup.ErrLanguage
	}
	issued, err := l.revisions.Revised(ctx, c.Revision)
	if err != nil {
		return nil, err
	}
	language := worksheet.Language(issued.Guides)
	if language == "" {
		language = "en"
	}
	return l.in.Look(ctx, word, language)
}
