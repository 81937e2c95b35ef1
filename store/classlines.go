package store

import (
	"context"
	"time"

	"gorm.io/gorm"

	"readymargin/school"
)

// ClassLines are what teachers say to whole classes.
type ClassLines struct{ *base }

// AddLine adds a line.
func (s ClassLines) AddLine(ctx context.Context, l *school.ClassLine) error {
	return s.inTx(ctx, func(tx *gorm.DB) error {
		l.ID = 0 // this may be done again
		if err := tx.Create(l).Error; err != nil {
			return err
		}
		return notify(tx, school.NoticeLine, l.CourseID, nil, l.At.Add(school.NoticeRest), "memberships.role = 'student'")
	})
}

// classLines reads the lines that q selects, the newest first.
func classLines(q *gorm.DB, more string) ([]school.ClassLine, error) {
	return all[school.ClassLine](q.Table("class_lines").Select("class_lines.*, COALESCE(people.name, '') AS author, courses.name AS course, courses.zone" + more).
		Joins("JOIN courses ON courses.id = class_lines.course_id LEFT JOIN people ON people.id = class_lines.author_id").Order("class_lines.at DESC, class_lines.id DESC"))
}

// Lines returns those of a course, the newest first, with who has seen them.
func (s ClassLines) Lines(ctx context.Context, course uint64) ([]school.ClassLine, error) {
	return classLines(s.db.WithContext(ctx).Where("class_lines.course_id = ?", course),
		", (SELECT JSON_ARRAYAGG(r.person_id) FROM class_line_reads r WHERE r.line_id = class_lines.id) AS seen_by")
}

// LinesFor returns what was said since a time to the classes that somebody is a student
// of, the newest first.
func (s ClassLines) LinesFor(ctx context.Context, person uint64, since time.Time) ([]school.ClassLine, error) {
	return classLines(s.db.WithContext(ctx).Joins("JOIN memberships m ON m.course_id = class_lines.course_id AND m.person_id = ? AND m.role IN ('student', 'practice')", person).
		Joins("LEFT JOIN class_line_reads mine ON mine.line_id = class_lines.id AND mine.person_id = ?", person).
		Where("class_lines.at >= ? AND courses.archived_at IS NULL", since), ", mine.at AS seen_at")
}

// Line returns one.
func (s ClassLines) Line(ctx context.Context, id uint64) (school.ClassLine, error) {
	return first[school.ClassLine](s.db.WithContext(ctx), "id = ?", id)
}

// SeeLine notes that somebody has seen a line, once.
func (s ClassLines) SeeLine(ctx context.Context, id, person uint64, at time.Time) error {
	return s.db.WithContext(ctx).Exec("INSERT IGNORE INTO class_line_reads (line_id, person_id, at) VALUES (?, ?, ?)", id, person, at).Error
}

// DropLine takes a line away.
func (s ClassLines) DropLine(ctx context.Context, id uint64) error {
	return s.inTx(ctx, func(tx *gorm.DB) error {
		if err := tx.Exec("DELETE FROM class_lines WHERE id = ?", id).Error; err != nil {
			return err
		}
		return sweepSoon(tx)
	})
}
