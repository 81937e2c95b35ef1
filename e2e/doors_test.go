package e2e

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/demo"
	"readymargin/e2e/house"
	"readymargin/school/assign"
)

// A school comes in with its sign-in cards in one second, from one address: everybody
// is signed in as who they are.
func TestThreeHundredCardsInOneSecond(t *testing.T) {
	ctx, s := context.Background(), home.School
	sheet, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	c, err := home.Crowd(ctx, "Carded", 300, sheet)
	if err != nil {
		t.Fatal(err)
	}
	cards, all := make([]string, 300), make([]visit, 300)
	for i, seat := range c.Seats {
		if _, cards[i], err = s.Accounts.NewCard(ctx, c.Teacher, c.Course.ID, seat.Person.ID); err != nil {
			t.Fatal(err)
		}
		all[i] = at(t, "127.0.0.41")
	}
	if got := together(300, func(i int) int { return all[i].try("/slip", url.Values{"code": {cards[i]}}) }); got[http.StatusSeeOther] != 300 {
		t.Fatalf("300 cards: %v", got)
	}
	for i := 0; i < 300; i += 37 {
		if _, page := all[i].get("/account"); !strings.Contains(page, fmt.Sprintf("Carded Student %d<", i)) && !strings.Contains(page, fmt.Sprintf(`value="Carded Student %d"`, i)) && !strings.Contains(page, c.Seats[i].Person.Login) {
			t.Errorf("card %d signs in somebody else", i)
		}
	}
}

// essays gives pages of one's own to a crowd and returns a copy for each of its seats.
func essays(t *testing.T, c house.Crowd) (out []uint64) {
	t.Helper()
	ctx, s := context.Background(), home.School
	a, err := s.Assignments.Assign(ctx, c.Teacher, assign.NewAssignment{Course: c.Course.ID, Terms: assign.Terms{Title: "An essay", Points: "8", Mode: flow.OwnPages}})
	if err != nil {
		t.Fatal(err)
	}
	for _, seat := range c.Seats {
		mine, err := s.Saving.OpenOwn(ctx, seat.Person, a.ID)
		if err != nil {
			t.Fatal(err)
		}
		out = append(out, mine.ID)
	}
	return out
}

// asked sends a request of somebody with a session; 0 is no answer.
func asked(ctx context.Context, session, method, path, kind string, body []byte) (int, []byte) {
	req, err := http.NewRequestWithContext(ctx, method, home.Base+path, bytes.NewReader(body))
	if err != nil {
		return 0, nil
	}
	req.AddCookie(&http.Cookie{Name: house.Cookie, Value: session})
	req.Header.Set("Content-Type", kind)
	req.Header.Set("Accept", "application/json")
	req.Header.Set("Sec-Fetch-Site", "same-origin")
	res, err := http.DefaultTransport.RoundTrip(req)
	if err != nil {
		return 0, nil
	}
	defer res.Body.Close()
	b, err := io.ReadAll(res.Body)
	if err != nil {
		return 0, b
	}
	return res.StatusCode, b
}

const formKind = "application/x-www-form-urlencoded"

// A class brings its essays in the same second, each of them twice, from two devices,
// and the teacher shares, puts away and takes away all the while. Every copy has its
// pages, once, and no shelf has any.
func TestAClassBringsItsPagesAtOnce(t *testing.T) {
	const class = 120
	ctx, s := context.Background(), home.School
	sheet, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	c, err := home.Crowd(ctx, "Essayists", class, sheet)
	if err != nil {
		t.Fatal(err)
	}
	copies := essays(t, c)
	body, kind, err := house.FileForm("essay.pdf", sheet)
	if err != nil {
		t.Fatal(err)
	}
	teacher, err := home.SignIn(ctx, c.Teacher.ID)
	if err != nil {
		t.Fatal(err)
	}
	w := c.Assignment.Handouts[0].WorksheetID
	doors := []struct{ method, path, body string }{
		{"POST", fmt.Sprintf("/worksheets/%d/manage", w), "do=away"},
		{"POST", fmt.Sprintf("/worksheets/%d/manage", w), "do=back"},
		{"POST", fmt.Sprintf("/worksheets/%d/manage", w), fmt.Sprintf("do=share&with=%d", c.Course.ID)},
		{"POST", fmt.Sprintf("/worksheets/%d/manage", w), "do=folder&folder=Tides"},
		{"GET", fmt.Sprintf("/worksheets/%d/weight", w), ""},
		{"GET", fmt.Sprintf("/courses/%d/everything.zip", c.Course.ID), ""},
	}
	got := together(2*class+60, func(i int) int {
		if i < 2*class {
			status, _ := asked(ctx, c.Seats[i/2].Session, "POST", fmt.Sprintf("/copies/%d/bring", copies[i/2]), kind, body)
			return status
		}
		d := doors[i%len(doors)]
		if i >= 2*class+12 && d.method == "GET" {
			d = doors[0] // it is taken away a few times
		}
		status, _ := asked(ctx, teacher, d.method, d.path, formKind, []byte(d.body))
		return status
	})
	for status, n := range got {
		if status == 0 || status >= 400 {
			t.Errorf("%d answers are %d", n, status)
		}
	}
	for i, id := range copies {
		mine, err := home.Store.CopyInCourse(ctx, id, c.Seats[i].Person.ID)
		if err != nil || mine.State != flow.InProgress || mine.Revision.PageCount != 2 {
			t.Errorf("copy %d is %s with %d pages (%v)", i, mine.State, mine.Revision.PageCount, err)
		}
	}
	shelvedNowhere(t, c)
	if shares, err := s.Shelf.Shares(ctx, c.Teacher, w); err != nil || len(shares) != 1 {
		t.Errorf("it is shared %d times (%v)", len(shares), err)
	}
}

// shelvedNowhere checks that of a crowd's essays just those are there that a copy has.
func shelvedNowhere(t *testing.T, c house.Crowd) {
	t.Helper()
	ctx := context.Background()
	db, err := home.Store.DB()
	if err != nil {
		t.Fatal(err)
	}
	if _, err := home.Store.Sweep(ctx, time.Now()); err != nil {
		t.Fatal(err)
	}
	for _, seat := range c.Seats {
		if all, err := home.Store.WorksheetsOf(ctx, seat.Person.ID, nil); err != nil || len(all) != 0 {
			t.Errorf("%d worksheets lie on a student's shelf (%v)", len(all), err)
		}
	}
	var loose int
	if err := db.QueryRowContext(ctx, `SELECT COUNT(*) FROM worksheets w JOIN memberships m ON m.person_id = w.owner_id AND m.role = 'student' AND m.course_id = ?
		WHERE w.deleted_at <= UTC_TIMESTAMP(6) AND NOT EXISTS (SELECT 1 FROM copies JOIN revisions r ON r.id = copies.revision_id WHERE r.worksheet_id = w.id)`, c.Course.ID).Scan(&loose); err != nil || loose != 0 {
		t.Errorf("%d essays are there that no copy has (%v)", loose, err)
	}
}

// The line, the process and the database go in the middle of what is brought, copied
// and taken away. What is there afterwards is whole or as it was before, a file that
// was broken off is not taken for a whole one, and everything goes when tried again.
func TestNewDoorsWhenTheHouseGoes(t *testing.T) {
	ctx := context.Background()
	sheet, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	c, err := home.Crowd(ctx, "Broken", 12, sheet)
	if err != nil {
		t.Fatal(err)
	}
	copies := essays(t, c)
	client := &http.Client{}
	for _, seat := range c.Seats {
		if _, err := seat.Submit(client, "", 1e6); err != nil {
			t.Fatal(err)
		}
	}
	body, kind, err := house.FileForm("essay.pdf", sheet)
	if err != nil {
		t.Fatal(err)
	}
	teacher, err := home.SignIn(ctx, c.Teacher.ID)
	if err != nil {
		t.Fatal(err)
	}
	all, again := fmt.Sprintf("/courses/%d/everything.zip", c.Course.ID), fmt.Sprintf("/courses/%d/again", c.Course.ID)
	whole := func(b []byte) bool {
		z, err := zip.NewReader(bytes.NewReader(b), int64(len(b)))
		n := 0
		if err == nil {
			for _, f := range z.File {
				if strings.HasSuffix(f.Name, ".pdf") {
					n++
				}
			}
		}
		return n == len(c.Seats)
	}
	server := func() error { home.KillServer(); return home.Serve() }
	database := func() error { home.DB.Kill(); return home.DB.Restart(ctx) }
	bring := func(ctx context.Context, i int) int {
		status, _ := asked(ctx, c.Seats[i].Session, "POST", fmt.Sprintf("/copies/%d/bring", copies[i]), kind, body)
		return status
	}
	courses := func() (n int) {
		mine, err := home.Store.CoursesOf(ctx, c.Teacher.ID)
		if err != nil {
			t.Fatal(err)
		}
		for _, k := range mine {
			given, err := home.Store.AssignmentsOf(ctx, k.Course.ID)
			if err != nil || k.Role != access.Teacher || len(given) != 2 {
				t.Errorf("course %q has %d assignments (%v)", k.Name, len(given), err)
			}
			n++
		}
		return n
	}
	next := 0
	for _, gone := range []struct {
		what string
		goes func() error
	}{{"the server", server}, {"the database", database}} {
		// A file that is broken off: its reader learns of it.
		req, err := http.NewRequestWithContext(ctx, "GET", home.Base+all, nil)
		if err != nil {
			t.Fatal(err)
		}
		req.AddCookie(&http.Cookie{Name: house.Cookie, Value: teacher})
		res, err := http.DefaultTransport.RoundTrip(req)
		if err != nil {
			t.Fatal(err)
		}
		begun := make([]byte, 2000)
		if _, err := io.ReadFull(res.Body, begun); err != nil {
			t.Fatal(err)
		}
		if err := gone.goes(); err != nil {
			t.Fatal(err)
		}
		rest, err := io.ReadAll(res.Body)
		res.Body.Close()
		if file := append(begun, rest...); err == nil && !whole(file) {
			t.Errorf("%s went, and %d bytes came as if they were all", gone.what, len(file))
		}
		if status, b := asked(ctx, teacher, "GET", all, formKind, nil); status != http.StatusOK || !whole(b) {
			t.Errorf("after %s was gone: %d, whole: %v", gone.what, status, whole(b))
		}
		// What is brought, at several moments of it; the course used again.
		for _, after := range []time.Duration{10, 30, 60} {
			i := next
			next++
			var status atomic.Int64
			done := make(chan bool)
			go func() { status.Store(int64(bring(ctx, i))); close(done) }()
			before := courses()
			used := make(chan bool)
			go func() {
				asked(ctx, teacher, "POST", again, formKind, []byte(url.Values{"name": {fmt.Sprint("Next year ", i)}}.Encode()))
				close(used)
			}()
			time.Sleep(after * time.Millisecond)
			if err := gone.goes(); err != nil {
				t.Fatal(err)
			}
			<-done
			<-used
			if n := courses(); n != before && n != before+1 {
				t.Errorf("%s went: %d courses, were %d", gone.what, n, before)
			}
			mine, err := home.Store.CopyInCourse(ctx, copies[i], c.Seats[i].Person.ID)
			if laid := mine.State == flow.InProgress && mine.Revision.PageCount == 2; err != nil || !laid && (mine.State != flow.NotStarted || status.Load() < 300 && status.Load() > 0) {
				t.Errorf("%s went after %d ms: answered %d, the copy is %s with %d pages (%v)", gone.what, after, status.Load(), mine.State, mine.Revision.PageCount, err)
			}
			if status := bring(ctx, i); status >= 300 || status == 0 {
				t.Errorf("brought again after %s was gone: %d", gone.what, status)
			}
		}
	}
	// The line goes while a file comes in.
	short, cancel := context.WithTimeout(ctx, 30*time.Millisecond)
	defer cancel()
	bring(short, next)
	if status := bring(ctx, next); status >= 300 || status == 0 {
		t.Errorf("brought again after the line was gone: %d", status)
	}
	shelvedNowhere(t, c)
}

// A worksheet that nobody had yet is given out eight times in the same moment: all of
// them get the same one.
func TestTheSameSheetIsGivenOutAtOnce(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Handedout")
	ctx, s, teacher := context.Background(), home.School, personOf(t, "handedout.teacher")
	w, err := s.Shelf.Duplicate(ctx, teacher, sc.sheet.ID)
	if err != nil {
		t.Fatal(err)
	}
	var revisions [8]uint64
	got := together(len(revisions), func(i int) int {
		a, err := s.Assignments.Assign(ctx, teacher, assign.NewAssignment{Course: sc.course.ID, Worksheet: w.ID, Anyway: true, Terms: assign.Terms{Title: fmt.Sprint("At once ", i)}})
		if err != nil {
			t.Error(err)
			return 0
		}
		revisions[i] = a.Handouts[0].RevisionID
		return 1
	})
	for _, r := range revisions {
		if r != revisions[0] {
			t.Errorf("%v: the revisions are %v", got, revisions)
		}
	}
}
