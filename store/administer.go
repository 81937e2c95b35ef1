package store

import (
	"context"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"readymargin/school"
	"readymargin/school/administer"
)

// Offices are what an administrator sees of a whole school.
type Offices struct{ *base }

// Counts counts what there is in a school.
func (s Offices) Counts(ctx context.Context) (c administer.Counts, err error) {
	err = s.db.WithContext(ctx).Raw(`SELECT
		(SELECT COUNT(*) FROM people WHERE NOT staff AND NOT admin AND practice_of IS NULL), (SELECT COUNT(*) FROM people WHERE staff AND NOT admin), (SELECT COUNT(*) FROM people WHERE admin),
		(SELECT COUNT(*) FROM people WHERE closed_at IS NOT NULL), (SELECT COUNT(*) FROM courses WHERE archived_at IS NULL), (SELECT COUNT(*) FROM courses WHERE archived_at IS NOT NULL),
		(SELECT COUNT(*) FROM worksheets WHERE owner_id IS NOT NULL AND deleted_at IS NULL), (SELECT COUNT(*) FROM attempts JOIN copies ON copies.id = attempts.copy_id JOIN people ON people.id = copies.student_id WHERE people.practice_of IS NULL)`).
		Row().Scan(&c.Students, &c.Teachers, &c.Admins, &c.Closed, &c.Courses, &c.Archived, &c.Worksheets, &c.Attempts)
	return c, err
}

// Storage adds up what files take, by what refers to them.
func (s Offices) Storage(ctx context.Context) (out []administer.Stored, err error) {
	err = s.db.WithContext(ctx).Raw(`SELECT kind, COUNT(*) AS files, SUM(size) AS bytes FROM (SELECT size, CASE
		WHEN EXISTS (SELECT 1 FROM sources WHERE file_hash = blobs.hash) OR EXISTS (SELECT 1 FROM revisions WHERE file_hash = blobs.hash) THEN 'worksheets'
		WHEN EXISTS (SELECT 1 FROM pictures WHERE blob_hash = blobs.hash) THEN 'pictures of pages'
		WHEN EXISTS (SELECT 1 FROM copy_attachments t WHERE t.hash = blobs.hash) OR EXISTS (SELECT 1 FROM worksheet_attachments t WHERE t.hash = blobs.hash) THEN 'voices and pictures'
		WHEN EXISTS (SELECT 1 FROM attempts WHERE snapshot_hash = blobs.hash OR returned_hash = blobs.hash) THEN 'attempts'
		ELSE 'other' END AS kind FROM blobs) AS kinds GROUP BY kind ORDER BY bytes DESC`).Scan(&out).Error
	return out, err
}

// CourseLines returns all courses, by name.
func (s Offices) CourseLines(ctx context.Context) (out []administer.CourseLine, err error) {
	err = s.db.WithContext(ctx).Raw(`SELECT courses.id, courses.name, courses.archived_at,
		COALESCE((SELECT GROUP_CONCAT(people.name ORDER BY people.family SEPARATOR ', ') FROM memberships m JOIN people ON people.id = m.person_id WHERE m.course_id = courses.id AND m.role = 'teacher'), '') AS teachers,
		(SELECT COUNT(*) FROM memberships m WHERE m.course_id = courses.id AND m.role = 'student') AS students,
		(SELECT COUNT(*) FROM assignments a WHERE a.course_id = courses.id AND a.removed_at IS NULL) AS given
		FROM courses ORDER BY courses.archived_at IS NOT NULL, courses.name, courses.id`).Scan(&out).Error
	return out, err
}

// SignIns returns who signed in last.
func (s Offices) SignIns(ctx context.Context, most int) (out []administer.SignIn, err error) {
	err = s.db.WithContext(ctx).Raw(`SELECT people.id AS person_id, people.name, devices.label AS device, devices.seen_at AS at
		FROM devices JOIN people ON people.id = devices.person_id WHERE people.practice_of IS NULL ORDER BY devices.seen_at DESC LIMIT ?`, most).Scan(&out).Error
	return out, err
}

// FindPeople returns those whose name or sign-in name has all words, by family name,
// and how many there are.
func (s Offices) FindPeople(ctx context.Context, words []string, most int) (found []school.Person, of int, err error) {
	q := s.db.WithContext(ctx).Model(&school.Person{}).Where("practice_of IS NULL")
	for _, w := range words {
		q = q.Where("name LIKE ? OR login LIKE ?", "%"+w+"%", "%"+w+"%")
	}
	var n int64
	if err := q.Session(&gorm.Session{}).Count(&n).Error; err != nil {
		return nil, 0, err
	}
	found, err = all[school.Person](q.Session(&gorm.Session{}).Order("family, given, id").Limit(most))
	return found, int(n), err
}

// ChangePerson holds the rows of all administrators while change has an account, so
// that the last two do not leave in the same moment.
func (s Offices) ChangePerson(ctx context.Context, id uint64, change func(*school.Person) error) error {
	return s.inTx(ctx, func(tx *gorm.DB) error {
		admins, err := all[school.Person](tx.Clauses(clause.Locking{Strength: "UPDATE"}).Where("admin AND closed_at IS NULL").Order("id"))
		if err != nil {
			return err
		}
		p, err := first[school.Person](tx.Clauses(clause.Locking{Strength: "UPDATE"}), "id = ?", id)
		if err != nil {
			return err
		}
		runs := p.Admin && p.ClosedAt == nil
		if err := change(&p); err != nil {
			return err
		}
		if runs && (!p.Admin || p.ClosedAt != nil) && len(admins) == 1 {
			return administer.ErrLastAdmin
		}
		return tx.Omit("PracticeOf").Save(&p).Error
	})
}

// HandOver gives all worksheets of somebody to somebody else.
func (s Offices) HandOver(ctx context.Context, from, to uint64) error {
	return s.db.WithContext(ctx).Exec("UPDATE worksheets SET owner_id = ? WHERE owner_id = ?", to, from).Error
}
