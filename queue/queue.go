// Package queue lets work wait its turn for something that there is little
// of: a worker process, a processor that computes hashes, the row of a copy.
// It knows how many may be at it at once, whose work it is and how soon it is
// wanted, and nothing of the work itself.
//
// A Queue is fair to owners and not to pieces of work: who asks for ten pages
// gets one turn, then the next owner has one. Who stops waiting is out of the
// queue at once. Nobody may wait in a queue while having a turn of the same
// queue, or two could wait for each other.
package queue

import (
	"context"
	"errors"
	"fmt"
	"sync"
)

// ErrFull says that too many wait already.
var ErrFull = errors.New("queue: too many are waiting")

// A Lane says how soon work is wanted. All of an earlier lane goes first.
type Lane int

const (
	Look   Lane = iota - 1 // somebody looks at an empty place now
	Asked                  // somebody waits for the end of it; what nobody says otherwise
	Behind                 // nobody waits
)

// A Config bounds a Queue. Zero means no bound.
type Config struct {
	AtOnce   int // turns at the same time
	Kept     int // of these, for the lane Look alone
	PerOwner int // for one owner, in each lane
	Waiting  int // those who wait
}

// A Queue hands out turns. Its methods may be called from many goroutines.
type Queue struct {
	cfg Config

	mu      sync.Mutex
	taken   int               // turns
	others  int               // of these, in other lanes than Look
	owners  map[string]*owner // by name and lane: who has a turn, or waits for one
	waiting []*ticket
	round   int // of the newest turn; see ticket
	tickets int
}

// an owner is somebody who has a turn or waits for one.
type owner struct {
	turns int // taken now
	round int // of the last one asked for
	there int // tickets and turns: when there are none the owner is forgotten
}

// A ticket is a place in a queue. Rounds are those of fair queueing: an
// owner's next ticket is for a later round than the one before, and a new
// owner's for the present one.
type ticket struct {
	owner  string // name and lane
	lane   Lane
	round  int
	number int
	turn   chan struct{} // closed when it is its turn
	told   func(ahead int)
}

// before orders tickets.
func (t *ticket) before(o *ticket) bool {
	switch {
	case t.lane != o.lane:
		return t.lane < o.lane
	case t.round != o.round:
		return t.round < o.round
	}
	return t.number < o.number
}

// New returns a queue in which nobody waits.
func New(cfg Config) *Queue { return &Queue{cfg: cfg, owners: map[string]*owner{}} }

// Enter waits for a turn for the owner and in the lane that ctx names. The turn lasts
// until leave is called, which must be done once. The error is ErrFull or the
// context's, and then there is no turn.
func (q *Queue) Enter(ctx context.Context) (leave func(), err error) {
	return q.EnterAs(ctx, ownerOf(ctx))
}

// EnterAs is Enter for an owner who is named here. All who are nobody ("") are
// one owner.
func (q *Queue) EnterAs(ctx context.Context, name string) (leave func(), err error) {
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	q.mu.Lock()
	if q.cfg.Waiting > 0 && len(q.waiting) >= q.cfg.Waiting {
		q.mu.Unlock()
		return nil, ErrFull
	}
	t := q.ticket(name, laneOf(ctx))
	t.told, _ = ctx.Value(watchKey{}).(func(int))
	q.waiting = append(q.waiting, t)
	q.call()
	q.mu.Unlock()
	select {
	case <-t.turn:
		return sync.OnceFunc(func() { q.leave(t) }), nil
	case <-ctx.Done():
		q.drop(t)
		return nil, ctx.Err()
	}
}

func (q *Queue) ticket(name string, lane Lane) *ticket {
	name = fmt.Sprint(lane, " ", name)
	o := q.owners[name]
	if o == nil {
		o = &owner{round: q.round - 1}
		q.owners[name] = o
	}
	o.there++
	o.round = max(o.round+1, q.round)
	q.tickets++
	return &ticket{owner: name, lane: lane, round: o.round, number: q.tickets, turn: make(chan struct{})}
}

// call gives free turns to those who are next.
func (q *Queue) call() {
	for q.cfg.AtOnce == 0 || q.taken < q.cfg.AtOnce {
		next := -1
		for i, t := range q.waiting {
			if q.cfg.PerOwner > 0 && q.owners[t.owner].turns >= q.cfg.PerOwner || t.lane != Look && q.cfg.AtOnce > 0 && q.others >= q.cfg.AtOnce-q.cfg.Kept {
				continue
			}
			if next < 0 || t.before(q.waiting[next]) {
				next = i
			}
		}
		if next < 0 {
			break
		}
		t := q.waiting[next]
		q.waiting = append(q.waiting[:next], q.waiting[next+1:]...)
		q.taken++
		q.owners[t.owner].turns++
		if t.lane != Look {
			q.others++
		}
		q.round = max(q.round, t.round)
		close(t.turn)
		if t.told != nil {
			t.told(0)
		}
	}
	q.tell()
}

// tell tells those who want to know how many are before them.
func (q *Queue) tell() {
	for _, t := range q.waiting {
		if t.told == nil {
			continue
		}
		ahead := q.taken
		for _, o := range q.waiting {
			if o.before(t) {
				ahead++
			}
		}
		t.told(ahead)
	}
}

func (q *Queue) leave(t *ticket) {
	q.mu.Lock()
	defer q.mu.Unlock()
	q.taken--
	if t.lane != Look {
		q.others--
	}
	q.owners[t.owner].turns--
	q.forget(t)
	q.call()
}

// drop takes a ticket back of somebody who waits no longer; when the turn has
// come in the same moment, it is left.
func (q *Queue) drop(t *ticket) {
	q.mu.Lock()
	for i, w := range q.waiting {
		if w == t {
			q.waiting = append(q.waiting[:i], q.waiting[i+1:]...)
			q.forget(t)
			q.mu.Unlock()
			return
		}
	}
	q.mu.Unlock()
	q.leave(t)
}

func (q *Queue) forget(t *ticket) {
	o := q.owners[t.owner]
	if o.there--; o.there == 0 {
		delete(q.owners, t.owner)
	}
}

// Load returns how many have a turn, and how many wait for one.
func (q *Queue) Load() (taken, waiting int) {
	q.mu.Lock()
	defer q.mu.Unlock()
	return q.taken, len(q.waiting)
}

type ownerKey struct{}
type laneKey struct{}
type watchKey struct{}

// For returns a context whose work is somebody's.
func For(ctx context.Context, owner string) context.Context {
	return context.WithValue(ctx, ownerKey{}, owner)
}

// In returns a context whose work goes in a lane.
func In(ctx context.Context, l Lane) context.Context { return context.WithValue(ctx, laneKey{}, l) }

func ownerOf(ctx context.Context) string { o, _ := ctx.Value(ownerKey{}).(string); return o }

func laneOf(ctx context.Context) Lane {
	l, _ := ctx.Value(laneKey{}).(Lane)
	return l
}

// Watch returns a context of which told is called whenever the number of those
// changes who are before its work, and with 0 when it is its turn. It is called
// while the queue stands still and must not wait.
func Watch(ctx context.Context, told func(ahead int)) context.Context {
	return context.WithValue(ctx, watchKey{}, told)
}
