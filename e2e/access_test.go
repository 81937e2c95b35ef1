package e2e

import (
	"bufio"
	"bytes"
	"context"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/core/worksheet"
	"readymargin/demo"
	"readymargin/e2e/house"
	"readymargin/school"
	"readymargin/school/assign"
	"readymargin/school/enrol"
	"readymargin/school/feedback"
	"readymargin/school/intake"
	"readymargin/school/services"
	"readymargin/sound"
	"readymargin/web"
)

// scene is a course with a copy in every state, and people around it.
type scene struct {
	people  map[string]*http.Client // by kind; "nobody" is not signed in
	student uint64
	course  school.Course
	sheet   school.Worksheet
	given   school.Assignment
	copies  map[flow.State]school.Copy
	sound   map[flow.State]string
}

const scenePassword = "a-long-password"

// sceneHash is the hash of the password that the people of all scenes have:
// hashing takes its time on purpose.
var sceneHash = sync.OnceValues(func() (string, error) {
	p, err := home.School.Accounts.AddPerson(context.Background(), "Everybody's Password", scenePassword, false, false)
	return p.PasswordHash, err
})

func setScene(t *testing.T) *scene { return setSceneNamed(t, "Access") }

// scenes are the names that scenes have: their people's are made of them.
var scenes sync.Map

func setSceneNamed(t *testing.T, name string) *scene {
	t.Helper()
	if _, twice := scenes.LoadOrStore(strings.ToLower(name), true); twice {
		t.Fatalf("two scenes are called %s", name)
	}
	ctx, s := context.Background(), home.School
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	hash, err := sceneHash()
	must(err)
	person := func(name string, admin, staff bool) school.Person {
		p := school.Person{Name: name, Login: strings.ReplaceAll(strings.ToLower(name), " ", "."), PasswordHash: hash, Admin: admin, Staff: staff, Settings: "{}", CreatedAt: s.Now()}
		must(home.Store.AddPerson(ctx, &p))
		return p
	}
	sc := &scene{people: map[string]*http.Client{}, copies: map[flow.State]school.Copy{}, sound: map[flow.State]string{}}
	all := map[string]school.Person{
		"teacher": person(name+" Teacher", false, true), "other teacher": person(name+" Stranger", false, true), "student": person(name+" Student", false, false),
		"classmate": person(name+" Classmate", false, false), "outsider": person(name+" Outsider", false, false), "refused": person(name+" Refused", false, false), "assistant": person(name+" Assistant", false, false), "waiting": person(name+" Waiting", false, false), "admin": person(name+" Admin", true, true),
	}
	sc.course, err = s.Courses.MakeCourse(ctx, all["teacher"], "Access", "Europe/London")
	must(err)
	other, err := s.Courses.MakeCourse(ctx, all["other teacher"], "Elsewhere", "Europe/London")
	must(err)
	for kind, c := range map[string]school.Course{"student": sc.course, "classmate": sc.course, "refused": sc.course, "outsider": other} {
		_, err := s.Courses.Join(ctx, all[kind], c.JoinCode, enrol.Device{})
		must(err)
	}
	must(s.Roster.Admit(ctx, all["teacher"], sc.course.ID, all["refused"].ID, false))
	must(s.Roster.AddStaff(ctx, all["teacher"], sc.course.ID, all["assistant"].Login, access.Assistant))
	must(s.Courses.SetVet(ctx, all["teacher"], sc.course.ID, true))
	_, err = s.Courses.Join(ctx, all["waiting"], sc.course.JoinCode, enrol.Device{})
	must(err)
	must(s.Courses.SetVet(ctx, all["teacher"], sc.course.ID, false))
	pdf, err := demo.TideHeights()
	must(err)
	sc.sheet, err = s.Shelf.BringIn(ctx, all["teacher"], intake.Upload{Name: "access.pdf", Data: pdf})
	must(err)
	must(s.Shelf.Arrange(ctx, all["teacher"], sc.sheet.ID, 1, worksheet.Plan{{Page: 1, Use: worksheet.Sheet}, {Page: 2, Use: worksheet.Held}}, worksheet.Kit{}))
	for i, state := range flow.States {
		a, err := s.Assignments.Assign(ctx, all["teacher"], assign.NewAssignment{Course: sc.course.ID, Worksheet: sc.sheet.ID, Terms: assign.Terms{Points: "10", Title: fmt.Sprint("Access ", i)}})
		must(err)
		sc.given = a
		_, err = s.Saving.OpenOwn(ctx, all["classmate"], a.ID)
		must(err)
		c, err := s.Saving.OpenOwn(ctx, all["student"], a.ID)
		must(err)
		bring(t, s, all, c.ID, state)
		sc.copies[state] = c
	}
	sc.student = all["student"].ID
	at, err := url.Parse(home.Base)
	must(err)
	for kind, p := range all {
		token, err := home.SignIn(ctx, p.ID)
		must(err)
		sc.people[kind] = client(t)
		sc.people[kind].Jar.SetCookies(at, []*http.Cookie{{Name: house.Cookie, Value: token}})
	}
	sc.people["nobody"] = client(t)
	return sc
}

// bring takes a copy to a state by its people's own moves.
func bring(t *testing.T, s *services.All, all map[string]school.Person, id uint64, state flow.State) {
	t.Helper()
	ctx := context.Background()
	steps := map[flow.State]int{flow.NotStarted: 0, flow.InProgress: 1, flow.Submitted: 3, flow.Returned: 4, flow.Reworking: 5}[state]
	text := mark.Mark{ID: "mark-access", Page: 1, Body: &mark.FreeText{X: 10, Y: 20, Width: 50, Lines: []mark.TextLine{{Runs: []mark.Run{{Text: "secret work", Size: 14, Color: "#1e2a44"}}}}}}
	note := mark.Mark{ID: "note-access", Page: 1, Body: &mark.Note{At: [2]float64{50, 50}, Text: "secret feedback"}}
	moves := []func() error{
		func() error {
			_, err := s.Saving.Save(ctx, all["student"], id, submission.Work, []submission.Op{{ID: "access-0001", On: text.ID, Mark: &text}})
			return err
		},
		func() error { _, err := s.Submitting.Submit(ctx, all["student"], id, "", 1); return err },
		func() error {
			_, err := s.Saving.Save(ctx, all["teacher"], id, submission.Feedback(1), []submission.Op{{ID: "access-0002", On: note.ID, Mark: &note}})
			return err
		},
		func() error { return s.Marking.Return(ctx, all["teacher"], id, 1) },
		func() error { return s.Submitting.Improve(ctx, all["student"], id) },
	}
	for _, move := range moves[:steps] {
		if err := move(); err != nil {
			t.Fatal(err)
		}
	}
}

func client(t *testing.T) *http.Client {
	t.Helper()
	jar, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	return &http.Client{Jar: jar, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
}

// signedIn signs in as people do.
func signedIn(t *testing.T, login string) *http.Client {
	t.Helper()
	c := client(t)
	res, err := c.PostForm(home.Base+"/sign-in", url.Values{"login": {login}, "password": {scenePassword}})
	if err != nil {
		t.Fatal(err)
	}
	res.Body.Close()
	if res.StatusCode != http.StatusSeeOther {
		t.Fatalf("%s cannot sign in: %d", login, res.StatusCode)
	}
	return c
}

const (
	everybody     = "nobody outsider refused waiting classmate student assistant teacher other-teacher admin"
	signed        = "outsider refused waiting classmate student assistant teacher other-teacher admin"
	staff         = "teacher other-teacher admin"
	marks         = "assistant teacher"
	holdersOfCopy = "student assistant teacher"
	holders       = "classmate student assistant teacher" // of a sheet: who has a copy, and who marks them
)

// rights says for every route who gets in. Routes of a copy may say so by
// state; a state that is not named is for nobody.
var rights = map[string]any{
	"GET /": everybody, "GET /sign-in": everybody, "POST /sign-in": everybody, "POST /sign-out": everybody,
	"GET /account": signed, "POST /account/password": signed, "POST /account/devices": signed, "POST /account/name": staff, "POST /account/hand": signed, "POST /account/mail": signed, "GET /mail/confirm": everybody, "POST /mail/confirm": everybody, "GET /mail/leave/:token": everybody, "POST /mail/leave/:token": everybody, "GET /account/everything.zip": signed, "GET /school": "admin", "POST /school/courses/:id": "admin", "GET /school/people": "admin", "GET /school/people/:person": "admin", "POST /school/people/:person": "admin",
	"GET /join": everybody, "POST /join": everybody, "GET /slip": everybody, "POST /slip": everybody,
	"POST /invitations": "admin", "GET /directory": "admin", "POST /directory": "admin", "POST /directory/add": "admin", "POST /calendar": signed, "GET /calendar/:token": "", // whoever has the address
	"GET /to-do": signed, "GET /courses": signed, "POST /courses": staff,
	"GET /courses/:id": marks + " student classmate", "GET /courses/:id/words": marks + " student classmate", "POST /courses/:id/words": "teacher", "POST /courses/:id/words/named": "student classmate", "GET /courses/:id/end": "teacher", "POST /courses/:id/end": "teacher", "POST /courses/:id/again": "teacher", "GET /courses/:id/everything.zip": "teacher", "POST /courses/:id/code": "teacher", "POST /courses/:id/name": "teacher", "POST /courses/:id/marking": "teacher", "GET /courses/:id/remarks": marks, "POST /courses/:id/remarks": marks, "POST /courses/:id/remarks/:remark": "", "GET /courses/:id/own": "student classmate", "GET /courses/:id/own/copies": "student classmate", "GET /courses/:id/book": marks, "GET /courses/:id/book/points.csv": marks, "GET /courses/:id/book/points.xlsx": marks, "POST /courses/:id/book/weights": "teacher", "POST /courses/:id/book/excused": marks, "POST /courses/:id/book/read": marks, "POST /courses/:id/book/take": marks, "POST /courses/:id/vet": "teacher", "POST /courses/:id/lessons": "teacher", "POST /courses/:id/staff": "teacher", "POST /courses/:id/welcome": "teacher", "POST /courses/:id/leave": "", "POST /courses/:id/lines": "teacher", "POST /courses/:id/mail": "teacher", "POST /lines/:id/seen": "", "POST /lines/:id/drop": "", "GET /lines/:id/sound": "",
	"GET /courses/:id/people/:person": "teacher", "POST /courses/:id/voice": "teacher",
	"GET /courses/:id/list": "teacher", "POST /courses/:id/list": "teacher", "POST /courses/:id/list/add": "teacher",
	"POST /courses/:id/people/:person": "teacher", "POST /courses/:id/people/:person/slip": "teacher",
	"GET /copies/:id/watch": "", "GET /copies/:id/watching": "", "GET /copies/:id/asked": "", "GET /copies/:id/aloud": map[flow.State]string{flow.Returned: "student", flow.Reworking: "student"}, "POST /copies/:id/heard": "", "POST /copies/:id/sounds/:hash/words": "", "POST /copies/:id/hearings/:name": "", "POST /copies/:id/hearings/:name/words": "", "GET /copies/:id/hearings/:token": "", "GET /copies/:id/colleagues": marks, // where the course lets them, which has a test of its own
	"GET /rubrics": staff, "POST /rubrics": staff, "POST /rubrics/:id/drop": "",
	"GET /worksheets": staff, "POST /worksheets": staff, "GET /worksheets/:id": "teacher",
	"POST /worksheets/:id/plan": "teacher", "POST /worksheets/:id/pages": "teacher", "POST /worksheets/:id/title": "teacher", "POST /worksheets/:id/copy": "teacher", "POST /worksheets/:id/manage": "teacher", "GET /worksheets/:id/sharing": "teacher", "GET /worksheets/:id/write": "teacher", "POST /worksheets/:id/written": "teacher", "POST /worksheets/:id/reissue": "teacher",
	"GET /worksheets/:id/found": "teacher", "GET /worksheets/:id/sources/:source/print/:n/:turn": "teacher", "POST /worksheets/:id/turned": "teacher", "POST /worksheets/:id/words": "teacher", "GET /worksheets/:id/words/:n": "teacher",
	"POST /worksheets/:id/spoken": "teacher", "POST /worksheets/:id/shelf": "teacher", "GET /worksheets/:id/extras/:hash": "",
	"GET /worksheets/:id/try": "teacher", "GET /worksheets/:id/weight": "teacher", "GET /worksheets/:id/assign": "teacher", "GET /worksheets/:id/sources/:source/pages/:n/:scale": "teacher",
	"GET /sheets/:id/pages/:n/:scale": holders, "GET /sheets/:id/print/:n": holders, "GET /sheets/:id/guide": holders, "GET /sheets/:id/words": holders, "GET /sheets/:id/extras/:hash": "", "GET /sheets/:id/held/:n/:scale": marks,
	"POST /assignments": "teacher", "GET /assignments/:id": "classmate student",
	"GET /assignments/:id/change": "teacher", "POST /assignments/:id/change": "teacher", "POST /assignments/:id/whom": "teacher",
	"GET /assignments/:id/marking": marks, "POST /assignments/:id/return": marks, "GET /assignments/:id/roll": marks,
	"GET /copies/:id": "student", "GET /copies/:id/view": "student",
	"POST /copies/:id/ops": "student", "GET /copies/:id/feed": "student", "GET /copies/:id/changes": "student",
	"GET /copies/:id/states": "student", "POST /copies/:id/states": "student", "GET /copies/:id/states/:number": "student",
	"POST /copies/:id/bring": "", "POST /copies/:id/keep": "", "GET /assignments/own": staff, "POST /courses/:id/practice": "teacher", "POST /practice/end": "teacher", // who has just become their practice student
	"POST /copies/:id/submit": "student", "POST /copies/:id/take-back": "student", "POST /copies/:id/improve": "student",
	"POST /copies/:id/sounds": "student", "POST /copies/:id/dictation": "student", "GET /copies/:id/sounds/:hash": "",
	"POST /copies/:id/marked":    submittedOnly(marks),
	"POST /copies/:id/elsewhere": "student", "POST /copies/:id/pictures": "student", "GET /copies/:id/pictures/:hash": "",
	"GET /copies/:id/marking": submittedOnly(marks), "POST /copies/:id/points": submittedOnly(marks), "POST /copies/:id/scores": "",
	"POST /copies/:id/return": submittedOnly(marks), "POST /copies/:id/withdraw": submittedOnly(marks), "POST /copies/:id/reopen": submittedOnly(marks), "GET /assignments/:id/across": marks, "POST /assignments/:id/across": marks, "POST /assignments/:id/across/ops": marks, "GET /assignments/:id/returning": marks, "GET /assignments/:id/copies": marks, "GET /assignments/:id/files": marks, "GET /assignments/:id/stack": marks, "POST /assignments/:id/paper": marks, "POST /assignments/:id/paper/page": marks, "POST /assignments/:id/marked": marks, "POST /assignments/:id/stop": marks, "GET /pile/next": signed, "GET /copies/:id/others": submittedOnly(marks),
	"GET /copies/:id/print": map[flow.State]string{
		flow.NotStarted: "student", flow.InProgress: "student", flow.Submitted: "student " + marks, flow.Returned: "student " + marks, flow.Reworking: "student " + marks},
	"GET /drafts/:thing/:id": holdersOfCopy, "POST /drafts/:thing/:id": holdersOfCopy, // of a copy; of the others in TestDraftsAreTheirOwn
	"GET /progress/:name":     everybody, // tells a number, to whoever made the name up
	"GET /copies/:id/look-up": marks + " student",
	"POST /aloud":             signed, "GET /aloud/:key": "", // whoever has had the text said
	"POST /settings": signed, "GET /practice": signed, "GET /service-worker.js": everybody, "GET /manifest.webmanifest": everybody, "GET /share": signed, "POST /share": everybody,
}

func submittedOnly(who string) map[flow.State]string {
	return map[flow.State]string{flow.Submitted: who, flow.Returned: who, flow.Reworking: who}
}

// guestRights says where a colleague to whom a worksheet was given to copy, and the
// teacher's practice student, get in beside where all do who are signed in.
var guestRights = map[string]string{
	"POST /worksheets/:id/copy": "colleague", "GET /worksheets/:id/sources/:source/pages/:n/:scale": "colleague",
	"GET /courses/:id": "practice", "GET /courses/:id/words": "practice", "GET /courses/:id/own": "practice", "GET /courses/:id/own/copies": "practice", "GET /assignments/:id": "practice",
	"GET /sheets/:id/pages/:n/:scale": "practice", "GET /sheets/:id/print/:n": "practice", "GET /sheets/:id/guide": "practice", "GET /sheets/:id/words": "practice",
}

// guests walks the table as a colleague and as a practice student.
func (sc *scene) guests(t *testing.T) {
	t.Helper()
	ctx, s := context.Background(), home.School
	teacher, colleague := personOf(t, "access.teacher"), personOf(t, "access.stranger")
	if err := s.Shelf.Share(ctx, teacher, sc.sheet.ID, []school.Share{{}}); err != nil {
		t.Fatal(err)
	}
	practice, err := s.Accounts.PracticeStudent(ctx, teacher, sc.course.ID)
	if err != nil {
		t.Fatal(err)
	}
	for kind, p := range map[string]school.Person{"colleague": colleague, "practice": practice} {
		token, err := home.SignIn(ctx, p.ID)
		if err != nil {
			t.Fatal(err)
		}
		at, err := url.Parse(home.Base)
		if err != nil {
			t.Fatal(err)
		}
		c := client(t)
		c.Jar.SetCookies(at, []*http.Cookie{{Name: house.Cookie, Value: token}})
		for _, r := range web.Routes() {
			if r == "POST /sign-out" || r == "POST /account/devices" || r == "POST /practice/end" {
				continue // would change who is who
			}
			right, _ := rights[r].(string)
			want := right == everybody || right == signed || kind == "colleague" && right == staff || guestRights[r] == kind
			code := sc.ask(t, c, r, sc.copies[flow.Submitted])
			if in := code != http.StatusUnauthorized && code != http.StatusForbidden && code != http.StatusNotFound; in != want {
				t.Errorf("%s as %s: %d, want allowed: %v", r, kind, code, want)
			}
		}
	}
	if err := s.Shelf.Share(ctx, teacher, sc.sheet.ID, nil); err != nil {
		t.Fatal(err)
	}
}

func allowed(r any, state flow.State, kind string) bool {
	who, ok := r.(string)
	if !ok {
		who = r.(map[flow.State]string)[state]
	}
	for _, w := range strings.Fields(who) {
		if strings.ReplaceAll(w, "-", " ") == kind {
			return true
		}
	}
	return false
}

// bodies make a request of an entitled person fail for another reason than
// who asks, so that the table can be walked without moving anything.
var bodies = map[string]string{
	"POST /drafts/:thing/:id": `[]`,
	"POST /copies/:id/ops":    `{"layer":"work","ops":[]}`, "POST /copies/:id/states": "layer=work&name=one", "POST /settings": `no settings`, "POST /rubrics": `{}`, "POST /copies/:id/reopen": "due=never", "POST /assignments/:id/across": `{}`, "POST /assignments/:id/across/ops": `{}`, "POST /worksheets/:id/plan": `{"version":0,"leaves":[]}`, "POST /worksheets/:id/written": `{"version":0,"marks":[]}`, "POST /copies/:id/submit": "seq=-1",
	"POST /worksheets/:id/words":  "source=0&page=1&at=0&was=one&text=two",
	"POST /copies/:id/marked":     noFile,
	"POST /assignments/:id/paper": noFile, "POST /assignments/:id/paper/page": noFile, "POST /assignments/:id/marked": noFile,
	"POST /copies/:id/elsewhere": noFile, "POST /copies/:id/pictures": noFile,
}

// noFile brings a file in that is none.
const noFile = "--b\r\nContent-Disposition: form-data; name=\"file\"; filename=\"a.png\"\r\n\r\nno picture\r\n--b--\r\n"

func TestEveryRouteAsEveryPersonInEveryState(t *testing.T) {
	t.Parallel()
	sc := setScene(t)
	one, other := sc.copies[flow.Submitted], sc.copies[flow.Returned]
	astray, err := sc.people["teacher"].Get(fmt.Sprintf("%s/assignments/%d/marking?copy=%d", home.Base, other.AssignmentID, one.ID))
	if err != nil {
		t.Fatal(err)
	}
	astray.Body.Close()
	if want := fmt.Sprintf("/assignments/%d/marking?copy=%d", one.AssignmentID, one.ID); astray.StatusCode != http.StatusSeeOther || astray.Header.Get("Location") != want {
		t.Errorf("a copy among those of another assignment: %d %s, want %s", astray.StatusCode, astray.Header.Get("Location"), want)
	}
	for _, r := range web.Routes() {
		if _, ok := rights[r]; !ok {
			t.Errorf("%s is not in the table of rights", r)
		}
	}
	sc.guests(t)
	for _, r := range web.Routes() { // in their order: of what is kept there is one when it is asked for
		right := rights[r]
		if r == "POST /sign-out" || r == "POST /account/devices" || r == "POST /courses/:id/leave" || r == "POST /courses/:id/welcome" {
			continue // would change who is who; covered by the tests of signing in and of courses
		}
		for state, cp := range sc.copies {
			for kind, c := range sc.people {
				if r == "POST /copies/:id/improve" && state == flow.Returned && kind == "student" {
					continue // would be a move; the whole loop makes it
				}
				code := sc.ask(t, c, r, cp)
				in := code != http.StatusUnauthorized && code != http.StatusForbidden && code != http.StatusNotFound
				if want := allowed(right, state, kind); in != want {
					t.Errorf("%s as %s, copy %s: %d, want allowed: %v", r, kind, state, code, want)
				}
			}
			if !strings.Contains(r, "/copies/") && !strings.Contains(r, "/drafts/") {
				break // the state of a copy does not matter to it
			}
		}
	}
	for state, cp := range sc.copies {
		if now, err := home.Store.CopyInCourse(context.Background(), cp.ID, 0); err != nil || now.State != state {
			t.Errorf("walking the routes moved a copy from %s to %s (%v)", state, now.State, err)
		}
	}
}

// ask makes the request and returns the status; being sent to the sign-in
// page is 401.
func (sc *scene) ask(t *testing.T, c *http.Client, route string, cp school.Copy) int {
	t.Helper()
	method, path, _ := strings.Cut(route, " ")
	id := sc.course.ID
	switch {
	case strings.HasPrefix(path, "/worksheets"):
		id = sc.sheet.ID
	case strings.HasPrefix(path, "/sheets"):
		id = sc.given.Handouts[0].RevisionID
	case strings.HasPrefix(path, "/assignments"):
		id = sc.given.ID
	case strings.HasPrefix(path, "/copies"), strings.HasPrefix(path, "/drafts"):
		id = cp.ID
	}
	path = strings.NewReplacer(":id", fmt.Sprint(id), ":person", "999999", ":source", "0", ":number", "1", ":n", "1", ":scale", "25", ":turn", "0", ":token", "0", ":hash", strings.Repeat("0", 64), ":thing", "copy", ":name", "nothing").Replace(path)
	query := map[string]string{"GET /copies/:id/feed": "?layer=work", "GET /copies/:id/states": "?layer=work", "GET /copies/:id/states/:number": "?layer=work", "POST /copies/:id/sounds": "?layer=work", "POST /copies/:id/dictation": "?layer=work", "POST /copies/:id/pictures": "?layer=work"}[route]
	body := bodies[route]
	if route == "POST /assignments" {
		body = fmt.Sprintf("course=%d&worksheet=%d&points=none", sc.course.ID, sc.sheet.ID)
	}
	ctx, cancel := context.WithCancel(context.Background())
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, method, home.Base+path+query, bytes.NewReader([]byte(body)))
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	if strings.HasPrefix(body, "--b") {
		req.Header.Set("Content-Type", "multipart/form-data; boundary=b")
	}
	if strings.HasPrefix(body, "{") || strings.HasPrefix(body, "[") {
		req.Header.Set("Content-Type", "application/json")
	}
	res, err := c.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	res.Body.Close()
	if res.StatusCode == http.StatusSeeOther && strings.HasPrefix(res.Header.Get("Location"), "/sign-in?next") {
		return http.StatusUnauthorized
	}
	if strings.Contains(path, "/people/") && res.StatusCode == http.StatusNotFound {
		return sc.person(t, c, method, path) // the person asked about does not exist: ask about the classmate
	}
	return res.StatusCode
}

// person repeats a request about a member of the course; it renews nothing
// that the walk depends on.
func (sc *scene) person(t *testing.T, c *http.Client, method, path string) int {
	t.Helper()
	members, err := home.Store.Members(context.Background(), sc.course.ID)
	if err != nil {
		t.Fatal(err)
	}
	for _, m := range members {
		if m.Name != "Access Classmate" {
			continue
		}
		ask := func(at string) (*http.Response, error) {
			return c.PostForm(at, url.Values{"do": {"welcome"}})
		}
		if method == "GET" {
			ask = c.Get
		}
		res, err := ask(home.Base + strings.Replace(path, "999999", fmt.Sprint(m.PersonID), 1))
		if err != nil {
			t.Fatal(err)
		}
		res.Body.Close()
		return res.StatusCode
	}
	return 0
}

// Before Return no answer to the student tells of the teacher's draft: not by
// its bytes, nor by a header, nor by its length, and no event comes of it. Every
// way to read anything is gone, by the student and by a classmate.
func TestADraftOfFeedbackCannotBeTold(t *testing.T) {
	ctx, s := context.Background(), home.School
	sc := setSceneNamed(t, "Draft")
	c := sc.copies[flow.Submitted]
	teacher := personOf(t, "draft.teacher")
	wav, err := sound.Speak(ctx, "Secret words.", "en-gb", 150)
	if err != nil {
		t.Fatal(err)
	}
	voice, err := s.Attachments.AddVoice(ctx, teacher, c.ID, submission.Feedback(1), intake.Recorded{Data: wav})
	if err != nil {
		t.Fatal(err)
	}
	numbers := map[string]uint64{"copies": c.ID, "assignments": c.AssignmentID, "courses": sc.course.ID, "worksheets": sc.sheet.ID, "sheets": c.RevisionID, "drafts": c.ID}
	rest := strings.NewReplacer(":n", "1", ":scale", "150", ":hash", voice.Sound, ":source", "0", ":turn", "0", ":person", fmt.Sprint(sc.student), ":number", "1", ":thing", "copy", ":token", "none", ":name", "none", ":remark", "1")
	read := func(who string) map[string]string {
		out := map[string]string{}
		for _, r := range web.Routes() {
			method, path, _ := strings.Cut(r, " ")
			if method != "GET" || strings.HasSuffix(path, "/feed") {
				continue
			}
			path = rest.Replace(strings.Replace(path, ":id", fmt.Sprint(numbers[strings.Split(path, "/")[1]]), 1))
			for _, kind := range []string{"text/html", "application/json"} {
				req, err := http.NewRequest("GET", home.Base+path+"?layer=work&attempt=1", nil)
				if err != nil {
					t.Fatal(err)
				}
				req.Header.Set("Accept", kind)
				res, err := sc.people[who].Do(req)
				if err != nil {
					t.Fatal(err)
				}
				b, _ := io.ReadAll(res.Body)
				res.Body.Close()
				marks := res.Header.Get("ETag") + res.Header.Get("Last-Modified")
				if res.Header.Get("Content-Type") == "application/pdf" { // embedded fonts carry the time of their making
					b, marks = []byte(textIn(t, b)), ""
				}
				if res.Header.Get("Content-Type") == "application/zip" && res.StatusCode == http.StatusOK {
					var in []string
					for name, file := range packed(t, b) {
						if strings.HasSuffix(name, ".pdf") {
							file = []byte(textIn(t, file))
						}
						in = append(in, name+": "+string(file))
					}
					slices.Sort(in)
					b = []byte(strings.Join(in, "\n"))
				}
				out[path+" as "+kind] = fmt.Sprint(res.StatusCode, marks, string(b))
			}
		}
		return out
	}
	listening, stop := context.WithCancel(ctx)
	defer stop()
	req, err := http.NewRequestWithContext(listening, "GET", fmt.Sprintf("%s/copies/%d/feed?layer=work&seq=1000000&said=1000000", home.Base, c.ID), nil)
	if err != nil {
		t.Fatal(err)
	}
	res, err := sc.people["student"].Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	events := make(chan string, 100)
	go func() {
		for lines := bufio.NewScanner(res.Body); lines.Scan(); {
			if strings.HasPrefix(lines.Text(), "data:") {
				events <- lines.Text()
			}
		}
	}()
	// The scene's teacher has begun already; the same with more is the same.
	before := map[string]map[string]string{"student": read("student"), "classmate": read("classmate")}
	note := mark.Mark{ID: "note-second", Page: 1, Body: &mark.Note{At: [2]float64{90, 90}, Text: "secret feedback, second part", Voice: &voice}}
	plan := func(wall string) error { _, err := s.Marking.PlanReturn(ctx, teacher, c.ID, 1, wall, true); return err }
	for what, do := range map[string]func() error{
		"a note": func() error {
			_, err := s.Saving.Save(ctx, teacher, c.ID, submission.Feedback(1), []submission.Op{{ID: "draft-0009", On: note.ID, Mark: &note}})
			return err
		},
		"points": func() error {
			_, err := s.Marking.GivePoints(ctx, teacher, c.ID, 1, "9", "secret reason", "secret remark", false)
			return err
		},
		"a ready remark": func() error {
			_, err := s.Ready.Keep(ctx, teacher, sc.course.ID, feedback.Kept{Text: "secret remark", Copy: c.ID, Sound: voice.Sound, Shared: true})
			return err
		},
		"a look":         func() error { _, err := s.Marking.Others(ctx, teacher, c.ID); return err },
		"a later return": func() error { return plan(wallIn(sc.course, 48*time.Hour)) },
	} {
		if err := do(); err != nil {
			t.Fatalf("%s: %v", what, err)
		}
	}
	for who, was := range before {
		for path, after := range read(who) {
			if was[path] != after {
				at := 0
				for at < min(len(was[path]), len(after)) && was[path][at] == after[at] {
					at++
				}
				t.Errorf("%s changed for the %s while the teacher was marking: %.200q, then %.200q", path, who, was[path][max(0, at-60):], after[max(0, at-60):])
			}
			if strings.Contains(after, "secret feedback") || strings.Contains(after, "secret rem") || strings.Contains(after, "secret rea") {
				t.Errorf("%s was sent the draft at %s", who, path)
			}
		}
	}
	time.Sleep(3 * time.Second) // whatever is told comes within two
	select {
	case e := <-events:
		t.Errorf("an event came: %s", e)
	default:
	}
	if !strings.Contains(read("student")[fmt.Sprintf("/copies/%d/view as application/json", c.ID)], "secret work") {
		t.Error("the student cannot see the own work: the check sees nothing")
	}
	if err := s.Marking.Return(ctx, teacher, c.ID, 1); err != nil {
		t.Fatal(err)
	}
	select {
	case <-events:
	case <-time.After(20 * time.Second):
		t.Error("no event comes of Return: the check hears nothing")
	}
}

// That a copy is there gives its student no right: the assignment says what
// they may do now. Every route that leads to a copy, its sheet or its
// assignment is walked in every such situation.
func TestEveryRouteInEverySituation(t *testing.T) {
	t.Parallel()
	ctx, s := context.Background(), home.School
	sc := setSceneNamed(t, "Situation")
	teacher, student, classmate := account(t, "situation.teacher"), account(t, "situation.student"), account(t, "situation.classmate")
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	soon, later, past := wallIn(sc.course, 48*time.Hour), wallIn(sc.course, 96*time.Hour), wallIn(sc.course, -48*time.Hour)
	begin := func(id uint64) {
		c, err := s.Saving.OpenOwn(ctx, student, id)
		must(err)
		_, err = s.Saving.Save(ctx, student, c.ID, submission.Work, []submission.Op{house.Written("situation", "begun")})
		must(err)
	}
	change := func(_ school.Assignment, err error) { t.Helper(); must(err) }
	for _, c := range []struct {
		name  string
		terms assign.Terms
		draft bool
		make  func(id uint64)
		open  bool // to the student, as a copy of that state usually is
	}{
		{"a draft, with extra time", assign.Terms{Due: soon}, true, func(id uint64) { must(s.Assignments.GiveTime(ctx, teacher, id, student.ID, later)) }, false},
		{"not yet open, with extra time", assign.Terms{Opens: soon, Due: soon}, false, func(id uint64) { must(s.Assignments.GiveTime(ctx, teacher, id, student.ID, later)) }, false},
		{"not in the audience any more", assign.Terms{}, false, func(id uint64) {
			_, err := s.Saving.OpenOwn(ctx, student, id)
			must(err)
			change(s.Assignments.SetAudience(ctx, teacher, id, access.Audience{People: []uint64{classmate.ID}}))
		}, false},
		{"removed from the audience after beginning", assign.Terms{}, false, func(id uint64) {
			begin(id)
			change(s.Assignments.SetAudience(ctx, teacher, id, access.Audience{People: []uint64{classmate.ID}}))
		}, true},
		{"unassigned before beginning", assign.Terms{}, false, func(id uint64) {
			_, err := s.Saving.OpenOwn(ctx, student, id)
			must(err)
			change(s.Assignments.Unassign(ctx, teacher, id))
		}, false},
		{"unassigned after beginning", assign.Terms{}, false, func(id uint64) { begin(id); change(s.Assignments.Unassign(ctx, teacher, id)) }, true},
		{"closed before it was begun", assign.Terms{Due: past, Closes: past}, false, func(id uint64) { _, err := s.Saving.OpenOwn(ctx, student, id); must(err) }, true},
		{"one for all, which a teacher looked at too early", assign.Terms{Opens: soon, Mode: flow.OneForAll}, false, func(id uint64) { _, err := s.Saving.OpenOwn(ctx, teacher, id); must(err) }, false},
		{"in a course that was put away after beginning", assign.Terms{}, false, func(id uint64) { begin(id); must(s.Courses.Archive(ctx, teacher, sc.course.ID)) }, true}, // the last: all of it is
	} {
		sheet, err := s.Shelf.Duplicate(ctx, teacher, sc.sheet.ID)
		must(err)
		c.terms.Title, c.terms.Points = c.name, "10"
		a, err := s.Assignments.Assign(ctx, teacher, assign.NewAssignment{Course: sc.course.ID, Worksheet: sheet.ID, Draft: c.draft, Terms: c.terms})
		must(err)
		c.make(a.ID)
		copies, err := home.Store.CopiesOf(ctx, a.ID)
		must(err)
		if len(copies) != 1 {
			t.Fatalf("%s: %d copies", c.name, len(copies))
		}
		there := *sc
		there.given = a
		for _, r := range web.Routes() {
			_, path, _ := strings.Cut(r, " ")
			if !strings.HasPrefix(path, "/copies") && !strings.HasPrefix(path, "/sheets") && !strings.HasPrefix(path, "/drafts") && r != "GET /assignments/:id" {
				continue
			}
			for _, kind := range []string{"student", "classmate", "outsider", "nobody"} {
				code := there.ask(t, sc.people[kind], r, copies[0])
				in := code != http.StatusUnauthorized && code != http.StatusForbidden && code != http.StatusNotFound
				want := c.open && kind == "student" && allowed(rights[r], copies[0].State, kind)
				if kind == "classmate" && !strings.HasPrefix(path, "/copies") && !(c.name == "a draft, with extra time" || strings.Contains(c.name, "not yet open")) {
					continue // they may be given it: then they get a copy of their own
				}
				if in != want {
					t.Errorf("%s: %s as %s: %d, want allowed: %v", c.name, r, kind, code, want)
				}
			}
		}
		_, todo := sc.page(t, "student", "/to-do")
		if strings.Contains(todo, c.name) != (c.open && !strings.Contains(c.name, "put away")) { // what is put away is nothing to do
			t.Errorf("%s: named among what is to do: %v", c.name, !c.open)
		}
	}
}

// wallIn returns a time from now by the course's clock.
func wallIn(c school.Course, d time.Duration) string {
	return time.Now().Add(d).In(c.Location()).Format(flow.Wall)
}

// What another site has a browser send is refused on every route that changes
// anything; what the site itself sends is not.
func TestAnotherSiteChangesNothing(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Foreign")
	post := func(path string, headers map[string]string) int {
		req, err := http.NewRequest(http.MethodPost, home.Base+path, strings.NewReader("name=Foreign"))
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		for k, v := range headers {
			req.Header.Set(k, v)
		}
		res, err := sc.people["teacher"].Do(req)
		if err != nil {
			t.Fatal(err)
		}
		res.Body.Close()
		return res.StatusCode
	}
	for _, r := range web.Routes() {
		method, path, _ := strings.Cut(r, " ")
		if method != http.MethodPost {
			continue
		}
		path = regexp.MustCompile(`:[a-z]+`).ReplaceAllString(path, "1")
		for name, h := range map[string]map[string]string{
			"an older browser": {"Origin": "https://elsewhere.example"}, "a browser": {"Origin": "https://elsewhere.example", "Sec-Fetch-Site": "cross-site"},
			"a sandboxed frame": {"Origin": "null", "Sec-Fetch-Site": "cross-site"}, "another name of the same owner": {"Sec-Fetch-Site": "same-site"},
		} {
			if code := post(path, h); code != http.StatusForbidden {
				t.Errorf("%s from %s: %d", r, name, code)
			}
		}
	}
	for name, h := range map[string]map[string]string{"a browser": {"Origin": home.Base, "Sec-Fetch-Site": "same-origin"}, "an older browser": {"Origin": home.Base}} {
		if code := post("/settings", h); code == http.StatusForbidden {
			t.Errorf("from the site itself, %s: %d", name, code)
		}
	}
}
