package school

import (
	"bytes"
	"context"
	"crypto/rand"
	"fmt"
	"image"
	"image/draw"
	"image/jpeg"
	_ "image/png" // pages are rendered as either
	"strconv"
	"strings"

	xdraw "golang.org/x/image/draw"

	"readymargin/core/access"
	"readymargin/core/copy"
	"readymargin/core/elsewhere"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/scan"
	"readymargin/pdf"
)

// Brought says what became of a file that was worked on elsewhere.
type Brought struct {
	Pages  int `json:"pages"`  // that were matched
	Places int `json:"places"` // in which something was taken over
}

// elsewhereScale is in how many pixels a point pages are compared and taken over.
const elsewhereScale = 2

// BringElsewhere takes over what was done with another program on a copy's
// sheet. Each page of the file is matched to a page of the sheet; wherever it
// looks different, that piece of it becomes a picture among the student's
// marks, so that nothing on it is lost to sight. A file with a page that is
// none of the sheet's is refused, and nothing is taken over.
func (s *School) BringElsewhere(ctx context.Context, who Person, id uint64, f Upload) (Brought, error) {
	c, err := s.copyFor(ctx, who, id, access.BringBack, copy.Work)
	if err != nil {
		return Brought{}, err
	}
	source, theirs, err := s.takeIn(ctx, f)
	if err != nil {
		return Brought{}, err
	}
	file, err := s.Store.Blob(ctx, source.FileHash)
	if err != nil {
		return Brought{}, err
	}
	sheet, err := s.Store.Blob(ctx, c.Revision.FileHash)
	if err != nil {
		return Brought{}, err
	}
	ours, err := s.Press.Inspect(ctx, sheet)
	if err != nil {
		return Brought{}, err
	}
	mine, err := s.looks(ctx, sheet, ours)
	if err != nil {
		return Brought{}, err
	}
	other, err := s.looks(ctx, file, theirs)
	if err != nil {
		return Brought{}, err
	}
	match := elsewhere.Match(mine.pages, other.pages)
	var strange []string
	for i, n := range match {
		if n == 0 {
			strange = append(strange, fmt.Sprint(i+1))
		}
	}
	if len(strange) > 0 {
		return Brought{}, problem("other sheet", "", strings.Join(strange, ", "))
	}
	out := Brought{Pages: len(match)}
	var ops []copy.Op
	for i, n := range match {
		pieces, err := s.pieces(ctx, who, id, n, ours[n-1], mine.pictures[n-1], other.pictures[i])
		if err != nil {
			return Brought{}, err
		}
		ops = append(ops, pieces...)
	}
	stands, err := s.standing(ctx, who, id, access.BringBack, copy.Work)
	if err != nil {
		return Brought{}, err
	}
	for rest := ops; len(rest) > 0; {
		batch := rest[:min(len(rest), MaxBatch)]
		if _, err := s.save(ctx, who, id, copy.Work, stands, batch); err != nil {
			return Brought{}, err
		}
		rest = rest[len(batch):]
	}
	out.Places = len(ops)
	return out, nil
}

// looked is what pages look like.
type looked struct {
	pages    []elsewhere.Page
	pictures []image.Image
}

func (s *School) looks(ctx context.Context, file []byte, pages []pdf.Page) (out looked, err error) {
	for i, p := range pages {
		pic, err := s.Press.Picture(ctx, file, i+1, elsewhereScale)
		if err != nil {
			return out, err
		}
		m, _, err := image.Decode(bytes.NewReader(pic.Data))
		if err != nil {
			return out, err
		}
		out.pictures = append(out.pictures, m)
		out.pages = append(out.pages, elsewhere.Page{Print: p.Print, Ink: scan.InkOf(scan.GrayOf(m, elsewhereScale)), Width: p.Width, Height: p.Height})
	}
	return out, nil
}

// pieces takes over where a page of the file differs from page n of the sheet.
func (s *School) pieces(ctx context.Context, who Person, id uint64, n int, p pdf.Page, sheet, file image.Image) (ops []copy.Op, err error) {
	size := sheet.Bounds()
	if file.Bounds() != size { // printed on other paper
		same := image.NewRGBA(size)
		xdraw.CatmullRom.Scale(same, size, file, file.Bounds(), draw.Src, nil)
		file = same
	}
	across, down := p.Width/float64(size.Dx()), p.Height/float64(size.Dy())
	for _, r := range elsewhere.Differences(sheet, file) {
		piece := image.NewRGBA(image.Rect(0, 0, r.Dx(), r.Dy()))
		draw.Draw(piece, piece.Bounds(), file, r.Min, draw.Src)
		var b bytes.Buffer
		if err := jpeg.Encode(&b, piece, &jpeg.Options{Quality: 90}); err != nil {
			return nil, err
		}
		hash, err := s.Store.PutBlob(ctx, b.Bytes())
		if err != nil {
			return nil, err
		}
		if err := s.addPicture(ctx, who, id, copy.Work, hash); err != nil {
			return nil, err
		}
		m := mark.Mark{ID: s.newName(), Page: n, Rank: -1, Body: &mark.Picture{Hash: hash, Name: "done elsewhere", Rect: [4]float64{
			page.Round(float64(r.Min.X) * across), page.Round(float64(r.Min.Y) * down), page.Round(float64(r.Max.X) * across), page.Round(float64(r.Max.Y) * down)}}}
		ops = append(ops, copy.Op{ID: s.newName(), On: m.ID, Mark: &m})
	}
	return ops, nil
}

// newName names a mark or an operation, so that names sort by their time as
// those that browsers give.
func (s *School) newName() string {
	return fmt.Sprintf("%09s-%s", strconv.FormatInt(s.Now().UnixMilli(), 36), strings.ToLower(rand.Text()[:12]))
}
