package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strconv"

	"readymargin/core/access"
	"readymargin/school"
	"readymargin/school/intake"
	"readymargin/school/services"
	"readymargin/school/takeaway"
	"readymargin/school/work"
	"readymargin/store"
)

const exportUsage = `usage: readymargin export copy NUMBER FILE [-as printed|margin|movable|pictures|marks|data|sheet] [-attempt N]
       readymargin export assignment NUMBER FILE.zip [-as printed|margin|movable|marks|data]
       readymargin export course NUMBER FILE.zip
       readymargin import worksheet FILE... -for SIGN-IN-NAME
       readymargin import paper ASSIGNMENT FILE...
       readymargin import marked ASSIGNMENT FILE...
All are done as a teacher of the course, or as -for SIGN-IN-NAME. They end with 0 when
everything was done, with 3 when a part was left out, which is said, and with 1 otherwise`

// errPartly says that a part of what was asked for was left out.
var errPartly = errors.New("a part was left out")

// A desk is a school that is worked in on somebody's behalf.
type desk struct {
	*services.All
	store *store.Store
	who   school.Person
}

// at opens a school for a teacher of a course, or for whom the flags name.
func (o *options) at(ctx context.Context, login string, course func(*store.Store) (uint64, error)) (d desk, close func(), err error) {
	all, st, _, close, err := o.open(ctx)
	if err != nil {
		return d, nil, err
	}
	defer func() {
		if err != nil {
			close()
		}
	}()
	d = desk{All: all, store: st}
	if login != "" {
		if d.who, err = st.PersonByLogin(ctx, login); errors.Is(err, school.ErrNotFound) {
			err = fmt.Errorf("nobody signs in as %q", login)
		}
		return d, close, err
	}
	id, err := course(st)
	if err != nil {
		return d, close, err
	}
	members, err := st.Members(ctx, id)
	for _, m := range members {
		if m.Role == access.Teacher && err == nil {
			d.who, err = st.Person(ctx, m.PersonID)
			return d, close, err
		}
	}
	return d, close, errors.Join(err, errors.New("the course has no teacher; give -for SIGN-IN-NAME"))
}

// coursesOf says in which course a thing is.
func coursesOf(ctx context.Context, kind string, id uint64) func(*store.Store) (uint64, error) {
	return func(st *store.Store) (uint64, error) {
		if kind == "copy" {
			c, err := st.CopyInCourse(ctx, id, 0)
			if errors.Is(err, school.ErrNotFound) {
				err = fmt.Errorf("there is no copy %d", id)
			}
			return c.Course.ID, err
		}
		if kind == "course" {
			return id, nil
		}
		a, err := st.Assignment(ctx, id)
		if errors.Is(err, school.ErrNotFound) {
			err = fmt.Errorf("there is no assignment %d", id)
		}
		return a.CourseID, err
	}
}

// numbered parses KIND NUMBER FILE... and flags.
func numbered(f *flag.FlagSet, args []string) (kind string, id uint64, files []string, err error) {
	words, err := filesAmong(f, args)
	if err != nil {
		return "", 0, nil, err
	}
	if len(words) < 3 {
		return "", 0, nil, errors.New(exportUsage)
	}
	if id, err = strconv.ParseUint(words[1], 10, 63); err != nil {
		return "", 0, nil, fmt.Errorf("%q is no number; it stands in the address of the page", words[1])
	}
	return words[0], id, words[2:], nil
}

// export writes a copy, the copies of an assignment, or those of a course into a file.
func export(ctx context.Context, args []string) error {
	var o options
	f := o.flags("export")
	as, attempt, login := f.String("as", string(takeaway.Printed), "what it is for"), f.Int("attempt", 0, "which attempt; 0 for the newest"), f.String("for", "", "as whom, by the sign-in name")
	kind, id, files, err := numbered(f, args)
	if err != nil {
		return err
	}
	if len(files) != 1 || kind != "copy" && kind != "assignment" && kind != "course" {
		return errors.New(exportUsage)
	}
	d, close, err := o.at(ctx, *login, coursesOf(ctx, kind, id))
	if err != nil {
		return err
	}
	defer close()
	form := takeaway.Form(*as)
	err = whole(files[0], func(to *os.File) error {
		switch kind {
		case "assignment":
			return d.Exports.WriteClass(ctx, d.who, id, form, to)
		case "course":
			return d.Exports.WriteCourse(ctx, d.who, id, to)
		}
		n := *attempt
		if n == 0 {
			attempts, err := d.store.Attempts(ctx, id)
			if err != nil {
				return err
			}
			n = len(attempts)
		}
		one, err := d.Exports.TakeCopy(ctx, d.who, id, takeaway.Choice{Form: form, Attempt: n, Anyway: true})
		if err != nil {
			return err
		}
		defer one.Close()
		_, err = io.Copy(to, one)
		return err
	})
	if err != nil {
		return fmt.Errorf("nothing was written: %w", told(err))
	}
	info, err := os.Stat(files[0])
	if err == nil {
		fmt.Printf("%s, %.1f MB\n", files[0], float64(info.Size())/1e6)
	}
	return err
}

// told says what is refused in words for who runs the school.
func told(err error) error {
	var p *school.Problem
	switch {
	case errors.Is(err, access.ErrHidden), errors.Is(err, access.ErrDenied):
		return errors.New("this is not theirs to do, or there is no such thing")
	case errors.As(err, &p):
		return fmt.Errorf("%s %s", p.Code, p.Value)
	}
	return err
}

// bringIn brings worksheets, what was written on paper, or what was marked elsewhere in.
func bringIn(ctx context.Context, args []string) error {
	var o options
	f := o.flags("import")
	login := f.String("for", "", "as whom, by the sign-in name")
	if len(args) > 0 && args[0] == "worksheet" {
		files, err := filesAmong(f, args[1:])
		if err != nil {
			return err
		}
		if len(files) == 0 || *login == "" {
			return errors.New(exportUsage)
		}
		return o.bringWorksheets(ctx, *login, files)
	}
	kind, id, files, err := numbered(f, args)
	if err != nil {
		return err
	}
	if kind != "paper" && kind != "marked" {
		return errors.New(exportUsage)
	}
	all, err := uploads(files)
	if err != nil {
		return err
	}
	d, close, err := o.at(ctx, *login, coursesOf(ctx, "assignment", id))
	if err != nil {
		return err
	}
	defer close()
	left := 0
	if kind == "marked" {
		left, err = d.takeMarked(ctx, id, all)
	} else {
		left, err = d.takePaper(ctx, id, all)
	}
	switch {
	case err != nil:
		return told(err)
	case left > 0:
		return fmt.Errorf("%w: %d of it", errPartly, left)
	}
	return nil
}

func uploads(files []string) (out []intake.Upload, err error) {
	for _, name := range files {
		b, err := os.ReadFile(name)
		if err != nil {
			return nil, err
		}
		out = append(out, intake.Upload{Name: filepath.Base(name), Data: b})
	}
	return out, nil
}

func (o *options) bringWorksheets(ctx context.Context, login string, files []string) error {
	all, err := uploads(files)
	if err != nil {
		return err
	}
	d, close, err := o.at(ctx, login, nil)
	if err != nil {
		return err
	}
	defer close()
	left := 0
	for _, f := range all {
		w, err := d.Shelf.BringIn(ctx, d.who, f)
		if err != nil {
			left++
			fmt.Printf("%s: left out: %v\n", f.Name, told(err))
			continue
		}
		fmt.Printf("%s: worksheet %d, %s\n", f.Name, w.ID, w.Title)
	}
	if left > 0 {
		return fmt.Errorf("%w: %d of %d files", errPartly, left, len(all))
	}
	return nil
}

// takePaper lays pages on copies and counts those that could not be.
func (d desk) takePaper(ctx context.Context, id uint64, all []intake.Upload) (left int, err error) {
	for _, f := range all {
		err := d.Elsewhere.BringPaper(ctx, d.who, id, f, func(p work.PaperPage) error {
			switch p.Outcome {
			case work.PageLaid, work.PageLate, work.PageThere:
			default:
				left++
			}
			fmt.Printf("%s, page %d of %d: %s", f.Name, p.Page, p.Of, p.Outcome)
			if p.Student != "" {
				fmt.Printf(", %s, page %d", p.Student, p.Sheet)
			}
			fmt.Println()
			return nil
		})
		if err != nil {
			return left, fmt.Errorf("%s: %w", f.Name, told(err))
		}
	}
	return left, nil
}

// takeMarked takes over what is new in files, but for attempts that were returned, or
// behind which a later one came: those a teacher has to look at.
func (d desk) takeMarked(ctx context.Context, id uint64, all []intake.Upload) (left int, err error) {
	var chosen []int
	err = d.Elsewhere.BringMarkedClass(ctx, d.who, id, all, nil, func(m work.MarkedFile) error {
		asked := false
		for _, doubt := range m.Doubts {
			asked = asked || doubt == work.DoubtLater || doubt == work.DoubtReturned
		}
		switch {
		case m.Wrong != nil:
			left++
			fmt.Printf("%s: left out: %v\n", m.Name, told(m.Wrong))
		case m.New == 0:
			fmt.Printf("%s: nothing new, %s, attempt %d\n", m.Name, m.Student, m.Attempt)
		case asked:
			left++
			fmt.Printf("%s: left out: %v, %s, attempt %d\n", m.Name, m.Doubts, m.Student, m.Attempt)
		default:
			chosen = append(chosen, m.At)
		}
		return nil
	})
	if err != nil || len(chosen) == 0 {
		return left, err
	}
	return left, d.Elsewhere.BringMarkedClass(ctx, d.who, id, all, chosen, func(m work.MarkedFile) error {
		if m.Taken {
			fmt.Printf("%s: %d new, %s, attempt %d\n", m.Name, m.New, m.Student, m.Attempt)
		}
		return nil
	})
}
