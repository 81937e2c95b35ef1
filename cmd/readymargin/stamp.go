package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"readymargin/core/page"
	"readymargin/core/submission"
	"readymargin/core/tagged"
	"readymargin/core/xfdf"
	"readymargin/pdf"
	"readymargin/school/screen"
	"readymargin/school/takeaway"
)

// stamp lays marks on a file, as a copy is taken away.
func stamp(ctx context.Context, args []string) error {
	var o options
	f := o.flags("stamp")
	as := f.String("as", string(takeaway.Printed), "movable, printed or margin")
	files, err := filesAmong(f, args)
	if err != nil {
		return err
	}
	form := takeaway.Form(*as)
	if len(files) != 3 || form != takeaway.Movable && form != takeaway.Printed && form != takeaway.Margin {
		fmt.Fprintln(os.Stderr, "readymargin stamp SHEET.pdf MARKS.xfdf OUT.pdf [-as movable|printed|margin]")
		return flag.ErrHelp
	}
	press, err := o.press()
	if err != nil {
		return err
	}
	defer press.Close()
	out, left, err := stamped(ctx, press, files[0], files[1], form)
	if err != nil {
		return err
	}
	if len(left) > 0 {
		fmt.Fprintln(os.Stderr, "left out, since there is no such mark:", strings.Join(left, ", "))
	}
	return os.WriteFile(files[2], out, 0o644)
}

// stamped returns a sheet with the marks of an XFDF file, and what of that is no mark.
func stamped(ctx context.Context, press *pdf.Pool, sheet, marks string, form takeaway.Form) (out []byte, left []string, err error) {
	file, err := os.ReadFile(sheet)
	if err != nil {
		return nil, nil, err
	}
	pages, err := press.Inspect(ctx, file)
	if err != nil {
		return nil, nil, fmt.Errorf("%s: %w", sheet, err)
	}
	var boxes []page.Box
	v := screen.Screen{}
	v.Title = strings.TrimSuffix(filepath.Base(sheet), ".pdf")
	for _, p := range pages {
		boxes = append(boxes, p.Box)
	}
	f, err := os.Open(marks)
	if err != nil {
		return nil, nil, err
	}
	defer f.Close()
	d, err := xfdf.Read(f, boxes)
	if err != nil {
		return nil, nil, errors.Join(fmt.Errorf("%s cannot be used", marks), err)
	}
	names := 0
	name := func() string { names++; return fmt.Sprintf("stamped-%04d", names) }
	for _, a := range d.Annotations {
		taken := a.Take(name)
		if taken.Mark == nil && a.State == "" {
			left = append(left, string(a.Subtype))
		}
		if taken.Mark != nil {
			v.Marks = append(v.Marks, screen.Show(submission.Work, submission.Shown{Mark: *taken.Mark}, a.Author, false, a.Changed, true))
		}
		if taken.Note != nil {
			v.Marks = append(v.Marks, screen.Show(submission.Work, submission.Shown{Mark: *taken.Note}, a.Author, false, a.Changed, true))
		}
	}
	if n := len(d.Fields); n > 0 {
		left = append(left, fmt.Sprintf("%d fields", n))
	}
	out, err = press.Print(ctx, file, takeaway.Lay(form, boxes, tagged.Sheet(pages), v))
	return out, left, err
}
