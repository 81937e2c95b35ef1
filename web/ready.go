package web

import (
	"net/http"

	"github.com/labstack/echo/v5"
)

// ready answers with the remarks that a teacher has ready in a course.
func (s *Site) ready(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	all, err := s.school.Ready.Choices(c.Request().Context(), me(c), n)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, all)
}

// keepReady keeps a remark to be used again.
func (s *Site) keepReady(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	r, err := s.school.Ready.Keep(c.Request().Context(), me(c), n, c.FormValue("text"), c.FormValue("short"), c.FormValue("points"), c.FormValue("shared") == "yes")
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, r)
}

// changeReady notes that a ready remark was used, or takes it away.
func (s *Site) changeReady(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	remark, err := number(c, "remark")
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	if c.FormValue("do") == "drop" {
		err = s.school.Ready.Drop(ctx, me(c), n, remark)
	} else {
		err = s.school.Ready.Used(ctx, me(c), n, remark, c.FormValue("question"))
	}
	if err != nil {
		return err
	}
	return nothing(c)
}
