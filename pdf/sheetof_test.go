package pdf

import (
	"bytes"
	"context"
	"encoding/binary"
	"hash/crc32"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"testing"

	"readymargin/core/document"
)

// corner is a picture, wider than high, with a red corner at its upper left.
func corner() image.Image {
	m := image.NewRGBA(image.Rect(0, 0, 120, 80))
	for y := range 80 {
		for x := range 120 {
			m.Set(x, y, color.White)
			if x < 40 && y < 30 {
				m.Set(x, y, color.RGBA{R: 255, A: 255})
			}
		}
	}
	return m
}

// oriented writes the picture as a JPEG that says how it is to be turned.
func oriented(o uint16) []byte {
	var b bytes.Buffer
	if err := jpeg.Encode(&b, corner(), nil); err != nil {
		panic(err)
	}
	tiff := []byte{'M', 'M', 0, 42, 0, 0, 0, 8, 0, 1, 1, 18, 0, 3, 0, 0, 0, 1}
	tiff = append(binary.BigEndian.AppendUint16(tiff, o), 0, 0, 0, 0, 0, 0)
	exif := append([]byte("Exif\x00\x00"), tiff...)
	head := binary.BigEndian.AppendUint16([]byte{0xff, 0xd8, 0xff, 0xe1}, uint16(len(exif)+2))
	return append(append(head, exif...), b.Bytes()[2:]...)
}

// A picture becomes a page on which it stands upright. Where the corner ends
// up is what Exif 2.32, 4.6.5.1.6, says of each orientation: it names the side
// that row 0 and column 0 are of.
func TestPicturesBecomePages(t *testing.T) {
	ctx := context.Background()
	var plain bytes.Buffer
	if err := png.Encode(&plain, corner()); err != nil {
		t.Fatal(err)
	}
	type seen struct {
		lying, right, below bool // the page lies; the corner is at the right, below
	}
	for name, c := range map[string]struct {
		file []byte
		want seen
	}{
		"PNG": {plain.Bytes(), seen{true, false, false}},
		"1":   {oriented(1), seen{true, false, false}}, "2": {oriented(2), seen{true, true, false}},
		"3": {oriented(3), seen{true, true, true}}, "4": {oriented(4), seen{true, false, true}},
		"5": {oriented(5), seen{false, false, false}}, "6": {oriented(6), seen{false, true, false}},
		"7": {oriented(7), seen{false, true, true}}, "8": {oriented(8), seen{false, false, true}},
		"no such orientation": {oriented(77), seen{true, false, false}},
	} {
		file, err := pool.SheetOf(ctx, c.file)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		tool(t, "qpdf", "--check", written(t, file))
		m := decoded(t, must(pool.Picture(ctx, file, 1, 0.5)))
		w, h := m.Bounds().Dx(), m.Bounds().Dy()
		sx, sy, n := 0, 0, 0
		all := image.Rectangle{}
		for y := range h {
			for x := range w {
				r, g, b, _ := m.At(x, y).RGBA()
				if r > 0xc000 && g < 0x5000 && b < 0x5000 {
					sx, sy, n = sx+x, sy+y, n+1
					all = all.Union(image.Rect(x, y, x+1, y+1))
				}
			}
		}
		if n == 0 {
			t.Errorf("%s: nothing red", name)
			continue
		}
		// The picture stands at the top of its page: half of its height is the measure.
		height := float64(w) * 80 / 120
		if h > w {
			height = float64(w) * 120 / 80
		}
		got := seen{w > h, sx/n > w/2, float64(sy/n) > height/2}
		if got != c.want {
			t.Errorf("%s: %+v, want %+v", name, got, c.want)
		}
	}
	for name, c := range map[string]struct {
		file []byte
		err  error
	}{
		"a drawing with a script": {[]byte(`<svg xmlns="http://www.w3.org/2000/svg"><script>alert(1)</script></svg>`), document.ErrPicture},
		"cut off":                 {oriented(1)[:900], document.ErrPicture},
		"a huge one":              {huge(), document.ErrPixels},
		"nothing":                 {nil, document.ErrPicture},
	} {
		if _, err := pool.SheetOf(ctx, c.file); err != c.err {
			t.Errorf("%s: %v, want %v", name, err, c.err)
		}
	}
}

// huge is a small PNG that says it has 40,000 by 40,000 pixels.
func huge() []byte {
	var b bytes.Buffer
	if err := png.Encode(&b, image.NewGray(image.Rect(0, 0, 1, 1))); err != nil {
		panic(err)
	}
	out := b.Bytes()
	binary.BigEndian.PutUint32(out[16:], 40000)
	binary.BigEndian.PutUint32(out[20:], 40000)
	// The header's checksum, which decoders look at first (PNG, 5.3).
	binary.BigEndian.PutUint32(out[29:], crc32.ChecksumIEEE(out[12:29]))
	return out
}
