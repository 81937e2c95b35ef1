package blank

import (
	"slices"
	"strings"
	"unicode"

	"readymargin/core/words"
)

// Personal says what a place holds of the person who writes and not of an
// answer: Name, Class, Date or Notes, or "" for an answer.
type Personal string

const (
	Name  Personal = "name"
	Class Personal = "class"
	Date  Personal = "date"
	Notes Personal = "notes" // of one's own, beside slides
)

// The words that sheets print before such places. Common practice, no source;
// with more words than these a place is about something else, as in "Name of
// the boat".
var personal = map[string]Personal{
	"name": Name, "full name": Name, "your name": Name, "my name": Name, "first name": Name, "last name": Name, "surname": Name, "student": Name, "student name": Name, "student's name": Name, "pupil": Name,
	"nom": Name, "prénom": Name, "nom et prénom": Name, "nom prénom": Name, "nombre": Name, "apellidos": Name, "nombre y apellidos": Name, "alumno": Name, "nome": Name, "nome e cognome": Name, "cognome": Name, "naam": Name, "navn": Name, "namn": Name, "nimi": Name, "vorname": Name, "nachname": Name, "imię": Name, "imię i nazwisko": Name, "jméno": Name, "név": Name,
	"class": Class, "form": Class, "group": Class, "section": Class, "grade": Class, "year group": Class, "period": Class, "klasse": Class, "classe": Class, "clase": Class, "curso": Class, "grupo": Class, "klas": Class, "klass": Class, "luokka": Class, "klasa": Class, "třída": Class, "osztály": Class, "turma": Class,
	"date": Date, "datum": Date, "fecha": Date, "data": Date, "dato": Date, "päivämäärä": Date, "dátum": Date, "today's date": Date,
}

// Holds tells what a place with these words before it holds. Such places stand
// at the head of a page; top is how far down this one begins, as a part of the
// page's height.
func Holds(label string, top float64) Personal {
	words := strings.ToLower(strings.TrimFunc(label, func(r rune) bool { return !unicode.IsLetter(r) }))
	if top > 0.25 {
		return ""
	}
	return personal[strings.Join(strings.Fields(words), " ")]
}

// Notes returns which of the blanks are rules beside the slides of a handout:
// several pictures below each other, each with rules beside it and no words
// over these. A single picture with rules is one to be described.
func (p Page) Notes(blanks []Blank) (out []int) {
	const slide, beside, over = 60.0, 90.0, 30.0 // points
	for i, b := range blanks {
		if b.Kind != Lines || slices.ContainsFunc(p.Words, func(w words.Word) bool {
			r := w.Rect()
			return overlap(r.Min.X, r.Max.X, b.Rect.Min.X, b.Rect.Max.X) > 0 && r.Max.Y > b.Rect.Min.Y-over && r.Min.Y < b.Rect.Max.Y
		}) {
			continue
		}
		if slices.ContainsFunc(p.Art, func(a Art) bool {
			r := a.Rect
			apart := max(b.Rect.Min.X-r.Max.X, r.Min.X-b.Rect.Max.X)
			return a.Picture && r.W() > slide && r.H() > slide && apart > -2 && apart < beside && overlap(r.Min.Y, r.Max.Y, b.Rect.Min.Y, b.Rect.Max.Y) > 0.6*min(r.H(), b.Rect.H())
		}) {
			out = append(out, i)
		}
	}
	if len(out) < 2 {
		return nil
	}
	return out
}
