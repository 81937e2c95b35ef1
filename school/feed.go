package school

import (
	"context"
	"maps"
	"slices"
	"sync"
	"time"

	"readymargin/core/access"
	"readymargin/core/copy"
	"readymargin/core/flow"
)

// News says that something happened to a copy; what it is, is asked for.
type News struct {
	Seq      int64      `json:"seq"`
	State    flow.State `json:"state"`
	Moved    bool       `json:"moved"`    // the state moved, or something was returned
	Returned bool       `json:"returned"` // feedback has come back, for the first time or again
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

// A feed asks the store how the copies stand that people have open: all of
// them by one statement, however many screens there are. A change in this
// process only shortens the wait: what is new is always read from the store,
// so that several processes and a lost wake-up do no harm.
type feed struct {
	pulses func(ctx context.Context, copies []uint64) (map[uint64]Pulse, error)

	mu      sync.Mutex
	waiting map[uint64]map[chan Pulse]bool // by copy
	changed map[uint64]bool                // copies that were told of
	wake    chan struct{}
	asking  bool // ask is running: as long as anybody waits
}

func newFeed(pulses func(context.Context, []uint64) (map[uint64]Pulse, error)) *feed {
	return &feed{pulses: pulses, waiting: map[uint64]map[chan Pulse]bool{}, changed: map[uint64]bool{}, wake: make(chan struct{}, 1)}
}

// listen returns where the newest pulse of a copy comes, again and again.
func (f *feed) listen(id uint64) (news chan Pulse, stop func()) {
	news = make(chan Pulse, 1)
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.waiting[id] == nil {
		f.waiting[id] = map[chan Pulse]bool{}
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
func (s *School) Listening() (n int) {
	s.feed.mu.Lock()
	defer s.feed.mu.Unlock()
	for _, all := range s.feed.waiting {
		n += len(all)
	}
	return n
}

// tell says that a copy has changed.
func (f *feed) tell(id uint64) {
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
func (f *feed) ask() {
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
func (f *feed) due(all bool) (ids []uint64, ok bool) {
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
func (f *feed) deliver(pulses map[uint64]Pulse) {
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

// Changes are what became of the work on a copy after an operation: it costs
// what was changed, however much there is.
type Changes struct {
	Seq   int64      `json:"seq"`
	On    []string   `json:"on"`    // the marks that were put, changed or removed
	Gone  []string   `json:"gone"`  // versions that are not present, whether they were or not
	Marks []ViewMark `json:"marks"` // versions that are present
	All   bool       `json:"all"`   // too much was changed: what is present is to be asked for
}

// mostChanges is how many operations are told one by one.
const mostChanges = 500

// Changes returns what was changed in the work after an operation, for those
// who may write there.
func (s *School) Changes(ctx context.Context, who Person, id uint64, after int64) (out Changes, err error) {
	if _, err := s.standing(ctx, who, id, access.ReadLayer, copy.Work); err != nil {
		return out, err
	}
	out = Changes{Seq: after, On: []string{}, Gone: []string{}, Marks: []ViewMark{}}
	now, err := s.Store.LayerSeq(ctx, id, copy.Work)
	if err != nil {
		return out, err
	}
	if out.All = after < 0 || now-after > mostChanges; out.All {
		return out, nil
	}
	ops, err := s.Store.OpsAfter(ctx, id, copy.Work, after)
	if err != nil || len(ops) == 0 {
		return out, err
	}
	var names []string
	for _, o := range ops {
		out.Seq, names, out.On, out.Gone = o.Seq, append(names, o.Op.ID), append(out.On, o.Op.On), append(out.Gone, o.Op.ID)
		if o.Op.Base != "" {
			out.Gone = append(out.Gone, o.Op.Base)
		}
	}
	heads, err := s.Store.HeadsAmong(ctx, id, copy.Work, names)
	if err != nil {
		return out, err
	}
	present := map[string]bool{}
	for _, h := range heads {
		if h.Mark != nil {
			present[h.Op] = true
			out.Marks = append(out.Marks, viewMark(copy.Work, copy.Shown{Version: h.Op, Mark: *h.Mark}, h.AuthorName, h.AuthorID == who.ID, h.At, true))
		}
	}
	out.Gone = slices.DeleteFunc(out.Gone, func(op string) bool { return present[op] })
	return out, nil
}

// Follow calls tell with news of the layer that the person works in, until
// the context ends, and quiet now and then when there are none. Only layers
// that the person may read can be followed; it is asked again before
// everything that is told.
func (s *School) Follow(ctx context.Context, who Person, id uint64, layer copy.Layer, seq int64, tell func(News) error, quiet func() error) error {
	c, err := s.standing(ctx, who, id, access.ReadLayer, layer)
	if err != nil {
		return err
	}
	news, stop := s.feed.listen(id)
	defer stop()
	first, err := s.Store.Pulses(ctx, []uint64{id})
	if err != nil {
		return err
	}
	if err := quiet(); err != nil {
		return err
	}
	state, returned, asked := c.Copy.State, first[id].Returned, time.Now()
	hear := func(p Pulse) error {
		n := News{Seq: p.Seq[layer], State: p.State, Returned: !p.Returned.Equal(returned)}
		n.Moved = n.Returned || p.State != state
		if n.Seq <= seq && !n.Moved {
			return nil
		}
		if _, err := s.standing(ctx, who, id, access.ReadLayer, layer); err != nil {
			return err
		}
		seq, state, returned, asked = n.Seq, p.State, p.Returned, time.Now()
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
			if _, err := s.standing(ctx, who, id, access.ReadLayer, layer); err != nil {
				return err
			}
			asked = time.Now()
		}
	}
}
