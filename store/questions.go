package store

import (
	"context"
	"encoding/json"
	"time"

	"gorm.io/gorm"

	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/school"
)

// question is a row of questions.
type question struct {
	CopyID     uint64
	MarkID     string
	NoteID     string
	Layer      submission.Layer
	OpID       string
	AskerID    uint64
	AskedID    *uint64
	At         time.Time
	AnsweredAt *time.Time
	Patch      *string
	Body       string    `gorm:"->"` // of the head
	AskerName  string    `gorm:"->"`
	Assignment uint64    `gorm:"->"`
	Title      string    `gorm:"->"`
	Course     string    `gorm:"->"`
	Student    string    `gorm:"->"`
	Mode       flow.Mode `gorm:"->"`
}

// PutQuestion keeps what was asked, or changed, as long as the operation that asks it
// is present.
func (t copyTx) PutQuestion(q school.Question, op string) error {
	var patch *string
	if q.Patch != nil {
		b, err := json.Marshal(q.Patch)
		if err != nil {
			return err
		}
		s := string(b)
		patch = &s
	}
	var asked *uint64
	if q.AskedID != 0 {
		asked = &q.AskedID
	}
	return t.tx.Exec(`INSERT INTO questions (copy_id, mark_id, note_id, layer, op_id, asker_id, asked_id, at, patch)
		SELECT copy_id, ?, ?, layer, op_id, author_id, ?, at, ? FROM heads WHERE copy_id = ? AND layer = ? AND op_id = ?
		ON DUPLICATE KEY UPDATE op_id = VALUES(op_id)`, q.Mark, q.Note, asked, patch, t.id, q.Layer, op).Error
}

// DropQuestion forgets what was asked by a mark.
func (t copyTx) DropQuestion(mark string) error {
	return t.tx.Exec("DELETE FROM questions WHERE copy_id = ? AND mark_id = ?", t.id, mark).Error
}

// Answered notes that somebody has answered what was asked about a note of them, or of
// whoever teaches.
func (t copyTx) Answered(note string, by uint64, at time.Time) error {
	return t.tx.Exec("UPDATE questions SET answered_at = ? WHERE copy_id = ? AND note_id = ? AND asker_id <> ? AND (asked_id IS NULL OR asked_id = ?) AND answered_at IS NULL",
		at, t.id, note, by, by).Error
}

// questions reads the questions that q selects.
func questions(q *gorm.DB) ([]school.Question, error) {
	rows, err := all[question](q.Table("questions").Select("questions.*, heads.body, people.name AS asker_name, a.id AS assignment, a.title, a.mode, courses.name AS course, COALESCE(student.name, '') AS student").
		Joins("JOIN copies ON copies.id = questions.copy_id JOIN assignments a ON a.id = copies.assignment_id JOIN courses ON courses.id = a.course_id LEFT JOIN people student ON student.id = copies.student_id").
		Joins("JOIN heads ON heads.copy_id = questions.copy_id AND heads.layer = questions.layer AND heads.op_id = questions.op_id").
		Joins("JOIN people ON people.id = questions.asker_id").Order("questions.at"))
	if err != nil {
		return nil, err
	}
	out := make([]school.Question, len(rows))
	for i, r := range rows {
		out[i] = school.Question{CopyID: r.CopyID, Mark: r.MarkID, Note: r.NoteID, Layer: r.Layer, AskerID: r.AskerID, Asker: r.AskerName, At: r.At, AnsweredAt: r.AnsweredAt,
			AssignmentID: r.Assignment, Title: r.Title, Course: r.Course, Student: r.Student, Shared: r.Mode == flow.OneForAll}
		if r.AskedID != nil {
			out[i].AskedID = *r.AskedID
		}
		var h submission.Head
		if err := json.Unmarshal([]byte(r.Body), &h); err != nil {
			return nil, err
		}
		out[i].Asks = h.Mark
		if r.Patch != nil {
			out[i].Patch = []mark.Mark{}
			if err := json.Unmarshal([]byte(*r.Patch), &out[i].Patch); err != nil {
				return nil, err
			}
		}
	}
	return out, nil
}

// QuestionsOf returns what was asked on a copy, answered or not, the oldest first.
func (s Copies) QuestionsOf(ctx context.Context, copyID uint64) ([]school.Question, error) {
	return questions(s.db.WithContext(ctx).Where("questions.copy_id = ?", copyID))
}

// Waiting returns what waits for somebody's answer, the oldest first: what they were
// asked themselves, anywhere, and what students ask about assignments.
func (s Copies) Waiting(ctx context.Context, person uint64, assignments ...uint64) ([]school.Question, error) {
	return questions(s.db.WithContext(ctx).Where("questions.answered_at IS NULL AND (questions.asked_id = ? OR questions.asked_id IS NULL AND copies.assignment_id IN ?)", person, assignments))
}
