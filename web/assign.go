package web

import (
	"cmp"
	"context"
	"errors"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/worksheet"
	"readymargin/school"
	"readymargin/school/assign"
	"readymargin/school/shelf"
)

// A class is a course with whom something in it can be for.
type class struct {
	school.Course
	Sections []string
	Students []school.Member
}

// class returns a course with its sections and students, for choosing among them.
func (s *Site) class(ctx context.Context, who school.Person, course uint64) (class, error) {
	c, members, err := s.school.Roster.Members(ctx, who, course)
	out := class{Course: c, Sections: assign.Sections(members)}
	for _, m := range members {
		if m.Role == access.Student {
			out.Students = append(out.Students, m)
		}
	}
	return out, err
}

// assignPage shows the form for assigning a worksheet.
func (s *Site) assignPage(c *echo.Context) error { return s.assigning(c, c.Param("id"), nil) }

// assigning shows the form for assigning, with what was wrong if something was.
func (s *Site) assigning(c *echo.Context, of string, wrong error) error {
	n, err := strconv.ParseUint(of, 10, 63)
	if err != nil {
		return access.ErrHidden
	}
	ctx := c.Request().Context()
	p, err := s.school.Shelf.Prepare(ctx, me(c), n)
	if err != nil {
		return err
	}
	teaching, err := s.teaching(c)
	if err != nil {
		return err
	}
	t := assign.Terms{Title: p.Worksheet.Title, Mode: flow.CopyEach}
	if worth := p.Plan.Points(); worth > 0 {
		t.Points = worth.String()
	}
	chosen := c.QueryParam("course") // whose page it was come from
	for i, k := range teaching {
		if i == 0 || id(k.ID) == chosen {
			t.Due = flow.NextLesson(k.Lessons, s.school.Now(), k.Location())
		}
	}
	data := map[string]any{"Worksheet": p.Worksheet, "Courses": teaching, "Sheet": p.Plan.Of(worksheet.Sheet), "Held": len(p.Plan.Of(worksheet.Held)),
		"Undecided": school.IsProblem(wrong, "undecided"), "Terms": t, "Instruments": instruments(nil), "Chosen": []string{chosen}}
	return s.assignForm(c, data, wrong)
}

// teaching returns the courses that the person teaches, with whom something in them
// can be for.
func (s *Site) teaching(c *echo.Context) (out []class, err error) {
	ctx := c.Request().Context()
	all, err := s.school.Courses.CoursesOf(ctx, me(c))
	for _, course := range all {
		if course.Role == access.Teacher && course.ArchivedAt == nil {
			k, err := s.class(ctx, me(c), course.ID)
			if err != nil {
				return nil, err
			}
			out = append(out, k)
		}
	}
	return out, err
}

// assignForm shows the form for assigning, with what was typed if something was wrong.
func (s *Site) assignForm(c *echo.Context, data map[string]any, wrong error) error {
	if wrong != nil {
		form := c.Request().PostForm
		data["Terms"], data["Chosen"], data["Instruments"] = terms(c), form["course"], instruments(form["instrument"])
		data["ChosenSections"], data["ChosenPeople"] = form["section"], form["person"]
		return s.again(c, wrong, "assign.html", "Assign", data)
	}
	return s.render(c, http.StatusOK, "assign.html", "Assign", data)
}

// An instrument is offered by an assignment, or not.
type instrument struct {
	Name, Words string
	On          bool
}

// instruments lists those that can be left out; with none chosen all are on.
func instruments(chosen []string) (out []instrument) {
	words := map[string]string{"type": "Type", "highlighter": "Highlighter", "underline": "Underline", "crossout": "Cross out", "pen": "Pen", "shape": "Shapes", "picture": "Pictures", "look-up": "Look up words"}
	for _, name := range mark.Instruments {
		out = append(out, instrument{name, words[name], len(chosen) == 0 || slices.Contains(chosen, name)})
	}
	return out
}

// audience reads whom a form names in one course: sections and people have
// the course's number before them. That nobody is named means everybody.
func audience(c *echo.Context, course uint64) (a access.Audience, err error) {
	c.FormValue("") // parses the form
	form := c.Request().PostForm
	if form.Get("who") == "all" {
		return a, nil
	}
	for _, v := range form["section"] {
		if name, ok := strings.CutPrefix(v, id(course)+"/"); ok {
			a.Sections = append(a.Sections, name)
		}
	}
	for _, v := range form["person"] {
		if person, ok := strings.CutPrefix(v, id(course)+"/"); ok {
			n, err := strconv.ParseUint(person, 10, 63)
			if err != nil {
				return a, access.ErrHidden
			}
			a.People = append(a.People, n)
		}
	}
	return a, nil
}

// assign gives a worksheet to the courses chosen.
func (s *Site) assign(c *echo.Context) error {
	c.FormValue("") // parses the form
	sheetID, err := echo.FormValue[uint64](c, "worksheet")
	if err != nil && flow.Mode(c.FormValue("way")) != flow.OwnPages {
		return access.ErrHidden
	}
	want := assign.NewAssignment{Worksheet: sheetID, Anyway: c.FormValue("anyway") == "1", Draft: c.FormValue("do") == "draft", Terms: terms(c), Audiences: map[uint64]access.Audience{}}
	var courses []uint64
	for _, v := range c.Request().PostForm["course"] {
		n, err := strconv.ParseUint(v, 10, 63)
		if err != nil {
			return access.ErrHidden
		}
		courses = append(courses, n)
		if want.Audiences[n], err = audience(c, n); err != nil {
			return err
		}
	}
	all, err := s.school.Assignments.AssignTo(c.Request().Context(), me(c), want, courses)
	if err != nil {
		if s.say(err).status != http.StatusUnprocessableEntity {
			return err
		}
		if want.Mode == flow.OwnPages {
			return s.ownPages(c, err)
		}
		return s.assigning(c, c.FormValue("worksheet"), err)
	}
	if want.Draft {
		s.tell(c, "Kept as a draft: "+all[0].Title+". Students do not see it.")
		return seeOther(c, "/assignments/"+id(all[0].ID)+"/change")
	}
	said := "Every student has a copy now."
	switch {
	case all[0].OpensAt != nil && all[0].OpensAt.After(s.school.Now()):
		said = "Students see it when it opens."
	case all[0].Mode != flow.CopyEach && all[0].Mode != flow.ToKeep || !all[0].Audience.Everybody():
		said = "Those whom it is for see it now."
	}
	s.tell(c, "Assigned: "+all[0].Title+". "+said)
	if len(all) > 1 {
		return seeOther(c, "/")
	}
	return seeOther(c, "/courses/"+id(courses[0]))
}

// terms reads what a form says of an assignment.
func terms(c *echo.Context) assign.Terms {
	v := c.FormValue
	return assign.Terms{Title: v("title"), Instructions: v("instructions"), Chapter: v("chapter"), Points: v("points"),
		Opens: v("opens"), Due: v("due"), Closes: v("closes"), NoLate: v("nolate") == "1", Attempts: v("attempts"),
		Mode: flow.Mode(cmp.Or(v("way"), string(flow.CopyEach))), Instruments: c.Request().PostForm["instrument"],
		KeepHere: v("keephere") == "1", NoSpelling: v("nospelling") == "1", Nameless: v("nameless") == "1", Scaled: v("scaled") == "1"}
}

// changePage shows the form for changing an assignment.
func (s *Site) changePage(c *echo.Context) error { return s.changing(c, nil) }

// changing shows the form for changing an assignment, with what was wrong if something was.
func (s *Site) changing(c *echo.Context, wrong error) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	a, course, concerned, err := s.school.Assignments.Recipients(ctx, me(c), n)
	if err != nil {
		return err
	}
	k, err := s.class(ctx, me(c), course.ID)
	if err != nil {
		return err
	}
	lying, err := s.school.Shelf.Worksheets(ctx, me(c), shelf.Look{})
	if err != nil {
		return err
	}
	titles := map[uint64]string{}
	for _, w := range lying.Own {
		titles[w.ID] = w.Title
	}
	data := map[string]any{"Assignment": a, "Course": course, "Terms": assign.TermsOf(a, course.Location()), "Class": k, "Courses": []class{k}, "Concerned": concerned,
		"Worksheets": lying.Own, "Titles": titles, "Instruments": instruments(a.Instruments), "Undecided": school.IsProblem(wrong, "undecided"),
		"ChosenSections": sectionsOf(a.Audience, course.ID), "ChosenPeople": peopleOf(a.Audience, course.ID)}
	data["Stale"] = errors.Is(wrong, school.ErrStale)
	if wrong == nil {
		return s.render(c, http.StatusOK, "change.html", "Change", data)
	}
	if c.Request().PostForm.Has("title") {
		data["Terms"], data["Instruments"] = terms(c), instruments(c.Request().PostForm["instrument"])
	}
	return s.again(c, wrong, "change.html", "Change", data)
}

// sectionsOf and peopleOf write an audience as forms have it.
func sectionsOf(a access.Audience, course uint64) (out []string) {
	for _, name := range a.Sections {
		out = append(out, id(course)+"/"+name)
	}
	return out
}

// peopleOf returns the people of an audience as a form names them.
func peopleOf(a access.Audience, course uint64) (out []string) {
	for _, n := range a.People {
		out = append(out, id(course)+"/"+id(n))
	}
	return out
}

// change changes an assignment, and what becomes of it.
func (s *Site) change(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	var a school.Assignment
	said := "Changed: "
	switch c.FormValue("do") {
	case "close":
		a, err = s.school.Assignments.CloseNow(ctx, me(c), n)
	case "reopen":
		a, err = s.school.Assignments.Reopen(ctx, me(c), n)
	case "publish":
		said = "Assigned: "
		a, err = s.school.Assignments.Publish(ctx, me(c), n)
	case "unassign":
		said = "No longer assigned; all work is kept: "
		a, err = s.school.Assignments.Unassign(ctx, me(c), n)
	case "again":
		said = "Assigned again: "
		a, err = s.school.Assignments.AssignAgain(ctx, me(c), n)
	default:
		version, _ := echo.FormValue[int](c, "version")
		a, err = s.school.Assignments.ChangeTerms(ctx, me(c), n, version, terms(c))
	}
	if err != nil {
		if status := s.say(err).status; status != http.StatusUnprocessableEntity && status != http.StatusConflict {
			return err
		}
		return s.changing(c, err)
	}
	s.tell(c, said+a.Title+".")
	return seeOther(c, "/courses/"+id(a.CourseID))
}

// concern changes whom an assignment concerns, and how: whom it is given to,
// other worksheets for some, more time for one.
func (s *Site) concern(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	_, course, err := s.school.Assignments.Given(ctx, me(c), n)
	if err != nil {
		return err
	}
	switch c.FormValue("do") {
	case "audience":
		to, wrong := audience(c, course.ID)
		if err = wrong; err == nil {
			_, err = s.school.Assignments.SetAudience(ctx, me(c), n, to)
		}
	case "handout":
		sheetID, _ := echo.FormValue[uint64](c, "worksheet")
		to, wrong := audience(c, course.ID)
		if err = wrong; err == nil {
			_, err = s.school.Assignments.AddHandout(ctx, me(c), n, sheetID, to, c.FormValue("anyway") == "1")
		}
	case "no-handout":
		which, _ := echo.FormValue[int](c, "number")
		_, err = s.school.Assignments.RemoveHandout(ctx, me(c), n, which)
	case "time":
		student, _ := echo.FormValue[uint64](c, "student")
		err = s.school.Assignments.GiveTime(ctx, me(c), n, student, c.FormValue("until"))
	default:
		err = wrongForm
	}
	if err != nil {
		if s.say(err).status != http.StatusUnprocessableEntity {
			return err
		}
		return s.changing(c, err)
	}
	s.tell(c, "Kept.")
	return seeOther(c, localPath(cmp.Or(c.FormValue("back"), "/assignments/"+id(n)+"/change#whom")))
}
