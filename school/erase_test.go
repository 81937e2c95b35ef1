package school_test

import (
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/school"
	"readymargin/school/administer"
	"readymargin/school/enrol"
	"readymargin/school/services"
	"readymargin/store"
	"readymargin/store/storetest"
)

// anywhere counts the rows of all tables in which a text stands, whatever the column,
// by table, and the files of a directory.
func (h house) anywhere(dir, text string) map[string]int {
	h.Helper()
	db, err := h.store.DB()
	h.must(err)
	rows, err := db.QueryContext(h.ctx, `SELECT table_name, column_name FROM information_schema.columns WHERE table_schema = DATABASE()
		AND data_type IN ('char', 'varchar', 'text', 'mediumtext', 'longtext', 'blob', 'mediumblob', 'longblob')`)
	h.must(err)
	var columns [][2]string
	for rows.Next() {
		var c [2]string
		h.must(rows.Scan(&c[0], &c[1]))
		columns = append(columns, c)
	}
	h.must(rows.Err())
	out := map[string]int{}
	for _, c := range columns {
		var n int
		h.must(db.QueryRowContext(h.ctx, fmt.Sprintf("SELECT COUNT(*) FROM `%s` WHERE INSTR(CAST(`%s` AS BINARY), CAST(? AS BINARY)) > 0", c[0], c[1]), text).Scan(&n))
		if n > 0 {
			out[c[0]+"."+c[1]] = n
		}
	}
	h.must(filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		b, err := os.ReadFile(path)
		if err == nil && strings.Contains(string(b), text) {
			out["cache"]++
		}
		return err
	}))
	return out
}

func must[T any](v T, err error) T {
	if err != nil {
		panic(err)
	}
	return v
}

// After a deletion nothing of the person, of the course, or of a worksheet that no
// assignment uses is in any table, blob or cache; what others have is as it was.
func TestNothingIsLeftOfWhatIsDeleted(t *testing.T) {
	h := open(t, "vanishing")
	dir := t.TempDir()
	dsn, err := server.Database(h.ctx, "vanishing_too")
	h.must(err)
	h.store, err = store.Open(store.Config{DSN: dsn, CacheDir: dir})
	h.must(err)
	t.Cleanup(func() { h.store.Close() })
	h.must(h.store.Migrate(h.ctx))
	h.school = services.New(h.store, nil, services.Programs{})
	gone, err := storetest.NewClass(h.ctx, h.store, "vanishing", 2, 2)
	h.must(err)
	stays, err := storetest.NewClass(h.ctx, h.store, "staying", 2, 2)
	h.must(err)
	fill := func(c storetest.Class, student int) {
		p := c.Students[student]
		words := "words of " + p.Name
		k, err := c.Copy(h.ctx, h.store, 0, student)
		h.must(err)
		_, err = h.school.Saving.Save(h.ctx, p, k.ID, submission.Work, []submission.Op{storetest.Text(fmt.Sprintf("vanish-%08d", k.ID), words)})
		h.must(err)
		h.must(h.school.Drafts.KeepDrafts(h.ctx, p, school.OfCopy, k.ID, []school.Draft{{Place: school.LineDraft, Body: fmt.Sprintf("%q", "draft of "+p.Name), At: h.school.Now()}}))
		voice, err := h.store.PutBlob(h.ctx, []byte("voice of "+p.Name))
		h.must(err)
		h.must(h.store.AddCopyAttachment(h.ctx, school.CopyAttachment{Hash: voice, CopyID: k.ID, Layer: submission.Work, PersonID: p.ID, MediaType: "audio/ogg", Peaks: "[]"}))
		_, err = h.store.Blob(h.ctx, voice) // so that it is in the cache
		h.must(err)
		h.must(h.store.InCopy(h.ctx, k.ID, func(tx school.CopyTx) error {
			hash, err := tx.PutBlob([]byte("attempt of " + p.Name))
			if err != nil {
				return err
			}
			return tx.PutAttempt(school.Attempt{CopyID: k.ID, Number: 1, SnapshotHash: hash, SubmittedAt: h.school.Now(), Line: "line of " + p.Name})
		}))
		ask := mark.Mark{ID: fmt.Sprintf("vanish-asks-%d", k.ID), Page: 1, Body: &mark.Note{At: [2]float64{12, 22}, Says: "ask", Text: "question of " + p.Name}}
		_, err = h.school.Saving.Save(h.ctx, p, k.ID, submission.Replies, []submission.Op{{ID: "op-" + ask.ID, On: ask.ID, Mark: &ask}})
		h.must(err)
		_, _, err = h.store.Hear(h.ctx, school.Hearing{CopyID: k.ID, PersonID: p.ID, MarkID: ask.ID, TokenHash: "token of " + p.Name}, 3)
		h.must(err)
		h.must(h.store.PutMailbox(h.ctx, school.Mailbox{PersonID: p.ID, Address: "mail of " + p.Name, LeaveKey: fmt.Sprintf("key%023d", p.ID), Choices: []school.NoticeKind{school.NoticeLine}}))
		h.must(h.school.ClassLines.Say(h.ctx, c.Teacher, c.Course.ID, "said to "+c.Course.Name, nil))
		h.must(h.store.SeeLine(h.ctx, must(h.store.Lines(h.ctx, c.Course.ID))[0].ID, p.ID, h.school.Now()))
		_, err = h.school.Accounts.NewDevice(h.ctx, p, enrol.Device{Label: "device of " + p.Name})
		h.must(err)
	}
	for i := range 2 {
		fill(gone, i)
		fill(stays, i)
	}
	_, err = h.store.Blob(h.ctx, gone.Revision.FileHash)
	h.must(err)
	left := func(what, text string) {
		t.Helper()
		if found := h.anywhere(dir, text); len(found) > 0 {
			t.Errorf("of %s there is left: %v", what, found)
		}
	}
	before := h.anywhere(dir, "staying")
	first, second := gone.Students[0].Name, gone.Students[1].Name
	if found := h.anywhere(dir, first); len(found) < 8 || found["cache"] == 0 || found["blob_chunks.data"] == 0 {
		t.Fatalf("the check sees too little of %s: %v", first, found)
	}
	sweep := func() {
		_, err := h.store.Sweep(h.ctx, h.school.Now().Add(time.Hour))
		h.must(err)
	}
	h.must(h.store.DeletePerson(h.ctx, gone.Students[0].ID))
	sweep()
	left("a student who was erased", first)
	if len(h.anywhere(dir, second)) < 8 {
		t.Error("a classmate's work went along")
	}
	h.must(h.school.Courses.Delete(h.ctx, gone.Teacher, gone.Course.ID, " Vanishing "))
	sweep()
	if found := h.anywhere(dir, "voice of "+second); len(found) > 0 {
		t.Errorf("of work in a course that was deleted there is left: %v", found)
	}
	left("what was said to the class", "said to vanishing")
	// A worksheet that is assigned goes from the shelf and stays with those who have it;
	// one that is not goes.
	h.must(h.school.Shelf.Delete(h.ctx, gone.Teacher, gone.Worksheet.ID))
	h.must(h.school.Shelf.Delete(h.ctx, stays.Teacher, stays.Worksheet.ID))
	sweep()
	left("a worksheet that is nowhere assigned", "the file of vanishing")
	left("its title", "vanishing sheet")
	left("its print", "vanishing words")
	if _, err := h.store.Blob(h.ctx, stays.Revision.FileHash); err != nil {
		t.Errorf("the file of what is assigned: %v", err)
	}
	h.must(h.store.DeletePerson(h.ctx, gone.Students[1].ID))
	h.must(h.store.DeletePerson(h.ctx, gone.Teacher.ID))
	sweep()
	left("all of them", "vanishing")
	after := h.anywhere(dir, "staying")
	for where, n := range before {
		if after[where] != n && where != "jobs.error" {
			t.Errorf("of others' there were %d in %s, and are %d", n, where, after[where])
		}
	}
}

// Of two administrators who step back in the same moment one stays.
func TestASchoolKeepsAnAdministrator(t *testing.T) {
	h := open(t, "admins")
	var all []school.Person
	for i := range 2 {
		p := school.Person{Name: fmt.Sprint("Admin ", i), Login: fmt.Sprint("admin.", i), Admin: true, Staff: true, Settings: "{}", CreatedAt: h.school.Now()}
		h.must(h.store.AddPerson(h.ctx, &p))
		all = append(all, p)
	}
	for range 10 {
		errs := make(chan error, 4)
		for i, p := range all {
			go func() { errs <- h.school.Office.SetRank(h.ctx, p, all[1-i].ID, administer.Staff) }()
			go func() { errs <- h.school.Office.Close(h.ctx, p, p.ID) }()
		}
		for range 4 {
			if err := <-errs; err != nil && !school.IsProblem(err, "last admin") {
				t.Fatal(err)
			}
		}
		left := 0
		for _, p := range all {
			now, err := h.store.Person(h.ctx, p.ID)
			h.must(err)
			if now.Admin && now.ClosedAt == nil {
				left++
			}
			h.must(h.store.ChangePerson(h.ctx, p.ID, func(q *school.Person) error { q.Admin, q.ClosedAt = true, nil; return nil }))
		}
		if left == 0 {
			t.Fatal("nobody runs the school")
		}
	}
}
