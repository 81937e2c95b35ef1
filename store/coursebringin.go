package store

import (
	"archive/zip"
	"bufio"
	"context"
	"crypto/sha256"
	"encoding/hex"
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

// Problems of bringing a course in.
var (
	ErrNoArchive = errors.New("store: this is no course archive, or it is damaged")
	ErrNewer     = errors.New("store: the archive is of a newer Ready Margin")
)

// AlreadyHere says that a course was brought in before, or never went.
type AlreadyHere struct{ Course uint64 }

func (e AlreadyHere) Error() string {
	return fmt.Sprintf("store: the course is here already, as number %d", e.Course)
}

// Bounds of what is brought in.
const (
	maxArchivedRow  = 32 << 20
	maxArchivedFile = 1 << 30
)

// A BroughtCourse says what became of a course archive.
type BroughtCourse struct {
	ArchiveHead
	Number  uint64
	Known   int      // people who were here
	Made    int      // people who were not
	Renamed []string // sign-in names that somebody else has here, as "theirs: new"
	Shelved int      // worksheets that were here
}

// ReadCourse makes the course of an archive, with everything in it. Who signs in by
// the same name and is called the same is the same person; all others are made, without
// a password. A worksheet that is still on the shelf, unchanged, is taken from there. A
// course that is here is AlreadyHere, unless again is said. All of it comes in, or none.
func (s *Store) ReadCourse(ctx context.Context, from io.ReaderAt, size int64, again bool, tell func(what string, rows int)) (out BroughtCourse, err error) {
	z, err := zip.NewReader(from, size)
	if err != nil {
		return out, ErrNoArchive
	}
	files := map[string]*zip.File{}
	for _, f := range z.File {
		files[f.Name] = f
	}
	if err := readHead(files[archiveHead], &out.ArchiveHead); err != nil {
		return out, err
	}
	if here, err := schema(s.db.WithContext(ctx)); err != nil || out.Schema > here {
		return out, errors.Join(err, ErrNewer)
	}
	if n, err := s.bringFiles(ctx, z.File); err != nil || n != out.Files {
		return out, errors.Join(err, ErrNoArchive)
	}
	tell("files", out.Files)
	err = s.inTx(ctx, func(tx *gorm.DB) error {
		b := bringer{tx: tx, files: files, ids: map[string]map[string]uint64{}, out: BroughtCourse{ArchiveHead: out.ArchiveHead}}
		if !again {
			there, err := first[school.Course](tx, "name = ? AND created_at = ?", out.Course, out.Since)
			if err == nil {
				return AlreadyHere{there.ID}
			} else if !errors.Is(err, school.ErrNotFound) {
				return err
			}
		}
		for _, t := range archivedTables {
			if err := b.table(t, tell); err != nil {
				return err
			}
		}
		out = b.out
		return b.jobs()
	})
	return out, err
}

func readHead(f *zip.File, head *ArchiveHead) error {
	if f == nil {
		return ErrNoArchive
	}
	r, err := f.Open()
	if err != nil {
		return ErrNoArchive
	}
	defer r.Close()
	if json.NewDecoder(io.LimitReader(r, 1<<20)).Decode(head) != nil || head.Format != archiveFormat {
		return ErrNoArchive
	}
	return nil
}

// bringFiles stores the files of an archive, each under the name that its bytes have.
func (s *Store) bringFiles(ctx context.Context, all []*zip.File) (n int, err error) {
	for _, f := range all {
		hash, is := strings.CutPrefix(f.Name, "files/")
		if !is {
			continue
		}
		if f.UncompressedSize64 > maxArchivedFile {
			return n, ErrNoArchive
		}
		r, err := f.Open()
		if err != nil {
			return n, ErrNoArchive
		}
		data, err := io.ReadAll(io.LimitReader(r, int64(f.UncompressedSize64)+1))
		r.Close()
		if sum := sha256.Sum256(data); err != nil || hex.EncodeToString(sum[:]) != hash {
			return n, ErrNoArchive
		}
		if _, err := s.PutBlob(ctx, data); err != nil {
			return n, err
		}
		n++
	}
	return n, nil
}

// A bringer makes the rows of a course in one transaction.
type bringer struct {
	tx    *gorm.DB
	files map[string]*zip.File
	ids   map[string]map[string]uint64 // by tables: numbers here by those in the archive
	out   BroughtCourse
}

// table brings the rows of a table in.
func (b *bringer) table(t archivedTable, tell func(string, int)) error {
	f := b.files[t.name+".jsonl"]
	if f == nil {
		if b.out.Rows[t.name] > 0 {
			return ErrNoArchive
		}
		return nil
	}
	names, _, err := columnsOf(b.tx, t.name)
	if err != nil {
		return err
	}
	r, err := f.Open()
	if err != nil {
		return ErrNoArchive
	}
	defer r.Close()
	lines := bufio.NewScanner(r)
	lines.Buffer(nil, maxArchivedRow)
	b.ids[t.name] = map[string]uint64{}
	n := 0
	for ; lines.Scan(); n++ {
		row := archivedRow{}
		if json.Unmarshal(lines.Bytes(), &row) != nil {
			return ErrNoArchive
		}
		for name := range row {
			if !slices.Contains(names, name) {
				return fmt.Errorf("%w: %s has no %s", ErrNoArchive, t.name, name)
			}
		}
		for name, v := range t.without {
			if v == "" {
				delete(row, name)
			} else {
				row[name] = &v
			}
		}
		if err := b.row(t, row); err != nil {
			return err
		}
	}
	if lines.Err() != nil || n != b.out.Rows[t.name] {
		return ErrNoArchive
	}
	if n > 0 {
		tell(t.name, n)
	}
	return nil
}

// row brings one row in, with the numbers that things have here.
func (b *bringer) row(t archivedTable, row archivedRow) error {
	for column, value := range row {
		if value == nil {
			continue
		}
		if table := refersTo[column]; table != "" {
			id, there := b.ids[table][*value]
			switch {
			case there:
				here := fmt.Sprint(id)
				row[column] = &here
			case t.name == "worksheet_shares": // with another course
				row[column] = nil
			default:
				return fmt.Errorf("%w: %s names %s %s", ErrNoArchive, t.name, table, *value)
			}
		}
		if column == "audience" {
			if err := b.audience(value); err != nil {
				return err
			}
		}
	}
	switch was := row["id"]; {
	case !t.numbered:
		return b.insert(t.name, row)
	case was == nil:
		return ErrNoArchive
	default:
		delete(row, "id")
		id, err := b.known(t.name, row)
		if err == nil && id == 0 {
			if err = b.insert(t.name, row); err == nil {
				err = b.tx.Raw("SELECT LAST_INSERT_ID()").Row().Scan(&id)
			}
		}
		b.ids[t.name][*was] = id
		if t.name == "courses" {
			b.out.Number = id
		}
		return err
	}
}

// audience gives the people whom something is for the numbers that they have here.
func (b *bringer) audience(value *string) error {
	var a access.Audience
	if json.Unmarshal([]byte(*value), &a) != nil {
		return ErrNoArchive
	}
	for i, was := range a.People {
		id, there := b.ids["people"][fmt.Sprint(was)]
		if !there {
			return fmt.Errorf("%w: people names %d", ErrNoArchive, was)
		}
		a.People[i] = id
	}
	now, err := json.Marshal(a)
	*value = string(now)
	return err
}

// known returns the number of what is here already, or 0, and gives what is not what
// may stand only once in a school.
func (b *bringer) known(table string, row archivedRow) (id uint64, err error) {
	find := func(q string, columns ...string) error {
		var args []any
		for _, c := range columns {
			args = append(args, row[c])
		}
		err := known(b.tx.Raw(q, args...).Row().Scan(&id))
		if errors.Is(err, school.ErrNotFound) {
			return nil
		}
		return err
	}
	switch table {
	case "people":
		if err := find("SELECT id FROM people WHERE login = ? AND name = ?", "login", "name"); err != nil || id > 0 {
			b.out.Known++
			return id, err
		}
		b.out.Made++
		empty := ""
		row["password_hash"] = &empty
		return 0, b.freeLogin(row)
	case "courses":
		code := school.NewCode(6)
		row["join_code"] = &code
	case "worksheets":
		if err := find("SELECT id FROM worksheets WHERE owner_id <=> ? AND title = ? AND created_at = ?", "owner_id", "title", "created_at"); err != nil || id > 0 {
			b.out.Shelved++
			return id, err
		}
	case "revisions":
		if err := find("SELECT id FROM revisions WHERE worksheet_id = ? AND file_hash = ? AND created_at = ?", "worksheet_id", "file_hash", "created_at"); err != nil || id > 0 {
			return id, err
		}
		var last int // the worksheet here may have gone on
		if err := b.tx.Raw("SELECT COALESCE(MAX(number), 0) FROM revisions WHERE worksheet_id = ?", row["worksheet_id"]).Row().Scan(&last); err != nil {
			return 0, err
		}
		var taken int
		if err := b.tx.Raw("SELECT COUNT(*) FROM revisions WHERE worksheet_id = ? AND number = ?", row["worksheet_id"], row["number"]).Row().Scan(&taken); err != nil || taken == 0 {
			return 0, err
		}
		next := fmt.Sprint(last + 1)
		row["number"] = &next
	}
	return 0, nil
}

// freeLogin gives somebody whose sign-in name another person has here one that is free.
func (b *bringer) freeLogin(row archivedRow) error {
	if row["login"] == nil {
		return ErrNoArchive
	}
	was := *row["login"]
	for n := 2; ; n++ {
		var taken int
		if err := b.tx.Raw("SELECT COUNT(*) FROM people WHERE login = ?", *row["login"]).Row().Scan(&taken); err != nil {
			return err
		}
		if taken == 0 {
			break
		}
		next := fmt.Sprintf("%s.%d", was, n)
		row["login"] = &next
	}
	if *row["login"] != was {
		b.out.Renamed = append(b.out.Renamed, was+": "+*row["login"])
	}
	return nil
}

// shared are the tables of worksheets and files, whose rows may be here.
var shared = []string{"sources", "worksheet_attachments", "revision_guides", "file_pages", "worksheet_shares"}

func (b *bringer) insert(table string, row archivedRow) error {
	columns := slices.Sorted(maps.Keys(row))
	args := make([]any, len(columns))
	for i, c := range columns {
		args[i] = row[c]
	}
	q := "INSERT INTO " + table + " (" + strings.Join(columns, ", ") + ") VALUES (" + strings.TrimSuffix(strings.Repeat("?, ", len(columns)), ", ") + ")"
	if slices.Contains(shared, table) {
		q += " ON DUPLICATE KEY UPDATE " + columns[0] + " = " + columns[0]
	}
	return b.tx.Exec(q, args...).Error
}

// jobs lets what was to be done behind the requests be done here.
func (b *bringer) jobs() error {
	for _, j := range []struct {
		kind     school.JobKind
		table, q string
	}{
		{school.JobRead, "worksheets", "SELECT id, created_at AS at FROM worksheets WHERE reading AND id IN ?"},
		{school.JobScans, "worksheets", "SELECT DISTINCT 0 AS id, UTC_TIMESTAMP(6) AS at FROM file_pages p JOIN sources s ON s.file_hash = p.file_hash WHERE p.wordless AND s.worksheet_id IN ?"},
		{school.JobReturn, "returns", "SELECT id, due_at AS at FROM returns WHERE done_at IS NULL AND stopped_at IS NULL AND id IN ?"},
		{school.JobAnswers, "copies", "SELECT id, UTC_TIMESTAMP(6) AS at FROM copies WHERE attempts > 0 AND id IN ?"}, // an older form of them may have come
	} {
		var due []struct {
			ID uint64
			At time.Time
		}
		ids := append(slices.Collect(maps.Values(b.ids[j.table])), 0)
		if err := b.tx.Raw(j.q, ids).Scan(&due).Error; err != nil {
			return err
		}
		for _, d := range due {
			if err := addJob(b.tx, j.kind, d.ID, d.At); err != nil {
				return err
			}
		}
	}
	return nil
}
