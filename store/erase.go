package store

import (
	"context"
	"errors"
	"time"

	"gorm.io/gorm"

	"readymargin/school"
)

// DeletePerson deletes somebody with all that is theirs: copies, attempts,
// what they typed and said, and worksheets that nobody has. While others have
// one, assigned or begun, it is school.ErrInUse and nothing is deleted. What
// they said on others' copies stays, without their name. Blobs go with the
// next Sweep.
func (s *Store) DeletePerson(ctx context.Context, id uint64) error {
	return s.inTx(ctx, func(tx *gorm.DB) error {
		if _, err := first[school.Person](tx, "id = ?", id); err != nil {
			return err
		}
		var inUse int64
		if err := tx.Raw(`SELECT (SELECT COUNT(*) FROM handouts h JOIN worksheets w ON w.id = h.worksheet_id WHERE w.owner_id = ?) +
			(SELECT COUNT(*) FROM copies c JOIN revisions r ON r.id = c.revision_id JOIN worksheets w ON w.id = r.worksheet_id WHERE w.owner_id = ? AND c.owner <> ?)`, id, id, id).Row().Scan(&inUse); err != nil {
			return err
		}
		if inUse > 0 {
			return school.ErrInUse
		}
		for _, q := range []string{
			"DELETE FROM copies WHERE student_id = ?", // which may be of their own worksheets
			"DELETE FROM worksheets WHERE owner_id = ?",
			"DELETE FROM people WHERE id = ?",
		} {
			if err := tx.Exec(q, id).Error; err != nil {
				return err
			}
		}
		return sweepSoon(tx)
	})
}

// DeleteCourse deletes a course with its assignments and all copies of them.
// Its people and the worksheets stay.
func (s *Store) DeleteCourse(ctx context.Context, id uint64) error {
	return s.inTx(ctx, func(tx *gorm.DB) error {
		res := tx.Exec("DELETE FROM courses WHERE id = ?", id)
		switch {
		case res.Error != nil:
			return res.Error
		case res.RowsAffected == 0:
			return school.ErrNotFound
		}
		return errors.Join(dropUnused(tx, time.Now()), sweepSoon(tx))
	})
}

// dropUnused deletes the worksheets that were taken off their shelves by now and of
// which nothing is assigned and no copy is there any more.
func dropUnused(tx *gorm.DB, now time.Time) error {
	return tx.Exec(`DELETE FROM worksheets WHERE deleted_at <= ? AND NOT EXISTS (SELECT 1 FROM handouts WHERE handouts.worksheet_id = worksheets.id)
		AND NOT EXISTS (SELECT 1 FROM copies JOIN revisions ON revisions.id = copies.revision_id WHERE revisions.worksheet_id = worksheets.id)`, now.UTC()).Error
}

func sweepSoon(tx *gorm.DB) error { return addJob(tx, school.JobSweep, 0, time.Now()) }

// unreferenced says that nothing refers to a blob.
const unreferenced = `NOT EXISTS (SELECT 1 FROM sources WHERE file_hash = blobs.hash) AND NOT EXISTS (SELECT 1 FROM revisions WHERE file_hash = blobs.hash)
	AND NOT EXISTS (SELECT 1 FROM worksheet_attachments t WHERE t.hash = blobs.hash) AND NOT EXISTS (SELECT 1 FROM copy_attachments t WHERE t.hash = blobs.hash)
	AND NOT EXISTS (SELECT 1 FROM attempts WHERE snapshot_hash = blobs.hash) AND NOT EXISTS (SELECT 1 FROM attempts WHERE returned_hash = blobs.hash)
	AND NOT EXISTS (SELECT 1 FROM returns WHERE before_hash = blobs.hash)
	AND NOT EXISTS (SELECT 1 FROM withdrawn WHERE snapshot_hash = blobs.hash) AND NOT EXISTS (SELECT 1 FROM pictures WHERE blob_hash = blobs.hash)
	AND NOT EXISTS (SELECT 1 FROM ready_remarks WHERE sound = blobs.hash) AND NOT EXISTS (SELECT 1 FROM class_lines WHERE sound = blobs.hash)`

// Sweep deletes the blobs from before a time that nothing refers to, chunks that never
// became a blob, and what was heard in recordings. What is stored in this moment is
// younger; and where
// something refers to a blob after all, the foreign keys keep it.
func (s *Store) Sweep(ctx context.Context, before time.Time) (gone int, err error) {
	if err := dropUnused(s.db.WithContext(ctx), time.Now()); err != nil {
		return 0, err
	}
	for { // a file takes its pictures with it, which are blobs of their own
		var names []string
		if err := s.db.WithContext(ctx).Raw("SELECT hash FROM blobs WHERE created_at < ? AND "+unreferenced+" LIMIT 500", before.UTC()).Scan(&names).Error; err != nil {
			return gone, err
		}
		if len(names) == 0 {
			break
		}
		for _, name := range names {
			if err := s.DropBlob(ctx, name); err != nil {
				return gone, err
			}
			gone++
		}
	}
	if err := s.db.WithContext(ctx).Exec("DELETE FROM transcripts WHERE asked_at < ?", before.UTC()).Error; err != nil {
		return gone, err
	}
	return gone, s.db.WithContext(ctx).Exec("DELETE FROM blob_chunks WHERE created_at < ? AND NOT EXISTS (SELECT 1 FROM blobs WHERE blobs.hash = blob_chunks.hash)", before.UTC()).Error
}
