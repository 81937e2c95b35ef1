package store

import (
	"context"
	"errors"

	"gorm.io/gorm"

	"readymargin/school"
)

// Hear counts one more hearing, unless there were most already: two who begin in the
// same moment, on two devices, are counted both.
func (s Copies) Hear(ctx context.Context, h school.Hearing, most int) (times int, ok bool, err error) {
	err = s.inTx(ctx, func(tx *gorm.DB) error {
		if err := tx.Exec("INSERT IGNORE INTO hearings (copy_id, person_id, mark_id) VALUES (?, ?, ?)", h.CopyID, h.PersonID, h.MarkID).Error; err != nil {
			return err
		}
		res := tx.Exec("UPDATE hearings SET times = times + 1, token_hash = ?, until = ? WHERE copy_id = ? AND person_id = ? AND mark_id = ? AND times < ?",
			h.TokenHash, h.Until, h.CopyID, h.PersonID, h.MarkID, most)
		if ok = res.RowsAffected > 0; res.Error != nil {
			return res.Error
		}
		return tx.Raw("SELECT times FROM hearings WHERE copy_id = ? AND person_id = ? AND mark_id = ?", h.CopyID, h.PersonID, h.MarkID).Row().Scan(&times)
	})
	return times, ok, err
}

// ReadWords notes that somebody has had the words of a sound.
func (s Copies) ReadWords(ctx context.Context, copyID, person uint64, mark string) error {
	return s.db.WithContext(ctx).Exec("INSERT INTO hearings (copy_id, person_id, mark_id, words) VALUES (?, ?, ?, TRUE) ON DUPLICATE KEY UPDATE words = TRUE", copyID, person, mark).Error
}

// HearingOf returns the hearing that a token opens.
func (s Copies) HearingOf(ctx context.Context, copyID, person uint64, tokenHash string) (school.Hearing, error) {
	h, err := first[school.Hearing](s.db.WithContext(ctx), "copy_id = ? AND person_id = ? AND token_hash = ?", copyID, person, tokenHash)
	if errors.Is(err, school.ErrNotFound) || tokenHash == "" {
		return h, school.ErrNotFound
	}
	return h, err
}

// hearings are how often the student of a copy has heard sounds of its sheet, as JSON.
const hearings = "(SELECT JSON_OBJECTAGG(h.mark_id, JSON_OBJECT('times', h.times, 'words', IF(h.words, TRUE, FALSE))) FROM hearings h WHERE h.copy_id = copies.id AND h.person_id = ?)"
