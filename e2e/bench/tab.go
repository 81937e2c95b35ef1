package main

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"math/rand/v2"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"golang.org/x/sync/errgroup"

	"readymargin/demo"
	"readymargin/e2e/browser"
	"readymargin/e2e/house"
	"readymargin/school/assign"
	"readymargin/school/intake"
)

// scanned returns a page as a scanner gives it: 150 dots an inch, in colour,
// with grain.
func (b *bench) scanned(n int) (intake.Upload, error) {
	file, err := demo.TideHeights()
	if err != nil {
		return intake.Upload{}, err
	}
	pic, err := b.house.Engine.Picture(b.ctx, file, 1+n%2, 150.0/72)
	if err != nil {
		return intake.Upload{}, err
	}
	plain, _, err := image.Decode(bytes.NewReader(pic.Data))
	if err != nil {
		return intake.Upload{}, err
	}
	r, out := rand.New(rand.NewPCG(uint64(n), 4)), image.NewRGBA(plain.Bounds())
	for y := range out.Bounds().Dy() {
		for x := range out.Bounds().Dx() {
			c := color.RGBAModel.Convert(plain.At(x, y)).(color.RGBA)
			d := r.IntN(17) + n%7
			out.SetRGBA(x, y, color.RGBA{c.R - min(c.R, uint8(d)), c.G - min(c.G, uint8(d)), c.B - min(c.B, uint8(d+6)), 255})
		}
	}
	var data bytes.Buffer
	err = jpeg.Encode(&data, out, &jpeg.Options{Quality: 80})
	return intake.Upload{Name: fmt.Sprintf("scan %d.jpg", n), Data: data.Bytes()}, err
}

// memory: of the tab, once all of a copy with 20 scanned pages was scrolled by.
func (b *bench) memory() ([]line, error) {
	if err := b.stage(); err != nil {
		return nil, err
	}
	s := b.house.School
	teacher, err := b.house.Store.PersonByLogin(b.ctx, "mr.okonjo-bell")
	if err != nil {
		return nil, err
	}
	student, err := b.house.Store.PersonByLogin(b.ctx, "rhys.pugh")
	if err != nil {
		return nil, err
	}
	var files []intake.Upload
	for n := range 20 {
		f, err := b.scanned(n)
		if err != nil {
			return nil, err
		}
		files = append(files, f)
	}
	w, err := s.Shelf.BringIn(b.ctx, teacher, files...)
	if err != nil {
		return nil, err
	}
	courses, err := s.Courses.CoursesOf(b.ctx, teacher)
	if err != nil || len(courses) == 0 {
		return nil, fmt.Errorf("bench: no course: %w", err)
	}
	a, err := s.Assignments.Assign(b.ctx, teacher, assign.NewAssignment{Course: courses[0].Course.ID, Worksheet: w.ID, Anyway: true, Terms: assign.Terms{Title: "Twenty scans"}})
	if err != nil {
		return nil, err
	}
	c, err := s.Saving.OpenOwn(b.ctx, student, a.ID)
	if err != nil {
		return nil, err
	}
	web, err := browser.Start("") // a browser of its own, so that its one page is the one measured
	if err != nil {
		return nil, err
	}
	defer web.Stop()
	t, err := web.Tab(b.house.Base, 1366, 620)
	if err != nil {
		return nil, err
	}
	if err := t.SignIn("rhys.pugh", demo.Password); err != nil {
		return nil, err
	}
	if err := t.Go(fmt.Sprintf("/copies/%d", c.ID)); err != nil {
		return nil, err
	}
	if err := t.Ready(); err != nil {
		return nil, err
	}
	if _, err := browser.Eval[int](t, `const d=document.querySelector("[data-desk]"); for (const s of document.querySelectorAll("section.sheet")) { d.scrollTop += s.getBoundingClientRect().top - 60; await new Promise(r=>setTimeout(r,400)); const i=s.querySelector("img"); for (let k=0;k<200&&!(i.complete&&i.naturalWidth);k++) await new Promise(r=>setTimeout(r,30)); } return 1`); err != nil {
		return nil, err
	}
	time.Sleep(2 * time.Second)
	mb, err := heaviest(web.Process().Pid)
	return []line{{"the tab with 20 scanned pages, all seen", mb, 0, "MB", 250, false, ""}}, err
}

// heaviest returns the proportional set size, in MB, of the largest page
// process under a browser.
func heaviest(root int) (most float64, err error) {
	parents := map[int]int{}
	dirs, _ := filepath.Glob("/proc/[0-9]*")
	for _, d := range dirs {
		stat, err := os.ReadFile(filepath.Join(d, "stat"))
		if err != nil {
			continue
		}
		fields := strings.Fields(string(stat[bytes.LastIndexByte(stat, ')')+1:]))
		pid, _ := strconv.Atoi(filepath.Base(d))
		parents[pid], _ = strconv.Atoi(fields[1])
	}
	under := func(pid int) bool {
		for ; pid > 1; pid = parents[pid] {
			if pid == root {
				return true
			}
		}
		return false
	}
	for pid := range parents {
		line, err := os.ReadFile(fmt.Sprintf("/proc/%d/cmdline", pid))
		if err != nil || !under(pid) || !bytes.Contains(line, []byte("--type=renderer")) {
			continue
		}
		sizes, err := os.ReadFile(fmt.Sprintf("/proc/%d/smaps_rollup", pid))
		if err != nil {
			continue
		}
		for l := range strings.Lines(string(sizes)) {
			if f := strings.Fields(l); len(f) > 1 && f[0] == "Pss:" {
				kb, _ := strconv.ParseFloat(f[1], 64)
				most = max(most, kb/1024)
			}
		}
	}
	if most == 0 {
		err = fmt.Errorf("bench: no page process was found")
	}
	return most, err
}

// hostile: how far the server's own memory grows while files come in that are
// small and cost much: pages and a picture of many dots, from eight at once.
func (b *bench) hostile() ([]line, error) {
	crowd, err := b.crowd("Hostile", 8)
	if err != nil {
		return nil, err
	}
	pages, err := house.EmptyPages(20, 3000, 3000)
	if err != nil {
		return nil, err
	}
	picture, err := house.HugePNG(6000)
	if err != nil {
		return nil, err
	}
	grown, err := b.house.Grown(func() error {
		var all errgroup.Group
		for _, s := range crowd.Seats {
			all.Go(func() error {
				client := &http.Client{}
				defer client.CloseIdleConnections()
				for _, up := range []struct {
					path, name string
					file       []byte
				}{{"/copies/%d/elsewhere", "large.pdf", pages}, {"/copies/%d/elsewhere", "huge.png", picture}, {"/copies/%d/pictures?layer=work", "huge.png", picture}} {
					status, err := s.Upload(client, fmt.Sprintf(up.path, s.Copy), up.name, up.file)
					if err != nil {
						return err
					}
					if status >= 500 && status != http.StatusServiceUnavailable {
						return fmt.Errorf("%s: %d", up.name, status)
					}
				}
				return nil
			})
		}
		return all.Wait()
	})
	return []line{{"the server's memory while hostile files come in", float64(grown) / 1e6, 0, "MB", 64, false, ""}}, err
}
