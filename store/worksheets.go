package store

import (
	"context"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/worksheet"
	"readymargin/school"
)

// Worksheets are what teachers brought in, and what students get of it.
type Worksheets struct{ *base }

// AddWorksheet adds a worksheet with its files; one whose words are not read yet
// gets a job for that.
func (s Worksheets) AddWorksheet(ctx context.Context, w *school.Worksheet, sources []school.Source, attachments []school.WorksheetAttachment) error {
	return s.inTx(ctx, func(tx *gorm.DB) error {
		w.ID = 0
		if err := tx.Create(w).Error; err != nil {
			return err
		}
		for i := range sources {
			sources[i].WorksheetID = w.ID
		}
		for i := range attachments {
			attachments[i].WorksheetID = w.ID
		}
		if len(attachments) > 0 {
			if err := tx.Create(attachments).Error; err != nil {
				return err
			}
		}
		if err := tx.Create(sources).Error; err != nil || !w.Reading {
			return err
		}
		return addJob(tx, school.JobRead, w.ID, w.CreatedAt)
	})
}

// Worksheet returns one.
func (s Worksheets) Worksheet(ctx context.Context, id uint64) (school.Worksheet, error) {
	return first[school.Worksheet](s.db.WithContext(ctx), "id = ?", id)
}

// sharedWith says that a worksheet is shared with a person: with the school, or with
// a course in which they teach or mark. It is told the person twice.
const sharedWith = `EXISTS (SELECT 1 FROM worksheet_shares s LEFT JOIN memberships m ON m.course_id = s.course_id AND m.person_id = ?
	WHERE s.worksheet_id = worksheets.id AND (s.course_id IS NULL OR m.role IN ('teacher', 'assistant')) AND worksheets.owner_id <> NULLIF(?, 0)`

// WorksheetFor returns a worksheet with whether it is shared with somebody.
func (s Worksheets) WorksheetFor(ctx context.Context, id, person uint64) (school.WorksheetFor, error) {
	return first[school.WorksheetFor](s.db.WithContext(ctx).Table("worksheets").
		Select("worksheets.*, "+sharedWith+") AS shared, "+sharedWith+" AND s.may_change) AS changes", person, person, person, person), "worksheets.id = ?", id)
}

// WorksheetsOf returns a person's worksheets and those that are shared with them, the
// newest first, with where they are assigned; words are looked for in titles and
// print, by their beginnings.
func (s Worksheets) WorksheetsOf(ctx context.Context, person uint64, words []string) (out []school.Shelved, err error) {
	db := s.db.WithContext(ctx)
	q := db.Table("worksheets").Select("worksheets.*, IF(worksheets.owner_id <=> NULLIF(?, 0), '', people.name) AS owner, "+sharedWith+" AND s.may_change) AS may_change", person, person, person).
		Joins("LEFT JOIN people ON people.id = worksheets.owner_id").
		Where("worksheets.deleted_at IS NULL AND (worksheets.owner_id <=> NULLIF(?, 0) OR worksheets.archived_at IS NULL AND "+sharedWith+"))", person, person, person).Order("worksheets.id DESC")
	if len(words) > 0 {
		title, print := q.Session(&gorm.Session{NewDB: true}), make([]string, len(words))
		for i, w := range words {
			title = title.Where("title LIKE ?", "%"+w+"%")
			print[i] = "+" + w + "*"
		}
		q = q.Where(title.Or(`worksheets.id IN (SELECT worksheet_id FROM sources JOIN file_pages ON file_pages.file_hash = sources.file_hash
			WHERE MATCH (file_pages.text) AGAINST (? IN BOOLEAN MODE))`, strings.Join(print, " ")))
	}
	if err = q.Scan(&out).Error; err != nil || len(out) == 0 {
		return out, err
	}
	ids, at := make([]uint64, len(out)), map[uint64]*school.Shelved{}
	for i := range out {
		ids[i], at[out[i].ID] = out[i].ID, &out[i]
	}
	uses, err := usesOf(db, ids...)
	for _, u := range uses {
		if w := at[u.WorksheetID]; w.OwnerID == person {
			w.Used = append(w.Used, u)
		}
	}
	return out, err
}

// SetShares says with whom a worksheet is shared, in place of what was said.
func (s Worksheets) SetShares(ctx context.Context, worksheet uint64, shares []school.Share) error {
	return s.inTx(ctx, func(tx *gorm.DB) error {
		if err := tx.Exec("DELETE FROM worksheet_shares WHERE worksheet_id = ?", worksheet).Error; err != nil || len(shares) == 0 {
			return err
		}
		return tx.Table("worksheet_shares").Create(&shares).Error
	})
}

// Shares returns with whom a worksheet is shared.
func (s Worksheets) Shares(ctx context.Context, worksheet uint64) ([]school.Share, error) {
	return all[school.Share](s.db.WithContext(ctx).Table("worksheet_shares").Where("worksheet_id = ?", worksheet).Order("course_id"))
}

// DropWorksheet deletes a worksheet of which nothing is assigned and no copy is there,
// or notes since when it is to be deleted.
func (s Worksheets) DropWorksheet(ctx context.Context, id uint64, at time.Time) error {
	return s.inTx(ctx, func(tx *gorm.DB) error {
		if err := tx.Exec("UPDATE worksheets SET deleted_at = ? WHERE id = ?", at, id).Error; err != nil {
			return err
		}
		if err := tx.Exec("DELETE FROM worksheet_shares WHERE worksheet_id = ?", id).Error; err != nil {
			return err
		}
		if err := dropUnused(tx, at); err != nil {
			return err
		}
		return sweepSoon(tx)
	})
}

// LetGo notes since when a worksheet is there only for what has it. What nothing has is
// swept away later: a class lets go of its sheets in the same moment.
func (s Worksheets) LetGo(ctx context.Context, id uint64, at time.Time) error {
	return s.db.WithContext(ctx).Exec("UPDATE worksheets SET deleted_at = ? WHERE id = ?", at, id).Error
}

// SetTitle gives a worksheet another title.
func (s Worksheets) SetTitle(ctx context.Context, worksheet uint64, title string) error {
	return s.db.WithContext(ctx).Exec("UPDATE worksheets SET title = ? WHERE id = ?", title, worksheet).Error
}

// ChangeWorksheet holds the row while change has it, and adds a file if there is
// one.
func (s Worksheets) ChangeWorksheet(ctx context.Context, id uint64, change func(*school.Worksheet) error, add *school.Source) error {
	return s.inTx(ctx, func(tx *gorm.DB) error {
		w, err := first[school.Worksheet](tx.Clauses(clause.Locking{Strength: "UPDATE"}), "id = ?", id)
		if err != nil {
			return err
		}
		if err := change(&w); err != nil {
			return err
		}
		if err := tx.Save(&w).Error; err != nil || add == nil {
			return err
		}
		return tx.Create(add).Error
	})
}

// Sources returns the files that a worksheet was brought in as.
func (s Worksheets) Sources(ctx context.Context, worksheet uint64) ([]school.Source, error) {
	return all[school.Source](s.db.WithContext(ctx).Where("worksheet_id = ?", worksheet).Order("number"))
}

// AddRevision adds a revision with what its pages have to be worked on.
func (s Worksheets) AddRevision(ctx context.Context, r *school.Revision) error {
	return known(s.inTx(ctx, func(tx *gorm.DB) error {
		r.ID = 0
		if err := tx.Create(r).Error; err != nil {
			return err
		}
		return putGuides(tx, r.ID, r.Guides)
	}))
}

// revisionGuide is a row of revision_guides.
type revisionGuide struct {
	RevisionID uint64
	Page       int
	Guide      worksheet.Guide `gorm:"serializer:json"`
}

func putGuides(tx *gorm.DB, revision uint64, guides []worksheet.Guide) error {
	rows := make([]revisionGuide, len(guides))
	for i, g := range guides {
		rows[i] = revisionGuide{revision, i + 1, g}
	}
	if len(rows) == 0 {
		return nil
	}
	return tx.CreateInBatches(rows, 20).Error
}

// RevisionGuides returns what each page of a revision has to be worked on.
func (s Worksheets) RevisionGuides(ctx context.Context, revision uint64) ([]worksheet.Guide, error) {
	rows, err := all[revisionGuide](s.db.WithContext(ctx).Where("revision_id = ?", revision).Order("page"))
	out := make([]worksheet.Guide, len(rows))
	for i, r := range rows {
		out[i] = r.Guide
	}
	return out, err
}

// Revision returns one, without its guides.
func (s Worksheets) Revision(ctx context.Context, id uint64) (school.Revision, error) {
	return first[school.Revision](s.db.WithContext(ctx), "id = ?", id)
}

// RevisedIn returns revisions with their worksheets as they are now.
func (s Worksheets) RevisedIn(ctx context.Context, ids ...uint64) ([]school.Revised, error) {
	return all[school.Revised](s.db.WithContext(ctx).Table("revisions").
		Select("revisions.*, worksheets.title AS now_title, worksheets.plan AS now_plan, COALESCE(worksheets.kit, '') AS now_kit").
		Joins("JOIN worksheets ON worksheets.id = revisions.worksheet_id").Where("revisions.id IN ?", ids).Order("revisions.id"))
}

// LatestRevision returns what was handed out last of a worksheet.
func (s Worksheets) LatestRevision(ctx context.Context, worksheet uint64) (school.Revision, error) {
	return first[school.Revision](s.db.WithContext(ctx).Order("number DESC"), "worksheet_id = ?", worksheet)
}

// SetRevisionFile gives a revision another file with the same pages.
func (s Worksheets) SetRevisionFile(ctx context.Context, revision uint64, hash string) error {
	return s.db.WithContext(ctx).Exec("UPDATE revisions SET file_hash = ? WHERE id = ?", hash, revision).Error
}

// Reissue lets a worksheet's assignments go on with a revision; copies that are
// begun stay as they are.
func (s Worksheets) Reissue(ctx context.Context, worksheet, revision uint64) (begun int, err error) {
	err = s.inTx(ctx, func(tx *gorm.DB) error {
		if err := tx.Exec("UPDATE handouts SET revision_id = ? WHERE worksheet_id = ?", revision, worksheet).Error; err != nil {
			return err
		}
		if err := tx.Exec(`UPDATE copies JOIN revisions ON revisions.id = copies.revision_id SET copies.revision_id = ?
			WHERE revisions.worksheet_id = ? AND state = ?`, revision, worksheet, flow.NotStarted).Error; err != nil {
			return err
		}
		return tx.Raw(`SELECT COUNT(*) FROM copies JOIN revisions ON revisions.id = copies.revision_id LEFT JOIN people ON people.id = copies.student_id
			WHERE revisions.worksheet_id = ? AND copies.revision_id <> ? AND people.practice_of IS NULL`, worksheet, revision).Row().Scan(&begun)
	})
	return begun, err
}

// Uses returns where a worksheet is assigned, the newest first.
func (s Worksheets) Uses(ctx context.Context, worksheet uint64) ([]school.Use, error) {
	return usesOf(s.db.WithContext(ctx), worksheet)
}

// usesOf returns where worksheets are assigned, the newest first.
func usesOf(db *gorm.DB, worksheets ...uint64) (out []school.Use, err error) {
	err = db.Raw(`SELECT DISTINCT h.worksheet_id, a.id AS assignment_id, a.title, courses.name AS course,
		(SELECT COUNT(*) FROM copies JOIN revisions r ON r.id = copies.revision_id LEFT JOIN people ON people.id = copies.student_id
			WHERE copies.assignment_id = a.id AND r.worksheet_id = h.worksheet_id AND state <> ? AND people.practice_of IS NULL) AS begun
		FROM handouts h JOIN assignments a ON a.id = h.assignment_id JOIN courses ON courses.id = a.course_id
		WHERE h.worksheet_id IN ? ORDER BY a.id DESC`, flow.NotStarted, worksheets).Scan(&out).Error
	return out, err
}

// Holdings returns what gives somebody a revision to see: a copy of it, a course in
// which it is handed out and they learn or mark.
func (s Worksheets) Holdings(ctx context.Context, revision, person uint64) (out []school.Holding, err error) {
	learns, marks := []access.Role{access.Student, access.Practice}, []access.Role{access.Assistant, access.Teacher}
	rows, err := s.db.WithContext(ctx).Raw(`SELECT m.role, m.section, a.id, COALESCE(c.id, 0), COALESCE(c.owner, 0), COALESCE(c.state, ''), COALESCE(c.attempts, 0), c.started_at, `+decides+`
		FROM memberships m JOIN assignments a ON a.course_id = m.course_id
		LEFT JOIN copies c ON m.role IN ? AND c.assignment_id = a.id AND c.revision_id = ? AND c.owner IN (m.person_id, 0)
		WHERE m.person_id = ? AND (c.id IS NOT NULL OR m.role IN ? AND EXISTS (SELECT 1 FROM handouts h WHERE h.assignment_id = a.id AND h.revision_id = ?)
			OR m.role IN ? AND EXISTS (SELECT 1 FROM copies o WHERE o.assignment_id = a.id AND o.revision_id = ?))`,
		learns, revision, person, append(marks, learns...), revision, marks, revision).Rows()
	if err != nil {
		return nil, known(err)
	}
	defer rows.Close()
	for rows.Next() {
		var h school.Holding
		d := deciding{to: &h.Assignment}
		if err := rows.Scan(append([]any{&h.Role, &h.Section, &h.Assignment.ID, &h.Copy.ID, &h.Copy.StudentID, &h.Copy.State, &h.Copy.Attempts, &h.Copy.StartedAt}, d.columns()...)...); err != nil {
			return nil, err
		}
		if err := d.read(); err != nil {
			return nil, err
		}
		out = append(out, h)
	}
	return out, rows.Err()
}

// AddFilePages adds what is known of a file's pages; what is there stays.
func (s Worksheets) AddFilePages(ctx context.Context, pages []school.FilePage) error {
	return s.addFilePages(ctx, pages, clause.OnConflict{DoNothing: true})
}

// addFilePages adds pages; words that are to be read in pictures get a job for that.
func (s Worksheets) addFilePages(ctx context.Context, pages []school.FilePage, or clause.OnConflict) error {
	return s.inTx(ctx, func(tx *gorm.DB) error {
		if err := tx.Clauses(or).CreateInBatches(pages, 20).Error; err != nil {
			return err
		}
		if !slices.ContainsFunc(pages, func(p school.FilePage) bool { return p.Wordless }) {
			return nil
		}
		return addJob(tx, school.JobScans, 0, time.Now())
	})
}

// Wordless returns a file of which a page is a picture without words, one that was
// brought in before those that were made of such; ErrNotFound when there is none.
func (s Worksheets) Wordless(ctx context.Context) (hash string, err error) {
	err = s.db.WithContext(ctx).Raw(`SELECT p.file_hash FROM file_pages p WHERE p.wordless
		ORDER BY EXISTS (SELECT 1 FROM sources WHERE sources.file_hash = p.file_hash) DESC, p.file_hash LIMIT 1`).Row().Scan(&hash)
	return hash, known(err)
}

// SetPageWords notes what was read on a page, which is wordless no more.
func (s Worksheets) SetPageWords(ctx context.Context, p school.FilePage) error {
	return s.db.WithContext(ctx).Exec("UPDATE file_pages SET text_layer = ?, text = ?, guide = ?, wordless = FALSE WHERE file_hash = ? AND number = ?",
		p.TextLayer, p.Text, p.Guide, p.FileHash, p.Number).Error
}

// ReadAnew lets words wait on pages of a file once more.
func (s Worksheets) ReadAnew(ctx context.Context, file string, pages []int) error {
	return s.inTx(ctx, func(tx *gorm.DB) error {
		if err := tx.Exec("UPDATE file_pages SET wordless = TRUE WHERE file_hash = ? AND number IN ?", file, pages).Error; err != nil {
			return err
		}
		return addJob(tx, school.JobScans, 0, time.Now())
	})
}

// KitsWith returns the kits of the worksheets that a file was brought in for, or is handed
// out of, the newest first.
func (s Worksheets) KitsWith(ctx context.Context, file string) (kits []string, err error) {
	err = s.db.WithContext(ctx).Raw(`SELECT kit FROM worksheets WHERE id IN (SELECT worksheet_id FROM sources WHERE file_hash = @file
		UNION SELECT worksheet_id FROM revisions WHERE file_hash = @file) ORDER BY id DESC`, map[string]any{"file": file}).Scan(&kits).Error
	return kits, err
}

// RevisionsWith returns the revisions that hand out a file, without their guides.
func (s Worksheets) RevisionsWith(ctx context.Context, file string) ([]school.Revision, error) {
	return all[school.Revision](s.db.WithContext(ctx).Where("file_hash = ?", file).Order("id"))
}

// RevisionsOf returns all revisions of a worksheet, without their guides.
func (s Worksheets) RevisionsOf(ctx context.Context, worksheet uint64) ([]school.Revision, error) {
	return all[school.Revision](s.db.WithContext(ctx).Where("worksheet_id = ?", worksheet).Order("id"))
}

// Reread gives a revision whose words have come, or were put right, its guides anew.
func (s Worksheets) Reread(ctx context.Context, revision uint64, guides []worksheet.Guide) error {
	return s.inTx(ctx, func(tx *gorm.DB) error {
		if err := tx.Exec("DELETE FROM revision_guides WHERE revision_id = ?", revision).Error; err != nil {
			return err
		}
		if err := putGuides(tx, revision, guides); err != nil {
			return err
		}
		return tx.Exec("UPDATE revisions SET reread = reread + 1 WHERE id = ?", revision).Error
	})
}

// SetFilePages writes what is known of a file's pages over what is there.
func (s Worksheets) SetFilePages(ctx context.Context, pages []school.FilePage) error {
	return s.addFilePages(ctx, pages, clause.OnConflict{UpdateAll: true})
}

// FilePages returns a file's pages without what is large.
func (s Worksheets) FilePages(ctx context.Context, file string) ([]school.FilePage, error) {
	return all[school.FilePage](s.db.WithContext(ctx).Omit("text_layer", "text", "guide").Where("file_hash = ?", file).Order("number"))
}

// FileGuides returns what was found on each page of a file.
func (s Worksheets) FileGuides(ctx context.Context, file string) (out []string, err error) {
	err = s.db.WithContext(ctx).Table("file_pages").Where("file_hash = ?", file).Order("number").Pluck("guide", &out).Error
	return out, err
}

// TextLayers returns what is printed on each page of a file, as JSON of words.Page.
func (s Worksheets) TextLayers(ctx context.Context, file string) (out []string, err error) {
	err = s.db.WithContext(ctx).Table("file_pages").Where("file_hash = ?", file).Order("number").Pluck("text_layer", &out).Error
	return out, err
}

// AddWorksheetAttachment notes that a sound or a picture lies with a worksheet.
func (s Worksheets) AddWorksheetAttachment(ctx context.Context, e school.WorksheetAttachment) error {
	return s.db.WithContext(ctx).Clauses(clause.OnConflict{DoNothing: true}).Create(&e).Error
}

// WorksheetAttachments returns the sounds and pictures that lie with a worksheet.
func (s Worksheets) WorksheetAttachments(ctx context.Context, worksheet uint64) ([]school.WorksheetAttachment, error) {
	return all[school.WorksheetAttachment](s.db.WithContext(ctx).Where("worksheet_id = ?", worksheet))
}

// FilePage returns one page with all that is known of it.
func (s Worksheets) FilePage(ctx context.Context, file string, number int) (school.FilePage, error) {
	return first[school.FilePage](s.db.WithContext(ctx), "file_hash = ? AND number = ?", file, number)
}

// picture is a row of pictures.
type picture struct {
	FileHash  string
	Page      int
	Scale     int
	Light     bool
	BlobHash  string
	MediaType string
}

// Picture returns the blob of a page's picture.
func (s Worksheets) Picture(ctx context.Context, file string, page, scale int, light bool) (hash, mediaType string, err error) {
	p, err := first[picture](s.db.WithContext(ctx), "file_hash = ? AND page = ? AND scale = ? AND light = ?", file, page, scale, light)
	return p.BlobHash, p.MediaType, err
}

// SetPicture notes the blob of a page's picture.
func (s Worksheets) SetPicture(ctx context.Context, file string, page, scale int, light bool, hash, mediaType string) error {
	return s.db.WithContext(ctx).Clauses(clause.OnConflict{DoNothing: true}).
		Create(&picture{file, page, scale, light, hash, mediaType}).Error
}
