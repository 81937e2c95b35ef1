// Package lookup looks words up for people who read a sheet: in its own list, in its
// course's, and in a dictionary.
package lookup

import (
	"context"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"readymargin/core/access"
	"readymargin/core/lookup"
	"readymargin/core/mark"
	"readymargin/core/worksheet"
	"readymargin/school"
	"readymargin/school/shelf"
)

// A Store keeps what words mean in courses, and what was looked up.
type Store interface {
	CourseWords(ctx context.Context, course uint64) ([]school.CourseWord, error)
	SetCourseWord(ctx context.Context, course uint64, word, means string) error // "" takes it out
	LookUp(ctx context.Context, copyID, person uint64, word string, at time.Time) error
	// LookedUp returns what somebody has looked up in a course, the newest first.
	LookedUp(ctx context.Context, course, person uint64) ([]school.LookedUp, error)
	// MostLookedUp returns what most students have, for each assignment, with the names of
	// those who let them be seen.
	MostLookedUp(ctx context.Context, course uint64) ([]school.OftenLookedUp, error)
	NameWords(ctx context.Context, course, person uint64, named bool) error
	NamesWords(ctx context.Context, course, person uint64) (bool, error)
}

// A Lookup looks words up.
type Lookup struct {
	store     Store
	gate      *school.Gate
	revisions *shelf.Revisions
	in        lookup.Dictionary
	now       school.Clock
}

// New returns one; without a dictionary it knows what teachers have said.
func New(store Store, gate *school.Gate, revisions *shelf.Revisions, in lookup.Dictionary, now school.Clock) *Lookup {
	return &Lookup{store, gate, revisions, in, now}
}

// Found is what is known of a word.
type Found struct {
	Entries []lookup.Entry `json:"entries"`
	Before  []string       `json:"before"` // what the same person has looked up on this sheet, the newest first
}

// mostBefore is how many earlier words are told.
const mostBefore = 12

// Look looks a word up for somebody who has a copy before them, where its assignment lets
// students do so: in the sheet's list, in the course's, and in the dictionary of the
// sheet's language. What a student looks up is kept for them.
func (l *Lookup) Look(ctx context.Context, who school.Person, copyID uint64, word string) (Found, error) {
	c, err := l.gate.Copy(ctx, who, copyID, access.SeeReturned, "")
	if err != nil {
		return Found{}, err
	}
	if c.Role.Learns() && !mark.Offers(c.Assignment.Instruments, "look-up") {
		return Found{}, access.ErrDenied
	}
	if !utf8.ValidString(word) || len(word) > 200 {
		return Found{}, lookup.ErrUnknown
	}
	issued, err := l.revisions.Revised(ctx, c.Revision)
	if err != nil {
		return Found{}, err
	}
	language := worksheet.Language(issued.Guides)
	if language == "" {
		language = "en"
	}
	said, err := l.said(ctx, c.Assignment.CourseID, issued.Kit, word, language)
	if err != nil {
		return Found{}, err
	}
	out := Found{Entries: said, Before: []string{}}
	found, err := l.dictionary(ctx, word, language)
	switch {
	case err == nil:
		out.Entries = append(out.Entries, found...)
	case len(said) == 0:
		return Found{}, err
	}
	if !c.Role.Learns() {
		return out, nil
	}
	all, err := l.store.LookedUp(ctx, c.Assignment.CourseID, who.ID)
	if err != nil {
		return Found{}, err
	}
	is := out.Entries[0].Word
	for _, b := range all {
		if b.CopyID == copyID && b.Word != is && len(out.Before) < mostBefore {
			out.Before = append(out.Before, b.Word)
		}
	}
	return out, l.store.LookUp(ctx, copyID, who.ID, school.Shorten(is, 60), l.now())
}

func (l *Lookup) dictionary(ctx context.Context, word, language string) ([]lookup.Entry, error) {
	if l.in == nil {
		return nil, lookup.ErrLanguage
	}
	return l.in.Look(ctx, word, language)
}

// said returns what teachers say that a word means, on the sheet first.
func (l *Lookup) said(ctx context.Context, course uint64, kit worksheet.Kit, word, language string) (out []lookup.Entry, err error) {
	for _, w := range kit.Words {
		if w.Means == "" && w.Picture == "" || !lookup.Means(w.Word, word, language) {
			continue
		}
		e := lookup.Entry{Word: w.Word, From: lookup.Sheet, Picture: w.Picture}
		if w.Means != "" {
			e.Senses = []lookup.Sense{{Says: w.Means}}
		}
		out = append(out, e)
	}
	words, err := l.store.CourseWords(ctx, course)
	for _, w := range words {
		if lookup.Means(w.Word, word, language) {
			out = append(out, lookup.Entry{Word: w.Word, From: lookup.Course, Senses: []lookup.Sense{{Says: w.Means}}})
		}
	}
	return out, err
}

// A Glossary is what words mean in a course, as somebody of it sees it.
type Glossary struct {
	Course school.Course
	Role   access.Role
	Words  []school.CourseWord
	Own    []school.LookedUp      // by a student: what they have looked up
	Named  bool                   // the same: teachers may see that it was them
	Often  []school.OftenLookedUp // by a teacher: what many have
}

// Glossary returns the words of a course.
func (l *Lookup) Glossary(ctx context.Context, who school.Person, course uint64) (g Glossary, err error) {
	if g.Course, g.Role, err = l.gate.Course(ctx, who, course, access.HearClass); err != nil {
		return g, err
	}
	if g.Words, err = l.store.CourseWords(ctx, course); err != nil {
		return g, err
	}
	if g.Role.Learns() {
		if g.Own, err = l.store.LookedUp(ctx, course, who.ID); err != nil {
			return g, err
		}
		g.Named, err = l.store.NamesWords(ctx, course, who.ID)
		return g, err
	}
	g.Often, err = l.store.MostLookedUp(ctx, course)
	return g, err
}

// SetNamed says whether teachers of a course may see which words a student looks up.
func (l *Lookup) SetNamed(ctx context.Context, who school.Person, course uint64, named bool) error {
	_, role, err := l.gate.Course(ctx, who, course, access.HearClass)
	if err != nil {
		return err
	}
	if role != access.Student {
		return access.ErrDenied
	}
	return l.store.NameWords(ctx, course, who.ID, named)
}

// mostWords is how many words a course has.
const mostWords = 1000

// SetWord says what a word means in a course of the teacher's; "" takes it out.
func (l *Lookup) SetWord(ctx context.Context, who school.Person, course uint64, word, means string) error {
	if _, _, err := l.gate.Course(ctx, who, course, access.RunCourse); err != nil {
		return err
	}
	name, ok := school.OneLine(word, 60)
	if !ok || name == "" {
		return school.Refuse("glossary word", "word", word)
	}
	means = strings.Join(strings.Fields(means), " ")
	if !utf8.ValidString(means) || utf8.RuneCountInString(means) > 400 {
		return school.Refuse("glossary means", "means", means)
	}
	there, err := l.store.CourseWords(ctx, course)
	if err != nil {
		return err
	}
	if len(there) >= mostWords && !slices.ContainsFunc(there, func(w school.CourseWord) bool { return w.Word == name }) {
		return school.Refuse("glossary full", "word", word)
	}
	return l.store.SetCourseWord(ctx, course, name, means)
}
