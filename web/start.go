package web

import (
	"net/http"
	"slices"
	"strconv"
	"time"

	"github.com/labstack/echo/v5"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/school"
	"readymargin/school/assign"
	"readymargin/school/feedback"
)

// id writes an ID for an address.
func id(n uint64) string { return strconv.FormatUint(n, 10) }

// start shows the pile to who teaches, what there is to do to who learns.
func (s *Site) start(c *echo.Context) error {
	p := me(c)
	if p.ID == 0 {
		return seeOther(c, "/sign-in")
	}
	courses, err := s.school.Courses.CoursesOf(c.Request().Context(), p)
	if err != nil {
		return err
	}
	teaches := p.Staff || p.Admin
	for _, course := range courses {
		teaches = teaches || course.Role == access.Teacher || course.Role == access.Assistant
	}
	if !teaches {
		return s.toDoOf(c, p, courses)
	}
	return s.pile(c, p, courses)
}

// pile shows what waits to be marked.
func (s *Site) pile(c *echo.Context, p school.Person, courses []school.CourseRole) error {
	heaps, err := s.school.Queue.Pile(c.Request().Context(), p)
	if err != nil {
		return err
	}
	waits, err := s.school.Queue.Asks(c.Request().Context(), p, heaps...)
	if err != nil {
		return err
	}
	now := s.school.Now()
	total, learns := 0, false
	var due, unopened []feedback.MarkingQueue
	var asked []feedback.Asked
	var lying []feedback.MarkingQueue
	for _, h := range heaps {
		total += h.ToMark
		if h.ToMark > 0 {
			lying = append(lying, h)
		}
		if h.Assignment.DueAt != nil && h.Assignment.DueAt.After(now) {
			due = append(due, h)
		}
		if h.Unopened > 0 {
			unopened = append(unopened, h)
		}
		asked = append(asked, h.Asked...)
	}
	for _, course := range courses {
		learns = learns || course.Role == access.Student
	}
	return s.render(c, http.StatusOK, "pile.html", "The pile", map[string]any{
		"Heaps": lying, "Others": heaps, "Total": total, "Due": due, "Unopened": unopened, "Asked": asked, "Waits": waits, "Courses": courses, "Learns": learns,
	})
}

// toDo shows a student what is to do by due date, what is handed in, and what
// is back with feedback, new feedback first.
func (s *Site) toDo(c *echo.Context) error {
	p, err := signedIn(c)
	if err != nil {
		return err
	}
	courses, err := s.school.Courses.CoursesOf(c.Request().Context(), p)
	if err != nil {
		return err
	}
	return s.toDoOf(c, p, courses)
}

// toDoOf is toDo of somebody with their courses.
func (s *Site) toDoOf(c *echo.Context, p school.Person, courses []school.CourseRole) error {
	all, err := s.school.Agenda.ToDo(c.Request().Context(), p)
	if err != nil {
		return err
	}
	var waits []feedback.Waits
	if slices.ContainsFunc(all, func(a assign.Assigned) bool { return a.Assignment.Mode == flow.OneForAll }) { // where alone students are asked
		if waits, err = s.school.Queue.Asks(c.Request().Context(), p); err != nil {
			return err
		}
	}
	lines, err := s.school.ClassLines.For(c.Request().Context(), p)
	if err != nil {
		return err
	}
	var waiting, learning, past []school.CourseRole
	for _, k := range courses {
		switch k.Role {
		case access.Waiting:
			waiting = append(waiting, k)
		case access.Student, access.Practice:
			if k.ArchivedAt != nil {
				past = append(past, k)
				continue
			}
			learning = append(learning, k)
		}
	}
	lists := map[string][]sheetRow{}
	put := func(list, words string, a assign.Assigned) {
		lists[list] = append(lists[list], sheetRow{Assigned: a, Now: s.school.Now(), List: list, Words: words})
	}
	var read, kept, gone []assign.Assigned
	for _, a := range all {
		switch {
		case a.Gone:
			gone = append(gone, a)
		case a.Assignment.Mode == flow.ToKeep && a.Copy.StartedAt != nil:
			kept = append(kept, a)
		case a.Assignment.Mode == flow.ToRead && a.Copy.StartedAt != nil:
			read = append(read, a)
		case a.Copy.State == flow.Submitted:
			put("in", "Look at it", a)
		case a.Copy.State == flow.Returned && a.Returned.OpenedAt == nil:
			put("back", "See the feedback", a)
		case a.Copy.State == flow.Returned:
			put("back", "Read it again", a)
		case a.Assignment.Mode == flow.ToRead:
			put("to do", "Read", a)
		case a.Assignment.Mode == flow.OneForAll, a.Assignment.Mode == flow.ToKeep:
			put("to do", "Open", a)
		case a.Copy.State == flow.NotStarted:
			put("to do", "Begin", a)
		default:
			put("to do", "Go on", a)
		}
	}
	var first, seen []sheetRow // what has come back and was not seen yet, and the rest of it
	for _, r := range lists["back"] {
		if r.Returned.OpenedAt != nil {
			seen = append(seen, r)
			continue
		}
		r.Next = true
		first = append(first, r)
	}
	if len(first) == 0 && len(lists["to do"]) > 0 {
		lists["to do"][0].Next = true
	}
	return s.render(c, http.StatusOK, "to-do.html", "To do", map[string]any{"Lines": lines, "SeenLines": slices.ContainsFunc(lines, func(l school.ClassLine) bool { return l.SeenAt != nil }), "Waits": waits, "ToDo": lists["to do"], "In": lists["in"], "Fresh": first, "Seen": seen, "Back": len(lists["back"]), "Read": read, "Kept": kept, "Gone": gone, "Waiting": waiting, "Courses": learning, "Past": past, "None": len(all) == 0 && len(waiting) == 0})
}

// sheetRow is a sheet in one of the three lists of a student's start page.
type sheetRow struct {
	assign.Assigned
	Now   time.Time
	List  string // to do, in, back
	Words string // on its button
	Next  bool   // it is what to do next
}
