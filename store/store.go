// Package store keeps the school's records in MariaDB through GORM: tables,
// transactions, migrations, and blobs under the name of their SHA-256. It
// knows nothing of HTTP, and decides nothing about who may do what.
package store

import (
	"cmp"
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"time"

	driver "github.com/go-sql-driver/mysql"
	"github.com/pressly/goose/v3"
	"gorm.io/driver/mysql"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"

	"readymargin/queue"
	"readymargin/school"
	"readymargin/school/services"
)

//go:embed migrations/*.sql
var migrations embed.FS

// A Store is a services.Store, in parts that share its connections.
type Store struct {
	*base
	People
	Devices
	Courses
	Assignments
	Worksheets
	Copies
	ClassLines
	WordLists
	Transcripts
	Mail
	DraftRows
	Blobs
	JobRows
	ReadyRows
	RubricRows
	Offices
}

// base is what all parts share.
type base struct {
	db    *gorm.DB
	cache cache
	turns *queue.Queue // for changes of one copy, before a connection is taken
}

var _ services.Store = (*Store)(nil)

// Config says where the database is.
type Config struct {
	DSN      string // in the form of go-sql-driver/mysql
	CacheDir string // for blobs that were read; "" for none
	Conns    int    // connections at the same time; 0 means 32
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
	conns, err := driver.NewConnector(dsn)
	if err != nil {
		return nil, err
	}
	pool := sql.OpenDB(connector{conns})
	db, err := gorm.Open(dialect{*mysql.New(mysql.Config{Conn: pool, DSNConfig: dsn}).(*mysql.Dialector)}, &gorm.Config{
		SkipDefaultTransaction: true,
		TranslateError:         true,
		Logger:                 logger.Discard, // errors are returned, and told once by who asked
	})
	if err != nil {
		return nil, fmt.Errorf("store: %w", err)
	}
	pool.SetMaxOpenConns(cmp.Or(cfg.Conns, 32))
	pool.SetMaxIdleConns(cmp.Or(cfg.Conns, 32))
	b := &base{db: db, cache: cache{dir: cfg.CacheDir}, turns: queue.New(queue.Config{PerOwner: 1})}
	return &Store{b, People{b}, Devices{b}, Courses{b}, Assignments{b}, Worksheets{b}, Copies{b}, ClassLines{b}, WordLists{b}, Transcripts{b}, Mail{b}, DraftRows{b}, Blobs{b}, JobRows{b}, ReadyRows{b}, RubricRows{b}, Offices{b}}, nil
}

// row asks for one row, past GORM's reading of statements: for what every stroke
// asks.
func (b *base) row(ctx context.Context, q string, args ...any) *sql.Row {
	pool, err := b.db.DB()
	if err != nil {
		panic(err) // Open made it of one
	}
	return pool.QueryRowContext(ctx, q, args...)
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
	fsys, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	// MariaDB commits at every change of the schema, so two processes that
	// migrate at once would find each other's tables: one goes first, under a
	// named lock, which ends with the connection that holds it.
	lock, err := pool.Conn(ctx)
	if err != nil {
		return err
	}
	defer lock.Close()
	var mine sql.NullInt64
	if err := lock.QueryRowContext(ctx, "SELECT GET_LOCK(CONCAT('readymargin migrates ', DATABASE()), 600)").Scan(&mine); err != nil {
		return err
	}
	if mine.Int64 != 1 {
		return errors.New("store: another process has been migrating this database for ten minutes")
	}
	defer lock.ExecContext(context.WithoutCancel(ctx), "SELECT RELEASE_LOCK(CONCAT('readymargin migrates ', DATABASE()))")
	changes, err := goose.NewProvider(goose.DialectMySQL, pool, fsys, goose.WithGoMigrations(
		goose.NewGoMigration(8, &goose.GoFunc{RunTx: nameBlanks}, &goose.GoFunc{RunTx: forgetBlanks}),
	))
	if err != nil {
		return err
	}
	_, err = changes.Up(ctx)
	return err
}

// known turns the database's errors into the school's.
func known(err error) error {
	switch {
	case errors.Is(err, gorm.ErrRecordNotFound), errors.Is(err, sql.ErrNoRows):
		return school.ErrNotFound
	case errors.Is(err, gorm.ErrDuplicatedKey):
		return school.ErrTaken
	}
	return unreached(err)
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
