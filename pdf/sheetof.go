package pdf

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"image/jpeg"
	_ "image/png" // what is read
	"io"

	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/types"
	xdraw "golang.org/x/image/draw"
	"golang.org/x/image/math/f64"
	_ "golang.org/x/image/webp"

	"readymargin/core/document"
	"readymargin/core/page"
	"readymargin/core/photograph"
)

// around is the free paper around a picture, in points.
const around = 18

// sheetSide is the longest side of a sheet that was photographed, in pixels: 200 to
// the inch of A4.
const sheetSide = 2340

// sheetOf makes a PDF of one A4 page, upright or lying as the picture is, that
// shows a PNG, JPEG or WebP picture as large as it fits. A JPEG goes in as it
// is; its orientation (Exif) becomes a matrix. Where the picture is a photograph of a
// sheet of paper, a page comes before it that shows the sheet alone, as seen from
// straight above and in even light.
func sheetOf(file []byte) ([]byte, error) {
	cfg, kind, err := image.DecodeConfig(bytes.NewReader(file))
	if err != nil || cfg.Width < 1 || cfg.Height < 1 {
		return nil, document.ErrPicture
	}
	if cfg.Width*cfg.Height > MaxPixels {
		return nil, document.ErrPixels
	}
	flat, err := flatten(file)
	if err != nil {
		return nil, err // such as one cut off in its middle
	}
	taken := sheetPicture{data: file, w: cfg.Width, h: cfg.Height, gray: cfg.ColorModel == color.GrayModel, turned: 1, free: around}
	if kind == "jpeg" {
		taken.turned = orientation(file)
	}
	if kind != "jpeg" || cfg.ColorModel == color.CMYKModel {
		var out bytes.Buffer
		if err := jpeg.Encode(&out, flat, &jpeg.Options{Quality: 92}); err != nil {
			return nil, err
		}
		taken.data, taken.gray = out.Bytes(), false
	}
	pictures := []sheetPicture{taken}
	if q, ok := photograph.Sheet(flat); ok {
		seen := photograph.Cleaned(photograph.Above(flat, q.Seen(uprightIn(cfg.Width, cfg.Height, taken.turned)), sheetSide))
		var out bytes.Buffer
		if err := jpeg.Encode(&out, seen, &jpeg.Options{Quality: 88}); err != nil {
			return nil, err
		}
		pictures = []sheetPicture{{data: out.Bytes(), w: seen.Bounds().Dx(), h: seen.Bounds().Dy(), turned: 1}, taken}
	}
	b := &assembly{}
	catalog, tree := b.reserve(), b.reserve()
	var kids types.Array
	for _, p := range pictures {
		kids = append(kids, p.lay(b, tree))
	}
	b.put(tree, types.Dict{"Type": types.Name("Pages"), "Kids": kids, "Count": types.Integer(len(kids))})
	b.put(catalog, types.Dict{"Type": types.Name("Catalog"), "Pages": tree})
	return b.file(catalog), nil
}

// A sheetPicture is a JPEG that becomes a page.
type sheetPicture struct {
	data   []byte
	w, h   int
	gray   bool
	turned int     // as Exif says
	free   float64 // paper about it, in points
}

// lay adds a page with the picture.
func (p sheetPicture) lay(b *assembly, tree types.IndirectRef) types.IndirectRef {
	w, h := float64(p.w), float64(p.h)
	if p.turned > 4 {
		w, h = h, w
	}
	paper := page.R(0, 0, document.A4.Max.X, document.A4.Max.Y)
	if w > h {
		paper = page.R(0, 0, document.A4.Max.Y, document.A4.Max.X)
	}
	scale := min((paper.W()-2*p.free)/w, (paper.H()-2*p.free)/h)
	w, h = w*scale, h*scale
	place := upright[p.turned].Then(page.Matrix{A: w, D: h, E: (paper.W() - w) / 2, F: paper.H() - p.free - h})
	space := "DeviceRGB"
	if p.gray {
		space = "DeviceGray"
	}
	picture := b.add(types.StreamDict{Raw: p.data, Dict: types.Dict{
		"Type": types.Name("XObject"), "Subtype": types.Name("Image"), "Width": types.Integer(p.w), "Height": types.Integer(p.h),
		"ColorSpace": types.Name(space), "BitsPerComponent": types.Integer(8), "Filter": types.Name("DCTDecode"), "Length": types.Integer(len(p.data)),
	}})
	content := fmt.Sprintf("q %.4f %.4f %.4f %.4f %.4f %.4f cm /Picture Do Q", place.A, place.B, place.C, place.D, place.E, place.F)
	stream := b.add(types.StreamDict{Raw: []byte(content), Dict: types.Dict{"Length": types.Integer(len(content))}})
	return b.add(types.Dict{
		"Type": types.Name("Page"), "Parent": tree, "MediaBox": types.NewNumberArray(0, 0, paper.Max.X, paper.Max.Y), "Contents": stream,
		"Resources": types.Dict{"XObject": types.Dict{"Picture": picture}},
	})
}

// uprightIn is the matrix that sets a picture upright, in pixels with y downwards.
func uprightIn(width, height, turned int) page.Matrix {
	w, h := float64(width), float64(height)
	return page.Matrix{A: 1 / w, D: -1 / h, F: 1}.Then(upright[turned]).Then(page.Matrix{A: w, D: -h, F: h})
}

// flatten decodes a picture and lays it on white.
func flatten(file []byte) (*image.RGBA, error) {
	m, _, err := image.Decode(bytes.NewReader(file))
	if err != nil {
		return nil, document.ErrPicture
	}
	flat := image.NewRGBA(image.Rect(0, 0, m.Bounds().Dx(), m.Bounds().Dy()))
	draw.Draw(flat, flat.Bounds(), image.White, image.Point{}, draw.Src)
	draw.Draw(flat, flat.Bounds(), m, m.Bounds().Min, draw.Over)
	return flat, nil
}

// repaint paints a picture anew as a JPEG on white, upright, and at most so
// many pixels long, so that nothing else of the file is left.
func repaint(file []byte, how document.Painting) ([]byte, error) {
	cfg, _, err := image.DecodeConfig(bytes.NewReader(file))
	if err != nil || cfg.Width < 1 || cfg.Height < 1 {
		return nil, document.ErrPicture
	}
	if cfg.Width*cfg.Height > min(how.Pixels, MaxPixels) {
		return nil, document.ErrPixels
	}
	flat, err := flatten(file)
	if err != nil {
		return nil, err
	}
	w, h := float64(cfg.Width), float64(cfg.Height)
	turned := orientation(file)
	var b bytes.Buffer
	if how.Sheet {
		if q, ok := photograph.Sheet(flat); ok {
			seen := photograph.Cleaned(photograph.Above(flat, q.Seen(uprightIn(cfg.Width, cfg.Height, turned)), how.Side))
			err := jpeg.Encode(&b, seen, &jpeg.Options{Quality: 88})
			return b.Bytes(), err
		}
	}
	scale := min(1, float64(how.Side)/max(w, h))
	dw, dh := w*scale, h*scale
	if turned > 4 {
		dw, dh = dh, dw
	}
	out := image.NewRGBA(image.Rect(0, 0, max(int(dw+0.5), 1), max(int(dh+0.5), 1)))
	// From pixels of the picture to pixels of the new one, both with y
	// downwards, by way of the unit square, which has y upwards.
	m := page.Matrix{A: 1 / w, D: -1 / h, F: 1}.Then(upright[turned]).Then(page.Matrix{A: dw, D: -dh, F: dh})
	xdraw.CatmullRom.Transform(out, f64.Aff3{m.A, m.C, m.E, m.B, m.D, m.F}, flat, flat.Bounds(), xdraw.Src, nil)
	err = jpeg.Encode(&b, out, &jpeg.Options{Quality: 88})
	return b.Bytes(), err
}

// upright are the matrices that set a picture of each orientation (Exif 2.32,
// 4.6.5.1.6) upright in the unit square, which has y upwards.
var upright = map[int]page.Matrix{
	1: {A: 1, D: 1},
	2: {A: -1, D: 1, E: 1},
	3: {A: -1, D: -1, E: 1, F: 1},
	4: {A: 1, D: -1, F: 1},
	5: {B: -1, C: -1, E: 1, F: 1},
	6: {B: -1, C: 1, F: 1},
	7: {B: 1, C: 1},
	8: {B: 1, C: -1, E: 1},
}

// orientation returns how a JPEG is to be turned, 1 when it does not say: the
// tag 274 of the first directory in its Exif segment (TIFF 6.0, section 2).
func orientation(file []byte) int {
	r := bytes.NewReader(file[min(2, len(file)):])
	for {
		var head [4]byte
		if _, err := io.ReadFull(r, head[:]); err != nil || head[0] != 0xff || head[1] == 0xda {
			return 1
		}
		body := make([]byte, max(int(binary.BigEndian.Uint16(head[2:]))-2, 0))
		if _, err := io.ReadFull(r, body); err != nil {
			return 1
		}
		if head[1] != 0xe1 || !bytes.HasPrefix(body, []byte("Exif\x00\x00")) {
			continue
		}
		if o := tag274(body[6:]); upright[o] != (page.Matrix{}) {
			return o
		}
		return 1
	}
}

func tag274(tiff []byte) int {
	if len(tiff) < 8 {
		return 1
	}
	var order binary.ByteOrder = binary.LittleEndian
	if tiff[0] == 'M' {
		order = binary.BigEndian
	}
	at := int(order.Uint32(tiff[4:]))
	if at < 0 || at+2 > len(tiff) {
		return 1
	}
	n := int(order.Uint16(tiff[at:]))
	for i := range n {
		e := at + 2 + 12*i
		if e+12 > len(tiff) {
			return 1
		}
		if order.Uint16(tiff[e:]) == 274 {
			return int(order.Uint16(tiff[e+8:]))
		}
	}
	return 1
}
