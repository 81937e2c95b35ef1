package main

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"net/http"
	"sync"
	"sync/atomic"
	"time"

	"readymargin/core/flow"
	"readymargin/core/submission"
)

const (
	students    = 3000
	connections = 32
	measured    = 3 * time.Second // a round
	rounds      = 4
)

// load runs do from many connections for a while, and returns the rate a
// second and the times in milliseconds.
func load(do func(worker, turn int) error) (rate float64, times []float64, err error) {
	var mu sync.Mutex
	var wg sync.WaitGroup
	var failed atomic.Pointer[error]
	start := time.Now()
	for w := range connections {
		wg.Go(func() {
			var mine []float64
			for turn := 0; time.Since(start) < measured; turn++ {
				began := time.Now()
				if err := do(w, turn); err != nil {
					failed.Store(&err)
					return
				}
				mine = append(mine, float64(time.Since(began).Microseconds())/1000)
			}
			mu.Lock()
			times = append(times, mine...)
			mu.Unlock()
		})
	}
	wg.Wait()
	if e := failed.Load(); e != nil {
		return 0, nil, *e
	}
	return float64(len(times)) / time.Since(start).Seconds(), times, nil
}

// save: autosaving over HTTP by 3,000 students, one change a request, beside
// the same statements as bare SQL from the same number of connections.
func (b *bench) save() ([]line, error) {
	crowd, err := b.crowd("Bench", students)
	if err != nil {
		return nil, err
	}
	seats := crowd.Seats
	db, err := b.house.Store.DB()
	if err != nil {
		return nil, err
	}
	bare := func(round int) func(w, turn int) error {
		return func(w, turn int) error {
			seat := seats[(w+turn*connections)%len(seats)]
			return bareSave(b.ctx, db, seat.Copy, seat.Session, op(fmt.Sprint("bare", round), w, turn))
		}
	}
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: connections, MaxConnsPerHost: connections}}
	house := func(round int) func(w, turn int) error {
		return func(w, turn int) error {
			return seats[(w+turn*connections)%len(seats)].Save(client, op(fmt.Sprint("http", round), w, turn))
		}
	}
	// In turns, so that what else the machine does falls on both.
	var ours, ref float64
	var times []float64
	for round := range rounds {
		r, _, err := load(bare(round))
		if err != nil {
			return nil, err
		}
		o, t, err := load(house(round))
		if err != nil {
			return nil, err
		}
		ref, ours, times = ref+r/rounds, ours+o/rounds, append(times, t...)
	}
	return []line{
		{"autosaving, 3,000 students, changes a second", ours, ref, "/s", 0.8, true, "bare SQL"},
		{"autosaving, p99 under that load", percentile(times, 0.99), 0, "ms", 100, false, ""},
	}, nil
}

func op(who string, w, turn int) submission.Op {
	m := someMark(fmt.Sprintf("%s-mark-%03d-%06d", who, w, turn), 1, 0)
	return submission.Op{ID: fmt.Sprintf("%s-op-%03d-%06d", who, w, turn), On: m.ID, Mark: &m}
}

// bareSave is what one saved change asks of the database, as bare SQL: who
// asks and what it is about, then the change in one flushed transaction.
func bareSave(ctx context.Context, db *sql.DB, id uint64, token string, o submission.Op) error {
	var n uint64
	var s string
	var b []byte
	var state flow.State
	read := func(dest any, q string, args ...any) error {
		err := db.QueryRowContext(ctx, q, args...).Scan(dest)
		if err == sql.ErrNoRows {
			return nil
		}
		return err
	}
	var role string
	var person uint64
	for _, err := range []error{
		read(&b, "SELECT data FROM sessions WHERE token = ? AND UTC_TIMESTAMP(6) < expiry", token),
		db.QueryRowContext(ctx, `SELECT c.student_id, m.role FROM copies c JOIN assignments a ON a.id = c.assignment_id JOIN revisions r ON r.id = c.revision_id
			LEFT JOIN memberships m ON m.course_id = a.course_id AND m.person_id = c.student_id WHERE c.id = ?`, id).Scan(&person, &role),
	} {
		if err != nil {
			return err
		}
	}
	body, err := json.Marshal(o)
	if err != nil {
		return err
	}
	tx, err := db.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	if err := tx.QueryRowContext(ctx, "SELECT state FROM copies WHERE id = ? FOR UPDATE", id).Scan(&state); err != nil {
		return err
	}
	if err := tx.QueryRowContext(ctx, "SELECT seq FROM layers WHERE copy_id = ? AND layer = 'work'", id).Scan(&n); err != nil && err != sql.ErrNoRows {
		return err
	}
	if err := tx.QueryRowContext(ctx, `SELECT op_id FROM ops WHERE copy_id = ? AND op_id IN (?)
		UNION ALL SELECT op_id FROM ops WHERE copy_id = ? AND base IN (?)`, id, o.ID, id, o.ID).Scan(&s); err != nil && err != sql.ErrNoRows {
		return err
	}
	now := time.Now().UTC()
	for _, c := range []struct {
		q    string
		args []any
	}{
		{"INSERT INTO layers (copy_id, layer, seq) VALUES (?, 'work', ?) ON DUPLICATE KEY UPDATE seq = VALUES(seq)", []any{id, n + 1}},
		{"INSERT INTO ops (copy_id, layer, seq, op_id, base, author_id, at, body) VALUES (?, 'work', ?, ?, '', ?, ?, ?)", []any{id, n + 1, o.ID, person, now, body}},
		{"INSERT INTO heads (copy_id, layer, op_id, author_id, at, body) VALUES (?, 'work', ?, ?, ?, ?)", []any{id, o.ID, person, now, body}},
	} {
		if _, err := tx.ExecContext(ctx, c.q, c.args...); err != nil {
			return err
		}
	}
	return tx.Commit()
}

// rush: 300 submit in one second, while eight others go on working.
func (b *bench) rush() ([]line, error) {
	crowd, err := b.crowd("Rush", 308)
	if err != nil {
		return nil, err
	}
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 320}}
	defer client.CloseIdleConnections()
	r := crowd.SubmitAll(client, 8)
	if len(r.Failed) > 0 {
		return nil, fmt.Errorf("%d of the requests failed: %w", len(r.Failed), r.Failed[0])
	}
	submits, others := milliseconds(r.Submits), milliseconds(r.Others)
	return []line{
		{"300 submit in one second, all come in, p50", percentile(submits, 0.5), 0, "ms", 2000, false, ""},
		{"300 submit in one second, all come in, p99", percentile(submits, 0.99), 0, "ms", 2000, false, ""},
		{"others meanwhile, start page and saving, p99", percentile(others, 0.99), 0, "ms", 300, false, ""},
	}, nil
}

func milliseconds(all []time.Duration) []float64 {
	out := make([]float64, len(all))
	for i, d := range all {
		out[i] = float64(d.Microseconds()) / 1000
	}
	return out
}
