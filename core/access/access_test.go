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
	assistant = Person{SignedIn: true, Role: Assistant}
	left      = Person{SignedIn: true, Role: Left, Owner: true}
	teacher   = Person{SignedIn: true, Role: Teacher}
	owner     = Person{SignedIn: true, Owner: true} // left the course: owning a copy is not enough
	admin     = Person{SignedIn: true, Admin: true}
)

func TestLayersHaveOwners(t *testing.T) {
	people := map[string]Person{"nobody": nobody, "outsider": outsider, "waiting": waiting, "classmate": classmate, "student": student, "assistant": assistant, "left": left, "teacher": teacher, "owner": owner, "admin": admin}
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
		{"write feedback", WriteLayer, copy.Feedback(1), submitted, []string{"assistant", "teacher"}},
		{"write feedback on an attempt that is not there", WriteLayer, copy.Feedback(2), submitted, nil},
		{"read live feedback, after return too", ReadLayer, copy.Feedback(1), returned, []string{"assistant", "teacher"}},
		{"answer before return", WriteLayer, copy.Replies, submitted, nil},
		{"answer after return", WriteLayer, copy.Replies, returned, []string{"student"}},
		{"read answers", ReadLayer, copy.Replies, returned, []string{"student", "assistant", "teacher"}},
		{"write on one for all", WriteLayer, copy.Work, Thing{State: flow.InProgress, Shared: true}, []string{"student", "assistant", "teacher"}},
		{"write feedback on one for all", WriteLayer, copy.Feedback(1), Thing{State: flow.InProgress, Shared: true}, nil},
		{"open one for all", ShareCopy, "", Thing{Shared: true}, []string{"student", "assistant", "teacher"}},
		{"open a copy as if it were one for all", ShareCopy, "", Thing{}, nil},
		{"submit one for all", SubmitCopy, "", Thing{State: flow.InProgress, Shared: true}, nil},
		{"see the roll", SeeRoll, "", Thing{}, []string{"assistant", "teacher"}},
		{"write on the sheet", WriteLayer, copy.Sheet, returned, nil},
		{"write in a layer that does not exist", WriteLayer, "feedback.x", returned, nil},
		{"mark", MarkCopy, "", submitted, []string{"assistant", "teacher"}},
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

func TestAudiences(t *testing.T) {
	some := Audience{Sections: []string{"harder"}, People: []uint64{7}}
	for _, c := range []struct {
		to      Audience
		person  uint64
		section string
		want    bool
	}{
		{Audience{}, 1, "", true}, {some, 7, "", true}, {some, 1, "harder", true}, {some, 1, "", false}, {some, 1, "easier", false},
		{Audience{Sections: []string{""}}, 1, "", false},
	} {
		if got := c.to.Includes(c.person, c.section); got != c.want {
			t.Errorf("%+v includes %d of %q: %v", c.to, c.person, c.section, got)
		}
	}
}
