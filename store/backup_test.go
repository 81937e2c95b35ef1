package store_test

import (
	"bytes"
	"compress/gzip"
	"context"
	"database/sql"
	"fmt"
	"io"
	"math/rand"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"readymargin/core/submission"
	"readymargin/school"
	"readymargin/store"
	"readymargin/store/storetest"
)

// write adds an operation to a copy.
func write(ctx context.Context, s *store.Store, id uint64, name string) error {
	return s.InCopy(ctx, id, func(tx school.CopyTx) error {
		if _, err := tx.Copy(); err != nil {
			return err
		}
		_, err := tx.AddOps(submission.Work, 1, time.Now(), []submission.Op{storetest.Text(name, name)})
		return err
	})
}

// sums returns the checksum of every table (CHECKSUM TABLE of MariaDB).
func sums(ctx context.Context, t *testing.T, dsn string) map[string]string {
	t.Helper()
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	var names string
	if err := db.QueryRowContext(ctx, "SELECT COALESCE(GROUP_CONCAT(table_name), '') FROM information_schema.tables WHERE table_schema = DATABASE()").Scan(&names); err != nil {
		t.Fatal(err)
	}
	out := map[string]string{}
	for _, name := range strings.FieldsFunc(names, func(r rune) bool { return r == ',' }) {
		var table, sum string
		if err := db.QueryRowContext(ctx, "CHECKSUM TABLE "+name+" EXTENDED").Scan(&table, &sum); err != nil {
			t.Fatal(err)
		}
		out[name] = sum
	}
	return out
}

// A backup taken while people write holds one moment, and comes back row by
// row; no file that is not whole, and no database that is not empty, is touched.
func TestBackupComesBack(t *testing.T) {
	ctx := patient(t)
	from, err := server.Database(ctx, "backup_from")
	if err != nil {
		t.Fatal(err)
	}
	s := open(t, "backup_from", 8)
	if err := s.Migrate(ctx); err != nil {
		t.Fatal(err)
	}
	big := make([]byte, 2_500_000)
	rand.New(rand.NewSource(1)).Read(big)
	if _, err := s.PutBlob(ctx, big); err != nil {
		t.Fatal(err)
	}
	if err := s.AddPerson(ctx, &school.Person{Name: "Zoë 'O\\'Neil' 🦉", Login: "zoe", Settings: "{}", CreatedAt: time.Now()}); err != nil {
		t.Fatal(err)
	}
	c, err := class(ctx, t, s, 1).Copy(ctx, s, 0, 0)
	if err != nil {
		t.Fatal(err)
	}
	database := 0
	restore := func(file []byte) (string, error) {
		database++
		to, err := server.Database(ctx, fmt.Sprint("backup_to_", database))
		if err != nil {
			t.Fatal(err)
		}
		return to, store.Restore(ctx, to, bytes.NewReader(file))
	}

	var busy, quiet bytes.Buffer
	var writers sync.WaitGroup
	stop := make(chan bool)
	writers.Go(func() {
		for i := 0; ; i++ {
			if err := write(ctx, s, c.ID, fmt.Sprintf("while-it-runs-%04d", i)); err != nil {
				t.Error(err)
			}
			select {
			case <-stop:
				return
			default:
			}
		}
	})
	if err := store.Backup(ctx, from, &busy); err != nil {
		t.Fatal(err)
	}
	close(stop)
	writers.Wait()
	if err := store.Backup(ctx, from, &quiet); err != nil {
		t.Fatal(err)
	}

	to, err := restore(busy.Bytes())
	if err != nil {
		t.Fatal(err)
	}
	db, err := sql.Open("mysql", to)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	var seq, ops, heads int
	if err := db.QueryRowContext(ctx, "SELECT COALESCE(MAX(seq), 0), (SELECT COUNT(*) FROM ops), (SELECT COUNT(*) FROM heads) FROM layers").Scan(&seq, &ops, &heads); err != nil || seq != ops || ops != heads {
		t.Errorf("of one moment are %d, %d operations and %d marks (%v)", seq, ops, heads, err)
	}

	to, err = restore(quiet.Bytes())
	if err != nil {
		t.Fatal(err)
	}
	want, got := sums(ctx, t, from), sums(ctx, t, to)
	for name := range want {
		if got[name] != want[name] {
			t.Errorf("table %s came back otherwise", name)
		}
	}
	back := open(t, "backup_to_2", 2)
	n, err := back.CheckBlobs(ctx, func(hash string) { t.Errorf("blob %s is damaged", hash) })
	if err != nil || n != 2 {
		t.Errorf("%d blobs came back (%v)", n, err)
	}
	if _, err := db.ExecContext(ctx, "UPDATE backup_to_2.blob_chunks SET data = CONCAT(data, 'x') WHERE n = 1"); err != nil {
		t.Fatal(err)
	}
	bad := 0
	if _, err := back.CheckBlobs(ctx, func(string) { bad++ }); err != nil || bad != 1 {
		t.Errorf("%d blobs are found damaged, want 1 (%v)", bad, err)
	}

	if err := store.Restore(ctx, to, bytes.NewReader(quiet.Bytes())); err == nil || !strings.Contains(err.Error(), "empty") {
		t.Errorf("restoring over what is there: %v", err)
	}
	flipped := bytes.Clone(quiet.Bytes())
	flipped[len(flipped)/2] ^= 1
	plain, err := gzip.NewReader(bytes.NewReader(quiet.Bytes()))
	if err != nil {
		t.Fatal(err)
	}
	dump, err := io.ReadAll(plain)
	if err != nil {
		t.Fatal(err)
	}
	for name, file := range map[string][]byte{
		"no backup": []byte("DROP TABLE people;"), "half a file": quiet.Bytes()[:quiet.Len()/2], "a flipped bit": flipped,
		"a dump that broke off":     pack(t, dump[:len(dump)/2]),
		"a dump that does not load": pack(t, slices.Concat(dump[:len(dump)/2], []byte("\n'; NONSENSE;\n"+"-- Dump completed\n"))),
	} {
		to, err := restore(file)
		if err == nil {
			t.Errorf("%s was restored", name)
		}
		if left := sums(ctx, t, to); len(left) > 0 {
			t.Errorf("%s leaves %v", name, left)
		}
	}
}

func pack(t *testing.T, dump []byte) []byte {
	t.Helper()
	var out bytes.Buffer
	w := gzip.NewWriter(&out)
	if _, err := w.Write(dump); err != nil {
		t.Fatal(err)
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}
