package store

import (
	"context"

	"gorm.io/gorm"

	"readymargin/core/submission"
	"readymargin/school"
)

// States returns the states of a layer that were kept, the oldest first.
func (s Copies) States(ctx context.Context, copyID uint64, layer submission.Layer) ([]school.State, error) {
	return statesOf(s.db.WithContext(ctx), copyID, layer)
}

// States returns the states of a layer that were kept, the oldest first.
func (t copyTx) States(layer submission.Layer) ([]school.State, error) {
	return statesOf(t.tx, t.id, layer)
}

func statesOf(db *gorm.DB, copyID uint64, layer submission.Layer) ([]school.State, error) {
	return all[school.State](db.Where("copy_id = ? AND layer = ?", copyID, layer).Order("number"))
}

// AddState keeps a state of the copy.
func (t copyTx) AddState(state school.State) error { return t.tx.Create(&state).Error }
