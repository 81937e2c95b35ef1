package flow

import (
	"errors"
	"testing"
	"time"
)

// The changes of clocks are those of the IANA time zone database (tzdata),
// files europe, northamerica and australasia; the offsets were worked out by
// hand from its rules EU, US and LH.
func TestWallClocksAcrossAChange(t *testing.T) {
	for _, c := range []struct{ zone, wall, utc string }{
		{"Europe/London", "2026-11-25T18:00", "2026-11-25T18:00"},
		{"Europe/London", "2026-07-01T18:00", "2026-07-01T17:00"},
		{"Europe/Berlin", "2026-03-29T01:59", "2026-03-29T00:59"},
		{"Europe/Berlin", "2026-03-29T02:30", "gap"},
		{"Europe/Berlin", "2026-03-29T03:00", "2026-03-29T01:00"},
		{"Europe/Berlin", "2026-10-25T01:59", "2026-10-24T23:59"},
		{"Europe/Berlin", "2026-10-25T02:30", "2026-10-25T01:30"}, // twice: the later
		{"Europe/Berlin", "2026-10-25T03:00", "2026-10-25T02:00"},
		{"America/New_York", "2026-03-08T02:15", "gap"},
		{"America/New_York", "2026-11-01T01:15", "2026-11-01T06:15"}, // twice: the later
		{"America/New_York", "2026-11-01T02:00", "2026-11-01T07:00"},
		{"Australia/Lord_Howe", "2026-04-05T01:45", "2026-04-04T15:15"}, // put back by half an hour
		{"Australia/Lord_Howe", "2026-10-04T02:15", "gap"},
		{"Asia/Kolkata", "2026-03-29T02:30", "2026-03-28T21:00"},
		{"UTC", "2026-03-29T02:30", "2026-03-29T02:30"},
	} {
		place, err := time.LoadLocation(c.zone)
		if err != nil {
			t.Fatal(err)
		}
		got, err := At(c.wall, place)
		if c.utc == "gap" {
			if !errors.Is(err, ErrGap) {
				t.Errorf("%s %s: %v (%v), want none", c.zone, c.wall, got, err)
			}
			continue
		}
		if err != nil || got.Format(Wall) != c.utc {
			t.Errorf("%s %s: %s (%v), want %s", c.zone, c.wall, got.Format(Wall), err, c.utc)
		}
	}
	for _, s := range []string{"", "tomorrow", "2026-02-30T10:00", "2026-11-25"} {
		if _, err := At(s, time.UTC); !errors.Is(err, ErrWall) {
			t.Errorf("%q: %v", s, err)
		}
	}
}

// Weekdays of 2026 by the Gregorian calendar: 26 November is a Thursday, and
// on Sunday 29 March the clocks of Berlin are put forward from 2 to 3 (tzdata,
// rule EU).
func TestTheNextLesson(t *testing.T) {
	tuesday, thursday, night := Lesson{time.Tuesday, "18:30"}, Lesson{time.Thursday, "10:00"}, Lesson{time.Sunday, "02:30"}
	for _, c := range []struct {
		lessons   []Lesson
		now, want string
	}{
		{nil, "2026-11-26T08:00:00Z", ""},
		{[]Lesson{tuesday}, "2026-11-26T08:00:00Z", "2026-12-01T18:30"},
		{[]Lesson{tuesday, thursday}, "2026-11-26T05:00:00Z", "2026-11-26T10:00"},
		{[]Lesson{tuesday, thursday}, "2026-11-26T08:00:00Z", "2026-12-01T18:30"}, // today's is too soon
		{[]Lesson{thursday}, "2026-11-26T08:00:00Z", "2026-12-03T10:00"},
		{[]Lesson{night}, "2026-03-27T12:00:00Z", "2026-04-05T02:30"}, // left out on the 29th
	} {
		place, err := time.LoadLocation("Europe/Berlin")
		if err != nil {
			t.Fatal(err)
		}
		now, err := time.Parse(time.RFC3339, c.now)
		if err != nil {
			t.Fatal(err)
		}
		if got := NextLesson(c.lessons, now, place); got != c.want {
			t.Errorf("%v from %s: %q, want %q", c.lessons, c.now, got, c.want)
		}
	}
	for _, l := range []Lesson{{time.Monday, "25:00"}, {time.Monday, ""}, {9, "10:00"}} {
		if l.Check() == nil {
			t.Errorf("%v is a lesson", l)
		}
	}
}
