package roster

import (
	"archive/zip"
	"bytes"
	"encoding/csv"
	"errors"
	"io"
	"path"
	"slices"
	"strings"
)

// A Directory is what a school's own program says of its courses: the CSV
// files of 1EdTech OneRoster 1.1 and 1.2 in a ZIP. Of these users.csv,
// classes.csv, enrollments.csv and, in 1.2, roles.csv are read; what is marked
// as to be deleted is passed over. The names of files and columns here are
// from memory of the standard's CSV binding.
type Directory struct {
	Classes []Class
	Strange []Strange // lines that could not be understood
}

// A Class is a course with those who are enrolled in it.
type Class struct {
	SourceID string
	Title    string
	People   []Enrolled
}

// An Enrolled is a person in a class.
type Enrolled struct {
	SourceID string
	Name
	Login   string // in lower case, "" for none
	Teacher bool   // and otherwise a student
}

// A Strange is a line that was passed over.
type Strange struct {
	File string
	Line int
	Why  string // "no id", "no name", "twice", "no class", "no person", "other role"
}

// Errors of a directory as a whole.
var (
	ErrArchive = errors.New("roster: not a ZIP with users.csv, classes.csv and enrollments.csv")
	ErrLarge   = errors.New("roster: the archive is too large")
)

// Limits of a directory.
const (
	maxTable = 40 << 20 // bytes of one file, unpacked
	maxRows  = 100_000  // of one file
)

// ReadDirectory reads a ZIP of OneRoster CSV files.
func ReadDirectory(data []byte) (Directory, error) {
	var d Directory
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return d, ErrArchive
	}
	tables := map[string]*table{}
	for _, f := range z.File {
		// Some programs put the files into a folder.
		switch name := strings.ToLower(path.Base(f.Name)); name {
		case "users.csv", "classes.csv", "enrollments.csv", "roles.csv":
			if tables[name], err = readTable(f); err != nil {
				return d, err
			}
		}
	}
	if tables["users.csv"] == nil || tables["classes.csv"] == nil || tables["enrollments.csv"] == nil {
		return d, ErrArchive
	}
	people := d.users(tables["users.csv"], roles(tables["roles.csv"]))
	d.enrol(tables["enrollments.csv"], people, d.classes(tables["classes.csv"]))
	return d, nil
}

// A table is a CSV file by its columns, whose names differ in case.
type table struct {
	name    string
	columns map[string]int
	rows    [][]string
	lines   []int
}

func readTable(f *zip.File) (*table, error) {
	r, err := f.Open()
	if err != nil {
		return nil, ErrArchive
	}
	defer r.Close()
	b, err := io.ReadAll(io.LimitReader(r, maxTable+1))
	switch {
	case err != nil:
		return nil, ErrArchive
	case len(b) > maxTable:
		return nil, ErrLarge
	}
	text, _, err := decode(b)
	if err != nil {
		return nil, err
	}
	t := &table{name: strings.ToLower(path.Base(f.Name)), columns: map[string]int{}}
	c := csv.NewReader(strings.NewReader(strings.TrimPrefix(text, "\ufeff")))
	c.FieldsPerRecord, c.LazyQuotes, c.TrimLeadingSpace = -1, true, true
	for {
		row, err := c.Read()
		if err == io.EOF {
			return t, nil
		}
		if err != nil {
			return nil, ErrText
		}
		for i := range row {
			row[i] = clean(row[i])
		}
		if len(t.columns) == 0 {
			for i, name := range row {
				t.columns[strings.ToLower(name)] = i
			}
			continue
		}
		if strings.Join(row, "") == "" {
			continue
		}
		line, _ := c.FieldPos(0)
		t.rows, t.lines = append(t.rows, row), append(t.lines, line)
		if len(t.rows) > maxRows {
			return nil, ErrMany
		}
	}
}

// get returns a field of a row, "" where there is none.
func (t *table) get(row []string, column string) string {
	i, ok := t.columns[strings.ToLower(column)]
	if !ok || i >= len(row) {
		return ""
	}
	return row[i]
}

// each calls f for every row that is in force.
func (t *table) each(f func(row []string, line int)) {
	for i, row := range t.rows {
		if !strings.EqualFold(t.get(row, "status"), "tobedeleted") {
			f(row, t.lines[i])
		}
	}
}

func (d *Directory) strange(t *table, line int, why string) {
	d.Strange = append(d.Strange, Strange{t.name, line, why})
}

// isTeacher reports whether a role teaches; ok is false for roles that are of
// no use here, such as guardians.
func isTeacher(role string) (teacher, ok bool) {
	switch strings.ToLower(role) {
	case "student":
		return false, true
	case "teacher", "aide":
		return true, true
	}
	return false, false
}

// roles returns who is something else than a student, of OneRoster 1.2's own file.
func roles(t *table) map[string]string {
	out := map[string]string{}
	if t == nil {
		return out
	}
	t.each(func(row []string, _ int) {
		user, role := t.get(row, "userSourcedId"), t.get(row, "role")
		if out[user] == "" || strings.EqualFold(t.get(row, "roleType"), "primary") {
			out[user] = role
		}
	})
	return out
}

func (d *Directory) users(t *table, roles map[string]string) map[string]Enrolled {
	out := map[string]Enrolled{}
	t.each(func(row []string, line int) {
		e := Enrolled{SourceID: t.get(row, "sourcedId"), Login: strings.ToLower(t.get(row, "username"))}
		first := t.get(row, "preferredFirstName")
		if first == "" {
			first = t.get(row, "givenName")
		}
		e.Name = Joined(first, t.get(row, "familyName"))
		role := t.get(row, "role")
		if role == "" {
			role = roles[e.SourceID]
		}
		_, wanted := isTeacher(role)
		switch _, twice := out[e.SourceID]; {
		case e.SourceID == "":
			d.strange(t, line, "no id")
		case twice:
			d.strange(t, line, "twice")
		case e.Whole == "":
			d.strange(t, line, "no name")
		case strings.EqualFold(t.get(row, "enabledUser"), "false"), !wanted && role != "":
			out[e.SourceID] = Enrolled{} // known, and of no use here
		default:
			out[e.SourceID] = e
		}
	})
	return out
}

func (d *Directory) classes(t *table) map[string]int {
	out := map[string]int{}
	t.each(func(row []string, line int) {
		id, title := t.get(row, "sourcedId"), t.get(row, "title")
		_, twice := out[id]
		switch {
		case id == "":
			d.strange(t, line, "no id")
		case twice:
			d.strange(t, line, "twice")
		case title == "":
			d.strange(t, line, "no name")
		default:
			out[id] = len(d.Classes)
			d.Classes = append(d.Classes, Class{SourceID: id, Title: title})
		}
	})
	return out
}

func (d *Directory) enrol(t *table, people map[string]Enrolled, classes map[string]int) {
	t.each(func(row []string, line int) {
		class, there := classes[t.get(row, "classSourcedId")]
		e, known := people[t.get(row, "userSourcedId")]
		teacher, ok := isTeacher(t.get(row, "role"))
		switch {
		case !there:
			d.strange(t, line, "no class")
			return
		case !known:
			d.strange(t, line, "no person")
			return
		case !ok:
			d.strange(t, line, "other role")
			return
		case e.SourceID == "":
			return
		}
		e.Teacher = teacher
		c := &d.Classes[class]
		if slices.ContainsFunc(c.People, func(o Enrolled) bool { return o.SourceID == e.SourceID }) {
			d.strange(t, line, "twice")
			return
		}
		c.People = append(c.People, e)
	})
}
