package pdf

import (
	"bytes"
	"image"
	"image/jpeg"

	"github.com/klippa-app/go-pdfium/requests"
	"github.com/makiuchi-d/gozxing"
	"github.com/makiuchi-d/gozxing/qrcode"
	goqrcode "github.com/skip2/go-qrcode"
	xdraw "golang.org/x/image/draw"

	"readymargin/core/document"
	"readymargin/core/draw"
	"readymargin/core/page"
	"readymargin/core/photograph"
)

// paperSide is the longest side of a page of paper as it is kept, in pixels: 200 to the
// inch of A4.
const paperSide = 2340

// paperScale is how many pixels a point of a scanned page is painted: 250 to the inch,
// at which what stands in a scan of 300 is still whole.
const paperScale = 250.0 / 72

// codeLevel is how much of a code may be lost and it is read all the same: some 15 in
// 100 (ISO/IEC 18004, 7.5.1, level M).
const codeLevel = goqrcode.Medium

// bitmap returns the modules of a code, row by row.
func bitmap(says string) ([][]bool, error) {
	c, err := goqrcode.New(says, codeLevel)
	if err != nil {
		return nil, err
	}
	c.DisableBorder = true
	return c.Bitmap(), nil
}

// code paints a code.
func (o *overlay) code(c document.PageCode) error {
	rows, err := bitmap(c.Says)
	if err != nil {
		return err
	}
	var ground, dark page.Path
	ground.Quad(page.QuadOf(c.At.Grow(c.Quiet)))
	side := c.At.W() / float64(len(rows))
	for y, row := range rows {
		for x := 0; x < len(row); x++ {
			from := x
			for x < len(row) && row[x] {
				x++
			}
			if x > from { // one piece a run: between two, a seam would show
				at := c.At.Min.Add(page.Pt(float64(from), float64(y)).Mul(side))
				dark.Quad(page.QuadOf(page.R(at.X, at.Y, at.X+float64(x-from)*side, at.Y+side)))
			}
		}
	}
	o.shape(draw.Shape{Path: ground, Fill: "#ffffff"})
	o.shape(draw.Shape{Path: dark, Fill: "#000000"})
	return nil
}

// paper returns a page of a scan, or a picture, as pixels, and of how many.
func (d *openDocument) paper(n int) (m *image.RGBA, of int, err error) {
	if document.IsPicture(d.file) {
		cfg, _, err := image.DecodeConfig(bytes.NewReader(d.file))
		if err != nil || cfg.Width < 1 || cfg.Height < 1 {
			return nil, 0, document.ErrPicture
		}
		if cfg.Width*cfg.Height > MaxPixels {
			return nil, 0, document.ErrPixels
		}
		m, err = flatten(d.file)
		return m, 1, err
	}
	doc, err := d.open()
	if err != nil {
		return nil, 0, err
	}
	count, err := d.pdf.FPDF_GetPageCount(&requests.FPDF_GetPageCount{Document: doc})
	if err != nil {
		return nil, 0, document.ErrDamaged
	}
	m, done, err := d.render(doc, n, paperScale, MaxPixels)
	if err != nil {
		return nil, 0, err
	}
	defer done()
	out := image.NewRGBA(m.Bounds())
	xdraw.Draw(out, out.Bounds(), image.White, image.Point{}, xdraw.Src)
	xdraw.Draw(out, out.Bounds(), m, m.Bounds().Min, xdraw.Over)
	return out, count.PageCount, nil
}

// codes returns the codes that are seen on a page of a scan, or in a picture: they are
// looked for at its corners, at the corners of the sheet of paper that is seen in it, and
// all over it.
func (d *openDocument) codes(n int) (out []document.Code, of int, err error) {
	m, of, err := d.paper(n)
	if err != nil {
		return nil, 0, err
	}
	look := func(part image.Rectangle) {
		for _, c := range codesIn(m, part) {
			known := false
			for _, k := range out {
				known = known || k.Says == c.Says
			}
			if !known {
				out = append(out, c)
			}
		}
	}
	frame := page.R(float64(m.Rect.Min.X), float64(m.Rect.Min.Y), float64(m.Rect.Max.X), float64(m.Rect.Max.Y))
	corners := []photograph.Quad{{frame.Min, page.Pt(frame.Max.X, frame.Min.Y), frame.Max, page.Pt(frame.Min.X, frame.Max.Y)}}
	if q, ok := photograph.Sheet(m); ok {
		corners = append([]photograph.Quad{q}, corners...)
	}
	for _, q := range corners {
		if len(out) > 1 {
			break
		}
		side := 0.18 * max(q[0].Dist(q[1]), q[1].Dist(q[2])) // a code and what is about it
		for i, at := range q {
			in := at.Add(q[(i+2)%4].Sub(at).Unit().Mul(0.6 * side))
			look(image.Rect(int(in.X-0.7*side), int(in.Y-0.7*side), int(in.X+0.7*side), int(in.Y+0.7*side)).Intersect(m.Rect))
		}
	}
	if len(out) == 0 {
		look(m.Rect)
	}
	return out, of, nil
}

// codesIn reads the code in a part of a picture, at its size and at half of it: what is
// blurred is read better when it is smaller.
func codesIn(m *image.RGBA, part image.Rectangle) []document.Code {
	if part.Dx() < 40 || part.Dy() < 40 {
		return nil
	}
	for _, by := range []int{1, 2} {
		small := image.NewGray(image.Rect(0, 0, part.Dx()/by, part.Dy()/by))
		xdraw.ApproxBiLinear.Scale(small, small.Rect, m, part, xdraw.Src, nil)
		light := gozxing.NewLuminanceSourceFromImage(small)
		for _, binarizer := range []gozxing.Binarizer{gozxing.NewHybridBinarizer(light), gozxing.NewGlobalHistgramBinarizer(light)} {
			bits, err := gozxing.NewBinaryBitmap(binarizer)
			if err != nil {
				continue
			}
			r, err := qrcode.NewQRCodeReader().Decode(bits, map[gozxing.DecodeHintType]any{gozxing.DecodeHintType_TRY_HARDER: true})
			if err != nil || len(r.GetResultPoints()) < 3 {
				continue
			}
			// In the order of the library: lower left, upper left, upper right.
			at := func(i int) page.Point {
				p := r.GetResultPoints()[i]
				return page.Pt(float64(part.Min.X)+p.GetX()*float64(by), float64(part.Min.Y)+p.GetY()*float64(by))
			}
			rows, err := bitmap(r.GetText())
			if err != nil {
				continue
			}
			return []document.Code{{Says: r.GetText(), Modules: len(rows), Finders: [3]page.Point{at(1), at(2), at(0)}}}
		}
	}
	return nil
}

// laid returns a page of a scan, or a picture, as the page of a size in points that it
// shows, in even light, as JPEG.
func (d *openDocument) laid(n int, ties []photograph.Tie, size page.Point) ([]byte, error) {
	m, _, err := d.paper(n)
	if err != nil {
		return nil, err
	}
	q, found := photograph.Sheet(m)
	var seen *image.RGBA
	longest := min(paperSide, max(m.Rect.Dx(), m.Rect.Dy()))
	switch {
	case len(ties) > 0 && found:
		seen = photograph.Laid(m, ties, &q, size, longest)
	case len(ties) > 0:
		seen = photograph.Laid(m, ties, nil, size, longest)
	case found:
		seen = photograph.Above(m, q, longest)
	default:
		seen = image.NewRGBA(image.Rect(0, 0, m.Rect.Dx()*longest/max(m.Rect.Dx(), m.Rect.Dy()), m.Rect.Dy()*longest/max(m.Rect.Dx(), m.Rect.Dy())))
		xdraw.ApproxBiLinear.Scale(seen, seen.Rect, m, m.Rect, xdraw.Src, nil)
	}
	var b bytes.Buffer
	err = jpeg.Encode(&b, photograph.Cleaned(seen), &jpeg.Options{Quality: 85})
	return b.Bytes(), err
}
