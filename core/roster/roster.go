// Package roster reads class lists as spreadsheets and school programs write
// them: separated values in whatever encoding, with whatever separator, under
// headings in several languages.
package roster

import (
	"bytes"
	"encoding/csv"
	"errors"
	"io"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	uni "golang.org/x/text/encoding/unicode"
	"golang.org/x/text/unicode/norm"
)

// An Entry is one line of a list that names somebody.
type Entry struct {
	Line int // in the file, from 1
	Name
	Login   string // what the person signs in with, where the list says it
	Section string // the class or group, where the list says it
}

// A List is what was read.
type List struct {
	Entries  []Entry
	Encoding string // UTF-8, UTF-16 or Windows-1252
	Guessed  bool   // there was no heading: the first columns were taken as the name
}

// Errors of a list as a whole.
var (
	ErrEmpty = errors.New("roster: no names")
	ErrText  = errors.New("roster: not a text file")
	ErrMany  = errors.New("roster: more lines than are taken")
)

// Most is the most lines that are taken.
const Most = 5000

// A Line is one line of a file of separated values that is not empty.
type Line struct {
	Number int // in the file, from 1
	Fields []string
}

// Lines reads separated values (RFC 4180, and what is common beside it), in
// whatever encoding, and tells which it is.
func Lines(data []byte) (out []Line, encoding string, err error) {
	text, encoding, err := decode(data)
	if err != nil {
		return nil, encoding, err
	}
	text = strings.TrimPrefix(text, "\ufeff")
	var comma rune
	skipped := 0
	if first, rest, _ := strings.Cut(text, "\n"); strings.HasPrefix(strings.ToLower(first), "sep=") && len(first) > 4 {
		comma, _ = utf8.DecodeRuneInString(first[4:]) // a spreadsheet's own hint
		text, skipped = rest, 1
	} else {
		comma = separator(text)
	}
	r := csv.NewReader(strings.NewReader(text))
	r.Comma, r.LazyQuotes, r.FieldsPerRecord, r.TrimLeadingSpace = comma, true, -1, true
	for {
		row, err := r.Read()
		if err == io.EOF {
			return out, encoding, nil
		}
		if err != nil {
			return out, encoding, ErrText
		}
		for i := range row {
			row[i] = clean(row[i])
		}
		if strings.Join(row, "") == "" {
			continue
		}
		line, _ := r.FieldPos(0)
		if len(out) > Most {
			return out, encoding, ErrMany
		}
		out = append(out, Line{line + skipped, row})
	}
}

// Read reads a list of names.
func Read(data []byte) (List, error) {
	lines, encoding, err := Lines(data)
	if err != nil {
		return List{}, err
	}
	out := List{Encoding: encoding}
	var columns *columns
	for _, l := range lines {
		if columns == nil {
			if columns = headings(l.Fields); columns != nil {
				continue
			}
			columns, out.Guessed = guess(l.Fields), len(l.Fields) > 1
		}
		if len(out.Entries) == Most {
			return out, ErrMany
		}
		out.Entries = append(out.Entries, columns.entry(l.Fields, l.Number))
	}
	if len(out.Entries) == 0 {
		return out, ErrEmpty
	}
	return out, nil
}

// decode finds the encoding: by a byte order mark, by the zeros of UTF-16, by
// being UTF-8, and otherwise Windows-1252, which any bytes are.
func decode(data []byte) (text, name string, err error) {
	even, odd := 0, 0
	for i, b := range data[:min(len(data), 400)] {
		switch {
		case b == 0 && i%2 == 0:
			even++
		case b == 0:
			odd++
		}
	}
	var from encoding.Encoding
	switch {
	case bytes.HasPrefix(data, []byte{0xff, 0xfe}) || odd > 5 && even == 0:
		from, name = uni.UTF16(uni.LittleEndian, uni.UseBOM), "UTF-16"
	case bytes.HasPrefix(data, []byte{0xfe, 0xff}) || even > 5 && odd == 0:
		from, name = uni.UTF16(uni.BigEndian, uni.UseBOM), "UTF-16"
	case even+odd > 0:
		return "", "", ErrText
	case utf8.Valid(data):
		return string(data), "UTF-8", nil
	default:
		from, name = charmap.Windows1252, "Windows-1252"
	}
	out, err := from.NewDecoder().Bytes(data)
	if err != nil {
		return "", "", ErrText
	}
	return string(out), name, nil
}

// separator returns the one of comma, semicolon and tab that stands most
// often, outside quotes, in the first lines.
func separator(text string) rune {
	count := map[rune]int{}
	quoted, lines := false, 0
	for _, r := range text {
		switch {
		case r == '"':
			quoted = !quoted
		case r == '\n':
			lines++
		case !quoted && (r == ',' || r == ';' || r == '\t'):
			count[r]++
		}
		if lines == 5 {
			break
		}
	}
	// Where fields are parted by tabs or semicolons, commas stand inside them.
	for _, r := range []rune{'\t', ';'} {
		if count[r] > 0 {
			return r
		}
	}
	return ','
}

// clean makes one space of any, and composes letters with their marks.
func clean(s string) string {
	s = strings.Map(func(r rune) rune {
		if unicode.IsControl(r) && r != '\n' && r != '\t' || r == '\u200b' || r == '\ufeff' {
			return -1
		}
		return r
	}, s)
	return norm.NFC.String(strings.Join(strings.Fields(s), " "))
}

// columns says where in a row things stand; -1 where they do not.
type columns struct{ name, first, last, login, section int }

// What columns are headed with, in lower case. Common practice, no source.
var (
	firstNames = []string{"first name", "firstname", "first", "given name", "givenname", "forename", "vorname", "prénom", "prenom", "nombre", "nombres", "nome", "voornaam", "förnamn", "fornavn", "imię"}
	lastNames  = []string{"last name", "lastname", "last", "surname", "family name", "familyname", "nachname", "familienname", "nom", "nom de famille", "apellido", "apellidos", "cognome", "sobrenome", "apelido", "achternaam", "efternamn", "etternavn", "nazwisko"}
	fullNames  = []string{"name", "full name", "fullname", "student", "student name", "students", "pupil", "display name", "schüler", "schülerin", "schüler/in", "élève", "nom complet", "nom et prénom", "alumno", "alumna", "nombre completo", "nome completo", "naam", "leerling", "namn", "elev", "navn", "imię i nazwisko", "uczeń"}
	sections   = []string{"class", "section", "group", "form", "klasse", "gruppe", "kurs", "classe", "groupe", "division", "clase", "grupo", "curso", "gruppo", "turma", "klas", "groep", "klass", "grupp", "klasa", "grupa"}
	logins     = []string{"login", "username", "user name", "user", "sign-in name", "benutzername", "anmeldename", "identifiant", "usuario", "nome utente", "utilizador", "gebruikersnaam", "användarnamn", "brukernavn"}
)

func headings(row []string) *columns {
	c := columns{-1, -1, -1, -1, -1}
	set := func(at *int, i int, names []string) bool {
		if *at < 0 && slices.Contains(names, strings.ToLower(strings.Trim(row[i], ":*"))) {
			*at = i
			return true
		}
		return false
	}
	for i := range row {
		_ = set(&c.name, i, fullNames) || set(&c.first, i, firstNames) || set(&c.last, i, lastNames) || set(&c.login, i, logins) || set(&c.section, i, sections)
	}
	// A word that means a first name beside a last name means the name alone.
	if c.name < 0 && c.first >= 0 && c.last < 0 {
		c.name, c.first = c.first, -1
	}
	if c.name < 0 && c.last >= 0 && c.first < 0 {
		c.name, c.last = c.last, -1
	}
	if c.name < 0 && c.first < 0 {
		return nil
	}
	return &c
}

func guess(row []string) *columns {
	if len(row) > 1 && strings.IndexFunc(row[1], unicode.IsDigit) < 0 && !strings.Contains(row[1], "@") && row[1] != "" {
		return &columns{-1, 0, 1, -1, -1}
	}
	return &columns{0, -1, -1, -1, -1}
}

func (c *columns) entry(row []string, line int) Entry {
	at := func(i int) string {
		if i < 0 || i >= len(row) {
			return ""
		}
		return row[i]
	}
	e := Entry{Line: line, Login: strings.ToLower(at(c.login)), Section: at(c.section)}
	name := at(c.name)
	if joined := Joined(at(c.first), at(c.last)); joined.Whole != "" {
		e.Name = joined
	} else if last, first, ok := strings.Cut(name, ","); ok && !strings.Contains(first, ",") {
		e.Name = Joined(first, last) // Varga, Ines
	} else {
		e.Name = Split(name)
	}
	return e
}
