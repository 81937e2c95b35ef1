package main

import (
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"os"
	"slices"

	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/pdf"
	"readymargin/school/intake"
	"readymargin/school/work"
)

// A comparison is what compare prints. Lengths are points from the top left of the
// sheet's page; pages count from 1.
type comparison struct {
	Pages   []matchedPage  `json:"pages"`
	Taken   []comparedMark `json:"taken"`             // what would be taken over, pictures last
	Strange []string       `json:"strange,omitempty"` // kinds of annotations that are no marks
}

type matchedPage struct {
	Page  int `json:"page"`  // of the file
	Sheet int `json:"sheet"` // which page of the sheet it is
}

type comparedMark struct {
	Page  int     `json:"page"` // of the sheet
	Kind  string  `json:"kind"` // the mark's
	X     float64 `json:"x"`
	Y     float64 `json:"y"`
	W     float64 `json:"w"`
	H     float64 `json:"h"`
	Words string  `json:"words,omitempty"`
	From  string  `json:"from"`          // annotation, field or picture
	Was   string  `json:"was,omitempty"` // the annotation's subtype, or the field's type
	On    string  `json:"on,omitempty"`  // of a note: the mark that it speaks about
	ID    string  `json:"id,omitempty"`
}

// compare says what would be taken over of a file that was worked on with another
// program.
func compare(ctx context.Context, args []string) error {
	var o options
	f := o.flags("compare")
	asJSON := f.Bool("json", false, "print JSON")
	files, err := filesAmong(f, args)
	if err != nil {
		return err
	}
	if len(files) != 2 {
		fmt.Fprintln(os.Stderr, "readymargin compare SHEET.pdf DONE.pdf [-json]")
		return flag.ErrHelp
	}
	press, err := o.press()
	if err != nil {
		return err
	}
	defer press.Close()
	out, err := compared(ctx, press, files[0], files[1])
	if err != nil {
		return err
	}
	if *asJSON {
		e := json.NewEncoder(os.Stdout)
		e.SetIndent("", "  ")
		return e.Encode(out)
	}
	for _, p := range out.Pages {
		if p.Sheet == 0 {
			fmt.Printf("page %d is none of the sheet's\n", p.Page)
			continue
		}
		fmt.Printf("page %d is page %d of the sheet\n", p.Page, p.Sheet)
	}
	for _, m := range out.Taken {
		fmt.Printf("page %d: %s at %.0f, %.0f, %.0f x %.0f, from %s %s %q\n", m.Page, m.Kind, m.X, m.Y, m.W, m.H, m.From, m.Was, m.Words)
	}
	for _, s := range out.Strange {
		fmt.Printf("not understood, and kept as a picture: %s\n", s)
	}
	return nil
}

// filesAmong parses flags that may stand before, between or behind files.
func filesAmong(f *flag.FlagSet, args []string) (files []string, err error) {
	for len(args) > 0 {
		if err := f.Parse(args); err != nil {
			return nil, err
		}
		if args = f.Args(); len(args) > 0 {
			files, args = append(files, args[0]), args[1:]
		}
	}
	return files, nil
}

func compared(ctx context.Context, press *pdf.Pool, sheet, done string) (comparison, error) {
	none := comparison{}
	var read [2]intake.Read
	for i, name := range []string{sheet, done} {
		b, err := os.ReadFile(name)
		if err != nil {
			return none, err
		}
		read[i] = intake.Read{File: b}
		if read[i].Pages, err = press.Inspect(ctx, b); err != nil {
			return none, fmt.Errorf("%s: %w", name, err)
		}
	}
	names := 0
	c := work.NewComparison(press, read[0], func(string) string {
		names++
		return fmt.Sprintf("taken-%04d", names)
	})
	theirs, err := work.ReadDone(ctx, press, read[1])
	if err != nil {
		return none, err
	}
	theirs, match, err := c.Upright(ctx, theirs)
	if err != nil {
		return none, err
	}
	if slices.Max(match) == 0 {
		return none, fmt.Errorf("no page of %s is one of %s", done, sheet)
	}
	taken, parts, err := c.Compare(ctx, theirs, match, false)
	if err != nil {
		return none, err
	}
	out := comparison{Strange: taken.Strange, Taken: []comparedMark{}}
	for i, n := range match {
		out.Pages = append(out.Pages, matchedPage{i + 1, n})
	}
	for _, t := range taken.Found {
		m := at(t.Mark.Page, t.Mark.Body.Kind(), t.Mark.Body.Bounds())
		m.Words, m.From, m.Was, m.ID = wordsOf(t.Mark), t.From, t.Kind, t.Mark.ID
		if n, ok := t.Mark.Body.(*mark.Note); ok {
			m.On = n.On
		}
		out.Taken = append(out.Taken, m)
	}
	for i, n := range match {
		for _, p := range parts[i] {
			m := at(n, "picture", p.Rect)
			m.From, m.Words = "picture", p.Words
			out.Taken = append(out.Taken, m)
		}
	}
	return out, nil
}

func at(n int, kind string, r page.Rect) comparedMark {
	return comparedMark{Page: n, Kind: kind, X: page.Round(r.Min.X), Y: page.Round(r.Min.Y), W: page.Round(r.W()), H: page.Round(r.H())}
}

// wordsOf returns what a mark says in words.
func wordsOf(m mark.Mark) string {
	switch b := m.Body.(type) {
	case *mark.FreeText:
		return b.String()
	case *mark.Note:
		return b.Text
	case *mark.Widget:
		if len(b.Values) > 0 {
			return b.Values[0]
		}
	}
	return ""
}
