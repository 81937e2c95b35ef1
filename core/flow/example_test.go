package flow_test

import (
	"fmt"
	"time"

	"readymargin/core/flow"
)

// A copy goes from hand to hand. What the course allows is told as facts.
func ExampleNext() {
	state := flow.NotStarted
	for _, step := range []struct {
		event flow.Event
		facts flow.Facts
	}{
		{flow.Change, flow.Facts{}},
		{flow.Submit, flow.Facts{}},
		{flow.TakeBack, flow.Facts{Feedback: true}}, // the teacher has begun
		{flow.Return, flow.Facts{}},
	} {
		next, err := flow.Next(state, step.event, step.facts)
		if err != nil {
			fmt.Println(err)
			continue
		}
		state = next
		fmt.Println(state)
	}
	// Output:
	// in progress
	// submitted
	// flow: the teacher has begun to mark it: take back
	// returned
}

// Extra time moves the closing of the one student, too.
func ExampleTimes_Extended() {
	day := func(d int) time.Time { return time.Date(2026, time.November, d, 12, 0, 0, 0, time.UTC) }
	course := flow.Times{Due: day(10), Closes: day(12)}
	hers := course.Extended(day(20))
	fmt.Println(course.Open(day(15)), hers.Open(day(15)))
	// Output: false true
}
