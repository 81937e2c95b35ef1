package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"strconv"

	"readymargin/school"
	"readymargin/store"
)

const courseUsage = "usage: readymargin course archive NUMBER FILE | course bring-in FILE [-again] [flags]"

// course archives a course into a file, or brings one in from there.
func course(ctx context.Context, args []string) error {
	if len(args) < 2 {
		return errors.New(courseUsage)
	}
	switch args[0] {
	case "archive":
		return archiveCourse(ctx, args[1], args[2:])
	case "bring-in":
		return bringCourseIn(ctx, args[1:])
	}
	return errors.New(courseUsage)
}

// tell says which part is done.
func tell(what string, rows int) { fmt.Printf("%8d %s\n", rows, what) }

func archiveCourse(ctx context.Context, number string, args []string) error {
	id, err := strconv.ParseUint(number, 10, 63)
	if err != nil {
		return fmt.Errorf("%q is no number; it stands in the address of the course's page", number)
	}
	var o options
	name, err := o.file("course archive NUMBER", args)
	if err != nil {
		return err
	}
	st, err := store.Open(store.Config{DSN: o.dsn})
	if err != nil {
		return err
	}
	defer st.Close()
	var head store.ArchiveHead
	err = whole(name, func(f *os.File) error {
		head, err = st.WriteCourse(ctx, id, f, tell)
		return err
	})
	if errors.Is(err, school.ErrNotFound) {
		return fmt.Errorf("there is no course %d", id)
	}
	if err == nil {
		fmt.Printf("%s holds %s, with everything in it.\n", name, head.Course)
	}
	return err
}

func bringCourseIn(ctx context.Context, args []string) error {
	var o options
	f := o.flags("course bring-in")
	again := f.Bool("again", false, "bring in a course once more that is here already")
	if args[0] == "" || args[0][0] == '-' {
		return errors.New(courseUsage)
	}
	if err := f.Parse(args[1:]); err != nil {
		return err
	}
	if o.dsn == "" {
		return errNoDatabase
	}
	file, err := os.Open(args[0])
	if err != nil {
		return err
	}
	defer file.Close()
	info, err := file.Stat()
	if err != nil {
		return err
	}
	st, err := store.Open(store.Config{DSN: o.dsn})
	if err != nil {
		return err
	}
	defer st.Close()
	if err := st.Migrate(ctx); err != nil {
		return err
	}
	out, err := st.ReadCourse(ctx, file, info.Size(), *again, tell)
	var here store.AlreadyHere
	switch {
	case errors.As(err, &here):
		return fmt.Errorf("nothing was brought in: the course is here already, as number %d; -again brings it in beside that one", here.Course)
	case err != nil:
		return fmt.Errorf("nothing was brought in: %w", err)
	}
	fmt.Printf("%s is course %d here. Of its people %d were here and %d are new; those sign in once they have a link or a card.\n", out.Course, out.Number, out.Known, out.Made)
	if out.Shelved > 0 {
		fmt.Printf("%d worksheets were on the shelf already.\n", out.Shelved)
	}
	for _, r := range out.Renamed {
		fmt.Printf("Somebody else has the sign-in name %s.\n", r)
	}
	return nil
}
