// Package points knows points and their totals. It does not know tables.
package points

import (
	"errors"
	"math"
	"strconv"
	"strings"
)

// Points are given in quarters, so that halves and sums come out exactly.
// The zero value is no points; a copy without points yet has none at all.
type Points int

// One is a whole point.
const One Points = 4

// ErrPoints says that a text is not a number of points from 0 to 10,000 in
// steps of a quarter.
var ErrPoints = errors.New("points: a number from 0, in steps of a quarter")

// Parse reads a number of points as people write it: 7, 7.5 or 7,5.
func Parse(s string) (Points, error) {
	v, err := strconv.ParseFloat(strings.Replace(strings.TrimSpace(s), ",", ".", 1), 64)
	q := v * float64(One)
	if err != nil || math.IsNaN(q) || q < 0 || q > 10_000*float64(One) || q != math.Trunc(q) {
		return 0, ErrPoints
	}
	return Points(q), nil
}

// String writes p as Parse reads it.
func (p Points) String() string {
	return strconv.FormatFloat(float64(p)/float64(One), 'f', -1, 64)
}

// Scaled returns as much of to as p is of all, to the nearest multiple of step,
// a half upwards. Of nothing it is nothing.
func (p Points) Scaled(all, to, step Points) Points {
	if all <= 0 || step <= 0 {
		return 0
	}
	return (2*p*to + all*step) / (2 * all * step) * step
}
