// Package flow knows the states of a copy, who may move it from which to
// which, and when: opening, due and closing times. It does not know the
// clock; it is told the time.
package flow

import (
	"errors"
	"fmt"
	"time"
)

// A State of a copy. "Late", the attempt's number and "closed" are said
// beside it; see Times.
type State string

const (
	NotStarted State = "not started"
	InProgress State = "in progress"
	Submitted  State = "submitted"
	Returned   State = "returned"
	Reworking  State = "reworking"
)

// States lists all states in the order of the work.
var States = []State{NotStarted, InProgress, Submitted, Returned, Reworking}

// An Event is what somebody wants to do with a copy.
type Event string

const (
	Change   Event = "change"    // the student writes, draws, highlights
	Submit   Event = "submit"    // the student hands in
	TakeBack Event = "take back" // the student wants the submitted copy back
	Mark     Event = "mark"      // a teacher adds feedback or points
	Return   Event = "return"    // a teacher gives the copy and the feedback back
	Improve  Event = "improve"   // the student goes on after a return
	Answer   Event = "answer"    // the student answers the feedback
	Withdraw Event = "withdraw"  // a teacher takes a return back that nobody has opened
	Reopen   Event = "reopen"    // a teacher has the student go on
)

// Events lists all events.
var Events = []Event{Change, Submit, TakeBack, Mark, Return, Improve, Answer, Withdraw, Reopen}

// Facts are what a move depends on beside the state.
type Facts struct {
	Closed   bool // the assignment takes no more work
	Feedback bool // some feedback on the submitted attempt has been saved
}

// Reasons why a move is refused.
var (
	ErrState    = errors.New("flow: not possible in this state")
	ErrClosed   = errors.New("flow: the assignment is closed")
	ErrFeedback = errors.New("flow: the teacher has begun to mark it")
)

var moves = map[State]map[Event]State{
	NotStarted: {Change: InProgress, Submit: Submitted},
	InProgress: {Change: InProgress, Submit: Submitted},
	Submitted:  {TakeBack: InProgress, Mark: Submitted, Return: Returned},
	Returned:   {Mark: Returned, Return: Returned, Improve: Reworking, Answer: Returned, Withdraw: Submitted, Reopen: Reworking},
	Reworking:  {Change: Reworking, Submit: Submitted, Answer: Reworking, Mark: Reworking, Return: Reworking},
}

// Next returns the state after the event, or says why it cannot be: ErrState,
// ErrClosed or ErrFeedback, wrapped.
//
// A copy that is being reworked can still get feedback on the attempt before;
// returning that does not take the rework out of the student's hands.
func Next(s State, e Event, f Facts) (State, error) {
	to, ok := moves[s][e]
	if !ok {
		return s, fmt.Errorf("%w: %s while %s", ErrState, e, s)
	}
	if f.Closed && (e == Change || e == Submit || e == TakeBack || e == Improve) {
		return s, fmt.Errorf("%w: %s", ErrClosed, e)
	}
	if f.Feedback && e == TakeBack {
		return s, fmt.Errorf("%w: %s", ErrFeedback, e)
	}
	return to, nil
}

// WorkedOn reports whether the work on a copy is the student's to go on with.
func (s State) WorkedOn() bool { return s == NotStarted || s == InProgress || s == Reworking }

// Written returns the state of a copy on which there is work that came when
// no change is taken any more: it is never "not started".
func Written(s State) State {
	if s == NotStarted {
		return InProgress
	}
	return s
}

// Times are an assignment's; a zero time means that there is none.
type Times struct{ Opens, Due, Closes time.Time }

// Extended returns the times of somebody who has until a later due time, the
// zero time for nobody: what closes before that closes then.
func (w Times) Extended(due time.Time) Times {
	if due.After(w.Due) && !w.Due.IsZero() {
		w.Due = due
		if !w.Closes.IsZero() && w.Closes.Before(due) {
			w.Closes = due
		}
	}
	return w
}

// Open reports whether work is taken at t.
func (w Times) Open(t time.Time) bool {
	return !t.Before(w.Opens) && (w.Closes.IsZero() || t.Before(w.Closes))
}

// Late returns how long after the due time t is, rounded up to the minute;
// 0 when in time.
func (w Times) Late(t time.Time) time.Duration {
	if w.Due.IsZero() || !t.After(w.Due) {
		return 0
	}
	return (t.Sub(w.Due) + time.Minute - 1).Truncate(time.Minute)
}
