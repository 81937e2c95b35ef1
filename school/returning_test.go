package school_test

import (
	"errors"
	"fmt"
	"sync"
	"testing"
	"time"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/school"
	"readymargin/school/feedback"
	"readymargin/store/storetest"
)

// A class has handed in; its clock is the test's.
type handedIn struct {
	house
	storetest.Class
	copies []uint64
	now    time.Time
}

func handIn(t *testing.T, name string, students int) *handedIn {
	t.Helper()
	h := &handedIn{house: open(t, name)}
	var err error
	h.Class, err = storetest.NewClass(h.ctx, h.store, name, students, 1)
	h.must(err)
	h.now = h.school.Now()
	h.school.Now = func() time.Time { return h.now }
	for _, who := range h.Students {
		h.copies = append(h.copies, h.copy(who, h.Assignments[0]))
	}
	for i := range h.Students {
		h.submit(i)
	}
	return h
}

func (h *handedIn) submit(student int) {
	h.Helper()
	op := storetest.Text(fmt.Sprintf("answer-%d-%d", h.now.UnixNano(), student), "So it is")
	saved, err := h.school.Saving.Save(h.ctx, h.Students[student], h.copies[student], submission.Work, []submission.Op{op})
	h.must(err)
	_, err = h.school.Submitting.Submit(h.ctx, h.Students[student], h.copies[student], "", saved.Seq)
	h.must(err)
}

// later does what has come due so much later.
func (h *handedIn) later(d time.Duration) {
	h.Helper()
	h.now = h.now.Add(d)
	for {
		worked, err := h.school.Returns.One(h.ctx)
		h.must(err)
		if !worked {
			return
		}
	}
}

// sees returns the remark that a student has, and "-" for nothing returned. It
// is what the student is sent, without opening it.
func (h *handedIn) sees(student int) string {
	h.Helper()
	all, err := h.store.Attempts(h.ctx, h.copies[student])
	h.must(err)
	c, err := h.store.CopyInCourse(h.ctx, h.copies[student], 0)
	h.must(err)
	for _, a := range all {
		if a.ReturnedAt != nil {
			r, err := school.ReadReturned(h.ctx, h.store, a)
			h.must(err)
			return string(c.State) + " " + r.Remark
		}
	}
	return string(c.State)
}

func (h *handedIn) remark(student int, text string) {
	h.Helper()
	_, err := h.school.Marking.GivePoints(h.ctx, h.Teacher, h.copies[student], 1, "", "", text, false)
	h.must(err)
}

// A return waits, can be stopped, becomes visible when its time has come and not
// before, and is withdrawn while nobody has opened it.
func TestReturning(t *testing.T) {
	h := handIn(t, "returning", 3)
	m, id, who := h.school.Marking, h.copies[0], h.Students[0]
	plan := func(wall string, anyway bool) error {
		_, err := m.PlanReturn(h.ctx, h.Teacher, id, 1, wall, anyway)
		return err
	}
	stop := func(want int) {
		t.Helper()
		if n, err := m.Stop(h.ctx, h.Teacher, h.Assignments[0].ID, h.copies); err != nil || n != want {
			t.Errorf("%d returns were stopped, want %d (%v)", n, want, err)
		}
	}
	stands := func(when, want string) {
		t.Helper()
		if got := h.sees(0); got != want {
			t.Errorf("%s the copy is %q, want %q", when, got, want)
		}
	}
	if err := plan("", false); !school.IsProblem(err, "look first") {
		t.Errorf("with nothing on it: %v", err)
	}
	for _, wall := range []string{"2001-01-01T08:00", h.now.AddDate(2, 0, 0).Format("2006-01-02T15:04"), "tomorrow"} {
		if err := plan(wall, true); !school.IsProblem(err, "return time") {
			t.Errorf("at %s: %v", wall, err)
		}
	}
	h.later(time.Hour)
	stands("after what was refused", "submitted")

	h.remark(0, "First")
	h.must(plan("", false))
	h.later(feedback.Grace - time.Microsecond)
	stands("before its time", "submitted")
	stop(1)
	stop(0)
	h.later(time.Hour)
	stands("after stopping", "submitted")

	h.must(plan(h.now.Add(3*time.Hour).Format("2006-01-02T15:04"), false))
	h.must(plan("", false)) // instead
	h.remark(0, "Second")
	h.later(feedback.Grace)
	stands("in time, with what stands there then,", "returned Second")
	h.must(m.Withdraw(h.ctx, h.Teacher, id, 1))
	stands("withdrawn", "submitted")
	if err := m.Withdraw(h.ctx, h.Teacher, id, 1); !school.IsProblem(err, "not returned") {
		t.Errorf("withdrawn twice: %v", err)
	}
	h.later(4 * time.Hour)
	stands("when the time comes that was planned before", "submitted")

	h.must(m.Return(h.ctx, h.Teacher, id, 1))
	_, err := h.school.Screens.Open(h.ctx, who, id)
	h.must(err)
	if err := m.Withdraw(h.ctx, h.Teacher, id, 1); !school.IsProblem(err, "opened") {
		t.Errorf("opened: %v", err)
	}
	h.remark(0, "Third")
	h.must(m.Return(h.ctx, h.Teacher, id, 1))
	stands("returned again", "returned Third")
	h.must(m.Withdraw(h.ctx, h.Teacher, id, 1))
	stands("with the second withdrawn", "returned Second")
	if err := m.Withdraw(h.ctx, h.Teacher, id, 1); !school.IsProblem(err, "opened") {
		t.Errorf("what was opened before: %v", err)
	}
	v, err := h.school.Screens.OpenToMark(h.ctx, h.Teacher, id, 1)
	h.must(err)
	said := ""
	for _, r := range v.Returns {
		switch {
		case r.StoppedAt != nil:
			said += "stopped "
		case r.WithdrawnAt != nil:
			said += "withdrawn "
		case r.Stands():
			said += "stands "
		}
	}
	if said != "stopped stopped withdrawn stands withdrawn " {
		t.Errorf("the history says %q", said)
	}

	// What the student takes back before it is returned is not returned, nor what
	// comes in its place.
	_, err = m.PlanReturn(h.ctx, h.Teacher, h.copies[1], 1, "", true)
	h.must(err)
	h.must(h.school.Submitting.TakeBack(h.ctx, h.Students[1], h.copies[1]))
	h.submit(1)
	h.later(time.Hour)
	if got := h.sees(1); got != "submitted" {
		t.Errorf("what came in the place of what was taken back is %q", got)
	}
	// Several at once; those who do not mark have no part in it.
	for _, p := range []school.Person{who, h.person("Stranger")} {
		if _, _, err := m.PlanAll(h.ctx, p, h.Assignments[0].ID, h.copies, ""); !errors.Is(err, access.ErrHidden) && !errors.Is(err, access.ErrDenied) {
			t.Errorf("planned by %s: %v", p.Name, err)
		}
		if _, err := m.Stop(h.ctx, p, h.Assignments[0].ID, h.copies); err == nil {
			t.Errorf("stopped by %s", p.Name)
		}
	}
	if n, _, err := m.PlanAll(h.ctx, h.Teacher, h.Assignments[0].ID, append(h.copies, 99999), ""); err != nil || n != 2 {
		t.Errorf("%d are planned, of two that wait (%v)", n, err)
	}
	h.later(feedback.Grace)
	if a, b := h.sees(1), h.sees(2); a != "returned " || b != "returned " {
		t.Errorf("of several, one is %q, the other %q", a, b)
	}
}

// Many who return a copy at once return it once.
func TestReturningAtOnce(t *testing.T) {
	h := handIn(t, "returning-at-once", 1)
	var all sync.WaitGroup
	for range 20 {
		all.Go(func() {
			if _, err := h.school.Marking.PlanReturn(h.ctx, h.Teacher, h.copies[0], 1, "", true); err != nil {
				t.Error(err)
			}
		})
	}
	all.Wait()
	h.later(feedback.Grace)
	done := 0
	returns, err := h.store.Returns(h.ctx, h.copies[0], 1)
	h.must(err)
	for _, r := range returns {
		if r.Stands() {
			done++
		}
	}
	if done != 1 || h.sees(0) != "returned " {
		t.Errorf("%d of %d returns were done", done, len(returns))
	}
}

// A teacher has a student go on, until later and though no attempt is left.
func TestHavingItImproved(t *testing.T) {
	h := handIn(t, "reopening", 1)
	m, id, who := h.school.Marking, h.copies[0], h.Students[0]
	db, err := h.store.DB()
	h.must(err)
	_, err = db.ExecContext(h.ctx, "UPDATE assignments SET max_attempts = 1, due_at = ?, closes_at = ?", h.now.Add(time.Hour), h.now.Add(time.Hour))
	h.must(err)
	if err := m.Reopen(h.ctx, h.Teacher, id, ""); !errors.Is(err, flow.ErrState) {
		t.Errorf("what was not returned: %v", err)
	}
	h.must(m.Return(h.ctx, h.Teacher, id, 1))
	if err := h.school.Submitting.Improve(h.ctx, who, id); !school.IsProblem(err, "attempts used") {
		t.Errorf("by oneself: %v", err)
	}
	h.must(m.Reopen(h.ctx, h.Teacher, id, h.now.Add(48*time.Hour).Format("2006-01-02T15:04")))
	if err := m.Withdraw(h.ctx, h.Teacher, id, 1); !school.IsProblem(err, "opened") {
		t.Errorf("withdrawn under the student's hands: %v", err)
	}
	h.now = h.now.Add(24 * time.Hour)
	h.submit(0)
	all, err := h.store.Attempts(h.ctx, id)
	h.must(err)
	if len(all) != 2 || all[1].LateMinutes != 0 {
		t.Errorf("attempts are %+v", all)
	}
}

// What may have been forgotten on a copy is told before it is returned.
func TestLookingBeforeReturning(t *testing.T) {
	h := handIn(t, "looking", 2)
	ask := mark.Mark{ID: "note-that-asks", Page: 1, Body: &mark.Note{At: [2]float64{40, 50}, Says: "ask", Text: "Why?"}}
	h.must(h.school.Submitting.TakeBack(h.ctx, h.Students[0], h.copies[0]))
	_, err := h.school.Saving.Save(h.ctx, h.Students[0], h.copies[0], submission.Work, []submission.Op{{ID: "op-note-that-asks", On: ask.ID, Mark: &ask}})
	h.must(err)
	h.submit(0)
	check := func() feedback.Check {
		t.Helper()
		_, _, all, err := h.school.Marking.Checks(h.ctx, h.Teacher, h.Assignments[0].ID, h.copies[0])
		h.must(err)
		if len(all) != 1 {
			t.Fatalf("%d copies were looked at", len(all))
		}
		return all[0]
	}
	if c := check(); !c.Nothing || len(c.Unanswered) != 1 || c.Unanswered[0] != ask.ID || c.Pointless {
		t.Errorf("at first: %+v", c)
	}
	pile, err := h.school.Queue.Pile(h.ctx, h.Teacher)
	h.must(err)
	if pile[0].Asking != 1 || pile[0].ToMark != 2 {
		t.Errorf("on the pile: %+v", pile[0])
	}
	reply := mark.Mark{ID: "answer-to-note", Page: 1, Body: &mark.Reply{To: ask.ID, Text: "Because"}}
	_, err = h.school.Saving.Save(h.ctx, h.Teacher, h.copies[0], submission.Feedback(1), []submission.Op{{ID: "op-answer-to-note", On: reply.ID, Mark: &reply}})
	h.must(err)
	if c := check(); !c.Clear() {
		t.Errorf("answered: %+v", c)
	}
	_, err = h.school.Marking.PlanReturn(h.ctx, h.Teacher, h.copies[0], 1, "", false)
	h.must(err)
	pile, err = h.school.Queue.Pile(h.ctx, h.Teacher)
	h.must(err)
	if pile[0].ToMark != 1 || pile[0].Asking != 0 {
		t.Errorf("on the pile, while one goes back: %+v", pile[0])
	}
}
