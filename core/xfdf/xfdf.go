// Package xfdf writes annotations and the values of fields as XFDF and reads them
// (ISO 19444-1): marks without the sheet that they are on. Elements and attributes
// are the standard's, written out from memory; see the table in the test.
package xfdf

import (
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"

	"readymargin/core/annotation"
	"readymargin/core/mark"
	"readymargin/core/page"
)

// Namespace is that of XFDF's elements.
const Namespace = "http://ns.adobe.com/xfdf/"

// A Document is what an XFDF file says.
type Document struct {
	Href        string // the name of the PDF that it belongs to, if it says so
	Annotations []annotation.Annotation
	Fields      []Field
}

// A Field is a field of a form, by its full name, with its values.
type Field struct {
	Name   string
	Values []string
}

// ErrNotXFDF says that a file is no XFDF.
var ErrNotXFDF = errors.New("xfdf: this is no XFDF file")

type file struct {
	XMLName xml.Name `xml:"http://ns.adobe.com/xfdf/ xfdf"`
	Space   string   `xml:"http://www.w3.org/XML/1998/namespace space,attr,omitempty"`
	F       *href    `xml:"f"`
	Fields  *fields  `xml:"fields"`
	Annots  *annots  `xml:"annots"`
}

type href struct {
	Href string `xml:"href,attr"`
}

type fields struct {
	All []field `xml:"field"`
}

type field struct {
	Name   string   `xml:"name,attr"`
	Values []string `xml:"value"`
	Kids   []field  `xml:"field"`
}

type annots struct {
	All []annot `xml:",any"`
}

type annot struct {
	XMLName  xml.Name
	Page     int    `xml:"page,attr"` // from 0
	Rect     string `xml:"rect,attr"`
	Name     string `xml:"name,attr,omitempty"`
	Title    string `xml:"title,attr,omitempty"`
	Subject  string `xml:"subject,attr,omitempty"`
	Created  string `xml:"creationdate,attr,omitempty"`
	Date     string `xml:"date,attr,omitempty"`
	Color    string `xml:"color,attr,omitempty"`
	Interior string `xml:"interior-color,attr,omitempty"`
	Opacity  string `xml:"opacity,attr,omitempty"`
	Width    string `xml:"width,attr,omitempty"`
	Flags    string `xml:"flags,attr,omitempty"`
	Icon     string `xml:"icon,attr,omitempty"`
	Coords   string `xml:"coords,attr,omitempty"`
	Start    string `xml:"start,attr,omitempty"`
	End      string `xml:"end,attr,omitempty"`
	Head     string `xml:"head,attr,omitempty"`
	Tail     string `xml:"tail,attr,omitempty"`
	Fringe   string `xml:"fringe,attr,omitempty"`
	Justify  string `xml:"justification,attr,omitempty"`
	ReplyTo  string `xml:"inreplyto,attr,omitempty"`
	Reply    string `xml:"replyType,attr,omitempty"`
	Model    string `xml:"statemodel,attr,omitempty"`
	State    string `xml:"state,attr,omitempty"`

	Contents   string    `xml:"contents,omitempty"`
	Rich       *inner    `xml:"contents-richtext"`
	Appearance string    `xml:"defaultappearance,omitempty"`
	Style      string    `xml:"defaultstyle,omitempty"`
	Vertices   string    `xml:"vertices,omitempty"`
	InkList    *gestures `xml:"inklist"`
}

type inner struct {
	XML string `xml:",innerxml"`
}

type gestures struct {
	All []string `xml:"gesture"`
}

// elements are the names of elements by the kinds of annotations.
var elements = map[annotation.Subtype]string{
	annotation.Text: "text", annotation.FreeText: "freetext", annotation.Line: "line", annotation.Square: "square", annotation.Circle: "circle",
	annotation.Polygon: "polygon", annotation.PolyLine: "polyline", annotation.Highlight: "highlight", annotation.Underline: "underline",
	annotation.Squiggly: "squiggly", annotation.StrikeOut: "strikeout", annotation.Caret: "caret", annotation.Stamp: "stamp", annotation.Ink: "ink",
}

var justifications = []string{"left", "centered", "right"}

// Write writes annotations on pages that show themselves as boxes say.
func Write(w io.Writer, d Document, boxes []page.Box) error {
	out := file{Space: "preserve", Annots: &annots{}}
	if d.Href != "" {
		out.F = &href{d.Href}
	}
	for _, f := range d.Fields {
		if out.Fields == nil {
			out.Fields = &fields{}
		}
		out.Fields.All = append(out.Fields.All, nested(strings.Split(f.Name, "."), f.Values))
	}
	for _, a := range d.Annotations {
		if name := elements[a.Subtype]; name != "" && a.Page >= 1 && a.Page <= len(boxes) {
			out.Annots.All = append(out.Annots.All, written(name, a, boxes[a.Page-1]))
		}
	}
	if _, err := io.WriteString(w, xml.Header); err != nil {
		return err
	}
	e := xml.NewEncoder(w)
	e.Indent("", "  ")
	if err := e.Encode(out); err != nil {
		return err
	}
	return e.Close()
}

func nested(names []string, values []string) field {
	f := field{Name: names[0]}
	if len(names) == 1 {
		f.Values = values
	} else {
		f.Kids = []field{nested(names[1:], values)}
	}
	return f
}

func written(name string, a annotation.Annotation, b page.Box) annot {
	to := b.ToUser()
	r := page.Bounds(to.Apply(a.Rect.Min), to.Apply(a.Rect.Max))
	out := annot{
		XMLName: xml.Name{Local: name}, Page: a.Page - 1, Rect: numbers(",", r.Min, r.Max), Name: a.Name, Title: a.Author, Subject: a.Subject,
		Created: annotation.Date(a.Created), Date: annotation.Date(a.Changed), Color: string(a.Color), Interior: string(a.Interior), Flags: "print", Icon: a.Icon,
		ReplyTo: a.ReplyTo, State: a.State, Contents: a.Contents,
	}
	if a.Opacity != 0 && a.Opacity != 1 {
		out.Opacity = number(a.Opacity)
	}
	if a.Width != 0 {
		out.Width = number(max(a.Width, 0) * to.Scale())
	}
	if a.State != "" {
		out.Model = "Review"
	}
	if a.ReplyTo != "" {
		out.Reply = "reply"
	}
	if !a.Inner.Empty() {
		in := page.Bounds(to.Apply(a.Inner.Min), to.Apply(a.Inner.Max))
		out.Fringe = numbers(",", page.Pt(in.Min.X-r.Min.X, r.Max.Y-in.Max.Y), page.Pt(r.Max.X-in.Max.X, in.Min.Y-r.Min.Y))
	}
	var corners []page.Point
	for _, q := range a.Quads {
		corners = append(corners, to.Apply(q[0]), to.Apply(q[1]), to.Apply(q[3]), to.Apply(q[2]))
	}
	out.Coords = numbers(",", corners...)
	switch a.Subtype {
	case annotation.Line:
		if len(a.Vertices) == 2 {
			out.Start, out.End = numbers(",", to.Apply(a.Vertices[0])), numbers(",", to.Apply(a.Vertices[1]))
		}
		out.Head, out.Tail = a.Endings[0], a.Endings[1]
	case annotation.PolyLine, annotation.Polygon:
		out.Vertices = pairs(to, a.Vertices)
		out.Head, out.Tail = a.Endings[0], a.Endings[1]
	case annotation.Ink:
		out.InkList = &gestures{}
		for _, ps := range a.InkList {
			out.InkList.All = append(out.InkList.All, pairs(to, ps))
		}
	case annotation.FreeText:
		out.Appearance = annotation.Appearance(annotation.StandardFont(a.Font), a.Size*to.Scale(), a.Letters)
		out.Justify = justifications[min(max(a.Align, 0), 2)]
		if _, body, ok := strings.Cut(a.Rich, "?>"); ok {
			out.Rich = &inner{body}
		}
	}
	return out
}

func number(v float64) string { return strconv.FormatFloat(page.Round(v*10)/10, 'f', -1, 64) }

func numbers(between string, ps ...page.Point) string {
	var all []string
	for _, p := range ps {
		all = append(all, number(p.X), number(p.Y))
	}
	return strings.Join(all, between)
}

// pairs writes places as x,y;x,y.
func pairs(to page.Matrix, ps []page.Point) string {
	all := make([]string, len(ps))
	for i, p := range ps {
		all[i] = numbers(",", to.Apply(p))
	}
	return strings.Join(all, ";")
}

// Read reads an XFDF file of a PDF whose pages show themselves as boxes say. What is
// on no page, and what no annotation is known for, is left out.
func Read(r io.Reader, boxes []page.Box) (Document, error) {
	var in file
	if err := xml.NewDecoder(r).Decode(&in); err != nil {
		return Document{}, fmt.Errorf("%w: %v", ErrNotXFDF, err)
	}
	var out Document
	if in.F != nil {
		out.Href = in.F.Href
	}
	if in.Fields != nil {
		for _, f := range in.Fields.All {
			out.Fields = append(out.Fields, f.flat("", 0)...)
		}
	}
	if in.Annots == nil {
		return out, nil
	}
	kinds := map[string]annotation.Subtype{}
	for kind, name := range elements {
		kinds[name] = kind
	}
	for i, e := range in.Annots.All {
		kind, known := kinds[e.XMLName.Local]
		if !known || e.Page < 0 || e.Page >= len(boxes) {
			continue
		}
		a := e.read(kind, boxes[e.Page])
		a.Page, a.At = e.Page+1, i
		if a.Name == "" {
			a.Name = fmt.Sprintf("page %d, %d", a.Page, i+1)
		}
		out.Annotations = append(out.Annotations, a)
	}
	return out, nil
}

// maxDepth is how deep the names of fields may stand in each other.
const maxDepth = 32

func (f field) flat(under string, depth int) (out []Field) {
	name := f.Name
	if under != "" {
		name = under + "." + name
	}
	if len(f.Values) > 0 {
		out = append(out, Field{name, f.Values})
	}
	if depth < maxDepth {
		for _, k := range f.Kids {
			out = append(out, k.flat(name, depth+1)...)
		}
	}
	return out
}

func (e annot) read(kind annotation.Subtype, b page.Box) annotation.Annotation {
	to := b.FromUser()
	a := annotation.Annotation{
		Subtype: kind, Name: e.Name, Author: e.Title, Subject: e.Subject, Contents: e.Contents, Created: annotation.ParseDate(e.Created), Changed: annotation.ParseDate(e.Date),
		Color: color(e.Color), Interior: color(e.Interior), Icon: e.Icon, ReplyTo: e.ReplyTo, Group: strings.EqualFold(e.Reply, "group"), State: e.State,
		Opacity: value(e.Opacity), Hidden: strings.Contains(e.Flags, "hidden") || strings.Contains(e.Flags, "noview"),
	}
	if r := places(e.Rect, page.Matrix{A: 1, D: 1}); len(r) == 2 {
		user := page.Bounds(r...)
		a.Rect = page.Bounds(to.Apply(user.Min), to.Apply(user.Max))
		if f := places(e.Fringe, page.Matrix{A: 1, D: 1}); len(f) == 2 {
			in := page.Rect{Min: page.Pt(user.Min.X+f[0].X, user.Min.Y+f[1].Y), Max: page.Pt(user.Max.X-f[1].X, user.Max.Y-f[0].Y)}
			if !in.Empty() {
				a.Inner = page.Bounds(to.Apply(in.Min), to.Apply(in.Max))
			}
		}
	}
	if e.Width != "" {
		if a.Width = value(e.Width) * to.Scale(); a.Width <= 0 {
			a.Width = -1
		}
	}
	corners := places(e.Coords, to)
	for i := 0; i+3 < len(corners); i += 4 {
		a.Quads = append(a.Quads, annotation.QuadFrom([4]page.Point(corners[i:i+4])))
	}
	a.Vertices = places(e.Vertices, to)
	if kind == annotation.Line {
		a.Vertices = append(places(e.Start, to), places(e.End, to)...)
	}
	a.Endings = [2]string{e.Head, e.Tail}
	if e.InkList != nil {
		for _, g := range e.InkList.All {
			if ps := places(g, to); len(ps) > 0 {
				a.InkList = append(a.InkList, ps)
			}
		}
	}
	if kind == annotation.FreeText {
		a.Font, a.Size, a.Letters = annotation.ParseAppearance(e.Appearance)
		a.Size *= to.Scale()
		for i, j := range justifications {
			if e.Justify == j {
				a.Align = i
			}
		}
		if e.Rich != nil {
			a.Rich = e.Rich.XML
		}
	}
	return a
}

// places reads numbers that are parted by commas, semicolons or spaces.
func places(s string, to page.Matrix) (out []page.Point) {
	all := strings.FieldsFunc(s, func(r rune) bool { return r == ',' || r == ';' || r == ' ' || r == '\n' || r == '\t' || r == '\r' })
	for i := 0; i+1 < len(all); i += 2 {
		x, err1 := strconv.ParseFloat(all[i], 64)
		y, err2 := strconv.ParseFloat(all[i+1], 64)
		if err1 != nil || err2 != nil {
			return out
		}
		out = append(out, to.Apply(page.Pt(x, y)))
	}
	return out
}

func value(s string) float64 {
	v, err := strconv.ParseFloat(s, 64)
	if err != nil {
		return 0
	}
	return v
}

func color(s string) mark.Color {
	if c := mark.Color(strings.ToLower(s)); c.Good() {
		return c
	}
	return ""
}
