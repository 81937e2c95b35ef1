package e2e

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os/exec"
	"regexp"
	"strings"
	"testing"

	"readymargin/e2e/browser"
	"readymargin/e2e/house"
)

// A visit is a person's browser that only posts forms and reads pages.
type visit struct {
	t *testing.T
	c *http.Client
}

func (v visit) get(path string) (status int, body string) {
	v.t.Helper()
	res, err := v.c.Get(home.Base + path)
	if err != nil {
		v.t.Fatal(err)
	}
	defer res.Body.Close()
	b, _ := io.ReadAll(res.Body)
	return res.StatusCode, string(b)
}

func (v visit) post(path string, form url.Values) (status int, body string) {
	v.t.Helper()
	res, err := v.c.PostForm(home.Base+path, form)
	if err != nil {
		v.t.Fatal(err)
	}
	defer res.Body.Close()
	b, _ := io.ReadAll(res.Body)
	return res.StatusCode, string(b)
}

func found(t *testing.T, pattern, in string) string {
	t.Helper()
	m := regexp.MustCompile(pattern).FindStringSubmatch(in)
	if m == nil {
		t.Fatalf("no %s in %s", pattern, in)
	}
	return m[1]
}

// The first administrator is made on the command line and invites a teacher,
// who makes a course; students join, one is refused, one forgets the password.
func TestFromTheCommandLineToAClass(t *testing.T) {
	t.Parallel()
	add := exec.Command(house.Binary(), "admin", "add", "Ada Quill", "-dsn", home.DSN(), "-cache", t.TempDir())
	add.Stdin = strings.NewReader(scenePassword + "\n")
	if out, err := add.CombinedOutput(); err != nil || !strings.Contains(string(out), "signs in as ada.quill") {
		t.Fatalf("admin add: %v: %s", err, out)
	}
	admin := visit{t, signedIn(t, "ada.quill")}
	_, page := admin.post("/invitations", url.Values{})
	token := found(t, `/slip#([A-Z0-9]{16})`, page)

	teacher := visit{t, client(t)}
	if status, _ := teacher.post("/slip", url.Values{"do": {"begin"}, "code": {token}, "name": {"Mx Invited"}, "password": {"short"}}); status != 422 {
		t.Errorf("a short password: %d", status)
	}
	if status, _ := teacher.post("/slip", url.Values{"do": {"begin"}, "code": {token}, "name": {"Mx Invited"}, "password": {scenePassword}}); status != 303 {
		t.Fatalf("the invitation was refused: %d", status)
	}
	if status, page := (visit{t, client(t)}).post("/slip", url.Values{"do": {"begin"}, "code": {token}, "name": {"Thief"}, "password": {scenePassword}}); status != 422 || !strings.Contains(page, "used already") {
		t.Errorf("an invitation works twice: %d", status)
	}
	if status, _ := teacher.post("/courses", url.Values{"name": {"Knots"}, "zone": {"Mars/Olympus"}}); status != 422 {
		t.Errorf("a course on Mars: %d", status)
	}
	teacher.post("/courses", url.Values{"name": {"Knots"}, "zone": {"Europe/Lisbon"}})
	_, page = teacher.get("/courses")
	course := found(t, `href="(/courses/\d+)"`, page)
	_, page = teacher.get(course)
	code := found(t, `data-join-code>([A-Z0-9]+)<`, page)
	for name, form := range map[string]url.Values{"without a name": {"name": {" "}, "zone": {"UTC"}}, "on Mars": {"name": {"Knots"}, "zone": {"Mars/Olympus"}}} {
		if status, _ := teacher.post(course+"/name", form); status != 422 {
			t.Errorf("renamed %s: %d", name, status)
		}
	}
	teacher.post(course+"/name", url.Values{"name": {"Knots and splices"}, "zone": {"Atlantic/Azores"}})
	if _, page := teacher.get(course); !strings.Contains(page, ">Knots and splices</h1>") || !strings.Contains(page, "Atlantic/Azores") {
		t.Error("the course has not got its other name and clock")
	}

	join := func(name string) (visit, int) {
		v := visit{t, client(t)}
		status, _ := v.post("/join", url.Values{"do": {"join"}, "code": {strings.ToLower(code)}, "name": {name}, "password": {scenePassword}})
		return v, status
	}
	one, status := join("Žofia Ågren")
	if status != 303 {
		t.Fatalf("joining with the code: %d", status)
	}
	two, _ := join("Žofia Ågren")
	_, page = teacher.get(course)
	for _, want := range []string{"zofia.agren<", "zofia.agren2<", "2 new"} {
		if !strings.Contains(page, want) {
			t.Errorf("the course page does not show %q", want)
		}
	}
	second := found(t, `zofia.agren2</td>.*?people/(\d+)"`, strings.ReplaceAll(page, "\n", " "))
	if status, page := teacher.post(course+"/people/"+second, url.Values{"do": {"refuse"}}); status != 303 {
		t.Errorf("refusing: %d %s", status, page)
	}
	if _, page := two.get("/courses"); strings.Contains(page, ">Knots and splices<") {
		t.Error("a refused student still sees the course")
	}
	if status, page := two.post("/join", url.Values{"do": {"join"}, "code": {code}}); status != 422 || !strings.Contains(page, "not let you into") {
		t.Errorf("a refused student joins again: %d", status)
	}
	if _, page := one.get("/courses"); !strings.Contains(page, ">Knots and splices<") {
		t.Error("the other student does not see the course")
	}

	// A closed code, a renewed code.
	teacher.post(course+"/code", url.Values{"do": {"close"}})
	if _, status := join("Late Comer"); status != 422 {
		t.Errorf("a closed course takes somebody: %d", status)
	}
	teacher.post(course+"/code", url.Values{"do": {"renew"}})
	if _, status := join("Old Code"); status != 422 {
		t.Errorf("the old code works: %d", status)
	}

	// A forgotten password: a slip signs in once, and sets a new one.
	first := found(t, `zofia.agren</td>.*?people/(\d+)"`, strings.ReplaceAll(page, "\n", " "))
	_, page = teacher.post(course+"/people/"+first+"/slip", url.Values{"do": {"begin"}})
	slip := found(t, `data-code>([A-Z0-9 ]+)<`, page)
	fresh := visit{t, client(t)}
	if status, _ := fresh.post("/slip", url.Values{"do": {"begin"}, "code": {slip}, "password": {"another-password"}}); status != 303 {
		t.Errorf("the slip was refused: %d", status)
	}
	if status, _ := fresh.get("/to-do"); status != 200 {
		t.Errorf("the slip did not sign in: %d", status)
	}
	if status, _ := (visit{t, client(t)}).post("/sign-in", url.Values{"login": {"zofia.agren"}, "password": {scenePassword}}); status != 422 {
		t.Errorf("the old password still works: %d", status)
	}
}

// The printed words can be selected in the order in which they are read; two
// teachers on one copy know of each other.
func TestSelectingPrintAndMeetingOnACopy(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Meet")
	id := sc.given.ID
	for s, c := range sc.copies {
		if s == "submitted" {
			id = c.AssignmentID
		}
	}
	ctx := context.Background()
	other, err := home.Store.PersonByLogin(ctx, "meet.stranger")
	if err != nil {
		t.Fatal(err)
	}
	members, err := home.Store.Members(ctx, sc.course.ID)
	if err != nil {
		t.Fatal(err)
	}
	second := members[0].Membership
	second.PersonID, second.Role = other.ID, "teacher"
	if err := home.Store.SetMembership(ctx, second); err != nil {
		t.Fatal(err)
	}
	one, two := tab(t, 1280, 800), tab(t, 1280, 800)
	path := fmt.Sprintf("/assignments/%d/marking", id)
	steps(t,
		func() error { return one.SignIn("meet.teacher", scenePassword) },
		func() error { return one.Go(path) }, one.Ready,
		func() error { return two.SignIn("meet.stranger", scenePassword) },
		func() error { return two.Go(path) }, two.Ready,
		func() error {
			return two.Until("the second is told", `document.querySelector("[data-others]").textContent.includes("Meet Teacher has this copy open too")`)
		},
		func() error { return two.Click(`.place [aria-label="Pick"]`) },
		func() error {
			return two.Drag("mouse", 0.5, browser.Place{Page: 1, X: 58, Y: 157}, browser.Place{Page: 1, X: 200, Y: 158}, browser.Place{Page: 1, X: 106, Y: 175})
		},
	)
	text, err := browser.Eval[string](two, `return getSelection().toString().replace(/\s+/g," ")`)
	if err != nil || !strings.HasPrefix(text, "On 14 March low water falls at 05:12 (0.9 m) and high water at 11:30 (5.4 m). Entering from the north") {
		t.Errorf("selected %q (%v)", text, err)
	}
}
