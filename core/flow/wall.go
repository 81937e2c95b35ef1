package flow

import (
	"errors"
	"time"
)

// Wall is how a form writes a wall clock time.
const Wall = "2006-01-02T15:04"

// Errors of wall clock times.
var (
	ErrWall = errors.New("flow: not a date and time")
	ErrGap  = errors.New("flow: the clocks are put forward over this time")
)

// At returns the moment at which the clocks of a place show a wall clock time.
// A time that they show twice, when they are put back, is the later one: who
// has something to hand in by then loses nothing. A time that they leave out
// is ErrGap.
func At(wall string, place *time.Location) (time.Time, error) {
	t, err := time.ParseInLocation(Wall, wall, place)
	if err != nil {
		return t, ErrWall
	}
	if t.Year() < 2000 || t.Year() > 2199 { // a year of two digits, or a slip of the hand
		return t, ErrWall
	}
	if t.Format(Wall) != wall {
		return t, ErrGap
	}
	// Clocks have been put back by half an hour, an hour, and two.
	for _, d := range []time.Duration{2 * time.Hour, time.Hour, 30 * time.Minute} {
		if later := t.Add(d); later.Format(Wall) == wall {
			return later.UTC(), nil
		}
	}
	return t.UTC(), nil
}
