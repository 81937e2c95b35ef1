package store

import (
	"context"
	"database/sql"
	"errors"
	"math/rand/v2"
	"time"

	driver "github.com/go-sql-driver/mysql"
	"gorm.io/gorm"
)

// A unit is the connection of one transaction. The first error ends it: after
// a deadlock (error 1213) the server has rolled everything back and would run
// what is sent next outside of any transaction, and keep it. So nothing is
// sent any more, and the commit refuses too.
type unit struct {
	tx  *sql.Tx
	err error
}

var (
	_ gorm.ConnPool    = (*unit)(nil)
	_ gorm.TxCommitter = (*unit)(nil)
)

// note keeps err if it ends the transaction. A row that is there already
// (1062) undoes its own statement and nothing else, and is asked for on
// purpose where a name is looked for that nobody has.
func (u *unit) note(err error) error {
	if u.err == nil && err != nil && !isDuplicate(err) && !errors.Is(err, sql.ErrNoRows) {
		u.err = err
	}
	return err
}

func (u *unit) PrepareContext(ctx context.Context, query string) (*sql.Stmt, error) {
	if u.err != nil {
		return nil, u.err
	}
	st, err := u.tx.PrepareContext(ctx, query)
	return st, u.note(err)
}

func (u *unit) ExecContext(ctx context.Context, query string, args ...any) (sql.Result, error) {
	if u.err != nil {
		return nil, u.err
	}
	res, err := u.tx.ExecContext(ctx, query, args...)
	return res, u.note(err)
}

func (u *unit) QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error) {
	if u.err != nil {
		return nil, u.err
	}
	rows, err := u.tx.QueryContext(ctx, query, args...)
	return rows, u.note(err)
}

// QueryRowContext cannot return an error of its own. After one, it asks with a
// context that has ended, which sends nothing.
func (u *unit) QueryRowContext(ctx context.Context, query string, args ...any) *sql.Row {
	if u.err != nil {
		ended, cancel := context.WithCancelCause(ctx)
		cancel(u.err)
		return u.tx.QueryRowContext(ended, query, args...)
	}
	row := u.tx.QueryRowContext(ctx, query, args...)
	u.note(row.Err())
	return row
}

// Commit commits, unless an error has ended the transaction.
func (u *unit) Commit() error {
	if u.err != nil {
		return errors.Join(u.err, u.tx.Rollback())
	}
	return u.tx.Commit()
}

// Rollback undoes everything.
func (u *unit) Rollback() error { return u.tx.Rollback() }

// tries bounds how often a transaction is begun.
const tries = 8

// inTx runs fn in a transaction, and again when the database asks for it. fn
// reaches the database by its argument alone: a second connection asked for
// inside would be waited for by those who hold the first ones.
func (s *base) inTx(ctx context.Context, fn func(*gorm.DB) error) (err error) {
	for try := range tries {
		if try > 0 {
			select {
			case <-time.After(time.Duration(rand.IntN(10<<try)) * time.Millisecond):
			case <-ctx.Done():
				return ctx.Err()
			}
		}
		if err = s.once(ctx, fn); !again(err) {
			break
		}
	}
	return unreached(err)
}

func (s *base) once(ctx context.Context, fn func(*gorm.DB) error) (err error) {
	pool, err := s.db.DB()
	if err != nil {
		return err
	}
	tx, err := pool.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	u := &unit{tx: tx}
	db := s.db.Session(&gorm.Session{NewDB: true, Context: ctx})
	db.Statement.ConnPool = u
	defer func() {
		if r := recover(); r != nil {
			u.Rollback()
			panic(r)
		}
	}()
	if err := fn(db); err != nil {
		u.Rollback()
		if again(u.err) { // whatever fn made of it
			return u.err
		}
		return err
	}
	return u.Commit()
}

// again reports whether a transaction failed only because of another one:
// deadlock (1213), lock wait (1205), and changed since read (1020). A cluster
// reports conflicts at commit in the same way.
func again(err error) bool {
	n := number(err)
	return n == 1213 || n == 1205 || n == 1020
}

func isDuplicate(err error) bool { return number(err) == 1062 }

// number returns the number that the server gave an error, or 0.
func number(err error) uint16 {
	var e *driver.MySQLError
	if errors.As(err, &e) {
		return e.Number
	}
	return 0
}
