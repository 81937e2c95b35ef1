package web

import (
	"encoding/json"
	"net/http"

	"github.com/labstack/echo/v5"

	"readymargin/school"
)

// drafts returns what the person has typed about a thing and not kept.
func (s *Site) drafts(c *echo.Context) error {
	id, err := number(c, "id")
	if err != nil {
		return err
	}
	all, err := s.school.Drafts.Drafts(c.Request().Context(), me(c), school.Drafted(c.Param("thing")), id)
	if err != nil {
		return err
	}
	if all == nil {
		all = []school.Draft{}
	}
	return c.JSON(http.StatusOK, all)
}

// keepDrafts keeps what the person is typing.
func (s *Site) keepDrafts(c *echo.Context) error {
	id, err := number(c, "id")
	if err != nil {
		return err
	}
	var all []school.Draft
	if err := json.NewDecoder(c.Request().Body).Decode(&all); err != nil {
		return &school.Problem{Code: "draft"}
	}
	if err := s.school.Drafts.KeepDrafts(c.Request().Context(), me(c), school.Drafted(c.Param("thing")), id, all); err != nil {
		return err
	}
	return nothing(c)
}
