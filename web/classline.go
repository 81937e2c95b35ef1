package web

import (
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"readymargin/school"
	"readymargin/school/intake"
)

// sayToClass says something to a class: what is typed in a form, or what is recorded,
// with the words in the address.
func (s *Site) sayToClass(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	spoken := c.QueryParam("spoken") != ""
	text := c.QueryParam("text")
	var r *intake.Recorded
	if spoken {
		sound, err := recorded(c)
		if err != nil {
			return err
		}
		r = &sound
	} else {
		text = c.FormValue("text")
	}
	if err := s.school.ClassLines.Say(c.Request().Context(), me(c), n, text, r); err != nil {
		if said := s.say(err); !spoken && said.status == http.StatusUnprocessableEntity {
			return s.coursePage(c, "course.html", map[string]any{"Said": text, "Wrong": said.text})
		}
		return err
	}
	if spoken {
		return c.JSON(http.StatusCreated, map[string]any{})
	}
	return seeOther(c, fmt.Sprintf("/courses/%d#lines", n))
}

// seeLine notes that a student has seen what was said to the class.
func (s *Site) seeLine(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	if err := s.school.ClassLines.See(c.Request().Context(), me(c), n); err != nil {
		return err
	}
	return seeOther(c, "/to-do")
}

// dropLine takes what was said to a class away.
func (s *Site) dropLine(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	course, err := s.school.ClassLines.Drop(c.Request().Context(), me(c), n)
	if err != nil {
		return err
	}
	return seeOther(c, fmt.Sprintf("/courses/%d#lines", course))
}

// lineSound is what was spoken to a class.
func (s *Site) lineSound(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	m, err := s.school.ClassLines.Sound(c.Request().Context(), me(c), n)
	if err != nil {
		return err
	}
	return send(c, m)
}

// seenLine is a line to a class with its students who have seen it, and who have not.
type seenLine struct {
	school.ClassLine
	Seen, Not []string
}

// seen tells of lines which students have seen them.
func seen(lines []school.ClassLine, students []school.Member) (out []seenLine) {
	for _, l := range lines {
		one := seenLine{ClassLine: l}
		by := map[uint64]bool{}
		for _, id := range l.SeenBy {
			by[id] = true
		}
		for _, m := range students {
			if by[m.PersonID] {
				one.Seen = append(one.Seen, m.Name)
			} else {
				one.Not = append(one.Not, m.Name)
			}
		}
		out = append(out, one)
	}
	return out
}
