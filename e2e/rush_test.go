package e2e

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"testing"
	"time"

	"readymargin/core/flow"
	"readymargin/core/submission"
	"readymargin/demo"
	"readymargin/e2e/house"
	"readymargin/school"
	"readymargin/school/screen"
	"readymargin/store"
)

// Three hundred press Submit in one second, while eight others go on working.
// Everybody comes in, once. How long it takes is measured in make bench.
func TestThreeHundredSubmitInOneSecond(t *testing.T) {
	ctx := context.Background()
	sheet, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	c, err := home.Crowd(ctx, "Rush", 308, sheet)
	if err != nil {
		t.Fatal(err)
	}
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 320}}
	defer client.CloseIdleConnections()
	r := c.SubmitAll(client, 8)
	for i, err := range r.Failed {
		if i < 5 {
			t.Error(err)
		}
	}
	if len(r.Failed) > 0 || len(r.Others) < 8 {
		t.Fatalf("%d requests failed; the others opened %d pages", len(r.Failed), len(r.Others))
	}
	copies, attempts, err := home.Store.HandedIn(ctx, c.Assignment.ID)
	if err != nil || len(attempts) != 300 {
		t.Fatalf("%d attempts are there (%v)", len(attempts), err)
	}
	states := map[flow.State]int{}
	for _, cp := range copies {
		states[cp.State]++
	}
	if states[flow.Submitted] != 300 || states[flow.InProgress] != 8 {
		t.Errorf("copies: %v", states)
	}
}

// The whole way of a copy with one connection to the database: whoever asks
// for a second one inside a transaction would stand still for ever.
func TestOneConnectionIsEnough(t *testing.T) {
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	sheet, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	c, err := home.Crowd(ctx, "Single", 1, sheet)
	if err != nil {
		t.Fatal(err)
	}
	st, err := store.Open(store.Config{DSN: home.DSN(), Conns: 1})
	if err != nil {
		t.Fatal(err)
	}
	defer st.Close()
	s := home.UseCases(st)
	seat := c.Seats[0]
	opened := func(v screen.Screen, err error) error { return errors.Join(err, ctx.Err()) }
	save := func(who school.Person, l submission.Layer, name string) error {
		_, err := s.Saving.Save(ctx, who, seat.Copy, l, []submission.Op{house.Written(name, name)})
		return err
	}
	submit := func(seq int64) error {
		_, err := s.Submitting.Submit(ctx, seat.Person, seat.Copy, "a line", seq)
		return err
	}
	steps(t,
		func() error { return opened(s.Screens.Open(ctx, seat.Person, seat.Copy)) },
		func() error { return save(seat.Person, submission.Work, "answer") },
		func() error { return submit(2) },
		func() error { return s.Submitting.TakeBack(ctx, seat.Person, seat.Copy) },
		func() error { return submit(2) },
		func() error { return opened(s.Screens.OpenToMark(ctx, c.Teacher, seat.Copy, 1)) },
		func() error { return save(c.Teacher, submission.Feedback(1), "remark") },
		func() error {
			_, err := s.Marking.GivePoints(ctx, c.Teacher, seat.Copy, 1, "7", "", "Well done")
			return err
		},
		func() error { _, err := s.Marking.Others(ctx, c.Teacher, seat.Copy); return err },
		func() error { _, _, _, err := s.Marking.Checks(ctx, c.Teacher, c.Assignment.ID, 0); return err },
		func() error {
			_, _, err := s.Marking.PlanAll(ctx, c.Teacher, c.Assignment.ID, []uint64{seat.Copy}, "")
			return err
		},
		func() error { return s.Marking.Return(ctx, c.Teacher, seat.Copy, 1) },
		func() error { return s.Marking.Withdraw(ctx, c.Teacher, seat.Copy, 1) },
		func() error { return s.Marking.Return(ctx, c.Teacher, seat.Copy, 1) },
		func() error { return opened(s.Screens.Open(ctx, seat.Person, seat.Copy)) },
		func() error { return s.Submitting.Improve(ctx, seat.Person, seat.Copy) },
		func() error { return submit(2) },
		func() error { _, err := s.Exports.PrintCopy(ctx, c.Teacher, seat.Copy, 1, false); return err },
		func() error { _, err := s.Queue.Pile(ctx, c.Teacher); return err },
		func() error { _, err := s.Agenda.ToDo(ctx, seat.Person); return err },
		func() error {
			_, err := s.Assignments.SetAudience(ctx, c.Teacher, c.Assignment.ID, c.Assignment.Audience)
			return err
		},
		func() error {
			return s.Assignments.GiveTime(ctx, c.Teacher, c.Assignment.ID, seat.Person.ID, "")
		},
		func() error {
			_, _, err := s.Lists.TakeList(ctx, c.Teacher, c.Course.ID, []byte("Name\nWilla Newcomer\n"))
			return err
		},
	)
	if a, err := st.Attempts(ctx, seat.Copy); err != nil || len(a) != 2 {
		t.Error(fmt.Sprint(len(a), " attempts"), err)
	}
}
