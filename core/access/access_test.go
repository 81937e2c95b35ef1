package access

import (
	"errors"
	"testing"

	"readymargin/core/copy"
	"readymargin/core/flow"
)

var (
	nobody    = Person{}
	outsider  = Person{SignedIn: true}
	waiting   = Person{SignedIn: true, Role: Waiting}
	classmate = Person{SignedIn: true, Role: Student}
	student   = Person{SignedIn: true, Role: Student, Owner: true}
	teacher   = Person{SignedIn: true, Role: Teacher}
	owner     = Person{SignedIn: true, Owner: true} // left the course: owning a copy is not enough
	admin     = Person{SignedIn: true, Admin: true}
)

func TestLayersHaveOwners(t *testing.T) {
	people := map[string]Person{"nobody": nobody, "outsider": outsider, "waiting": waiting, "classmate": classmate, "student": student, "teacher": teacher, "owner": owner, "admin": admin}
	submitted := Thing{State: flow.Submitted, Attempt: 1}
	returned := Thing{State: flow.Returned, Attempt: 1}
	for _, c := range []struct {
		name  string
		do    Action
		layer copy.Layer
		thing Thing
		may   []string
	}{
		{"write work", WriteLayer, copy.Work, submitted, []string{"student"}},
		{"read live work", ReadLayer, copy.Work, submitted, []string{"student"}},
		{"read own", ReadLayer, copy.Own, submitted, []string{"student"}},
		{"write feedback", WriteLayer, copy.Feedback(1), submitted, []string{"teacher"}},
		{"write feedback on an attempt that is not there", WriteLayer, copy.Feedback(2), submitted, nil},
		{"read live feedback, after return too", ReadLayer, copy.Feedback(1), returned, []string{"teacher"}},
		{"answer before return", WriteLayer, copy.Replies, submitted, nil},
		{"answer after return", WriteLayer, copy.Replies, returned, []string{"student"}},
		{"read answers", ReadLayer, copy.Replies, returned, []string{"student", "teacher"}},
		{"write on the sheet", WriteLayer, copy.Sheet, returned, nil},
		{"write in a layer that does not exist", WriteLayer, "feedback.x", returned, nil},
		{"mark", MarkCopy, "", submitted, []string{"teacher"}},
		{"mark what was not submitted", MarkCopy, "", Thing{State: flow.InProgress}, nil},
		{"submit", SubmitCopy, "", submitted, []string{"student"}},
		{"invite", InviteTeacher, "", Thing{}, []string{"admin"}},
		{"run the course", RunCourse, "", Thing{}, []string{"teacher"}},
		{"something unheard of", Action("fly"), "", Thing{}, nil},
	} {
		c.thing.Layer = c.layer
		may := map[string]bool{}
		for _, who := range c.may {
			may[who] = true
		}
		for who, p := range people {
			if err := May(p, c.do, c.thing); (err == nil) != may[who] {
				t.Errorf("%s as %s: %v, want allowed: %v", c.name, who, err, may[who])
			}
		}
	}
	if err := May(nobody, MarkCopy, submitted); !errors.Is(err, ErrSignIn) {
		t.Errorf("nobody is told %v", err)
	}
	if err := May(outsider, MarkCopy, submitted); !errors.Is(err, ErrHidden) {
		t.Errorf("a stranger is told %v, which tells that the copy exists", err)
	}
	if err := May(student, MarkCopy, submitted); !errors.Is(err, ErrDenied) {
		t.Errorf("the student is told %v", err)
	}
}
