package web

import (
	"net/http"
	"strings"

	ics "github.com/arran4/golang-ical"
	"github.com/labstack/echo/v5"
)

// newCalendar shows the person's new calendar address, once.
func (s *Site) newCalendar(c *echo.Context) error {
	token, err := s.school.Agenda.NewCalendar(c.Request().Context(), me(c))
	if err != nil {
		return err
	}
	return s.render(c, http.StatusOK, "calendar.html", "Calendar", map[string]any{"At": s.cfg.Origin + "/calendar/" + token + ".ics"})
}

// calendar serves due times as an iCalendar file (RFC 5545), to whoever has
// its address.
func (s *Site) calendar(c *echo.Context) error {
	due, err := s.school.Agenda.Calendar(c.Request().Context(), strings.TrimSuffix(c.Param("token"), ".ics"))
	if err != nil {
		return err
	}
	cal := ics.NewCalendar()
	cal.SetProductId("-//Ready Margin//EN")
	cal.SetMethod(ics.MethodPublish)
	cal.SetXWRCalName("Ready Margin")
	for _, d := range due {
		e := cal.AddEvent("assignment-" + id(d.Assignment.ID) + "@" + strings.TrimPrefix(strings.TrimPrefix(s.cfg.Origin, "https://"), "http://"))
		e.SetDtStampTime(d.Changed().UTC())
		e.SetModifiedAt(d.Changed().UTC())
		e.SetStartAt(d.Assignment.DueAt.UTC())
		e.SetEndAt(d.Assignment.DueAt.UTC())
		e.SetSummary("Due: " + d.Assignment.Title)
		e.SetDescription(d.Course.Name)
		e.SetURL(s.cfg.Origin + "/assignments/" + id(d.Assignment.ID))
	}
	return c.Blob(http.StatusOK, "text/calendar; charset=utf-8", []byte(cal.Serialize(ics.WithNewLineWindows)))
}
