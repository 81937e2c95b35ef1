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
