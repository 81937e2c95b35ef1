package web

import (
	"encoding/base64"
	"fmt"
	"io"
	"maps"
	"math"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"readymargin/core/roster"
	"readymargin/school"
	"readymargin/school/markbook"
)

// book shows the mark book of a course, and how the questions of one of its
// assignments did.
func (s *Site) book(c *echo.Context) error { return s.bookPage(c, nil) }

func (s *Site) bookPage(c *echo.Context, extra map[string]any) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	book, err := s.school.Books.Book(ctx, me(c), n)
	if err != nil {
		return err
	}
	if by := c.QueryParam("by"); by != "" {
		book.Sort(roster.Order(by))
	}
	data := map[string]any{"Book": book, "Weighed": len(book.Course.Weights) > 0}
	wanted, _ := echo.QueryParam[uint64](c, "assignment")
	var shown *markbook.Column
	for i, col := range book.Columns {
		if wanted == col.ID || wanted == 0 && col.Spread.N > 0 {
			shown = &book.Columns[i]
		}
	}
	if shown != nil {
		data["Shown"] = shown
		if data["Questions"], err = s.school.Books.Questions(ctx, me(c), shown.ID); err != nil {
			return err
		}
	}
	_, err = s.school.Courses.Runs(ctx, me(c), n)
	data["Runs"] = err == nil
	maps.Copy(data, extra)
	return s.render(c, http.StatusOK, "mark-book.html", "Mark book, "+book.Course.Name, data)
}

func (s *Site) bookCSV(c *echo.Context) error {
	return s.bookFile(c, "csv", "text/csv; charset=utf-8", markbook.Book.CSV)
}

func (s *Site) bookXLSX(c *echo.Context) error {
	return s.bookFile(c, "xlsx", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", markbook.Book.XLSX)
}

// bookFile takes the mark book away as a table.
func (s *Site) bookFile(c *echo.Context, ending, kind string, write func(markbook.Book) ([]byte, error)) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	book, err := s.school.Books.Book(c.Request().Context(), me(c), n)
	if err != nil {
		return err
	}
	file, err := write(book)
	if err != nil {
		return err
	}
	called(c, "attachment", book.Course.Name+", points."+ending)
	return c.Blob(http.StatusOK, kind, file)
}

// setWeights sets what the chapters of a course count.
func (s *Site) setWeights(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	c.FormValue("") // parses the form
	var weights map[string]float64
	if c.FormValue("do") != "alike" {
		weights = map[string]float64{}
		for i, chapter := range c.Request().PostForm["chapter"] {
			text := ""
			if all := c.Request().PostForm["weight"]; i < len(all) {
				text = all[i]
			}
			if weights[chapter], err = strconv.ParseFloat(strings.Replace(text, ",", ".", 1), 64); err != nil {
				weights[chapter] = math.NaN()
			}
		}
	}
	if err := s.school.Books.SetWeights(c.Request().Context(), me(c), n, weights); err != nil {
		return err
	}
	return seeOther(c, fmt.Sprintf("/courses/%d/book", n))
}

// excuse says that a student need not do an assignment, or has to after all.
func (s *Site) excuse(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	if _, _, err := s.school.Roster.Members(ctx, me(c), n); err != nil {
		return err
	}
	assignment, _ := echo.FormValue[uint64](c, "assignment")
	student, _ := echo.FormValue[uint64](c, "student")
	if assignment == 0 || student == 0 {
		return wrongForm
	}
	if err := s.school.Books.Excuse(ctx, me(c), assignment, student, c.FormValue("do") != "not"); err != nil {
		return err
	}
	s.tell(c, "Kept.")
	return seeOther(c, fmt.Sprintf("/courses/%d/book", n))
}

// ownPoints shows a student a course: its sheets, and what came back.
func (s *Site) ownPoints(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	course, sheets, err := s.school.Books.Own(c.Request().Context(), me(c), n)
	if err != nil {
		return err
	}
	return s.render(c, http.StatusOK, "own-points.html", course.Name, map[string]any{"Course": course, "Sheets": sheets})
}

// maxPoints is the largest table of points, in bytes.
const maxPoints = 1 << 20

// readPoints shows what a table of points would change.
func (s *Site) readPoints(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	var file []byte
	if h, err := c.FormFile("file"); err == nil {
		f, err := h.Open()
		if err != nil {
			return err
		}
		defer f.Close()
		if file, err = io.ReadAll(io.LimitReader(f, maxPoints)); err != nil {
			return err
		}
	}
	reading, err := s.school.Books.ReadPoints(c.Request().Context(), me(c), n, file)
	if err != nil {
		return err
	}
	return s.bookPage(c, map[string]any{"Reading": &reading, "File": base64.StdEncoding.EncodeToString(file)})
}

// takePoints takes what was shown.
func (s *Site) takePoints(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	file, err := base64.StdEncoding.DecodeString(c.FormValue("file"))
	if err != nil {
		return &school.Problem{Code: "points file"}
	}
	taken, err := s.school.Books.TakePoints(c.Request().Context(), me(c), n, file)
	if err != nil {
		return err
	}
	s.tell(c, count(taken, "entry was", "entries were")+" taken over. Students see them when the copies are returned.")
	return seeOther(c, fmt.Sprintf("/courses/%d/book", n))
}
