package web

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/school"
	"readymargin/school/screen"
)

// move makes one of a copy's moves for the person who asks.
func (s *Site) move(c *echo.Context, do func(context.Context, school.Person, uint64) error) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	if err := do(c.Request().Context(), me(c), n); err != nil {
		return err
	}
	if wantsJSON(c) {
		return nothing(c)
	}
	return seeOther(c, "/copies/"+id(n))
}

// marking shows the marking screen on the copy asked for, or on the first
// that waits.
func (s *Site) marking(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	a, course, roll, err := s.school.Queue.Roll(ctx, me(c), n)
	if err != nil {
		return err
	}
	if a.Mode == flow.OneForAll {
		shared, err := s.school.Saving.OpenOwn(ctx, me(c), n)
		if err != nil {
			return err
		}
		return seeOther(c, "/copies/"+id(shared.ID))
	}
	wanted, _ := echo.QueryParam[uint64](c, "copy")
	attempt, _ := echo.QueryParam[int](c, "attempt")
	data := map[string]any{"Assignment": a, "Course": course, "Roll": roll}
	show := func(v screen.Screen) error {
		data["View"], data["Head"] = v, s.headOf(v)
		return s.render(c, http.StatusOK, "marking.html", a.Title, data)
	}
	if wanted != 0 && c.QueryParam("asked") != "" {
		v, err := s.school.Screens.OpenAsked(ctx, me(c), wanted)
		if err == nil {
			return show(v)
		}
		if !errors.Is(err, access.ErrDenied) { // it was taken back
			return err
		}
	}
	for _, r := range roll {
		marked := r.Copy.Attempts > 0 && (wanted == 0 || wanted == r.Copy.ID)
		if marked || r.Watched && wanted == r.Copy.ID {
			var v screen.Screen
			if marked {
				v, err = s.school.Screens.OpenToMark(ctx, me(c), r.Copy.ID, attempt)
			} else {
				v, err = s.school.Screens.OpenToWatch(ctx, me(c), r.Copy.ID)
			}
			if err != nil {
				return err
			}
			return show(v)
		}
	}
	if wanted != 0 { // a practice student is on no roll, and what was only asked about neither
		v, err := s.school.Screens.OpenToMark(ctx, me(c), wanted, attempt)
		if err != nil {
			v, err = s.school.Screens.OpenAsked(ctx, me(c), wanted)
		}
		if err != nil {
			return access.ErrHidden
		}
		if v.Assignment != n {
			return seeOther(c, fmt.Sprintf("/assignments/%d/marking?%s", v.Assignment, c.Request().URL.RawQuery))
		}
		return show(v)
	}
	return s.render(c, http.StatusOK, "nothing-in.html", a.Title, data)
}

// rollFragment is the roll beside the sheet, to be swapped.
func (s *Site) rollFragment(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	a, course, roll, err := s.school.Queue.Roll(c.Request().Context(), me(c), n)
	if err != nil {
		return err
	}
	return s.render(c, http.StatusOK, "roll", "", map[string]any{"Assignment": a, "Course": course, "Roll": roll})
}

// markingView is a copy as the marking screen asks for it when it goes on to
// the next one.
func (s *Site) markingView(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	attempt, _ := echo.QueryParam[int](c, "attempt")
	v, err := s.school.Screens.OpenToMark(c.Request().Context(), me(c), n, attempt)
	if err != nil {
		return err
	}
	return s.withHead(c, v)
}

// givePoints keeps points and remark as a draft.
func (s *Site) givePoints(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	attempt, _ := echo.FormValue[int](c, "attempt")
	a, err := s.school.Marking.GivePoints(c.Request().Context(), me(c), n, attempt, c.FormValue("points"), c.FormValue("reason"), c.FormValue("remark"), c.FormValue("rich") == "yes")
	if err != nil {
		return err
	}
	return s.given(c, a)
}

// score keeps what an attempt gets for a question: points, or the levels of its
// criteria.
func (s *Site) score(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	attempt, _ := echo.FormValue[int](c, "attempt")
	ctx, question, was := c.Request().Context(), c.FormValue("question"), c.FormValue("was")
	var a school.Attempt
	if chosen := c.FormValue("levels"); chosen != "" {
		var levels map[string]string
		if err := json.Unmarshal([]byte(chosen), &levels); err != nil {
			return &school.Problem{Code: "wrong form", Field: "levels"}
		}
		a, err = s.school.Marking.Judge(ctx, me(c), n, attempt, question, levels, was)
	} else {
		a, err = s.school.Marking.Score(ctx, me(c), n, attempt, question, c.FormValue("points"), was)
	}
	if err != nil {
		return err
	}
	return s.given(c, a)
}

// given answers with the points that an attempt has in all.
func (s *Site) given(c *echo.Context, a school.Attempt) error {
	total := ""
	if a.Points != nil {
		total = a.Points.String()
	}
	return c.JSON(http.StatusOK, map[string]any{"points": total, "whole": a.Whole, "at": s.school.Now()})
}

// giveBack plans the return of a copy to its student.
func (s *Site) giveBack(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	attempt, _ := echo.FormValue[int](c, "attempt")
	r, err := s.school.Marking.PlanReturn(c.Request().Context(), me(c), n, attempt, c.FormValue("at"), c.FormValue("anyway") == "yes")
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"due": r.DueAt})
}

// withdraw takes back what was returned and not opened.
func (s *Site) withdraw(c *echo.Context) error {
	attempt, _ := echo.FormValue[int](c, "attempt")
	return s.move(c, func(ctx context.Context, p school.Person, n uint64) error {
		return s.school.Marking.Withdraw(ctx, p, n, attempt)
	})
}

// reopen has a student go on with what was returned.
func (s *Site) reopen(c *echo.Context) error {
	return s.move(c, func(ctx context.Context, p school.Person, n uint64) error {
		return s.school.Marking.Reopen(ctx, p, n, c.FormValue("due"))
	})
}

// returning is the look before copies are returned, to be swapped.
func (s *Site) returning(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	only, _ := echo.QueryParam[uint64](c, "copy")
	a, course, checks, err := s.school.Marking.Checks(c.Request().Context(), me(c), n, only)
	if err != nil {
		return err
	}
	ready := 0
	for _, check := range checks {
		if check.Marked(a.Points) {
			ready++
		}
	}
	return s.render(c, http.StatusOK, "returning", "", map[string]any{"Assignment": a, "Course": course, "Checks": checks, "Only": only != 0, "Ready": ready})
}

// returnAll plans the return of several copies of an assignment.
func (s *Site) returnAll(c *echo.Context) error {
	return s.several(c, func(ctx context.Context, p school.Person, n uint64, copies []uint64) (any, error) {
		planned, due, err := s.school.Marking.PlanAll(ctx, p, n, copies, c.FormValue("at"))
		return map[string]any{"planned": planned, "due": due}, err
	})
}

// stopReturns stops returns that are not done yet.
func (s *Site) stopReturns(c *echo.Context) error {
	return s.several(c, func(ctx context.Context, p school.Person, n uint64, copies []uint64) (any, error) {
		stopped, err := s.school.Marking.Stop(ctx, p, n, copies)
		return map[string]any{"stopped": stopped}, err
	})
}

// several does something to the copies of an assignment that a form names.
func (s *Site) several(c *echo.Context, do func(context.Context, school.Person, uint64, []uint64) (any, error)) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	copies, err := echo.FormValuesOr[uint64](c, "copy", nil)
	if err != nil {
		return &school.Problem{Code: "wrong form", Field: "copy"}
	}
	out, err := do(c.Request().Context(), me(c), n, copies)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, out)
}

// nextPile tells which assignment's copies are to be marked after another's.
func (s *Site) nextPile(c *echo.Context) error {
	p, err := signedIn(c)
	if err != nil {
		return err
	}
	after, _ := echo.QueryParam[uint64](c, "after")
	a, err := s.school.Queue.Next(c.Request().Context(), p, after)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"assignment": a.ID, "title": a.Title})
}

// watch is a copy as it is being worked on.
func (s *Site) watch(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	v, err := s.school.Screens.OpenToWatch(c.Request().Context(), me(c), n)
	if err != nil {
		return err
	}
	return s.withHead(c, v)
}

// asked is what was asked on a copy before it is submitted, and no more of it.
func (s *Site) asked(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	v, err := s.school.Screens.OpenAsked(c.Request().Context(), me(c), n)
	if err != nil {
		return err
	}
	return s.withHead(c, v)
}

// colleagues says whom somebody may ask about a copy.
func (s *Site) colleagues(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	all, err := s.school.Screens.Colleagues(c.Request().Context(), me(c), n)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, all)
}

// others says who else marks the copy just now.
func (s *Site) others(c *echo.Context) error { return s.viewers(c, s.school.Marking.Others) }

// watching says who else looks at the work just now.
func (s *Site) watching(c *echo.Context) error { return s.viewers(c, s.school.Marking.Watching) }

// viewers says who else has a copy open.
func (s *Site) viewers(c *echo.Context, of func(context.Context, school.Person, uint64) ([]string, error)) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	names, err := of(c.Request().Context(), me(c), n)
	if err != nil {
		return err
	}
	return s.render(c, http.StatusOK, "others", "", map[string]any{"Names": names})
}
