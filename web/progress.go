package web

import (
	"net/http"
	"sync"

	"github.com/labstack/echo/v5"

	"readymargin/queue"
)

// progressHeader carries the name under which a browser asks how a long
// request of its own is getting on. It makes the name up itself.
const progressHeader = "Readymargin-Progress"

// progress knows how many are before those who wait for a turn. Each process
// knows its own; an answer of another one says nothing, which is no harm.
type progress struct {
	mu    sync.Mutex
	ahead map[string]int
}

// watch lets a request's place be asked for while it lasts.
func (p *progress) watch(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		name := c.Request().Header.Get(progressHeader)
		if len(name) < 16 || len(name) > 64 {
			return next(c)
		}
		defer p.set(name, -1)
		c.SetRequest(c.Request().WithContext(queue.Watch(c.Request().Context(), func(ahead int) { p.set(name, ahead) })))
		return next(c)
	}
}

// set notes how many are before somebody.
func (p *progress) set(name string, ahead int) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if ahead < 0 {
		delete(p.ahead, name)
		return
	}
	if p.ahead == nil {
		p.ahead = map[string]int{}
	}
	p.ahead[name] = ahead
}

// howFar answers how many are before a request; 0 when it is at work.
func (s *Site) howFar(c *echo.Context) error {
	s.progress.mu.Lock()
	ahead := s.progress.ahead[c.Param("name")]
	s.progress.mu.Unlock()
	return c.JSON(http.StatusOK, map[string]int{"ahead": ahead})
}
