package access

import (
	"errors"
	"slices"
	"strings"
	"testing"
	"time"

	"readymargin/core/flow"
	"readymargin/core/submission"
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
	given := Given{Mode: flow.CopyEach, Included: true, Begun: true}
	forAll := Given{Mode: flow.OneForAll, Included: true}
	submitted := Thing{State: flow.Submitted, Attempt: 1, Given: given}
	returned := Thing{State: flow.Returned, Attempt: 1, Given: given}
	atWork := func(watched bool, state flow.State) Thing {
		g := given
		g.Mode, g.Watched, g.Begun = flow.CopyEach, watched, true
		return Thing{State: state, Given: g}
	}
	asked := func(t Thing) Thing { t.Asked = true; return t }
	nameless := func(t Thing) Thing { t.Given.Nameless = true; return t }
	for _, c := range []struct {
		name  string
		do    Action
		layer submission.Layer
		thing Thing
		may   []string
	}{
		{"write work", WriteLayer, submission.Work, submitted, []string{"student"}},
		{"read live work", ReadLayer, submission.Work, submitted, []string{"student"}},
		{"read own", ReadLayer, submission.Own, submitted, []string{"student"}},
		{"write feedback", WriteLayer, submission.Feedback(1), submitted, []string{"assistant", "teacher"}},
		{"write feedback on an attempt that is not there", WriteLayer, submission.Feedback(2), submitted, nil},
		{"read live feedback, after return too", ReadLayer, submission.Feedback(1), returned, []string{"assistant", "teacher"}},
		{"say at once before return", WriteLayer, submission.Replies, submitted, []string{"student", "assistant", "teacher"}},
		{"say at once after return", WriteLayer, submission.Replies, returned, []string{"student", "assistant", "teacher"}},
		{"say at once about work", WriteLayer, submission.Replies, atWork(false, flow.InProgress), []string{"student"}},
		{"say at once about work that is looked at", WriteLayer, submission.Replies, atWork(true, flow.InProgress), []string{"student", "assistant", "teacher"}},
		{"look at work", WatchCopy, "", atWork(true, flow.InProgress), []string{"assistant", "teacher"}},
		{"look at work that is reworked", ReadLayer, submission.Work, atWork(true, flow.Reworking), []string{"student", "assistant", "teacher"}},
		{"look where the course does not let them", WatchCopy, "", atWork(false, flow.InProgress), nil},
		{"look at what is submitted", WatchCopy, "", atWork(true, flow.Submitted), nil},
		{"look at what is not begun", WatchCopy, "", atWork(true, flow.NotStarted), nil},
		{"say at once where something was asked", WriteLayer, submission.Replies, asked(atWork(false, flow.InProgress)), []string{"student", "assistant", "teacher"}},
		{"ask now", AskNow, "", atWork(false, flow.InProgress), []string{"student"}},
		{"ask now, as the first thing", WriteLayer, submission.Replies, Thing{State: flow.NotStarted, Given: given}, []string{"student"}},
		{"ask now what is submitted", AskNow, "", submitted, nil},
		{"ask now where no names are seen", AskNow, "", nameless(atWork(false, flow.InProgress)), nil},
		{"answer what is asked", AnswerNow, "", asked(atWork(false, flow.InProgress)), []string{"assistant", "teacher"}},
		{"answer what is not asked", AnswerNow, "", atWork(false, flow.InProgress), nil},
		{"read the work where something was asked", ReadLayer, submission.Work, asked(atWork(false, flow.InProgress)), []string{"student"}},
		{"ask a colleague", WriteLayer, submission.Among, submitted, []string{"assistant", "teacher"}},
		{"ask a colleague about what is not seen", WriteLayer, submission.Among, atWork(false, flow.InProgress), nil},
		{"read what colleagues say", ReadLayer, submission.Among, returned, []string{"assistant", "teacher"}},
		{"read answers", ReadLayer, submission.Replies, returned, []string{"student", "assistant", "teacher"}},
		{"write on one for all", WriteLayer, submission.Work, Thing{State: flow.InProgress, Shared: true, Given: forAll}, []string{"student", "assistant", "teacher"}},
		{"write feedback on one for all", WriteLayer, submission.Feedback(1), Thing{State: flow.InProgress, Shared: true, Given: forAll}, nil},
		{"open one for all", ShareCopy, "", Thing{Shared: true, Given: forAll}, []string{"student", "assistant", "teacher"}},
		{"open a copy as if it were one for all", ShareCopy, "", Thing{Given: given}, nil},
		{"submit one for all", SubmitCopy, "", Thing{State: flow.InProgress, Shared: true, Given: forAll}, nil},
		{"see the roll", SeeRoll, "", Thing{}, []string{"assistant", "teacher"}},
		{"see one's own points", SeeOwnPoints, "", Thing{}, []string{"classmate", "student"}},
		{"write on the sheet", WriteLayer, submission.Sheet, returned, nil},
		{"write in a layer that does not exist", WriteLayer, "feedback.x", returned, nil},
		{"mark", MarkCopy, "", submitted, []string{"assistant", "teacher"}},
		{"mark what was not submitted", MarkCopy, "", Thing{State: flow.InProgress, Given: given}, nil},
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

// That there is a copy gives no right: what a student may do depends on how
// the assignment stands to them now. Each line lists what the student may do
// of: see, open, read and write one's work, submit, take it away.
func TestWhatIsNotGivenIsNotThere(t *testing.T) {
	now := time.Date(2026, 11, 25, 9, 0, 0, 0, time.UTC)
	actions := map[string]Action{"see": SeeAssignment, "open": OpenCopy, "sheet": SeeWorksheet, "read": ReadLayer, "write": WriteLayer, "submit": SubmitCopy, "share": ShareCopy, "take": TakeAway}
	const all = "see open sheet read write submit take"
	each := Given{Mode: flow.CopyEach, Included: true}
	with := func(g Given, change func(*Given)) Given { change(&g); return g }
	for _, c := range []struct {
		name  string
		given Given
		may   string
	}{
		{"given", each, all},
		{"begun", with(each, func(g *Given) { g.Begun = true }), all},
		{"a draft", with(each, func(g *Given) { g.Draft = true }), ""},
		{"a draft, though begun before it became one", with(each, func(g *Given) { g.Draft, g.Begun = true, true }), ""},
		{"not yet open", with(each, func(g *Given) { g.Opens = now.Add(time.Second) }), ""},
		{"open in this moment", with(each, func(g *Given) { g.Opens = now }), all},
		{"not in the audience", with(each, func(g *Given) { g.Included = false }), ""},
		{"removed from the audience after beginning", with(each, func(g *Given) { g.Included, g.Begun = false, true }), all}, // the flow takes it as closed
		{"unassigned", with(each, func(g *Given) { g.Removed = true }), ""},
		{"unassigned after beginning", with(each, func(g *Given) { g.Removed, g.Begun = true, true }), all},
		{"to read", with(each, func(g *Given) { g.Mode = flow.ToRead }), "see open sheet read take"},
		{"kept here", with(each, func(g *Given) { g.KeptHere = true }), "see open sheet read write submit"},
		{"one for all", Given{Mode: flow.OneForAll, Included: true}, "see open sheet read write share take"},
		{"one for all, of others", Given{Mode: flow.OneForAll, Begun: true}, ""},
		{"one for all, opened by a teacher too early", Given{Mode: flow.OneForAll, Included: true, Begun: true, Opens: now.Add(time.Hour)}, ""},
		{"one for all, unassigned", Given{Mode: flow.OneForAll, Included: true, Begun: true, Removed: true}, "see sheet read share take"},
	} {
		thing := Thing{State: flow.InProgress, Layer: submission.Work, Shared: c.given.Mode == flow.OneForAll, Given: c.given, Now: now}
		for name, a := range actions {
			err := May(student, a, thing)
			if want := slices.Contains(strings.Fields(c.may), name); (err == nil) != want {
				t.Errorf("%s: %s: %v, want allowed: %v", c.name, name, err, want)
			}
			if c.may == "" && !errors.Is(err, ErrHidden) {
				t.Errorf("%s: %s: told %v, which tells that it exists", c.name, name, err)
			}
			if err := May(classmate, a, thing); err == nil && !thing.Shared {
				t.Errorf("%s: %s: a classmate may", c.name, name)
			}
		}
	}
	if err := May(student, TakeAway, Thing{Given: with(each, func(g *Given) { g.KeptHere = true })}); !errors.Is(err, ErrKept) {
		t.Errorf("kept here: %v", err)
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
