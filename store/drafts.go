package store

import (
	"context"

	"gorm.io/gorm"

	"readymargin/school"
)

// DraftRows are what people are typing.
type DraftRows struct{ *base }

// Drafts returns a person's drafts about a thing, the oldest first.
func (s DraftRows) Drafts(ctx context.Context, person uint64, of school.Drafted, id uint64) ([]school.Draft, error) {
	return all[school.Draft](s.db.WithContext(ctx).Where("person_id = ? AND thing = ? AND thing_id = ?", person, of, id).Order("at"))
}

// PutDrafts writes drafts over older ones, and keeps the newest most.
func (s DraftRows) PutDrafts(ctx context.Context, drafts []school.Draft, most int) error {
	return s.inTx(ctx, func(tx *gorm.DB) error {
		for _, d := range drafts {
			if err := putDraft(tx, d); err != nil {
				return err
			}
		}
		// What nobody came back to makes room.
		d := drafts[0]
		return tx.Exec(`DELETE FROM drafts WHERE person_id = ? AND thing = ? AND thing_id = ? AND place NOT IN (
			SELECT place FROM (SELECT place FROM drafts WHERE person_id = ? AND thing = ? AND thing_id = ? ORDER BY at DESC LIMIT ?) AS newest)`,
			d.PersonID, d.Thing, d.ThingID, d.PersonID, d.Thing, d.ThingID, most).Error
	})
}

// putDraft writes a draft over an older one, or takes it away. That a place is
// empty is not kept: an older draft that comes afterwards from another device
// stands there again, which loses nothing.
func putDraft(tx *gorm.DB, d school.Draft) error {
	if d.Body == "" {
		return tx.Exec("DELETE FROM drafts WHERE person_id = ? AND thing = ? AND thing_id = ? AND place = ? AND at <= ?", d.PersonID, d.Thing, d.ThingID, d.Place, d.At).Error
	}
	return tx.Exec(`INSERT INTO drafts (person_id, thing, thing_id, place, body, at) VALUES (?, ?, ?, ?, ?, ?)
		ON DUPLICATE KEY UPDATE body = IF(VALUES(at) >= at, VALUES(body), body), at = GREATEST(at, VALUES(at))`,
		d.PersonID, d.Thing, d.ThingID, d.Place, d.Body, d.At).Error
}
