package main

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"time"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/submission"
	"readymargin/e2e/house"
	"readymargin/school"
)

// A grown-up school: everybody sits in all courses.
const (
	coursesBig, assignmentsBig, studentsBig = 5, 20, 40
	screensOpen                             = 100
)

// statements counts what the database was asked meanwhile. The house's server
// has nobody else.
func (b *bench) statements(do func() error) (float64, error) {
	db, err := b.house.Store.DB()
	if err != nil {
		return 0, err
	}
	asked := func() (n float64, err error) {
		var name string
		err = db.QueryRowContext(b.ctx, "SHOW GLOBAL STATUS LIKE 'Questions'").Scan(&name, &n)
		return n, err
	}
	before, err := asked()
	if err != nil {
		return 0, err
	}
	if err := do(); err != nil {
		return 0, err
	}
	after, err := asked()
	return after - before - 1, err
}

// grown makes the courses, all copies of which were returned.
func (b *bench) grown() (teacher house.Seat, students []house.Seat, copies []uint64, err error) {
	crowd, err := b.crowd("Grown", studentsBig)
	if err != nil {
		return teacher, nil, nil, err
	}
	now := b.house.School.Now()
	for course := range coursesBig {
		in := crowd.Course
		if course > 0 {
			if in, err = b.house.School.Courses.MakeCourse(b.ctx, crowd.Teacher, fmt.Sprint("Grown ", course), "UTC"); err != nil {
				return teacher, nil, nil, err
			}
		}
		var given []*school.Assignment
		for n := range assignmentsBig {
			given = append(given, &school.Assignment{CourseID: in.ID, Title: fmt.Sprint("Sheet ", n), Mode: flow.CopyEach, CreatedAt: now, Handouts: crowd.Assignment.Handouts})
		}
		if err := b.house.Store.AddAssignments(b.ctx, given); err != nil {
			return teacher, nil, nil, err
		}
		for _, s := range crowd.Seats {
			if err := b.house.Store.SetMembership(b.ctx, school.Membership{CourseID: in.ID, PersonID: s.Person.ID, Role: access.Student, Seen: true, JoinedAt: now}); err != nil {
				return teacher, nil, nil, err
			}
			for _, a := range given {
				c, err := b.house.Store.CopyFor(b.ctx, a.ID, s.Person.ID, a.Handouts[0].RevisionID)
				if err == nil {
					err = b.returned(c.ID, now)
				}
				if err != nil {
					return teacher, nil, nil, err
				}
				copies = append(copies, c.ID)
			}
		}
	}
	teacher, err = b.house.Sit(b.ctx, crowd.Teacher, crowd.Seats[0].Copy)
	return teacher, crowd.Seats, copies, err
}

func (b *bench) returned(id uint64, now time.Time) error {
	return b.house.Store.InCopy(b.ctx, id, func(tx school.CopyTx) error {
		c, err := tx.Copy()
		c.State, c.Attempts, c.StartedAt = flow.Returned, 1, &now
		snapshot, blobErr := tx.PutBlob([]byte("{}"))
		return errors.Join(err, blobErr, tx.SetCopy(c), tx.PutAttempt(school.Attempt{CopyID: id, Number: 1, SnapshotHash: snapshot, SubmittedAt: now, MarkedAt: &now, ReturnedAt: &now}))
	})
}

func (b *bench) crowd(name string, n int) (house.Crowd, error) {
	file, _, drop, err := sample()
	if err != nil {
		return house.Crowd{}, err
	}
	defer drop()
	return b.house.Crowd(b.ctx, name, n, file)
}

// statementsMost is how many statements a screen asks.
const statementsMost = 10

// screens: what each screen asks the database in a grown-up school, and what
// 100 that stay open ask in a minute in which nothing happens.
func (b *bench) screens() ([]line, error) {
	teacher, students, copies, err := b.grown()
	if err != nil {
		return nil, err
	}
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: screensOpen}}
	defer client.CloseIdleConnections()
	student := students[0]
	roll, err := b.house.Store.CopyInCourse(b.ctx, copies[0], teacher.Person.ID)
	if err != nil {
		return nil, err
	}
	size := fmt.Sprintf("%d x %d x %d", coursesBig, assignmentsBig, studentsBig)
	var lines []line
	for _, screen := range []struct {
		name string
		do   func() error
	}{
		{"pile", func() error { _, err := teacher.Get(client, "/"); return err }},
		{"to-do", func() error { _, err := student.Get(client, "/to-do"); return err }},
		{"roll", func() error {
			_, err := teacher.Get(client, fmt.Sprintf("/assignments/%d/roll", roll.Assignment.ID))
			return err
		}},
		{"mark book", func() error {
			_, err := teacher.Get(client, fmt.Sprintf("/courses/%d/book", roll.Course.ID))
			return err
		}},
		{"across the class", func() error {
			_, err := teacher.Get(client, fmt.Sprintf("/assignments/%d/across", roll.Assignment.ID))
			return err
		}},
		{"a course's page", func() error { _, err := teacher.Get(client, fmt.Sprintf("/courses/%d", roll.Course.ID)); return err }},
		{"a student's page of a course", func() error {
			_, err := student.Get(client, fmt.Sprintf("/courses/%d/own", roll.Course.ID))
			return err
		}},
		{"a teacher's page of a student", func() error {
			_, err := teacher.Get(client, fmt.Sprintf("/courses/%d/people/%d", roll.Course.ID, student.Person.ID))
			return err
		}},
		{"the shelf", func() error { _, err := teacher.Get(client, "/worksheets"); return err }},
		{"the account", func() error { _, err := student.Get(client, "/account"); return err }},
		{"opening a copy", func() error { _, err := student.Get(client, fmt.Sprintf("/copies/%d", student.Copy)); return err }},
		{"saving a change", func() error { return student.Save(client, op("asked", 0, time.Now().Nanosecond())) }},
	} {
		if err := screen.do(); err != nil {
			return nil, err
		}
		began := time.Now()
		n, err := b.statements(screen.do)
		if err != nil {
			return nil, err
		}
		took := float64(time.Since(began).Microseconds()) / 1000
		lines = append(lines, line{fmt.Sprintf("%s at %s, statements (%.0f ms)", screen.name, size, took), n, 0, "", statementsMost, false, ""})
	}
	idle, err := b.idle(client, students)
	return append(lines, line{fmt.Sprintf("%d screens idle for a minute, statements", screensOpen), idle, 0, "", 200, false, ""}), err
}

// idle opens copies and lets them wait for a minute.
func (b *bench) idle(client *http.Client, students []house.Seat) (float64, error) {
	ctx, stop := context.WithCancel(b.ctx)
	defer stop()
	for i := range screensOpen {
		news, err := students[i%len(students)].Listen(ctx, client)
		if err != nil {
			return 0, err
		}
		defer news.Close()
		if _, err := news.Read(make([]byte, 64)); err != nil {
			return 0, err
		}
	}
	return b.statements(func() error { time.Sleep(time.Minute); return nil })
}

// shared: a change of a copy that is one for all, with 5,000 marks on it,
// beside the same on an empty one.
func (b *bench) shared() ([]line, error) {
	crowd, err := b.crowd("Shared", 2)
	if err != nil {
		return nil, err
	}
	both := []*school.Assignment{}
	for _, title := range []string{"Empty", "Full"} {
		both = append(both, &school.Assignment{CourseID: crowd.Course.ID, Title: title, Mode: flow.OneForAll, CreatedAt: b.house.School.Now(), Handouts: crowd.Assignment.Handouts})
	}
	if err := b.house.Store.AddAssignments(b.ctx, both); err != nil {
		return nil, err
	}
	client := &http.Client{}
	defer client.CloseIdleConnections()
	var seats []house.Seat
	for i, a := range both {
		c, err := b.house.School.Saving.OpenOwn(b.ctx, crowd.Seats[0].Person, a.ID)
		if err != nil {
			return nil, err
		}
		seat := crowd.Seats[0]
		seat.Copy = c.ID
		seats = append(seats, seat)
		for n := 0; i == 1 && n < 5000; n += 100 {
			var ops []submission.Op
			for j := range 100 {
				ops = append(ops, op("full", 1, n+j))
			}
			if _, err := b.house.School.Saving.Save(b.ctx, crowd.Seats[n/100%2].Person, c.ID, submission.Work, ops); err != nil {
				return nil, err
			}
		}
	}
	var times [2][]float64
	for turn := range 200 {
		for i, seat := range seats {
			began := time.Now()
			if err := seat.Save(client, op(fmt.Sprint("change", i), 0, turn)); err != nil {
				return nil, err
			}
			if turn >= 20 {
				times[i] = append(times[i], float64(time.Since(began).Microseconds())/1000)
			}
		}
	}
	full := seats[1]
	seq, err := b.house.Store.LayerSeq(b.ctx, full.Copy, submission.Work)
	if err != nil {
		return nil, err
	}
	var took, size [2]float64
	for i, path := range []string{fmt.Sprintf("/copies/%d/changes?after=%d", full.Copy, seq-1), fmt.Sprintf("/copies/%d/view", full.Copy)} {
		if took[i], err = median(9, func() error {
			answer, err := full.Get(client, path)
			size[i] = float64(len(answer)) / 1000
			return err
		}); err != nil {
			return nil, err
		}
	}
	return []line{
		{"a reader of that copy takes in one change", took[0], took[1], "ms", 0.2, false, "all of it"},
		{"the same, fetched", size[0], size[1], "KB", 0.2, false, "all of it"},
		{"saving on a copy for all with 5,000 marks, p50", percentile(times[1], 0.5), percentile(times[0], 0.5), "ms", 1.2, false, "an empty one"},
	}, nil
}
