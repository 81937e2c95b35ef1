package main

import (
	"context"
	"fmt"
	"image"
	_ "image/png" // what poppler paints
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"slices"

	"readymargin/core/annotation"
	"readymargin/core/document"
	"readymargin/core/elsewhere"
	"readymargin/core/page"
	"readymargin/pdf"
	"readymargin/school/intake"
	"readymargin/school/work"
)

// becomes are the kinds of marks that annotations are to become, the nearest where
// there is none of their own. A stamp of another program is what it looks like.
var becomes = map[annotation.Subtype]string{
	annotation.Highlight: "highlight", annotation.Underline: "underline", annotation.StrikeOut: "strikeout", annotation.Squiggly: "underline", annotation.Ink: "ink",
	annotation.Line: "line", annotation.Square: "square", annotation.Circle: "circle", annotation.Polygon: "polyline", annotation.PolyLine: "polyline",
	annotation.FreeText: "freetext", annotation.Text: "note", annotation.Stamp: "picture",
}

// A tally counts what became of annotations.
type tally struct {
	files, unread, pages, unseen int
	all, kept                    map[annotation.Subtype]int
}

// taken takes a file's annotations over onto the file without them, as from a student
// who brings it in, and counts what they became. What is not the mark that it should
// be is listed, and so is a page on which poppler paints an annotation where nothing
// was taken over.
func (t *tally) taken(pool *pdf.Pool, name string, file []byte) {
	ctx := context.Background()
	pages, err := pool.Inspect(ctx, file)
	if err != nil {
		return
	}
	done, err := work.ReadDone(ctx, pool, intake.Read{File: file, Pages: pages})
	if err != nil || !slices.ContainsFunc(done.Annotations, func(a annotation.Annotation) bool { return becomes[a.Subtype] != "" }) {
		return
	}
	t.files++
	var all []elsewhere.Place
	for _, a := range done.Annotations {
		all = append(all, elsewhere.Place{Page: a.Page, At: a.At})
	}
	sheet, err := pool.Without(ctx, file, all)
	if err != nil {
		t.unread++
		fmt.Printf("unread     %-50s %v\n", filepath.Base(name), err)
		return
	}
	names := 0
	c := work.NewComparison(pool, intake.Read{File: sheet, Pages: pages}, func(string) string { names++; return fmt.Sprintf("taken-%04d", names) })
	match := make([]int, len(pages))
	for i := range match {
		match[i] = i + 1
	}
	got, parts, err := c.Compare(ctx, done, match, false)
	if err != nil {
		t.unread++
		fmt.Printf("unread     %-50s %v\n", filepath.Base(name), err)
		return
	}
	for _, a := range done.Annotations {
		want := becomes[a.Subtype]
		if want == "" || a.Hidden || a.State != "" || a.ReplyTo != "" && a.Group {
			continue
		}
		t.all[a.Subtype]++
		if is, ok := became(a, got.Found, parts[a.Page-1]); ok {
			t.kept[a.Subtype]++
		} else {
			fmt.Printf("%-10s %-50s page %d: %s %q\n", is, filepath.Base(name), a.Page, a.Subtype, clipped(a.Contents))
		}
	}
	for i := range pages {
		if !slices.ContainsFunc(done.Annotations, func(a annotation.Annotation) bool { return a.Page == i+1 }) {
			continue
		}
		t.pages++
		if off := t.invisible(name, sheet, i+1, pages[i], got.Found, parts[i]); off != "" {
			t.unseen++
			fmt.Printf("unseen     %-50s page %d: %s\n", filepath.Base(name), i+1, off)
		}
	}
}

func clipped(s string) string { return s[:min(len(s), 30)] }

// became returns what an annotation is now, and whether that is what it should be.
func became(a annotation.Annotation, found []elsewhere.Found, parts []document.Part) (is string, ok bool) {
	for _, f := range found {
		if f.Mark.Page == a.Page && f.Kind == string(a.Subtype) && f.Rect.Min.Dist(a.Rect.Min) < 1 && f.Mark.Body.Kind() == becomes[a.Subtype] {
			return f.Mark.Body.Kind(), true
		}
	}
	for _, p := range parts {
		if !p.Rect.Intersect(a.Rect.Grow(2)).Empty() {
			return "picture", a.Subtype == annotation.Stamp
		}
	}
	said := a.Contents != "" || a.Subtype != annotation.FreeText && a.Subtype != annotation.Text && a.Subtype != annotation.Stamp
	return "nothing", !said // where there are no words and nothing is to be seen there is nothing to take
}

// invisible returns where poppler paints an annotation on a page and nothing was taken
// over, "" where there is no such place.
func (t *tally) invisible(name string, bare []byte, n int, p document.Page, found []elsewhere.Found, parts []document.Part) string {
	dir, err := os.MkdirTemp("", "corpus-*")
	if err != nil {
		return err.Error()
	}
	defer os.RemoveAll(dir)
	sheet := filepath.Join(dir, "sheet.pdf")
	if err := os.WriteFile(sheet, bare, 0o600); err != nil {
		return err.Error()
	}
	with, err1 := painted(name, n, filepath.Join(dir, "with"))
	without, err2 := painted(sheet, n, filepath.Join(dir, "without"))
	if err1 != nil || err2 != nil {
		return "" // poppler cannot paint it
	}
	across := p.Width / float64(with.Bounds().Dx())
	for _, r := range elsewhere.Differences(without, with) {
		at := page.R(float64(r.Min.X)*across, float64(r.Min.Y)*across, float64(r.Max.X)*across, float64(r.Max.Y)*across)
		seen := slices.ContainsFunc(found, func(f elsewhere.Found) bool {
			return f.Mark.Page == n && !f.Rect.Grow(8).Union(f.Mark.Body.Bounds().Grow(8)).Intersect(at).Empty()
		}) || slices.ContainsFunc(parts, func(q document.Part) bool { return !q.Rect.Grow(8).Intersect(at).Empty() })
		if !seen {
			return fmt.Sprintf("%.0f, %.0f", at.Min.X, at.Min.Y)
		}
	}
	return ""
}

func painted(file string, n int, to string) (image.Image, error) {
	if err := exec.Command("pdftoppm", "-r", "96", "-cropbox", "-f", fmt.Sprint(n), "-l", fmt.Sprint(n), "-singlefile", "-png", file, to).Run(); err != nil {
		return nil, err
	}
	f, err := os.Open(to + ".png")
	if err != nil {
		return nil, err
	}
	defer f.Close()
	m, _, err := image.Decode(f)
	return m, err
}

func (t *tally) print() {
	all, kept := 0, 0
	for _, k := range slices.Sorted(maps.Keys(t.all)) {
		fmt.Printf("%-10s %3d of %3d are %s\n", k, t.kept[k], t.all[k], becomes[k])
		all, kept = all+t.all[k], kept+t.kept[k]
	}
	fmt.Printf("%d files with annotations, %d could not be read; %d of %d annotations are marks of their kind (%.2f); on %d of %d pages poppler shows one of which nothing was taken over\n",
		t.files, t.unread, kept, all, float64(kept)/float64(max(all, 1)), t.unseen, t.pages)
}
