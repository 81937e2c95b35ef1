// Package demo fills an empty school with the scenario: Skerrymouth Evening
// College, its people, worksheets made on the spot, and copies in every
// state. All of it is invented.
package demo

import (
	"context"
	"fmt"
	"time"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/submission"
	"readymargin/pdf"
	"readymargin/school"
	"readymargin/school/assign"
	"readymargin/school/enrol"
	"readymargin/school/intake"
	"readymargin/school/services"
)

// Password is everybody's in the demo.
const Password = "skerrymouth"

// Administrator runs the demo's school.
const Administrator = "Dr Amoako-Lund"

// Teachers and Students by name; one signs in with the name in lower case,
// joined by points.
var (
	Teachers = []string{"Mr Okonjo-Bell", "Ms Thorvald"}
	Students = []string{
		"Ines Varga", "Tomas Lindqvist", "Amara Diallo", "Yuki Tanabe", "Rhys Pugh", "Noor el-Amin", "Piotr Zawada",
		"Leila Haddad", "Kofi Mensah", "Elena Petrova", "Sanna Korhonen", "Mateus Ribeiro", "Aroha Ngata", "Dilan Aksoy",
	}
)

// fixed dates the worksheets, so that their bytes are the same every time.
var fixed = time.Date(2026, 3, 14, 9, 0, 0, 0, time.UTC)

// filler writes the scenario into a school whose clock it sets.
type filler struct {
	*services.All
	ctx      context.Context
	now      time.Time
	teachers []school.Person
	students []school.Person
	course   school.Course
	err      error
	ids      int
}

// Fill fills an empty school.
func Fill(ctx context.Context, s *services.All, press *pdf.Pool) error {
	f := &filler{All: s, ctx: ctx}
	clock := s.Now
	start := clock()
	s.Now = func() time.Time { return f.now }
	defer func() { s.Now = clock }()
	f.now = start.Add(-21 * 24 * time.Hour)
	f.people()
	f.now = start.Add(-9 * 24 * time.Hour)
	tides := f.bringIn("Tide heights 2.pdf", func() ([]byte, error) { return TideHeights() })
	f.prepareTides(tides)
	signs := f.bringIn("Symbols and bearings.pdf", func() ([]byte, error) { return symbols(ctx, press) })
	f.prepareSymbols(signs)
	f.bringIn("Tide heights 3.pdf", TideHeightsWithAnswers)
	passage := f.bringIn("Passage plan.pdf", PassagePlan)
	f.now = start.Add(-8 * 24 * time.Hour)
	old := f.assign(signs, "Symbols and bearings", "10", evening(start, -2), "Use a ruler for the second page.")
	current := f.assign(tides, "Tide heights 2", "14", evening(start, 1), "")
	f.assign(passage, "Passage plan", "8", evening(start, 4), "Fill in the form for a boat that you know.")
	f.symbolsWork(old, start)
	f.tidesWork(current, start)
	f.toClass(start)
	f.now = start.Add(-30 * time.Hour)
	f.otherWays(signs, start)
	return f.err
}

// evening is six o'clock so many days from now.
func evening(now time.Time, days int) time.Time {
	y, m, d := now.AddDate(0, 0, days).Date()
	return time.Date(y, m, d, 18, 0, 0, 0, time.UTC)
}

func (f *filler) people() {
	add := func(name string, staff bool) (p school.Person) {
		if f.err == nil {
			p, f.err = f.Accounts.AddPerson(f.ctx, name, Password, false, staff)
		}
		return p
	}
	for _, name := range Teachers {
		f.teachers = append(f.teachers, add(name, true))
	}
	for _, name := range Students {
		f.students = append(f.students, add(name, false))
	}
	if f.err == nil {
		_, f.err = f.Accounts.AddPerson(f.ctx, Administrator, Password, true, true)
	}
	if f.err != nil {
		return
	}
	if f.course, f.err = f.Courses.MakeCourse(f.ctx, f.teachers[0], "Coastal Navigation 1", "Europe/London"); f.err != nil {
		return
	}
	f.check(f.Roster.AddStaff(f.ctx, f.teachers[0], f.course.ID, f.teachers[1].Login, access.Teacher))
	for word, means := range map[string]string{
		"chart datum": "The level from which depths on a chart are counted: the lowest that the tide falls to.",
		"sill":        "A step at the entrance of a harbour or a dock, over which the water has to be deep enough.",
		"overfalls":   "Steep, breaking waves where a stream runs over uneven ground.",
	} {
		f.check(f.Lookup.SetWord(f.ctx, f.teachers[0], f.course.ID, word, means))
	}
	f.check(f.Courses.SetLessons(f.ctx, f.teachers[0], f.course.ID, []flow.Lesson{{Day: time.Tuesday, Clock: "18:30"}, {Day: time.Thursday, Clock: "18:30"}}))
	for i, p := range f.students {
		_, err := f.Courses.Join(f.ctx, p, f.course.JoinCode, enrol.Device{})
		f.check(err)
		if i < len(f.students)-1 { // one newcomer is left to welcome
			f.check(f.Roster.Admit(f.ctx, f.teachers[0], f.course.ID, p.ID, true))
			f.check(f.Roster.SetSection(f.ctx, f.teachers[0], f.course.ID, p.ID, []string{"Harbour", "Open water"}[i%2]))
		}
	}
}

func (f *filler) check(err error) {
	if f.err == nil {
		f.err = err
	}
}

func (f *filler) bringIn(name string, draw func() ([]byte, error)) (w school.Worksheet) {
	if f.err != nil {
		return w
	}
	b, err := draw()
	f.check(err)
	if f.err == nil {
		w, f.err = f.Shelf.BringIn(f.ctx, f.teachers[0], intake.Upload{Name: name, Data: b})
	}
	return w
}

func (f *filler) assign(w school.Worksheet, title, points string, due time.Time, instructions string) (a school.Assignment) {
	if f.err == nil {
		a, f.err = f.Assignments.Assign(f.ctx, f.teachers[0], assign.NewAssignment{
			Course: f.course.ID, Worksheet: w.ID, Terms: assign.Terms{Title: title, Points: points, Instructions: instructions, Due: due.Format(flow.Wall)},
		})
	}
	return a
}

// otherWays gives a sheet to keep, and asks for pages of the students' own.
func (f *filler) otherWays(signs school.Worksheet, start time.Time) {
	for _, t := range []assign.Terms{
		{Title: "Symbols to look up", Mode: flow.ToKeep, Instructions: "Yours to mark up, for the evening on the water."},
		{Title: "A passage of your own", Mode: flow.OwnPages, Points: "12", Due: evening(start, 11).Format(flow.Wall), Instructions: "One page: where from, where to, by which marks. Photograph it, or bring a PDF."},
	} {
		if f.err == nil {
			_, f.err = f.Assignments.Assign(f.ctx, f.teachers[0], assign.NewAssignment{Course: f.course.ID, Worksheet: signs.ID, Terms: t})
		}
	}
}

// newID gives names that sort in the order of their making, as a browser's do.
func (f *filler) newID() string {
	f.ids++
	return fmt.Sprintf("%09d-demo%06d", f.now.Unix()%1e9, f.ids)
}

// save puts marks into a layer of a copy.
func (f *filler) save(who school.Person, id uint64, layer submission.Layer, marks ...markMaker) {
	var ops []submission.Op
	for _, make := range marks {
		m := make(f.newID())
		ops = append(ops, submission.Op{ID: f.newID(), On: m.ID, Mark: &m})
	}
	if f.err == nil && len(ops) > 0 {
		_, f.err = f.Saving.Save(f.ctx, who, id, layer, ops)
	}
}

func (f *filler) copyOf(a school.Assignment, student int) (c school.Copy) {
	if f.err == nil {
		c, f.err = f.Saving.OpenOwn(f.ctx, f.students[student], a.ID)
	}
	return c
}

func (f *filler) submit(c school.Copy, student int, line string) {
	if f.err != nil {
		return
	}
	v, err := f.Screens.Open(f.ctx, f.students[student], c.ID)
	f.check(err)
	_, err = f.Submitting.Submit(f.ctx, f.students[student], c.ID, line, v.Seq)
	f.check(err)
}
