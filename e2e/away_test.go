package e2e

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"testing"
	"time"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/e2e/house"
	"readymargin/school"
	"readymargin/school/assign"
)

// While the database is away a page says that nothing is lost and comes back
// by itself; a copy that this device has kept opens, is worked on, and what was
// done is saved when the database is back.
func TestTheDatabaseAway(t *testing.T) {
	ctx := context.Background()
	p, id := desk(t, "Away", 1280, 800)
	sc := visit{t, signedIn(t, "away.student")}
	copyAt := fmt.Sprintf("/copies/%d", id)
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	steps(t, func() error { return p.Click(`.place [aria-label="Pen"]`) }, func() error { return stroke(p, 1, 0) },
		is("it is kept on this device", `(await caches.match(`+fmt.Sprintf("%q", copyAt)+`))`))
	before := len(kept(t, p, id))
	q := tab(t, 820, 1180)
	steps(t, func() error { return q.SignIn("away.classmate", scenePassword) })
	home.DB.Kill()
	back := sync.OnceFunc(func() {
		if err := home.DB.Restart(ctx); err != nil {
			t.Fatal(err)
		}
	})
	defer back()
	for _, path := range []string{"/to-do", "/account", copyAt, "/courses"} {
		status, page := sc.get(path)
		if status != http.StatusServiceUnavailable || !strings.Contains(page, "Nothing that was saved is lost") || !strings.Contains(page, "<h1") {
			t.Errorf("%s while the database is away: %d %.200s", path, status, page)
		}
	}
	if status := sc.try("/courses", url.Values{"name": {"x"}}); status != http.StatusServiceUnavailable {
		t.Errorf("a form while the database is away: %d", status)
	}
	steps(t, func() error { return p.Go(copyAt) }, p.Ready,
		func() error { return p.Click(`.place [aria-label="Pen"]`) }, func() error { return stroke(p, 1, 3) },
		is("it is on this device only", `document.querySelector("[data-saved]").dataset.state === "waiting"`))
	steps(t, func() error { return q.Go("/to-do") }, func() error {
		return q.Until("it is said", `document.body.innerText.includes("Nothing that was saved is lost")`)
	})
	back()
	steps(t, func() error {
		return q.Until("the page comes back by itself", `document.querySelector("main h1")?.innerText.includes("to do")`)
	})
	if n := len(kept(t, p, id)); n != before+1 {
		t.Errorf("%d marks are saved, want %d", n, before+1)
	}
}

// A picture that is damaged in the store is made anew.
func TestADamagedPictureIsMadeAnew(t *testing.T) {
	ctx := context.Background()
	sc := setSceneNamed(t, "Damaged")
	path := fmt.Sprintf("/sheets/%d/pages/1/100", sc.given.Handouts[0].RevisionID)
	code, before := sc.page(t, "student", path)
	if code != http.StatusOK {
		t.Fatal(code)
	}
	r, err := home.Store.Revision(ctx, sc.given.Handouts[0].RevisionID)
	if err != nil {
		t.Fatal(err)
	}
	hash, _, err := home.Store.Picture(ctx, r.FileHash, 1, 100, false)
	if err != nil {
		t.Fatal(err)
	}
	db, err := home.Store.DB()
	if err != nil {
		t.Fatal(err)
	}
	for _, harm := range []string{"UPDATE blob_chunks SET data = 'rubbish' WHERE hash = ?", "DELETE FROM blob_chunks WHERE hash = ?", "DELETE FROM blobs WHERE hash = ?"} {
		if _, err := db.Exec(harm, hash); err != nil {
			t.Fatal(err)
		}
		home.ForgetBlobs()
		if code, after := sc.page(t, "student", path); code != http.StatusOK || after != before {
			t.Errorf("after %s: %d, %d bytes of %d", harm, code, len(after), len(before))
		}
	}
}

// Two teachers who change a course or an assignment in the same moment: no
// change is lost, or it is said.
func TestTwoTeachersAtOnce(t *testing.T) {
	t.Parallel()
	ctx, s := context.Background(), home.School
	sc := setSceneNamed(t, "Atonce")
	teacher := account(t, "atonce.teacher")
	for i := range 20 {
		vet, minutes := i%2 == 0, 1+i%14
		var all sync.WaitGroup
		for _, do := range []func() error{
			func() error { return s.Courses.SetVet(ctx, teacher, sc.course.ID, vet) },
			func() error { _, err := s.Courses.SetVoice(ctx, teacher, sc.course.ID, minutes); return err },
			func() error {
				_, err := s.Assignments.SetAudience(ctx, teacher, sc.given.ID, access.Audience{People: []uint64{account(t, "atonce.student").ID}})
				return err
			},
			func() error { _, err := s.Assignments.CloseNow(ctx, teacher, sc.given.ID); return err },
		} {
			all.Go(func() {
				if err := do(); err != nil {
					t.Error(err)
				}
			})
		}
		all.Wait()
		c, err1 := home.Store.CourseFor(ctx, sc.course.ID, 0)
		a, err2 := home.Store.Assignment(ctx, sc.given.ID)
		if err := errors.Join(err1, err2); err != nil {
			t.Fatal(err)
		}
		if c.Vet != vet || c.VoiceMinutes() != minutes || a.Audience.Everybody() || a.ClosesAt == nil {
			t.Fatalf("try %d: vet %v of %v, %d of %d minutes, for %v, closes %v", i, c.Vet, vet, c.VoiceMinutes(), minutes, a.Audience, a.ClosesAt)
		}
		_, err1 = s.Assignments.SetAudience(ctx, teacher, sc.given.ID, access.Audience{})
		_, err2 = s.Assignments.Reopen(ctx, teacher, sc.given.ID)
		if err := errors.Join(err1, err2); err != nil {
			t.Fatal(err)
		}
	}
	a, err := home.Store.Assignment(ctx, sc.given.ID)
	if err != nil {
		t.Fatal(err)
	}
	terms := assign.TermsOf(a, sc.course.Location())
	terms.Title = "Mine"
	if _, err := s.Assignments.ChangeTerms(ctx, teacher, a.ID, a.Version, terms); err != nil {
		t.Error(err)
	}
	terms.Title = "Of the same version"
	if _, err := s.Assignments.ChangeTerms(ctx, teacher, a.ID, a.Version, terms); !errors.Is(err, school.ErrStale) {
		t.Errorf("a form that somebody else was quicker than: %v", err)
	}
}

// What cannot be is refused: titles of two lines, the year 1, voices that do
// not last, settings that are none, layers of no name; and a copy that was
// written on is never "not started".
func TestWhatCannotBeIsRefused(t *testing.T) {
	t.Parallel()
	ctx, s := context.Background(), home.School
	sc := setSceneNamed(t, "Cannot")
	teacher, student := account(t, "cannot.teacher"), account(t, "cannot.student")
	id := sc.copies[flow.Submitted].ID
	give := func(terms assign.Terms) error {
		_, err := s.Assignments.Assign(ctx, teacher, assign.NewAssignment{Course: sc.course.ID, Worksheet: sc.sheet.ID, Terms: terms})
		return err
	}
	voice := func(ms int, peaks ...int) error {
		note := mark.Mark{ID: "note-voice", Page: 1, Body: &mark.Note{At: [2]float64{5, 5}, Voice: &mark.Voice{Sound: strings.Repeat("0", 64), Milliseconds: ms, Peaks: peaks}}}
		_, err := s.Saving.Save(ctx, teacher, id, submission.Feedback(1), []submission.Op{{ID: "voice-op-1", On: note.ID, Mark: &note}})
		return err
	}
	for name, err := range map[string]error{
		"a title that turns round":   give(assign.Terms{Title: "a\u202eb"}),
		"a title of control signs":   give(assign.Terms{Title: "a\x00b"}),
		"due in the year 1":          give(assign.Terms{Title: "x", Due: "0001-01-01T10:00"}),
		"due in the year 9999":       give(assign.Terms{Title: "x", Due: "9999-01-01T10:00"}),
		"a voice of no length":       voice(0),
		"a voice of an hour":         voice(3_600_000),
		"peaks over full scale":      voice(1000, 101),
		"settings that are a list":   s.Accounts.SaveSettings(ctx, student, `[1]`),
		"settings that are a number": s.Accounts.SaveSettings(ctx, student, `7`),
		"settings that are null":     s.Accounts.SaveSettings(ctx, student, `null`),
		"a layer of another spelling": func() error {
			_, err := s.Saving.Save(ctx, teacher, id, "feedback.01", []submission.Op{house.Written("x", "x")})
			return err
		}(),
	} {
		if err == nil {
			t.Errorf("%s was taken", name)
		}
	}
	if err := s.Shelf.Rename(ctx, teacher, sc.sheet.ID, "two\nlines"); err != nil {
		t.Error(err)
	}
	if w, err := home.Store.Worksheet(ctx, sc.sheet.ID); err != nil || w.Title != "two lines" {
		t.Errorf("the title %q (%v)", w.Title, err)
	}
	c := sc.copies[flow.NotStarted]
	if _, err := s.Assignments.CloseNow(ctx, teacher, c.AssignmentID); err != nil {
		t.Fatal(err)
	}
	time.Sleep(time.Second) // closing is by the minute
	if _, err := s.Saving.Save(ctx, student, c.ID, submission.Work, []submission.Op{house.Written("late-work", "done without a line")}); err != nil {
		t.Fatal(err)
	}
	now, err := home.Store.CopyInCourse(ctx, c.ID, student.ID)
	if err != nil || now.State != flow.InProgress || now.StartedAt == nil || now.Waiting != 1 {
		t.Errorf("written on when it was closed: %s, begun %v, %d waiting (%v)", now.State, now.StartedAt, now.Waiting, err)
	}
}
