package web

import (
	"fmt"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"readymargin/school"
	"readymargin/school/administer"
)

// office shows an administrator how the school stands.
func (s *Site) office(c *echo.Context) error { return s.officePage(c, nil) }

func (s *Site) officePage(c *echo.Context, wrong error) error {
	o, err := s.school.Office.Overview(c.Request().Context(), me(c))
	if err != nil {
		return err
	}
	var failed []school.Job
	waiting := map[school.JobKind]int{}
	for _, j := range o.Jobs {
		if j.Error != "" {
			failed = append(failed, j)
		} else {
			waiting[j.Kind]++
		}
	}
	data := map[string]any{"School": o, "Failed": failed, "Waiting": waiting}
	if wrong != nil {
		return s.again(c, wrong, "office.html", "The school", data)
	}
	return s.render(c, http.StatusOK, "office.html", "The school", data)
}

// addTeacher gives a course a teacher.
func (s *Site) addTeacher(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	if err := s.school.Office.AddTeacher(c.Request().Context(), me(c), n, c.FormValue("login")); err != nil {
		if s.say(err).status == http.StatusUnprocessableEntity {
			return s.officePage(c, err)
		}
		return err
	}
	s.tell(c, "The course has another teacher.")
	return seeOther(c, "/school#courses")
}

// people finds people of the school.
func (s *Site) people(c *echo.Context) error {
	query := c.QueryParam("q")
	found, of, err := s.school.Office.Find(c.Request().Context(), me(c), query)
	if err != nil {
		return err
	}
	data := map[string]any{"Found": found, "Of": of, "Query": query}
	if c.Request().Header.Get("HX-Request") == "true" {
		return s.render(c, http.StatusOK, "found-people", "People", data)
	}
	return s.render(c, http.StatusOK, "people.html", "People", data)
}

// profile shows somebody to an administrator.
func (s *Site) profile(c *echo.Context) error { return s.profilePage(c, nil) }

func (s *Site) profilePage(c *echo.Context, wrong error) error {
	n, err := number(c, "person")
	if err != nil {
		return err
	}
	p, err := s.school.Office.Profile(c.Request().Context(), me(c), n)
	if err != nil {
		return err
	}
	data := map[string]any{"Profile": p, "Self": n == me(c).ID}
	if wrong != nil {
		return s.again(c, wrong, "profile.html", p.Person.Name, data)
	}
	return s.render(c, http.StatusOK, "profile.html", p.Person.Name, data)
}

// changeProfile changes somebody's account, closes, opens or erases it, or makes a slip.
func (s *Site) changeProfile(c *echo.Context) error {
	n, err := number(c, "person")
	if err != nil {
		return err
	}
	ctx, me, to, told := c.Request().Context(), me(c), fmt.Sprint("/school/people/", n), "Kept."
	switch c.FormValue("do") {
	case "name":
		err = s.school.Office.Rename(ctx, me, n, c.FormValue("given"), c.FormValue("family"))
	case "rank":
		err = s.school.Office.SetRank(ctx, me, n, administer.Rank(c.FormValue("rank")))
	case "close":
		err, told = s.school.Office.Close(ctx, me, n), "The account is closed. What was done in it stays."
	case "open":
		err, told = s.school.Office.Reopen(ctx, me, n), "The account is open again."
	case "hand over":
		err, told = s.school.Office.HandOver(ctx, me, n, c.FormValue("login")), "The worksheets are with "+strings.TrimSpace(c.FormValue("login"))+" now."
	case "erase":
		err, told, to = s.school.Office.Erase(ctx, me, n, c.FormValue("sure")), "The person is erased, with all that was theirs. Files go within a day.", "/school/people"
	case "slip":
		owner, token, err := s.school.Accounts.SlipFor(ctx, me, n)
		if err != nil {
			return err
		}
		return s.render(c, http.StatusOK, "new-slip.html", "Sign-in slip", map[string]any{"Code": token, "Owner": owner, "Back": to, "Origin": s.cfg.Origin})
	default:
		if _, err = s.school.Office.Profile(ctx, me, n); err == nil {
			err = wrongForm
		}
	}
	if err != nil {
		if s.say(err).status == http.StatusUnprocessableEntity {
			return s.profilePage(c, err)
		}
		return err
	}
	s.tell(c, told)
	return seeOther(c, to)
}
