package web

import (
	"errors"
	"net/http"

	"github.com/labstack/echo/v5"

	"readymargin/core/access"
	"readymargin/school"
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

// glossary shows the words of a course.
func (s *Site) glossary(c *echo.Context) error { return s.glossaryPage(c, nil) }

// glossaryPage shows them, with what was wrong with a word if something was.
func (s *Site) glossaryPage(c *echo.Context, wrong error) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	g, err := s.school.Lookup.Glossary(c.Request().Context(), me(c), n)
	if err != nil {
		return err
	}
	data := map[string]any{"Course": g.Course, "Learns": g.Role.Learns(), "Student": g.Role == access.Student, "Runs": g.Role == access.Teacher && g.Course.ArchivedAt == nil, "Words": g.Words, "Own": g.Own, "Named": g.Named, "Often": g.Often}
	status := http.StatusOK
	if wrong != nil { // what was typed stays
		says := s.say(wrong)
		status = says.status
		data["Wrong"], data["Word"], data["Means"] = says.text, c.FormValue("word"), c.FormValue("means")
	}
	return s.render(c, status, "glossary.html", "Words: "+g.Course.Name, data)
}

// setWord says what a word means in a course, or takes it out.
func (s *Site) setWord(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	err = s.school.Lookup.SetWord(c.Request().Context(), me(c), n, c.FormValue("word"), c.FormValue("means"))
	var wrong *school.Problem
	if errors.As(err, &wrong) {
		return s.glossaryPage(c, err)
	}
	if err != nil {
		return err
	}
	return seeOther(c, "/courses/"+id(n)+"/words")
}

// nameWords lets teachers see which words a student looks up, or no longer.
func (s *Site) nameWords(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	if err := s.school.Lookup.SetNamed(c.Request().Context(), me(c), n, c.FormValue("named") == "yes"); err != nil {
		return err
	}
	return seeOther(c, "/courses/"+id(n)+"/words")
}
