package e2e

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"readymargin/core/flow"
	"readymargin/core/submission"
	"readymargin/demo"
	"readymargin/e2e/house"
	"readymargin/school"
	"readymargin/school/screen"
	"readymargin/school/takeaway"
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
	// In the next second all of them take their copies away.
	var all sync.WaitGroup
	var got atomic.Int32
	for i, seat := range c.Seats[:300] {
		as := []string{"printed", "movable", "margin"}[i%3]
		all.Go(func() {
			b, err := seat.Get(client, fmt.Sprintf("/copies/%d/print?as=%s&attempt=1", seat.Copy, as))
			if err == nil && strings.HasPrefix(string(b), "%PDF-") {
				got.Add(1)
			} else if got.Load() < 5 {
				t.Error(err)
			}
		})
	}
	all.Wait()
	if got.Load() != 300 {
		t.Errorf("%d of 300 got their copies", got.Load())
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
			_, err := s.Marking.GivePoints(ctx, c.Teacher, seat.Copy, 1, "7", "", "Well done", false)
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
		func() error {
			_, err := s.Exports.TakeCopy(ctx, c.Teacher, seat.Copy, takeaway.Choice{Attempt: 1})
			return err
		},
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

// Three hundred requests of those who mark come in one second: points for a
// class, its return, tables of points, remarks that are kept, looks at work.
// All of them are answered, and what they do is done once.
func TestThreeHundredMarkInOneSecond(t *testing.T) {
	ctx := context.Background()
	sc, assignment, copies, questions := scored(t, "Crowded")
	teacher := sc.people["teacher"]
	given := fmt.Sprintf(`{"question":%q,"given":[{"copy":%d,"attempt":1,"points":"1","was":""},{"copy":%d,"attempt":1,"points":"1","was":""}]}`, questions[1], copies[0], copies[1])
	table, kind, err := house.FileForm("points.csv", []byte("Sign-in name,Scored\ncrowded.student,3\n"))
	if err != nil {
		t.Fatal(err)
	}
	form := "application/x-www-form-urlencoded"
	doors := []struct{ path, kind, body string }{
		{fmt.Sprintf("/assignments/%d/across", assignment), "application/json", given},
		{fmt.Sprintf("/assignments/%d/return", assignment), form, fmt.Sprintf("copy=%d&copy=%d&at=", copies[0], copies[1])},
		{fmt.Sprintf("/courses/%d/book/read", sc.course.ID), kind, string(table)},
		{fmt.Sprintf("/courses/%d/remarks", sc.course.ID), form, "text=Well+done"},
		{fmt.Sprintf("/assignments/%d/across/ops", assignment), "application/json", fmt.Sprintf(`{"copies":[{"copy":%d,"layer":"feedback.1","ops":[{"id":"op-crowded-note","on":"crowded-note","mark":{"id":"crowded-note","page":1,"kind":"note","body":{"at":[300,300],"text":"Look"}}}]}]}`, copies[0])},
	}
	var all sync.WaitGroup
	var failed atomic.Int64
	for i := range 300 {
		d := doors[i%len(doors)]
		all.Go(func() {
			req, err := http.NewRequestWithContext(ctx, "POST", home.Base+d.path, strings.NewReader(d.body))
			if err != nil {
				t.Error(err)
				return
			}
			req.Header.Set("Content-Type", d.kind)
			req.Header.Set("Accept", "application/json")
			res, err := teacher.Do(req)
			if err != nil {
				t.Error(err)
				return
			}
			defer res.Body.Close()
			if body, _ := io.ReadAll(res.Body); res.StatusCode >= 300 && failed.Add(1) < 4 {
				t.Errorf("%s: %d %.300s", d.path, res.StatusCode, body)
			}
		})
	}
	all.Wait()
	for _, id := range copies {
		scores, err1 := home.Store.Scores(ctx, id, 1)
		returns, err2 := home.Store.Returns(ctx, id, 1)
		if err := errors.Join(err1, err2); err != nil || len(scores) != 1 || scores[0].Points.String() != "1" || len(returns) != 1 {
			t.Errorf("copy %d has the scores %+v and %d returns (%v)", id, scores, len(returns), err)
		}
	}
	if kept, err := home.School.Ready.Choices(ctx, personOf(t, "crowded.teacher"), sc.course.ID); err != nil || len(kept) != 1 {
		t.Errorf("%d remarks are kept (%v)", len(kept), err)
	}
}
