package store

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"os/exec"
	"slices"
	"strings"

	"readymargin/school"

	driver "github.com/go-sql-driver/mysql"
	"gorm.io/gorm"
)

// A backup is what mariadb-dump writes, packed by gzip, so that it can be read
// without this program. The dump's last line says that it is whole, and gzip's
// checksum (RFC 1952) that nothing in it was changed.
const (
	dumpEnd    = "-- Dump completed"
	dumpClient = "apt-get install mariadb-client"
)

// notKept are tables whose rows are worth nothing later; with those of
// sessions, somebody who has the file would be signed in.
var notKept = []string{"sessions", "viewers", "allowances"}

// Backup writes everything that the database holds, as it stood at one
// moment, while people go on working.
func Backup(ctx context.Context, dsn string, to io.Writer) error {
	options := []string{"--single-transaction", "--quick", "--hex-blob", "--skip-lock-tables", "--no-tablespaces", "--max-allowed-packet=1G", "--default-character-set=utf8mb4"}
	cfg, err := driver.ParseDSN(dsn)
	if err != nil {
		return err
	}
	for _, table := range notKept {
		options = append(options, "--ignore-table-data="+cfg.DBName+"."+table)
	}
	packed := gzip.NewWriter(to)
	tail := &lastBytes{keep: 200}
	if err := client(ctx, "mariadb-dump", dsn, options, nil, io.MultiWriter(packed, tail)); err != nil {
		return err
	}
	if !bytes.Contains(tail.b, []byte(dumpEnd)) {
		return errors.New("store: the dump breaks off")
	}
	return packed.Close()
}

// Restore fills an empty database from a backup, and brings its tables up to
// date. The whole file is looked at first; a database that is not empty, or a
// file that is not whole, leaves everything as it was.
func Restore(ctx context.Context, dsn string, from io.ReadSeeker) error {
	if err := whole(from); err != nil {
		return err
	}
	if _, err := from.Seek(0, io.SeekStart); err != nil {
		return err
	}
	s, err := Open(Config{DSN: dsn, Conns: 2})
	if err != nil {
		return err
	}
	defer s.Close()
	if tables, err := s.tables(ctx); err != nil {
		return err
	} else if len(tables) > 0 {
		return fmt.Errorf("store: the database has %d tables already; a backup is restored into an empty one", len(tables))
	}
	dump, err := gzip.NewReader(from)
	if err != nil {
		return err
	}
	err = client(ctx, "mariadb", dsn, []string{"--max-allowed-packet=1G", "--default-character-set=utf8mb4", "--batch"}, dump, io.Discard)
	if err == nil {
		err = s.Migrate(ctx)
	}
	if err != nil {
		return errors.Join(err, s.empty(context.WithoutCancel(ctx)))
	}
	return nil
}

// whole reads a backup to its end.
func whole(from io.Reader) error {
	dump, err := gzip.NewReader(bufio.NewReaderSize(from, 1<<20))
	if err != nil {
		return errors.New("store: this is no backup")
	}
	tail := &lastBytes{keep: 200}
	if _, err := io.Copy(tail, dump); err != nil {
		return fmt.Errorf("store: the backup is damaged: %w", err)
	}
	if !bytes.Contains(tail.b, []byte(dumpEnd)) {
		return errors.New("store: the backup breaks off")
	}
	return nil
}

// lastBytes keeps the end of what is written to it.
type lastBytes struct {
	keep int
	b    []byte
}

func (l *lastBytes) Write(p []byte) (int, error) {
	l.b = append(l.b, p[max(0, len(p)-l.keep):]...)
	l.b = l.b[max(0, len(l.b)-l.keep):]
	return len(p), nil
}

// client runs one of MariaDB's own programs on the database. The password
// goes by a file that only this user can read: others see a command line.
func client(ctx context.Context, program, dsn string, options []string, in io.Reader, out io.Writer) error {
	path, err := exec.LookPath(program)
	if err != nil {
		return fmt.Errorf("store: %s is missing: %s", program, dumpClient)
	}
	cfg, err := driver.ParseDSN(dsn)
	if err != nil {
		return err
	}
	settings, err := os.CreateTemp("", "readymargin-*.cnf") // with mode 0600
	if err != nil {
		return err
	}
	defer os.Remove(settings.Name())
	defer settings.Close()
	where := "socket=" + quoted(cfg.Addr)
	if cfg.Net == "tcp" {
		host, port, err := net.SplitHostPort(cfg.Addr)
		if err != nil {
			return err
		}
		where = "protocol=tcp\nhost=" + quoted(host) + "\nport=" + port
	}
	if _, err := fmt.Fprintf(settings, "[client]\nuser=%s\npassword=%s\n%s\n", quoted(cfg.User), quoted(cfg.Passwd), where); err != nil {
		return err
	}
	var says bytes.Buffer
	cmd := exec.CommandContext(ctx, path, slices.Concat([]string{"--defaults-file=" + settings.Name()}, options, []string{cfg.DBName})...)
	cmd.Stdin, cmd.Stdout, cmd.Stderr = in, out, &says
	if err := cmd.Run(); err != nil {
		return fmt.Errorf("store: %s: %w: %s", program, err, strings.TrimSpace(says.String()))
	}
	return nil
}

// quoted writes a value of an option file.
func quoted(s string) string {
	return `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`).Replace(s) + `"`
}

func (s *Store) tables(ctx context.Context) (names []string, err error) {
	err = s.db.WithContext(ctx).Raw("SELECT table_name FROM information_schema.tables WHERE table_schema = DATABASE()").Scan(&names).Error
	return names, err
}

// empty takes away what a restoring that failed has made.
func (s *Store) empty(ctx context.Context) error {
	names, err := s.tables(ctx)
	if err != nil || len(names) == 0 {
		return err
	}
	return s.db.WithContext(ctx).Connection(func(one *gorm.DB) error { // tables that refer to each other go in any order
		if err := one.Exec("SET FOREIGN_KEY_CHECKS = 0").Error; err != nil {
			return err
		}
		err := one.Exec("DROP TABLE `" + strings.Join(names, "`, `") + "`").Error
		return errors.Join(err, one.Exec("SET FOREIGN_KEY_CHECKS = 1").Error)
	})
}

// CheckBlobs reads every blob, and calls bad with those that are not what
// their name says.
func (s *Store) CheckBlobs(ctx context.Context, bad func(hash string)) (checked int, err error) {
	rows, err := s.db.WithContext(ctx).Raw("SELECT hash FROM blobs ORDER BY hash").Rows()
	if err != nil {
		return 0, err
	}
	var names []string
	for rows.Next() {
		var name string
		if err := rows.Scan(&name); err != nil {
			rows.Close()
			return 0, err
		}
		names = append(names, name)
	}
	if err := errors.Join(rows.Err(), rows.Close()); err != nil {
		return 0, err
	}
	for _, name := range names {
		_, err := s.copyBlob(ctx, name, io.Discard)
		if err != nil && !errors.Is(err, school.ErrDamaged) {
			return checked, err
		}
		if checked++; err != nil {
			bad(name)
		}
	}
	return checked, nil
}
