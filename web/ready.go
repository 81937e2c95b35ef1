package web

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"readymargin/core/submission"
	"readymargin/school/feedback"
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
	from, _ := echo.FormValue[uint64](c, "copy")
	r, err := s.school.Ready.Keep(c.Request().Context(), me(c), n, feedback.Kept{
		Text: c.FormValue("text"), Rich: c.FormValue("rich") == "yes", Short: c.FormValue("short"), Points: c.FormValue("points"), Shared: c.FormValue("shared") == "yes", Copy: from, Sound: c.FormValue("sound")})
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, r)
}

// changeReady notes that a ready remark was used, has it speak on a copy, or
// takes it away.
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
	switch c.FormValue("do") {
	case "drop":
		err = s.school.Ready.Drop(ctx, me(c), n, remark)
	case "speak":
		copyID, _ := echo.FormValue[uint64](c, "copy")
		v, err := s.school.Ready.Speak(ctx, me(c), n, remark, copyID, submission.Layer(c.FormValue("layer")))
		if err != nil {
			return err
		}
		return c.JSON(http.StatusOK, v)
	default:
		err = s.school.Ready.Used(ctx, me(c), n, remark, c.FormValue("question"))
	}
	if err != nil {
		return err
	}
	return nothing(c)
}
