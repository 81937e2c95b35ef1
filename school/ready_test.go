package school_test

import (
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"readymargin/core/access"
	"readymargin/school"
	"readymargin/school/feedback"
	"readymargin/store/storetest"
)

// A teacher's ready remarks are the teacher's, and a course's when they are
// shared; students and strangers know of none.
func TestReadyRemarks(t *testing.T) {
	h := open(t, "ready")
	c, err := storetest.NewClass(h.ctx, h.store, "ready", 1, 0)
	h.must(err)
	mate := h.person("Colleague")
	h.must(h.store.SetMembership(h.ctx, school.Membership{CourseID: c.Course.ID, PersonID: mate.ID, Role: access.Assistant, Seen: true, JoinedAt: time.Now()}))
	r, course := h.school.Ready, c.Course.ID
	keep := func(who school.Person, text, short, points string, shared bool) (school.ReadyRemark, error) {
		return r.Keep(h.ctx, who, course, feedback.Kept{Text: text, Short: short, Points: points, Shared: shared})
	}
	has := func(who school.Person) (out []string) {
		t.Helper()
		all, err := r.Choices(h.ctx, who, course)
		h.must(err)
		for _, one := range all {
			out = append(out, fmt.Sprintf("%s/%s/%v/%d", one.Short, one.Gives, one.Mine, len(one.Used)))
		}
		return out
	}
	own, err := keep(c.Teacher, "Give the unit, {first name}.", "unit", "0.5", false)
	h.must(err)
	again, err := keep(c.Teacher, "Give the unit, {first name}.", "u", "", false)
	h.must(err)
	shared, err := keep(c.Teacher, "Look at the curve again.", "curve", "", true)
	h.must(err)
	if again.ID != own.ID {
		t.Error("the same remark is kept twice")
	}
	h.must(r.Used(h.ctx, c.Teacher, course, own.ID, "question-1"))
	h.must(r.Used(h.ctx, c.Teacher, course, own.ID, "question-1"))
	h.must(r.Used(h.ctx, c.Teacher, course, own.ID, ""))
	if got := strings.Join(has(c.Teacher), " "); got != "unit/0.5/true/2 curve//true/0" {
		t.Errorf("the teacher has %s", got)
	}
	if got := strings.Join(has(mate), " "); got != "curve//false/0" {
		t.Errorf("a colleague has %s", got)
	}
	for what, err := range map[string]error{
		"another's own":              r.Used(h.ctx, mate, course, own.ID, ""),
		"dropping another's own":     r.Drop(h.ctx, mate, course, own.ID),
		"dropping what is shared":    r.Drop(h.ctx, mate, course, shared.ID),
		"one that there is not":      r.Drop(h.ctx, c.Teacher, course, 9999),
		"a student's use":            r.Used(h.ctx, c.Students[0], course, shared.ID, ""),
		"a student's keeping of one": func() error { _, err := keep(c.Students[0], "Mine", "", "", true); return err }(),
		"a student's look":           func() error { _, err := r.Choices(h.ctx, c.Students[0], course); return err }(),
	} {
		if !errors.Is(err, access.ErrHidden) && !errors.Is(err, access.ErrDenied) {
			t.Errorf("%s: %v", what, err)
		}
	}
	for what, want := range map[[3]string]string{
		{"", "", ""}: "ready remark", {strings.Repeat("a", 2001), "", ""}: "ready remark", {"Good", strings.Repeat("k", 21), ""}: "short key", {"Good", "", "many"}: "points",
	} {
		if _, err := keep(c.Teacher, what[0], what[1], what[2], false); !school.IsProblem(err, want) {
			t.Errorf("%.20q is kept (%v)", what, err)
		}
	}
	h.must(r.Drop(h.ctx, c.Teacher, course, own.ID))
	if got := strings.Join(has(c.Teacher), " "); got != "curve//true/0" {
		t.Errorf("after dropping one the teacher has %s", got)
	}
}
