package store

import (
	"context"

	"readymargin/school"
)

// RubricRows are what teachers judge questions by.
type RubricRows struct{ *base }

// RubricsOf returns somebody's own, by title.
func (s RubricRows) RubricsOf(ctx context.Context, owner uint64) ([]school.Rubric, error) {
	return all[school.Rubric](s.db.WithContext(ctx).Where("owner_id = ?", owner).Order("title, id"))
}

// Rubric returns one.
func (s RubricRows) Rubric(ctx context.Context, id uint64) (school.Rubric, error) {
	return first[school.Rubric](s.db.WithContext(ctx), "id = ?", id)
}

// AddRubric adds one; ErrTaken says that its owner has one of that title.
func (s RubricRows) AddRubric(ctx context.Context, r *school.Rubric) error {
	return known(s.db.WithContext(ctx).Create(r).Error)
}

// DropRubric takes one away.
func (s RubricRows) DropRubric(ctx context.Context, id uint64) error {
	return s.db.WithContext(ctx).Exec("DELETE FROM rubrics WHERE id = ?", id).Error
}
