package web

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/labstack/echo/v5"

	"readymargin/queue"
)

// A pace says how long a request may take and what it waits for before
// anything is asked of the database.
type pace int

const (
	quick    pace = iota // what people wait for
	made                 // it may have to be made first
	long                 // files come in, are read or made
	rush                 // a whole class does it in the same second
	stroke               // everybody does it all the time
	streamed             // written as it is made, for as long as that takes
	endless              // ends when the browser goes
)

// Times that requests may take, waiting included.
const (
	quickTime = 20 * time.Second
	longTime  = 4 * time.Minute
	rushTime  = 60 * time.Second
	lastTime  = 2 * time.Hour
)

// turns bound what is done at the same time: by one person, so that nobody
// stands in everybody's way, and of what comes in a rush, so that the others'
// requests are not behind all of it.
type turns struct{ person, files, rush, strokes *queue.Queue }

// newTurns returns turns that nobody has taken.
func newTurns() *turns {
	return &turns{
		person: queue.New(queue.Config{PerOwner: 12}),
		files:  queue.New(queue.Config{PerOwner: 4}), // so that strokes are saved while files come in
		rush:   queue.New(queue.Config{AtOnce: 6}),
		// Nobody looks at a stroke being saved, so pages do not wait behind thousands
		// of them; as many at once share their flushing to the disk.
		strokes: queue.New(queue.Config{AtOnce: 16}),
	}
}

// keep gives a request its time and its turn.
func (t *turns) keep(p pace) echo.MiddlewareFunc {
	return func(next echo.HandlerFunc) echo.HandlerFunc {
		if p == endless {
			return next
		}
		most, person := quickTime, t.person
		var shared *queue.Queue // of all people
		switch p {
		case made:
			most = longTime
		case long:
			most, person = longTime, t.files
		case streamed:
			most, person = lastTime, t.files
		case rush:
			most, shared = rushTime, t.rush
		case stroke:
			shared = t.strokes
		}
		return func(c *echo.Context) error {
			browser := c.Request().Context()
			ctx, cancel := context.WithTimeout(queue.For(browser, asker(c)), most)
			defer cancel()
			c.SetRequest(c.Request().WithContext(ctx))
			err := t.wait(c, person, shared, next)
			if browser.Err() == nil { // what went wrong is answered after this, when the time is over
				c.SetRequest(c.Request().WithContext(context.WithoutCancel(c.Request().Context())))
			}
			if err != nil && ctx.Err() == context.DeadlineExceeded {
				return fmt.Errorf("%w: %v", errBusy, err)
			}
			return err
		}
	}
}

// errBusy is the error of a request whose time is over.
var errBusy = errors.New("web: the time for a request is over")

// wait goes on when it is the request's turn.
func (t *turns) wait(c *echo.Context, person, shared *queue.Queue, next echo.HandlerFunc) error {
	ctx := c.Request().Context()
	leave, err := person.Enter(ctx)
	if err != nil {
		return err
	}
	defer leave()
	if shared != nil {
		leave, err := shared.Enter(ctx)
		if err != nil {
			return err
		}
		defer leave()
	}
	return next(c)
}

// asker names who sends a request, before the database is asked: by the
// session, or else by the address.
func asker(c *echo.Context) string {
	if session, err := c.Cookie(sessionCookie); err == nil {
		return session.Value
	}
	return cmp.Or(c.RealIP(), "nobody")
}
