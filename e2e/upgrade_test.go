package e2e

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"readymargin/core/plan"
	"readymargin/demo"
	"readymargin/school"
)

// A worksheet that an earlier version handed out as it was brought in, with
// what the teacher's file carries, is assembled anew; copies and what stands on
// them stay as they are.
func TestWhatWasHandedOutWholeIsAssembledAnew(t *testing.T) {
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
	w, err := s.BringIn(ctx, teacher, school.Upload{Name: "Whole.pdf", Data: data})
	if err != nil {
		t.Fatal(err)
	}
	b, err := s.Prepare(ctx, teacher, w.ID)
	if err != nil || b.Sources[0].Remark != "Students do not get what this file carries beside its pages: an attachment and who made it." {
		t.Errorf("the bench says %q (%v)", b.Sources[0].Remark, err)
	}
	// As it was before: the revision hands out the source.
	p, err := plan.Parse(w.Plan)
	if err != nil {
		t.Fatal(err)
	}
	r := school.Revision{WorksheetID: w.ID, Number: 1, FileHash: b.Sources[0].FileHash, PageCount: len(p), Plan: w.Plan, CreatedAt: s.Now()}
	if err := home.Store.AddRevision(ctx, &r); err != nil {
		t.Fatal(err)
	}
	a, err := s.Assign(ctx, teacher, school.NewAssignment{Course: sc.course.ID, Worksheet: w.ID, Terms: school.Terms{Title: "Whole"}})
	if err != nil || a.Handouts[0].RevisionID != r.ID {
		t.Fatalf("revision %d, want %d (%v)", a.Handouts[0].RevisionID, r.ID, err)
	}
	code, before := sc.page(t, "teacher", fmt.Sprintf("/sheets/%d/pages/1/100", r.ID))
	if done, left, err := s.AssembleAnew(ctx); err != nil || done < 1 || left > 0 {
		t.Errorf("%d assembled anew, %d left (%v)", done, left, err)
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
	if done, _, err := s.AssembleAnew(ctx); err != nil || done != 0 {
		t.Errorf("a second time it assembled %d (%v)", done, err)
	}
}
