package xfdf

import (
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"
	"testing"
	"time"

	"readymargin/core/annotation"
	"readymargin/core/ink"
	"readymargin/core/mark"
	"readymargin/core/page"
)

// common are the attributes that every element of annots may have, and allowed those
// that an element may have besides, and its children (ISO 19444-1, 6.5 and 6.6; from
// memory).
var (
	common  = strings.Fields("color date flags name page rect title creationdate opacity subject")
	allowed = map[string]string{
		"text": "icon inreplyto replyType statemodel state contents contents-richtext popup", "freetext": "justification rotation width fringe intent style head inreplyto replyType contents contents-richtext defaultappearance defaultstyle",
		"line": "start end head tail width style interior-color caption inreplyto replyType contents contents-richtext popup", "square": "width style interior-color intensity fringe inreplyto replyType contents contents-richtext popup",
		"circle": "width style interior-color intensity fringe inreplyto replyType contents contents-richtext popup", "polygon": "vertices width style interior-color intensity inreplyto replyType contents contents-richtext popup",
		"polyline": "vertices head tail width style interior-color inreplyto replyType contents contents-richtext popup", "highlight": "coords inreplyto replyType contents contents-richtext popup",
		"underline": "coords inreplyto replyType contents contents-richtext popup", "strikeout": "coords inreplyto replyType contents contents-richtext popup",
		"stamp": "icon inreplyto replyType contents contents-richtext popup", "ink": "width style inreplyto replyType inklist contents contents-richtext popup",
	}
)

var boxes = []page.Box{{Crop: page.R(0, 0, 595, 842)}, {Crop: page.R(20, 30, 420, 630), Rotate: 90}, {Crop: page.R(0, 0, 300, 400), Unit: 2}}

func said() (all []annotation.Said) {
	quads := mark.QuadPoints([]page.Quad{page.QuadOf(page.R(50, 60, 150, 72)), page.QuadOf(page.R(50, 76, 120, 88))})
	stroke := ink.Fit([]ink.Sample{{X: 60, Y: 160, Pressure: 0.5}, {X: 100, Y: 170, Pressure: 0.5}, {X: 150, Y: 150, Pressure: 0.5}})
	shape := mark.Shape{Color: "#2f6f9f", Width: 1.5, Opacity: 0.8, Fill: "#fff2cc"}
	plain := shape
	plain.Fill = ""
	for n := range boxes {
		bodies := []mark.Body{
			&mark.FreeText{X: 60, Y: 120, Width: 95, Lines: []mark.TextLine{{Runs: []mark.Run{{Text: "4,5 m < 5 & ", Size: 12, Color: "#1e2a44", Width: 60}, {Text: "über", Size: 12, Color: "#c22f20", Bold: true, Width: 20}}}}},
			&mark.Ink{Color: "#1f4fa3", Width: 2, Opacity: 1, InkList: []ink.Stroke{stroke, stroke}},
			&mark.Highlight{Color: "#ffe14a", QuadPoints: quads, Text: "Carrick rocks"}, &mark.Underline{Markup: mark.Markup{Color: "#c22f20", QuadPoints: quads}}, &mark.StrikeOut{Markup: mark.Markup{Color: "#c22f20", QuadPoints: quads}},
			&mark.Line{Shape: plain, L: [4]float64{60, 200, 160, 240}, LineEnding: [2]string{"", "OpenArrow"}}, &mark.PolyLine{Shape: plain, Vertices: [][2]float64{{60, 200}, {100, 250}, {140, 210}}},
			&mark.Square{Shape: shape, Rect: [4]float64{60, 260, 120, 300}}, &mark.Square{Shape: shape, Rect: [4]float64{60, 260, 120, 300}, Turn: 20}, &mark.Circle{Shape: shape, Rect: [4]float64{130, 260, 180, 300}},
			&mark.Stamp{Name: "tick", Color: "#c22f20", Rect: [4]float64{10, 10, 26, 26}}, &mark.Note{At: [2]float64{200, 100}, Text: "Why \"so\"?\nSay more.", Color: "#2f6f9f"},
		}
		for i, b := range bodies {
			all = append(all, annotation.Said{Mark: mark.Mark{ID: fmt.Sprintf("mark-%d-%d", n, i), Page: n + 1, Body: b}, Author: "Ines Varga", At: time.Date(2026, 11, 3, 8, 20, 0, 0, time.UTC), Layer: annotation.Work})
		}
		all = append(all, annotation.Said{Mark: mark.Mark{ID: fmt.Sprintf("reply-%d-1", n), Page: n + 1, Body: &mark.Reply{To: fmt.Sprintf("mark-%d-11", n), Text: "Better."}}, Author: "Mr Okonjo-Bell", Layer: annotation.Feedback})
	}
	return all
}

// What is written has elements and attributes of the standard alone, and reads back
// as it was.
func TestAnnotationsReadBackAsWritten(t *testing.T) {
	want := annotation.All(said(), func(s string, _ bool) string { return s })
	var b bytes.Buffer
	if err := Write(&b, Document{Href: "Tide heights 2.pdf", Annotations: want, Fields: []Field{{"tide.height", []string{"4,5"}}}}, boxes); err != nil {
		t.Fatal(err)
	}
	d := xml.NewDecoder(bytes.NewReader(b.Bytes()))
	for in := ""; ; {
		tok, err := d.Token()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			t.Fatal(err)
		}
		e, ok := tok.(xml.StartElement)
		if !ok {
			continue
		}
		if known, ok := allowed[e.Name.Local]; ok {
			in = known
			for _, a := range e.Attr {
				if !slices.Contains(append(strings.Fields(known), common...), a.Name.Local) {
					t.Errorf("<%s> has %s", e.Name.Local, a.Name.Local)
				}
			}
		} else if e.Name.Space == Namespace && !slices.Contains(append(strings.Fields(in), "xfdf", "f", "fields", "field", "value", "annots", "gesture"), e.Name.Local) {
			t.Errorf("<%s> is not in the table", e.Name.Local)
		}
	}
	got, err := Read(&b, boxes)
	if err != nil || got.Href != "Tide heights 2.pdf" || len(got.Fields) != 1 || got.Fields[0].Name != "tide.height" || got.Fields[0].Values[0] != "4,5" {
		t.Fatalf("%+v %v", got, err)
	}
	if len(got.Annotations) != len(want) {
		t.Fatalf("%d annotations, were %d", len(got.Annotations), len(want))
	}
	for i, a := range got.Annotations {
		w := want[i]
		if a.Subtype != w.Subtype || a.Page != w.Page || a.Name != w.Name || a.Author != w.Author || a.Contents != w.Contents || a.Color != w.Color || a.Interior != w.Interior || !a.Created.Equal(w.Created) || a.ReplyTo != w.ReplyTo || a.Letters != w.Letters {
			t.Errorf("read %+v, was %+v", a, w)
		}
		near := func(what string, a, b []page.Point) {
			if len(a) != len(b) {
				t.Errorf("%s %s: %d places, were %d", w.Name, what, len(a), len(b))
				return
			}
			for i := range a {
				if math.Abs(a[i].X-b[i].X) > 0.01 || math.Abs(a[i].Y-b[i].Y) > 0.01 {
					t.Errorf("%s %s: %v, was %v", w.Name, what, a[i], b[i])
					return
				}
			}
		}
		near("rect", []page.Point{a.Rect.Min, a.Rect.Max, a.Inner.Min, a.Inner.Max}, []page.Point{w.Rect.Min, w.Rect.Max, w.Inner.Min, w.Inner.Max})
		near("vertices", a.Vertices, w.Vertices)
		for k := range w.InkList {
			near("ink", a.InkList[k], w.InkList[k])
		}
		for k := range w.Quads {
			near("quads", a.Quads[k][:], w.Quads[k][:])
		}
		if math.Abs(a.Width-w.Width) > 0.01 || math.Abs(max(a.Opacity, 0)-w.Opacity) > 0.01 && w.Opacity != 1 || math.Abs(a.Size-w.Size) > 0.01 {
			t.Errorf("%s: width %v, opacity %v, size %v; was %v, %v, %v", w.Name, a.Width, a.Opacity, a.Size, w.Width, w.Opacity, w.Size)
		}
	}
	// The looks of the letters come back by the rich text.
	taken := got.Annotations[slices.IndexFunc(got.Annotations, func(a annotation.Annotation) bool { return a.Subtype == annotation.FreeText })].Take(func() string { return "fresh-name" })
	runs := taken.Mark.Body.(*mark.FreeText).Lines[0].Runs
	if len(runs) != 2 || runs[0].Text != "4,5 m < 5 & " || !runs[1].Bold || runs[1].Color != "#c22f20" {
		t.Errorf("the letters are %+v", runs)
	}
}

// What others write is read though it is loose: spaces for commas, no names, no dates.
func TestLooseFilesAreRead(t *testing.T) {
	const loose = `<xfdf xmlns="http://ns.adobe.com/xfdf/"><annots>
		<square page="0" rect="10 20 110 70" color="#FF0000" width="2"/><ink page="0" rect="0,0,9,9"><inklist><gesture>1,1;2,2;3,1</gesture></inklist></ink>
		<highlight page="0" rect="10,700,60,712" coords="10,712,60,712,10,700,60,700"/><text page="0" rect="5,5,25,25"><contents>Hello</contents></text>
		<fileattachment page="0" rect="1,1,2,2"/><square page="7" rect="1,1,9,9"/><circle page="-1" rect="1,1,9,9"/></annots></xfdf>`
	got, err := Read(strings.NewReader(loose), boxes[:1])
	if err != nil || len(got.Annotations) != 4 {
		t.Fatalf("%d annotations, %v", len(got.Annotations), err)
	}
	kinds := ""
	for _, a := range got.Annotations {
		taken := a.Take(func() string { return "fresh-name" })
		if taken.Mark == nil {
			t.Fatalf("%s became nothing", a.Subtype)
		}
		kinds += taken.Mark.Body.Kind() + " "
	}
	if kinds != "square ink highlight note " {
		t.Errorf("they are %s", kinds)
	}
	for name, bad := range map[string]string{
		"empty": "", "words": "no XML at all", "another root": "<fdf/>", "cut off": loose[:200], "another space": strings.Replace(loose, "xfdf/", "other/", 1),
		"entities": `<!DOCTYPE x [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;">]><xfdf xmlns="http://ns.adobe.com/xfdf/"><annots><text page="0" rect="1,1,2,2"><contents>&b;</contents></text></annots></xfdf>`,
	} {
		if _, err := Read(strings.NewReader(bad), boxes); !errors.Is(err, ErrNotXFDF) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

func FuzzReading(f *testing.F) {
	var b bytes.Buffer
	if err := Write(&b, Document{Annotations: annotation.All(said(), func(s string, _ bool) string { return s })}, boxes); err != nil {
		f.Fatal(err)
	}
	f.Add(b.Bytes())
	f.Fuzz(func(t *testing.T, b []byte) {
		d, err := Read(bytes.NewReader(b), boxes)
		if err != nil {
			return
		}
		for _, a := range d.Annotations {
			if taken := a.Take(func() string { return "fresh-name" }); taken.Mark != nil && taken.Mark.Valid() != nil {
				t.Errorf("%s became a mark that is none: %v", a.Subtype, taken.Mark.Valid())
			}
		}
	})
}
