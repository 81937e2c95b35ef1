package web

import (
	"net/http"
	"time"

	"github.com/labstack/echo/v5"

	"readymargin/school/aloud"
)

// readAloud has a sentence of a passage said.
func (s *Site) readAloud(c *echo.Context) error {
	var q aloud.Asked
	if err := c.Bind(&q); err != nil {
		return aloud.ErrPassage
	}
	said, err := s.school.Aloud.Say(c.Request().Context(), me(c), q)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, said)
}

// spoken serves the sound of a sentence.
func (s *Site) spoken(c *echo.Context) error {
	f, err := s.school.Aloud.Sound(c.Request().Context(), me(c), c.Param("key"))
	if err != nil {
		return err
	}
	defer f.Close()
	lasting(c)
	c.Response().Header().Set("Content-Type", "audio/webm")
	http.ServeContent(c.Response(), c.Request(), "", time.Time{}, f)
	return nil
}
