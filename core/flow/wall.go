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

// Later returns the moment so many days later at which the clocks of a place show the
// same time; where they leave it out, they have just been put forward over it.
func Later(t time.Time, days int, place *time.Location) time.Time {
	moved := t.In(place).AddDate(0, 0, days)
	if at, err := At(moved.Format(Wall), place); err == nil {
		return at.Add(time.Duration(t.Second())*time.Second + time.Duration(t.Nanosecond()))
	}
	return moved.UTC()
}

// DaysTo returns how many days a moment must be moved to lie on a day, by the
// calendar of a place; of day only the date counts.
func DaysTo(t, day time.Time, place *time.Location) int {
	noon := func(t time.Time) time.Time { return time.Date(t.Year(), t.Month(), t.Day(), 12, 0, 0, 0, time.UTC) }
	return int(noon(day).Sub(noon(t.In(place))).Hours() / 24)
}
