package main

import (
	"bytes"
	"context"
	"crypto/rand"
	"database/sql"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"sync"
	"sync/atomic"
	"time"

	"readymargin/core/copy"
	"readymargin/core/flow"
	"readymargin/school"
	"readymargin/web"
)

const (
	students    = 3000
	connections = 32
	measured    = 3 * time.Second // a round
	rounds      = 4
)

// desks makes a course with many students, each with a copy and a session.
func (b *bench) desks(n int) (copies []uint64, tokens []string, err error) {
	s, st := b.house.School, b.house.Store
	teacher, err := s.AddPerson(b.ctx, "Bench Teacher", "a-long-password", false, true)
	if err != nil {
		return nil, nil, err
	}
	course, err := s.MakeCourse(b.ctx, teacher, "Bench", "UTC")
	if err != nil {
		return nil, nil, err
	}
	file, _, drop, err := sample()
	if err != nil {
		return nil, nil, err
	}
	defer drop()
	w, err := s.BringIn(b.ctx, teacher, school.Upload{Name: "bench.pdf", Data: file})
	if err != nil {
		return nil, nil, err
	}
	a, err := s.Assign(b.ctx, teacher, school.NewAssignment{Course: course.ID, Worksheet: w.ID, Terms: school.Terms{Points: "10"}})
	if err != nil {
		return nil, nil, err
	}
	db, err := st.DB()
	if err != nil {
		return nil, nil, err
	}
	for i := range n {
		p := school.Person{Name: fmt.Sprint("Bench Student ", i), Login: fmt.Sprint("bench.student.", i), PasswordHash: teacher.PasswordHash, Settings: "{}", CreatedAt: s.Now()}
		if err := st.AddPerson(b.ctx, &p); err != nil {
			return nil, nil, err
		}
		if _, err := s.Join(b.ctx, p, course.JoinCode); err != nil && i == 0 {
			return nil, nil, err
		}
		c, err := st.CopyFor(b.ctx, a.ID, p.ID, a.Handouts[0].RevisionID)
		if err != nil {
			return nil, nil, err
		}
		token := rand.Text() + rand.Text()[:17]
		until := time.Now().Add(time.Hour)
		data, err := web.SessionCodec{}.Encode(until, map[string]any{"person": int64(p.ID)})
		if err != nil {
			return nil, nil, err
		}
		if _, err := db.Exec("INSERT INTO sessions (token, data, expiry) VALUES (?, ?, ?)", token, data, until.UTC()); err != nil {
			return nil, nil, err
		}
		// A copy's first change also moves its state; what is measured is the
		// hundreds that follow.
		if _, err := s.Save(b.ctx, p, c.ID, copy.Work, []copy.Op{op("first", i, 0)}); err != nil {
			return nil, nil, err
		}
		copies, tokens = append(copies, c.ID), append(tokens, token)
	}
	return copies, tokens, nil
}

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
	copies, tokens, err := b.desks(students)
	if err != nil {
		return nil, err
	}
	db, err := b.house.Store.DB()
	if err != nil {
		return nil, err
	}
	bare := func(round int) func(w, turn int) error {
		return func(w, turn int) error {
			i := (w + turn*connections) % len(copies)
			return bareSave(b.ctx, db, copies[i], tokens[i], op(fmt.Sprint("bare", round), w, turn))
		}
	}
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: connections, MaxConnsPerHost: connections}}
	house := func(round int) func(w, turn int) error {
		return func(w, turn int) error {
			i := (w + turn*connections) % len(copies)
			return b.post(client, copies[i], tokens[i], op(fmt.Sprint("http", round), w, turn))
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
		{"autosaving, 3,000 students, changes a second", ours, ref, "/s", 0.7, true, "bare SQL"},
		{"autosaving, p99 under that load", percentile(times, 0.99), 0, "ms", 100, false, ""},
	}, nil
}

// post saves one change as a browser does.
func (b *bench) post(client *http.Client, id uint64, token string, o copy.Op) error {
	body, err := json.Marshal(map[string]any{"layer": copy.Work, "ops": []copy.Op{o}})
	if err != nil {
		return err
	}
	req, err := http.NewRequest("POST", fmt.Sprintf("%s/copies/%d/ops", b.house.Base, id), bytes.NewReader(body))
	if err != nil {
		return err
	}
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("Sec-Fetch-Site", "same-origin")
	req.AddCookie(&http.Cookie{Name: "readymargin", Value: token})
	res, err := client.Do(req)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	answer, _ := io.ReadAll(res.Body)
	if res.StatusCode != http.StatusOK {
		return fmt.Errorf("%d: %s", res.StatusCode, answer)
	}
	return nil
}

func op(who string, w, turn int) copy.Op {
	m := someMark(fmt.Sprintf("%s-mark-%03d-%06d", who, w, turn), 1, 0)
	return copy.Op{ID: fmt.Sprintf("%s-op-%03d-%06d", who, w, turn), On: m.ID, Mark: &m}
}

// bareSave is what one saved change asks of the database, as bare SQL: who
// asks and what it is about, then the change in one flushed transaction.
func bareSave(ctx context.Context, db *sql.DB, id uint64, token string, o copy.Op) error {
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
