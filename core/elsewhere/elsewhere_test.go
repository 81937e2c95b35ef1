package elsewhere

import (
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"math/rand/v2"
	"slices"
	"testing"

	"readymargin/core/words"
)

func said(text ...string) Page {
	p := Page{Width: 595, Height: 842}
	for _, t := range text {
		p.Print.Words = append(p.Print.Words, words.Word{Text: t})
	}
	return p
}

func TestPagesAreMatchedByTheirWords(t *testing.T) {
	one, two, three := said("the", "height", "of", "tide", "at", "noon"), said("draw", "the", "curve", "of", "the", "day"), said("name", "the", "lights", "of", "a", "pilot")
	written := func(p Page, more ...string) Page {
		q := said(more...)
		q.Print.Words = append(slices.Clone(p.Print.Words), q.Print.Words...)
		return q
	}
	wide := one
	wide.Width, wide.Height = 842, 595
	for name, c := range map[string]struct {
		file []Page
		want []int
	}{
		"as it is":            {[]Page{one, two, three}, []int{1, 2, 3}},
		"written on":          {[]Page{written(one, "4.5", "m"), written(two, "high", "low"), three}, []int{1, 2, 3}},
		"in another order":    {[]Page{three, written(one, "x")}, []int{3, 1}},
		"one that is strange": {[]Page{one, said("a", "letter", "to", "my", "aunt", "in", "Leeds")}, []int{1, 0}},
		"the same twice":      {[]Page{two, two}, []int{0, 2}},
		"laid across":         {[]Page{wide}, []int{0}},
	} {
		if got := Match([]Page{one, two, three}, c.file); !slices.Equal(got, c.want) {
			t.Errorf("%s: %v, want %v", name, got, c.want)
		}
	}
}

// Every pixel that was painted is in a region, and what was not touched is in
// none, apart from a seam.
func TestDifferencesHoldAllThatWasPainted(t *testing.T) {
	random := rand.New(rand.NewPCG(5, 8))
	for round := range 30 {
		a := image.NewRGBA(image.Rect(0, 0, 400, 560))
		draw.Draw(a, a.Bounds(), image.White, image.Point{}, draw.Src)
		for range 300 { // print
			x, y := random.IntN(390), random.IntN(550)
			draw.Draw(a, image.Rect(x, y, x+6, y+2), image.Black, image.Point{}, draw.Src)
		}
		b := image.NewRGBA(a.Bounds())
		draw.Draw(b, b.Bounds(), a, image.Point{}, draw.Src)
		for i := range b.Pix { // the noise of another painting
			b.Pix[i] = uint8(min(255, max(0, int(b.Pix[i])+random.IntN(21)-10)))
		}
		var painted []image.Rectangle
		for range random.IntN(5) {
			x, y := 10+random.IntN(340), 10+random.IntN(500)
			r := image.Rect(x, y, x+8+random.IntN(40), y+8+random.IntN(30)).Intersect(a.Bounds())
			draw.Draw(b, r, image.NewUniform(color.RGBA{31, 79, 163, 255}), image.Point{}, draw.Src)
			painted = append(painted, r)
		}
		found := Differences(a, b)
		for _, r := range painted {
			if !slices.ContainsFunc(found, func(f image.Rectangle) bool { return r.In(f) }) {
				t.Errorf("round %d: %v is in none of %v", round, r, found)
			}
		}
		for i, f := range found {
			if !slices.ContainsFunc(painted, func(r image.Rectangle) bool { return r.Overlaps(f) }) {
				t.Errorf("round %d: %v was not painted", round, f)
			}
			for _, g := range found[i+1:] {
				if f.Inset(3).Overlaps(g.Inset(3)) {
					t.Error(fmt.Sprint("round ", round, ": ", f, " and ", g, " overlap"))
				}
			}
		}
		if len(painted) == 0 && len(found) != 0 {
			t.Errorf("round %d: %v differs of itself", round, found)
		}
	}
}
