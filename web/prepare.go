package web

import (
	"errors"
	"io"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"readymargin/core/access"
	"readymargin/school"
)

func (s *Site) worksheets(c *echo.Context) error { return s.worksheetsPage(c, nil) }

func (s *Site) worksheetsPage(c *echo.Context, wrong error) error {
	p, err := signedIn(c)
	if err != nil {
		return err
	}
	if !p.Staff && !p.Admin {
		return access.ErrDenied
	}
	all, err := s.school.Worksheets(c.Request().Context(), p)
	if err != nil {
		return err
	}
	data := map[string]any{"Worksheets": all, "Limits": s.school.Press.Limits()}
	if wrong != nil {
		return s.again(c, wrong, "worksheets.html", "Worksheets", data)
	}
	return s.render(c, http.StatusOK, "worksheets.html", "Worksheets", data)
}

// bringIn takes an uploaded PDF.
func (s *Site) bringIn(c *echo.Context) error {
	p, err := signedIn(c)
	if err != nil {
		return err
	}
	w, err := s.uploaded(c, p)
	if err != nil {
		if wantsJSON(c) || s.say(err).status >= 500 {
			return err
		}
		return s.worksheetsPage(c, err)
	}
	if wantsJSON(c) {
		return c.JSON(http.StatusCreated, map[string]string{"at": "/worksheets/" + id(w.ID)})
	}
	return seeOther(c, "/worksheets/"+id(w.ID))
}

func (s *Site) uploaded(c *echo.Context, p school.Person) (school.Worksheet, error) {
	head, err := c.FormFile("file")
	if err != nil {
		var large *http.MaxBytesError
		if errors.As(err, &large) {
			return school.Worksheet{}, err
		}
		return school.Worksheet{}, &school.Problem{Code: "no file"}
	}
	f, err := head.Open()
	if err != nil {
		return school.Worksheet{}, err
	}
	defer f.Close()
	b, err := io.ReadAll(f)
	if err != nil {
		return school.Worksheet{}, err
	}
	return s.school.BringIn(c.Request().Context(), p, head.Filename, b)
}

func (s *Site) worksheet(c *echo.Context) error { return s.worksheetPage(c, nil) }

func (s *Site) worksheetPage(c *echo.Context, wrong error) error {
	n, err := number(c, "id")
	if wrong != nil {
		n, err = strconv.ParseUint(c.FormValue("worksheet"), 10, 63)
	}
	if err != nil {
		return access.ErrHidden
	}
	ctx := c.Request().Context()
	w, pages, err := s.school.Worksheet(ctx, me(c), n)
	if err != nil {
		return err
	}
	all, err := s.school.CoursesOf(ctx, me(c))
	if err != nil {
		return err
	}
	var teaching []school.CourseRole
	for _, course := range all {
		if course.Role == access.Teacher {
			teaching = append(teaching, course)
		}
	}
	data := map[string]any{"Worksheet": w, "Pages": pages, "Courses": teaching}
	if wrong != nil {
		return s.again(c, wrong, "worksheet.html", w.Title, data)
	}
	return s.render(c, http.StatusOK, "worksheet.html", w.Title, data)
}

func (s *Site) assign(c *echo.Context) error {
	course, err1 := strconv.ParseUint(c.FormValue("course"), 10, 63)
	worksheet, err2 := strconv.ParseUint(c.FormValue("worksheet"), 10, 63)
	if err1 != nil || err2 != nil {
		return access.ErrHidden
	}
	a, err := s.school.Assign(c.Request().Context(), me(c), school.NewAssignment{
		Course: course, Worksheet: worksheet, Title: c.FormValue("title"),
		Instructions: c.FormValue("instructions"), Points: c.FormValue("points"), Due: c.FormValue("due"),
	})
	if err != nil {
		if s.say(err).status != http.StatusUnprocessableEntity {
			return err
		}
		return s.worksheetPage(c, err)
	}
	s.tell(c, "Assigned: "+a.Title+". Every student has a copy now.")
	return seeOther(c, "/courses/"+id(course))
}

// picture serves a page's picture; its address never shows anything else, as
// a worksheet's pages do not change.
func (s *Site) picture(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	pageNumber, err1 := strconv.Atoi(c.Param("n"))
	scale, err2 := strconv.Atoi(c.Param("scale"))
	if errors.Join(err1, err2) != nil {
		return access.ErrHidden
	}
	data, kind, err := s.school.Picture(c.Request().Context(), me(c), n, pageNumber, scale)
	if err != nil {
		return err
	}
	lasting(c)
	return c.Blob(http.StatusOK, kind, data)
}

// lasting lets the browser of this person keep an answer for good.
func lasting(c *echo.Context) {
	c.Response().Header().Set("Cache-Control", "private, max-age=31536000, immutable")
}

func (s *Site) print(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	pageNumber, err := strconv.Atoi(strings.TrimSuffix(c.Param("n"), ".json"))
	if err != nil {
		return access.ErrHidden
	}
	print, err := s.school.Print(c.Request().Context(), me(c), n, pageNumber)
	if err != nil {
		return err
	}
	lasting(c)
	return c.JSONBlob(http.StatusOK, []byte(print))
}
