package e2e

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"readymargin/e2e/browser"
)

// A teacher brings in a class list, sees what will happen, adds the students,
// and one of them signs in with the slip. The same list again changes nothing.
func TestAClassListFromFileToSignIn(t *testing.T) {
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
		_, all, err := home.School.Members(ctx, teacher, sc.course.ID)
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
	if _, err := home.School.UseSlip(ctx, code, "", "a-fine-password"); err != nil {
		t.Fatal(err)
	}
	if _, err := home.School.SignIn(ctx, login[1], "a-fine-password", "127.0.0.9"); err != nil {
		t.Errorf("%s cannot sign in: %v", login[1], err)
	}
	again, newcomers, err := home.School.TakeList(ctx, teacher, sc.course.ID, []byte(text))
	if err != nil || len(newcomers) != 0 || members() != before+3 {
		t.Errorf("the same list again: %d added (%v): %+v", len(newcomers), err, again.Lines)
	}
}
