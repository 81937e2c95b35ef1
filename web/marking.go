package web

import (
	"context"
	"net/http"

	"github.com/labstack/echo/v5"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/school"
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
	for _, r := range roll {
		if r.Copy.Attempts > 0 && (wanted == 0 || wanted == r.Copy.ID) {
			v, err := s.school.Screens.OpenToMark(ctx, me(c), r.Copy.ID, attempt)
			if err != nil {
				return err
			}
			data["View"], data["Head"] = v, s.headOf(v)
			return s.render(c, http.StatusOK, "marking.html", a.Title, data)
		}
	}
	if wanted != 0 {
		return access.ErrHidden
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
	return s.withHead(c, "teacher-head", v)
}

// givePoints keeps points and remark as a draft.
func (s *Site) givePoints(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	attempt, _ := echo.FormValue[int](c, "attempt")
	a, err := s.school.Marking.GivePoints(c.Request().Context(), me(c), n, attempt, c.FormValue("points"), c.FormValue("remark"))
	if err != nil {
		return err
	}
	return s.given(c, a)
}

// score keeps what an attempt gets for a question.
func (s *Site) score(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	attempt, _ := echo.FormValue[int](c, "attempt")
	a, err := s.school.Marking.Score(c.Request().Context(), me(c), n, attempt, c.FormValue("question"), c.FormValue("points"), c.FormValue("was"))
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
	return c.JSON(http.StatusOK, map[string]any{"points": total, "at": s.school.Now()})
}

// giveBack returns a copy to its student.
func (s *Site) giveBack(c *echo.Context) error {
	attempt, _ := echo.FormValue[int](c, "attempt")
	return s.move(c, func(ctx context.Context, p school.Person, n uint64) error {
		return s.school.Marking.Return(ctx, p, n, attempt, c.FormValue("pointless") == "1")
	})
}

// returnAll returns every marked copy of an assignment.
func (s *Site) returnAll(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	returned, err := s.school.Marking.ReturnAll(c.Request().Context(), me(c), n)
	if err != nil {
		return err
	}
	if wantsJSON(c) {
		return c.JSON(http.StatusOK, map[string]int{"returned": returned})
	}
	s.tell(c, "Returned "+count(returned, "copy.", "copies."))
	return seeOther(c, "/")
}

// others says who else marks the copy just now.
func (s *Site) others(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	names, err := s.school.Marking.Others(c.Request().Context(), me(c), n)
	if err != nil {
		return err
	}
	return s.render(c, http.StatusOK, "others", "", map[string]any{"Names": names})
}
