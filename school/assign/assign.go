// Package assign gives worksheets to courses, and says what is due.
package assign

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/points"
	"readymargin/school"
	"readymargin/school/shelf"
)

// Assignments give worksheets to courses, on terms that can change.
type Assignments struct {
	store      AssignmentStore
	gate       *school.Gate
	publishing *shelf.Publishing
	now        school.Clock
}

// NewAssignments returns the assignments of a store.
func NewAssignments(store AssignmentStore, gate *school.Gate, publishing *shelf.Publishing, now school.Clock) *Assignments {
	return &Assignments{store, gate, publishing, now}
}

// NewAssignment is what a teacher fills in. Times are wall clock times in the
// course's zone, as flow.Wall, or empty.
type NewAssignment struct {
	Course    uint64
	Worksheet uint64
	Anyway    bool // though likely answer pages are undecided
	Draft     bool // students do not see it yet
	Terms

	Audiences map[uint64]access.Audience // by course; those that are not here get it whole
}

// Terms are what of an assignment can be changed later.
type Terms struct {
	Title        string
	Instructions string
	Chapter      string
	Points       string
	Opens        string
	Due          string
	Closes       string
	NoLate       bool      // it closes when it is due
	Attempts     string    // "" for as often as it is returned
	Mode         flow.Mode // "" for a copy each
	Instruments  []string  // of mark.Instruments; none for all
	KeepHere     bool      // students do not take it away as a file
	NoSpelling   bool      // the browser does not help with spelling
	Nameless     bool      // who marks sees no names until a copy is returned
	Scaled       bool      // what the questions add up to is brought to Points
}

// Assign gives a worksheet to a course.
func (s *Assignments) Assign(ctx context.Context, who school.Person, n NewAssignment) (school.Assignment, error) {
	all, err := s.AssignTo(ctx, who, n, []uint64{n.Course})
	if err != nil {
		return school.Assignment{}, err
	}
	return *all[0], nil
}

// AssignTo gives a worksheet to several courses on the same terms, to all or
// to none; times are those of each course's own clock.
func (s *Assignments) AssignTo(ctx context.Context, who school.Person, n NewAssignment, courses []uint64) ([]*school.Assignment, error) {
	w, err := s.sheetFor(ctx, who, n)
	if err != nil {
		return nil, err
	}
	if n.Title == "" && n.Mode != flow.OwnPages {
		n.Title = w.Title
	}
	var all []*school.Assignment
	for _, id := range courses {
		c, _, err := s.gate.Course(ctx, who, id, access.RunCourse)
		if err != nil {
			return nil, err
		}
		if c.ArchivedAt != nil {
			return nil, school.Refuse("archived", "course", c.Name)
		}
		a := &school.Assignment{CourseID: c.ID, Draft: n.Draft, CreatedAt: s.now(), Audience: n.Audiences[id]}
		if err := s.known(ctx, id, a.Audience); err != nil {
			return nil, err
		}
		if err := set(a, n.Terms, c.Location()); err != nil {
			return nil, err
		}
		all = append(all, a)
	}
	if len(all) == 0 {
		return nil, school.Refuse("no course", "course", "")
	}
	r, err := s.publishing.Revise(ctx, w, n.Anyway)
	if err != nil {
		return nil, err
	}
	for _, a := range all {
		a.Handouts = []school.Handout{{WorksheetID: w.ID, RevisionID: r.ID}}
	}
	return all, s.store.AddAssignments(ctx, all)
}

// sheetFor returns the worksheet that is assigned; for pages of one's own it is the
// one that ships for that.
func (s *Assignments) sheetFor(ctx context.Context, who school.Person, n NewAssignment) (school.Worksheet, error) {
	if n.Mode == flow.OwnPages {
		if who.ID == 0 {
			return school.Worksheet{}, access.ErrSignIn
		}
		return s.publishing.OwnPages(ctx)
	}
	return s.gate.Worksheet(ctx, who, n.Worksheet, access.UseWorksheet)
}

// set takes terms over, or says what is wrong with them.
func set(a *school.Assignment, t Terms, place *time.Location) (err error) {
	var titled, chaptered bool
	a.Title, titled = school.OneLine(t.Title, 100)
	a.Chapter, chaptered = school.OneLine(t.Chapter, 100)
	a.Instructions = strings.TrimSpace(t.Instructions)
	switch {
	case a.Title == "" || !titled || !chaptered:
		return school.Refuse("title", "title", t.Title)
	case utf8.RuneCountInString(a.Instructions) > 5000 || !utf8.ValidString(a.Instructions):
		return school.Refuse("instructions", "instructions", "")
	}
	a.Points = 0
	if t.Points != "" {
		if a.Points, err = points.Parse(t.Points); err != nil {
			return school.Refuse("points", "points", t.Points)
		}
	}
	a.MaxAttempts = 0
	if t.Attempts != "" {
		if a.MaxAttempts, err = strconv.Atoi(t.Attempts); err != nil || a.MaxAttempts < 1 || a.MaxAttempts > 100 {
			return school.Refuse("attempts", "attempts", t.Attempts)
		}
	}
	for _, at := range []struct {
		wall string
		to   **time.Time
	}{{t.Opens, &a.OpensAt}, {t.Due, &a.DueAt}, {t.Closes, &a.ClosesAt}} {
		*at.to = nil
		if at.wall == "" {
			continue
		}
		when, err := flow.At(at.wall, place)
		switch {
		case errors.Is(err, flow.ErrGap):
			return school.Refuse("left out", "due", strings.ReplaceAll(at.wall, "T", " "))
		case err != nil:
			return school.Refuse("due time", "due", at.wall)
		}
		*at.to = &when
	}
	if a.Mode = cmp.Or(t.Mode, flow.CopyEach); !a.Mode.Known() {
		return school.Refuse("wrong form", "way", string(t.Mode))
	}
	a.Instruments = nil
	for _, name := range t.Instruments {
		if !slices.Contains(mark.Instruments, name) {
			return school.Refuse("wrong form", "instrument", name)
		}
		if len(t.Instruments) < len(mark.Instruments) {
			a.Instruments = append(a.Instruments, name)
		}
	}
	a.KeepHere, a.NoSpelling, a.Nameless, a.Scaled = t.KeepHere, t.NoSpelling, t.Nameless, t.Scaled
	if t.NoLate {
		a.ClosesAt = a.DueAt
	}
	late := func(x, y *time.Time) bool { return x != nil && y != nil && x.After(*y) }
	if late(a.OpensAt, a.DueAt) || late(a.DueAt, a.ClosesAt) || late(a.OpensAt, a.ClosesAt) {
		return school.Refuse("times", "due", "")
	}
	return nil
}

// TermsOf returns the terms of an assignment as a form shows them.
func TermsOf(a school.Assignment, place *time.Location) Terms {
	wall := func(t *time.Time) string {
		if t == nil {
			return ""
		}
		return t.In(place).Format(flow.Wall)
	}
	t := Terms{Title: a.Title, Instructions: a.Instructions, Chapter: a.Chapter, Opens: wall(a.OpensAt), Due: wall(a.DueAt), Closes: wall(a.ClosesAt),
		Mode: a.Mode, Instruments: a.Instruments, KeepHere: a.KeepHere, NoSpelling: a.NoSpelling, Nameless: a.Nameless, Scaled: a.Scaled}
	if a.Points > 0 {
		t.Points = a.Points.String()
	}
	if a.MaxAttempts > 0 {
		t.Attempts = strconv.Itoa(a.MaxAttempts)
	}
	return t
}

// Given returns an assignment with its course to a teacher of it.
func (s *Assignments) Given(ctx context.Context, who school.Person, id uint64) (school.Assignment, school.Course, error) {
	return s.gate.Given(ctx, who, id, access.RunCourse)
}

// Marked says whether somebody marks what was assigned.
func (s *Assignments) Marked(ctx context.Context, who school.Person, id uint64) error {
	_, _, err := s.gate.Given(ctx, who, id, access.SeeRoll)
	return err
}

// ChangeTerms changes an assignment as it was at a version; when somebody else
// has changed it since, it is ErrStale. Students see on their start page what
// was changed.
func (s *Assignments) ChangeTerms(ctx context.Context, who school.Person, id uint64, version int, t Terms) (school.Assignment, error) {
	return s.changeTerms(ctx, who, id, func(a school.Assignment, _ school.Course) (Terms, error) {
		if a.Version != version {
			return t, school.ErrStale
		}
		return t, nil
	})
}

// CloseNow lets an assignment take no more work; what was due later is due now.
func (s *Assignments) CloseNow(ctx context.Context, who school.Person, id uint64) (school.Assignment, error) {
	return s.changeTerms(ctx, who, id, func(a school.Assignment, c school.Course) (Terms, error) {
		now, t := s.now(), TermsOf(a, c.Location())
		t.Closes = now.In(c.Location()).Format(flow.Wall)
		if a.DueAt != nil && a.DueAt.After(now) {
			t.Due = t.Closes
		}
		return t, nil
	})
}

// Reopen lets an assignment take work again.
func (s *Assignments) Reopen(ctx context.Context, who school.Person, id uint64) (school.Assignment, error) {
	return s.changeTerms(ctx, who, id, func(a school.Assignment, c school.Course) (Terms, error) {
		t := TermsOf(a, c.Location())
		t.Closes = ""
		return t, nil
	})
}

// changeTerms changes an assignment to the terms that want makes of it.
func (s *Assignments) changeTerms(ctx context.Context, who school.Person, id uint64, want func(school.Assignment, school.Course) (Terms, error)) (school.Assignment, error) {
	_, c, err := s.Given(ctx, who, id)
	if err != nil {
		return school.Assignment{}, err
	}
	copies, err := s.store.CopiesOf(ctx, id)
	if err != nil {
		return school.Assignment{}, err
	}
	scores, err := s.store.ScoresOf(ctx, id)
	if err != nil {
		return school.Assignment{}, err
	}
	return s.store.ChangeAssignment(ctx, id, func(a *school.Assignment) error {
		was := *a
		t, err := want(was, c)
		if err != nil {
			return err
		}
		if err := set(a, t, c.Location()); err != nil {
			return err
		}
		if a.Mode != was.Mode && (len(copies) > 0 || a.Mode == flow.OwnPages || was.Mode == flow.OwnPages) {
			return school.Refuse("way", "way", "") // what was done would be nobody's, or everybody's
		}
		if len(scores) > 0 && (a.Scaled != was.Scaled || a.Scaled && a.Points != was.Points) {
			return school.Refuse("scaled", "scaled", "") // totals that were given would stand beside others
		}
		if what := differences(was, *a); what != "" && !a.Draft {
			now := s.now()
			a.ChangedAt, a.Changed = &now, what
		}
		return nil
	})
}

// differences says in words what of two assignments students notice.
func differences(was, a school.Assignment) string {
	same := func(x, y *time.Time) bool { return x == nil && y == nil || x != nil && y != nil && x.Equal(*y) }
	var out []string
	for _, d := range []struct {
		differs bool
		what    string
	}{
		{was.Title != a.Title, "title"}, {was.Instructions != a.Instructions, "instructions"}, {was.Points != a.Points, "points"},
		{!same(was.DueAt, a.DueAt), "due time"}, {!same(was.ClosesAt, a.ClosesAt), "closing time"}, {was.MaxAttempts != a.MaxAttempts, "attempts"},
	} {
		if d.differs {
			out = append(out, d.what)
		}
	}
	return strings.Join(out, ", ")
}
