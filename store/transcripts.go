package store

import (
	"context"
	"time"

	"gorm.io/gorm"

	"readymargin/school"
)

// Transcripts are what a program hears in recordings on copies.
type Transcripts struct{ *base }

// AskTranscript returns what is heard in a recording on a copy, and has it written down
// where nobody asked for that.
func (s Transcripts) AskTranscript(ctx context.Context, copyID uint64, sound string, now time.Time) (w school.Transcript, err error) {
	err = s.inTx(ctx, func(tx *gorm.DB) error {
		res := tx.Exec("INSERT IGNORE INTO transcripts (copy_id, sound, text, asked_at) VALUES (?, ?, '', ?)", copyID, sound, now.UTC())
		if res.Error != nil {
			return res.Error
		}
		if w, err = first[school.Transcript](tx, "copy_id = ? AND sound = ?", copyID, sound); err != nil || res.RowsAffected == 0 {
			return err
		}
		return addJob(tx, school.JobTranscribe, w.ID, now)
	})
	return w, err
}

// Transcript returns what was asked for by its number.
func (s Transcripts) Transcript(ctx context.Context, id uint64) (school.Transcript, error) {
	return first[school.Transcript](s.db.WithContext(ctx), "id = ?", id)
}

// SetTranscript says what is heard, or why nothing could be.
func (s Transcripts) SetTranscript(ctx context.Context, id uint64, text, problem string) error {
	return s.db.WithContext(ctx).Exec("UPDATE transcripts SET done = TRUE, text = ?, problem = ? WHERE id = ?", text, problem, id).Error
}

// DropTranscript forgets what is heard in a recording: it is written down anew when it
// is asked for again.
func (s Transcripts) DropTranscript(ctx context.Context, id uint64) error {
	return s.db.WithContext(ctx).Exec("DELETE FROM transcripts WHERE id = ?", id).Error
}
