package e2e

import (
	"bytes"
	"compress/gzip"
	"context"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/andybalholm/brotli"

	"readymargin/core/worksheet"
	"readymargin/demo"
	"readymargin/e2e/browser"
	"readymargin/school"
	"readymargin/school/assign"
	"readymargin/school/intake"
)

// fetched gets a file in a form and unpacks it.
func fetched(t *testing.T, path, form string) []byte {
	t.Helper()
	req, err := http.NewRequest(http.MethodGet, home.Base+path, nil)
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Accept-Encoding", form)
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	var body io.Reader = res.Body
	switch res.Header.Get("Content-Encoding") {
	case "br":
		body = brotli.NewReader(res.Body)
	case "gzip":
		if body, err = gzip.NewReader(res.Body); err != nil {
			t.Fatal(err)
		}
	default:
		if form != "" {
			t.Errorf("asked for %s, it comes unpacked", form)
		}
	}
	b, err := io.ReadAll(body)
	if err != nil {
		t.Fatal(err)
	}
	return b
}

// A page from before the server was brought up to date never gets scripts of
// two versions: what it still needs is refused, and it is loaded again, once.
func TestAPageOfAnotherVersion(t *testing.T) {
	t.Parallel()
	p, id := desk(t, "Version", 1280, 800)
	var core string
	steps(t, func() (err error) {
		core, err = browser.Eval[string](p, `return document.querySelector("[data-core]").dataset.core`)
		return err
	})
	parts := strings.Split(core, "/") // "", "a", the version, …
	for version, want := range map[string]int{parts[2]: http.StatusOK, "0123456789ab": http.StatusNotFound} {
		parts[2] = version
		res, err := http.Get(home.Base + strings.Join(parts, "/"))
		if err != nil {
			t.Fatal(err)
		}
		res.Body.Close()
		if lasting := strings.Contains(res.Header.Get("Cache-Control"), "immutable"); res.StatusCode != want || lasting != (want == http.StatusOK) {
			t.Errorf("the core of version %s: %d, %s", version, res.StatusCode, res.Header.Get("Cache-Control"))
		}
	}
	whole := fetched(t, core, "")
	for _, form := range []string{"gzip", "br", "br, gzip"} {
		if got := fetched(t, core, form); !bytes.Equal(got, whole) || len(whole) < 1_000_000 {
			t.Errorf("packed as %s the core has %d bytes of %d", form, len(got), len(whole))
		}
	}
	// The core cannot be had, a number of times.
	times := func(n int) string {
		return fmt.Sprintf(`{ const n = Number(sessionStorage.getItem("loads") ?? 0) + 1; sessionStorage.setItem("loads", n);
			if (n <= %d) WebAssembly.instantiateStreaming = async () => { throw new Error("gone"); }; }`, n)
	}
	q := tab(t, 1280, 800)
	steps(t, func() error { return q.SignIn("version.student", scenePassword) },
		func() error { return q.Before(`if (location.pathname.startsWith("/copies/")) ` + times(1)) },
		func() error { return q.Go(fmt.Sprintf("/copies/%d", id)) }, q.Ready,
		func() error { return q.Until("it was loaded twice", `sessionStorage.getItem("loads") === "2"`) },
		func() error { return q.Until("it may be again", `sessionStorage.getItem("loaded again") === null`) },
	)
	r := tab(t, 1280, 800)
	steps(t, func() error { return r.SignIn("version.student", scenePassword) },
		func() error { return r.Before(`if (location.pathname.startsWith("/copies/")) ` + times(9)) },
		func() error { return r.Go(fmt.Sprintf("/copies/%d", id)) },
		func() error { return r.Until("it was loaded twice", `sessionStorage.getItem("loads") === "2"`) },
		func() error {
			return r.Until("it is said", `document.querySelector(".toast")?.innerText.includes("Nothing that was saved is lost")`)
		},
		func() error {
			return r.Until("it stays", `await new Promise((ok) => setTimeout(ok, 1500)), sessionStorage.getItem("loads") === "2"`)
		},
	)
}

// A worksheet that an earlier version handed out as it was brought in, with
// what the teacher's file carries, is assembled anew; copies and what stands on
// them stay as they are.
func TestWhatWasHandedOutWholeIsAssembledAnew(t *testing.T) {
	t.Parallel()
	ctx, s := context.Background(), home.School
	sc := setSceneNamed(t, "Whole")
	teacher := account(t, "whole.teacher")
	sheet, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	dir := t.TempDir()
	plain, secret, file := filepath.Join(dir, "plain.pdf"), filepath.Join(dir, "answers.txt"), filepath.Join(dir, "sheet.pdf")
	for name, b := range map[string][]byte{plain: sheet, secret: []byte("planted answers")} {
		if err := os.WriteFile(name, b, 0o644); err != nil {
			t.Fatal(err)
		}
	}
	if out, err := exec.Command("qpdf", plain, "--add-attachment", secret, "--", file).CombinedOutput(); err != nil {
		t.Fatalf("qpdf (apt-get install qpdf): %v %s", err, out)
	}
	data, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	w, err := s.Shelf.BringIn(ctx, teacher, intake.Upload{Name: "Whole.pdf", Data: data})
	if err != nil {
		t.Fatal(err)
	}
	b, err := s.Shelf.Prepare(ctx, teacher, w.ID)
	if err != nil || b.Sources[0].Remark != "Students do not get what this file carries beside its pages: an attachment and who made it." {
		t.Errorf("the bench says %q (%v)", b.Sources[0].Remark, err)
	}
	// As it was before: the revision hands out the source.
	p, err := worksheet.Parse(w.Plan)
	if err != nil {
		t.Fatal(err)
	}
	r := school.Revision{WorksheetID: w.ID, Number: 1, FileHash: b.Sources[0].FileHash, PageCount: len(p), Plan: w.Plan, CreatedAt: s.Now()}
	if err := home.Store.AddRevision(ctx, &r); err != nil {
		t.Fatal(err)
	}
	a, err := s.Assignments.Assign(ctx, teacher, assign.NewAssignment{Course: sc.course.ID, Worksheet: w.ID, Terms: assign.Terms{Title: "Whole"}})
	if err != nil || a.Handouts[0].RevisionID != r.ID {
		t.Fatalf("revision %d, want %d (%v)", a.Handouts[0].RevisionID, r.ID, err)
	}
	code, before := sc.page(t, "teacher", fmt.Sprintf("/sheets/%d/pages/1/100", r.ID))
	if err := s.Publishing.AssembleAnew(ctx, r.ID); err != nil {
		t.Error(err)
	}
	now, err := home.Store.Revision(ctx, r.ID)
	if err != nil || now.FileHash == r.FileHash || now.PageCount != r.PageCount {
		t.Fatalf("the revision is %v (%v)", now, err)
	}
	handed, err := home.Store.Blob(ctx, now.FileHash)
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(file, handed, 0o644); err != nil {
		t.Fatal(err)
	}
	open, err := exec.Command("qpdf", "--qdf", "--object-streams=disable", file, "-").Output()
	if err != nil || bytes.Contains(open, []byte("planted")) || bytes.Contains(open, []byte("EmbeddedFile")) {
		t.Errorf("what is handed out carries the attachment (%v)", err)
	}
	if again, after := sc.page(t, "teacher", fmt.Sprintf("/sheets/%d/pages/1/100", r.ID)); again != code || after != before {
		t.Errorf("the page looks otherwise: %d, %d bytes of %d", again, len(after), len(before))
	}
}
