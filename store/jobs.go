package store

import (
	"context"
	"time"

	"gorm.io/gorm"

	"readymargin/school"
)

// JobRows are what is to be done behind the requests.
type JobRows struct{ *base }

// addJob lets work be done behind the requests, once for a kind and a thing.
func addJob(tx *gorm.DB, kind school.JobKind, ref uint64, due time.Time) error {
	return tx.Exec(`INSERT INTO jobs (kind, ref, due_at, tries, error, created_at) VALUES (?, ?, ?, 0, '', UTC_TIMESTAMP(6))
		ON DUPLICATE KEY UPDATE due_at = LEAST(due_at, VALUES(due_at)), tries = 0`, kind, ref, due.UTC()).Error
}

// AddJob adds a job, or brings the one that is there forward.
func (s JobRows) AddJob(ctx context.Context, kind school.JobKind, ref uint64, due time.Time) error {
	return addJob(s.db.WithContext(ctx), kind, ref, due)
}

// LeaseJob passes over rows that another process is just taking (SKIP LOCKED).
func (s JobRows) LeaseJob(ctx context.Context, now, until time.Time, kinds ...school.JobKind) (j school.Job, err error) {
	err = s.inTx(ctx, func(tx *gorm.DB) error {
		err := tx.Raw(`SELECT id, kind, ref, tries FROM jobs WHERE due_at <= ? AND (leased_until IS NULL OR leased_until < ?) AND kind IN ?
			ORDER BY due_at, id LIMIT 1 FOR UPDATE SKIP LOCKED`, now, now, kinds).Row().Scan(&j.ID, &j.Kind, &j.Ref, &j.Tries)
		if err != nil {
			return known(err)
		}
		j.Tries++
		return tx.Exec("UPDATE jobs SET leased_until = ?, tries = ? WHERE id = ?", until, j.Tries, j.ID).Error
	})
	return j, err
}

// JobDone forgets a job, unless it was added once more while it was done (which counts
// its tries anew): then it is done again.
func (s JobRows) JobDone(ctx context.Context, id uint64) error {
	res := s.db.WithContext(ctx).Exec("DELETE FROM jobs WHERE id = ? AND tries > 0", id)
	if res.Error != nil || res.RowsAffected > 0 {
		return res.Error
	}
	return s.db.WithContext(ctx).Exec("UPDATE jobs SET leased_until = NULL WHERE id = ?", id).Error
}

// JobFailed keeps a job for another try, and why it failed.
func (s JobRows) JobFailed(ctx context.Context, id uint64, why string, again time.Time) error {
	return s.db.WithContext(ctx).Exec("UPDATE jobs SET leased_until = NULL, error = ?, due_at = ? WHERE id = ?", why, again.UTC(), id).Error
}

// Jobs returns what is to be done behind the requests, the oldest first.
func (s JobRows) Jobs(ctx context.Context) ([]school.Job, error) {
	return all[school.Job](s.db.WithContext(ctx).Order("created_at, id"))
}
