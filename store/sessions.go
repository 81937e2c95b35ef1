package store

import (
	"context"
	"database/sql"
	"errors"
	"math/rand/v2"
	"time"
)

// Sessions keeps sessions in the database, so that app processes hold none.
// It is an scs.CtxStore. The library's own store for MySQL does not know whose
// a session is, and a new password could not end the others.
type Sessions struct{ store *Store }

// Sessions returns where sessions are kept.
func (s *Store) Sessions() Sessions { return Sessions{s} }

// FindCtx returns what a session holds, if it has not ended.
func (s Sessions) FindCtx(ctx context.Context, token string) (b []byte, found bool, err error) {
	err = s.store.row(ctx, "SELECT data FROM sessions WHERE token = ? AND expiry > UTC_TIMESTAMP(6)", token).Scan(&b)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, false, nil
	}
	return b, err == nil, err
}

// CommitCtx keeps what a session holds: JSON with the person, if somebody is
// signed in. Now and then it clears away sessions that have ended.
func (s Sessions) CommitCtx(ctx context.Context, token string, b []byte, expiry time.Time) error {
	db := s.store.db.WithContext(ctx)
	err := db.Exec(`INSERT INTO sessions (token, data, expiry, person_id) VALUES (?, ?, ?, NULLIF(JSON_VALUE(?, '$.person'), 0))
		ON DUPLICATE KEY UPDATE data = VALUES(data), expiry = VALUES(expiry), person_id = VALUES(person_id)`, token, string(b), expiry.UTC(), string(b)).Error
	if err == nil && rand.IntN(200) == 0 {
		err = db.Exec("DELETE FROM sessions WHERE expiry < UTC_TIMESTAMP(6) LIMIT 500").Error
	}
	return err
}

// DeleteCtx ends a session.
func (s Sessions) DeleteCtx(ctx context.Context, token string) error {
	return s.store.db.WithContext(ctx).Exec("DELETE FROM sessions WHERE token = ?", token).Error
}

// Find, Commit and Delete are the same without a context, as scs.Store wants
// them; it never calls them.
func (s Sessions) Find(token string) ([]byte, bool, error) {
	return s.FindCtx(context.Background(), token)
}
func (s Sessions) Commit(token string, b []byte, expiry time.Time) error {
	return s.CommitCtx(context.Background(), token, b, expiry)
}
func (s Sessions) Delete(token string) error { return s.DeleteCtx(context.Background(), token) }
