package main

import (
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"time"

	"readymargin/core/annotation"
	"readymargin/core/document"
	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/e2e/house"
)

// away: what is taken away. A copy with 20,000 marks in every form, and a class of 150
// with four pages each as it is streamed, with what the server's own memory grows by.
func (b *bench) away() ([]line, error) {
	_, name, drop, err := sample()
	if err != nil {
		return nil, err
	}
	defer drop()
	four := name + "-4.pdf"
	if err := exec.Command("qpdf", "--empty", "--pages", name, name, "--", four).Run(); err != nil {
		return nil, err
	}
	file, err := os.ReadFile(four)
	if err != nil {
		return nil, err
	}
	lines, err := b.many(file)
	if err != nil {
		return nil, err
	}
	class, err := b.classAway(file)
	return append(lines, class...), err
}

// many: 20,000 marks, printed and movable.
func (b *bench) many(file []byte) (out []line, err error) {
	pages, err := b.house.Engine.Inspect(b.ctx, file)
	if err != nil {
		return nil, err
	}
	printed := document.Export{}
	for _, p := range pages {
		printed.Boxes = append(printed.Boxes, p.Box)
	}
	movable := printed
	var said []annotation.Said
	for i := range 20_000 {
		m := someMark(fmt.Sprintf("away-mark-%05d", i), i%4+1, i)
		printed.Marks = append(printed.Marks, m)
		said = append(said, annotation.Said{Mark: m, Author: "Somebody", At: time.Unix(1.79e9, 0), Layer: annotation.Work})
	}
	movable.Annotations = annotation.All(said, func(s string, _ bool) string { return s })
	for _, form := range []struct {
		name string
		what document.Export
	}{{"printed", printed}, {"movable", movable}} {
		took, err := median(1, func() error {
			_, err := b.house.Engine.Print(b.ctx, file, form.what)
			return err
		})
		if err != nil {
			return nil, err
		}
		out = append(out, line{"export of 20,000 marks, " + form.name, took, 0, "ms", 3000, false, ""})
	}
	return out, nil
}

// classAway: 150 copies of four pages with 50 marks each, as one ZIP.
func (b *bench) classAway(file []byte) (out []line, err error) {
	crowd, err := b.house.Crowd(b.ctx, "Awayclass", 150, file)
	if err != nil {
		return nil, err
	}
	for i, seat := range crowd.Seats {
		var ops []submission.Op
		for k := range 50 {
			m := someMark(fmt.Sprintf("away-%03d-%02d", i, k), k%4+1, k+i)
			ops = append(ops, submission.Op{ID: "op-" + m.ID, On: m.ID, Mark: &mark.Mark{ID: m.ID, Page: m.Page, Body: m.Body}})
		}
		if _, err := b.house.School.Saving.Save(b.ctx, seat.Person, seat.Copy, submission.Work, ops); err != nil {
			return nil, err
		}
		v, err := b.house.School.Screens.Open(b.ctx, seat.Person, seat.Copy)
		if err != nil {
			return nil, err
		}
		if _, err := b.house.School.Submitting.Submit(b.ctx, seat.Person, seat.Copy, "", v.Seq); err != nil {
			return nil, err
		}
	}
	token, err := b.house.SignIn(b.ctx, crowd.Teacher.ID)
	if err != nil {
		return nil, err
	}
	for _, as := range []string{"copies?as=printed", "copies?as=movable", "stack?as=printed"} {
		var took time.Duration
		var size int64
		grown, err := b.house.Grown(func() error {
			req, err := http.NewRequest("GET", fmt.Sprintf("%s/assignments/%d/%s", b.house.Base, crowd.Assignment.ID, as), nil)
			if err != nil {
				return err
			}
			req.AddCookie(&http.Cookie{Name: house.Cookie, Value: token})
			start := time.Now()
			res, err := http.DefaultClient.Do(req)
			if err != nil {
				return err
			}
			defer res.Body.Close()
			if res.StatusCode != http.StatusOK {
				return fmt.Errorf("%s: %s", as, res.Status)
			}
			size, err = io.Copy(io.Discard, res.Body)
			took = time.Since(start)
			return err
		})
		if err != nil {
			return nil, err
		}
		out = append(out,
			line{fmt.Sprintf("a class of 150 x 4 pages, %s, %.0f MB, a copy", as, float64(size)/1e6), float64(took.Milliseconds()) / 150, 0, "ms", 200, false, ""},
			line{"its growth of the server's own memory, " + as, float64(grown) / (1 << 20), 0, "MiB", 64, false, ""})
	}
	return out, nil
}
