// Package elsewhere compares a file that was worked on with another program to
// the sheet that it was made of: which page is which, and where they differ.
package elsewhere

import (
	"cmp"
	"image"
	"math"
	"slices"
	"strings"

	"readymargin/core/document"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/scan"
	"readymargin/core/words"
)

// A Page is what is known of a page for matching it.
type Page struct {
	Print  words.Page
	Ink    scan.Ink
	Width  float64 // points
	Height float64
}

// alike is how much of a sheet's page a page of the file has to have.
const alike = 0.75

// Match returns for each page of a file the page of the sheet, from 1, that it
// was made of, or 0. No page of the sheet is taken twice. Pages are alike by
// their words; without words, by where they have ink.
func Match(sheet, file []Page) []int {
	type pair struct {
		i, k  int
		score float64
	}
	var pairs []pair
	for i, f := range file {
		for k, s := range sheet {
			if score := likeness(s, f); score >= alike {
				pairs = append(pairs, pair{i, k, score})
			}
		}
	}
	slices.SortStableFunc(pairs, func(a, b pair) int {
		return cmp.Or(cmp.Compare(b.score, a.score), cmp.Compare(abs(a.i-a.k), abs(b.i-b.k)))
	})
	out, taken := make([]int, len(file)), map[int]bool{}
	for _, p := range pairs {
		if out[p.i] == 0 && !taken[p.k] {
			out[p.i], taken[p.k] = p.k+1, true
		}
	}
	return out
}

// Turn returns by how many degrees clockwise a page of a file has to be turned to stand
// as the page of the sheet whose words it has. It is 0 where words do not tell.
func Turn(sheet []Page, p Page) int {
	best, of := alike, -1
	for i, s := range sheet {
		if n := wording(s, p); n >= best {
			best, of = n, i
		}
	}
	if of < 0 {
		return 0
	}
	at := centres(sheet[of])
	off, turn := math.Inf(1), 0
	for by, to := range map[int]func(page.Point) page.Point{
		0:   func(p page.Point) page.Point { return p },
		90:  func(p page.Point) page.Point { return page.Pt(1-p.Y, p.X) },
		180: func(p page.Point) page.Point { return page.Pt(1-p.X, 1-p.Y) },
		270: func(p page.Point) page.Point { return page.Pt(p.Y, 1-p.X) },
	} {
		sum := 0.0
		for word, is := range centres(p) {
			if was, both := at[word]; both {
				sum += to(is).Dist(was)
			}
		}
		if sum < off {
			off, turn = sum, by
		}
	}
	return turn
}

// centres returns where the words are that stand once on a page, as shares of its
// width and height.
func centres(p Page) map[string]page.Point {
	out, n := map[string]page.Point{}, counted(p.Print)
	for _, w := range p.Print.Words {
		if t := folded(w); n[t] == 1 {
			r := w.Rect()
			out[t] = page.Pt((r.Min.X+r.Max.X)/2/p.Width, (r.Min.Y+r.Max.Y)/2/p.Height)
		}
	}
	return out
}

// wording is the part of a sheet's words that a page has, however it stands, from 0 to
// 1; 0 where there are too few to tell.
func wording(sheet, page Page) float64 {
	want := counted(sheet.Print)
	if !worded(sheet, page, want) {
		return 0
	}
	have, all, both := counted(page.Print), 0, 0
	for w, n := range want {
		all += n
		both += min(n, have[w])
	}
	return float64(both) / float64(all)
}

// likeness is the part of a sheet's page that a page has, from 0 to 1.
func likeness(sheet, page Page) float64 {
	if !shaped(sheet, page) {
		return 0
	}
	if worded(sheet, page, counted(sheet.Print)) {
		return wording(sheet, page)
	}
	return sheet.Ink.In(page.Ink)
}

// Of a page that a picture shows there is this much at least, and this much
// more than of any other.
const (
	shown = 0.65
	ahead = 0.1
)

// Pictured returns which page of a sheet, from 1, a picture shows, given where
// the picture has ink, were it as large as each of the pages; 0 where that
// cannot be told.
func Pictured(sheet []Page, picture []scan.Ink) int {
	best, next, at := 0.0, 0.0, 0
	for i, p := range sheet {
		if n := p.Ink.In(picture[i]); n > best {
			best, next, at = n, best, i+1
		} else {
			next = max(next, n)
		}
	}
	if best < shown || best < next+ahead {
		return 0
	}
	return at
}

// shaped reports whether two pages have the same shape, on whatever paper.
func shaped(a, b Page) bool {
	r := (b.Width / b.Height) / (a.Width / a.Height)
	return r >= 0.9 && r <= 1.1
}

// worded reports whether words tell whether the pages are one.
func worded(sheet, page Page, want map[string]int) bool {
	return len(want) > 4 && len(page.Print.Words) > 0
}

// NeedsInk reports whether the ink of a page has to be known to match it: there
// are others of its shape, and words do not tell which it is.
func NeedsInk(p Page, others []Page) bool {
	few := func(p Page) bool { return len(counted(p.Print)) <= 4 }
	for _, o := range others {
		if shaped(p, o) && (few(p) || few(o)) {
			return true
		}
	}
	return false
}

func counted(p words.Page) map[string]int {
	out := map[string]int{}
	for _, w := range p.Words {
		if t := folded(w); t != "" {
			out[t]++
		}
	}
	return out
}

func folded(w words.Word) string { return strings.ToLower(strings.TrimSpace(w.Text)) }

func abs(n int) int { return max(n, -n) }

// near is how far two words may lie apart that are one on two pages, in points.
const near = 3

// Written notes for parts of a sheet's page, which differ from a page of a file, the
// words that stand there in the file and not on the sheet: line by line, as they were
// typed with a program that made them a part of its page.
func Written(sheet, p Page, parts []document.Part) {
	fit := page.R(0, 0, p.Width, p.Height).Fit(page.R(0, 0, sheet.Width, sheet.Height))
	printed := map[string][]page.Point{}
	for _, w := range sheet.Print.Words {
		printed[w.Text] = append(printed[w.Text], w.Rect().Center())
	}
	for i, part := range parts {
		var said strings.Builder
		line := 0
		for _, w := range p.Print.Words {
			at := fit(w.Rect().Center())
			if !part.Rect.Contains(at) || slices.ContainsFunc(printed[w.Text], func(q page.Point) bool { return q.Dist(at) < near }) {
				continue
			}
			switch {
			case said.Len() == 0:
			case w.Line != line:
				said.WriteByte('\n')
			default:
				said.WriteByte(' ')
			}
			said.WriteString(strings.TrimSpace(w.Text))
			line = w.Line
		}
		if said.Len() <= mark.MaxPictureWords {
			parts[i].Words = said.String()
		}
	}
}

// Limits of what is taken for a difference: pixels that differ by less are
// the noise of painting.
const (
	cell    = 8  // pixels
	differs = 56 // of 255, in one colour
	least   = 2  // pixels in a cell
	most    = 48 // regions; of more the page is one
)

// Differences returns where two pictures of the same size differ, as
// rectangles that do not overlap, from the top.
func Differences(a, b image.Image) []image.Rectangle {
	bounds := a.Bounds().Intersect(b.Bounds())
	w, h := (bounds.Dx()+cell-1)/cell, (bounds.Dy()+cell-1)/cell
	marked := make([]bool, w*h)
	for y := range h {
		for x := range w {
			marked[y*w+x] = cellDiffers(a, b, image.Rect(x*cell, y*cell, (x+1)*cell, (y+1)*cell).Add(bounds.Min).Intersect(bounds))
		}
	}
	var out []image.Rectangle
	for y := range h {
		for x := range w {
			if marked[y*w+x] {
				out = append(out, component(marked, w, h, x, y))
			}
		}
	}
	out = joined(out)
	for i, r := range out {
		out[i] = image.Rect(r.Min.X*cell, r.Min.Y*cell, r.Max.X*cell, r.Max.Y*cell).Add(bounds.Min).Inset(-3).Intersect(bounds)
	}
	if len(out) > most {
		return []image.Rectangle{bounds}
	}
	return out
}

func cellDiffers(a, b image.Image, in image.Rectangle) bool {
	n := 0
	for y := in.Min.Y; y < in.Max.Y; y++ {
		for x := in.Min.X; x < in.Max.X; x++ {
			r0, g0, b0, _ := a.At(x, y).RGBA()
			r1, g1, b1, _ := b.At(x, y).RGBA()
			if max(abs(int(r0>>8)-int(r1>>8)), abs(int(g0>>8)-int(g1>>8)), abs(int(b0>>8)-int(b1>>8))) > differs {
				if n++; n >= least {
					return true
				}
			}
		}
	}
	return false
}

// component takes the cells that hang together with one, over gaps of two
// cells, out of the marked ones, and returns the rectangle around them.
func component(marked []bool, w, h, x, y int) image.Rectangle {
	const gap = 3
	box := image.Rect(x, y, x+1, y+1)
	marked[y*w+x] = false
	for stack := []image.Point{{X: x, Y: y}}; len(stack) > 0; {
		p := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		box = box.Union(image.Rect(p.X, p.Y, p.X+1, p.Y+1))
		for v := max(p.Y-gap, 0); v <= min(p.Y+gap, h-1); v++ {
			for u := max(p.X-gap, 0); u <= min(p.X+gap, w-1); u++ {
				if marked[v*w+u] {
					marked[v*w+u] = false
					stack = append(stack, image.Pt(u, v))
				}
			}
		}
	}
	return box
}

// joined unites rectangles that overlap, until none do.
func joined(rs []image.Rectangle) []image.Rectangle {
	for again := true; again; {
		again = false
		for i := 0; i < len(rs); i++ {
			for k := i + 1; k < len(rs); k++ {
				if rs[i].Inset(-1).Overlaps(rs[k]) {
					rs[i] = rs[i].Union(rs[k])
					rs = slices.Delete(rs, k, k+1)
					again, k = true, k-1
				}
			}
		}
	}
	return rs
}
