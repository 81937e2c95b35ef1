package pdf

import (
	"bytes"
	"cmp"
	"compress/zlib"
	"fmt"
	"image/jpeg"
	"slices"
	"strconv"
	"strings"
	"sync"
	"unicode"

	"readymargin/core/document"
	"readymargin/core/draw"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/typeset"
	"readymargin/core/words"
)

// A composed print is a Print with everything worked out that depends on marks
// and fonts alone, and not on the file.
type composed struct {
	Sheets []composedSheet // those that have something on them
	Fonts  []composedFont
	Images []composedImage
	Fields []composedField
	Files  []composedFile
	Extra  int
	Wider  []wider   // of the file's pages, where something stands beside them
	Paper  page.Rect // of added pages
	Copy   uint64
	About  document.About
	Boxes  []page.Box // of the file's pages
	Tagged []document.Tagged

	Annotations []composedAnnotation
}

// ownNames begins the names of all resources of what is composed, which lie among those
// of the pages.
const ownNames = "RM"

// A composedSheet is what one page gets: content in its user space.
type composedSheet struct {
	Page    int
	Crop    page.Rect
	Content []byte
	States  []composedState
	Runs    []run
}

// A wider page is to show itself as To, and its own content no more than it did
// before; in user space.
type wider struct{ From, To page.Rect }

// A composedImage is a JPEG that is painted under its name.
type composedImage struct {
	Name   string
	Width  int // pixels
	Height int
	Data   []byte
}

// A composedState is a set of graphics state parameters (ISO 32000-2, 8.4.5).
type composedState struct {
	Name    string
	Opacity float64
	Blend   string
}

// A composedFont is the subset of a face. Lengths are in thousandths of an em.
type composedFont struct {
	Name      string // in resources
	BaseFont  string
	File      packed
	Length    int // of the file before it was packed
	Box       [4]float64
	Ascent    float64
	Descent   float64
	Widths    []float64 // of the glyphs, by code
	ToUnicode packed
}

// packed is what FlateDecode unpacks (ISO 32000-2, 7.4.4).
type packed []byte

// pack compresses at the quickest level: an export is made while somebody
// waits, and taken away once. Making a packer costs more than packing a page.
func pack(content []byte) packed {
	var out bytes.Buffer
	z := packers.Get().(*zlib.Writer)
	defer packers.Put(z)
	z.Reset(&out)
	z.Write(content) // a buffer takes everything
	z.Close()
	return out.Bytes()
}

var packers = sync.Pool{New: func() any { z, _ := zlib.NewWriterLevel(nil, zlib.BestSpeed); return z }}

// compose makes a print ready.
func compose(what document.Export) (composed, error) {
	out, fonts := composed{Extra: what.Extra, Copy: what.Copy, About: what.About, Paper: what.Box(len(what.Boxes) + 1).Crop, Boxes: what.Boxes, Tagged: what.Tagged}, newFontBook()
	var images []string // hashes of those painted, whose place is in their name
	on := map[int][]mark.Mark{}
	for _, m := range what.Marks {
		on[m.Page] = append(on[m.Page], m)
	}
	for n := 1; n <= len(what.Boxes)+what.Extra; n++ {
		o := &overlay{fonts: fonts, pictures: what.Pictures, images: &images, open: byItself}
		if n <= len(what.Tagged) {
			o.tag(what.Tagged[n-1])
		}
		o.page(on[n], what.Notes, n)
		for _, c := range what.Codes {
			if c.Page == n {
				o.begin(c.Key())
				if err := o.code(c); err != nil {
					return out, err
				}
			}
		}
		o.end()
		for _, m := range on[n] {
			if w, ok := m.Body.(*mark.Widget); ok && n <= len(what.Boxes) {
				out.Fields = append(out.Fields, o.field(m, w, what.Box(n)))
			}
		}
		if o.content.Len() > 0 {
			out.Sheets = append(out.Sheets, o.sheet(n, what.Box(n)))
		}
	}
	for _, a := range what.Annotations {
		if a.Page >= 1 && a.Page <= len(what.Boxes)+what.Extra {
			o := &overlay{fonts: fonts, pictures: what.Pictures, images: &images}
			out.Annotations = append(out.Annotations, o.annotation(a, what.Box(a.Page)))
		}
	}
	if what.Beside > 0 {
		for i, b := range what.Boxes {
			out.Wider = append(out.Wider, wider{b.Crop, what.Box(i + 1).Crop})
		}
	}
	for i, hash := range images {
		c, err := jpeg.DecodeConfig(bytes.NewReader(what.Pictures[hash]))
		if err != nil {
			return out, fmt.Errorf("pdf: a picture of the marks: %w", err)
		}
		out.Images = append(out.Images, composedImage{imageName(i), c.Width, c.Height, what.Pictures[hash]})
	}
	for _, f := range what.Files {
		one := composedFile{Attached: f}
		if f.Page > 0 && f.Page <= len(what.Boxes) {
			to := what.Box(f.Page).ToUser()
			r := page.Pt(mark.NoteRadius, mark.NoteRadius)
			one.Rect = page.Bounds(to.Apply(f.At.Sub(r)), to.Apply(f.At.Add(r)))
		} else {
			one.Page = 0
		}
		out.Files = append(out.Files, one)
	}
	var err error
	out.Fonts, err = fonts.compose()
	return out, err
}

// sheet returns what page n gets, which is an empty sheet if nothing stands on it.
func (c composed) sheet(n int) composedSheet {
	for _, s := range c.Sheets {
		if s.Page == n {
			return s
		}
	}
	return composedSheet{Page: n, Crop: c.Paper}
}

// An overlay is the content painted over one page, in page space.
type overlay struct {
	content strings.Builder
	states  []composedState
	fonts   *fontBook

	pictures map[string][]byte
	images   *[]string

	elements map[string]int // of what is laid on a page that is tagged, by names; nil for others
	open     int            // whose piece is being painted, see marker
	runs     []run
}

// tag says which elements a page has. The words of them that were read in a picture are
// painted unseen, over it.
func (o *overlay) tag(t document.Tagged) {
	o.elements = map[string]int{}
	t.Each(func(n int, e *document.Element) {
		if e.Laid != "" {
			o.elements[e.Laid] = n
		}
		for _, w := range e.Print {
			if w.Sure > 0 {
				o.piece(n)
				o.unseen(w)
			}
		}
	})
}

// begin says what is painted from here on.
func (o *overlay) begin(name string) {
	if o.elements == nil {
		return
	}
	if n, ok := o.elements[name]; ok {
		o.piece(n)
		return
	}
	o.piece(artifact)
}

func (o *overlay) piece(element int) {
	if element == o.open {
		return
	}
	o.end()
	if o.open = element; element == artifact {
		o.content.WriteString("/Artifact BMC\n")
		return
	}
	fmt.Fprintf(&o.content, "/Span <</MCID %d>> BDC\n", len(o.runs))
	o.runs = append(o.runs, run{len(o.runs), element})
}

func (o *overlay) end() {
	if o.elements != nil && o.open != byItself {
		o.content.WriteString("EMC\n")
		o.open = byItself
	}
}

// unseen writes a word where it stands in a picture, for whoever searches it or has it
// read aloud (ISO 32000-2, 9.3.6, mode 3).
func (o *overlay) unseen(w words.Word) {
	run := draw.Run{Text: w.Text, Size: cmp.Or(w.Size, 0.8*w.Rect().H())}
	pieces, width := o.fonts.pieces(run), 0.0
	for _, p := range pieces {
		width += p.width
	}
	if width <= 0 {
		return
	}
	wide := w.Rect().W() / width
	fmt.Fprintf(&o.content, "BT 3 Tr %.2f Tz\n", 100*wide)
	x := w.Box[0]
	for _, p := range pieces {
		fmt.Fprintf(&o.content, "/%s %.4g Tf 1 0 0 -1 %.3f %.3f Tm <%s> Tj\n", p.font, run.Size, x+p.x*wide, w.Baseline-p.y, p.codes)
		x += p.width * wide
	}
	o.content.WriteString("ET\n")
}

// page paints what stands on page n: first what multiplies, then the rest,
// then the signs of notes.
func (o *overlay) page(marks []mark.Mark, points []document.NoteMarker, n int) {
	type laid struct {
		draw.Shape
		of string
	}
	var later []laid
	for _, m := range marks {
		w, filled := m.Body.(*mark.Widget)
		for _, s := range draw.Shapes(m) {
			switch {
			case filled && inField(s, w):
			case s.Multiply:
				o.begin(m.ID)
				o.shape(s)
			default:
				later = append(later, laid{s, m.ID})
			}
		}
	}
	for _, s := range later {
		o.begin(s.of)
		o.shape(s.Shape)
	}
	for _, pt := range points {
		if pt.Page == n {
			o.begin(pt.Key())
			o.point(pt)
		}
	}
}

// sheet turns the content into the user space of page n, which shows itself as b.
func (o *overlay) sheet(n int, b page.Box) composedSheet {
	m := b.ToUser()
	matrix := fmt.Sprintf("%.6g %.6g %.6g %.6g %.6g %.6g cm\n", m.A, m.B, m.C, m.D, m.E, m.F)
	return composedSheet{Page: n, Crop: b.Crop, Content: []byte(matrix + o.content.String()), States: o.states, Runs: o.runs}
}

// state names a graphics state with this opacity and blend mode.
func (o *overlay) state(opacity float64, multiply bool) string {
	g := composedState{Name: ownNames + "A" + strconv.Itoa(int(opacity*100+0.5)), Opacity: opacity, Blend: "Normal"}
	if multiply {
		g.Name, g.Blend = g.Name+"M", "Multiply"
	}
	if !slices.ContainsFunc(o.states, func(s composedState) bool { return s.Name == g.Name }) {
		o.states = append(o.states, g)
	}
	return g.Name
}

func (o *overlay) shape(s draw.Shape) {
	if s.Text != nil {
		o.text(*s.Text)
		return
	}
	if s.Image != nil {
		o.image(*s.Image)
		return
	}
	opacity := s.Opacity
	if opacity == 0 {
		opacity = 1
	}
	fmt.Fprintf(&o.content, "q /%s gs\n", o.state(opacity, s.Multiply))
	o.rubbed(s)
	if s.Fill != "" {
		r, g, b := s.Fill.RGB()
		fmt.Fprintf(&o.content, "%.4g %.4g %.4g rg\n%sf\n", r, g, b, s.Path.PDF())
	}
	if s.Stroke != "" {
		r, g, b := s.Stroke.RGB()
		fmt.Fprintf(&o.content, "%.4g %.4g %.4g RG %.4g w 1 J 1 j\n%sS\n", r, g, b, s.Width, s.Path.PDF())
	}
	o.content.WriteString("Q\n")
}

// rubbed clips away what was rubbed out: for each part of the rubber's way,
// all of the area around the shape but the part (ISO 32000-2, 8.5.4).
func (o *overlay) rubbed(s draw.Shape) {
	if len(s.Rubbed) == 0 {
		return
	}
	around := s.Path.Bounds().Grow(s.Width + 1)
	var all page.Path
	all.Quad(page.QuadOf(around.Grow(1000)))
	for _, r := range s.Rubbed {
		for _, part := range r.Way.Capsules(around) {
			fmt.Fprintf(&o.content, "%s%sW* n\n", all.PDF(), part.PDF())
		}
	}
}

func imageName(i int) string { return ownNames + "P" + strconv.Itoa(i) }

// image paints a picture, if it is at hand. An image fills the unit square,
// which has y upwards.
func (o *overlay) image(p draw.Image) {
	if o.pictures[p.Hash] == nil {
		return
	}
	i := slices.Index(*o.images, p.Hash)
	if i < 0 {
		i = len(*o.images)
		*o.images = append(*o.images, p.Hash)
	}
	r := page.R(p.Rect[0], p.Rect[1], p.Rect[2], p.Rect[3])
	foot := page.Pt(r.Min.X, r.Max.Y).Turned(r.Center(), p.Turn)
	along, up := page.Pt(r.W(), 0).Turned(page.Point{}, p.Turn), page.Pt(0, -r.H()).Turned(page.Point{}, p.Turn)
	fmt.Fprintf(&o.content, "q %.4f %.4f %.4f %.4f %.2f %.2f cm /%s Do Q\n", along.X, along.Y, up.X, up.Y, foot.X, foot.Y, imageName(i))
}

// text paints one line of runs.
func (o *overlay) text(t draw.Text) {
	o.content.WriteString("BT\n")
	// Page space has y downwards, so letters are turned back up.
	along, up := page.Pt(1, 0).Turned(page.Point{}, t.Turn), page.Pt(0, -1).Turned(page.Point{}, t.Turn)
	next := 0.0
	for _, run := range t.Runs {
		x := next
		r, g, b := run.Color.RGB()
		fmt.Fprintf(&o.content, "%.4g %.4g %.4g rg\n", r, g, b)
		reordered := strings.ContainsFunc(run.Text, func(r rune) bool { return unicode.In(r, unicode.Devanagari, unicode.Thai) })
		if reordered { // its signs stand in another order than they are written
			fmt.Fprintf(&o.content, "/Span <</ActualText <FEFF%s>>> BDC\n", utf16Hex(run.Text))
		}
		for _, piece := range o.fonts.pieces(run) {
			at := page.Pt(t.X, t.Y).Add(along.Mul(x + piece.x)).Add(up.Mul(run.Rise + piece.y))
			fmt.Fprintf(&o.content, "/%s %.4g Tf %.5f %.5f %.5f %.5f %.3f %.3f Tm <%s> Tj\n", piece.font, run.Size, along.X, along.Y, up.X, up.Y, at.X, at.Y, piece.codes)
			x += piece.width
		}
		if reordered {
			o.content.WriteString("EMC\n")
		}
		if next += run.Advance; run.Advance == 0 {
			next = x
		}
	}
	o.content.WriteString("ET\n")
}

// point paints the sign of a note: its number in a disc.
func (o *overlay) point(n document.NoteMarker) {
	var disc page.Path
	disc.Circle(n.At, mark.NoteRadius)
	o.shape(draw.Shape{Path: disc, Fill: n.Color})
	label := fmt.Sprint(n.Number)
	const size = 8
	width := typeset.Load().Width(label, size)
	o.text(draw.Text{X: n.At.X - width/2, Y: n.At.Y + 0.36*size, Runs: []draw.Run{{Text: label, Size: size, Color: "#ffffff"}}})
}
