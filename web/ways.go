package web

import (
	"encoding/json"
	"errors"
	"net/http"

	"github.com/labstack/echo/v5"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/worksheet"
	"readymargin/school"
	"readymargin/school/assign"
)

// ways are the ways of giving a sheet, in words.
var ways = map[flow.Mode]string{flow.CopyEach: "a copy each", flow.OwnPages: "pages of one’s own", flow.ToKeep: "to keep", flow.ToRead: "to read", flow.OneForAll: "one for all"}

// bring lays a copy on the pages that its student brings.
func (s *Site) bring(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	if err := s.school.Keeping.Brings(ctx, me(c), n); err != nil {
		return err // before large files are read
	}
	files, err := uploads(c)
	if err != nil {
		return err
	}
	if err := s.school.Keeping.Bring(ctx, me(c), n, files); err != nil {
		return err
	}
	if wantsJSON(c) {
		return c.JSON(http.StatusCreated, map[string]string{"at": "/copies/" + id(n)})
	}
	return seeOther(c, "/copies/"+id(n))
}

// keep says of a copy that is to keep whether the teachers may look at it, and what
// its student lets colours stand for.
func (s *Site) keep(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	if err := s.school.Keeping.Keeps(ctx, me(c), n); err != nil {
		return err
	}
	switch c.FormValue("do") {
	case "show", "hide":
		err = s.school.Keeping.Show(ctx, me(c), n, c.FormValue("do") == "show")
	case "key":
		var key []worksheet.Meaning
		if err = json.Unmarshal([]byte(c.FormValue("key")), &key); err != nil {
			err = wrongForm
			break
		}
		err = s.school.Keeping.SetKey(ctx, me(c), n, key)
	default:
		err = wrongForm
	}
	if err != nil {
		return err
	}
	return nothing(c)
}

// ownPagesPage shows the form for assigning pages of one's own.
func (s *Site) ownPagesPage(c *echo.Context) error { return s.ownPages(c, nil) }

func (s *Site) ownPages(c *echo.Context, wrong error) error {
	p, err := signedIn(c)
	if err != nil {
		return err
	}
	if !p.Staff && !p.Admin {
		return access.ErrDenied
	}
	teaching, err := s.teaching(c)
	if err != nil {
		return err
	}
	chosen := c.QueryParam("course")
	t := assign.Terms{Mode: flow.OwnPages}
	for i, k := range teaching {
		if i == 0 || id(k.ID) == chosen {
			t.Due = flow.NextLesson(k.Lessons, s.school.Now(), k.Location())
		}
	}
	return s.assignForm(c, map[string]any{"Own": true, "Worksheet": school.Worksheet{}, "Courses": teaching, "Terms": t, "Instruments": instruments(nil), "Chosen": []string{chosen}}, wrong)
}

// bePractice makes the teacher their practice student, in whose place everything is
// tried as a student has it.
func (s *Site) bePractice(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	p, err := s.school.Accounts.PracticeStudent(c.Request().Context(), me(c), n)
	if err != nil {
		return err
	}
	if err := s.begin(c, p); err != nil {
		return err
	}
	return seeOther(c, "/to-do")
}

// endPractice makes a practice student the teacher again, who alone can have become it.
func (s *Site) endPractice(c *echo.Context) error {
	p, err := signedIn(c)
	if err != nil {
		return err
	}
	if p.PracticeOf == 0 {
		return access.ErrHidden
	}
	teacher, err := s.school.Accounts.Person(c.Request().Context(), p.PracticeOf)
	if errors.Is(err, school.ErrNotFound) || err == nil && teacher.ClosedAt != nil {
		return access.ErrHidden
	}
	if err != nil {
		return err
	}
	if err := s.begin(c, teacher); err != nil {
		return err
	}
	return seeOther(c, "/")
}
