package access_test

import (
	"fmt"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/submission"
)

// What a student is writing is theirs alone until they submit it.
func ExampleMay() {
	student := access.Person{SignedIn: true, Role: access.Student, Owner: true}
	teacher := access.Person{SignedIn: true, Role: access.Teacher}
	work := access.Thing{State: flow.InProgress, Layer: submission.Work, Given: access.Given{Mode: flow.CopyEach, Included: true, Begun: true}}
	fmt.Println("the student writes:", access.May(student, access.WriteLayer, work) == nil)
	fmt.Println("the teacher reads along:", access.May(teacher, access.ReadLayer, work) == nil)
	work.State, work.Attempt = flow.Submitted, 1
	fmt.Println("the teacher marks what was submitted:", access.May(teacher, access.MarkCopy, work) == nil)
	// Output:
	// the student writes: true
	// the teacher reads along: false
	// the teacher marks what was submitted: true
}
