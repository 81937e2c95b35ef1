package store

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"math/rand/v2"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"readymargin/school"
)

// Devices are the browsers and addresses that people come from, and how often
// something was tried from them.
type Devices struct{ *base }

// subjectOf hides who is counted: a table of limits need not tell names.
func subjectOf(subject string) string {
	sum := sha256.Sum256([]byte(subject))
	return hex.EncodeToString(sum[:])
}

// Allow is the generic cell rate algorithm (ITU-T I.371, annex A, from
// memory): each try moves the subject's time on by one step, and may be that
// of burst tries ahead of the clock.
func (s Devices) Allow(ctx context.Context, subject string, p school.Pace, now time.Time) (wait time.Duration, err error) {
	key, now := subjectOf(subject), now.UTC()
	err = s.inTx(ctx, func(tx *gorm.DB) error {
		wait = 0
		// The row first, so that two who come at once meet at its lock.
		if err := tx.Exec("INSERT INTO allowances (subject, ahead_until) VALUES (?, ?) ON DUPLICATE KEY UPDATE subject = subject", key, now).Error; err != nil {
			return err
		}
		var ahead time.Time
		if err := tx.Raw("SELECT ahead_until FROM allowances WHERE subject = ? FOR UPDATE", key).Row().Scan(&ahead); err != nil {
			return err
		}
		if ahead.Before(now) {
			ahead = now
		}
		ahead = ahead.Add(p.Every)
		if wait = ahead.Add(-time.Duration(p.Burst) * p.Every).Sub(now); wait > 0 {
			return nil
		}
		return tx.Exec("UPDATE allowances SET ahead_until = ? WHERE subject = ?", ahead, key).Error
	})
	if err == nil && rand.IntN(200) == 0 {
		err = s.db.WithContext(ctx).Exec("DELETE FROM allowances WHERE ahead_until < ? LIMIT 500", now.Add(-time.Hour)).Error
	}
	return max(wait, 0), err
}

// GiveBack undoes one Allow.
func (s Devices) GiveBack(ctx context.Context, subject string, p school.Pace) error {
	return s.inTx(ctx, func(tx *gorm.DB) error {
		return tx.Exec("UPDATE allowances SET ahead_until = ahead_until - INTERVAL ? MICROSECOND WHERE subject = ?", p.Every.Microseconds(), subjectOf(subject)).Error
	})
}

// device is a row of devices.
type device struct {
	TokenHash string
	PersonID  uint64
	SeenAt    time.Time
	Label     string
}

// KnownDevice says whether a person has signed in on a device before.
func (s Devices) KnownDevice(ctx context.Context, tokenHash string, person uint64) (bool, error) {
	var n int64
	err := s.db.WithContext(ctx).Model(&device{}).Where("token_hash = ? AND person_id = ?", tokenHash, person).Count(&n).Error
	return n > 0, err
}

// AddDevice notes that a person has signed in on a device.
func (s Devices) AddDevice(ctx context.Context, tokenHash string, person uint64, label string, now time.Time) error {
	return s.db.WithContext(ctx).Clauses(clause.OnConflict{UpdateAll: true}).Create(&device{tokenHash, person, now, label}).Error
}

// DevicesOf returns a person's devices, the one last used first.
func (s Devices) DevicesOf(ctx context.Context, person uint64) ([]school.Device, error) {
	return all[school.Device](s.db.WithContext(ctx).Table("devices").Where("person_id = ?", person).Order("seen_at DESC"))
}

// NewPassword gives another password, and ends what was open with the old one.
func (s Devices) NewPassword(ctx context.Context, person uint64, hash, session string, now time.Time) error {
	return s.inTx(ctx, func(tx *gorm.DB) error {
		for _, q := range []struct {
			sql  string
			args []any
		}{
			{"UPDATE people SET password_hash = ? WHERE id = ?", []any{hash, person}},
			{"UPDATE sign_in_tokens SET used_at = ? WHERE person_id = ? AND used_at IS NULL", []any{now, person}},
		} {
			if err := tx.Exec(q.sql, q.args...).Error; err != nil {
				return err
			}
		}
		return endSessions(tx, person, session)
	})
}

// EndSessions ends all of a person's sessions but one.
func (s Devices) EndSessions(ctx context.Context, person uint64, session string) error {
	return s.inTx(ctx, func(tx *gorm.DB) error { return endSessions(tx, person, session) })
}

// endSessions ends a person's sessions but one, and forgets the devices.
func endSessions(tx *gorm.DB, person uint64, session string) error {
	if err := tx.Exec("DELETE FROM sessions WHERE person_id = ? AND token <> ?", person, session).Error; err != nil {
		return err
	}
	return tx.Exec("DELETE FROM devices WHERE person_id = ?", person).Error
}
