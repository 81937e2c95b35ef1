package store

import (
	"context"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/school"
)

// Mail is where people have mail sent, and what they are to be told.
type Mail struct{ *base }

// mailable says whether a person may have an address: who teaches may, and who learns
// in a course that lets them.
const mailable = `(people.closed_at IS NULL AND (people.staff OR people.admin OR EXISTS (SELECT 1 FROM memberships m JOIN courses c ON c.id = m.course_id
	WHERE m.person_id = people.id AND (m.role IN ('teacher', 'assistant') OR m.role = 'student' AND c.mail))))`

// Mailbox returns somebody's, with ID 0 for none, and whether they may have one.
func (s Mail) Mailbox(ctx context.Context, person uint64) (m school.Mailbox, may bool, err error) {
	db := s.db.WithContext(ctx)
	if err := db.Raw("SELECT "+mailable+" FROM people WHERE people.id = ?", person).Row().Scan(&may); err != nil {
		return m, false, known(err)
	}
	m, err = first[school.Mailbox](db, "person_id = ?", person)
	if err == school.ErrNotFound {
		return school.Mailbox{}, may, nil
	}
	return m, may, err
}

// PutMailbox writes one over what was there.
func (s Mail) PutMailbox(ctx context.Context, m school.Mailbox) error {
	return s.db.WithContext(ctx).Clauses(clause.OnConflict{UpdateAll: true}).Create(&m).Error
}

// DropMailbox forgets an address, and what was to be told there.
func (s Mail) DropMailbox(ctx context.Context, person uint64) error {
	return s.inTx(ctx, func(tx *gorm.DB) error {
		for _, q := range []string{"DELETE FROM notices WHERE person_id = ?", "DELETE FROM mailboxes WHERE person_id = ?"} {
			if err := tx.Exec(q, person).Error; err != nil {
				return err
			}
		}
		return nil
	})
}

// MailboxByToken returns the one that a token confirms.
func (s Mail) MailboxByToken(ctx context.Context, tokenHash string) (school.Mailbox, error) {
	return first[school.Mailbox](s.db.WithContext(ctx), "token_hash = ? AND token_hash <> ''", tokenHash)
}

// MailboxByKey returns the one that a key leaves.
func (s Mail) MailboxByKey(ctx context.Context, key string) (school.Mailbox, error) {
	return first[school.Mailbox](s.db.WithContext(ctx), "leave_key = ?", key)
}

// Notices returns what somebody is to be told, the oldest first.
func (s Mail) Notices(ctx context.Context, person uint64) ([]school.Notice, error) {
	return all[school.Notice](s.db.WithContext(ctx).Table("notices n").
		Select(`n.id, n.kind, n.course_id, COALESCE(n.copy_id, 0) AS copy_id, n.due_at, courses.name AS course, courses.zone, COALESCE(a.title, '') AS title,
			n.kind = 'returned' AND NOT EXISTS (SELECT 1 FROM attempts t WHERE t.copy_id = n.copy_id AND t.returned_at IS NOT NULL AND t.opened_at IS NULL) AS useless`).
		Joins("JOIN courses ON courses.id = n.course_id LEFT JOIN copies ON copies.id = n.copy_id LEFT JOIN assignments a ON a.id = copies.assignment_id").
		Where("n.person_id = ?", person).Order("n.due_at, n.id"))
}

// DropNotices forgets what somebody was told.
func (s Mail) DropNotices(ctx context.Context, person, upTo uint64) error {
	return s.db.WithContext(ctx).Exec("DELETE FROM notices WHERE person_id = ? AND id <= ?", person, upTo).Error
}

// notify lets those of some people be told of something who have an address: whose is
// said by q, a condition on people, memberships being theirs in the course.
func notify(tx *gorm.DB, kind school.NoticeKind, course uint64, copyID *uint64, due time.Time, q string, args ...any) error {
	var whom []uint64
	err := tx.Raw(`SELECT people.id FROM people JOIN mailboxes b ON b.person_id = people.id AND b.address <> ''
		JOIN memberships ON memberships.person_id = people.id AND memberships.course_id = ? WHERE `+q, append([]any{course}, args...)...).Scan(&whom).Error
	for _, person := range whom {
		if err == nil {
			err = tx.Exec(`INSERT INTO notices (person_id, kind, course_id, copy_id, due_at) VALUES (?, ?, ?, ?, ?) ON DUPLICATE KEY UPDATE due_at = VALUES(due_at)`,
				person, kind, course, copyID, due).Error
		}
		if err == nil {
			err = addJob(tx, school.JobMail, person, due)
		}
	}
	return err
}

// Notify lets people be told of something on the copy who want mail: its student, one
// person of the course, or those who teach there.
func (t copyTx) Notify(kind school.NoticeKind, person uint64, due time.Time) error {
	a, err := t.Assignment()
	if err != nil {
		return err
	}
	if person != 0 {
		return notify(t.tx, kind, a.CourseID, &t.id, due, "people.id = ?", person)
	}
	if kind == school.NoticeAsked {
		return notify(t.tx, kind, a.CourseID, &t.id, due, "memberships.role IN ?", []access.Role{access.Teacher, access.Assistant})
	}
	if a.Mode == flow.OneForAll {
		return nil
	}
	return notify(t.tx, kind, a.CourseID, &t.id, due, "people.id = (SELECT owner FROM copies WHERE id = ?)", t.id)
}
