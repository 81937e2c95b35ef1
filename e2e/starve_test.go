package e2e

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"readymargin/core/document"
	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/demo"
	"readymargin/e2e/house"
	"readymargin/pdf"
	"readymargin/queue"
	"readymargin/school"
	"readymargin/school/intake"
	"readymargin/school/takeaway"
	"readymargin/school/work"
)

// errOf is the error of what gives something else too.
func errOf[T any](_ T, err error) error { return err }

// must ends the test with an error.
func must[T any](t *testing.T) func(v T, err error) T {
	return func(v T, err error) T {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
		return v
	}
}

func hugePNG(t *testing.T, side int) []byte { return must[[]byte](t)(house.HugePNG(side)) }

// hugePages returns a small file of large empty pages.
func hugePages(t *testing.T, n int, side float64) []byte { return pagesOf(t, n, side, side) }

func pagesOf(t *testing.T, n int, wide, high float64) []byte {
	return must[[]byte](t)(house.EmptyPages(n, wide, high))
}

// While strangers' files come in that are small and cost much, a page that
// somebody looks at is not behind them, nobody's turn is lost, and the server's
// own memory stays flat: all of it is opened elsewhere.
func TestHostileFilesStarveNobody(t *testing.T) {
	ctx := context.Background()
	sc := setSceneNamed(t, "Starve")
	pool, err := pdf.NewPool(pdf.Config{Command: []string{house.Binary(), "pdf-worker"}, Cache: house.Cache(), Workers: 2})
	if err != nil {
		t.Fatal(err)
	}
	defer pool.Close()
	picture := hugePNG(t, 3000) // it takes long enough for others to come meanwhile
	sheet, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	var uploads atomic.Int32
	done := make(chan error, 8)
	for i := range 8 {
		go func() {
			_, err := pool.Repaint(queue.For(ctx, fmt.Sprint("somebody ", i%2)), picture, document.Painting{Side: 1600, Pixels: 40_000_000})
			uploads.Add(1)
			done <- err
		}()
	}
	time.Sleep(100 * time.Millisecond)
	if _, err := pool.Picture(queue.In(queue.For(ctx, "reader"), queue.Look), sheet, 1, 1.5); err != nil {
		t.Fatal(err)
	}
	if n := uploads.Load(); n > 2 {
		t.Errorf("%d uploads went before the page that somebody looks at", n)
	}
	for range 8 {
		if err := <-done; err != nil {
			t.Error(err)
		}
	}
	// Over HTTP: 20 pages of 3000 points a side, said to be the sheet worked on.
	grown, err := home.Grown(func() error {
		id := sc.copies[flow.InProgress].ID
		for name, file := range map[string][]byte{"large.pdf": hugePages(t, 20, 3000), "one.pdf": hugePages(t, 1, 3000), "huge.png": hugePNG(t, 6000)} {
			if status := sc.upload(t, "student", fmt.Sprintf("/copies/%d/elsewhere", id), name, file); status < 400 || status >= 500 {
				t.Errorf("%s: %d", name, status)
			}
			if status := sc.upload(t, "student", fmt.Sprintf("/copies/%d/pictures?layer=work", id), name, file); status < 400 || status >= 500 {
				t.Errorf("%s as a picture: %d", name, status)
			}
		}
		return nil
	})
	if err != nil || grown>>20 > 64 {
		t.Errorf("the server's own memory grew by %d MiB (%v)", grown>>20, err)
	}
}

// A refused upload leaves nothing in the database.
func TestRefusedUploadsLeaveNothing(t *testing.T) {
	ctx := context.Background()
	sc := setSceneNamed(t, "Refusals")
	sheet, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	other, err := demo.PassagePlan()
	if err != nil {
		t.Fatal(err)
	}
	count := func() (n int) {
		t.Helper()
		db, err := home.Store.DB()
		if err != nil {
			t.Fatal(err)
		}
		if err := db.QueryRow("SELECT (SELECT COUNT(*) FROM blobs) + (SELECT COUNT(*) FROM blob_chunks) + (SELECT COUNT(*) FROM file_pages) + (SELECT COUNT(*) FROM worksheets) + (SELECT COUNT(*) FROM copy_attachments)").Scan(&n); err != nil {
			t.Fatal(err)
		}
		return n
	}
	before := count()
	if _, err := home.School.Shelf.BringIn(ctx, account(t, "refusals.teacher"), intake.Upload{Name: "good.pdf", Data: append(sheet, " \n"...)}, intake.Upload{Name: "bad.pdf", Data: []byte("%PDF-1.4 no more")}); err == nil {
		t.Error("a good and a damaged file were taken")
	}
	if _, err := home.School.Elsewhere.BringElsewhere(ctx, account(t, "refusals.student"), sc.copies[flow.InProgress].ID, intake.Upload{Name: "other.pdf", Data: append(other, " \n"...)}, work.Answers{}); !school.IsProblem(err, "other sheet") {
		t.Errorf("another sheet: %v", err)
	}
	if after := count(); after != before {
		t.Errorf("%d rows were left behind", after-before)
	}
}

// What somebody can add to a copy is bounded, and taking away goes on.
func TestACopyHoldsOnlySoMuch(t *testing.T) {
	t.Parallel()
	ctx, s := context.Background(), home.School
	sc := setSceneNamed(t, "Brimful")
	student, id := account(t, "brimful.student"), sc.copies[flow.InProgress].ID
	long := strings.Repeat("a long answer ", 1400)
	var refused error
	saved := 0
	for batch := range 60 {
		var ops []submission.Op
		for i := range 10 {
			m := mark.Mark{ID: fmt.Sprintf("full-mark-%02d-%02d", batch, i), Page: 1, Body: &mark.FreeText{X: 10, Y: 20, Width: 60, Lines: []mark.TextLine{{Runs: []mark.Run{{Text: long, Size: 14, Color: "#1e2a44"}}}}}}
			ops = append(ops, submission.Op{ID: fmt.Sprintf("full-op-%02d-%02d", batch, i), On: m.ID, Mark: &m})
		}
		if _, refused = s.Saving.Save(ctx, student, id, submission.Work, ops); refused != nil {
			break
		}
		saved += 10
	}
	if !school.IsProblem(refused, "full") || saved < 300 {
		t.Fatalf("after %d long texts: %v", saved, refused)
	}
	heads, err := home.Store.Heads(ctx, id, submission.Work)
	if err != nil || len(heads) != saved+1 {
		t.Errorf("%d marks are there, want %d (%v)", len(heads), saved+1, err)
	}
	if _, err := s.Saving.Save(ctx, student, id, submission.Work, []submission.Op{{ID: "full-gone-00", On: "full-mark-00-00", Base: "full-op-00-00"}}); err != nil {
		t.Errorf("taking one away: %v", err)
	}
	// It opens, and is printed in a time that grows with what is on it; who
	// leaves is not worked for.
	if _, err := s.Screens.Open(ctx, student, id); err != nil {
		t.Error(err)
	}
	gone, cancel := context.WithTimeout(ctx, 150*time.Millisecond)
	defer cancel()
	if _, err := s.Exports.TakeCopy(gone, student, id, takeaway.Choice{Anyway: true}); !errors.Is(err, context.DeadlineExceeded) {
		t.Errorf("printed for somebody who left: %v", err)
	}
	if _, err := s.Exports.TakeCopy(ctx, student, id, takeaway.Choice{Anyway: true}); err != nil {
		t.Errorf("printing: %v", err)
	}
}

// upload posts a file as a form does.
func (sc *scene) upload(t *testing.T, who, path, name string, file []byte) int {
	t.Helper()
	body, kind, err := house.FileForm(name, file)
	if err != nil {
		t.Fatal(err)
	}
	req, err := http.NewRequest("POST", home.Base+path, bytes.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Content-Type", kind)
	req.Header.Set("Accept", "application/json")
	req.Header.Set("Sec-Fetch-Site", "same-origin")
	res, err := sc.people[who].Do(req)
	if err != nil {
		t.Fatal(err)
	}
	res.Body.Close()
	return res.StatusCode
}
