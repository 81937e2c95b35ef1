package main

import (
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"os"

	"readymargin/core/blank"
	"readymargin/core/document"
	"readymargin/core/heldback"
	"readymargin/core/inwords"
	"readymargin/core/page"
	"readymargin/pdf"
)

// An inspection is what inspect prints. Lengths are points from the top left
// of the crop box; pages count from 1.
type inspection struct {
	Pages       []inspectedPage `json:"pages"`
	Fields      []inspectedAt   `json:"fields"`
	Blanks      []inspectedAt   `json:"blanks"`
	Questions   []inspectedAt   `json:"questions"`
	AnswerPages []answerPage    `json:"answerPages"`
	InWords     []inWords       `json:"inWords"` // in the order in which it is read
	Limits      document.Limits `json:"limits"`
}

type inspectedPage struct {
	Page   int     `json:"page"`
	Width  float64 `json:"width"`
	Height float64 `json:"height"`
	Rotate int     `json:"rotate"`
	Words  int     `json:"words"` // 0 on a page that is a picture
}

type inspectedAt struct {
	Page       int      `json:"page"`
	X          float64  `json:"x"`
	Y          float64  `json:"y"`
	W          float64  `json:"w"`
	H          float64  `json:"h"`
	Name       string   `json:"name,omitempty"`
	Type       string   `json:"type,omitempty"`
	Options    []string `json:"options,omitempty"`
	Baseline   float64  `json:"baseline,omitempty"`
	Kind       string   `json:"kind,omitempty"`
	Label      string   `json:"label,omitempty"`
	Confidence float64  `json:"confidence,omitempty"`
	Number     string   `json:"number,omitempty"`
	Blanks     []int    `json:"blanks,omitempty"` // of a question, counted from 1 on its page
}

// inWords is a page as headings, paragraphs, tables, pictures and places to write.
type inWords struct {
	Page   int             `json:"page"`
	Pieces []inwords.Piece `json:"pieces"`
}

type answerPage struct {
	Page int `json:"page"`
	heldback.Reason
}

// inspect says what Ready Margin sees in a PDF, for people who want to know
// before they bring it in.
func inspect(ctx context.Context, args []string) error {
	var o options
	f := o.flags("inspect")
	asJSON := f.Bool("json", false, "print JSON")
	files, err := filesAmong(f, args)
	if err != nil {
		return err
	}
	if len(files) != 1 {
		fmt.Fprintln(os.Stderr, "readymargin inspect FILE.pdf [-json]")
		return flag.ErrHelp
	}
	press, err := o.press()
	if err != nil {
		return err
	}
	defer press.Close()
	_, pages, err := inspected(ctx, press, files[0])
	if err != nil {
		return err
	}
	in := look(pages)
	in.Limits = press.Limits()
	if *asJSON {
		return json.NewEncoder(os.Stdout).Encode(in)
	}
	in.print()
	return nil
}

// inspected reads a PDF by its name.
func inspected(ctx context.Context, press *pdf.Pool, name string) (file []byte, pages []document.Page, err error) {
	if file, err = os.ReadFile(name); err != nil {
		return nil, nil, err
	}
	if pages, err = press.Inspect(ctx, file); err != nil {
		return nil, nil, errors.Join(errors.New(name+" cannot be used"), err)
	}
	return file, pages, nil
}

func look(pages []document.Page) inspection {
	in := inspection{Pages: []inspectedPage{}, Fields: []inspectedAt{}, Blanks: []inspectedAt{}, Questions: []inspectedAt{}, AnswerPages: []answerPage{}}
	for i, p := range pages {
		n := i + 1
		in.Pages = append(in.Pages, inspectedPage{n, p.Width, p.Height, p.Box.Rotate, len(p.Print.Words)})
		in.InWords = append(in.InWords, inWords{n, inwords.Of(p.TextLayer(), p.Guide(), page.Pt(p.Width, p.Height))})
		for _, f := range p.Fields {
			in.Fields = append(in.Fields, inspectedAt{Page: n, X: f.Rect.Min.X, Y: f.Rect.Min.Y, W: f.Rect.W(), H: f.Rect.H(), Name: f.Name, Type: f.Type, Options: f.Options})
		}
		flat := p.Flat()
		found := p.Blanks()
		for _, b := range found {
			in.Blanks = append(in.Blanks, inspectedAt{Page: n, X: b.Rect.Min.X, Y: b.Rect.Min.Y, W: b.Rect.W(), H: b.Rect.H(), Baseline: b.Baseline, Kind: string(b.Kind), Label: b.Label, Confidence: b.Confidence})
		}
		if p.Scan != nil {
			continue // no numbers can be read
		}
		for _, q := range blank.Questions(flat, found) {
			a := inspectedAt{Page: n, X: q.Rect.Min.X, Y: q.Rect.Min.Y, W: q.Rect.W(), H: q.Rect.H(), Number: q.Number, Label: q.Text}
			for _, b := range q.Blanks {
				a.Blanks = append(a.Blanks, b+1)
			}
			in.Questions = append(in.Questions, a)
		}
	}
	reasons := heldback.Propose(document.Printed(pages))
	for n := 1; n <= len(pages); n++ {
		if r, ok := reasons[n]; ok {
			in.AnswerPages = append(in.AnswerPages, answerPage{n, r})
		}
	}
	return in
}

func (in inspection) print() {
	at := func(a inspectedAt) string {
		return fmt.Sprintf("page %d  %6.1f %6.1f  %6.1f × %-5.1f", a.Page, a.X, a.Y, a.W, a.H)
	}
	for _, p := range in.Pages {
		kind := fmt.Sprintf("%d words", p.Words)
		if p.Words == 0 {
			kind = "a picture, no words"
		}
		fmt.Printf("page %d  %.1f × %.1f points, turned by %d, %s\n", p.Page, p.Width, p.Height, p.Rotate, kind)
	}
	for _, f := range in.Fields {
		fmt.Printf("field     %s  %-4s %s\n", at(f), f.Type, f.Name)
	}
	for _, b := range in.Blanks {
		fmt.Printf("blank     %s  %-6s %3.0f %%  %s\n", at(b), b.Kind, 100*b.Confidence, b.Label)
	}
	for _, q := range in.Questions {
		fmt.Printf("question  %s  %-6s %d blanks  %s\n", at(q), q.Number, len(q.Blanks), q.Label)
	}
	for _, a := range in.AnswerPages {
		fmt.Printf("page %d is likely to hold answers (%s)\n", a.Page, a.Kind)
	}
}
