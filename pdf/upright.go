package pdf

import (
	"bytes"
	"context"
	"image"
	"image/color"
	"image/png"

	xdraw "golang.org/x/image/draw"
	"golang.org/x/image/math/f64"

	"readymargin/core/page"
	"readymargin/core/scan"
)

// Upright returns a page, counted from 1, that leans clockwise by an angle (radians) as a
// grey PNG in which it stands upright, at so many pixels a point.
func (p *Pool) Upright(ctx context.Context, file []byte, page int, lean, scale float64) ([]byte, error) {
	_, b, err := p.do(ctx, job{Do: "upright", Page: page, Scale: scale, Lean: lean}, file)
	return b, err
}

func (d *openDocument) upright(n int, lean, scale float64) ([]byte, error) {
	doc, err := d.open()
	if err != nil {
		return nil, err
	}
	m, done, err := d.render(doc, n, scale, MaxPixels)
	if err != nil {
		return nil, err
	}
	defer done()
	if lean != 0 {
		w, h := m.Bounds().Dx(), m.Bounds().Dy()
		turned := image.NewRGBA(image.Rect(0, 0, w, h))
		xdraw.Draw(turned, turned.Bounds(), image.NewUniform(color.White), image.Point{}, xdraw.Src)
		t := scan.Turn(-lean, page.Pt(float64(w)/2, float64(h)/2))
		xdraw.ApproxBiLinear.Transform(turned, f64.Aff3{t.A, t.C, t.E, t.B, t.D, t.F}, m, m.Bounds(), xdraw.Over, nil)
		m = turned
	}
	g := scan.GrayOf(m, scale)
	var b bytes.Buffer
	err = (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(&b, &image.Gray{Pix: g.Pix, Stride: g.W, Rect: image.Rect(0, 0, g.W, g.H)})
	return b.Bytes(), err
}
