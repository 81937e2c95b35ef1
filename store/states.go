package store

import (
	"context"

	"gorm.io/gorm"

	"readymargin/core/submission"
	"readymargin/school"
)

// States returns the states of a layer that were kept, the oldest first.
func (s Copies) States(ctx context.Context, copyID uint64, layer submission.Layer) ([]school.State, error) {
	return all[school.State](s.db.WithContext(ctx).Where("copy_id = ? AND layer = ?", copyID, layer).Order("number"))
}

// KeepState keeps a state, as it is now, as the next one of its layer;
// school.ErrFull says that there are most already.
func (s Copies) KeepState(ctx context.Context, state school.State, most int) (school.State, error) {
	err := s.inTx(ctx, func(tx *gorm.DB) error {
		var id uint64 // two at once come one after the other
		if err := tx.Raw("SELECT id FROM copies WHERE id = ? FOR UPDATE", state.CopyID).Row().Scan(&id); err != nil {
			return err
		}
		if err := tx.Raw("SELECT COUNT(*) + 1 FROM states WHERE copy_id = ? AND layer = ?", state.CopyID, state.Layer).Row().Scan(&state.Number); err != nil {
			return err
		}
		if state.Number > most {
			return school.ErrFull
		}
		seq, err := layerSeq(tx, state.CopyID, state.Layer)
		if err != nil {
			return err
		}
		state.Seq = seq
		return tx.Create(&state).Error
	})
	return state, err
}
