package blank

import (
	"strings"
	"unicode"
)

// Personal says what a place holds of the person who writes and not of an
// answer: Name, Class or Date, or "" for an answer.
type Personal string

const (
	Name  Personal = "name"
	Class Personal = "class"
	Date  Personal = "date"
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
