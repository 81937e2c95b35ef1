package main

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"

	"readymargin/core/optical"
	"readymargin/core/words"
	"readymargin/demo"
	"readymargin/tesseract"
)

// scans: the words of a page that is only a picture, beside the reader's own command with
// pictures of the same size; how many of the printed words were read, and the memory that
// it takes.
func (b *bench) scans() ([]line, error) {
	file, err := demo.TideHeights()
	if err != nil {
		return nil, err
	}
	printed, err := b.house.Engine.Inspect(b.ctx, file)
	if err != nil {
		return nil, err
	}
	picture, err := b.house.Engine.Upright(b.ctx, file, 1, 0, optical.Scale)
	if err != nil {
		return nil, err
	}
	var read []words.Word
	ours, err := median(5, func() (err error) {
		read, err = tesseract.Reader{}.Read(b.ctx, picture, optical.Scale, "en")
		return err
	})
	if err != nil {
		return nil, err
	}
	dir, err := os.MkdirTemp("", "scans-*")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	name := filepath.Join(dir, "page.png")
	if err := os.WriteFile(name, picture, 0o600); err != nil {
		return nil, err
	}
	var most int64
	theirs, err := median(5, func() error {
		cmd := exec.Command("tesseract", name, "-", "-l", "eng", "hocr")
		cmd.Env = append(os.Environ(), "OMP_THREAD_LIMIT=1")
		if out, err := cmd.CombinedOutput(); err != nil {
			return fmt.Errorf("%w: %s (%s)", err, out, tesseract.Install)
		}
		if use, ok := cmd.ProcessState.SysUsage().(*syscall.Rusage); ok {
			most = max(most, use.Maxrss)
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	all, right := 0, 0
	for _, w := range printed[0].Print.Words {
		if strings.Trim(w.Text, "_.…") == "" {
			continue
		}
		all++
		if slices.ContainsFunc(read, func(o words.Word) bool { return o.Text == w.Text && o.Rect().Center().Dist(w.Rect().Center()) < 6 }) {
			right++
		}
	}
	return []line{
		{"the words of a scanned page", ours, theirs, "ms", 1.5, false, "tesseract's own command"},
		{"its words that were read, of " + strconv.Itoa(all), float64(right), float64(all), "", 0.95, true, "the printed ones"},
		{"memory of the reader", float64(most) / 1024, 0, "MiB", 300, false, ""},
	}, nil
}
