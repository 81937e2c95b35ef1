package work

import (
	"context"
	"errors"
	"io"
	"slices"
	"strings"
	"time"

	"readymargin/core/access"
	"readymargin/core/mark"
	"readymargin/core/recording"
	"readymargin/core/submission"
	"readymargin/core/trail"
	"readymargin/core/worksheet"
	"readymargin/school"
	"readymargin/school/intake"
	"readymargin/school/shelf"
)

// Attachments are the sounds and pictures that marks on a copy show.
type Attachments struct {
	store  AttachmentStore
	gate   *school.Gate
	intake *intake.Intake
}

// NewAttachments returns the enclosures of a store.
func NewAttachments(store AttachmentStore, gate *school.Gate, in *intake.Intake) *Attachments {
	return &Attachments{store, gate, in}
}

// MaxEnclosures bounds the sounds and pictures that are brought to one copy.
const MaxAttachments = 1000

// AddVoice takes a recording in for a note in one of the person's layers.
func (s *Attachments) AddVoice(ctx context.Context, who school.Person, id uint64, layer submission.Layer, recorded intake.Recorded) (mark.Voice, error) {
	c, err := s.gate.Copy(ctx, who, id, access.WriteLayer, layer)
	if err != nil {
		return mark.Voice{}, err
	}
	if err := s.room(ctx, id); err != nil {
		return mark.Voice{}, err
	}
	v, peaks, err := s.intake.Recording(ctx, recorded, time.Duration(c.Course.VoiceSeconds)*time.Second)
	if err == nil && v.Trail != "" {
		err = s.store.AddCopyAttachment(ctx, school.CopyAttachment{Hash: v.Trail, CopyID: id, Layer: layer, PersonID: who.ID, MediaType: trail.Media, Peaks: "[]"})
	}
	if err != nil {
		return v, err
	}
	return v, s.store.AddCopyAttachment(ctx, school.CopyAttachment{Hash: v.Sound, CopyID: id, Layer: layer, PersonID: who.ID, MediaType: recording.MediaType, Milliseconds: v.Milliseconds, Peaks: peaks})
}

// AddPicture takes a picture in for marks in one of the person's layers.
func (s *Attachments) AddPicture(ctx context.Context, who school.Person, id uint64, layer submission.Layer, f intake.Upload) (worksheet.Picture, error) {
	c, err := s.gate.Copy(ctx, who, id, access.WriteLayer, layer)
	if err != nil {
		return worksheet.Picture{}, err
	}
	if err := s.room(ctx, id); err != nil {
		return worksheet.Picture{}, err
	}
	pixels := intake.StudentPixels
	if !c.Role.Learns() {
		pixels = intake.StaffPixels
	}
	pic, err := s.intake.Picture(ctx, f, pixels)
	if err != nil {
		return pic, err
	}
	return pic, s.addPicture(ctx, who, id, layer, pic.Hash)
}

// room says whether a copy takes a further sound or picture.
func (s *Attachments) room(ctx context.Context, id uint64) error {
	there, err := s.store.CopyAttachments(ctx, id)
	if err == nil && len(there) >= MaxAttachments {
		err = school.Refuse("full", "", "")
	}
	return err
}

// addPicture notes that a picture is for marks of a layer.
func (s *Attachments) addPicture(ctx context.Context, who school.Person, id uint64, layer submission.Layer, hash string) error {
	return s.store.AddCopyAttachment(ctx, school.CopyAttachment{Hash: hash, CopyID: id, Layer: layer, PersonID: who.ID, MediaType: intake.PictureType, Peaks: "[]"})
}

// AddPictureFrom takes a picture of another copy in, where the person sees it.
func (s *Attachments) AddPictureFrom(ctx context.Context, who school.Person, id uint64, layer submission.Layer, from uint64, hash string) error {
	if _, err := s.gate.Copy(ctx, who, id, access.WriteLayer, layer); err != nil {
		return err
	}
	e, err := s.Attachment(ctx, who, from, hash)
	if err != nil {
		return err
	}
	e.Close()
	if e.Type != intake.PictureType {
		return access.ErrHidden
	}
	return s.addPicture(ctx, who, id, layer, strings.ToLower(hash))
}

// Attachment returns a recording or a picture of a copy to somebody who may know
// it: who may read the layer that it was made in; teachers once the work was
// submitted; the student once the feedback was returned.
func (s *Attachments) Attachment(ctx context.Context, who school.Person, id uint64, hash string) (school.Media, error) {
	c, err := s.gate.Copy(ctx, who, id, access.SeeReturned, "")
	if err != nil {
		return school.Media{}, err
	}
	all, err := s.store.CopyAttachments(ctx, id)
	if err != nil {
		return school.Media{}, err
	}
	for _, e := range all {
		if e.Hash != strings.ToLower(hash) {
			continue
		}
		open := s.gate.May(who, c, access.ReadLayer, e.Layer) == nil
		if !open {
			if open, err = s.released(ctx, who, c, e); err != nil {
				return school.Media{}, err
			}
		}
		if open {
			return school.Open(ctx, s.store, e.Hash, e.MediaType)
		}
	}
	return school.Media{}, access.ErrHidden
}

// released reports whether an enclosure was handed over: by the student with
// an attempt or a question, by the teacher with what was returned.
func (s *Attachments) released(ctx context.Context, who school.Person, c school.CopyInCourse, e school.CopyAttachment) (bool, error) {
	if c.Asked && !c.Role.Learns() {
		asked, err := s.store.QuestionsOf(ctx, c.ID)
		if err != nil {
			return false, err
		}
		for _, q := range asked {
			if q.Patch != nil && slices.Contains(submission.Enclosed(append(q.Patch, *q.Asks)), e.Hash) {
				return true, nil
			}
		}
	}
	attempts, err := s.store.Attempts(ctx, c.ID)
	if err != nil {
		return false, err
	}
	for i, a := range attempts {
		switch {
		case e.Layer == submission.Work && !c.Role.Learns():
			snap, err := school.ReadSnapshot(ctx, s.store, &attempts[i])
			if err != nil || slices.Contains(snap.Enclosed, e.Hash) {
				return err == nil, err
			}
		case a.Number == e.Layer.Attempt() && a.ReturnedAt != nil:
			r, err := school.ReadReturned(ctx, s.store, a)
			return slices.Contains(submission.Enclosed(r.Bare()), e.Hash), err
		}
	}
	return false, nil
}

// Pictures returns the pictures that marks on a copy show, by hash: of the
// worksheet's shelf, or brought to the copy.
func (s *Attachments) Pictures(ctx context.Context, revisions *shelf.Revisions, who school.Person, id, worksheet uint64, marks []mark.Mark) (map[string][]byte, error) {
	out := map[string][]byte{}
	for _, m := range marks {
		pic, ok := m.Body.(*mark.Picture)
		if !ok || out[pic.Hash] != nil {
			continue
		}
		e, err := revisions.Attachment(ctx, worksheet, pic.Hash)
		if errors.Is(err, access.ErrHidden) {
			e, err = s.Attachment(ctx, who, id, pic.Hash)
		}
		if errors.Is(err, access.ErrHidden) {
			continue
		}
		if err != nil {
			return nil, err
		}
		if e.Type == intake.PictureType {
			out[pic.Hash], err = io.ReadAll(e)
		}
		if err := errors.Join(err, e.Close()); err != nil {
			return nil, err
		}
	}
	return out, nil
}
