package storetest

import (
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/school"
)

// questions: one waits for whom it asks, while it is present and has no answer of theirs.
func questions(c *check) {
	class := c.class("questions", 2, 2)
	asker, colleague := class.Students[0], class.Students[1]
	k := must(class.Copy(c.ctx, c.Store, 0, 0))
	ask := mark.Mark{ID: "question-1", Page: 1, Body: &mark.Note{At: [2]float64{5, 5}, Says: "ask", Text: "Why?"}}
	op := submission.Op{ID: "op-question-1", On: ask.ID, Mark: &ask}
	in := func(fn func(school.CopyTx) error) {
		c.Helper()
		c.must(c.InCopy(c.ctx, k.ID, func(tx school.CopyTx) error {
			if _, err := tx.Copy(); err != nil {
				return err
			}
			return fn(tx)
		}))
	}
	put := func(tx school.CopyTx) error {
		return tx.PutQuestion(school.Question{Mark: ask.ID, Note: ask.ID, Layer: submission.Replies, Patch: []mark.Mark{}}, op.ID)
	}
	waits := func(person uint64, of int) (out []string) {
		c.Helper()
		for _, q := range must(c.Waiting(c.ctx, person, class.Assignments[of].ID)) {
			out = append(out, q.Mark+" "+q.Asker)
		}
		return out
	}
	in(put) // of an operation that is not there
	if all := must(c.QuestionsOf(c.ctx, k.ID)); len(all) != 0 {
		c.Errorf("what nobody has asked: %+v", all)
	}
	in(func(tx school.CopyTx) error {
		_, err := tx.AddOps(submission.Replies, asker.ID, c.now, []submission.Op{op})
		return err
	})
	in(put)
	in(put) // once more, as when an answer was lost on its way
	if got := waits(class.Teacher.ID, 0); !slices.Equal(got, []string{"question-1 questions Student 0"}) || waits(class.Teacher.ID, 1) != nil {
		c.Errorf("there waits %v", got)
	}
	in(func(tx school.CopyTx) error { return tx.Answered(ask.ID, asker.ID, c.now) }) // by who asks
	if waits(class.Teacher.ID, 0) == nil {
		c.Error("who asks has answered it")
	}
	in(func(tx school.CopyTx) error { return tx.Answered(ask.ID, class.Teacher.ID, c.now) })
	if got := waits(class.Teacher.ID, 0); got != nil {
		c.Errorf("answered, there waits %v", got)
	}
	reply := mark.Mark{ID: "question-2", Page: 1, Body: &mark.Reply{To: ask.ID, Asks: colleague.ID}}
	in(func(tx school.CopyTx) error {
		if _, err := tx.AddOps(submission.Among, class.Teacher.ID, c.now, []submission.Op{{ID: "op-question-2", On: reply.ID, Mark: &reply}}); err != nil {
			return err
		}
		return tx.PutQuestion(school.Question{Mark: reply.ID, Note: ask.ID, Layer: submission.Among, AskedID: colleague.ID}, "op-question-2")
	})
	if got := waits(colleague.ID, 1); len(got) != 1 || waits(class.Teacher.ID, 0) != nil {
		c.Errorf("for the one who is asked there waits %v", got)
	}
	in(func(tx school.CopyTx) error { return tx.Answered(ask.ID, asker.ID, c.now) }) // by somebody who is not
	if waits(colleague.ID, 0) == nil {
		c.Error("somebody else has answered what one person is asked")
	}
	in(func(tx school.CopyTx) error { return tx.DropQuestion(reply.ID) })
	if got := waits(colleague.ID, 0); got != nil {
		c.Errorf("taken back, there waits %v", got)
	}
}

// hearings: no more than there may be, whoever begins at the same time.
func hearings(c *check) {
	class := c.class("hearings", 1, 1)
	k := must(class.Copy(c.ctx, c.Store, 0, 0))
	until := c.now.Add(time.Minute)
	h := school.Hearing{CopyID: k.ID, PersonID: class.Students[0].ID, MarkID: "sound-one", TokenHash: "first", Until: &until}
	c.must(c.ReadWords(c.ctx, k.ID, h.PersonID, h.MarkID))
	var all sync.WaitGroup
	var began atomic.Int32
	for range 12 {
		all.Go(func() {
			if _, ok, err := c.Hear(c.ctx, h, 3); err != nil {
				c.Error(err)
			} else if ok {
				began.Add(1)
			}
		})
	}
	all.Wait()
	if began.Load() != 3 {
		c.Errorf("of 3 hearings %d began", began.Load())
	}
	got, err := c.HearingOf(c.ctx, k.ID, h.PersonID, "first")
	if err != nil || got.Times != 3 || !got.Words {
		c.Errorf("it stands as %+v (%v)", got, err)
	}
	for _, token := range []string{"second", ""} {
		_, err := c.HearingOf(c.ctx, k.ID, h.PersonID, token)
		c.is("a token of no hearing", err, school.ErrNotFound)
	}
	if in := must(c.CopyInCourse(c.ctx, k.ID, class.Teacher.ID)); in.Hearings["sound-one"].Times != 3 || !in.Hearings["sound-one"].Words {
		c.Errorf("the copy has %+v", in.Hearings)
	}
}

// told: lines to a class, who has seen them, and who is told of them by mail.
func told(c *check) {
	class := c.class("told", 3, 1)
	for i, p := range class.Students[:2] {
		c.must(c.PutMailbox(c.ctx, school.Mailbox{PersonID: p.ID, Address: []string{"a@b.example", ""}[i], LeaveKey: []string{"AAAAAAAAAAAAAAAAAAAAAAAAAA", "BBBBBBBBBBBBBBBBBBBBBBBBBB"}[i], Choices: school.NoticeKinds}))
	}
	_, may, err := c.Mailbox(c.ctx, class.Students[0].ID)
	if err != nil || may {
		c.Errorf("a student may have mail where the course does not let them (%v)", err)
	}
	if m, may, err := c.Mailbox(c.ctx, class.Teacher.ID); err != nil || !may || m.PersonID != 0 {
		c.Errorf("the teacher: %+v, %v (%v)", m, may, err)
	}
	for _, text := range []string{"first", "second"} {
		c.must(c.AddLine(c.ctx, &school.ClassLine{CourseID: class.Course.ID, AuthorID: class.Teacher.ID, Text: text, At: c.now}))
	}
	lines := must(c.Lines(c.ctx, class.Course.ID))
	if len(lines) != 2 || lines[0].Text != "second" || lines[0].Author != "told Teacher" || len(lines[0].SeenBy) != 0 {
		c.Fatalf("the lines are %+v", lines)
	}
	for range 3 {
		c.must(c.SeeLine(c.ctx, lines[0].ID, class.Students[0].ID, c.now))
	}
	if lines = must(c.Lines(c.ctx, class.Course.ID)); !slices.Equal(lines[0].SeenBy, []uint64{class.Students[0].ID}) {
		c.Errorf("seen by %v", lines[0].SeenBy)
	}
	if mine := must(c.LinesFor(c.ctx, class.Students[0].ID, c.now.Add(-time.Hour))); len(mine) != 2 || mine[0].SeenAt == nil || mine[1].SeenAt != nil {
		c.Errorf("one's own are %+v", mine)
	}
	if mine := must(c.LinesFor(c.ctx, class.Teacher.ID, c.now.Add(-time.Hour))); len(mine) != 0 {
		c.Errorf("who teaches is told %+v", mine)
	}
	// Only who has confirmed an address, and once.
	for i, want := range []int{1, 0, 0} {
		if got := must(c.Notices(c.ctx, class.Students[i].ID)); len(got) != want || want > 0 && got[0].Kind != school.NoticeLine {
			c.Errorf("student %d is to be told %+v", i, got)
		}
	}
	c.must(c.DropMailbox(c.ctx, class.Students[0].ID))
	if got := must(c.Notices(c.ctx, class.Students[0].ID)); len(got) != 0 {
		c.Errorf("who has no address any more is to be told %+v", got)
	}
	c.must(c.DropLine(c.ctx, lines[0].ID))
	_, err = c.Line(c.ctx, lines[0].ID)
	c.is("a line that was taken away", err, school.ErrNotFound)
}
