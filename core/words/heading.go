package words

import (
	"slices"
	"strings"
	"unicode"
)

// Heading returns what a page is headed with: the line of the largest letters in its
// upper half, where they are larger than most; "" where nothing stands out. height is
// the page's, in points.
func (pg Page) Heading(height float64) string {
	var sizes []float64
	for _, w := range pg.Words {
		sizes = append(sizes, w.tall())
	}
	if len(sizes) == 0 {
		return ""
	}
	slices.Sort(sizes)
	usual := sizes[len(sizes)/2]
	var best []Word
	most := 1.15 * usual
	for _, line := range Lines(pg.Words) {
		if size := line[0].tall(); size > most+0.5 && line[0].Box[1] < height/2 && lettered(line) {
			best, most = line, size
		}
	}
	var said []string
	for _, w := range best {
		if w.tall() > 0.8*most { // and not what stands beside it in small letters
			said = append(said, w.Text)
		}
	}
	return strings.Join(said, " ")
}

// tall is how large the letters of a word are, in points.
func (w Word) tall() float64 {
	if w.Size > 0 {
		return w.Size
	}
	return w.Box[3] - w.Box[1]
}

// lettered reports whether a line says something: at least three letters.
func lettered(line []Word) bool {
	n := 0
	for _, w := range line {
		for _, r := range w.Text {
			if unicode.IsLetter(r) {
				n++
			}
		}
	}
	return n >= 3
}
