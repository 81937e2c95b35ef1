package web

import (
	"encoding/base64"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"readymargin/school"
	"readymargin/school/enrol"
)

// signInPage shows the form for signing in.
func (s *Site) signInPage(c *echo.Context) error {
	if me(c).ID != 0 {
		return seeOther(c, localPath(c.QueryParam("next")))
	}
	return s.render(c, http.StatusOK, "sign-in.html", "Sign in", map[string]any{"Next": c.QueryParam("next")})
}

// signIn begins a session, and knows the browser again the next time.
func (s *Site) signIn(c *echo.Context) error {
	p, err := s.school.Accounts.SignIn(c.Request().Context(), c.FormValue("login"), c.FormValue("password"), device(c))
	if err != nil {
		if wantsJSON(c) {
			return err
		}
		return s.again(c, err, "sign-in.html", "Sign in", map[string]any{"Next": c.FormValue("next")})
	}
	if err := s.begin(c, p); err != nil {
		return err
	}
	return seeOther(c, localPath(c.FormValue("next")))
}

// signOut ends the session.
func (s *Site) signOut(c *echo.Context) error {
	if err := s.sessions.Destroy(c.Request().Context()); err != nil {
		return err
	}
	return seeOther(c, "/sign-in")
}

// joinPage shows the form for a join code. A code that was scanned stands behind
// the # of the address, where no server and no list of visited pages that is sent
// on has it; script puts it into the form.
func (s *Site) joinPage(c *echo.Context) error {
	return s.render(c, http.StatusOK, "join.html", "Join a course", nil)
}

// join takes a code, and shows which course it opens; then it lets somebody in,
// with a new account if they have none.
func (s *Site) join(c *echo.Context) error {
	ctx := c.Request().Context()
	code := strings.TrimSpace(c.FormValue("code"))
	p := me(c)
	if c.FormValue("do") == "" {
		course, err := s.school.Courses.CourseByCode(ctx, p, code, device(c))
		if err != nil {
			return s.again(c, err, "join.html", "Join a course", nil)
		}
		return s.render(c, http.StatusOK, "join.html", "Join "+course.Name, map[string]any{"Code": code, "Course": course})
	}
	var course school.Course
	var err error
	if p.ID == 0 && c.FormValue("do") == "sign in" {
		if p, err = s.school.Accounts.SignIn(ctx, c.FormValue("login"), c.FormValue("password"), device(c)); err == nil {
			err = s.begin(c, p)
		}
	}
	switch {
	case err != nil: // the sign-in failed
	case p.ID != 0:
		course, err = s.school.Courses.Join(ctx, p, code, device(c))
	default:
		if p, course, err = s.school.Courses.SignUp(ctx, code, c.FormValue("name"), c.FormValue("password"), device(c)); err == nil {
			err = s.begin(c, p)
			s.tell(c, "Welcome to "+course.Name+". Next time you sign in as "+p.Login+".")
		}
	}
	if err != nil {
		data := map[string]any{"Code": code}
		if known, err := s.school.Courses.CourseByCode(ctx, me(c), code, device(c)); err == nil {
			data["Course"] = known
		}
		return s.again(c, err, "join.html", "Join a course", data)
	}
	return seeOther(c, "/to-do")
}

// slipPage asks for the code of a sign-in slip or card; see joinPage for one that
// was scanned.
func (s *Site) slipPage(c *echo.Context) error {
	return s.render(c, http.StatusOK, "slip.html", "Use a slip", nil)
}

// useSlip takes a code: the bearer of a card is signed in with it, the bearer of a
// slip is asked for a new password, and signed in with that.
func (s *Site) useSlip(c *echo.Context) error {
	ctx := c.Request().Context()
	code := strings.TrimSpace(c.FormValue("code"))
	if c.FormValue("do") == "" {
		owner, card, err := s.school.Accounts.TokenOwner(ctx, code, device(c))
		if err != nil {
			return s.again(c, err, "slip.html", "Use a slip", nil)
		}
		if !card {
			return s.render(c, http.StatusOK, "slip.html", "Welcome", map[string]any{"Code": code, "Owner": owner})
		}
		if err := s.begin(c, owner); err != nil {
			return err
		}
		return seeOther(c, "/")
	}
	p, err := s.school.Accounts.UseToken(ctx, code, c.FormValue("name"), c.FormValue("password"), device(c))
	if err != nil {
		data := map[string]any{"Code": code}
		owner, _, slipErr := s.school.Accounts.TokenOwner(ctx, code, device(c))
		if slipErr != nil {
			data = nil
		} else {
			data["Owner"] = owner
		}
		return s.again(c, err, "slip.html", "Use a slip", data)
	}
	if err := s.begin(c, p); err != nil {
		return err
	}
	s.tell(c, "Welcome. Next time you sign in as "+p.Login+".")
	return seeOther(c, "/")
}

// invite makes a slip for a new teacher.
func (s *Site) invite(c *echo.Context) error {
	token, err := s.school.Accounts.InviteTeacher(c.Request().Context(), me(c))
	if err != nil {
		return err
	}
	return s.render(c, http.StatusOK, "invitation.html", "Invitation", map[string]any{"Code": token, "Origin": s.cfg.Origin})
}

// zones are offered for a course where script does not offer all that the browser knows.
var zones = []string{
	"UTC", "Europe/London", "Europe/Lisbon", "Europe/Berlin", "Europe/Paris", "Europe/Stockholm", "Europe/Warsaw", "Europe/Athens", "Europe/Helsinki", "Europe/Kyiv", "Europe/Istanbul",
	"Africa/Casablanca", "Africa/Lagos", "Africa/Cairo", "Africa/Johannesburg", "Africa/Nairobi",
	"Asia/Dubai", "Asia/Karachi", "Asia/Kolkata", "Asia/Dhaka", "Asia/Bangkok", "Asia/Shanghai", "Asia/Manila", "Asia/Tokyo", "Asia/Seoul",
	"Australia/Perth", "Australia/Sydney", "Pacific/Auckland",
	"America/Halifax", "America/New_York", "America/Chicago", "America/Denver", "America/Los_Angeles", "America/Mexico_City", "America/Bogota", "America/Sao_Paulo", "America/Argentina/Buenos_Aires",
}

// courses shows the courses of the person.
func (s *Site) courses(c *echo.Context) error { return s.coursesPage(c, nil) }

// coursesPage shows the courses, with what was wrong with a form if something was.
func (s *Site) coursesPage(c *echo.Context, wrong error) error {
	p, err := signedIn(c)
	if err != nil {
		return err
	}
	all, err := s.school.Courses.CoursesOf(c.Request().Context(), p)
	if err != nil {
		return err
	}
	var now, archived []school.CourseRole
	for _, k := range all {
		if k.ArchivedAt != nil {
			archived = append(archived, k)
		} else {
			now = append(now, k)
		}
	}
	data := map[string]any{"Courses": now, "Archived": archived, "Zones": zones, "MayMake": p.Staff || p.Admin}
	if wrong != nil {
		return s.again(c, wrong, "courses.html", "Courses", data)
	}
	return s.render(c, http.StatusOK, "courses.html", "Courses", data)
}

// makeCourse makes a course of which the person is the teacher.
func (s *Site) makeCourse(c *echo.Context) error {
	p, err := signedIn(c)
	if err != nil {
		return err
	}
	course, err := s.school.Courses.MakeCourse(c.Request().Context(), p, c.FormValue("name"), c.FormValue("zone"))
	if err != nil {
		if s.say(err).status != http.StatusUnprocessableEntity {
			return err
		}
		return s.coursesPage(c, err)
	}
	return seeOther(c, "/courses/"+id(course.ID))
}

// classList shows the form for a class list.
func (s *Site) classList(c *echo.Context) error { return s.classListPage(c, nil) }

// classListPage shows what a class list would bring.
func (s *Site) classListPage(c *echo.Context, wrong error) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	course, err := s.school.Courses.Runs(c.Request().Context(), me(c), n)
	if err != nil {
		return err
	}
	data := map[string]any{"Course": course}
	if wrong != nil {
		return s.again(c, wrong, "class-list.html", "Class list", data)
	}
	return s.render(c, http.StatusOK, "class-list.html", "Class list", data)
}

// checkList says line by line what a class list would do.
func (s *Site) checkList(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	if _, err := s.school.Courses.Runs(c.Request().Context(), me(c), n); err != nil {
		return err
	}
	files, err := uploads(c)
	if err == nil {
		var list enrol.ClassList
		if list, err = s.school.Lists.CheckList(c.Request().Context(), me(c), n, files[0].Data); err == nil {
			return s.render(c, http.StatusOK, "class-list.html", "Class list", map[string]any{"Course": list.Course, "List": list, "File": base64.StdEncoding.EncodeToString(files[0].Data)})
		}
	}
	if s.say(err).status >= 500 {
		return err
	}
	return s.classListPage(c, err)
}

// takeList takes the checked list in and shows the slips.
func (s *Site) takeList(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	file, err := base64.StdEncoding.DecodeString(c.FormValue("file"))
	if err != nil {
		file = nil // an empty list, which says so
	}
	list, newcomers, err := s.school.Lists.TakeList(c.Request().Context(), me(c), n, file)
	if err != nil {
		if s.say(err).status != http.StatusUnprocessableEntity {
			return err
		}
		return s.classListPage(c, err)
	}
	return s.render(c, http.StatusOK, "slips.html", "Sign-in slips", map[string]any{"Course": list.Course, "Newcomers": newcomers, "Origin": s.cfg.Origin})
}

// why says in a sentence what is with a line of a class list.
func why(reason string) string {
	return map[string]string{
		"no name":        "there is no name in this line",
		"long name":      "a name may have 100 letters; a sign-in name 60 letters, digits and . - _ @",
		"twice":          "the same name stands further up; give both a sign-in name in the list",
		"is a student":   "this person has a student’s account here; an administrator makes it a teacher’s",
		"no id":          "it has no sourcedId",
		"no class":       "no class has this classSourcedId",
		"no person":      "nobody has this userSourcedId",
		"other role":     "this role neither teaches nor learns",
		"left":           "this person has left the course; the code lets them in again, with their work",
		"refused before": "you have refused this person; let them in from the course page",
		"section":        "comes into the section that the list says",
		"account exists": "somebody has this sign-in name already; let them join with the code",
	}[reason]
}
