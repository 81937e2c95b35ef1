package e2e

import (
	"bytes"
	"compress/gzip"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"readymargin/core/access"
	"readymargin/core/answer"
	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/school"
	"readymargin/store"
)

// The whole demo, as the first version kept it, is brought up to date: every
// copy, attempt, fingerprint and feedback is as it was, everything to be worked
// on has an ID, the work in progress names its blanks, and behind the start the
// answers of old attempts are laid down.
func TestTheFirstVersionIsBroughtUpToDate(t *testing.T) {
	ctx, cancel := context.WithTimeout(context.Background(), 3*time.Minute)
	defer cancel()
	packed, err := os.ReadFile("testdata/demo-of-schema-1.sql.gz")
	if err != nil {
		t.Fatal(err)
	}
	was := loaded(ctx, t, "upgrade_was", packed)
	dsn, err := home.DB.Database(ctx, "upgrade_is")
	if err != nil {
		t.Fatal(err)
	}
	if err := store.Restore(ctx, dsn, bytes.NewReader(packed)); err != nil {
		t.Fatal(err)
	}
	for what, q := range map[string]string{
		"people":    "SELECT id, name, login, password_hash, admin, staff, settings FROM %s.people ORDER BY 1",
		"members":   "SELECT course_id, person_id, role, section, seen, joined_at FROM %s.memberships ORDER BY 1, 2",
		"copies":    "SELECT id, assignment_id, COALESCE(student_id, 0), revision_id, state, attempts, waiting, due_at FROM %s.copies ORDER BY 1",
		"attempts":  "SELECT copy_id, number, submitted_at, late_minutes, line, snapshot_hash, points, remark, marked_at, returned_at, COALESCE(returned_hash, ''), opened_at FROM %s.attempts ORDER BY 1, 2",
		"history":   "SELECT * FROM %s.ops ORDER BY copy_id, layer, seq",
		"feedback":  "SELECT * FROM %s.heads WHERE layer <> 'work' ORDER BY copy_id, layer, op_id",
		"files":     "SELECT worksheet_id, number, file_hash FROM %s.sources ORDER BY 1, 2",
		"blobs":     "SELECT hash, size FROM %s.blobs ORDER BY 1",
		"bytes":     "SELECT hash, n, data FROM %s.blob_chunks ORDER BY 1, 2",
		"given":     "SELECT assignment_id, number, worksheet_id, revision_id FROM %s.handouts ORDER BY 1, 2",
		"worksheet": "SELECT id, COALESCE(owner_id, 0), title, kit, version FROM %s.worksheets ORDER BY 1",
	} {
		before, after := table(ctx, t, was, fmt.Sprintf(q, "upgrade_was")), table(ctx, t, was, fmt.Sprintf(q, "upgrade_is"))
		if len(before) == 0 || !slices.Equal(before, after) {
			t.Errorf("%s: %d rows were, %d are, or they differ", what, len(before), len(after))
		}
	}

	st, err := store.Open(store.Config{DSN: dsn})
	if err != nil {
		t.Fatal(err)
	}
	defer st.Close()
	s := home.UseCases(st)
	for {
		worked, err := s.Jobs.One(ctx)
		read, err2 := s.Scans.One(ctx) // pages without words may be pictures of such
		if err := errors.Join(err, err2); err != nil {
			t.Fatal(err)
		}
		if !worked && !read {
			break
		}
	}
	if left, err := st.Jobs(ctx); err != nil || len(left) > 0 {
		t.Errorf("left to do: %+v (%v)", left, err)
	}

	tied, answers := 0, 0
	for _, row := range table(ctx, t, was, "SELECT id FROM upgrade_is.copies ORDER BY id") {
		var id uint64
		fmt.Sscan(row, &id)
		c, err := st.CopyInCourse(ctx, id, 0)
		if err != nil {
			t.Fatal(err)
		}
		issued, err := s.Revisions.Revised(ctx, c.Revision)
		guides := issued.Guides
		if err != nil || len(guides) != c.Revision.PageCount {
			t.Fatalf("copy %d has %d guides for %d pages (%v)", id, len(guides), c.Revision.PageCount, err)
		}
		ids := map[string]bool{}
		for _, g := range guides {
			for _, b := range g.Blanks {
				ids[b.ID] = true
			}
			for _, q := range g.Questions {
				ids[q.ID] = true
			}
		}
		n := 0
		for _, g := range guides {
			n += len(g.Blanks) + len(g.Questions)
		}
		if len(ids) != n || ids[""] {
			t.Errorf("copy %d: %d IDs for %d blanks and questions", id, len(ids), n)
		}
		heads, err := st.Heads(ctx, id, submission.Work)
		if err != nil {
			t.Fatal(err)
		}
		old := presentOf(ctx, t, was, "upgrade_was", id)
		for _, h := range heads {
			if h.Mark != nil && h.Mark.Blank != "" {
				tied++
				if !ids[h.Mark.Blank] {
					t.Errorf("copy %d: mark %s names a blank that there is not", id, h.On)
				}
				bare := *h.Mark
				bare.Blank = ""
				h.Mark = &bare
			}
			b, _ := json.Marshal(h.Mark)
			if old[h.Op] != string(b) {
				t.Errorf("copy %d: mark %s was\n%s\nand is\n%s", id, h.On, old[h.Op], b)
			}
			delete(old, h.Op)
		}
		if len(old) > 0 {
			t.Errorf("copy %d has lost %v", id, slices.Collect(maps.Keys(old)))
		}
		attempts, err := st.Attempts(ctx, id)
		if err != nil {
			t.Fatal(err)
		}
		for i, a := range attempts {
			snap, err := school.ReadSnapshot(ctx, st, &attempts[i])
			if err != nil {
				t.Fatal(err)
			}
			want := answer.Of(guides, snap.Marks)
			got := table(ctx, t, was, fmt.Sprintf("SELECT blank_id, text, normal FROM upgrade_is.answers WHERE copy_id = %d AND attempt = %d", id, a.Number))
			answers += len(got)
			if len(got) != len(want) {
				t.Errorf("copy %d, attempt %d: %d answers are laid down, of %d", id, a.Number, len(got), len(want))
			}
			if scores := table(ctx, t, was, fmt.Sprintf("SELECT * FROM upgrade_is.scores WHERE copy_id = %d", id)); len(scores) > 0 {
				t.Errorf("copy %d has invented scores: %v", id, scores)
			}
		}
		who := c.Student
		if who.ID == 0 {
			continue
		}
		if _, err := s.Screens.Open(ctx, who, id); err != nil && !(c.State == flow.NotStarted && err == access.ErrHidden) {
			t.Errorf("its student opens copy %d: %v", id, err)
		}
	}
	if tied < 10 || answers < 20 {
		t.Errorf("%d marks are tied to blanks and %d answers are laid down", tied, answers)
	}
}

// loaded puts a dump into a database as it is.
func loaded(ctx context.Context, t *testing.T, name string, packed []byte) *sql.DB {
	t.Helper()
	dsn, err := home.DB.Database(ctx, name)
	if err != nil {
		t.Fatal(err)
	}
	unpacked, err := gzip.NewReader(bytes.NewReader(packed))
	if err != nil {
		t.Fatal(err)
	}
	dump, err := io.ReadAll(unpacked)
	if err != nil {
		t.Fatal(err)
	}
	db, err := sql.Open("mysql", dsn+"?multiStatements=true")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	text := string(dump)
	text = text[strings.Index(text, "\n")+1:] // what only the client understands
	if _, err := db.ExecContext(ctx, text); err != nil {
		t.Fatal(err)
	}
	return db
}

// table reads rows as text.
func table(ctx context.Context, t *testing.T, db *sql.DB, q string) (out []string) {
	t.Helper()
	rows, err := db.QueryContext(ctx, q)
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	names, err := rows.Columns()
	if err != nil {
		t.Fatal(err)
	}
	row, to := make([]sql.RawBytes, len(names)), make([]any, len(names))
	for i := range row {
		to[i] = &row[i]
	}
	for rows.Next() {
		if err := rows.Scan(to...); err != nil {
			t.Fatal(err)
		}
		var line strings.Builder
		for i, cell := range row {
			if i > 0 {
				line.WriteString(" | ")
			}
			line.Write(cell)
		}
		out = append(out, line.String())
	}
	if err := rows.Err(); err != nil {
		t.Fatal(err)
	}
	return out
}

// presentOf returns the marks of a copy's work as JSON, by operation.
func presentOf(ctx context.Context, t *testing.T, db *sql.DB, database string, id uint64) map[string]string {
	t.Helper()
	out := map[string]string{}
	for _, body := range table(ctx, t, db, fmt.Sprintf("SELECT body FROM %s.heads WHERE copy_id = %d AND layer = 'work'", database, id)) {
		var h submission.Head
		if err := json.Unmarshal([]byte(body), &h); err != nil {
			t.Fatal(err)
		}
		b, err := json.Marshal((*mark.Mark)(h.Mark))
		if err != nil {
			t.Fatal(err)
		}
		out[h.Op] = string(b)
	}
	return out
}
