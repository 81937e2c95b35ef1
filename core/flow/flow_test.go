package flow

import (
	"errors"
	"testing"
	"time"
)

// The whole table: every state, every event.
func TestEveryMove(t *testing.T) {
	const no = ""
	table := map[State][]State{ //  change, submit, take back, mark, return, improve, answer, withdraw, reopen
		NotStarted: {InProgress, Submitted, no, no, no, no, no, no, no},
		InProgress: {InProgress, Submitted, no, no, no, no, no, no, no},
		Submitted:  {no, no, InProgress, Submitted, Returned, no, no, no, no},
		Returned:   {no, no, no, Returned, Returned, Reworking, Returned, Submitted, Reworking},
		Reworking:  {Reworking, Submitted, no, Reworking, Reworking, no, Reworking, no, no},
	}
	students := map[Event]bool{Change: true, Submit: true, TakeBack: true, Improve: true}
	for _, s := range States {
		for i, e := range Events {
			want := table[s][i]
			got, err := Next(s, e, Facts{})
			if want == no && !errors.Is(err, ErrState) || want != no && (err != nil || got != want) {
				t.Errorf("%s + %s = %s, %v; want %q", s, e, got, err, want)
			}
			if want == no {
				continue
			}
			_, err = Next(s, e, Facts{Closed: true})
			if refused := errors.Is(err, ErrClosed); refused != students[e] {
				t.Errorf("%s + %s when closed: %v", s, e, err)
			}
			_, err = Next(s, e, Facts{Feedback: true})
			if refused := errors.Is(err, ErrFeedback); refused != (e == TakeBack) {
				t.Errorf("%s + %s with feedback begun: %v", s, e, err)
			}
		}
	}
}

func TestTimes(t *testing.T) {
	at := func(clock string) time.Time {
		v, err := time.Parse("2006-01-02 15:04:05", "2026-11-25 "+clock)
		if err != nil {
			t.Fatal(err)
		}
		return v
	}
	w := Times{Opens: at("08:00:00"), Due: at("18:00:00"), Closes: at("20:00:00")}
	for _, c := range []struct {
		clock string
		open  bool
		late  time.Duration
	}{
		{"07:59:59", false, 0},
		{"08:00:00", true, 0},
		{"18:00:00", true, 0},
		{"18:00:01", true, time.Minute},
		{"19:30:00", true, 90 * time.Minute},
		{"20:00:00", false, 2 * time.Hour},
	} {
		if got := w.Open(at(c.clock)); got != c.open {
			t.Errorf("open at %s: %v", c.clock, got)
		}
		if got := w.Late(at(c.clock)); got != c.late {
			t.Errorf("late at %s by %v, want %v", c.clock, got, c.late)
		}
	}
	more := w.Extended(at("19:00:00"))
	if more.Late(at("18:30:00")) != 0 || more.Closes != w.Closes {
		t.Errorf("more time until seven: %+v", more)
	}
	if night := w.Extended(at("23:00:00")); !night.Open(at("22:59:59")) || night.Open(at("23:00:00")) {
		t.Errorf("more time beyond the closing: %+v", night)
	}
	if w.Extended(at("17:00:00")) != w {
		t.Error("an earlier time is no more time")
	}
	if (Times{}).Late(at("20:00:00")) != 0 || !(Times{}).Open(at("00:00:00")) {
		t.Error("an assignment without times is late or closed")
	}
}
