package e2e

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"readymargin/core/access"
	"readymargin/e2e/browser"
	"readymargin/school/enrol"
)

// A teacher brings in a class list, sees what will happen, adds the students,
// and one of them signs in with the slip. The same list again changes nothing.
func TestAClassListFromFileToSignIn(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "List")
	list := filepath.Join(t.TempDir(), "7b.csv")
	text := "\ufeffNachname;Vorname;Benutzername\r\nÅström;Zoë;\r\nNgata;Aroha;aroha.n@example.org\r\nStudent;List;\r\nRefused;List;\r\nNgata;Aroha;\r\nÅström;Zoë;\r\n;;niemand\r\nMensah;Kofi;reissue student?\r\nBell;Ivo;list.outsider\r\n"
	if err := os.WriteFile(list, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
	ctx, teacher := context.Background(), personOf(t, "list.teacher")
	p := tab(t, 1280, 800)
	members := func() int {
		t.Helper()
		_, all, err := home.School.Roster.Members(ctx, teacher, sc.course.ID)
		if err != nil {
			t.Fatal(err)
		}
		return len(all)
	}
	before := members()
	steps(t,
		func() error { return p.SignIn("list.teacher", scenePassword) },
		func() error { return p.Go(fmt.Sprintf("/courses/%d/list", sc.course.ID)) },
		func() error { return p.Choose("#file", list) },
		func() error { return p.Click(`form[action$="/list"] button`) },
		func() error { return p.Until("what will happen", `document.querySelector("table")`) },
	)
	got, err := browser.Eval[string](p, `return [...document.querySelectorAll("tbody tr")].map(r=>[...r.children].map(c=>c.innerText).join("|")).join("\n")`)
	if err != nil {
		t.Fatal(err)
	}
	want := []string{
		"2|Zoë Åström||added, with a slip", "3|Aroha Ngata|aroha.n@example.org|added, with a slip", "4|List Student||already there, stays as it is",
		"5|List Refused||left out: you have refused", "6|Aroha Ngata||added, with a slip", "7|Zoë Åström||left out: the same name stands further up",
		"8||niemand|left out: there is no name", "9|Kofi Mensah|reissue student?|left out: a name may have", "10|Ivo Bell|list.outsider|left out: somebody has this sign-in name",
	}
	lines := strings.Split(got, "\n")
	for i, w := range want {
		if i >= len(lines) || !strings.HasPrefix(lines[i], w) {
			t.Errorf("line %d: %q, want %q", i, lines[min(i, len(lines)-1)], w)
		}
	}
	if members() != before {
		t.Error("looking at the list changed the course")
	}
	steps(t,
		func() error { return p.Click(`form[action$="/list/add"] button`) },
		func() error { return p.Until("slips", `document.querySelectorAll(".slip-card").length===3`) },
	)
	slip, err := browser.Eval[string](p, `return document.querySelector(".slip-card").innerText`)
	if err != nil {
		t.Fatal(err)
	}
	code, login := regexp.MustCompile(`(?:[A-Z0-9]{4} ?){4}`).FindString(slip), regexp.MustCompile(`sign in as (\S+)`).FindStringSubmatch(slip)
	if members() != before+3 || code == "" || len(login) != 2 {
		t.Fatalf("%d members more, slip %q", members()-before, slip)
	}
	if _, err := home.School.Accounts.UseToken(ctx, code, "", "a-fine-password", enrol.Device{}); err != nil {
		t.Fatal(err)
	}
	if _, err := home.School.Accounts.SignIn(ctx, login[1], "a-fine-password", enrol.Device{Address: "127.0.0.9"}); err != nil {
		t.Errorf("%s cannot sign in: %v", login[1], err)
	}
	again, newcomers, err := home.School.Lists.TakeList(ctx, teacher, sc.course.ID, []byte(text))
	if err != nil || len(newcomers) != 0 || members() != before+3 {
		t.Errorf("the same list again: %d added (%v): %+v", len(newcomers), err, again.Lines)
	}
}

// An administrator brings in the school's directory (OneRoster CSV): courses,
// teachers, students, with slips; the same file again changes nothing.
func TestTheSchoolsDirectory(t *testing.T) {
	t.Parallel()
	setSceneNamed(t, "Dir")
	ctx, admin := context.Background(), personOf(t, "dir.admin")
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, text := range map[string]string{
		"classes.csv":     "sourcedId,status,dateLastModified,title\r\ndir-c1,,,Directory One\r\ndir-c2,,,Directory Two\r\n",
		"users.csv":       "sourcedId,status,dateLastModified,enabledUser,orgSourcedIds,role,username,userIds,givenName,familyName\r\ndir-t,,,true,s,teacher,dir.quill,,Jo,Quill\r\ndir-p,,,true,s,student,dir.ines,,Ines,Varga\r\ndir-x,,,true,s,student,dir.student,,Some,Body\r\n",
		"enrollments.csv": "sourcedId,status,dateLastModified,classSourcedId,schoolSourcedId,userSourcedId,role\r\n1,,,dir-c1,s,dir-t,teacher\r\n2,,,dir-c1,s,dir-p,student\r\n3,,,dir-c2,s,dir-p,student\r\n4,,,dir-c2,s,dir-x,student\r\n5,,,dir-c2,s,dir-nobody,student\r\n",
	} {
		w, err := z.Create(name)
		if err == nil {
			_, err = w.Write([]byte(text))
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	z.Close()
	file := filepath.Join(t.TempDir(), "directory.zip")
	if err := os.WriteFile(file, b.Bytes(), 0o644); err != nil {
		t.Fatal(err)
	}
	p := tab(t, 1280, 800)
	says := func(text string) func() error {
		return func() error { return p.Until(text, fmt.Sprintf(`document.body.textContent.includes(%q)`, text)) }
	}
	steps(t,
		func() error { return p.SignIn("dir.admin", scenePassword) },
		func() error { return p.Go("/directory") }, func() error { return p.Choose("#file", file) },
		func() error { return p.Click(`form[action="/directory"] button`) },
		says("2 courses are new, 3 enrolments will be added"), says("1 line was not understood"), says("somebody has this sign-in name already"),
		func() error { return p.Click(`form[action="/directory/add"] button`) }, says("2 courses and 3 enrolments were added"),
		func() error { return p.Until("slips", `document.querySelectorAll(".slip-card").length===2`) },
	)
	slip, err := browser.Eval[string](p, `return [...document.querySelectorAll(".slip-card")].find(s=>s.innerText.includes("Jo Quill")).innerText`)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := home.School.Accounts.UseToken(ctx, regexp.MustCompile(`(?:[A-Z0-9]{4} ?){4}`).FindString(slip), "", "a-fine-password", enrol.Device{}); err != nil {
		t.Fatal(err)
	}
	teacher, err := home.School.Accounts.SignIn(ctx, "dir.quill", "a-fine-password", enrol.Device{Address: "127.0.0.9"})
	if err != nil {
		t.Fatal(err)
	}
	courses, err := home.School.Courses.CoursesOf(ctx, teacher)
	if err != nil || len(courses) != 1 || courses[0].Name != "Directory One" || courses[0].Role != access.Teacher {
		t.Errorf("the teacher's courses: %+v (%v)", courses, err)
	}
	again, newcomers, err := home.School.Lists.TakeDirectory(ctx, admin, b.Bytes(), "Europe/London")
	if n, m := again.Count(enrol.IsNew); err != nil || n != 0 || m != 0 || len(newcomers) != 0 {
		t.Errorf("the same file again: %d courses, %d enrolments, %d newcomers (%v)", n, m, len(newcomers), err)
	}
}
