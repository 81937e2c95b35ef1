// Package pagecode says what a code on a page of paper says: of which copy it is, and
// which page; and where on the page it stands, so that a picture of the page can be
// set straight by it.
//
// How a code is drawn and read (ISO/IEC 18004) is not known here.
package pagecode

import (
	"crypto/sha256"
	"encoding/base32"
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"readymargin/core/page"
	"readymargin/core/scan"
)

// A Corner is where on a page a code stands.
type Corner byte

// The corners, clockwise.
const (
	UpperLeft  Corner = 'A'
	UpperRight Corner = 'B'
	LowerRight Corner = 'C'
	LowerLeft  Corner = 'D'
)

// A Code is what a code says.
type Code struct {
	Copy   uint64
	Page   int // of the sheet, from 1
	Corner Corner
	Tag    string // of the copy: see Tag
}

// Tag returns letters that tell a copy from one of the same number in another school:
// what it is made of is whatever does not change about the copy.
func Tag(of string) string {
	sum := sha256.Sum256([]byte(of))
	return base32.StdEncoding.EncodeToString(sum[:])[:4]
}

// String returns the code in the letters that codes hold in least room (the
// alphanumeric mode of ISO/IEC 18004, 7.4.4).
func (c Code) String() string {
	return strings.ToUpper(fmt.Sprintf("RM%c%s-%s-%s", c.Corner, strconv.FormatUint(c.Copy, 36), strconv.FormatInt(int64(c.Page), 36), c.Tag))
}

var written = regexp.MustCompile(`^RM([A-D])([0-9A-Z]{1,12})-([0-9A-Z]{1,3})-([A-Z2-7]{4})$`)

// Parse returns what a code says, or false where it is none of these.
func Parse(s string) (c Code, ok bool) {
	m := written.FindStringSubmatch(s)
	if m == nil {
		return c, false
	}
	var err error
	if c.Copy, err = strconv.ParseUint(m[2], 36, 63); err != nil || c.Copy == 0 {
		return c, false
	}
	n, _ := strconv.ParseInt(m[3], 36, 32) // three letters are a number
	c.Page, c.Corner, c.Tag = int(n), Corner(m[1][0]), m[4]
	return c, c.Page > 0
}

// How large a code stands on the page, and where, in points. Printers leave some four
// millimetres of the paper free.
const (
	Side  = 31.5
	Quiet = 6 // free paper about it, of the nine points that the standard asks for
	inset = 16
)

// Place returns where a code stands on a page of a size in points.
func (c Corner) Place(size page.Point) page.Rect {
	x, y := float64(inset), float64(inset)
	if c == UpperRight || c == LowerRight {
		x = size.X - inset - Side
	}
	if c == LowerLeft || c == LowerRight {
		y = size.Y - inset - Side
	}
	return page.R(x, y, x+Side, y+Side)
}

// finder is how far the middle of a finder pattern is from the edges of a code, in
// modules (ISO/IEC 18004, 6.3.3.1: it is seven of them wide).
const finder = 3.5

// Finders returns where the middles of the three finder patterns of a code are that is
// so many modules wide: upper left, upper right, lower left.
func (c Corner) Finders(size page.Point, modules int) [3]page.Point {
	r := c.Place(size)
	d := finder / float64(modules) * Side
	return [3]page.Point{page.Pt(r.Min.X+d, r.Min.Y+d), page.Pt(r.Max.X-d, r.Min.Y+d), page.Pt(r.Min.X+d, r.Max.Y-d)}
}

// Corners returns at which corners of a page codes stand: at two that face each other,
// where they are free of print; else where one is free; else at the lower right, whatever
// is there.
func Corners(ink scan.Ink, size page.Point) []Corner {
	free := func(c Corner) bool { return ink.Free(c.Place(size).Grow(Quiet)) }
	for _, two := range [][]Corner{{UpperLeft, LowerRight}, {UpperRight, LowerLeft}} {
		if free(two[0]) && free(two[1]) {
			return two
		}
	}
	for _, c := range []Corner{LowerRight, UpperRight, LowerLeft, UpperLeft} {
		if free(c) {
			return []Corner{c}
		}
	}
	return []Corner{LowerRight}
}
