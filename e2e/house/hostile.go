package house

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"mime/multipart"
	"time"

	"codeberg.org/go-pdf/fpdf"
)

// HugePNG returns a small file of a large picture, side pixels each way.
func HugePNG(side int) ([]byte, error) {
	var b bytes.Buffer
	err := png.Encode(&b, image.NewPaletted(image.Rect(0, 0, side, side), color.Palette{color.White, color.Black}))
	return b.Bytes(), err
}

// EmptyPages returns a small file of empty pages of a size in points.
func EmptyPages(n int, wide, high float64) ([]byte, error) {
	f := fpdf.NewCustom(&fpdf.InitType{OrientationStr: "P", UnitStr: "pt", Size: fpdf.SizeType{Wd: wide, Ht: high}})
	for range n {
		f.AddPage()
	}
	var b bytes.Buffer
	err := f.Output(&b)
	return b.Bytes(), err
}

// FileForm returns the body of a form with one file, and its media type.
func FileForm(name string, file []byte) (body []byte, kind string, err error) {
	var b bytes.Buffer
	form := multipart.NewWriter(&b)
	part, err := form.CreateFormFile("file", name)
	if err != nil {
		return nil, "", err
	}
	if _, err := part.Write(file); err != nil {
		return nil, "", err
	}
	err = form.Close()
	return b.Bytes(), form.FormDataContentType(), err
}

// Grown returns by how many bytes the server's own memory grows while do runs.
func (h *House) Grown(do func() error) (int64, error) {
	before, err := h.ServerMemory()
	if err != nil {
		return 0, err
	}
	most := before
	stop, watched := make(chan bool), make(chan bool)
	go func() {
		defer close(watched)
		for {
			select {
			case <-stop:
				return
			case <-time.After(20 * time.Millisecond):
				if now, err := h.ServerMemory(); err == nil {
					most = max(most, now)
				}
			}
		}
	}()
	err = do()
	close(stop)
	<-watched
	return most - before, err
}
