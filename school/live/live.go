// Package live tells open screens what happens to their copies.
package live

import (
	"context"
	"errors"
	"maps"
	"slices"
	"sync"
	"time"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/submission"
	"readymargin/school"
)

// News says that something happened to a copy; what it is, is asked for.
type News struct {
	Seq      int64      `json:"seq"`
	State    flow.State `json:"state"`
	Moved    bool       `json:"moved"`    // the state moved, or something was returned
	Returned bool       `json:"returned"` // feedback has come back, for the first time or again
	Said     int64      `json:"said"`     // the newest of what both sides say at once
	Watchers []string   `json:"watchers"` // who looks at the student's work just now
}

const (
	// lookAgain is how often the store is asked without a wake-up, for changes
	// that another process took.
	lookAgain = 2 * time.Second
	// stillHere is how often those who hear nothing are told that the line stands.
	stillHere = 10 * time.Second
	// askAgain is how often it is asked whether somebody who hears nothing may
	// still listen.
	askAgain = time.Minute
)

// A Store tells how copies stand.
type Store interface {
	// Pulses returns how copies stand, of those that are there, and who has looked
	// at the work on them since a time.
	Pulses(ctx context.Context, copies []uint64, watchedSince time.Time) (map[uint64]school.Pulse, error)
}

// Live asks the store how the copies stand that people have open: all of
// them by one statement, however many screens there are. A change in this
// process only shortens the wait: what is new is always read from the store,
// so that several processes and a lost wake-up do no harm.
type Live struct {
	store Store
	gate  *school.Gate
	now   school.Clock

	mu      sync.Mutex
	waiting map[uint64]map[chan school.Pulse]bool // by copy
	changed map[uint64]bool                       // copies that were told of
	wake    chan struct{}
	asking  bool // ask is running: as long as anybody waits
}

// New returns a feed of what is stored.
func New(store Store, gate *school.Gate, now school.Clock) *Live {
	return &Live{store: store, gate: gate, now: now, waiting: map[uint64]map[chan school.Pulse]bool{}, changed: map[uint64]bool{}, wake: make(chan struct{}, 1)}
}

// listen returns where the newest pulse of a copy comes, again and again.
func (f *Live) listen(id uint64) (news chan school.Pulse, stop func()) {
	news = make(chan school.Pulse, 1)
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.waiting[id] == nil {
		f.waiting[id] = map[chan school.Pulse]bool{}
	}
	f.waiting[id][news] = true
	if !f.asking {
		f.asking = true
		go f.ask()
	}
	return news, func() {
		f.mu.Lock()
		defer f.mu.Unlock()
		delete(f.waiting[id], news)
		if len(f.waiting[id]) == 0 {
			delete(f.waiting, id)
		}
	}
}

// Listening returns how many wait for news.
func (f *Live) Listening() (n int) {
	f.mu.Lock()
	defer f.mu.Unlock()
	for _, all := range f.waiting {
		n += len(all)
	}
	return n
}

// Tell says that a copy has changed.
func (f *Live) Tell(id uint64) {
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.waiting[id] == nil {
		return
	}
	f.changed[id] = true
	select {
	case f.wake <- struct{}{}:
	default:
	}
}

// ask asks the store until nobody waits.
func (f *Live) ask() {
	tick := time.NewTicker(lookAgain)
	defer tick.Stop()
	for {
		all := false
		select {
		case <-f.wake:
		case <-tick.C:
			all = true
		}
		ids, ok := f.due(all)
		if !ok {
			return
		}
		ctx, cancel := context.WithTimeout(context.Background(), lookAgain)
		pulses, err := f.pulses(ctx, ids)
		cancel()
		if err == nil { // or else all are asked about at the next tick
			f.deliver(pulses)
		}
	}
}

// due returns the copies to ask about, and false when nobody waits any more.
func (f *Live) due(all bool) (ids []uint64, ok bool) {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.asking = len(f.waiting) > 0
	if all {
		ids = slices.Collect(maps.Keys(f.waiting))
	} else {
		ids = slices.Collect(maps.Keys(f.changed))
	}
	clear(f.changed)
	return ids, f.asking
}

// deliver puts each pulse where it is waited for, in place of an older one.
func (f *Live) deliver(pulses map[uint64]school.Pulse) {
	f.mu.Lock()
	defer f.mu.Unlock()
	for id, p := range pulses {
		for news := range f.waiting[id] {
			select {
			case <-news:
			default:
			}
			news <- p // only this goroutine sends, so there is room
		}
	}
}

// pulses asks how copies stand.
func (f *Live) pulses(ctx context.Context, ids []uint64) (map[uint64]school.Pulse, error) {
	return f.store.Pulses(ctx, ids, f.now().Add(-school.StillThere))
}

// Seen is what a screen knows already: the newest operation of the layer that it
// follows, and of what both sides say at once.
type Seen struct{ Seq, Said int64 }

// Follow calls tell with news of the layer that the person works in, until
// the context ends, and quiet now and then when there are none. Only layers
// that the person may read can be followed; it is asked again before
// everything that is told.
func (f *Live) Follow(ctx context.Context, who school.Person, id uint64, layer submission.Layer, seen Seen, tell func(News) error, quiet func() error) error {
	c, err := f.gate.Layer(ctx, who, id, access.ReadLayer, layer)
	if err != nil {
		return err
	}
	news, stop := f.listen(id)
	defer stop()
	first, err := f.pulses(ctx, []uint64{id})
	if err != nil {
		return err
	}
	if err := quiet(); err != nil {
		return err
	}
	state, returned, asked := c.Copy.State, first[id].Returned, time.Now()
	var watchers []string // that the person knows of
	hear := func(p school.Pulse) error {
		n := News{Seq: p.Seq[layer], State: p.State, Returned: !p.Returned.Equal(returned), Said: p.Seq[submission.Replies]}
		n.Moved = n.Returned || p.State != state
		if c.Role.Learns() {
			n.Watchers = p.Watchers
		} else {
			n.Said += p.Seq[submission.Among]
		}
		if n.Seq <= seen.Seq && n.Said <= seen.Said && !n.Moved && slices.Equal(n.Watchers, watchers) {
			return nil
		}
		if _, err := f.gate.Layer(ctx, who, id, access.ReadLayer, layer); err != nil {
			// Who looked at work that is submitted by now may know that it is.
			if _, other := f.gate.Layer(ctx, who, id, access.ReadLayer, submission.Replies); n.Moved && other == nil {
				return errors.Join(tell(News{State: p.State, Moved: true}), err)
			}
			return err
		}
		seen, watchers = Seen{n.Seq, n.Said}, n.Watchers
		state, returned, asked = p.State, p.Returned, time.Now()
		return tell(n)
	}
	if err := hear(first[id]); err != nil {
		return err
	}
	silence := time.NewTicker(stillHere)
	defer silence.Stop()
	for {
		select {
		case <-ctx.Done():
			return nil
		case p := <-news:
			if err := hear(p); err != nil {
				return err
			}
		case <-silence.C:
			if err := quiet(); err != nil {
				return err
			}
			if time.Since(asked) < askAgain {
				continue
			}
			if _, err := f.gate.Layer(ctx, who, id, access.ReadLayer, layer); err != nil {
				return err
			}
			asked = time.Now()
		}
	}
}
