package web

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"readymargin/core/worksheet"
)

// rubrics answers with what a teacher judges questions by.
func (s *Site) rubrics(c *echo.Context) error {
	all, err := s.school.Rubrics.Own(c.Request().Context(), me(c))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, all)
}

// keepRubric keeps a rubric to be used again.
func (s *Site) keepRubric(c *echo.Context) error {
	var body struct {
		Title string           `json:"title"`
		Body  worksheet.Rubric `json:"body"`
	}
	if err := readJSON(c, &body); err != nil {
		return err
	}
	r, err := s.school.Rubrics.Keep(c.Request().Context(), me(c), body.Title, body.Body)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, r)
}

// dropRubric takes one away.
func (s *Site) dropRubric(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	if err := s.school.Rubrics.Drop(c.Request().Context(), me(c), n); err != nil {
		return err
	}
	return nothing(c)
}
