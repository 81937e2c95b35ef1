package intake

import (
	"bytes"
	"context"
	"encoding/json"
	"image/jpeg"
	"time"

	"readymargin/core/document"
	"readymargin/core/mark"
	"readymargin/core/recording"
	"readymargin/core/trail"
	"readymargin/core/worksheet"
)

// shelfSide is the longest side of a picture on the shelf, in pixels.
const shelfSide = 1600

// PictureType is the media type of every picture that was taken in.
const PictureType = "image/jpeg"

// The most pixels of a picture that somebody brings: what a telephone takes,
// and for teachers what a scanner does.
const (
	StudentPixels = 26_000_000
	StaffPixels   = 40_000_000
)

// Picture keeps a picture that somebody brought, painted anew, so that nothing
// else of the file goes to others.
func (s *Intake) Picture(ctx context.Context, f Upload, pixels int) (worksheet.Picture, error) {
	var err error
	if f.Data, err = s.Developed(ctx, f.Data); err != nil {
		return worksheet.Picture{}, err
	}
	if !document.IsPicture(f.Data) {
		return worksheet.Picture{}, document.ErrPicture
	}
	data, err := s.engine.Repaint(ctx, f.Data, document.Painting{Side: shelfSide, Pixels: pixels, Sheet: f.Sheet})
	if err != nil {
		return worksheet.Picture{}, err
	}
	size, err := jpeg.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return worksheet.Picture{}, document.ErrPicture
	}
	hash, err := s.store.PutBlob(ctx, data)
	return worksheet.Picture{Name: Title(f.Name), Hash: hash, Width: float64(size.Width), Height: float64(size.Height)}, err
}

// A Recorded is what came from a microphone, and the part of it that is to be kept.
type Recorded struct {
	Data  []byte
	Trail []byte // what was shown meanwhile, a core/trail; nothing for none
	Cut   recording.Cut
}

// Recording keeps a recording of at most so long; peaks is JSON.
func (s *Intake) Recording(ctx context.Context, r Recorded, most time.Duration) (v mark.Voice, peaks string, err error) {
	clip, err := s.transcoder.Normalise(ctx, r.Data, most, r.Cut)
	if err != nil {
		return v, "", err
	}
	v = mark.Voice{Milliseconds: clip.Milliseconds, Peaks: clip.Peaks}
	if len(r.Trail) > 0 {
		whole := r.Cut.From + time.Duration(clip.Milliseconds)*time.Millisecond
		shown, err := trail.Parse(r.Trail, whole)
		if err != nil {
			return v, "", err
		}
		if v.Trail, err = s.store.PutBlob(ctx, shown.Cut(r.Cut.From, whole).Bytes()); err != nil {
			return v, "", err
		}
	}
	if v.Sound, err = s.store.PutBlob(ctx, clip.Data); err != nil {
		return v, "", err
	}
	b, err := json.Marshal(clip.Peaks)
	return v, string(b), err
}
