package web

import (
	"net/http"

	"github.com/labstack/echo/v5"
)

// lookUp tells what a word means.
func (s *Site) lookUp(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	found, err := s.school.Lookup.Look(c.Request().Context(), me(c), n, c.QueryParam("word"))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, found)
}
