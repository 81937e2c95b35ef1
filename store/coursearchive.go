package store

import (
	"archive/zip"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"readymargin/core/access"
	"readymargin/school"
)

// A course archive is a ZIP with one file of JSON lines a table, a row a line, and the
// files of the course by the names that they have here; course.json says what it is.
// Numbers are those of the school that it comes from, and are others where it is
// brought in. Every value is text as the database says it, or null.
const (
	archiveFormat = "ready-margin-course"
	archiveHead   = "course.json"
)

// An ArchiveHead says what a course archive is.
type ArchiveHead struct {
	Format string         `json:"format"`
	Schema int64          `json:"schema"` // the last migration of the tables
	Course string         `json:"course"`
	Since  time.Time      `json:"since"`
	Rows   map[string]int `json:"rows"` // by tables
	Files  int            `json:"files"`
}

// An archivedTable is a part of a course: its rows, which a condition picks whose only
// parameter is the course, in an order that is the same every time.
type archivedTable struct {
	name, where, order string
	numbered           bool              // its rows have numbers of their own
	without            map[string]string // columns that do not go along, and what they are then
}

const (
	ofAssignments = "assignment_id IN (SELECT id FROM assignments WHERE course_id = @c)"
	// The copies of a teacher's practice student are in no file.
	copiesOf   = ofAssignments + " AND COALESCE(student_id, 0) NOT IN " + practising
	ofCopies   = "copy_id IN (SELECT id FROM copies WHERE " + copiesOf + ")"
	worksheets = "SELECT worksheet_id FROM handouts WHERE " + ofAssignments + " UNION SELECT worksheet_id FROM revisions WHERE id IN (SELECT revision_id FROM copies WHERE " + copiesOf + ")"
	ofSheets   = "worksheet_id IN (" + worksheets + ")"
	revisions  = "SELECT id FROM revisions WHERE " + ofSheets
	practising = "(SELECT id FROM people WHERE practice_of IS NOT NULL)"
)

// archivedTables are in the order in which they are brought in: what is referred to
// comes first. The people are those whom the others name.
var archivedTables = []archivedTable{
	{name: "people", numbered: true, order: "id", without: map[string]string{"password_hash": "", "admin": "0", "practice_of": ""}},
	{name: "courses", where: "id = @c", order: "id", numbered: true, without: map[string]string{"join_code": "", "source_id": ""}},
	{name: "memberships", where: "course_id = @c AND role <> 'practice'", order: "person_id"},
	{name: "worksheets", where: "id IN (" + worksheets + ")", order: "id", numbered: true},
	{name: "sources", where: ofSheets, order: "worksheet_id, number"},
	{name: "worksheet_attachments", where: ofSheets, order: "worksheet_id, hash"},
	{name: "revisions", where: ofSheets, order: "id", numbered: true},
	{name: "revision_guides", where: "revision_id IN (" + revisions + ")", order: "revision_id, page"},
	{name: "file_pages", where: "file_hash IN (SELECT file_hash FROM sources WHERE " + ofSheets + " UNION SELECT file_hash FROM revisions WHERE " + ofSheets + ")", order: "file_hash, number"},
	{name: "worksheet_shares", where: "course_id = @c AND " + ofSheets, order: "worksheet_id"},
	{name: "assignments", where: "course_id = @c", order: "id", numbered: true},
	{name: "handouts", where: ofAssignments, order: "assignment_id, number"},
	{name: "copies", where: copiesOf, order: "id", numbered: true},
	{name: "attempts", where: ofCopies, order: "copy_id, number"},
	{name: "withdrawn", where: ofCopies, order: "id", numbered: true},
	{name: "layers", where: ofCopies, order: "copy_id, layer"},
	{name: "ops", where: ofCopies, order: "copy_id, layer, seq"},
	{name: "heads", where: ofCopies, order: "copy_id, layer, op_id"},
	{name: "copy_attachments", where: ofCopies, order: "copy_id, layer, hash"},
	{name: "states", where: ofCopies, order: "copy_id, layer, number"},
	{name: "returns", where: ofCopies, order: "id", numbered: true},
	{name: "answers", where: ofCopies, order: "copy_id, attempt, blank_id"},
	{name: "scores", where: ofCopies, order: "copy_id, attempt, question_id"},
	{name: "questions", where: ofCopies, order: "copy_id, mark_id"},
	{name: "heard", where: ofCopies, order: "copy_id, attempt, mark_id"},
	{name: "hearings", where: ofCopies, order: "copy_id, person_id, mark_id", without: map[string]string{"token_hash": "", "until": ""}},
	{name: "looked_up", where: ofCopies, order: "copy_id, person_id, word"},
	{name: "course_words", where: "course_id = @c", order: "id", numbered: true},
	{name: "class_lines", where: "course_id = @c", order: "id", numbered: true},
	{name: "class_line_reads", where: "line_id IN (SELECT id FROM class_lines WHERE course_id = @c) AND person_id NOT IN " + practising, order: "line_id, person_id"},
	{name: "ready_remarks", where: "course_id = @c", order: "id", numbered: true},
	{name: "ready_uses", where: "remark_id IN (SELECT id FROM ready_remarks WHERE course_id = @c)", order: "remark_id, person_id, question_id"},
}

// refersTo says to which table's numbers a column refers, by its name.
var refersTo = map[string]string{
	"course_id": "courses", "assignment_id": "assignments", "worksheet_id": "worksheets", "revision_id": "revisions", "copy_id": "copies",
	"line_id": "class_lines", "remark_id": "ready_remarks",
	"person_id": "people", "student_id": "people", "author_id": "people", "owner_id": "people", "asker_id": "people", "asked_id": "people",
}

// namesFile are the columns whose values name files.
var namesFile = []string{"file_hash", "hash", "snapshot_hash", "returned_hash", "before_hash", "sound"}

type archivedRow map[string]*string

// columnsOf returns the columns of a table that are not computed, and which of them are
// times, as queries ask for them.
func columnsOf(tx *gorm.DB, table string) (names, asked []string, err error) {
	rows, err := tx.Raw(`SELECT column_name, data_type FROM information_schema.columns
		WHERE table_schema = DATABASE() AND table_name = ? AND generation_expression IS NULL ORDER BY ordinal_position`, table).Rows()
	if err != nil {
		return nil, nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var name, kind string
		if err := rows.Scan(&name, &kind); err != nil {
			return nil, nil, err
		}
		names = append(names, name)
		if kind == "datetime" {
			name = "CAST(" + name + " AS CHAR)"
		}
		asked = append(asked, name)
	}
	return names, asked, rows.Err()
}

// WriteCourse writes a course with everything in it, as it stood at one moment, as it
// reads it. Tell is told of each part.
func (s *Store) WriteCourse(ctx context.Context, course uint64, to io.Writer, tell func(what string, rows int)) (head ArchiveHead, err error) {
	pool, err := s.db.DB()
	if err != nil {
		return head, err
	}
	sqlTx, err := pool.BeginTx(ctx, &sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true})
	if err != nil {
		return head, err
	}
	defer sqlTx.Rollback()
	tx := s.db.Session(&gorm.Session{NewDB: true, Context: ctx})
	tx.Statement.ConnPool = &unit{tx: sqlTx}
	c, err := first[school.Course](tx, "id = ?", course)
	if err != nil {
		return head, err
	}
	head = ArchiveHead{Format: archiveFormat, Course: c.Name, Since: c.CreatedAt.UTC(), Rows: map[string]int{}}
	if head.Schema, err = schema(tx); err != nil {
		return head, err
	}
	z := zip.NewWriter(to)
	people, files := map[string]bool{}, map[string]bool{}
	write := func(t archivedTable, where string) error {
		n, err := archiveTable(tx, z, t, where, course, func(column, value string) error {
			switch {
			case refersTo[column] == "people":
				people[value] = true
			case slices.Contains(namesFile, column):
				files[value] = true
			case column == "audience":
				var a access.Audience
				if err := json.Unmarshal([]byte(value), &a); err != nil {
					return err
				}
				for _, id := range a.People {
					people[fmt.Sprint(id)] = true
				}
			}
			return nil
		})
		if n > 0 {
			head.Rows[t.name] = n
			tell(t.name, n)
		}
		return err
	}
	for _, t := range archivedTables[1:] {
		if err := write(t, t.where); err != nil {
			return head, err
		}
	}
	ids := append(slices.Sorted(maps.Keys(people)), "0")
	if err := write(archivedTables[0], "@c > 0 AND id IN ("+strings.Join(ids, ", ")+") AND practice_of IS NULL"); err != nil {
		return head, err
	}
	for _, hash := range slices.Sorted(maps.Keys(files)) {
		if err := s.archiveBlob(ctx, z, hash); err != nil {
			return head, err
		}
		head.Files++
	}
	tell("files", head.Files)
	w, err := z.Create(archiveHead)
	if err == nil {
		err = json.NewEncoder(w).Encode(head)
	}
	return head, errors.Join(err, z.Close())
}

// schema returns the last migration of the tables.
func schema(tx *gorm.DB) (version int64, err error) {
	return version, tx.Raw("SELECT MAX(version_id) FROM goose_db_version").Row().Scan(&version)
}

// archiveTable writes the rows of a table, and tells what their columns say.
func archiveTable(tx *gorm.DB, z *zip.Writer, t archivedTable, where string, course uint64, says func(column, value string) error) (n int, err error) {
	names, asked, err := columnsOf(tx, t.name)
	if err != nil {
		return 0, err
	}
	w, err := z.Create(t.name + ".jsonl")
	if err != nil {
		return 0, err
	}
	out := json.NewEncoder(w)
	rows, err := tx.Raw("SELECT "+strings.Join(asked, ", ")+" FROM "+t.name+" WHERE "+where+" ORDER BY "+t.order, sql.Named("c", course)).Rows()
	if err != nil {
		return 0, err
	}
	defer rows.Close()
	values := make([]sql.NullString, len(names))
	into := make([]any, len(names))
	for i := range values {
		into[i] = &values[i]
	}
	for ; rows.Next(); n++ {
		if err := rows.Scan(into...); err != nil {
			return n, err
		}
		row := archivedRow{}
		for i, name := range names {
			v, less := t.without[name]
			switch {
			case less:
			case !values[i].Valid:
				row[name] = nil
			default:
				v = values[i].String
				row[name] = &v
				if err := says(name, v); err != nil {
					return n, err
				}
			}
		}
		if err := out.Encode(row); err != nil {
			return n, err
		}
	}
	return n, rows.Err()
}

func (s *Store) archiveBlob(ctx context.Context, z *zip.Writer, hash string) error {
	f, err := s.OpenBlob(ctx, hash)
	if err != nil {
		return err
	}
	defer f.Close()
	w, err := z.CreateHeader(&zip.FileHeader{Name: "files/" + hash, Method: zip.Store})
	if err == nil {
		_, err = io.Copy(w, f)
	}
	return err
}
