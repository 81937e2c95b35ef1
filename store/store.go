// Package store keeps the school's records in MariaDB through GORM: tables,
// transactions, migrations, and blobs under the name of their SHA-256. It
// knows nothing of HTTP, and decides nothing about who may do what.
package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"math/rand/v2"
	"time"

	driver "github.com/go-sql-driver/mysql"
	"github.com/pressly/goose/v3"
	"gorm.io/driver/mysql"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"

	"readymargin/school"
)

//go:embed migrations/*.sql
var migrations embed.FS

// A Store is a school.Store.
type Store struct {
	db    *gorm.DB
	cache cache
}

var _ school.Store = (*Store)(nil)

// Config says where the database is.
type Config struct {
	DSN      string // in the form of go-sql-driver/mysql
	CacheDir string // for blobs that were read; "" for none
}

// Open connects to the database. The schema must be there; see Migrate.
func Open(cfg Config) (*Store, error) {
	dsn, err := driver.ParseDSN(cfg.DSN)
	if err != nil {
		return nil, err
	}
	dsn.ParseTime, dsn.Loc = true, time.UTC
	dsn.Collation = "utf8mb4_unicode_520_ci"
	dsn.InterpolateParams = true // one round trip a statement
	dsn.MaxAllowedPacket = 0     // as the server says
	db, err := gorm.Open(mysql.New(mysql.Config{DSNConfig: dsn}), &gorm.Config{
		SkipDefaultTransaction: true,
		TranslateError:         true,
		Logger:                 logger.Discard, // errors are returned, and told once by who asked
	})
	if err != nil {
		return nil, fmt.Errorf("store: %w", err)
	}
	pool, err := db.DB()
	if err != nil {
		return nil, err
	}
	pool.SetMaxOpenConns(32)
	pool.SetMaxIdleConns(32)
	return &Store{db: db, cache: cache{dir: cfg.CacheDir}}, nil
}

// Close closes all connections.
func (s *Store) Close() error {
	pool, err := s.db.DB()
	if err != nil {
		return err
	}
	return pool.Close()
}

// DB returns the connections, for the session store and for benchmarks.
func (s *Store) DB() (*sql.DB, error) { return s.db.DB() }

// Ping reports whether the database answers.
func (s *Store) Ping(ctx context.Context) error {
	pool, err := s.db.DB()
	if err != nil {
		return err
	}
	return pool.PingContext(ctx)
}

// Migrate brings the schema up to date. It may be run by several processes.
func (s *Store) Migrate(ctx context.Context) error {
	pool, err := s.db.DB()
	if err != nil {
		return err
	}
	goose.SetLogger(goose.NopLogger())
	goose.SetBaseFS(migrations)
	if err := goose.SetDialect("mysql"); err != nil {
		return err
	}
	return goose.UpContext(ctx, pool, "migrations")
}

// known turns the database's errors into the school's.
func known(err error) error {
	switch {
	case errors.Is(err, gorm.ErrRecordNotFound), errors.Is(err, sql.ErrNoRows):
		return school.ErrNotFound
	case errors.Is(err, gorm.ErrDuplicatedKey):
		return school.ErrTaken
	}
	return err
}

// again reports whether a transaction failed only because of another one:
// deadlock (1213), lock wait (1205), and changed since read (1020). A cluster
// reports conflicts at commit in the same way.
func again(err error) bool {
	var e *driver.MySQLError
	return errors.As(err, &e) && (e.Number == 1213 || e.Number == 1205 || e.Number == 1020)
}

// inTx runs fn in a transaction, and again when the database asks for it.
func (s *Store) inTx(ctx context.Context, fn func(*gorm.DB) error) (err error) {
	for try := range 8 {
		if try > 0 {
			time.Sleep(time.Duration(rand.IntN(10<<try)) * time.Millisecond)
		}
		if err = s.db.WithContext(ctx).Transaction(fn); !again(err) {
			return err
		}
	}
	return err
}

// first reads one row.
func first[T any](q *gorm.DB, where string, args ...any) (T, error) {
	var row T
	err := q.Where(where, args...).Take(&row).Error
	return row, known(err)
}

// all reads rows.
func all[T any](q *gorm.DB) ([]T, error) {
	var rows []T
	err := q.Find(&rows).Error
	return rows, known(err)
}
