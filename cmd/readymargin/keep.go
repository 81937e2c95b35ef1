package main

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"strconv"
	"time"

	"readymargin/school"
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

// backup writes everything that the database holds into a file.
func backup(ctx context.Context, args []string) error {
	var o options
	name, err := o.file("backup", args)
	if err != nil {
		return err
	}
	began := time.Now()
	if err := whole(name, func(f *os.File) error { return store.Backup(ctx, o.dsn, f) }); err != nil {
		return err
	}
	info, err := os.Stat(name)
	if err != nil {
		return err
	}
	fmt.Printf("%s holds everything: %.1f MB, in %s\n", name, float64(info.Size())/1e6, time.Since(began).Round(100*time.Millisecond))
	return nil
}

// whole writes a file that has its name only when it is whole.
func whole(name string, write func(*os.File) error) error {
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
	if err := write(f); err != nil {
		return err
	}
	return errors.Join(f.Sync(), f.Close(), os.Rename(part, name))
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

// deleteOne deletes a person, a course or a worksheet with everything that is
// theirs, down to the files that nothing else refers to.
func deleteOne(ctx context.Context, args []string) error {
	if len(args) < 2 {
		return errors.New("usage: readymargin delete person SIGN-IN-NAME | course NUMBER | worksheet NUMBER [flags]")
	}
	kind, which := args[0], args[1]
	var o options
	if err := o.flags("delete").Parse(args[2:]); err != nil {
		return err
	}
	if o.dsn == "" {
		return errNoDatabase
	}
	st, err := store.Open(store.Config{DSN: o.dsn})
	if err != nil {
		return err
	}
	defer st.Close()
	var id uint64
	if kind == "person" {
		p, err := st.PersonByLogin(ctx, which)
		if errors.Is(err, school.ErrNotFound) {
			return fmt.Errorf("nobody signs in as %q", which)
		}
		if err != nil {
			return err
		}
		id = p.ID
	} else if id, err = strconv.ParseUint(which, 10, 63); err != nil {
		return fmt.Errorf("%q is no number; it stands in the address of the page", which)
	}
	remove := map[string]func(context.Context, uint64) error{"person": st.DeletePerson, "course": st.DeleteCourse, "worksheet": func(ctx context.Context, id uint64) error {
		if _, err := st.Worksheet(ctx, id); err != nil {
			return err
		}
		return st.DropWorksheet(ctx, id, time.Now().UTC())
	}}[kind]
	if remove == nil {
		return fmt.Errorf("%q cannot be deleted; a person, a course or a worksheet can", kind)
	}
	switch err := remove(ctx, id); {
	case errors.Is(err, school.ErrInUse):
		return fmt.Errorf("nothing was deleted: the %s has worksheets that are assigned; delete those courses first", kind)
	case errors.Is(err, school.ErrNotFound):
		return fmt.Errorf("there is no such %s", kind)
	case err != nil:
		return err
	}
	fmt.Printf("The %s is deleted. Files that nothing else refers to go within a day, while the school is being served.\n", kind)
	return nil
}

// unfinished says what is to be done behind the requests and has failed.
func unfinished(ctx context.Context, st *store.Store) error {
	all, err := st.Jobs(ctx)
	if err != nil {
		return err
	}
	waiting := 0
	for _, j := range all {
		if j.Error == "" {
			waiting++
			continue
		}
		fmt.Printf("failed   %s of %d, %d times: %s\n", j.Kind, j.Ref, j.Tries, j.Error)
	}
	fmt.Printf("ok       %d jobs are to be done behind the requests\n", waiting)
	return nil
}
