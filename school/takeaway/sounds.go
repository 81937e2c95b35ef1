package takeaway

import (
	"context"
	"errors"
	"fmt"
	"io"

	"readymargin/core/access"
	"readymargin/core/caption"
	"readymargin/core/document"
	"readymargin/core/mark"
	"readymargin/core/note"
	"readymargin/core/page"
	"readymargin/school"
)

// mostSound bounds what is attached to one file, in bytes as it is kept: what is more
// can be heard on the copy itself.
const mostSound = 48 << 20

// captions is the media type of what is said in a sound, in step with it.
const captions = "text/vtt"

// spoken returns what was said aloud on a copy as files to go along, at their notes.
func (s *Exports) spoken(ctx context.Context, who school.Person, id, worksheet uint64, threads []note.Thread, whole []note.Remark) (out []document.Attached, err error) {
	left := mostSound
	add := func(name string, page int, at page.Point, r note.Remark) error {
		if r.Voice == nil || r.Voice.Times > 0 { // what is counted is heard in the house alone
			return nil
		}
		kept, err := s.sound(ctx, who, id, worksheet, r.Voice)
		if err != nil || kept == nil || len(kept) > left {
			return err
		}
		left -= len(kept)
		data, err := s.sounds.M4A(ctx, kept)
		if err != nil {
			return err
		}
		says := fmt.Sprintf("%s, spoken by %s", name, r.Author)
		if r.Text != "" {
			says += ": " + school.Plainly(r.Text, r.Rich)
		}
		out = append(out, document.Attached{Name: school.FileName(fmt.Sprintf("%s, %s.m4a", name, r.Author)), Type: "audio/mp4", Says: says, Page: page, At: at, By: r.Author, When: r.At, Data: data})
		if r.Text == "" {
			return nil
		}
		out = append(out, document.Attached{Name: school.FileName(fmt.Sprintf("%s, %s.vtt", name, r.Author)), Type: captions, Says: "Captions of " + name, By: r.Author, When: r.At,
			Data: []byte(caption.VTT(caption.Cues(school.Plainly(r.Text, r.Rich), r.Voice.Peaks, r.Voice.Milliseconds)))})
		return nil
	}
	for i, r := range whole {
		if err := add(fmt.Sprintf("whole copy %d", i+1), 0, page.Point{}, r); err != nil {
			return nil, err
		}
	}
	for _, t := range threads {
		for i, r := range t.Remarks {
			name, number := fmt.Sprintf("note %02d", t.Number), t.Page
			if i > 0 {
				name, number = fmt.Sprintf("%s, answer %d", name, i), 0
			}
			if err := add(name, number, page.Pt(t.Place[0], t.Place[1]), r); err != nil {
				return nil, err
			}
		}
	}
	return out, nil
}

// sound returns what was recorded, of a copy or of its sheet; nothing where it is not
// theirs to have.
func (s *Exports) sound(ctx context.Context, who school.Person, id, worksheet uint64, v *mark.Voice) ([]byte, error) {
	e, err := s.attachments.Attachment(ctx, who, id, v.Sound)
	if errors.Is(err, access.ErrHidden) {
		e, err = s.revisions.Attachment(ctx, worksheet, v.Sound)
	}
	if errors.Is(err, access.ErrHidden) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	b, err := io.ReadAll(e)
	return b, errors.Join(err, e.Close())
}
