package school

import (
	"context"
	"sync"
	"time"

	"readymargin/core/access"
	"readymargin/core/copy"
	"readymargin/core/flow"
)

// feed wakes those who wait for news of a copy. It only shortens the wait:
// what is new is always read from the store, so that several processes and a
// lost wake-up do no harm.
type feed struct {
	mu      sync.Mutex
	waiting map[uint64]map[chan struct{}]bool
}

func newFeed() *feed { return &feed{waiting: map[uint64]map[chan struct{}]bool{}} }

func (f *feed) listen(id uint64) (news chan struct{}, stop func()) {
	news = make(chan struct{}, 1)
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.waiting[id] == nil {
		f.waiting[id] = map[chan struct{}]bool{}
	}
	f.waiting[id][news] = true
	return news, func() {
		f.mu.Lock()
		defer f.mu.Unlock()
		delete(f.waiting[id], news)
		if len(f.waiting[id]) == 0 {
			delete(f.waiting, id)
		}
	}
}

func (f *feed) tell(id uint64) {
	f.mu.Lock()
	defer f.mu.Unlock()
	for news := range f.waiting[id] {
		select {
		case news <- struct{}{}:
		default:
		}
	}
}

// News says that something happened to a copy; what it is, is asked for.
type News struct {
	Seq      int64      `json:"seq"`
	State    flow.State `json:"state"`
	Moved    bool       `json:"moved"`    // the state moved, or something was returned
	Returned bool       `json:"returned"` // feedback has come back, for the first time or again
}

// lookAgain is how often the store is asked without a wake-up, for changes
// that another process took.
const lookAgain = 4 * time.Second

// Follow calls tell with news of the layer that the person works in, until
// the context ends, and quiet now and then when there are none. Only layers
// that the person may read can be followed.
func (s *School) Follow(ctx context.Context, who Person, id uint64, layer copy.Layer, seq int64, tell func(News) error, quiet func() error) error {
	c, err := s.standing(ctx, who, id, access.ReadLayer, layer)
	if err != nil {
		return err
	}
	news, stop := s.feed.listen(id)
	defer stop()
	state := c.Copy.State
	returned, err := s.lastReturn(ctx, id)
	if err != nil {
		return err
	}
	if err := quiet(); err != nil {
		return err
	}
	for {
		now, err := s.standing(ctx, who, id, access.ReadLayer, layer)
		if err != nil {
			return err
		}
		have, err := s.Store.LayerSeq(ctx, id, layer)
		if err != nil {
			return err
		}
		again, err := s.lastReturn(ctx, id)
		if err != nil {
			return err
		}
		n := News{Seq: have, State: now.Copy.State, Returned: !again.Equal(returned)}
		n.Moved = n.Returned || now.Copy.State != state
		if have > seq || n.Moved {
			if err := tell(n); err != nil {
				return err
			}
			seq, state, returned = n.Seq, now.Copy.State, again
		}
		select {
		case <-ctx.Done():
			return nil
		case <-news:
		case <-time.After(lookAgain):
			if err := quiet(); err != nil {
				return err
			}
		}
	}
}

func (s *School) lastReturn(ctx context.Context, id uint64) (t time.Time, err error) {
	attempts, err := s.Store.Attempts(ctx, id)
	for _, a := range attempts {
		if a.ReturnedAt != nil && a.ReturnedAt.After(t) {
			t = *a.ReturnedAt
		}
	}
	return t, err
}
