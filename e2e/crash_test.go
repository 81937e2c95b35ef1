package e2e

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"net/url"
	"slices"
	"sync"
	"testing"
	"time"

	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/core/words"
	"readymargin/demo"
	"readymargin/e2e/browser"
	"readymargin/pdf/pdftest"
	"readymargin/school"
	"readymargin/standin/recogniser"
)

// writer sends operations over HTTP, one after the other, as a browser does:
// again and again until each is acknowledged.
type writer struct {
	client *http.Client
	id     uint64
	base   string
	prefix string

	mu    sync.Mutex
	acked []string
}

func (w *writer) write(ctx context.Context, n int) error {
	for i := range n {
		on := fmt.Sprintf("%s-mark-%05d", w.prefix, i)
		m := mark.Mark{ID: on, Page: 1, Body: &mark.FreeText{X: 10, Y: 20, Width: 20, Lines: []mark.TextLine{{Runs: []mark.Run{{Text: fmt.Sprint(i), Size: 14, Color: "#1e2a44"}}}}}}
		body, err := json.Marshal(map[string]any{"layer": submission.Work, "ops": []submission.Op{{ID: fmt.Sprintf("%s-op-%05d", w.prefix, i), On: on, Mark: &m}}})
		if err != nil {
			return err
		}
		for !w.send(ctx, body) {
			if ctx.Err() != nil {
				return ctx.Err()
			}
			time.Sleep(20 * time.Millisecond)
		}
		w.mu.Lock()
		w.acked = append(w.acked, on)
		w.mu.Unlock()
	}
	return nil
}

func (w *writer) send(ctx context.Context, body []byte) bool {
	req, err := http.NewRequestWithContext(ctx, "POST", fmt.Sprintf("%s/copies/%d/ops", w.base, w.id), bytes.NewReader(body))
	if err != nil {
		return false
	}
	req.Header.Set("Content-Type", "application/json")
	res, err := w.client.Do(req)
	if err != nil {
		return false
	}
	io.Copy(io.Discard, res.Body)
	res.Body.Close()
	return res.StatusCode == http.StatusOK
}

func (w *writer) count() int {
	w.mu.Lock()
	defer w.mu.Unlock()
	return len(w.acked)
}

// Server and database are killed with SIGKILL in the middle of a stream of
// operations. Every acknowledged one is there afterwards, none twice.
func TestKillingServerAndDatabaseLosesNothingAcknowledged(t *testing.T) {
	ctx, cancel := context.WithTimeout(context.Background(), 3*time.Minute)
	defer cancel()
	sc := setSceneNamed(t, "Crash")
	c := sc.copies[flow.NotStarted]
	w := &writer{client: sc.people["student"], id: c.ID, base: home.Base, prefix: "crash"}
	done := make(chan error, 1)
	const all = 600
	go func() { done <- w.write(ctx, all) }()
	reach := func(n int) {
		t.Helper()
		for w.count() < n {
			if ctx.Err() != nil {
				t.Fatalf("only %d of %d operations were acknowledged", w.count(), n)
			}
			time.Sleep(5 * time.Millisecond)
		}
	}
	reach(150)
	home.KillServer()
	if err := home.Serve(); err != nil {
		t.Fatal(err)
	}
	reach(300)
	home.DB.Kill()
	if err := home.DB.Restart(ctx); err != nil {
		t.Fatal(err)
	}
	if err := <-done; err != nil {
		t.Fatal(err)
	}
	heads, err := home.Store.Heads(ctx, c.ID, submission.Work)
	if err != nil {
		t.Fatal(err)
	}
	seen := map[string]int{}
	for _, h := range heads {
		seen[h.On]++
	}
	for _, on := range w.acked {
		if seen[on] != 1 {
			t.Errorf("%s is there %d times", on, seen[on])
		}
	}
	ops, err := home.Store.OpsAfter(ctx, c.ID, submission.Work, 0)
	if err != nil || len(ops) != all {
		t.Errorf("%d operations are kept, want %d (%v)", len(ops), all, err)
	}
	for i, o := range ops {
		if o.Seq != int64(i+1) {
			t.Fatalf("operation %d has the number %d: a gap, or one twice", i+1, o.Seq)
		}
	}
}

// withProfile starts a browser that keeps what it has in a folder, with a tab.
func withProfile(t *testing.T, profile string) (*browser.Browser, *browser.Tab) {
	t.Helper()
	b, err := browser.StartIn(profile, "")
	if err != nil {
		t.Fatal(err)
	}
	p, err := b.Own(home.Base, 1280, 800)
	if err != nil {
		b.Stop()
		t.Fatal(err)
	}
	return b, p
}

// killedAndBack kills a browser while the server is away, lets the server come
// back, and opens a page in a browser with the same profile until all is saved.
func killedAndBack(t *testing.T, b *browser.Browser, profile, login, path string) (*browser.Browser, *browser.Tab) {
	t.Helper()
	b.Process().Kill()
	b.Stop()
	if err := home.Serve(); err != nil {
		t.Fatal(err)
	}
	b, p := withProfile(t, profile)
	steps(t,
		p.Clear, // the killed browser may or may not have kept the cookie
		func() error { return p.SignIn(login, scenePassword) },
		func() error { return p.Go(path) },
		p.Ready,
		func() error {
			return p.Until("it is saved", `document.querySelector("[data-saved]").dataset.state === "saved"`)
		},
	)
	return b, p
}

// The browser is killed while changes wait for a server that is away. Started
// again with the same profile it sends them, and they are there once.
func TestKillingTheBrowserLosesNothingThatWaits(t *testing.T) {
	ctx := context.Background()
	sc := setSceneNamed(t, "Lid")
	c := sc.copies[flow.InProgress]
	profile := t.TempDir()
	path := fmt.Sprintf("/copies/%d", c.ID)
	b, page := withProfile(t, profile)
	steps(t,
		func() error { return page.SignIn("lid.student", scenePassword) },
		func() error { return page.Go(path) },
		page.Ready,
		func() error { return page.Click(`[aria-label="Type"]`) },
		func() error { home.KillServer(); return nil },
		func() error { return page.Press(browser.Place{Page: 1, X: 216, Y: 342}) },
		func() error { return page.Type("4.5 metres") },
		func() error {
			return page.Until("it says that the change is here only", `document.querySelector("[data-saved-words]").textContent === "On this device only, 1 change waiting"`)
		},
	)
	b, _ = killedAndBack(t, b, profile, "lid.student", path)
	defer b.Stop()
	heads, err := home.Store.Heads(ctx, c.ID, submission.Work)
	if err != nil {
		t.Fatal(err)
	}
	found := 0
	for _, h := range heads {
		if f, ok := h.Mark.Body.(*mark.FreeText); ok && f.String() == "4.5 metres" {
			found++
		}
	}
	if found != 1 {
		t.Errorf("what waited is there %d times", found)
	}
}

// What reaches the server after Submit never changes the attempt.
func TestLateOperationsWaitForTheNextAttempt(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	sc := setSceneNamed(t, "After")
	c := sc.copies[flow.Submitted]
	attempts, err := home.Store.Attempts(ctx, c.ID)
	if err != nil {
		t.Fatal(err)
	}
	before, err := home.Store.Blob(ctx, attempts[0].SnapshotHash)
	if err != nil {
		t.Fatal(err)
	}
	w := &writer{client: sc.people["student"], id: c.ID, base: home.Base, prefix: "later"}
	if err := w.write(ctx, 3); err != nil {
		t.Fatal(err)
	}
	teacher, err := home.Store.PersonByLogin(ctx, "after.teacher")
	if err != nil {
		t.Fatal(err)
	}
	v, err := home.School.Screens.OpenToMark(ctx, teacher, c.ID, 0)
	if err != nil {
		t.Fatal(err)
	}
	if len(v.Marks) != 2 || v.Waiting != 3 {
		t.Errorf("the teacher sees %d marks and %d waiting changes, want 2 and 3", len(v.Marks), v.Waiting)
	}
	again, err := home.Store.Attempts(ctx, c.ID)
	if err != nil {
		t.Fatal(err)
	}
	after, err := home.Store.Blob(ctx, again[0].SnapshotHash)
	if err != nil || !bytes.Equal(before, after) || again[0].SnapshotHash != attempts[0].SnapshotHash {
		t.Errorf("the attempt changed (%v)", err)
	}
}

// One change that the server refuses does not hold up the others, and is said.
func TestARefusedChangeHoldsUpNothing(t *testing.T) {
	t.Parallel()
	p, id := desk(t, "Refuse", 1280, 800)
	steps(t,
		func() error { return p.Click(`.place [aria-label="Pen"]`) },
		func() error {
			_, err := browser.Eval[any](p, `const send=window.fetch; window.fetch=(url,o)=>{ if(String(url).endsWith("/ops")&&!window.spoilt){window.spoilt=true; const b=JSON.parse(o.body); b.ops.push({id:"refused-op-1",on:"refused-mark",base:"never-was-put",mark:{id:"refused-mark",page:99,kind:"note",body:{at:[1,1],text:"x"}}}); o={...o,body:JSON.stringify(b)}} return send(url,o)}`)
			return err
		},
		func() error { return p.Drag("mouse", 0.5, round(1, 110, 446, 30)...) },
		func() error { return p.Until("the refusal was met", `window.spoilt`) },
		func() error { return p.Drag("mouse", 0.5, round(1, 230, 446, 30)...) },
	)
	if got := kinds(kept(t, p, id)); got != "ink ink" {
		t.Errorf("kept %q, want both strokes", got)
	}
}

// A return that is planned is done once its time has come, though server and
// database are killed before it.
func TestAPlannedReturnOutlivesServerAndDatabase(t *testing.T) {
	ctx := context.Background()
	sc := setSceneNamed(t, "Outlives")
	c := sc.copies[flow.Submitted]
	res, err := sc.people["teacher"].PostForm(fmt.Sprintf("%s/copies/%d/return", home.Base, c.ID), url.Values{"attempt": {"1"}, "anyway": {"yes"}})
	if err != nil {
		t.Fatal(err)
	}
	res.Body.Close()
	if res.StatusCode != http.StatusOK {
		t.Fatalf("it is not planned: %d", res.StatusCode)
	}
	home.KillServer()
	home.DB.Kill()
	if err := home.DB.Restart(ctx); err != nil {
		t.Fatal(err)
	}
	if err := home.Serve(); err != nil {
		t.Fatal(err)
	}
	for range 600 {
		attempts, err := home.Store.Attempts(ctx, c.ID)
		if err != nil {
			t.Fatal(err)
		}
		if attempts[0].ReturnedAt != nil {
			break
		}
		time.Sleep(50 * time.Millisecond)
	}
	attempts, err1 := home.Store.Attempts(ctx, c.ID)
	returns, err2 := home.Store.Returns(ctx, c.ID, 1)
	if err := errors.Join(err1, err2); err != nil || attempts[0].ReturnedAt == nil || len(returns) != 1 || !returns[0].Stands() || returns[0].DoneAt.Before(returns[0].DueAt) {
		t.Errorf("the attempt was returned %v, its returns are %+v (%v)", attempts[0].ReturnedAt, returns, err)
	}
}

// A scan that is being read when the database goes, and a recording that was to be
// written down when the process went, are done by who comes next, within a minute.
func TestWhatIsDoneBehindOutlivesServerAndDatabase(t *testing.T) {
	ctx, st := context.Background(), home.Store
	tide, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	login, id := copyOf(t, "Behind", pdftest.BookOf(t, pdftest.Scanned(t, tide, 1, 0.006, nil, rand.New(rand.NewPCG(5, 11)))), 1)
	view, err := home.School.Screens.Open(ctx, personOf(t, login), id)
	if err != nil {
		t.Fatal(err)
	}
	sound, err := st.PutBlob(ctx, recogniser.TideFloods())
	if err != nil {
		t.Fatal(err)
	}
	asked, err := st.AskTranscript(ctx, id, sound, time.Now())
	if err != nil {
		t.Fatal(err)
	}
	within := func(what string, done func() (bool, error)) {
		t.Helper()
		for until := time.Now().Add(time.Minute); ; time.Sleep(50 * time.Millisecond) {
			switch ok, err := done(); {
			case err != nil:
				t.Fatalf("%s: %v", what, err)
			case ok:
				return
			case time.Now().After(until):
				t.Fatalf("it takes too long until %s", what)
			}
		}
	}
	home.KillServer()
	if err := home.Serve(); err != nil {
		t.Fatal(err)
	}
	within("a scan is read", func() (bool, error) {
		all, err := st.Jobs(ctx)
		return slices.ContainsFunc(all, func(j school.Job) bool { return j.Kind == school.JobScans && j.LeasedUntil != nil }), err
	})
	home.DB.Kill()
	if err := home.DB.Restart(ctx); err != nil {
		t.Fatal(err)
	}
	within("the scan has words", func() (bool, error) {
		var p words.Page
		layer, err := home.School.Revisions.TextLayer(ctx, personOf(t, login), view.Sheet, 1)
		if err == nil {
			err = json.Unmarshal([]byte(layer), &p)
		}
		return !p.Wordless, err
	})
	within("the recording is written down", func() (bool, error) {
		asked, err = st.Transcript(ctx, asked.ID)
		return asked.Done, err
	})
	if asked.Text != "tide floods" {
		t.Errorf("it says %q (%s)", asked.Text, asked.Problem)
	}
}
