package pdf

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"math"

	"readymargin/core/document"

	"github.com/klippa-app/go-pdfium/enums"
	"github.com/klippa-app/go-pdfium/references"
	"github.com/klippa-app/go-pdfium/requests"
)

// picture renders a page of the file in hand, packed by encode or lossless.
func (d *openDocument) picture(number int, scale float64, packed func(*image.RGBA) (kind string, data []byte, err error)) (kind string, data []byte, err error) {
	doc, err := d.open()
	if err != nil {
		return "", nil, err
	}
	m, done, err := d.render(doc, number, scale, MaxPixels)
	if err != nil {
		return "", nil, err
	}
	defer done()
	return packed(m)
}

// render paints a page, counted from 1, at so many pixels a point, or smaller
// where it would have more than most; done gives its memory back.
func (d *openDocument) render(doc references.FPDF_DOCUMENT, number int, scale, most float64) (m *image.RGBA, done func(), err error) {
	size, err := d.pdf.FPDF_GetPageSizeByIndex(&requests.FPDF_GetPageSizeByIndex{Document: doc, Index: number - 1})
	if err != nil {
		return nil, nil, document.ErrNoPage
	}
	w, h := int(math.Ceil(size.Width*scale)), int(math.Ceil(size.Height*scale))
	if float64(w)*float64(h) > most {
		shrink := math.Sqrt(most / (float64(w) * float64(h)))
		w, h = int(float64(w)*shrink), int(float64(h)*shrink)
	}
	return d.paint(doc, number, max(w, 1), max(h, 1))
}

// paint paints a page so many pixels wide and high.
func (d *openDocument) paint(doc references.FPDF_DOCUMENT, number, w, h int) (m *image.RGBA, done func(), err error) {
	res, err := d.pdf.RenderPageInPixels(&requests.RenderPageInPixels{
		Page:  requests.Page{ByIndex: &requests.PageByIndex{Document: doc, Index: number - 1}},
		Width: w, Height: h, RenderFlags: enums.FPDF_RENDER_FLAG_ANNOT, RenderForm: true, Document: &doc,
	})
	if err != nil {
		return nil, nil, fmt.Errorf("%w: %v", document.ErrDamaged, err)
	}
	rgba, ok := res.Result.RenderedImage.(*image.RGBA)
	if !ok {
		res.CleanupFunc()
		return nil, nil, fmt.Errorf("pdf: rendered as %T", res.Result.RenderedImage)
	}
	return rgba, res.CleanupFunc, nil
}

// How rough a JPEG is, of 100.
const (
	usual   = 85
	lighter = 40
)

// encode packs a page for the screen. One with photographs, and one that was scanned,
// becomes a JPEG; one of few colours, as typeset pages are, a palette PNG, which is
// small and exact.
//
// Light is for slow lines: what is a JPEG is kept more roughly.
func encode(m *image.RGBA, light bool) (kind string, data []byte, err error) {
	var b bytes.Buffer
	if photographic(m) {
		quality := usual
		if light {
			quality = lighter
		}
		err = jpeg.Encode(&b, m, &jpeg.Options{Quality: quality})
		return "image/jpeg", b.Bytes(), err
	}
	return lossless(m)
}

// lossless packs a picture as PNG, in a palette where its colours are few.
func lossless(m *image.RGBA) (kind string, data []byte, err error) {
	var b bytes.Buffer
	fast := png.Encoder{CompressionLevel: png.BestSpeed}
	if few := palette(m); few != nil {
		err = fast.Encode(&b, few)
		return "image/png", b.Bytes(), err
	}
	for i := 3; i < len(m.Pix); i += 4 {
		m.Pix[i] = 255
	}
	err = fast.Encode(&b, m)
	return "image/png", b.Bytes(), err
}

// palette returns m in at most 256 colours without loss, or nil.
func palette(m *image.RGBA) *image.Paletted {
	w, h := m.Bounds().Dx(), m.Bounds().Dy()
	out := &image.Paletted{Pix: make([]uint8, w*h), Stride: w, Rect: image.Rect(0, 0, w, h)}
	index := map[uint32]uint8{}
	var last uint32
	var lastIndex uint8
	first := true
	for y := range h {
		row := m.Pix[y*m.Stride : y*m.Stride+4*w]
		for x := range w {
			p := row[4*x : 4*x+4]
			c := uint32(p[0])<<16 | uint32(p[1])<<8 | uint32(p[2])
			if c != last || first {
				i, known := index[c]
				if !known {
					if len(index) == 256 {
						return nil
					}
					i = uint8(len(index))
					index[c] = i
					out.Palette = append(out.Palette, color.RGBA{p[0], p[1], p[2], 255})
				}
				last, lastIndex, first = c, i, false
			}
			out.Pix[y*w+x] = lastIndex
		}
	}
	return out
}

// photographic reports whether colours change from pixel to pixel over much
// of the picture, where JPEG is small and PNG is not.
func photographic(m *image.RGBA) bool {
	changes, looked := 0, 0
	w, h := m.Bounds().Dx(), m.Bounds().Dy()
	for y := 0; y < h; y += 7 {
		for x := 1; x < w; x++ {
			a, b := m.Pix[y*m.Stride+4*x-4:], m.Pix[y*m.Stride+4*x:]
			looked++
			if a[0] != b[0] || a[1] != b[1] || a[2] != b[2] {
				changes++
			}
		}
	}
	return changes*4 > looked
}
