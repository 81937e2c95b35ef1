package web

import (
	"cmp"
	"io"
	"log/slog"
	"net/http"
	"net/url"

	"github.com/labstack/echo/v5"

	"readymargin/core/access"
	"readymargin/school"
	"readymargin/school/assign"
	"readymargin/school/takeaway"
)

// courseEnd shows what can become of a course when its year is over.
func (s *Site) courseEnd(c *echo.Context) error { return s.courseEndPage(c, nil) }

func (s *Site) courseEndPage(c *echo.Context, wrong error) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	course, err := s.school.Courses.Runs(ctx, me(c), n)
	if err != nil {
		return err
	}
	_, members, given, err := s.school.Queue.InCourse(ctx, me(c), n)
	if err != nil {
		return err
	}
	students, in := 0, 0
	for _, m := range members {
		if m.Role == access.Student {
			students++
		}
	}
	var all []school.Assignment
	for _, h := range given {
		in += h.In
		all = append(all, h.Assignment)
	}
	minutes := "a minute"
	if in > 200 {
		minutes = count(in/200+1, "minute", "minutes")
	}
	data := map[string]any{"Course": course, "Students": students, "Given": len(given), "In": in, "First": assign.Earliest(all), "Minutes": minutes}
	if wrong != nil {
		return s.again(c, wrong, "course-end.html", course.Name, data)
	}
	return s.render(c, http.StatusOK, "course-end.html", course.Name, data)
}

// endCourse puts a course away, brings it back, or deletes it.
func (s *Site) endCourse(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	ctx, to := c.Request().Context(), "/courses/"+id(n)
	switch c.FormValue("do") {
	case "archive":
		if err = s.school.Courses.Archive(ctx, me(c), n); err == nil {
			s.tell(c, "The course is put away.")
		}
	case "back":
		if err = s.school.Courses.BringBack(ctx, me(c), n); err == nil {
			s.tell(c, "The course is back, as it was.")
		}
	case "delete":
		var course school.Course
		if course, err = s.school.Courses.Runs(ctx, me(c), n); err == nil {
			err = s.school.Courses.Delete(ctx, me(c), n, c.FormValue("name"))
		}
		if err != nil && s.say(err).status == http.StatusUnprocessableEntity {
			return s.courseEndPage(c, err)
		}
		if err == nil {
			s.tell(c, "“"+course.Name+"” is deleted, with all work in it.")
			to = "/courses"
		}
	default:
		if _, err = s.school.Courses.Runs(ctx, me(c), n); err == nil {
			err = wrongForm
		}
	}
	if err != nil {
		return err
	}
	return seeOther(c, to)
}

// courseAgain makes a course like another.
func (s *Site) courseAgain(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	course, err := s.school.Assignments.CopyCourse(c.Request().Context(), me(c), n, c.FormValue("name"), c.FormValue("day"))
	if err != nil {
		if s.say(err).status == http.StatusUnprocessableEntity {
			return s.courseEndPage(c, err)
		}
		return err
	}
	s.tell(c, "Here is the new course. Look over its times, then give its code to your students.")
	return seeOther(c, "/courses/"+id(course.ID))
}

// courseFile takes everything of a course away, as it is made.
func (s *Site) courseFile(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	name, err := s.school.Exports.CourseName(ctx, me(c), n)
	if err != nil {
		return err
	}
	return s.zipped(c, name, func(to io.Writer) error { return s.school.Exports.WriteCourse(ctx, me(c), n, to) })
}

// classFile serves all copies of an assignment as one ZIP.
func (s *Site) classFile(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	ctx, form := c.Request().Context(), takeaway.Form(cmp.Or(c.QueryParam("as"), string(takeaway.Printed)))
	name, err := s.school.Exports.ClassName(ctx, me(c), n, form)
	if err != nil {
		return err
	}
	return s.zipped(c, name, func(to io.Writer) error { return s.school.Exports.WriteClass(ctx, me(c), n, form, to) })
}

// ownCopies serves all of a student's own copies in a course as one ZIP.
func (s *Site) ownCopies(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	name, err := s.school.Exports.OwnName(ctx, me(c), n)
	if err != nil {
		return err
	}
	return s.zipped(c, name, func(to io.Writer) error { return s.school.Exports.WriteOwnCopies(ctx, me(c), n, to) })
}

// zipped serves a ZIP of that name as it is written.
func (s *Site) zipped(c *echo.Context, name string, write func(to io.Writer) error) error {
	c.Response().Header().Set("Content-Type", "application/zip")
	called(c, "attachment", name)
	return s.streaming(c, write(c.Response()))
}

// called gives what is answered a name, for the browser to keep ("attachment") or to show
// ("inline") it by.
func called(c *echo.Context, how, name string) {
	c.Response().Header().Set("Content-Disposition", how+"; filename*=UTF-8''"+url.PathEscape(name))
}

// streaming ends a file that was written as it was made. Where that broke off, half of
// it has gone out: the browser is to see that it is not whole.
func (s *Site) streaming(c *echo.Context, err error) error {
	if err != nil {
		slog.Warn("a file broke off", "path", c.Path(), "error", err)
		panic(http.ErrAbortHandler)
	}
	return nil
}
