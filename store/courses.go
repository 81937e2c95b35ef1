package store

import (
	"context"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"readymargin/core/access"
	"readymargin/school"
)

// Courses are classes and their members.
type Courses struct{ *base }

// AddCourse adds a course with its teacher; ErrTaken says that the join code is.
func (s Courses) AddCourse(ctx context.Context, c *school.Course, teacher uint64) error {
	return known(s.inTx(ctx, func(tx *gorm.DB) error { return addCourse(tx, c, teacher) }))
}

func addCourse(tx *gorm.DB, c *school.Course, teacher uint64) error {
	c.ID, c.Version = 0, 1
	if err := tx.Create(c).Error; err != nil {
		return err
	}
	return tx.Create(&school.Membership{CourseID: c.ID, PersonID: teacher, Role: access.Teacher, Seen: true, JoinedAt: c.CreatedAt}).Error
}

// CourseByCode returns the course that a join code opens.
func (s Courses) CourseByCode(ctx context.Context, code string) (school.Course, error) {
	return first[school.Course](s.db.WithContext(ctx), "join_code = ?", code)
}

// ChangeCourse holds the row while change has it, so that two who change it come
// one after the other.
func (s Courses) ChangeCourse(ctx context.Context, id uint64, change func(*school.Course) error) (c school.Course, err error) {
	err = s.inTx(ctx, func(tx *gorm.DB) error {
		if c, err = first[school.Course](tx.Clauses(clause.Locking{Strength: "UPDATE"}), "id = ?", id); err != nil {
			return err
		}
		if err := change(&c); err != nil {
			return err
		}
		c.Version++
		return tx.Save(&c).Error
	})
	return c, known(err)
}

// ArchiveCourse says of a course and all its assignments since when they are put away.
func (s Courses) ArchiveCourse(ctx context.Context, id uint64, at *time.Time) error {
	return s.inTx(ctx, func(tx *gorm.DB) error {
		if err := tx.Exec("UPDATE courses SET archived_at = ?, version = version + 1 WHERE id = ?", at, id).Error; err != nil {
			return err
		}
		return tx.Exec("UPDATE assignments SET archived_at = ?, version = version + 1 WHERE course_id = ?", at, id).Error
	})
}

// AddCourseWith adds a course with its teacher, what is assigned in it and the ready
// remarks that are shared in another one, all or none.
func (s Courses) AddCourseWith(ctx context.Context, c *school.Course, teacher, like uint64, given []*school.Assignment) error {
	return known(s.inTx(ctx, func(tx *gorm.DB) error {
		if err := addCourse(tx, c, teacher); err != nil {
			return err
		}
		for _, a := range given {
			a.CourseID = c.ID
			if err := addAssignment(tx, a); err != nil {
				return err
			}
		}
		return tx.Exec(`INSERT INTO ready_remarks (owner_id, course_id, text, rich, short, points, created_at, sound, milliseconds, peaks)
			SELECT ?, ?, text, rich, short, points, ?, sound, milliseconds, peaks FROM ready_remarks WHERE course_id = ? ORDER BY id`, teacher, c.ID, c.CreatedAt, like).Error
	}))
}

// SetMembership writes what somebody is in a course over what they were.
func (s Courses) SetMembership(ctx context.Context, m school.Membership) error {
	return s.db.WithContext(ctx).Clauses(clause.OnConflict{UpdateAll: true}).Create(&m).Error
}

// Membership returns what somebody is in a course; in none, with access.None.
func (s Courses) Membership(ctx context.Context, course, person uint64) (school.Membership, error) {
	m, err := first[school.Membership](s.db.WithContext(ctx), "course_id = ? AND person_id = ?", course, person)
	if err == school.ErrNotFound {
		return school.Membership{CourseID: course, PersonID: person}, nil
	}
	return m, err
}

// CourseFor returns a course with what a person is in it, by one statement.
func (s Courses) CourseFor(ctx context.Context, id, person uint64) (school.CourseRole, error) {
	return first[school.CourseRole](s.db.WithContext(ctx).Table("courses").
		Select("courses.*, COALESCE(memberships.role, '') AS role, COALESCE(memberships.section, '') AS section").
		Joins("LEFT JOIN memberships ON memberships.course_id = courses.id AND memberships.person_id = ?", person), "courses.id = ?", id)
}

// Members returns the people of courses by family name.
func (s Courses) Members(ctx context.Context, courses ...uint64) ([]school.Member, error) {
	return all[school.Member](s.db.WithContext(ctx).Table("memberships").
		Select("memberships.*, people.name, people.given, people.family, people.login").
		Joins("JOIN people ON people.id = memberships.person_id").
		Where("course_id IN ?", courses).Order("people.family, people.given, people.id"))
}

// CoursesOf returns the courses that a person is in, by name.
func (s Courses) CoursesOf(ctx context.Context, person uint64) ([]school.CourseRole, error) {
	return all[school.CourseRole](s.db.WithContext(ctx).Table("courses").
		Select("courses.*, memberships.role, memberships.section").
		Joins("JOIN memberships ON memberships.course_id = courses.id").
		Where("person_id = ? AND role NOT IN ('', 'left')", person).Order("courses.name, courses.id"))
}
