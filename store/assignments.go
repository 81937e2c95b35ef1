package store

import (
	"context"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"readymargin/core/flow"
	"readymargin/school"
)

// Assignments are what is given to courses.
type Assignments struct{ *base }

// AddAssignments adds all or none, each with its handouts.
func (s Assignments) AddAssignments(ctx context.Context, all []*school.Assignment) error {
	return s.inTx(ctx, func(tx *gorm.DB) error {
		for _, a := range all {
			if err := addAssignment(tx, a); err != nil {
				return err
			}
		}
		return nil
	})
}

// addAssignment adds one with its handouts.
func addAssignment(tx *gorm.DB, a *school.Assignment) error {
	a.ID, a.Version = 0, 1
	if err := tx.Create(a).Error; err != nil {
		return err
	}
	return putHandouts(tx, a)
}

func putHandouts(tx *gorm.DB, a *school.Assignment) error {
	for i := range a.Handouts {
		a.Handouts[i].AssignmentID, a.Handouts[i].Number = a.ID, i
	}
	return tx.Create(&a.Handouts).Error
}

// withHandouts fills in the handouts of assignments.
func withHandouts(db *gorm.DB, given []school.Assignment) error {
	if len(given) == 0 {
		return nil
	}
	ids, at := make([]uint64, len(given)), map[uint64]*school.Assignment{}
	for i := range given {
		ids[i], at[given[i].ID] = given[i].ID, &given[i]
	}
	rows, err := all[school.Handout](db.Where("assignment_id IN ?", ids).Order("assignment_id, number"))
	for _, h := range rows {
		at[h.AssignmentID].Handouts = append(at[h.AssignmentID].Handouts, h)
	}
	return err
}

// Assignment returns one with its handouts.
func (s Assignments) Assignment(ctx context.Context, id uint64) (school.Assignment, error) {
	db := s.db.WithContext(ctx)
	a, err := first[school.Assignment](db, "id = ?", id)
	if err != nil {
		return a, err
	}
	one := []school.Assignment{a}
	err = withHandouts(db, one)
	return one[0], err
}

// AssignmentBare returns one without its handouts.
func (s Assignments) AssignmentBare(ctx context.Context, id uint64) (school.Assignment, error) {
	return first[school.Assignment](s.db.WithContext(ctx), "id = ?", id)
}

// ChangeAssignment holds the row while change has it, so that two who change it
// come one after the other. Copies that nobody has begun follow the handouts.
func (s Assignments) ChangeAssignment(ctx context.Context, id uint64, change func(*school.Assignment) error) (a school.Assignment, err error) {
	err = s.inTx(ctx, func(tx *gorm.DB) error {
		locked, err := first[school.Assignment](tx.Clauses(clause.Locking{Strength: "UPDATE"}), "id = ?", id)
		if err != nil {
			return err
		}
		one := []school.Assignment{locked}
		if err := withHandouts(tx, one); err != nil {
			return err
		}
		a = one[0]
		if err := change(&a); err != nil {
			return err
		}
		a.Version++
		if err := tx.Save(&a).Error; err != nil {
			return err
		}
		if err := tx.Where("assignment_id = ?", a.ID).Delete(&school.Handout{}).Error; err != nil {
			return err
		}
		if err := putHandouts(tx, &a); err != nil {
			return err
		}
		return moveUnstarted(tx, a)
	})
	return a, err
}

// moveUnstarted gives every copy that is not started the revision that its
// student gets now.
func moveUnstarted(tx *gorm.DB, a school.Assignment) error {
	type unstarted struct {
		ID, StudentID, RevisionID uint64
		Section                   string
	}
	var copies []unstarted
	if err := tx.Raw(`SELECT c.id, c.owner AS student_id, c.revision_id, COALESCE(m.section, '') AS section
		FROM copies c LEFT JOIN memberships m ON m.course_id = ? AND m.person_id = c.student_id
		WHERE c.assignment_id = ? AND c.state = ?`, a.CourseID, a.ID, flow.NotStarted).Scan(&copies).Error; err != nil {
		return err
	}
	for _, c := range copies {
		want := a.For(c.StudentID, c.Section).RevisionID
		if c.RevisionID == want {
			continue
		}
		if err := tx.Exec("UPDATE copies SET revision_id = ? WHERE id = ? AND state = ?", want, c.ID, flow.NotStarted).Error; err != nil {
			return err
		}
	}
	return nil
}

// AssignmentsOf returns what is assigned in courses by due time, handouts included,
// by two statements however many there are.
func (s Assignments) AssignmentsOf(ctx context.Context, courses ...uint64) ([]school.Assignment, error) {
	db := s.db.WithContext(ctx)
	given, err := all[school.Assignment](db.Where("course_id IN ?", courses).Order("due_at IS NULL, due_at, id"))
	if err != nil {
		return nil, err
	}
	return given, withHandouts(db, given)
}
