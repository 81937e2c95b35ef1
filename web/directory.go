package web

import (
	"encoding/base64"
	"net/http"

	"github.com/labstack/echo/v5"

	"readymargin/core/access"
	"readymargin/school/enrol"
)

// maxDirectory bounds the file of a school's directory.
const maxDirectory = 20 << 20

// directory shows the form for a school's directory.
func (s *Site) directory(c *echo.Context) error { return s.directoryPage(c, nil) }

// directoryPage shows what a school's directory would bring.
func (s *Site) directoryPage(c *echo.Context, wrong error) error {
	p, err := signedIn(c)
	if err != nil {
		return err
	}
	if !p.Admin {
		return access.ErrDenied
	}
	if wrong != nil {
		return s.again(c, wrong, "directory.html", "The school’s directory", nil)
	}
	return s.render(c, http.StatusOK, "directory.html", "The school’s directory", nil)
}

// checkDirectory says what a directory would do.
func (s *Site) checkDirectory(c *echo.Context) error {
	if !me(c).Admin {
		return access.May(access.Person{SignedIn: me(c).ID != 0}, access.BringDirectory, access.Thing{}) // before a large file is read
	}
	files, err := uploads(c)
	if err == nil {
		var list enrol.DirectoryList
		if list, err = s.school.Lists.CheckDirectory(c.Request().Context(), me(c), files[0].Data); err == nil {
			newCourses, newPeople := list.Count(enrol.IsNew)
			return s.render(c, http.StatusOK, "directory.html", "The school’s directory", map[string]any{"List": list, "NewCourses": newCourses, "NewPeople": newPeople,
				"Zones": zones, "File": base64.StdEncoding.EncodeToString(files[0].Data)})
		}
	}
	if s.say(err).status >= 500 {
		return err
	}
	return s.directoryPage(c, err)
}

// takeDirectory takes the checked directory in and shows the slips.
func (s *Site) takeDirectory(c *echo.Context) error {
	file, err := base64.StdEncoding.DecodeString(c.FormValue("file"))
	if err != nil {
		file = nil // no archive, which says so
	}
	list, newcomers, err := s.school.Lists.TakeDirectory(c.Request().Context(), me(c), file, c.FormValue("zone"))
	if err != nil {
		if s.say(err).status != http.StatusUnprocessableEntity {
			return err
		}
		return s.directoryPage(c, err)
	}
	courses, people := list.Count(enrol.IsNew)
	return s.render(c, http.StatusOK, "directory-slips.html", "Sign-in slips", map[string]any{"Courses": courses, "People": people, "Newcomers": newcomers, "Origin": s.cfg.Origin})
}
