package main

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"readymargin/core/document"
	"readymargin/demo"
	"readymargin/school"
	"readymargin/school/services"
	"readymargin/school/takeaway"
	"readymargin/store"
	"readymargin/store/mariadb"
)

// A courseOf is what a course is to those who open it: all copies as data, attempts
// with their fingerprints, points, how they look.
func courseOf(ctx context.Context, t *testing.T, s *services.All, st *store.Store, id uint64) map[string]string {
	t.Helper()
	out := map[string]string{}
	must := func(what string, err error) {
		t.Helper()
		if err != nil {
			t.Fatalf("%s: %v", what, err)
		}
	}
	c, err := st.CourseFor(ctx, id, 1)
	must("course", err)
	out["course"] = fmt.Sprint(c.Name, c.Zone, c.VoiceSeconds, c.Vet, c.Lessons, c.Weights, c.Counts, c.PointStep, c.CreatedAt)
	members, err := st.Members(ctx, id)
	must("members", err)
	of := map[uint64]school.Member{}
	var teacher school.Person
	for _, m := range members {
		of[m.PersonID] = m
		out["member "+m.Login] = fmt.Sprint(m.Name, m.Given, m.Family, m.Role, m.Section)
		if m.Role == "teacher" && m.Login == "mr.okonjo-bell" {
			teacher, err = st.Person(ctx, m.PersonID)
			must("teacher", err)
		}
	}
	book, err := s.Books.Book(ctx, teacher, id)
	must("mark book", err)
	csv, err := book.CSV()
	must("mark book", err)
	out["points"] = string(csv)
	explained, err := st.CourseWords(ctx, id)
	must("words", err)
	for _, w := range explained {
		out["word "+w.Word] = w.Means
	}
	given, err := st.AssignmentsOf(ctx, id)
	must("assignments", err)
	for _, a := range given {
		out["assignment "+a.Title] = fmt.Sprint(a.Points, a.Instructions, a.DueAt, a.OpensAt, a.ClosesAt, a.Mode, a.Audience.Sections, len(a.Audience.People))
		for _, p := range a.Audience.People {
			out["for "+a.Title+of[p].Login] = "yes"
		}
		copies, attempts, err := st.HandedIn(ctx, a.ID)
		must("attempts", err)
		logins := map[uint64]string{}
		for _, k := range copies {
			logins[k.ID] = of[k.StudentID].Login
		}
		for _, n := range attempts {
			what := fmt.Sprintf("%s, %s, %d", a.Title, logins[n.CopyID], n.Number)
			out[what+": fingerprint"] = n.SnapshotHash
			f, err := s.Exports.TakeCopy(ctx, teacher, n.CopyID, takeaway.Choice{Form: takeaway.Data, Attempt: n.Number})
			must(what, err)
			data, err := io.ReadAll(f)
			must(what, err)
			out[what] = string(data)
			f.Close()
			if f, err = s.Exports.TakeCopy(ctx, teacher, n.CopyID, takeaway.Choice{Form: takeaway.Pictures, Attempt: n.Number, Pages: "1", Anyway: true}); err != nil {
				t.Fatalf("%s: %v", what, err)
			}
			out[what+": its first page"] = f.Hash
			f.Close()
		}
	}
	return out
}

// A course that is archived and brought in again is the same to those who open it, down
// to the fingerprints: in another school, and in its own once it was deleted there. It
// comes in once, and as a whole or not at all.
func TestACourseComesBack(t *testing.T) {
	ctx := context.Background()
	server, err := mariadb.Start(ctx, t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer server.Stop()
	o := options{limits: document.DefaultLimits}
	aSchool := func(name string) (*services.All, *store.Store) {
		t.Helper()
		o.cache = t.TempDir()
		if o.dsn, err = server.Database(ctx, name); err != nil {
			t.Fatal(err)
		}
		st, err := store.Open(store.Config{DSN: o.dsn})
		if err == nil {
			err = st.Migrate(ctx)
		}
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { st.Close() })
		programs, err := o.programs()
		if err != nil {
			t.Fatal(err)
		}
		return services.New(st, aPress(t), programs), st
	}
	press := aPress(t)
	s, st := aSchool("here")
	here := o.dsn
	if err := demo.Fill(ctx, s, press); err != nil {
		t.Fatal(err)
	}
	want := courseOf(ctx, t, s, st, 1)
	if len(want) < 60 {
		t.Fatalf("the demo's course says only %d things", len(want))
	}
	same := func(where string, got map[string]string) {
		t.Helper()
		for k, v := range want {
			if got[k] != v {
				t.Errorf("%s: %s is\n%.300s\nand was\n%.300s", where, k, got[k], v)
			}
		}
		if len(got) != len(want) {
			t.Errorf("%s: %d things, want %d", where, len(got), len(want))
		}
	}
	file := filepath.Join(t.TempDir(), "course.zip")
	if err := course(ctx, []string{"archive", "1", file, "-dsn", here}); err != nil {
		t.Fatal(err)
	}
	if data, err := os.ReadFile(file); err != nil || bytes.Contains(data, []byte("$argon2")) || bytes.Contains(unzipped(t, data, "people.jsonl"), []byte("password")) {
		t.Errorf("passwords go along: %v", err)
	}

	verbs(ctx, t, here)

	other, there := aSchool("there")
	elsewhere := o.dsn
	taken := school.Person{Name: "Ines Varga of another school", Login: "ines.varga", Settings: "{}", CreatedAt: s.Now()}
	if err := there.AddPerson(ctx, &taken); err != nil {
		t.Fatal(err)
	}
	if err := course(ctx, []string{"bring-in", file, "-dsn", elsewhere}); err != nil {
		t.Fatal(err)
	}
	got := courseOf(ctx, t, other, there, 1)
	for k, v := range got { // somebody else was called so
		if was := strings.ReplaceAll(k, "ines.varga.2", "ines.varga"); was != k {
			delete(got, k)
			got[was] = v
		}
	}
	got["points"] = strings.ReplaceAll(got["points"], "ines.varga.2", "ines.varga")
	same("another school", got)
	if err := course(ctx, []string{"bring-in", file, "-dsn", elsewhere}); err == nil || !strings.Contains(err.Error(), "here already, as number 1") {
		t.Errorf("the same file again: %v", err)
	}

	if err := st.DeleteCourse(ctx, 1); err != nil {
		t.Fatal(err)
	}
	shelf, err := st.WorksheetsOf(ctx, 1, nil)
	if err != nil {
		t.Fatal(err)
	}
	if err := course(ctx, []string{"bring-in", file, "-dsn", here}); err != nil {
		t.Fatal(err)
	}
	same("its own school", courseOf(ctx, t, s, st, 2))
	if now, err := st.WorksheetsOf(ctx, 1, nil); err != nil || len(now) != len(shelf) {
		t.Errorf("the shelf has %d worksheets, and had %d: %v", len(now), len(shelf), err)
	}

	data, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	for name, broken := range map[string][]byte{
		"cut off":             data[:len(data)/2],
		"no ZIP":              []byte("a course"),
		"no archive":          rezipped(t, data, "course.json", nil),
		"of a newer program":  rezipped(t, data, "course.json", []byte(`{"format":"ready-margin-course","schema":9999}`)),
		"rows are missing":    rezipped(t, data, "ops.jsonl", []byte("")),
		"a row is none":       rezipped(t, data, "copies.jsonl", []byte("copy\n")),
		"names what is not":   rezipped(t, data, "memberships.jsonl", []byte(strings.Repeat(`{"course_id":"77","person_id":"1","role":"teacher","section":"","seen":"1","joined_at":"2026-01-01"}`+"\n", 16))),
		"a column that is no": rezipped(t, data, "memberships.jsonl", []byte(strings.Repeat(`{"role) VALUES (1); --":"1"}`+"\n", 16))),
		"a file was changed":  rezipped(t, data, "files/"+want["Tide heights 2, ines.varga, 1: fingerprint"], []byte("{}")),
	} {
		bad := filepath.Join(t.TempDir(), "bad.zip")
		if err := os.WriteFile(bad, broken, 0o600); err != nil {
			t.Fatal(err)
		}
		if err := course(ctx, []string{"bring-in", bad, "-again", "-dsn", elsewhere}); err == nil || !strings.Contains(err.Error(), "nothing was brought in") {
			t.Errorf("%s: %v", name, err)
		}
	}
	// Ended in the middle, it is as if it had not begun.
	ended, end := context.WithCancel(ctx)
	_, err = there.ReadCourse(ended, bytes.NewReader(data), int64(len(data)), true, func(what string, _ int) {
		if what == "ops" {
			end()
		}
	})
	if err == nil {
		t.Error("it went on after it was ended")
	}
	if _, err := there.CourseFor(ctx, 2, 1); err == nil {
		t.Error("a damaged archive left a course")
	}
}

// verbs takes files out of a school and brings them in again: what cannot be done leaves
// no file, and what was left out is told by the way it ends.
func verbs(ctx context.Context, t *testing.T, dsn string) {
	t.Helper()
	dir := t.TempDir()
	at := func(name string) string { return filepath.Join(dir, name) }
	end := []string{"-dsn", dsn, "-cache", filepath.Join("..", "..", "var", "test")}
	for _, c := range []struct {
		verb func(context.Context, []string) error
		args []string
		want error
		file string
		head string
	}{
		{export, []string{"copy", "22", at("copy.pdf"), "-as", "movable"}, nil, at("copy.pdf"), "%PDF-"},
		{export, []string{"copy", "22", at("copy.pdf")}, errAny, "", ""}, // it is there
		{export, []string{"copy", "22", at("copy.xfdf"), "-as", "marks", "-for", "mateus.ribeiro"}, nil, at("copy.xfdf"), "<?xml"},
		{export, []string{"copy", "22", at("not.pdf"), "-for", "ines.varga"}, errAny, at("not.pdf"), ""},
		{export, []string{"copy", "99999", at("none.pdf")}, errAny, at("none.pdf"), ""},
		{export, []string{"assignment", "2", at("class.zip"), "-as", "movable"}, nil, at("class.zip"), "PK"},
		{export, []string{"assignment", "2", at("film.zip"), "-as", "film"}, errAny, at("film.zip"), ""},
		{bringIn, []string{"marked", "2", at("class.zip")}, nil, "", ""}, // nothing is new
		{bringIn, []string{"marked", "2", at("class.zip"), at("bad.pdf")}, errPartly, "", ""},
		{bringIn, []string{"paper", "2", at("class.zip")}, errAny, "", ""},
		{bringIn, []string{"worksheet", at("copy.pdf"), at("bad.pdf"), "-for", "mr.okonjo-bell"}, errPartly, "", ""},
		{bringIn, []string{"worksheet", at("copy.pdf"), "-for", "nobody"}, errAny, "", ""},
	} {
		if err := os.WriteFile(at("bad.pdf"), []byte("no file"), 0o600); err != nil {
			t.Fatal(err)
		}
		err := c.verb(ctx, append(c.args, end...))
		if (err == nil) != (c.want == nil) || c.want == errPartly && !errors.Is(err, errPartly) {
			t.Errorf("%v: %v", c.args, err)
		}
		data, _ := os.ReadFile(c.file) // "" for none
		if c.head != "" && !bytes.HasPrefix(data, []byte(c.head)) || c.head == "" && len(data) > 0 {
			t.Errorf("%v left a file that begins %.20q", c.args, data)
		}
	}
}

var errAny = errors.New("any error")

// unzipped returns a file of a ZIP.
func unzipped(t *testing.T, data []byte, name string) []byte {
	t.Helper()
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		t.Fatal(err)
	}
	f, err := z.Open(name)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	out, err := io.ReadAll(f)
	if err != nil {
		t.Fatal(err)
	}
	return out
}

// rezipped returns a ZIP with a file replaced, or left out.
func rezipped(t *testing.T, data []byte, name string, with []byte) []byte {
	t.Helper()
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		t.Fatal(err)
	}
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	for _, f := range z.File {
		switch {
		case f.Name != name:
			err = w.Copy(f)
		case with != nil:
			var to io.Writer
			if to, err = w.Create(name); err == nil {
				_, err = to.Write(with)
			}
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}
