package flow

import (
	"errors"
	"time"
)

// A Lesson is when a course meets every week, by its own clock.
type Lesson struct {
	Day   time.Weekday `json:"day"` // Sunday is 0
	Clock string       `json:"clock"`
}

// ErrLesson says that a lesson's time is not a time of day.
var ErrLesson = errors.New("flow: not a day and a time")

// Check says whether the lesson can be.
func (l Lesson) Check() error {
	if _, err := time.Parse("15:04", l.Clock); err != nil || l.Day < time.Sunday || l.Day > time.Saturday {
		return ErrLesson
	}
	return nil
}

// soon is how long before a lesson nothing falls due at it any more.
const soon = 3 * time.Hour

// NextLesson returns when the next lesson begins at a place, as Wall; "" when there
// are none. A lesson that begins in less than three hours is too soon for
// anything to be due, and one that the clocks leave out is passed over.
func NextLesson(lessons []Lesson, now time.Time, place *time.Location) string {
	var best time.Time
	day := now.In(place)
	for i := range 15 {
		d := day.AddDate(0, 0, i)
		for _, l := range lessons {
			if l.Day != d.Weekday() {
				continue
			}
			at, err := At(d.Format("2006-01-02")+"T"+l.Clock, place)
			if err == nil && at.Sub(now) >= soon && (best.IsZero() || at.Before(best)) {
				best = at
			}
		}
		if !best.IsZero() {
			return best.In(place).Format(Wall)
		}
	}
	return ""
}
