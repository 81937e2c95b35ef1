package school_test

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"reflect"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/school"
	"readymargin/school/jobs"
	"readymargin/school/live"
	"readymargin/school/services"
	"readymargin/school/shelf"
	"readymargin/school/work"
	"readymargin/store"
	"readymargin/store/mariadb"
	"readymargin/store/storetest"
)

var server *mariadb.Server

func TestMain(m *testing.M) {
	os.Exit(mariadb.Tests(m, func(s *mariadb.Server) { server = s }))
}

// A house is the use cases over a database of their own.
type house struct {
	*testing.T
	ctx     context.Context
	school  *services.All
	store   *store.Store
	teacher school.Person
}

func open(t *testing.T, database string) house {
	t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	t.Cleanup(cancel)
	dsn, err := server.Database(ctx, database)
	h := house{T: t, ctx: ctx}
	h.must(err)
	h.store, err = store.Open(store.Config{DSN: dsn})
	h.must(err)
	t.Cleanup(func() { h.store.Close() })
	h.must(h.store.Migrate(ctx))
	h.school = services.New(h.store, nil, services.Programs{})
	h.teacher = h.person("Teacher")
	return h
}

func (h house) must(err error) {
	h.Helper()
	if err != nil {
		h.Fatal(err)
	}
}

func (h house) person(name string) school.Person {
	h.Helper()
	p := school.Person{Name: name, Login: name, Settings: "{}", CreatedAt: h.school.Now()}
	h.must(h.store.AddPerson(h.ctx, &p))
	return p
}

// course makes a course with students, and with assignments of which every
// student has handed in a copy, got it back, and answered the feedback.
func (h house) course(name string, students, assignments int) (class []school.Person, given []*school.Assignment) {
	h.Helper()
	c, err := storetest.NewClass(h.ctx, h.store, name, students, assignments)
	h.must(err)
	h.must(h.store.SetMembership(h.ctx, school.Membership{CourseID: c.Course.ID, PersonID: h.teacher.ID, Role: access.Teacher, Seen: true, JoinedAt: h.school.Now()}))
	for _, p := range c.Students {
		for _, a := range c.Assignments {
			h.back(h.copy(p, a))
		}
	}
	return c.Students, c.Assignments
}

func (h house) copy(p school.Person, a *school.Assignment) uint64 {
	h.Helper()
	c, err := h.school.Saving.OpenOwn(h.ctx, p, a.ID)
	h.must(err)
	return c.ID
}

// back puts a copy into the state of one that was returned and answered.
func (h house) back(id uint64) {
	h.Helper()
	returned := h.school.Now().Add(-time.Hour)
	reply := mark.Mark{ID: fmt.Sprintf("reply-to-%04d", id), Page: 1, Body: &mark.Reply{To: "note-above", Text: "Why?"}}
	h.must(h.store.InCopy(h.ctx, id, func(tx school.CopyTx) error {
		c, err := tx.Copy()
		if err != nil {
			return err
		}
		c.State, c.Attempts, c.StartedAt = flow.Returned, 1, &returned
		_, err = tx.AddOps(submission.Replies, c.StudentID, h.school.Now(), []submission.Op{{ID: "op-" + reply.ID, On: reply.ID, Mark: &reply}})
		snapshot, blobErr := tx.PutBlob([]byte("{}"))
		return errors.Join(err, blobErr, tx.SetCopy(c), tx.PutAttempt(school.Attempt{CopyID: id, Number: 1, SnapshotHash: snapshot, SubmittedAt: returned, MarkedAt: &returned, ReturnedAt: &returned}))
	}))
}

// statements counts what the database was asked meanwhile.
func (h house) statements(do func()) int {
	h.Helper()
	db, err := h.store.DB()
	h.must(err)
	asked := func() (n int) {
		var name string
		h.must(db.QueryRowContext(h.ctx, "SHOW GLOBAL STATUS LIKE 'Questions'").Scan(&name, &n))
		return n
	}
	before := asked()
	do()
	return asked() - before - 1
}

// What a start page asks the database does not grow with the school, and says
// of every copy what is true.
func TestStartPagesAskOnce(t *testing.T) {
	h := open(t, "asking")
	class, given := h.course("First", 2, 1)
	ask := map[string]func(){
		"pile": func() {
			pile, err := h.school.Queue.Pile(h.ctx, h.teacher)
			h.must(err)
			for _, p := range pile {
				if p.Students != 2 || p.In != 2 || p.Unopened != 2 || len(p.Asked) != 2 || p.ToMark != 0 || p.Asked[0].Text != "Why?" || p.Asked[0].AssignmentID != p.Assignment.ID {
					t.Errorf("on the pile lies %+v", p)
				}
			}
		},
		"to-do": func() {
			todo, err := h.school.Agenda.ToDo(h.ctx, class[0])
			h.must(err)
			for _, a := range todo {
				if a.Copy.StudentID != class[0].ID || a.Copy.AssignmentID != a.Assignment.ID || a.Latest.CopyID != a.Copy.ID || a.Returned.Number != 1 || a.Gone {
					t.Errorf("to do is %+v", a)
				}
			}
		},
		"roll": func() {
			_, _, roll, err := h.school.Queue.Roll(h.ctx, h.teacher, given[0].ID)
			h.must(err)
			if len(roll) != 2 || roll[0].Latest.CopyID != roll[0].Copy.ID {
				t.Errorf("on the roll are %+v", roll)
			}
		},
	}
	before := map[string]int{}
	for name, do := range ask {
		before[name] = h.statements(do)
	}
	pages := func(given []*school.Assignment, who school.Person) map[string]int {
		out, course := map[string]int{}, given[0].CourseID
		for name, do := range map[string]func() error{
			"course's page":              func() error { _, _, _, err := h.school.Queue.InCourse(h.ctx, h.teacher, course); return err },
			"student's page of a course": func() error { _, _, err := h.school.Books.Own(h.ctx, who, course); return err },
			"teacher's page of a student": func() error {
				_, _, m, _, err := h.school.Roster.HelpOf(h.ctx, h.teacher, course, who.ID)
				if err == nil {
					_, err = h.school.Books.Of(h.ctx, h.teacher, m)
				}
				return err
			},
			"teacher's shelf of worksheets":    func() error { _, err := h.school.Shelf.Worksheets(h.ctx, h.teacher, shelf.Look{}); return err },
			"administrator's page of a school": func() error { _, err := h.school.Office.Overview(h.ctx, school.Person{ID: 1, Admin: true}); return err },
		} {
			out[name] = h.statements(func() { h.must(do()) })
		}
		return out
	}
	few := pages(given, class[0])
	others, five := h.course("Second", 2, 5)
	h.course("Third", 2, 3)
	for name, n := range pages(five, others[0]) {
		if n != few[name] || n > 10 {
			t.Errorf("the %s asks %d statements with five assignments, %d with one", name, n, few[name])
		}
	}
	if all, err := h.school.Queue.Pile(h.ctx, h.teacher); err != nil || len(all) != 9 {
		t.Fatalf("%d assignments lie on the pile (%v)", len(all), err)
	}
	for name, do := range ask {
		if n := h.statements(do); n != before[name] || n > 8 {
			t.Errorf("the %s asks %d statements of nine assignments, and %d of one", name, n, before[name])
		}
	}
}

// Screens that stay open and have nothing to hear are asked about together;
// what another process took is heard; and nobody hears anything who may no
// longer read.
func TestFollowingTogether(t *testing.T) {
	h := open(t, "following")
	class, given := h.course("First", 12, 1)
	other := services.New(h.store, nil, services.Programs{}) // another process
	ctx, stop := context.WithCancel(h.ctx)
	defer stop()
	quiet, heard, ended := make(chan bool, 100), make(chan live.News, 100), make(chan error, len(class))
	for _, p := range class {
		id := h.copy(p, given[0])
		go func() {
			ended <- h.school.Live.Follow(ctx, p, id, submission.Replies, live.Seen{Seq: 1, Said: 1},
				func(n live.News) error { heard <- n; return nil },
				func() error { quiet <- true; return nil })
		}()
	}
	for range class {
		select {
		case <-quiet:
		case <-h.ctx.Done():
			t.Fatal("nothing is heard")
		}
	}

	say := func(s *services.All, p school.Person, name string) {
		m := mark.Mark{ID: name, Page: 1, Body: &mark.Reply{To: "note-above", Text: "And this?"}}
		_, err := s.Saving.Save(h.ctx, p, h.copy(p, given[0]), submission.Replies, []submission.Op{{ID: "op-" + name, On: name, Mark: &m}})
		h.must(err)
	}
	for i, from := range []*services.All{h.school, other} {
		n := h.statements(func() {
			say(from, class[0], fmt.Sprint("one-more-", i))
			select {
			case n := <-heard:
				if n.Seq != int64(i)+2 || n.Moved {
					t.Errorf("heard is %+v", n)
				}
			case <-h.ctx.Done():
				t.Fatal("what was said is not heard")
			}
		})
		if n > 2*len(class) {
			t.Errorf("saving and hearing of it asks %d statements while %d screens are open", n, len(class))
		}
	}

	say(h.school, class[1], "before-the-end")
	<-heard
	h.must(h.store.SetMembership(h.ctx, school.Membership{CourseID: given[0].CourseID, PersonID: class[1].ID, JoinedAt: h.school.Now()}))
	h.must(h.store.InCopy(h.ctx, h.copyOf(class[1], given[0]), func(tx school.CopyTx) error {
		_, err := tx.Copy()
		m := mark.Mark{ID: "secret-one", Page: 1, Body: &mark.Reply{To: "note-above", Text: "Secret"}}
		_, err2 := tx.AddOps(submission.Replies, h.teacher.ID, h.school.Now(), []submission.Op{{ID: "op-secret-one", On: "secret-one", Mark: &m}})
		return errors.Join(err, err2)
	}))
	select {
	case err := <-ended:
		if !errors.Is(err, access.ErrHidden) {
			t.Errorf("following ends with %v", err)
		}
	case n := <-heard:
		t.Errorf("who is no member any more hears %+v", n)
	case <-h.ctx.Done():
		t.Error("following goes on")
	}
}

func (h house) copyOf(p school.Person, a *school.Assignment) uint64 {
	h.Helper()
	c, err := h.store.CopyOf(h.ctx, a.ID, p.ID)
	h.must(err)
	return c.ID
}

// Whoever takes in the changes of a copy has in the end what is present there,
// whatever came in whatever order; and is told to ask for everything when too
// much was changed.
func TestChangesLeadToWhatIsPresent(t *testing.T) {
	h := open(t, "changes")
	class, given := h.course("First", 2, 1)
	given = append(given, &school.Assignment{CourseID: given[0].CourseID, Title: "For all", Mode: flow.OneForAll, CreatedAt: h.school.Now(), Handouts: given[0].Handouts})
	h.must(h.store.AddAssignments(h.ctx, given[1:]))
	id := h.copy(class[0], given[1])
	r := rand.New(rand.NewPCG(11, 28))
	held, seq := map[string]mark.Mark{}, int64(0) // by version
	var ops []submission.Op                       // all that were ever made
	for step := range 60 {
		var batch []submission.Op
		for range 1 + r.IntN(4) {
			name := fmt.Sprintf("mark-%03d", len(ops)+len(batch))
			o := submission.Op{ID: "op-" + name, On: name}
			if len(ops) > 0 && r.IntN(3) > 0 { // made on another, perhaps on one that others were made on
				base := ops[r.IntN(len(ops))]
				o.On, o.Base = base.On, base.ID
			}
			if o.Base == "" || r.IntN(3) > 0 {
				o.Mark = &mark.Mark{ID: o.On, Page: 1, Body: &mark.FreeText{X: 10, Y: 20, Width: 60, Lines: []mark.TextLine{{Runs: []mark.Run{{Text: o.ID, Size: 14, Color: "#1e2a44"}}}}}}
			}
			batch = append(batch, o)
		}
		ops = append(ops, batch...)
		r.Shuffle(len(batch), func(i, j int) { batch[i], batch[j] = batch[j], batch[i] })
		_, err := h.school.Saving.Save(h.ctx, h.teacher, id, submission.Work, batch)
		h.must(err)
		if r.IntN(2) > 0 {
			continue // several batches at once
		}
		c, err := h.school.Saving.Changes(h.ctx, class[1], id, seq)
		h.must(err)
		seq = c.Seq
		for _, v := range c.Gone {
			delete(held, v)
		}
		for _, m := range c.Marks {
			held[m.Version] = m.Mark
			if m.By != "Teacher" || m.Mine || len(m.Shapes) == 0 {
				t.Errorf("step %d: a mark comes as %+v", step, m)
			}
		}
		heads, err := h.store.Heads(h.ctx, id, submission.Work)
		h.must(err)
		want := map[string]mark.Mark{}
		for _, head := range heads {
			if head.Mark != nil {
				want[head.Op] = *head.Mark
			}
		}
		if newest, err := h.store.LayerSeq(h.ctx, id, submission.Work); err != nil || !reflect.DeepEqual(held, want) || newest != seq {
			t.Fatalf("step %d: %d marks are held and %d are present", step, len(held), len(want))
		}
	}
	for range 3 {
		var many []submission.Op
		for range work.MaxBatch {
			name := fmt.Sprintf("mark-%03d", len(ops)+len(many))
			many = append(many, submission.Op{ID: "op-" + name, On: name, Mark: &mark.Mark{ID: name, Page: 1, Body: &mark.FreeText{X: 10, Y: 20, Width: 60, Lines: []mark.TextLine{{Runs: []mark.Run{{Text: "many", Size: 14, Color: "#1e2a44"}}}}}}})
		}
		ops = append(ops, many...)
		_, err := h.school.Saving.Save(h.ctx, h.teacher, id, submission.Work, many)
		h.must(err)
	}
	for _, after := range []int64{seq, -1} {
		if c, err := h.school.Saving.Changes(h.ctx, class[1], id, after); err != nil || !c.All || len(c.Marks) > 0 {
			t.Errorf("after operation %d come %d marks, all: %v (%v)", after, len(c.Marks), c.All, err)
		}
	}
	if _, err := h.school.Saving.Changes(h.ctx, class[1], h.copyOf(class[0], given[0]), 0); !errors.Is(err, access.ErrHidden) && !errors.Is(err, access.ErrDenied) {
		t.Errorf("a classmate asks for changes: %v", err)
	}
}

// A state that was kept is what stood there then, whatever came afterwards; it
// is for those who write there, and there are only so many.
func TestStatesThatAreKept(t *testing.T) {
	h := open(t, "states")
	class, given := h.course("States", 2, 1)
	id := h.copyOf(class[0], given[0])
	write := func(op, base, text string) submission.Op {
		o := submission.Op{ID: "op-" + op, On: "mark-one", Base: base}
		if text != "" {
			o.Mark = &mark.Mark{ID: o.On, Page: 1, Body: &mark.FreeText{X: 10, Y: 20, Width: 60, Lines: []mark.TextLine{{Runs: []mark.Run{{Text: text, Size: 14, Color: "#1e2a44"}}}}}}
		}
		return o
	}
	save := func(o submission.Op) {
		t.Helper()
		_, err := h.school.Saving.Save(h.ctx, class[0], id, submission.Work, []submission.Op{o})
		h.must(err)
	}
	keep := func(name string) error {
		_, err := h.school.States.Keep(h.ctx, class[0], id, submission.Work, name)
		return err
	}
	h.must(keep("empty"))
	save(write("first", "", "four metres"))
	h.must(keep("a guess"))
	save(write("second", "op-first", "five metres"))
	h.must(keep("worked out"))
	save(write("third", "op-second", ""))
	for number, want := range []string{"", "four metres", "five metres"} {
		marks, err := h.school.States.Marks(h.ctx, class[0], id, submission.Work, number+1)
		h.must(err)
		got := ""
		for _, m := range marks {
			got += m.Body.(*mark.FreeText).String()
		}
		if got != want {
			t.Errorf("state %d is %q, not %q", number+1, got, want)
		}
	}
	for _, who := range []school.Person{class[1], h.teacher, {}} {
		if _, err := h.school.States.All(h.ctx, who, id, submission.Work); err == nil {
			t.Errorf("%q reads what a student has kept", who.Name)
		}
	}
	for name, n := range map[string]int{"a number that is not there": 4, "none": 0, "below": -1} {
		if _, err := h.school.States.Marks(h.ctx, class[0], id, submission.Work, n); !errors.Is(err, access.ErrHidden) {
			t.Errorf("%s: %v", name, err)
		}
	}
	for _, name := range []string{"", "  ", strings.Repeat("long", 30)} {
		if err := keep(name); !school.IsProblem(err, "state name") {
			t.Errorf("a state called %q: %v", name, err)
		}
	}
	// Many at once get a number each, and no more than there may be.
	var full atomic.Int32
	var all sync.WaitGroup
	for range 60 {
		all.Go(func() {
			if err := keep("again"); school.IsProblem(err, "states") {
				full.Add(1)
			} else if err != nil {
				t.Error(err)
			}
		})
	}
	all.Wait()
	kept, err := h.school.States.All(h.ctx, class[0], id, submission.Work)
	h.must(err)
	for i, s := range kept {
		if s.Number != i+1 {
			t.Fatalf("the %dth is number %d", i+1, s.Number)
		}
	}
	if len(kept) != 40 || full.Load() != 23 {
		t.Errorf("%d are kept and %d were refused", len(kept), full.Load())
	}
}

// At Submit the answers are laid down by blank; taking back takes them away.
func TestAnswersAreLaidDownAtSubmit(t *testing.T) {
	h := open(t, "answers")
	c, err := storetest.NewClass(h.ctx, h.store, "answers", 1, 1)
	h.must(err)
	who := c.Students[0]
	id := h.copy(who, c.Assignments[0])
	op := storetest.Text("answer-mark", "Half Tide")
	op.Mark.Blank = "blank-answers"
	saved, err := h.school.Saving.Save(h.ctx, who, id, submission.Work, []submission.Op{op})
	h.must(err)
	laid := func() (out [][2]string) {
		db, err := h.store.DB()
		h.must(err)
		rows, err := db.QueryContext(h.ctx, "SELECT blank_id, normal FROM answers WHERE copy_id = ?", id)
		h.must(err)
		defer rows.Close()
		for rows.Next() {
			var one [2]string
			h.must(rows.Scan(&one[0], &one[1]))
			out = append(out, one)
		}
		return out
	}
	if got := laid(); len(got) > 0 {
		t.Errorf("before Submit: %v", got)
	}
	_, err = h.school.Submitting.Submit(h.ctx, who, id, "", saved.Seq)
	h.must(err)
	if got := laid(); len(got) != 1 || got[0] != [2]string{"blank-answers", "half tide"} {
		t.Errorf("after Submit: %v", got)
	}
	h.must(h.school.Submitting.TakeBack(h.ctx, who, id))
	if got := laid(); len(got) > 0 {
		t.Errorf("after taking back: %v", got)
	}
}

// Jobs are done once, tried again when they fail, and left to people at last.
func TestJobs(t *testing.T) {
	h := open(t, "jobs")
	now := h.school.Now()
	done := map[uint64]int{}
	broken := errors.New("broken")
	runner := jobs.New(h.store, func() time.Time { return now }, map[school.JobKind]jobs.Handler{
		school.JobAnswers: func(_ context.Context, ref uint64) error {
			done[ref]++
			return map[uint64]error{2: broken, 3: school.ErrNotFound}[ref]
		},
	})
	work := func() {
		for {
			worked, err := runner.One(h.ctx)
			h.must(err)
			if !worked {
				return
			}
		}
	}
	for ref := range uint64(3) {
		h.must(h.store.AddJob(h.ctx, school.JobAnswers, ref+1, now))
	}
	h.must(h.store.AddJob(h.ctx, school.JobRead, 9, now)) // nobody knows how
	work()
	work()
	if done[1] != 1 || done[2] != 1 || done[3] != 1 {
		t.Errorf("at first: %v", done)
	}
	for range 2 * jobs.MaxTries {
		now = now.Add(24 * time.Hour)
		work()
	}
	left, err := h.store.Jobs(h.ctx)
	h.must(err)
	if done[2] != jobs.MaxTries || len(left) != 2 || left[0].Error != "broken" || left[1].Kind != school.JobRead {
		t.Errorf("what fails was tried %d times, and left are %+v", done[2], left)
	}
}
