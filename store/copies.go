package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"slices"
	"strconv"
	"strings"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"readymargin/core/answer"
	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/core/worksheet"
	"readymargin/school"
)

// Copies are the students' exemplars and all that happens to them.
type Copies struct{ *base }

// CopyFor makes the copy when there is none. Two who ask at once get the same one:
// the unique key decides.
func (s Copies) CopyFor(ctx context.Context, assignment, student, revision uint64) (school.Copy, error) {
	db := s.db.WithContext(ctx)
	c, err := first[school.Copy](db, "assignment_id = ? AND owner = ?", assignment, student)
	if err != school.ErrNotFound {
		return c, err
	}
	fresh := school.Copy{AssignmentID: assignment, StudentID: student, RevisionID: revision, State: flow.NotStarted}
	if err := db.Clauses(clause.OnConflict{DoNothing: true}).Create(&fresh).Error; err != nil {
		return c, err
	}
	return first[school.Copy](db, "assignment_id = ? AND owner = ?", assignment, student)
}

// SetShown says whether the teachers may look at a copy that is to keep.
func (s Copies) SetShown(ctx context.Context, copyID uint64, shown bool) error {
	return s.db.WithContext(ctx).Model(&school.Copy{ID: copyID}).Update("shown", shown).Error
}

// SetOwnKey says what colours stand for on a copy that is to keep.
func (s Copies) SetOwnKey(ctx context.Context, copyID uint64, key []worksheet.Meaning) error {
	return s.db.WithContext(ctx).Model(&school.Copy{ID: copyID}).Select("own_key").Updates(&school.Copy{OwnKey: key}).Error
}

// CopyOf returns the copy if there is one; student 0 is everybody.
func (s Copies) CopyOf(ctx context.Context, assignment, student uint64) (school.Copy, error) {
	return first[school.Copy](s.db.WithContext(ctx), "assignment_id = ? AND owner = ?", assignment, student)
}

// CopyInCourse returns a copy with everything around it.
func (s Copies) CopyInCourse(ctx context.Context, id, asker uint64) (out school.CopyInCourse, err error) {
	db := s.db.WithContext(ctx)
	own, err := first[copyWithName](db.Table("copies").Select("copies.*, people.name AS student_name, people.login AS student_login, "+asked+" AS asked, "+hearings+" AS hearings", gorm.Expr("IF(copies.owner = 0, ?, copies.owner)", asker)).
		Joins("LEFT JOIN people ON people.id = copies.student_id"), "copies.id = ?", id) // one for all has no owner
	if err != nil {
		return out, err
	}
	out.Copy, out.Asked, out.Hearings, out.Student = own.Copy, own.Asked, own.Hearings, school.Person{ID: own.StudentID, Name: own.StudentName, Login: own.StudentLogin}
	if out.Assignment, err = first[school.Assignment](db, "id = ?", out.AssignmentID); err != nil {
		return out, err
	}
	in, err := Courses(s).CourseFor(ctx, out.Assignment.CourseID, asker)
	if err != nil {
		return out, err
	}
	out.Course, out.Role, out.Section = in.Course, in.Role, in.Section
	out.Assignment.Watched = out.Assignment.WatchedIn(out.Course)
	revised, err := Worksheets(s).RevisedIn(ctx, out.RevisionID)
	if err == nil && len(revised) == 0 {
		err = school.ErrNotFound
	}
	if err == nil {
		out.Revision = revised[0]
	}
	return out, err
}

// copyWithName is a copy with its student's names.
type copyWithName struct {
	school.Copy  `gorm:"embedded"`
	StudentName  string
	StudentLogin string
	Asked        bool
	Hearings     map[string]school.Hearing `gorm:"serializer:json"`
}

// asked says whether something was asked of those who teach on a copy, before it was
// submitted.
const asked = "EXISTS (SELECT 1 FROM questions WHERE questions.copy_id = copies.id AND questions.asked_id IS NULL)"

// decides are the columns of an assignment that say who may do what, when.
const decides = "a.mode, a.draft, a.keep_here, a.opens_at, a.due_at, a.closes_at, a.removed_at, a.archived_at, a.audience, COALESCE(a.instruments, 'null'), (SELECT courses.watch FROM courses WHERE courses.id = a.course_id) AND NOT a.nameless, a.nameless"

// deciding reads these columns into an assignment. Every stroke asks for them,
// so it goes past GORM's reading of structs.
type deciding struct {
	to                    *school.Assignment
	audience, instruments string
}

func (d *deciding) columns() []any {
	return []any{&d.to.Mode, &d.to.Draft, &d.to.KeepHere, &d.to.OpensAt, &d.to.DueAt, &d.to.ClosesAt, &d.to.RemovedAt, &d.to.ArchivedAt, &d.audience, &d.instruments, &d.to.Watched, &d.to.Nameless}
}

func (d *deciding) read() error {
	if d.audience != "{}" {
		if err := json.Unmarshal([]byte(d.audience), &d.to.Audience); err != nil {
			return err
		}
	}
	if d.instruments != "null" {
		return json.Unmarshal([]byte(d.instruments), &d.to.Instruments)
	}
	return nil
}

// WriteContext returns what decides whether somebody may write, by one statement.
func (s Copies) WriteContext(ctx context.Context, id, asker uint64) (out school.WriteContext, err error) {
	d := deciding{to: &out.Assignment}
	c := &out.Copy
	err = s.row(ctx, `SELECT copies.id, copies.assignment_id, copies.state, copies.attempts, copies.owner, copies.started_at, copies.due_at, copies.shown,
		COALESCE(m.role, ''), COALESCE(m.section, ''), r.page_count, `+asked+`, `+decides+`
		FROM copies JOIN assignments a ON a.id = copies.assignment_id JOIN revisions r ON r.id = copies.revision_id
		LEFT JOIN memberships m ON m.course_id = a.course_id AND m.person_id = ? WHERE copies.id = ?`, asker, id).
		Scan(append([]any{&c.ID, &c.AssignmentID, &c.State, &c.Attempts, &c.StudentID, &c.StartedAt, &c.DueAt, &c.Shown, &out.Role, &out.Section, &out.PageCount, &out.Asked}, d.columns()...)...)
	if err == nil {
		err = d.read()
	}
	return out, known(err)
}

// CopiesOf returns the copies that there are of assignments.
func (s Copies) CopiesOf(ctx context.Context, assignments ...uint64) ([]school.Copy, error) {
	return all[school.Copy](s.db.WithContext(ctx).Where("assignment_id IN ?", assignments))
}

// CopiesOfStudent returns a student's own copies.
func (s Copies) CopiesOfStudent(ctx context.Context, student uint64) ([]school.Copy, error) {
	return all[school.Copy](s.db.WithContext(ctx).Where("student_id = ?", student))
}

// Attempts returns the attempts of a copy in their order.
func (s Copies) Attempts(ctx context.Context, copyID uint64) ([]school.Attempt, error) {
	return all[school.Attempt](s.db.WithContext(ctx).Select("attempts.*, "+heard+" AS heard").Where("copy_id = ?", copyID).Order("number"))
}

// heard is to where the remarks of an attempt were heard, as JSON.
const heard = "(SELECT JSON_OBJECTAGG(h.mark_id, h.milliseconds) FROM heard h WHERE h.copy_id = attempts.copy_id AND h.attempt = attempts.number)"

// Hear notes to where a remark was heard.
func (t copyTx) Hear(attempt int, remark string, milliseconds int, at time.Time) error {
	return t.tx.Exec(`INSERT INTO heard (copy_id, attempt, mark_id, milliseconds, at) VALUES (?, ?, ?, ?, ?)
		ON DUPLICATE KEY UPDATE at = IF(VALUES(milliseconds) > milliseconds, VALUES(at), at), milliseconds = GREATEST(milliseconds, VALUES(milliseconds))`,
		t.id, attempt, remark, milliseconds, at).Error
}

// copyWithAttempt is a copy with one of its attempts; without one, its number is 0.
type copyWithAttempt struct {
	school.Copy `gorm:"embedded"`
	Tried       school.Attempt `gorm:"embedded;embeddedPrefix:tried_"`
}

// HandedIn returns the copies of assignments and their attempts, of each copy in
// their order, by one statement.
func (s Copies) HandedIn(ctx context.Context, assignments ...uint64) (copies []school.Copy, attempts []school.Attempt, err error) {
	db := s.db.WithContext(ctx)
	attempt := &gorm.Statement{DB: db}
	if err := attempt.Parse(&school.Attempt{}); err != nil {
		return nil, nil, err
	}
	columns := []string{"copies.*"}
	for _, name := range attempt.Schema.DBNames {
		from := "attempts." + name
		if name == "pending" {
			from = `(SELECT MAX(r.due_at) FROM returns r WHERE r.copy_id = attempts.copy_id AND r.attempt = attempts.number
				AND r.done_at IS NULL AND r.stopped_at IS NULL)`
		}
		if name == "heard" {
			from = heard
		}
		columns = append(columns, from+" AS tried_"+name)
	}
	rows, err := all[copyWithAttempt](db.Table("copies").Select(strings.Join(columns, ", ")).
		Joins("LEFT JOIN attempts ON attempts.copy_id = copies.id").
		Where("copies.assignment_id IN ?", assignments).Order("copies.id, attempts.number"))
	for i, r := range rows {
		if i == 0 || rows[i-1].ID != r.ID {
			copies = append(copies, r.Copy)
		}
		if r.Tried.Number > 0 {
			attempts = append(attempts, r.Tried)
		}
	}
	return copies, attempts, err
}

// AttemptsOfStudent returns those of all copies of a student.
func (s Copies) AttemptsOfStudent(ctx context.Context, student uint64) ([]school.Attempt, error) {
	return all[school.Attempt](s.db.WithContext(ctx).
		Where("copy_id IN (SELECT id FROM copies WHERE student_id = ?)", student).Order("copy_id, number"))
}

// Unanswered returns what students have said at once since the last return, and
// since those who mark have said something at once.
func (s Copies) Unanswered(ctx context.Context, assignments ...uint64) (map[uint64][]school.SavedHead, error) {
	return headsByCopy(s.db.WithContext(ctx).Joins("JOIN copies ON copies.id = heads.copy_id AND copies.student_id = heads.author_id").
		Where(`heads.layer = ? AND copies.assignment_id IN ?
		AND heads.at > COALESCE((SELECT MAX(returned_at) FROM attempts WHERE attempts.copy_id = heads.copy_id), '1000-01-01')
		AND NOT EXISTS (SELECT 1 FROM heads said WHERE said.copy_id = heads.copy_id AND said.layer = heads.layer AND said.author_id <> heads.author_id AND said.at > heads.at)`,
			submission.Replies, assignments))
}

// op and head are rows of ops and heads. The body is JSON: of an operation's
// mark and the mark's name, so that a removal is kept too.
type op struct {
	CopyID   uint64
	Layer    submission.Layer
	Seq      int64
	OpID     string
	Base     string
	AuthorID uint64
	At       time.Time
	Body     string
}

type head struct {
	CopyID   uint64
	Layer    submission.Layer
	OpID     string
	AuthorID uint64
	At       time.Time
	Body     string
}

// headWithName names its fields once more: GORM passes over embedded structs
// that are not exported.
type headWithName struct {
	CopyID     uint64
	Layer      submission.Layer
	AuthorID   uint64
	AuthorName string
	At         time.Time
	Body       string
}

// headsByCopy reads the heads that q selects.
func headsByCopy(q *gorm.DB) (map[uint64][]school.SavedHead, error) {
	rows, err := all[headWithName](q.Table("heads").Select("heads.copy_id, heads.layer, heads.author_id, heads.at, heads.body, people.name AS author_name").
		Joins("LEFT JOIN people ON people.id = heads.author_id"))
	if err != nil {
		return nil, err
	}
	out := map[uint64][]school.SavedHead{}
	for _, r := range rows {
		h := school.SavedHead{Layer: r.Layer, AuthorID: r.AuthorID, AuthorName: r.AuthorName, At: r.At}
		if err := json.Unmarshal([]byte(r.Body), &h.Head); err != nil {
			return nil, err
		}
		out[r.CopyID] = append(out[r.CopyID], h)
	}
	return out, nil
}

func heads(db *gorm.DB, copyID uint64, layer submission.Layer) ([]school.SavedHead, error) {
	of, err := headsByCopy(db.Where("copy_id = ? AND layer = ?", copyID, layer))
	return of[copyID], err
}

// Heads returns what is present in a layer, removals included.
func (s Copies) Heads(ctx context.Context, copyID uint64, layer submission.Layer) ([]school.SavedHead, error) {
	return heads(s.db.WithContext(ctx), copyID, layer)
}

// Layers returns how layers of a copy stand: the numbers of their newest
// operations, and what is present in them, which may be newer.
func (s Copies) Layers(ctx context.Context, copyID uint64, layers ...submission.Layer) (map[submission.Layer]int64, []school.SavedHead, error) {
	db := s.db.WithContext(ctx)
	rows, err := all[layerAt](db.Table("layers").Where("copy_id = ? AND layer IN ?", copyID, layers))
	if err != nil {
		return nil, nil, err
	}
	seq := map[submission.Layer]int64{}
	for _, r := range rows {
		seq[r.Layer] = r.Seq
	}
	of, err := headsByCopy(db.Where("copy_id = ? AND layer IN ?", copyID, layers))
	return seq, of[copyID], err
}

// layerAt is a row of layers.
type layerAt struct {
	Layer submission.Layer
	Seq   int64
}

// WrittenIn returns what is written, ticked or stamped in the work on copies, and
// nothing that is drawn, which may be large.
func (s Copies) WrittenIn(ctx context.Context, copies ...uint64) (map[uint64][]mark.Mark, error) {
	of, err := headsByCopy(s.db.WithContext(ctx).Where(`copy_id IN ? AND layer = ?
		AND JSON_VALUE(body, '$.mark.kind') IN ('freetext', 'widget', 'stamp')`, copies, submission.Work))
	out := map[uint64][]mark.Mark{}
	for id, heads := range of {
		shown, _ := school.Present(heads)
		for _, w := range shown {
			out[id] = append(out[id], w.Mark)
		}
	}
	return out, err
}

// HeadsAmong returns those of some operations that are present.
func (s Copies) HeadsAmong(ctx context.Context, copyID uint64, layer submission.Layer, ops []string) ([]school.SavedHead, error) {
	of, err := headsByCopy(s.db.WithContext(ctx).Where("copy_id = ? AND layer = ? AND op_id IN ?", copyID, layer, ops))
	return of[copyID], err
}

// OpsAfter returns what was taken into a layer after an operation, in order.
func (s Copies) OpsAfter(ctx context.Context, copyID uint64, layer submission.Layer, after int64) ([]school.SavedOp, error) {
	rows, err := all[op](s.db.WithContext(ctx).Where("copy_id = ? AND layer = ? AND seq > ?", copyID, layer, after).Order("seq"))
	if err != nil {
		return nil, err
	}
	out := make([]school.SavedOp, len(rows))
	for i, r := range rows {
		out[i] = school.SavedOp{Seq: r.Seq, AuthorID: r.AuthorID, At: r.At}
		if err := json.Unmarshal([]byte(r.Body), &out[i].Op); err != nil {
			return nil, err
		}
	}
	return out, nil
}

func layerSeq(db *gorm.DB, copyID uint64, layer submission.Layer) (seq int64, err error) {
	err = db.Raw("SELECT seq FROM layers WHERE copy_id = ? AND layer = ?", copyID, layer).Row().Scan(&seq)
	if errors.Is(err, sql.ErrNoRows) {
		return 0, nil
	}
	return seq, err
}

// LayerSeq returns the number of the newest operation of a layer, 0 for none.
func (s Copies) LayerSeq(ctx context.Context, copyID uint64, layer submission.Layer) (int64, error) {
	return layerSeq(s.db.WithContext(ctx), copyID, layer)
}

// Pulses returns how copies stand, by one statement for all screens of a process.
func (s Copies) Pulses(ctx context.Context, copies []uint64, watchedSince time.Time) (map[uint64]school.Pulse, error) {
	rows, err := s.db.WithContext(ctx).Raw(`SELECT c.id, c.state, l.layer, l.seq,
		(SELECT MAX(returned_at) FROM attempts WHERE attempts.copy_id = c.id),
		(SELECT GROUP_CONCAT(people.name ORDER BY people.name SEPARATOR '\n') FROM viewers JOIN people ON people.id = viewers.person_id
			WHERE viewers.copy_id = c.id AND viewers.watching AND viewers.seen_at > ?)
		FROM copies c LEFT JOIN layers l ON l.copy_id = c.id WHERE c.id IN ?`, watchedSince, copies).Rows()
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out := map[uint64]school.Pulse{}
	for rows.Next() {
		var id uint64
		var state flow.State
		var layer sql.Null[submission.Layer]
		var seq sql.NullInt64
		var returned sql.NullTime
		var watchers sql.NullString
		if err := rows.Scan(&id, &state, &layer, &seq, &returned, &watchers); err != nil {
			return nil, err
		}
		p, ok := out[id]
		if !ok {
			p = school.Pulse{State: state, Returned: returned.Time, Seq: map[submission.Layer]int64{}}
			if watchers.Valid {
				p.Watchers = strings.Split(watchers.String, "\n")
			}
			out[id] = p
		}
		if layer.Valid {
			p.Seq[layer.V] = seq.Int64
		}
	}
	return out, rows.Err()
}

// AddCopyAttachment notes that marks of a layer may show a sound or a picture.
func (s Copies) AddCopyAttachment(ctx context.Context, v school.CopyAttachment) error {
	return s.db.WithContext(ctx).Clauses(clause.OnConflict{DoNothing: true}).Create(&v).Error
}

// CopyAttachments returns what the marks of a copy may show.
func (s Copies) CopyAttachments(ctx context.Context, copyID uint64) ([]school.CopyAttachment, error) {
	return all[school.CopyAttachment](s.db.WithContext(ctx).Where("copy_id = ?", copyID))
}

// viewer is a row of viewers.
type viewer struct {
	CopyID   uint64
	PersonID uint64
	SeenAt   time.Time
	Watching bool // the work as it is done, and no attempt
}

// View notes that somebody has a copy open, and returns who else has it open in
// the same way.
func (s Copies) View(ctx context.Context, copyID, person uint64, watching bool, now, since time.Time) (others []string, err error) {
	db := s.db.WithContext(ctx)
	if err := db.Clauses(clause.OnConflict{UpdateAll: true}).Create(&viewer{copyID, person, now, watching}).Error; err != nil {
		return nil, err
	}
	err = db.Table("viewers").Joins("JOIN people ON people.id = viewers.person_id").
		Where("copy_id = ? AND person_id <> ? AND seen_at > ? AND watching = ?", copyID, person, since, watching).Pluck("people.name", &others).Error
	return others, err
}

// copyTx is a school.CopyTx.
type copyTx struct {
	tx *gorm.DB
	id uint64
}

// InCopy waits for its turn at a copy before it takes a connection: sixty who
// change one copy leave connections to the others.
func (s Copies) InCopy(ctx context.Context, copyID uint64, fn func(school.CopyTx) error) error {
	leave, err := s.turns.EnterAs(ctx, strconv.FormatUint(copyID, 10))
	if err != nil {
		return err
	}
	defer leave()
	return s.inTx(ctx, func(tx *gorm.DB) error { return fn(copyTx{tx, copyID}) })
}

// Copy reads the row and holds it.
func (t copyTx) Copy() (c school.Copy, err error) {
	err = t.tx.Statement.ConnPool.QueryRowContext(t.tx.Statement.Context, "SELECT id, assignment_id, owner, revision_id, state, attempts, waiting, started_at, due_at, excused FROM copies WHERE id = ? FOR UPDATE", t.id).
		Scan(&c.ID, &c.AssignmentID, &c.StudentID, &c.RevisionID, &c.State, &c.Attempts, &c.Waiting, &c.StartedAt, &c.DueAt, &c.Excused)
	return c, known(err)
}

// SetCopy leaves alone whose copy of what it is.
func (t copyTx) SetCopy(c school.Copy) error {
	return t.tx.Model(&c).Select("revision_id", "state", "attempts", "waiting", "started_at", "due_at", "excused").Updates(&c).Error
}

// Attempt reads an attempt and holds it.
func (t copyTx) Attempt(number int) (school.Attempt, error) {
	return first[school.Attempt](t.tx.Clauses(clause.Locking{Strength: "UPDATE"}), "copy_id = ? AND number = ?", t.id, number)
}

// PutAttempt writes an attempt over what was there.
func (t copyTx) PutAttempt(a school.Attempt) error {
	return t.tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&a).Error
}

// Assignment returns the copy's assignment, without its handouts.
func (t copyTx) Assignment() (school.Assignment, error) {
	return first[school.Assignment](t.tx, "id = (SELECT assignment_id FROM copies WHERE id = ?)", t.id)
}

// PutDraft writes a draft over an older one.
func (t copyTx) PutDraft(d school.Draft) error { return putDraft(t.tx, d) }

// PutBlob stores a small blob on the same connection.
func (t copyTx) PutBlob(b []byte) (string, error) { return putBlob(t.tx, b) }

// DropAnswers takes away what was laid down of an attempt.
func (t copyTx) DropAnswers(attempt int) error {
	return t.tx.Exec("DELETE FROM answers WHERE copy_id = ? AND attempt = ?", t.id, attempt).Error
}

// AddAnswers lays down what an attempt answers, by one statement: a class does it
// in the same minute.
func (t copyTx) AddAnswers(attempt int, all []answer.Answer) error {
	var rows []any
	for _, a := range all {
		rows = append(rows, t.id, attempt, a.Blank, a.Question, a.Text, a.Normal, a.Drawn)
	}
	return t.insert("answers (copy_id, attempt, blank_id, question_id, text, normal, drawn)", 7, rows)
}

// PutScore writes what an attempt got for a question over what was there.
func (t copyTx) PutScore(sc school.Score) error {
	sc.CopyID = t.id
	return t.tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&sc).Error
}

// DropScore takes away what an attempt got for a question.
func (t copyTx) DropScore(attempt int, question string) error {
	return t.tx.Exec("DELETE FROM scores WHERE copy_id = ? AND attempt = ? AND question_id = ?", t.id, attempt, question).Error
}

// Scores returns what an attempt got, by question.
func (s Copies) Scores(ctx context.Context, copyID uint64, attempt int) ([]school.Score, error) {
	return all[school.Score](s.db.WithContext(ctx).Where("copy_id = ? AND attempt = ?", copyID, attempt).Order("question_id"))
}

// Scores returns what an attempt got, by question.
func (t copyTx) Scores(attempt int) ([]school.Score, error) {
	return all[school.Score](t.tx.Where("copy_id = ? AND attempt = ?", t.id, attempt).Order("question_id"))
}

// ScoresOf returns what the newest attempts of all copies of assignments got.
func (s Copies) ScoresOf(ctx context.Context, assignments ...uint64) ([]school.Score, error) {
	return all[school.Score](s.db.WithContext(ctx).Joins("JOIN copies ON copies.id = scores.copy_id AND copies.attempts = scores.attempt").
		Where("copies.assignment_id IN ?", assignments).Order("scores.copy_id, scores.question_id"))
}

// AnswersOf returns what the newest attempts of all copies of an assignment answer.
func (s Copies) AnswersOf(ctx context.Context, assignment uint64) (map[uint64][]answer.Answer, error) {
	return answersByCopy(s.db.WithContext(ctx).Joins("JOIN copies c ON c.id = a.copy_id AND c.attempts = a.attempt").Where("c.assignment_id = ?", assignment))
}

// Answers returns what an attempt answers.
func (s Copies) Answers(ctx context.Context, copyID uint64, attempt int) ([]answer.Answer, error) {
	of, err := answersByCopy(s.db.WithContext(ctx).Where("a.copy_id = ? AND a.attempt = ?", copyID, attempt))
	return of[copyID], err
}

// answersByCopy reads the answers that q selects, as a.
func answersByCopy(q *gorm.DB) (map[uint64][]answer.Answer, error) {
	rows, err := q.Table("answers a").Select("a.copy_id, a.blank_id, a.question_id, a.text, a.normal, a.drawn").Rows()
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out := map[uint64][]answer.Answer{}
	for rows.Next() {
		var id uint64
		var a answer.Answer
		if err := rows.Scan(&id, &a.Blank, &a.Question, &a.Text, &a.Normal, &a.Drawn); err != nil {
			return nil, err
		}
		out[id] = append(out[id], a)
	}
	return out, rows.Err()
}

const returnsWithNames = "returns.*, COALESCE(people.name, '') AS person_name"

func returns(db *gorm.DB) ([]school.Return, error) {
	return all[school.Return](db.Table("returns").Select(returnsWithNames).Joins("LEFT JOIN people ON people.id = returns.person_id").Order("returns.id"))
}

// Returns are the givings back of an attempt, the oldest first.
func (s Copies) Returns(ctx context.Context, copyID uint64, attempt int) ([]school.Return, error) {
	return returns(s.db.WithContext(ctx).Where("copy_id = ? AND attempt = ?", copyID, attempt))
}

// Return returns one giving back.
func (s Copies) Return(ctx context.Context, id uint64) (school.Return, error) {
	return first[school.Return](s.db.WithContext(ctx), "id = ?", id)
}

// PendingReturns are those of all copies of an assignment that are not done yet.
func (s Copies) PendingReturns(ctx context.Context, assignment uint64) ([]school.Return, error) {
	return returns(s.db.WithContext(ctx).Where("done_at IS NULL AND stopped_at IS NULL AND copy_id IN (SELECT id FROM copies WHERE assignment_id = ?)", assignment))
}

// Returns are the givings back of an attempt, as the transaction sees them.
func (t copyTx) Returns(attempt int) ([]school.Return, error) {
	return returns(t.tx.Where("copy_id = ? AND attempt = ?", t.id, attempt))
}

// PutReturn writes a giving back, and lets it be done in time.
func (t copyTx) PutReturn(r *school.Return) error {
	r.CopyID = t.id
	if err := t.tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(r).Error; err != nil || !r.Pending() {
		return err
	}
	return addJob(t.tx, school.JobReturn, r.ID, r.DueAt)
}

// FeedbackMarks counts what the teachers have set on copies, by copy and attempt.
func (s Copies) FeedbackMarks(ctx context.Context, copies ...uint64) (map[uint64]map[int]int, error) {
	rows, err := s.db.WithContext(ctx).Raw("SELECT copy_id, layer, marks FROM layers WHERE copy_id IN ? AND layer LIKE 'feedback.%'", copies).Rows()
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out := map[uint64]map[int]int{}
	for rows.Next() {
		var id uint64
		var layer submission.Layer
		var n int
		if err := rows.Scan(&id, &layer, &n); err != nil {
			return nil, err
		}
		if out[id] == nil {
			out[id] = map[int]int{}
		}
		out[id][layer.Attempt()] = n
	}
	return out, rows.Err()
}

// FeedbackHeads returns what the teachers have set on copies, by copy.
func (s Copies) FeedbackHeads(ctx context.Context, copies ...uint64) (map[uint64][]school.SavedHead, error) {
	return headsByCopy(s.db.WithContext(ctx).Where("copy_id IN ? AND layer LIKE 'feedback.%'", copies))
}

// withdrawn is a row of withdrawn.
type withdrawn struct {
	CopyID       uint64
	Number       int
	SubmittedAt  time.Time
	SnapshotHash string
	WithdrawnAt  time.Time
}

func (withdrawn) TableName() string { return "withdrawn" }

// Withdraw takes an attempt away, answers and scores with it, and keeps a record.
func (t copyTx) Withdraw(a school.Attempt, at time.Time) error {
	if err := t.tx.Create(&withdrawn{t.id, a.Number, a.SubmittedAt, a.SnapshotHash, at}).Error; err != nil {
		return err
	}
	return t.tx.Where("copy_id = ? AND number = ?", t.id, a.Number).Delete(&school.Attempt{}).Error
}

// Heads returns what is present in a layer, as the transaction sees it.
func (t copyTx) Heads(layer submission.Layer) ([]school.SavedHead, error) {
	return heads(t.tx, t.id, layer)
}

// OthersAmong reports whether any of some operations is present and somebody else's.
func (t copyTx) OthersAmong(layer submission.Layer, author uint64, ops []string) (others bool, err error) {
	err = t.tx.Raw("SELECT EXISTS (SELECT 1 FROM heads WHERE copy_id = ? AND layer = ? AND op_id IN ? AND author_id <> ?)", t.id, layer, ops, author).Row().Scan(&others)
	return others, err
}

// LayerSeq returns the number of the newest operation of a layer.
func (t copyTx) LayerSeq(layer submission.Layer) (int64, error) { return layerSeq(t.tx, t.id, layer) }

// history answers submission.Decide for one batch.
type history struct{ taken, bases map[string]bool }

func (h history) Taken(op string) bool    { return h.taken[op] }
func (h history) MadeOn(base string) bool { return h.bases[base] }

// before returns how a layer stands, and what was taken that ops have to do
// with, by one statement: every stroke asks for both.
func (t copyTx) before(layer submission.Layer, ops []submission.Op) (now school.Layered, h history, err error) {
	h = history{map[string]bool{}, map[string]bool{}}
	ids := make([]any, len(ops))
	for i, o := range ops {
		ids[i] = o.ID
	}
	in := "(" + strings.Repeat("?, ", len(ops)-1) + "?)"
	rows, err := t.tx.Statement.ConnPool.QueryContext(t.tx.Statement.Context, `SELECT op_id, base, 0, 0, 0, 0 FROM ops WHERE copy_id = ? AND op_id IN `+in+`
		UNION ALL SELECT op_id, base, 0, 0, 0, 0 FROM ops WHERE copy_id = ? AND base IN `+in+`
		UNION ALL SELECT '', '', seq, marks, bytes, written FROM layers WHERE copy_id = ? AND layer = ?`,
		slices.Concat([]any{t.id}, ids, []any{t.id}, ids, []any{t.id, layer})...)
	if err != nil {
		return now, h, err
	}
	defer rows.Close()
	for rows.Next() {
		var id, base string
		var l school.Layered
		if err := rows.Scan(&id, &base, &l.Seq, &l.Marks, &l.Bytes, &l.Written); err != nil {
			return now, h, err
		}
		if id == "" {
			now = l
			continue
		}
		h.taken[id], h.bases[base] = true, true
	}
	return now, h, rows.Err()
}

// AddOps relies on the copy's row being locked by Copy: batches of one copy
// come one after another.
func (t copyTx) AddOps(layer submission.Layer, author uint64, at time.Time, ops []submission.Op) (now school.Layered, err error) {
	if len(ops) == 0 {
		now.Seq, err = t.LayerSeq(layer)
		return now, err
	}
	now, h, err := t.before(layer, ops)
	if err != nil {
		return now, err
	}
	var opRows []op
	var headRows []head
	var drop []string
	for _, o := range ops {
		c := submission.Decide(h, o)
		if c.Known {
			continue
		}
		h.taken[o.ID], h.bases[o.Base] = true, true
		body, err := json.Marshal(o)
		if err != nil {
			return now, err
		}
		now.Seq++
		now.Written += int64(len(body))
		opRows = append(opRows, op{t.id, layer, now.Seq, o.ID, o.Base, author, at, string(body)})
		headRows = slices.DeleteFunc(headRows, func(r head) bool { return r.OpID == c.Drop })
		if c.Drop != "" {
			drop = append(drop, c.Drop)
		}
		if c.Head != nil {
			b, err := json.Marshal(c.Head)
			if err != nil {
				return now, err
			}
			headRows = append(headRows, head{t.id, layer, o.ID, author, at, string(b)})
		}
	}
	if now.Fresh = len(opRows); now.Fresh == 0 {
		return now, nil
	}
	return now, t.write(layer, &now, opRows, headRows, drop)
}

// write writes what AddOps made of its operations. Every stroke takes this way,
// so it goes past GORM's callbacks, and in as few round trips as it can.
func (t copyTx) write(layer submission.Layer, now *school.Layered, ops []op, heads []head, drop []string) error {
	var b batch
	for _, o := range ops {
		b.row(o.CopyID, o.Layer, o.Seq, o.OpID, o.Base, o.AuthorID, o.At, o.Body)
	}
	b.insert("ops (copy_id, layer, seq, op_id, base, author_id, at, body)")
	if len(drop) > 0 {
		var sizes []int64
		if err := t.tx.Raw("DELETE FROM heads WHERE copy_id = ? AND layer = ? AND op_id IN ? RETURNING LENGTH(body)", t.id, layer, drop).Scan(&sizes).Error; err != nil {
			return err
		}
		for _, n := range sizes {
			now.Marks, now.Bytes = now.Marks-1, now.Bytes-n
		}
	}
	size := 0
	for _, h := range heads {
		b.row(h.CopyID, h.Layer, h.OpID, h.AuthorID, h.At, h.Body)
		now.Marks, now.Bytes = now.Marks+1, now.Bytes+int64(len(h.Body))
		size += len(h.Body)
	}
	b.insert("heads (copy_id, layer, op_id, author_id, at, body)")
	b.row(t.id, layer, now.Seq, now.Marks, now.Bytes, now.Written)
	b.insert("layers (copy_id, layer, seq, marks, bytes, written)")
	b.sql[len(b.sql)-1] += " ON DUPLICATE KEY UPDATE seq = VALUES(seq), marks = VALUES(marks), bytes = VALUES(bytes), written = VALUES(written)"
	return b.exec(t.tx, size < 1<<20)
}

// insert writes rows of so many columns in one statement.
func (t copyTx) insert(into string, columns int, values []any) error {
	if len(values) == 0 {
		return nil
	}
	var b batch
	for row := range slices.Chunk(values, columns) {
		b.row(row...)
	}
	b.insert(into)
	return b.exec(t.tx, false)
}

// A batch is statements with their values.
type batch struct {
	sql    []string
	values [][]any
	rows   []string // of the statement in hand
	now    []any
}

// row adds a row to what is inserted next.
func (b *batch) row(values ...any) {
	b.rows = append(b.rows, "("+strings.Repeat("?, ", len(values)-1)+"?)")
	b.now = append(b.now, values...)
}

// insert makes a statement of the rows so far.
func (b *batch) insert(into string) {
	if len(b.rows) > 0 {
		b.sql, b.values = append(b.sql, "INSERT INTO "+into+" VALUES "+strings.Join(b.rows, ", ")), append(b.values, b.now)
	}
	b.rows, b.now = nil, nil
}

// exec sends the statements: together in one round trip, as a compound
// statement, or each for itself when they are large.
func (b *batch) exec(tx *gorm.DB, together bool) error {
	if together && len(b.sql) > 1 {
		_, err := tx.Statement.ConnPool.ExecContext(tx.Statement.Context, "BEGIN NOT ATOMIC "+strings.Join(b.sql, "; ")+"; END", slices.Concat(b.values...)...)
		return err
	}
	for i, q := range b.sql {
		if _, err := tx.Statement.ConnPool.ExecContext(tx.Statement.Context, q, b.values[i]...); err != nil {
			return err
		}
	}
	return nil
}
