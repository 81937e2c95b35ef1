package web

import (
	"cmp"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/roster"
	"readymargin/school"
	"readymargin/school/assign"
	"readymargin/school/feedback"
)

// course shows a course to those who teach or mark in it, and leads those who learn
// in it to their own page.
func (s *Site) course(c *echo.Context) error {
	err := s.coursePage(c, "course.html", nil)
	if errors.Is(err, access.ErrDenied) { // who learns there has a page of their own
		return seeOther(c, c.Request().URL.Path+"/own")
	}
	return err
}

// coursePage shows a course, or a part of it to be swapped.
func (s *Site) coursePage(c *echo.Context, name string, extra map[string]any) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	course, members, given, err := s.school.Queue.InCourse(ctx, me(c), n)
	if err != nil {
		return err
	}
	// By chapter, and by due time in each; those without a chapter come first.
	slices.SortStableFunc(given, func(a, b feedback.MarkingQueue) int {
		return strings.Compare(a.Assignment.Chapter, b.Assignment.Chapter)
	})
	groups := map[access.Role][]school.Member{}
	fresh := 0
	for _, m := range members {
		groups[m.Role] = append(groups[m.Role], m)
		if m.Role == access.Student && !m.Seen || m.Role == access.Waiting {
			fresh++
		}
	}
	role := access.Assistant
	for _, m := range members {
		if m.PersonID == me(c).ID {
			role = m.Role
		}
	}
	// What is no longer assigned stands apart.
	var gone []school.Assignment
	given = slices.DeleteFunc(given, func(h feedback.MarkingQueue) bool {
		if h.Assignment.RemovedAt != nil {
			gone = append(gone, h.Assignment)
		}
		return h.Assignment.RemovedAt != nil
	})
	by := roster.Order(cmp.Or(c.QueryParam("by"), string(roster.ByFamily)))
	school.SortMembers(groups[access.Student], by)
	data := map[string]any{
		"By": by, "Course": course, "Students": groups[access.Student], "Teachers": groups[access.Teacher], "Refused": groups[access.None],
		"New": fresh, "Given": given, "Gone": gone, "Origin": s.cfg.Origin, "Runs": role == access.Teacher,
		"Waiting": groups[access.Waiting], "Assistants": groups[access.Assistant], "Sections": assign.Sections(members), "Days": days, "Zones": zones,
	}
	lines, err := s.school.ClassLines.Of(ctx, me(c), n)
	if err != nil {
		return err
	}
	data["Mails"] = s.school.Notices.Open()
	data["Lines"] = seen(lines, groups[access.Student])
	practice := fmt.Sprint("practice.", me(c).ID)
	for _, m := range groups[access.Practice] {
		if m.Login != practice || role != access.Teacher {
			continue
		}
		if data["Practised"], err = s.school.Books.Of(ctx, me(c), m.Membership); err != nil {
			return err
		}
	}
	for k, v := range extra {
		data[k] = v
	}
	return s.render(c, http.StatusOK, name, course.Name, data)
}

// changeCode renews, opens or closes the join code.
func (s *Site) changeCode(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	switch c.FormValue("do") {
	case "renew":
		_, err = s.school.Courses.RenewCode(ctx, me(c), n)
	case "open", "close":
		_, err = s.school.Courses.OpenCode(ctx, me(c), n, c.FormValue("do") == "open")
	default:
		if _, err = s.school.Courses.Runs(ctx, me(c), n); err == nil {
			err = wrongForm
		}
	}
	if err != nil {
		return err
	}
	return s.back(c, n, "course-code")
}

// setVoice sets the longest voice note.
func (s *Site) setVoice(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	minutes, _ := echo.FormValue[int](c, "minutes")
	if _, err := s.school.Courses.SetVoice(c.Request().Context(), me(c), n, minutes); err != nil {
		return err
	}
	return s.back(c, n, "course-voice")
}

// renameCourse gives a course another name and time zone.
func (s *Site) renameCourse(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	if _, err := s.school.Courses.Rename(c.Request().Context(), me(c), n, c.FormValue("name"), c.FormValue("zone")); err != nil {
		return err
	}
	return seeOther(c, "/courses/"+id(n))
}

// setMarking sets how points are given in a course, which attempt counts, and
// whether work is looked at before it is submitted.
func (s *Site) setMarking(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	if _, err := s.school.Courses.SetMarking(c.Request().Context(), me(c), n, c.FormValue("step"), school.Counts(c.FormValue("counts")), c.FormValue("watch") == "1"); err != nil {
		return err
	}
	return s.back(c, n, "course-marking")
}

// back answers a change of a course: with the fragment that changed, or with
// the whole page where script is off.
func (s *Site) back(c *echo.Context, course uint64, fragment string) error {
	if c.Request().Header.Get("HX-Request") == "true" {
		return s.coursePage(c, fragment, nil)
	}
	return seeOther(c, "/courses/"+id(course))
}

// admit lets a person in, refuses one, or sets what a person is here.
func (s *Site) admit(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	person, err := number(c, "person")
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	switch c.FormValue("do") {
	case "section":
		err = s.school.Roster.SetSection(ctx, me(c), n, person, c.FormValue("section"))
	case "help":
		if err = s.school.Roster.SetHelp(ctx, me(c), n, person, helpIn(c)); err == nil {
			s.tell(c, "Kept.")
			return seeOther(c, "/courses/"+id(n)+"/people/"+id(person))
		}
	case "name":
		switch err = s.school.Accounts.Rename(ctx, me(c), n, person, c.FormValue("given"), c.FormValue("family")); {
		case err == nil:
			s.tell(c, "The name is changed. The sign-in name stays.")
			return seeOther(c, "/courses/"+id(n)+"/people/"+id(person))
		case s.say(err).status == http.StatusUnprocessableEntity:
			return s.personPage(c, s.say(err).text)
		}
	case "remove":
		err = s.school.Roster.RemoveStaff(ctx, me(c), n, person)
	default:
		err = s.school.Roster.Admit(ctx, me(c), n, person, c.FormValue("do") != "refuse")
	}
	if err != nil {
		return err
	}
	return s.back(c, n, "course-people")
}

// person shows a student of a course: the work, and how the screen is kept.
func (s *Site) person(c *echo.Context) error { return s.personPage(c, "") }

func (s *Site) personPage(c *echo.Context, wrong string) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	person, err := number(c, "person")
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	course, p, m, help, err := s.school.Roster.HelpOf(ctx, me(c), n, person)
	if err != nil {
		return err
	}
	sheets, err := s.school.Books.Of(ctx, me(c), m)
	if err != nil {
		return err
	}
	return s.render(c, http.StatusOK, "person.html", p.Name, map[string]any{"Course": course, "Person": p, "Member": m, "Help": help, "Sheets": sheets, "Now": s.school.Now(), "Wrong": wrong, "Typed": typed(c)})
}

// welcomeAll lets everybody in who waits.
func (s *Site) welcomeAll(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	if err := s.school.Roster.AdmitAll(c.Request().Context(), me(c), n); err != nil {
		return err
	}
	return s.back(c, n, "course-people")
}

// addStaff makes somebody a teacher or an assistant of the course.
func (s *Site) addStaff(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	err = s.school.Roster.AddStaff(c.Request().Context(), me(c), n, c.FormValue("login"), access.Role(c.FormValue("role")))
	if err != nil {
		if s.say(err).status != http.StatusUnprocessableEntity {
			return err
		}
		return s.coursePage(c, "course.html", map[string]any{"Wrong": s.say(err).text, "Typed": typed(c)})
	}
	return seeOther(c, "/courses/"+id(n))
}

// setVet says whether newcomers wait.
func (s *Site) setVet(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	if err := s.school.Courses.SetVet(c.Request().Context(), me(c), n, c.FormValue("vet") == "1"); err != nil {
		return err
	}
	return s.back(c, n, "course-code")
}

// days are those of the week, from Monday.
var days = []time.Weekday{time.Monday, time.Tuesday, time.Wednesday, time.Thursday, time.Friday, time.Saturday, time.Sunday}

// setLessons adds a weekly lesson, or takes one out.
func (s *Site) setLessons(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	course, err := s.school.Courses.Runs(ctx, me(c), n)
	if err != nil {
		return err
	}
	lessons := course.Lessons
	if which, err := echo.FormValue[int](c, "remove"); err == nil && which >= 0 && which < len(lessons) {
		lessons = slices.Delete(slices.Clone(lessons), which, which+1)
	} else {
		day, _ := echo.FormValue[int](c, "day")
		lessons = append(slices.Clone(lessons), flow.Lesson{Day: time.Weekday(day), Clock: c.FormValue("clock")})
	}
	if err := s.school.Courses.SetLessons(ctx, me(c), n, lessons); err != nil {
		return err
	}
	return s.back(c, n, "course-lessons")
}

// leave takes the person out of a course.
func (s *Site) leave(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	if err := s.school.Courses.Leave(c.Request().Context(), me(c), n); err != nil {
		return err
	}
	s.tell(c, "You have left the course. Your work is kept; the code lets you in again.")
	return seeOther(c, "/courses")
}

// newSlip makes a sign-in slip for a student who forgot the password, or a card for
// one who has none, or ends it.
func (s *Site) newSlip(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	person, err := number(c, "person")
	if err != nil {
		return err
	}
	ctx, do := c.Request().Context(), c.FormValue("do")
	if do == "end card" {
		if err := s.school.Accounts.EndCard(ctx, me(c), n, person); err != nil {
			return err
		}
		s.tell(c, "The card signs nobody in any more.")
		return seeOther(c, "/courses/"+id(n)+"/people/"+id(person))
	}
	newOne, title := s.school.Accounts.NewSignInToken, "Sign-in slip"
	if do == "card" {
		newOne, title = s.school.Accounts.NewCard, "Sign-in card"
	}
	owner, token, err := newOne(ctx, me(c), n, person)
	if err != nil {
		return err
	}
	return s.render(c, http.StatusOK, "new-slip.html", title, map[string]any{"Code": token, "Owner": owner, "Back": "/courses/" + id(n) + "/people/" + id(person), "Origin": s.cfg.Origin, "Card": do == "card"})
}
