// Package jobs does what is done behind the requests: reading long files,
// making files anew, laying down answers, sweeping. What is to be done is a row
// in the store, so that it outlives the process and is done once, however many
// processes there are.
package jobs

import (
	"context"
	"errors"
	"log/slog"
	"maps"
	"slices"
	"time"

	"readymargin/queue"
	"readymargin/school"
)

// A Store keeps what is to be done.
type Store interface {
	// AddJob adds a job; one of that kind on that thing that is there already
	// comes due then at the latest, and counts its tries anew.
	AddJob(ctx context.Context, kind school.JobKind, ref uint64, due time.Time) error
	// LeaseJob returns the job of some kinds that is due longest and that nobody
	// is at, and keeps others from it until a time; ErrNotFound when there is none.
	LeaseJob(ctx context.Context, now, until time.Time, kinds ...school.JobKind) (school.Job, error)
	JobDone(ctx context.Context, id uint64) error
	// JobFailed keeps a job for another try.
	JobFailed(ctx context.Context, id uint64, why string, again time.Time) error
}

// Later is the error of a job that is not done yet and goes on at a time, however often:
// as it was to be, or for a reason that passes.
type Later struct {
	At  time.Time
	Why error // nil for none
}

func (l *Later) Error() string {
	if l.Why == nil {
		return "jobs: later"
	}
	return "jobs: later: " + l.Why.Error()
}

// A Handler does one job on a thing. It may be called again after it was done.
type Handler func(ctx context.Context, ref uint64) error

const (
	// lease is how long a job may take. A process that ends in the middle
	// leaves it to others after that.
	lease = 10 * time.Minute
	// leaving is how long a process that ends tries to say so.
	leaving = 5 * time.Second
	// lookAgain is how often the store is asked for jobs of other processes,
	// and for those whose next try is due.
	lookAgain = 15 * time.Second
	// MaxTries is how often a job is tried before only people can help.
	MaxTries = 6
	// never is when a job is due that is not tried again.
	never = 100 * 365 * 24 * time.Hour
)

// A Runner does jobs of some kinds, one after another; those of other kinds are
// left to other runners.
type Runner struct {
	store    Store
	now      school.Clock
	handlers map[school.JobKind]Handler
	wake     chan struct{}
}

// New returns a runner of some kinds of jobs.
func New(store Store, now school.Clock, handlers map[school.JobKind]Handler) *Runner {
	return &Runner{store, now, handlers, make(chan struct{}, 1)}
}

// Wake lets the runner look for jobs at once.
func (r *Runner) Wake() {
	select {
	case r.wake <- struct{}{}:
	default:
	}
}

// WakeAt lets the runner look for jobs at a time that is not far.
func (r *Runner) WakeAt(at time.Time) {
	if in := at.Sub(r.now()); in < lookAgain {
		time.AfterFunc(in+10*time.Millisecond, r.Wake)
	}
}

// Run does jobs until the context ends.
func (r *Runner) Run(ctx context.Context) {
	for {
		worked, err := r.One(ctx)
		if ctx.Err() != nil {
			return
		}
		if err != nil {
			slog.Error("jobs cannot be read", "error", err)
		}
		if worked {
			continue
		}
		select {
		case <-ctx.Done():
			return
		case <-r.wake:
		case <-time.After(lookAgain):
		}
	}
}

// One does the job that is due longest, and reports whether there was one. A
// job that fails waits for its next try, longer each time.
func (r *Runner) One(ctx context.Context) (worked bool, err error) {
	now := r.now()
	j, err := r.store.LeaseJob(ctx, now, now.Add(lease), slices.Collect(maps.Keys(r.handlers))...)
	if errors.Is(err, school.ErrNotFound) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	limited, cancel := context.WithTimeout(queue.In(queue.For(ctx, "job "+string(j.Kind)), queue.Behind), lease)
	defer cancel()
	err = r.handlers[j.Kind](limited, j.Ref)
	if err == nil || errors.Is(err, school.ErrNotFound) { // what it was about may be gone
		return true, said(ctx, func() error { return r.store.JobDone(ctx, j.ID) })
	}
	if ctx.Err() != nil {
		// A process that is told to end leaves it to the next at once; where it cannot, the
		// lease runs out.
		last, cancel := context.WithTimeout(context.WithoutCancel(ctx), leaving)
		defer cancel()
		return true, errors.Join(ctx.Err(), r.store.JobFailed(last, j.ID, "", now))
	}
	var later *Later
	if errors.As(err, &later) {
		why := ""
		if later.Why != nil {
			slog.Warn("a job waits", "kind", j.Kind, "ref", j.Ref, "until", later.At, "error", later.Why)
			why = later.Why.Error()
		}
		r.WakeAt(later.At)
		return true, said(ctx, func() error { return r.store.JobFailed(ctx, j.ID, why, later.At) })
	}
	again := now.Add(time.Minute << j.Tries)
	if j.Tries >= MaxTries {
		again = now.Add(never)
	}
	if errors.Is(err, school.ErrAway) { // no fault of the job
		again = now.Add(lookAgain)
	}
	slog.Warn("a job failed", "kind", j.Kind, "ref", j.Ref, "try", j.Tries, "error", err)
	return true, said(ctx, func() error { return r.store.JobFailed(ctx, j.ID, err.Error(), again) })
}

// said tells the store how a job went, again and again while it is away: otherwise nobody
// would be at the job until its lease has run out.
func said(ctx context.Context, tell func() error) error {
	for until := time.Now().Add(lease); ; {
		err := tell()
		if err == nil || time.Now().After(until) {
			return err
		}
		select {
		case <-ctx.Done():
			return err
		case <-time.After(time.Second):
		}
	}
}
