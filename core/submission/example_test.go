package submission_test

import (
	"fmt"

	"readymargin/core/mark"
	"readymargin/core/submission"
)

// Two devices change the same words without knowing of each other. Whatever
// comes first, nothing is lost: the later made is the mark, the other one
// stands beside it.
func ExampleBoard() {
	words := func(op, base, text string) submission.Op {
		return submission.Op{ID: op, On: "mark-words", Base: base, Mark: &mark.Mark{ID: "mark-words", Page: 1,
			Body: &mark.FreeText{X: 72, Y: 100, Width: 200, Lines: []mark.TextLine{{Runs: []mark.Run{{Text: text, Size: 14, Color: "#1e2a44"}}}}}}}
	}
	var layer submission.Board
	for _, o := range []submission.Op{
		words("op-tablet-2", "op-first-0", "low water at 5:12"),
		words("op-first-0", "", "low water"),
		words("op-laptop-1", "op-first-0", "low tide"),
		words("op-laptop-1", "op-first-0", "low tide"), // sent again
	} {
		if _, err := layer.Apply(submission.Work, o); err != nil {
			fmt.Println(err)
		}
	}
	for _, m := range layer.Present(submission.Work) {
		fmt.Println(m.Mark.Body.(*mark.FreeText).Lines[0].Runs[0].Text, m.Conflict)
	}
	// Output:
	// low tide true
	// low water at 5:12 false
}
