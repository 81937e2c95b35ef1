package store_test

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"os"
	"sync"
	"testing"
	"time"

	"readymargin/core/flow"
	"readymargin/core/submission"
	"readymargin/school"
	"readymargin/store"
	"readymargin/store/mariadb"
	"readymargin/store/storetest"
)

var server *mariadb.Server

func TestMain(m *testing.M) {
	os.Exit(mariadb.Tests(m, func(s *mariadb.Server) { server = s }))
}

// open returns a store on a database of its own.
func open(t *testing.T, database string, conns int) *store.Store {
	t.Helper()
	ctx := context.Background()
	dsn, err := server.Database(ctx, database)
	if err != nil {
		t.Fatal(err)
	}
	s, err := store.Open(store.Config{DSN: dsn, Conns: conns})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	return s
}

// patient ends a test that stands still.
func patient(t *testing.T) context.Context {
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	t.Cleanup(cancel)
	return ctx
}

// Several processes that start on an empty database bring it up to date
// together.
func TestMigratingTogether(t *testing.T) {
	ctx := patient(t)
	var all sync.WaitGroup
	for range 4 {
		s := open(t, "together", 4)
		all.Go(func() {
			if err := s.Migrate(ctx); err != nil {
				t.Error(err)
			}
		})
	}
	all.Wait()
	if _, err := open(t, "together", 1).CourseFor(ctx, 1, 1); !errors.Is(err, school.ErrNotFound) {
		t.Errorf("a course of an empty database: %v", err)
	}
}

// class makes a class on a database of its own.
func class(ctx context.Context, t *testing.T, s *store.Store, students int) storetest.Class {
	t.Helper()
	if err := s.Migrate(ctx); err != nil {
		t.Fatal(err)
	}
	c, err := storetest.NewClass(ctx, s, "Class", students, 1)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

func TestConformance(t *testing.T) {
	s := open(t, "conformance", 8)
	if err := s.Migrate(t.Context()); err != nil {
		t.Fatal(err)
	}
	storetest.Conforms(t, func(*testing.T) storetest.Store { return s })
}

// Two transactions take the same two rows in opposite order, so that the
// server ends one of them with error 1213 and rolls it back. The one that was
// ended goes on as if nothing had happened, as code does that joins the errors
// of several statements. None of what it sends afterwards may be kept, and it
// is begun anew.
func TestTheFirstErrorEndsATransaction(t *testing.T) {
	ctx := patient(t)
	s := open(t, "deadlock", 8)
	in := class(ctx, t, s, 2)
	snapshot, err := s.PutBlob(ctx, []byte("{}"))
	if err != nil {
		t.Fatal(err)
	}
	var ids [2]uint64
	for i := range ids {
		c, err := in.Copy(ctx, s, 0, i)
		if err != nil {
			t.Fatal(err)
		}
		ids[i] = c.ID
	}
	db, err := s.DB()
	if err != nil {
		t.Fatal(err)
	}
	tries := 0
	err = s.InCopy(ctx, ids[0], func(tx school.CopyTx) error {
		tries++
		c, err := tx.Copy()
		if err != nil {
			return err
		}
		if _, err := tx.AddOps(submission.Work, 1, time.Now(), []submission.Op{storetest.Text(fmt.Sprintf("made-in-try-%d", tries), "x")}); err != nil {
			return err
		}
		other := make(chan error, 1)
		if tries == 1 {
			go func() { other <- cross(ctx, db, ids[1], ids[0]) }()
			waitForLock(ctx, t, db)
			c.ID = ids[1] // the row that the other one holds
		}
		c.State = flow.Submitted
		first := tx.SetCopy(c)
		_, second := tx.AddOps(submission.Work, 1, time.Now(), []submission.Op{storetest.Text(fmt.Sprintf("after-the-end-%d", tries), "x")})
		third := tx.PutAttempt(school.Attempt{CopyID: ids[0], Number: tries, SnapshotHash: snapshot, SubmittedAt: time.Now()})
		if tries == 1 {
			if err := <-other; err != nil {
				t.Errorf("the other transaction: %v", err)
			}
			if first == nil || second == nil || third == nil {
				t.Errorf("after the deadlock: %v, %v, %v", first, second, third)
			}
			return nil // as if all were well
		}
		return errors.Join(first, second, third)
	})
	if err != nil || tries != 2 {
		t.Fatalf("after %d tries: %v", tries, err)
	}
	heads, err := s.Heads(ctx, ids[0], submission.Work)
	if err != nil {
		t.Fatal(err)
	}
	for _, h := range heads {
		if h.On != "made-in-try-2" && h.On != "after-the-end-2" {
			t.Errorf("%s was kept", h.On)
		}
	}
	if attempts, err := s.Attempts(ctx, ids[0]); err != nil || len(attempts) != 1 || attempts[0].Number != 2 || len(heads) != 2 {
		t.Errorf("%d marks and the attempts %v are there (%v)", len(heads), attempts, err)
	}
}

// cross takes two copies' rows, the second of which somebody else holds. It
// has done much, so that the server ends the other one.
func cross(ctx context.Context, db *sql.DB, first, second uint64) error {
	tx, err := db.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	for i := range 200 {
		if _, err := tx.ExecContext(ctx, "INSERT INTO jobs (kind, ref, due_at, tries, error, created_at) VALUES ('sweep', ?, NOW(), 0, '', NOW())", 1000+i); err != nil {
			return err
		}
	}
	for _, id := range []uint64{first, second} {
		if _, err := tx.ExecContext(ctx, "UPDATE copies SET waiting = waiting + 1 WHERE id = ?", id); err != nil {
			return err
		}
	}
	return tx.Rollback()
}

// waitForLock waits until a transaction waits for another one's row.
func waitForLock(ctx context.Context, t *testing.T, db *sql.DB) {
	t.Helper()
	for n := 0; n == 0; {
		if err := db.QueryRowContext(ctx, "SELECT COUNT(*) FROM information_schema.innodb_lock_waits").Scan(&n); err != nil {
			t.Fatal(err)
		}
		time.Sleep(150 * time.Millisecond) // the table is read anew only when nobody asked for 100 ms
	}
}

// Whoever changes a copy waits for their turn before a connection is taken:
// sixty who change one copy leave connections to the others.
func TestWaitingForACopyTakesNoConnection(t *testing.T) {
	ctx := patient(t)
	s := open(t, "turns", 3)
	c, err := class(ctx, t, s, 1).Copy(ctx, s, 0, 0)
	if err != nil {
		t.Fatal(err)
	}
	inside, goOn := make(chan bool), make(chan bool)
	var all sync.WaitGroup
	for i := range 60 {
		all.Go(func() {
			err := s.InCopy(ctx, c.ID, func(tx school.CopyTx) error {
				if _, err := tx.Copy(); err != nil {
					return err
				}
				if i == 0 {
					inside <- true
					<-goOn
				}
				_, err := tx.AddOps(submission.Work, 1, time.Now(), []submission.Op{storetest.Text(fmt.Sprintf("parallel-%02d", i), "x")})
				return err
			})
			if err != nil {
				t.Error(err)
			}
		})
		if i == 0 {
			<-inside
		}
	}
	for range 200 { // while one is at it and the others wait
		if _, err := s.Attempts(ctx, c.ID); err != nil {
			t.Fatal(err)
		}
	}
	close(goOn)
	all.Wait()
	if seq, err := s.LayerSeq(ctx, c.ID, submission.Work); err != nil || seq != 60 {
		t.Errorf("%d changes were taken (%v)", seq, err)
	}
}
