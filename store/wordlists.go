package store

import (
	"context"
	"strings"
	"time"

	"readymargin/school"
)

// WordLists are what words mean in courses, and what was looked up.
type WordLists struct{ *base }

// CourseWords returns what words mean in a course, by their letters.
func (s WordLists) CourseWords(ctx context.Context, course uint64) ([]school.CourseWord, error) {
	return all[school.CourseWord](s.db.WithContext(ctx).Where("course_id = ?", course).Order("word"))
}

// SetCourseWord says what a word means in a course; "" takes it out.
func (s WordLists) SetCourseWord(ctx context.Context, course uint64, word, means string) error {
	if means == "" {
		return s.db.WithContext(ctx).Exec("DELETE FROM course_words WHERE course_id = ? AND word = ?", course, word).Error
	}
	return s.db.WithContext(ctx).Exec("INSERT INTO course_words (course_id, word, means) VALUES (?, ?, ?) ON DUPLICATE KEY UPDATE word = VALUES(word), means = VALUES(means)", course, word, means).Error
}

// LookUp notes that somebody has looked a word up.
func (s WordLists) LookUp(ctx context.Context, copyID, person uint64, word string, at time.Time) error {
	return s.db.WithContext(ctx).Exec("INSERT INTO looked_up (copy_id, person_id, word, times, at) VALUES (?, ?, ?, 1, ?) ON DUPLICATE KEY UPDATE times = times + 1, at = VALUES(at)", copyID, person, word, at.UTC()).Error
}

// LookedUp returns the words that somebody has looked up in a course, the newest first.
func (s WordLists) LookedUp(ctx context.Context, course, person uint64) ([]school.LookedUp, error) {
	return all[school.LookedUp](s.db.WithContext(ctx).Raw(`SELECT l.copy_id, l.word, l.times, l.at, a.title FROM looked_up l
		JOIN copies c ON c.id = l.copy_id JOIN assignments a ON a.id = c.assignment_id
		WHERE a.course_id = ? AND l.person_id = ? ORDER BY l.at DESC, l.word LIMIT 300`, course, person))
}

// MostLookedUp returns the words that most students of a course have looked up, and how
// many have, for each assignment, the newest first; with the names of those who let them
// be seen.
func (s WordLists) MostLookedUp(ctx context.Context, course uint64) ([]school.OftenLookedUp, error) {
	type row struct {
		school.OftenLookedUp
		Named string
	}
	rows, err := all[row](s.db.WithContext(ctx).Raw(`SELECT a.id AS assignment_id, a.title, l.word, COUNT(DISTINCT l.person_id) AS students,
		COALESCE(GROUP_CONCAT(DISTINCT IF(m.names_words, p.name, NULL) ORDER BY p.name SEPARATOR '\n'), '') AS named FROM looked_up l
		JOIN copies c ON c.id = l.copy_id JOIN assignments a ON a.id = c.assignment_id JOIN people p ON p.id = l.person_id
		LEFT JOIN memberships m ON m.course_id = a.course_id AND m.person_id = p.id
		WHERE a.course_id = ? AND p.practice_of IS NULL GROUP BY a.id, a.title, l.word ORDER BY a.id DESC, students DESC, l.word LIMIT 300`, course))
	out := make([]school.OftenLookedUp, len(rows))
	for i, r := range rows {
		out[i] = r.OftenLookedUp
		if r.Named != "" {
			out[i].Names = strings.Split(r.Named, "\n")
		}
	}
	return out, err
}

// NameWords says whether a member of a course lets teachers see which words they have
// looked up.
func (s WordLists) NameWords(ctx context.Context, course, person uint64, named bool) error {
	return s.db.WithContext(ctx).Exec("UPDATE memberships SET names_words = ? WHERE course_id = ? AND person_id = ?", named, course, person).Error
}

// NamesWords reports what they have said.
func (s WordLists) NamesWords(ctx context.Context, course, person uint64) (bool, error) {
	m, err := first[school.Membership](s.db.WithContext(ctx), "course_id = ? AND person_id = ?", course, person)
	return m.NamesWords, err
}
