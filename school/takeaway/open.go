package takeaway

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"time"

	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/core/xfdf"
	"readymargin/school/screen"
)

// Types of files besides PDF. XFDF's is registered by IANA.
const (
	pdfType  = "application/pdf"
	xfdfType = "application/vnd.adobe.xfdf"
	zipType  = "application/zip"
	pngType  = "image/png"
	jsonType = "application/json"
)

// pictureScale is how many pixels of a picture a point is: 150 to the inch.
const pictureScale = 150.0 / 72

// marks returns the marks of a copy without its sheet, as XFDF.
func (b *builder) marks() (File, error) {
	d := xfdf.Document{Href: fileName(b.view, Clean), Annotations: b.what.Annotations}
	for _, m := range b.what.Marks {
		if w, ok := m.Body.(*mark.Widget); ok {
			d.Fields = append(d.Fields, xfdf.Field{Name: w.Field, Values: w.Values})
		}
	}
	boxes := b.what.Boxes
	for range b.what.Extra {
		boxes = append(boxes, b.what.Box(len(b.what.Boxes)+1))
	}
	var out bytes.Buffer
	if err := xfdf.Write(&out, d, boxes); err != nil {
		return File{}, err
	}
	return spooled(fileName(b.view, Marks), xfdfType, out.Bytes())
}

// pages returns pages as PNG pictures: one as it is, several in a ZIP.
func (b *builder) pages(ctx context.Context, file []byte) (File, error) {
	n := len(b.what.Boxes) + b.what.Extra
	if n == 1 {
		p, err := b.engine.Plain(ctx, file, 1, pictureScale)
		if err != nil {
			return File{}, err
		}
		return spooled(fileName(b.view, Pictures)+".png", pngType, p.Data)
	}
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	for i := 1; i <= n; i++ {
		p, err := b.engine.Plain(ctx, file, i, pictureScale)
		if err != nil {
			return File{}, err
		}
		if err := stored(z, fmt.Sprintf("page %02d.png", i), b.what.About.At, bytes.NewReader(p.Data)); err != nil {
			return File{}, err
		}
	}
	if err := z.Close(); err != nil {
		return File{}, err
	}
	return spooled(fileName(b.view, Pictures)+".zip", zipType, out.Bytes())
}

// A whole is a copy as one document; docs/copy.schema.json says what is in it.
type whole struct {
	Format      string       `json:"format"`
	Version     int          `json:"version"`
	Worksheet   string       `json:"worksheet"`
	Course      string       `json:"course"`
	Student     string       `json:"student"`
	State       string       `json:"state"`
	Attempt     int          `json:"attempt"`
	Submitted   *time.Time   `json:"submitted,omitempty"`
	Fingerprint string       `json:"fingerprint,omitempty"`
	Line        string       `json:"lineToTheTeacher,omitempty"`
	Returned    *time.Time   `json:"returned,omitempty"`
	Points      string       `json:"points,omitempty"`
	PointsOf    string       `json:"pointsOf,omitempty"`
	Remark      string       `json:"remark,omitempty"`
	RemarkRich  bool         `json:"remarkIsCommonMark,omitempty"`
	Questions   []wholeAsked `json:"questions,omitempty"`
	Pages       []wholePage  `json:"pages"`
	Marks       []wholeMark  `json:"marks"`
}

type wholeAsked struct {
	Number string `json:"number"`
	Points string `json:"points,omitempty"`
	Of     string `json:"of"`
}

type wholePage struct {
	Width  float64 `json:"width"`
	Height float64 `json:"height"`
}

type wholeMark struct {
	Layer string    `json:"layer"`
	By    string    `json:"by"`
	At    time.Time `json:"at"`
	Mark  mark.Mark `json:"mark"`
}

// wholeCopy returns all of a copy as one JSON document.
func wholeCopy(v screen.Screen) (File, error) {
	out := whole{Format: "ready-margin-copy", Version: 1, Worksheet: v.Title, Course: v.Course, Student: v.Student, State: string(v.State), Attempt: v.Attempt,
		Line: v.Line, Returned: v.ReturnedAt, PointsOf: v.PointsOf, Remark: v.Remark, RemarkRich: v.RemarkRich, Pages: []wholePage{}, Marks: []wholeMark{}}
	if v.Receipt != nil {
		out.Submitted, out.Fingerprint = &v.Receipt.At, v.Receipt.Fingerprint
	}
	if v.Given != nil {
		out.Points = *v.Given
	}
	for _, q := range v.Questions {
		out.Questions = append(out.Questions, wholeAsked{q.Number, q.Given, q.Of})
	}
	for _, p := range v.Pages {
		out.Pages = append(out.Pages, wholePage{p.Width, p.Height})
	}
	for _, m := range v.Marks {
		if m.Layer != submission.Among {
			out.Marks = append(out.Marks, wholeMark{string(m.Layer), m.By, m.At, m.Mark})
		}
	}
	data, err := json.MarshalIndent(out, "", "  ")
	if err != nil {
		return File{}, err
	}
	return spooled(fileName(v, Data), jsonType, data)
}
