package shelf

import (
	"context"
	"errors"

	"readymargin/core/access"
	"readymargin/core/worksheet"
	"readymargin/school"
)

// A RubricStore keeps what teachers judge questions by.
type RubricStore interface {
	// RubricsOf returns somebody's own, by title; Rubric returns one.
	RubricsOf(ctx context.Context, owner uint64) ([]school.Rubric, error)
	Rubric(ctx context.Context, id uint64) (school.Rubric, error)
	// AddRubric adds one; school.ErrTaken says that its owner has one of that title.
	AddRubric(ctx context.Context, r *school.Rubric) error
	DropRubric(ctx context.Context, id uint64) error
}

// Rubrics are kept to be used again. A question has its own copy, which changing
// or dropping what is kept does not touch.
type Rubrics struct {
	store RubricStore
	now   school.Clock
}

// NewRubrics returns the rubrics of a store.
func NewRubrics(store RubricStore, now school.Clock) *Rubrics { return &Rubrics{store, now} }

// mostRubrics is how many somebody keeps.
const mostRubrics = 200

// Own returns those that somebody has kept.
func (s *Rubrics) Own(ctx context.Context, who school.Person) ([]school.Rubric, error) {
	if err := prepares(who); err != nil {
		return nil, err
	}
	return s.store.RubricsOf(ctx, who.ID)
}

// Keep keeps a rubric under a title, one of each.
func (s *Rubrics) Keep(ctx context.Context, who school.Person, title string, body worksheet.Rubric) (school.Rubric, error) {
	own, err := s.Own(ctx, who)
	if err != nil {
		return school.Rubric{}, err
	}
	title, ok := school.OneLine(title, 100)
	switch {
	case !ok || title == "":
		return school.Rubric{}, school.Refuse("title", "title", title)
	case !body.Valid():
		return school.Rubric{}, school.Refuse("rubric", "body", "")
	case len(own) >= mostRubrics:
		return school.Rubric{}, school.Refuse("rubrics", "", "")
	}
	r := school.Rubric{OwnerID: who.ID, Title: title, Body: body, CreatedAt: s.now()}
	err = s.store.AddRubric(ctx, &r)
	if errors.Is(err, school.ErrTaken) {
		err = school.Refuse("rubric title", "title", title)
	}
	return r, err
}

// Drop takes away one that somebody has kept.
func (s *Rubrics) Drop(ctx context.Context, who school.Person, id uint64) error {
	if err := prepares(who); err != nil {
		return err
	}
	r, err := s.store.Rubric(ctx, id)
	if errors.Is(err, school.ErrNotFound) || err == nil && r.OwnerID != who.ID {
		return access.ErrHidden
	}
	if err != nil {
		return err
	}
	return s.store.DropRubric(ctx, id)
}

// prepares says whether somebody may prepare worksheets.
func prepares(who school.Person) error {
	return access.May(access.Person{SignedIn: who.ID != 0, Admin: who.Admin, Owner: who.Staff}, access.MakeCourse, access.Thing{})
}
