package web

import (
	"bytes"
	"fmt"
	"net/http"
	"time"

	"github.com/labstack/echo/v5"

	"readymargin/core/flow"
	"readymargin/school/screen"
)

// head is what stands at the top of a copy's margin: how the copy stands, and
// what was said of it as a whole. It comes with the page, and again in a view
// that script asks for.
type head struct {
	screen.Screen
	Now  time.Time
	Tabs []tab // the attempts to choose from
}

// tab leads to an attempt, or with the number 0 to what is being worked on.
type tab struct {
	Number int
	On     bool
}

func (s *Site) headOf(v screen.Screen) head {
	h := head{Screen: v, Now: s.school.Now()}
	reworking := v.State == flow.Reworking
	watches := v.ForTeacher != nil && v.Watches
	if v.Attempts > 1 || v.Attempts == 1 && reworking && (v.ForStudent != nil || watches) {
		past := v.ForStudent != nil && v.Past
		for n := 1; n <= v.Attempts; n++ {
			h.Tabs = append(h.Tabs, tab{n, n == v.Attempt && (past || !reworking || v.ForTeacher != nil)})
		}
		if reworking && (v.ForStudent != nil || watches) {
			h.Tabs = append(h.Tabs, tab{0, !past && (v.ForStudent != nil || v.Watch)})
		}
	}
	return h
}

// Can reports whether the student may do something with the copy now.
func (h head) Can(a screen.Action) bool {
	return h.ForStudent != nil && h.ForStudent.Can(a)
}

// Practises reports whether the head has what is to be tried, which script
// writes as it is done.
func (h head) Practises() bool { return h.ForTrial != nil && len(h.Steps) > 0 }

// Left returns the whole minutes to the due time, less than 0 after it.
func (h head) Left() int {
	left := h.Due.Sub(h.Now).Minutes()
	if left > 0 {
		return int(left + 1)
	}
	return int(left)
}

// withHead answers script with a view and the head of its margin.
func (s *Site) withHead(c *echo.Context, v screen.Screen) error {
	name := "student-head"
	switch {
	case v.ForTeacher != nil && v.Asked:
		name = "asked-head"
	case v.ForTeacher != nil && v.Watch:
		name = "watch-head"
	case v.ForTeacher != nil:
		name = "teacher-head"
	}
	var b bytes.Buffer
	if err := s.pages.ExecuteTemplate(&b, name, s.headOf(v)); err != nil {
		return fmt.Errorf("web: head %s: %w", name, err)
	}
	return c.JSON(http.StatusOK, struct {
		screen.Screen
		Head string `json:"head"`
	}{v, b.String()})
}
