package e2e

import (
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"strings"
	"sync"
	"testing"
	"time"

	"readymargin/e2e/house"
	"readymargin/store/mariadb"
)

// at returns a browser at an address of its own.
func at(t *testing.T, address string) visit {
	c := client(t)
	d := net.Dialer{LocalAddr: &net.TCPAddr{IP: net.ParseIP(address)}}
	c.Transport = &http.Transport{DialContext: d.DialContext, MaxIdleConnsPerHost: 64}
	t.Cleanup(c.CloseIdleConnections)
	return visit{t, c}
}

func body(t *testing.T, res *http.Response) string {
	t.Helper()
	b, err := io.ReadAll(res.Body)
	if err != nil {
		t.Fatal(err)
	}
	return string(b)
}

// together asks n times at once and counts the answers by their status.
func together(n int, ask func(i int) int) map[int]int {
	var all sync.WaitGroup
	var mu sync.Mutex
	out := map[int]int{}
	for i := range n {
		all.Go(func() {
			status := ask(i)
			mu.Lock()
			out[status]++
			mu.Unlock()
		})
	}
	all.Wait()
	return out
}

// try posts a form from a fresh place: it may be called from many goroutines.
func (v visit) try(path string, form url.Values) int {
	req, err := http.NewRequest("POST", home.Base+path, strings.NewReader(form.Encode()))
	if err != nil {
		return 0
	}
	req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	req.Header.Set("Sec-Fetch-Site", "same-origin")
	res, err := v.c.Do(req)
	if err != nil {
		return 0
	}
	res.Body.Close()
	return res.StatusCode
}

func asking(login, password string) url.Values {
	return url.Values{"login": {login}, "password": {password}}
}

// Whoever guesses passwords is held up, and nobody else: not the school behind
// the same address, not a teacher on a computer that they have used before.
func TestGuessingPasswordsLocksNobodyOut(t *testing.T) {
	setSceneNamed(t, "Guess")
	desk := at(t, "127.0.0.21") // the teacher's own computer, at the school's address
	if status := desk.try("/sign-in", asking("guess.teacher", scenePassword)); status != http.StatusSeeOther {
		t.Fatalf("signing in: %d", status)
	}
	lab := at(t, "127.0.0.21")
	if got := together(115, func(i int) int { return lab.try("/sign-in", asking(fmt.Sprint("nobody.", i), "a wrong password")) }); got[422] != 115 {
		t.Errorf("115 made-up names: %v", got)
	}
	if got := together(40, func(i int) int { return lab.try("/sign-in", asking("guess.teacher", fmt.Sprint("wrong password ", i))) }); got[422] != 6 || got[429] != 34 {
		t.Errorf("forty tries of one account at once: %v, want 6 of them looked at", got)
	}
	if status := lab.try("/sign-in", asking("guess.teacher", scenePassword)); status != 429 {
		t.Errorf("the right password after the guesses, on an unknown computer: %d", status)
	}
	if status := desk.try("/sign-in", asking("guess.teacher", scenePassword)); status != http.StatusSeeOther {
		t.Errorf("the teacher on their own computer: %d", status)
	}
	if status := at(t, "127.0.0.22").try("/sign-in", asking("guess.teacher", scenePassword)); status != http.StatusSeeOther {
		t.Errorf("the teacher at home: %d", status)
	}
	if status := lab.try("/sign-in", asking("guess.student", scenePassword)); status != http.StatusSeeOther {
		t.Errorf("a student beside them: %d", status)
	}
}

// A class joins at once behind one address; guesses of codes and new accounts
// without end are held up.
func TestJoiningAtOnceAndGuessingCodes(t *testing.T) {
	sc := setSceneNamed(t, "Rushed")
	join := func(v visit) func(i int) int {
		return func(i int) int {
			return v.try("/join", url.Values{"do": {"join"}, "code": {sc.course.JoinCode}, "name": {fmt.Sprint("Pupil ", i)}, "password": {scenePassword}})
		}
	}
	class := make([]visit, 30)
	for i := range class {
		class[i] = at(t, "127.0.0.31")
	}
	if got := together(30, func(i int) int { return join(class[i])(i) }); got[http.StatusSeeOther] != 30 {
		t.Errorf("a class of thirty joins: %v", got)
	}
	many := make([]visit, 60)
	for i := range many {
		many[i] = at(t, "127.0.0.31")
	}
	if got := together(60, func(i int) int { return join(many[i])(100 + i) }); got[429] < 20 {
		t.Errorf("sixty further accounts at once: %v", got)
	}
	guess := at(t, "127.0.0.32")
	got := together(120, func(i int) int {
		return guess.try("/join", url.Values{"do": {"join"}, "code": {fmt.Sprintf("QQQ%03d", i)}, "name": {"Guess"}, "password": {scenePassword}})
	})
	if got[422] > 60 || got[429] < 60 {
		t.Errorf("120 guesses of a code: %v", got)
	}
	if status := join(at(t, "127.0.0.33"))(1000); status != http.StatusSeeOther {
		t.Errorf("somebody elsewhere joins meanwhile: %d", status)
	}
}

// A new password ends the other sessions and voids older slips; one changes it
// oneself, and signs other devices out.
func TestANewPasswordEndsWhatWasOpen(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Changed")
	ctx := context.Background()
	teacher, student := account(t, "changed.teacher"), account(t, "changed.student")
	one, other := at(t, "127.0.0.41"), at(t, "127.0.0.42")
	in := func(v visit) bool { status, _ := v.get("/account"); return status == http.StatusOK }
	for _, v := range []visit{one, other} {
		if status := v.try("/sign-in", asking("changed.student", scenePassword)); status != http.StatusSeeOther {
			t.Fatalf("signing in: %d", status)
		}
	}
	_, slip, err := home.School.Accounts.NewSignInToken(ctx, teacher, sc.course.ID, student.ID)
	if err != nil {
		t.Fatal(err)
	}
	change := func(now, next string) int {
		status, _ := one.post("/account/password", url.Values{"now": {now}, "next": {next}})
		return status
	}
	if status := change("not the old one", "another password"); status != 422 || !in(other) {
		t.Errorf("with a wrong old password: %d", status)
	}
	if status := change(scenePassword, "short"); status != 422 {
		t.Errorf("a short one: %d", status)
	}
	if status := change(scenePassword, "another password"); status != http.StatusSeeOther || !in(one) {
		t.Errorf("changing it: %d, signed in: %v", status, in(one))
	}
	if in(other) {
		t.Error("the other device is still signed in")
	}
	if status, page := at(t, "127.0.0.43").post("/slip", url.Values{"do": {"begin"}, "code": {slip}, "password": {"stolen password"}}); status != 422 || !strings.Contains(page, "used already") {
		t.Errorf("the slip from before opens the account: %d", status)
	}
	if status := other.try("/sign-in", asking("changed.student", "another password")); status != http.StatusSeeOther {
		t.Errorf("signing in anew: %d", status)
	}
	if status, _ := one.post("/account/devices", url.Values{}); status != http.StatusSeeOther || in(other) || !in(one) {
		t.Errorf("signing out elsewhere: %d", status)
	}
	// A slip does the same.
	if status := other.try("/sign-in", asking("changed.student", "another password")); status != http.StatusSeeOther {
		t.Fatal(status)
	}
	if _, slip, err = home.School.Accounts.NewSignInToken(ctx, teacher, sc.course.ID, student.ID); err != nil {
		t.Fatal(err)
	}
	if status, _ := at(t, "127.0.0.44").post("/slip", url.Values{"do": {"begin"}, "code": {slip}, "password": {"third password"}}); status != http.StatusSeeOther || in(other) || in(one) {
		t.Errorf("after a slip: %d, still signed in: %v %v", status, in(one), in(other))
	}
}

// Links that are handed on come from the setting and not from what a request
// says; behind TLS browsers are told to stay there.
func TestAddressesComeFromTheSetting(t *testing.T) {
	port, err := mariadb.FreePort()
	if err != nil {
		t.Fatal(err)
	}
	address := fmt.Sprintf("127.0.0.1:%d", port)
	cmd := exec.Command(house.Binary(), "serve", "-address", address, "-cache", t.TempDir(), "-proxied", "-origin", "https://margin.example")
	cmd.Env = append(os.Environ(), "READYMARGIN_DSN="+home.DSN())
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { cmd.Process.Kill(); cmd.Wait() })
	setSceneNamed(t, "Origin")
	token, err := home.SignIn(context.Background(), account(t, "origin.admin").ID)
	if err != nil {
		t.Fatal(err)
	}
	var res *http.Response
	for range 200 {
		req, err := http.NewRequest("POST", "http://"+address+"/invitations", nil)
		if err != nil {
			t.Fatal(err)
		}
		req.Host = "evil.example"
		req.Header.Set("Sec-Fetch-Site", "same-origin")
		req.AddCookie(&http.Cookie{Name: "readymargin", Value: token})
		if res, err = http.DefaultClient.Do(req); err == nil {
			break
		}
		time.Sleep(50 * time.Millisecond)
	}
	if res == nil {
		t.Fatal("the second server does not answer")
	}
	defer res.Body.Close()
	page := body(t, res)
	if !strings.Contains(page, "https://margin.example/slip#") || strings.Contains(page, "evil.example") {
		t.Errorf("the invitation: %d %s", res.StatusCode, page)
	}
	if h := res.Header.Get("Strict-Transport-Security"); !strings.HasPrefix(h, "max-age=") {
		t.Errorf("Strict-Transport-Security: %q", h)
	}
}
