package store

import (
	"context"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"readymargin/school"
)

// ReadyRows are what teachers say often.
type ReadyRows struct{ *base }

// ReadyRemarks returns somebody's own and those that are shared in a course, the
// newest last.
func (s ReadyRows) ReadyRemarks(ctx context.Context, owner, course uint64) ([]school.ReadyRemark, error) {
	return all[school.ReadyRemark](s.db.WithContext(ctx).Where("owner_id = ? OR course_id = ?", owner, course).Order("id"))
}

// ReadyRemark returns one.
func (s ReadyRows) ReadyRemark(ctx context.Context, id uint64) (school.ReadyRemark, error) {
	return first[school.ReadyRemark](s.db.WithContext(ctx), "id = ?", id)
}

// KeepReadyRemark adds the one that keep makes when it sees somebody's own, or
// returns it when it is one of these. Nobody else changes them meanwhile.
func (s ReadyRows) KeepReadyRemark(ctx context.Context, owner uint64, keep func(own []school.ReadyRemark) (school.ReadyRemark, error)) (r school.ReadyRemark, err error) {
	err = s.inTx(ctx, func(tx *gorm.DB) error {
		if err := tx.Exec("SELECT id FROM people WHERE id = ? FOR UPDATE", owner).Error; err != nil {
			return err
		}
		own, err := all[school.ReadyRemark](tx.Where("owner_id = ?", owner).Order("id"))
		if err != nil {
			return err
		}
		if r, err = keep(own); err != nil || r.ID != 0 {
			return err
		}
		return tx.Create(&r).Error
	})
	return r, err
}

// DropReadyRemark takes one away, and what it says when nothing else refers to it.
func (s ReadyRows) DropReadyRemark(ctx context.Context, id uint64) error {
	return s.inTx(ctx, func(tx *gorm.DB) error {
		if err := tx.Exec("DELETE FROM ready_remarks WHERE id = ?", id).Error; err != nil {
			return err
		}
		return sweepSoon(tx)
	})
}

// readyUse is a row of ready_uses.
type readyUse struct {
	RemarkID   uint64
	PersonID   uint64
	QuestionID string
	At         time.Time
}

func (readyUse) TableName() string { return "ready_uses" }

// UseReadyRemark notes that somebody has used one at a question.
func (s ReadyRows) UseReadyRemark(ctx context.Context, id, person uint64, question string, at time.Time) error {
	return s.db.WithContext(ctx).Clauses(clause.OnConflict{UpdateAll: true}).Create(&readyUse{id, person, question, at}).Error
}

// ReadyUses returns when somebody has last used remarks, by remark and question.
func (s ReadyRows) ReadyUses(ctx context.Context, person uint64) (map[uint64]map[string]time.Time, error) {
	rows, err := all[readyUse](s.db.WithContext(ctx).Where("person_id = ?", person).Order("at DESC").Limit(2000))
	out := map[uint64]map[string]time.Time{}
	for _, r := range rows {
		if out[r.RemarkID] == nil {
			out[r.RemarkID] = map[string]time.Time{}
		}
		out[r.RemarkID][r.QuestionID] = r.At
	}
	return out, err
}
