package roster

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"golang.org/x/text/encoding/charmap"
	uni "golang.org/x/text/encoding/unicode"
)

func utf16(s string, e uni.Endianness, bom uni.BOMPolicy) string {
	out, err := uni.UTF16(e, bom).NewEncoder().String(s)
	if err != nil {
		panic(err)
	}
	return out
}

func TestListsAsTheyAreWritten(t *testing.T) {
	western, err := charmap.Windows1252.NewEncoder().String("Vorname;Nachname\r\nJürgen;Weiß\r\nZoë;D’Amico\r\n")
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		name, file, want, encoding string
		guessed                    bool
	}{
		{"a name a line", "Name\nInes Varga\nTomas Lindqvist\n", "2 Ines Varga|3 Tomas Lindqvist", "UTF-8", false},
		{"no heading, one column", "Ines Varga\nTomas Lindqvist", "1 Ines Varga|2 Tomas Lindqvist", "UTF-8", false},
		{"no heading, two columns", "Ines,Varga\nTomas,Lindqvist", "1 Ines Varga|2 Tomas Lindqvist", "UTF-8", true},
		{"mark, quotes, empty columns and lines", "\ufeff\"Last name\",,\"First name\",\"Username\"\r\n\"Varga\",,\"Ines\",\"IVarga\"\r\n,,,\r\n\r\n\"O'Brien, jr.\",,\"Rhys \"\"R\"\"\",\r\n", "2 Ines Varga ivarga|5 Rhys \"R\" O'Brien, jr.", "UTF-8", false},
		{"last name first in one column", "Student;Class\n\"Varga, Ines\";7b\nLindqvist, Tomas;7b", "2 Ines Varga|3 Tomas Lindqvist", "UTF-8", false},
		{"tabs out of a spreadsheet, UTF-16", utf16("Surname\tGiven name\nΠαπαδοπούλου\tΕλένη\n李\t小龙\n", uni.LittleEndian, uni.UseBOM), "2 Ελένη Παπαδοπούλου|3 小龙 李", "UTF-16", false},
		{"UTF-16 without a mark", utf16("Name\nInes Varga\nTomas Lindqvist\n", uni.BigEndian, uni.IgnoreBOM), "2 Ines Varga|3 Tomas Lindqvist", "UTF-16", false},
		{"Windows-1252", western, "2 Jürgen Weiß|3 Zoë D’Amico", "Windows-1252", false},
		{"a hint for spreadsheets", "sep=;\nNom;Prénom\nVarga;Inès\n", "3 Inès Varga", "UTF-8", false},
		{"a field over two lines", "Name,Note\n\"Ines\nVarga\",\"two\nlines\"\nTomas Lindqvist,\n", "2 Ines Varga|5 Tomas Lindqvist", "UTF-8", false},
		{"Italian", "Nome;Cognome\nLeila;Haddad\n", "2 Leila Haddad", "UTF-8", false},
		{"marks that stand alone", "Name\nAnaı\u0308s Noe\u0308l\n", "2 Anaı\u0308s Noël", "UTF-8", false},
		{"a line without a name", "Name,Username\n,ghost\nInes Varga,\n", "2  ghost|3 Ines Varga", "UTF-8", false},
	} {
		l, err := Read([]byte(c.file))
		var got []string
		for _, e := range l.Entries {
			got = append(got, strings.TrimRight(fmt.Sprintf("%d %s %s", e.Line, e.Whole, e.Login), " "))
		}
		if err != nil || strings.Join(got, "|") != c.want || l.Encoding != c.encoding || l.Guessed != c.guessed {
			t.Errorf("%s: %q, %s, guessed %v (%v), want %q, %s", c.name, strings.Join(got, "|"), l.Encoding, l.Guessed, err, c.want, c.encoding)
		}
	}
	for name, c := range map[string]struct {
		file string
		err  error
	}{
		"nothing":      {"", ErrEmpty},
		"a heading":    {"Name\n\n\n", ErrEmpty},
		"a picture":    {"\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR", ErrText},
		"a whole town": {strings.Repeat("Ines Varga\n", Most+1), ErrMany},
	} {
		if _, err := Read([]byte(c.file)); !errors.Is(err, c.err) {
			t.Errorf("%s: %v, want %v", name, err, c.err)
		}
	}
}
