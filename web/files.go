package web

import (
	"cmp"
	"encoding/json"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"readymargin/school/takeaway"
	"readymargin/school/work"
)

// filesPage shows what of an assignment goes out as files and on paper, and comes in
// again.
func (s *Site) filesPage(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	given, course, students, err := s.school.Exports.Filed(c.Request().Context(), me(c), n)
	if err != nil {
		return err
	}
	return s.render(c, http.StatusOK, "files.html", given.Title+", on paper and as files", map[string]any{"Assignment": given, "Course": course, "Students": students})
}

// stack serves the sheets of a whole class as one file to print.
func (s *Site) stack(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	f, err := s.school.Exports.TakeStack(c.Request().Context(), me(c), n, takeaway.Form(cmp.Or(c.QueryParam("as"), string(takeaway.Printed))))
	if err != nil {
		return err
	}
	called(c, "attachment", f.Name)
	return send(c, f.Media)
}

// paper takes in what was written on printed sheets: a line of JSON for each page, as it
// is done.
func (s *Site) paper(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	files, err := uploads(c)
	if err != nil {
		return err
	}
	return s.lines(c, func(tell func(any) error) error {
		for _, f := range files {
			if err := s.school.Elsewhere.BringPaper(c.Request().Context(), me(c), n, f, func(p work.PaperPage) error { return tell(p) }); err != nil {
				return err
			}
		}
		return nil
	})
}

// uncoded lays a page on paper on the copy of the student that is named.
func (s *Site) uncoded(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	files, err := uploads(c)
	if err != nil {
		return err
	}
	student, _ := strconv.ParseUint(c.FormValue("student"), 10, 63) // nobody is 0
	page, _ := strconv.Atoi(c.FormValue("page"))                    // there is no page 0
	out, err := s.school.Elsewhere.BringUncoded(c.Request().Context(), me(c), n, student, page, files[0])
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, out)
}

// markedClass takes over what was marked on copies with other programs, or says what it
// would be: a line of JSON for each file, as it is done.
func (s *Site) markedClass(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	files, err := uploads(c)
	if err != nil {
		return err
	}
	var chosen []int
	for _, v := range c.Request().Form["take"] {
		if at, err := strconv.Atoi(v); err == nil {
			chosen = append(chosen, at)
		}
	}
	return s.lines(c, func(tell func(any) error) error {
		return s.school.Elsewhere.BringMarkedClass(c.Request().Context(), me(c), n, files, chosen, func(f work.MarkedFile) error {
			line := struct {
				work.MarkedFile
				Wrong string `json:"wrong,omitempty"`
			}{MarkedFile: f}
			if f.Wrong != nil {
				line.Wrong = s.say(f.Wrong).text
			}
			return tell(line)
		})
	})
}

// lines answers with lines of JSON as they come. What goes wrong before the first is an
// answer of its own; behind it, it is the last line.
func (s *Site) lines(c *echo.Context, do func(tell func(any) error) error) error {
	begun := false
	flush := http.NewResponseController(c.Response())
	tell := func(v any) error {
		if !begun {
			c.Response().Header().Set("Content-Type", "application/x-ndjson")
			begun = true
		}
		if err := json.NewEncoder(c.Response()).Encode(v); err != nil {
			return err
		}
		return flush.Flush()
	}
	err := do(tell)
	if err != nil && begun {
		return tell(map[string]string{"error": s.say(err).text})
	}
	return err
}
