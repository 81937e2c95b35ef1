package markbook

import (
	"bytes"
	"cmp"
	"context"
	"encoding/csv"
	"fmt"
	"math"
	"slices"
	"strings"

	"github.com/xuri/excelize/v2"

	"readymargin/core/points"
	"readymargin/core/roster"
	"readymargin/school"
)

// The headings of the columns that are not assignments.
const (
	headName, headLogin, headSection, headShare = "Name", "Sign-in name", "Section", "So far, %"
)

// table is the book as rows of text and numbers; nil is an empty cell.
func (b Book) table() (out [][]any) {
	head := []any{headName, headLogin, headSection}
	for _, c := range b.Columns {
		head = append(head, fmt.Sprintf("%s (of %s)", c.Title, c.Points))
	}
	out = append(out, append(head, headShare))
	for _, r := range b.Rows {
		row := []any{r.Member.Name, r.Member.Login, r.Member.Section}
		for _, c := range r.Cells {
			switch {
			case c.Excused:
				row = append(row, "excused")
			case c.Points != nil:
				row = append(row, float64(*c.Points)/float64(points.One))
			default:
				row = append(row, nil)
			}
		}
		if math.IsNaN(r.Share) {
			row = append(row, nil)
		} else {
			row = append(row, math.Round(1000*r.Share)/10)
		}
		out = append(out, row)
	}
	return out
}

// CSV writes the book as separated values (RFC 4180). What a spreadsheet would
// take for a formula begins with an apostrophe.
func (b Book) CSV() ([]byte, error) {
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	w.UseCRLF = true
	for _, row := range b.table() {
		fields := make([]string, len(row))
		for i, v := range row {
			switch v := v.(type) {
			case nil:
			case string:
				fields[i] = NoFormula(v)
			default:
				fields[i] = fmt.Sprint(v)
			}
		}
		if err := w.Write(fields); err != nil {
			return nil, err
		}
	}
	w.Flush()
	return out.Bytes(), w.Error()
}

// XLSX writes the book as a workbook of Office Open XML (ISO/IEC 29500), with
// numbers as numbers.
func (b Book) XLSX() ([]byte, error) {
	f := excelize.NewFile()
	defer f.Close()
	const sheet = "Points"
	if err := f.SetSheetName("Sheet1", sheet); err != nil {
		return nil, err
	}
	for i, row := range b.table() {
		if err := f.SetSheetRow(sheet, fmt.Sprint("A", i+1), &row); err != nil {
			return nil, err
		}
	}
	if err := f.SetPanes(sheet, &excelize.Panes{Freeze: true, XSplit: 1, YSplit: 1, TopLeftCell: "B2", ActivePane: "bottomRight"}); err != nil {
		return nil, err
	}
	if err := f.SetColWidth(sheet, "A", "B", 24); err != nil {
		return nil, err
	}
	var out bytes.Buffer
	err := f.Write(&out)
	return out.Bytes(), err
}

// A Change is what a file says that a student got, where the book says
// something else. Why says why it cannot be taken, "" when it can.
type Change struct {
	Student, Assignment string
	Was, Now            string // points, "" for none
	Why                 string

	copy    uint64
	attempt int
	remark  string
	rich    bool
}

// A Reading is what a file of points says.
type Reading struct {
	Changes []Change
	Strange []string // lines that name nobody of the course, and columns that are no assignment
	Same    int      // entries that say what the book says
}

// Taken are the changes that can be taken.
func (r Reading) Taken() (out []Change) {
	for _, c := range r.Changes {
		if c.Why == "" {
			out = append(out, c)
		}
	}
	return out
}

// ReadPoints reads a file of points as CSV writes it, or a part of it: students
// by their sign-in names or names, assignments by their titles. Nothing is
// changed.
func (b *Books) ReadPoints(ctx context.Context, who school.Person, course uint64, file []byte) (out Reading, err error) {
	book, err := b.Book(ctx, who, course)
	if err != nil {
		return out, err
	}
	lines, _, err := roster.Lines(file)
	if err != nil || len(lines) < 2 {
		return out, school.Refuse("points file", "file", "")
	}
	name, login, columns := out.heads(lines[0].Fields, book)
	if name < 0 && login < 0 || len(columns) == 0 {
		return out, school.Refuse("points file", "file", "")
	}
	for _, l := range lines[1:] {
		who := field(l.Fields, login)
		i := slices.IndexFunc(book.Rows, func(r Row) bool { return strings.EqualFold(r.Member.Login, who) })
		if who == "" {
			who = field(l.Fields, name)
			i = named(book, who)
		}
		if i < 0 {
			out.Strange = append(out.Strange, fmt.Sprintf("line %d: %s", l.Number, cmp.Or(who, "nobody")))
			continue
		}
		for at, col := range columns {
			text := field(l.Fields, at)
			if text == "" || text == "excused" {
				continue
			}
			out.add(book, i, col, text)
		}
	}
	slices.SortStableFunc(out.Changes, func(a, b Change) int {
		return cmp.Or(cmp.Compare(a.Assignment, b.Assignment), cmp.Compare(a.Student, b.Student))
	})
	return out, nil
}

// named is the only student of that name, -1 for none or several.
func named(book Book, name string) int {
	found := -1
	for i, r := range book.Rows {
		if !strings.EqualFold(r.Member.Name, name) {
			continue
		}
		if found >= 0 {
			return -1
		}
		found = i
	}
	return found
}

func field(fields []string, i int) string {
	if i < 0 || i >= len(fields) {
		return ""
	}
	return strings.TrimPrefix(fields[i], "'")
}

// heads finds the columns of a file.
func (r *Reading) heads(fields []string, book Book) (name, login int, columns map[int]int) {
	name, login, columns = -1, -1, map[int]int{}
	for i, f := range fields {
		title, _, _ := strings.Cut(field(fields, i), " (of ")
		col := slices.IndexFunc(book.Columns, func(c Column) bool { return strings.EqualFold(c.Title, title) })
		switch {
		case strings.EqualFold(f, headName):
			name = i
		case strings.EqualFold(f, headLogin):
			login = i
		case col >= 0:
			columns[i] = col
		case f != "" && !strings.EqualFold(f, headSection) && !strings.EqualFold(f, headShare):
			r.Strange = append(r.Strange, "column: "+f)
		}
	}
	return name, login, columns
}

// add notes what a file says of one cell.
func (r *Reading) add(book Book, row, col int, text string) {
	a, cell := book.Columns[col], book.Rows[row].Cells[col]
	c := Change{Student: book.Rows[row].Member.Name, Assignment: a.Title, Now: text}
	if cell.Points != nil {
		c.Was = cell.Points.String()
	}
	p, err := points.Parse(text)
	switch {
	case cell.Hidden:
		c.Why = "is marked without names until it is returned"
	case err != nil || p > a.Points:
		c.Why = "is no number from 0 to " + a.Points.String()
	case p%book.Course.Step() != 0:
		c.Why = "is not in steps of " + book.Course.Step().String()
	case cell.last.Number == 0:
		c.Why = "has not submitted"
	case cell.Points != nil && *cell.Points == p:
		r.Same++
		return
	default:
		c.Now = p.String()
	}
	c.copy, c.attempt, c.remark, c.rich = cell.Copy, cell.last.Number, cell.last.Remark, cell.last.RemarkRich
	r.Changes = append(r.Changes, c)
}

// TakePoints reads a file of points and gives those that can be taken, as totals
// of the newest attempts, and says how many.
func (b *Books) TakePoints(ctx context.Context, who school.Person, course uint64, file []byte) (int, error) {
	r, err := b.ReadPoints(ctx, who, course, file)
	if err != nil {
		return 0, err
	}
	for i, c := range r.Taken() {
		if _, err := b.marking.GivePoints(ctx, who, c.copy, c.attempt, c.Now, "", c.remark, c.rich); err != nil {
			return i, err
		}
	}
	return len(r.Taken()), nil
}

// NoFormula writes a text so that no spreadsheet takes it for a formula.
func NoFormula(text string) string {
	if text != "" && strings.ContainsRune("=+-@\t\r", rune(text[0])) {
		return "'" + text
	}
	return text
}
