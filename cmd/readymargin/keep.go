package main

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"time"

	"readymargin/store"
)

// file parses the flags of a verb that is about one file, named first.
func (o *options) file(verb string, args []string) (string, error) {
	if len(args) == 0 || args[0] == "" || args[0][0] == '-' {
		return "", fmt.Errorf("usage: readymargin %s FILE [flags]", verb)
	}
	if err := o.flags(verb).Parse(args[1:]); err != nil {
		return "", err
	}
	if o.dsn == "" {
		return "", errNoDatabase
	}
	return args[0], nil
}

// backup writes everything that the database holds into a file. The file has
// its name only when it is whole.
func backup(ctx context.Context, args []string) error {
	var o options
	name, err := o.file("backup", args)
	if err != nil {
		return err
	}
	if _, err := os.Stat(name); !errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("%s is there already", name)
	}
	part := name + ".part"
	f, err := os.OpenFile(part, os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	defer os.Remove(part)
	defer f.Close()
	began := time.Now()
	if err := store.Backup(ctx, o.dsn, f); err != nil {
		return err
	}
	info, err := f.Stat()
	if err := errors.Join(err, f.Sync(), f.Close(), os.Rename(part, name)); err != nil {
		return err
	}
	fmt.Printf("%s holds everything: %.1f MB, in %s\n", name, float64(info.Size())/1e6, time.Since(began).Round(100*time.Millisecond))
	return nil
}

// restore fills an empty database from a backup.
func restore(ctx context.Context, args []string) error {
	var o options
	name, err := o.file("restore", args)
	if err != nil {
		return err
	}
	f, err := os.Open(name)
	if err != nil {
		return err
	}
	defer f.Close()
	if err := store.Restore(ctx, o.dsn, f); err != nil {
		return fmt.Errorf("nothing was restored: %w", err)
	}
	st, err := store.Open(store.Config{DSN: o.dsn})
	if err != nil {
		return err
	}
	defer st.Close()
	return readAll(ctx, st)
}

// readAll reads every stored file and says which are damaged.
func readAll(ctx context.Context, st *store.Store) error {
	bad := 0
	n, err := st.CheckBlobs(ctx, func(hash string) {
		bad++
		fmt.Printf("damaged  file %s\n", hash)
	})
	if err != nil {
		return err
	}
	if bad > 0 {
		return fmt.Errorf("%d of %d stored files are damaged", bad, n)
	}
	fmt.Printf("ok       all %d stored files are what they were\n", n)
	return nil
}
