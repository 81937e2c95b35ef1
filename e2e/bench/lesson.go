package main

import (
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/url"
	"sync"
	"sync/atomic"
	"time"

	"readymargin/core/submission"
	"readymargin/e2e/house"
)

const (
	markers    = 30
	pace       = 2 * time.Second // between two changes of a student
	lessonLong = 20 * time.Second
)

// lesson: 3,000 students change something every two seconds, and 30 teachers go
// from copy to copy and give points meanwhile. What could not be kept is tried
// again, as browsers do, and counted; what was acknowledged is looked for after it.
func (b *bench) lesson() ([]line, error) {
	working, err := b.crowd("Lesson", students)
	if err != nil {
		return nil, err
	}
	marked, teacher, err := b.class("Lesson Marked", classLarge)
	if err != nil {
		return nil, err
	}
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 256, MaxConnsPerHost: 256}}
	defer client.CloseIdleConnections()
	desks := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: markers}} // the teachers' own, which wait behind nobody's here
	defer desks.CloseIdleConnections()
	var all sync.WaitGroup
	var refused atomic.Int64
	var mu sync.Mutex
	var saves, opens, gifts []float64
	timed := func(to *[]float64, do func() error) bool {
		began := time.Now()
		err := do()
		took := float64(time.Since(began).Microseconds()) / 1000
		if err != nil {
			refused.Add(1)
			return false
		}
		mu.Lock()
		*to = append(*to, took)
		mu.Unlock()
		return true
	}
	before, err := b.stored(working)
	if err != nil {
		return nil, err
	}
	began := time.Now()
	over := func() bool { return time.Since(began) > lessonLong }
	for i, s := range working.Seats {
		all.Go(func() {
			time.Sleep(rand.N(pace))
			for turn := 0; !over(); turn++ {
				next := time.Now().Add(pace)
				o := op("lesson", i, turn)
				for !timed(&saves, func() error { return s.Save(client, o) }) && !over() {
					time.Sleep(200 * time.Millisecond)
				}
				time.Sleep(time.Until(next))
			}
		})
	}
	for t := range markers {
		all.Go(func() {
			for turn := 0; !over(); turn++ {
				seat := marked.Seats[(t+markers*turn)%len(marked.Seats)]
				timed(&opens, func() error {
					_, err := teacher.Get(desks, fmt.Sprintf("/copies/%d/marking", seat.Copy))
					return err
				})
				for q := range questions {
					// The same points again change nothing, and whoever was faster has given the same.
					form := url.Values{"attempt": {"1"}, "question": {fmt.Sprint("question-", q)}, "points": {"1"}, "was": {""}}
					timed(&gifts, func() error { return teacher.Post(desks, fmt.Sprintf("/copies/%d/scores", seat.Copy), form) })
				}
				time.Sleep(time.Second)
			}
		})
	}
	all.Wait()
	took := time.Since(began).Seconds()
	after, err := b.stored(working)
	if err != nil {
		return nil, err
	}
	lost := float64(int64(len(saves)) - (after - before))
	return []line{
		{fmt.Sprintf("a lesson: 3,000 students and %d teachers, changes a second", markers), float64(len(saves)) / took, float64(students) / pace.Seconds(), "/s", 0.95, true, "one in two seconds each"},
		{"a lesson: saving, p50", percentile(saves, 0.5), 0, "ms", 10_000, false, ""}, // half of what a request may take
		{"a lesson: saving, p99", percentile(saves, 0.99), 0, "ms", 10_000, false, ""},
		{"a lesson: next copy while marking, p50", percentile(opens, 0.5), 0, "ms", 300, false, ""},
		{"a lesson: next copy while marking, p99", percentile(opens, 0.99), 0, "ms", 2000, false, ""},
		{"a lesson: points for a question, p99", percentile(gifts, 0.99), 0, "ms", 2000, false, ""},
		{"a lesson: requests that were refused", float64(refused.Load()), 0, "", 0, false, ""},
		{"a lesson: acknowledged changes that are not there", lost, 0, "", 0, false, ""},
	}, nil
}

// stored counts the changes of the work that a crowd's copies have.
func (b *bench) stored(c house.Crowd) (n int64, err error) {
	for _, s := range c.Seats {
		seq, err := b.house.Store.LayerSeq(b.ctx, s.Copy, submission.Work)
		if err != nil {
			return 0, err
		}
		n += seq
	}
	return n, nil
}
