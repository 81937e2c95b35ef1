package school

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
)

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
	NoLate       bool     // it closes when it is due
	Attempts     string   // "" for as often as it is returned
	Way          flow.Way // "" for a copy each
	Instruments  []string // of mark.Instruments; none for all
	KeepHere     bool     // students do not take it away as a file
	NoSpelling   bool     // the browser does not help with spelling
}

// Assign gives a worksheet to a course.
func (s *School) Assign(ctx context.Context, who Person, n NewAssignment) (Assignment, error) {
	all, err := s.AssignTo(ctx, who, n, []uint64{n.Course})
	if err != nil {
		return Assignment{}, err
	}
	return *all[0], nil
}

// AssignTo gives a worksheet to several courses on the same terms, to all or
// to none; times are those of each course's own clock.
func (s *School) AssignTo(ctx context.Context, who Person, n NewAssignment, courses []uint64) ([]*Assignment, error) {
	w, err := s.worksheet(ctx, who, n.Worksheet)
	if err != nil {
		return nil, err
	}
	if n.Title == "" {
		n.Title = w.Title
	}
	var all []*Assignment
	for _, id := range courses {
		c, _, err := s.course(ctx, who, id, access.RunCourse)
		if err != nil {
			return nil, err
		}
		a := &Assignment{CourseID: c.ID, Draft: n.Draft, CreatedAt: s.Now(), Audience: n.Audiences[id]}
		if err := s.known(ctx, id, a.Audience); err != nil {
			return nil, err
		}
		if err := a.set(n.Terms, c.Location()); err != nil {
			return nil, err
		}
		all = append(all, a)
	}
	if len(all) == 0 {
		return nil, problem("no course", "course", "")
	}
	r, err := s.revise(ctx, w, n.Anyway)
	if err != nil {
		return nil, err
	}
	for _, a := range all {
		a.Handouts = []Handout{{WorksheetID: w.ID, RevisionID: r.ID}}
	}
	return all, s.Store.AddAssignments(ctx, all)
}

// set takes terms over, or says what is wrong with them.
func (a *Assignment) set(t Terms, place *time.Location) (err error) {
	var titled, chaptered bool
	a.Title, titled = oneLine(t.Title, 100)
	a.Chapter, chaptered = oneLine(t.Chapter, 100)
	a.Instructions = strings.TrimSpace(t.Instructions)
	switch {
	case a.Title == "" || !titled || !chaptered:
		return problem("title", "title", t.Title)
	case utf8.RuneCountInString(a.Instructions) > 5000 || !utf8.ValidString(a.Instructions):
		return problem("instructions", "instructions", "")
	}
	a.Points = 0
	if t.Points != "" {
		if a.Points, err = points.Parse(t.Points); err != nil {
			return problem("points", "points", t.Points)
		}
	}
	a.MaxAttempts = 0
	if t.Attempts != "" {
		if a.MaxAttempts, err = strconv.Atoi(t.Attempts); err != nil || a.MaxAttempts < 1 || a.MaxAttempts > 100 {
			return problem("attempts", "attempts", t.Attempts)
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
			return problem("left out", "due", strings.ReplaceAll(at.wall, "T", " "))
		case err != nil:
			return problem("due time", "due", at.wall)
		}
		*at.to = &when
	}
	if a.Way = cmp.Or(t.Way, flow.CopyEach); !a.Way.Known() {
		return problem("wrong form", "way", string(t.Way))
	}
	a.Instruments = nil
	for _, name := range t.Instruments {
		if !slices.Contains(mark.Instruments, name) {
			return problem("wrong form", "instrument", name)
		}
		if len(t.Instruments) < len(mark.Instruments) {
			a.Instruments = append(a.Instruments, name)
		}
	}
	a.KeepHere, a.NoSpelling = t.KeepHere, t.NoSpelling
	if t.NoLate {
		a.ClosesAt = a.DueAt
	}
	late := func(x, y *time.Time) bool { return x != nil && y != nil && x.After(*y) }
	if late(a.OpensAt, a.DueAt) || late(a.DueAt, a.ClosesAt) || late(a.OpensAt, a.ClosesAt) {
		return problem("times", "due", "")
	}
	return nil
}

// TermsOf returns the terms of an assignment as a form shows them.
func TermsOf(a Assignment, place *time.Location) Terms {
	wall := func(t *time.Time) string {
		if t == nil {
			return ""
		}
		return t.In(place).Format(flow.Wall)
	}
	t := Terms{Title: a.Title, Instructions: a.Instructions, Chapter: a.Chapter, Opens: wall(a.OpensAt), Due: wall(a.DueAt), Closes: wall(a.ClosesAt),
		Way: a.Way, Instruments: a.Instruments, KeepHere: a.KeepHere, NoSpelling: a.NoSpelling}
	if a.Points > 0 {
		t.Points = a.Points.String()
	}
	if a.MaxAttempts > 0 {
		t.Attempts = strconv.Itoa(a.MaxAttempts)
	}
	return t
}

// Given returns an assignment with its course to a teacher of it.
func (s *School) Given(ctx context.Context, who Person, id uint64) (Assignment, Course, error) {
	a, err := s.Store.Assignment(ctx, id)
	if errors.Is(err, ErrNotFound) {
		return a, Course{}, access.ErrHidden
	}
	if err != nil {
		return a, Course{}, err
	}
	c, _, err := s.course(ctx, who, a.CourseID, access.RunCourse)
	return a, c, err
}

// ChangeTerms changes an assignment as it was at a version; when somebody else
// has changed it since, it is ErrStale. Students see on their start page what
// was changed.
func (s *School) ChangeTerms(ctx context.Context, who Person, id uint64, version int, t Terms) (Assignment, error) {
	return s.changeTerms(ctx, who, id, func(a Assignment, _ Course) (Terms, error) {
		if a.Version != version {
			return t, ErrStale
		}
		return t, nil
	})
}

// CloseNow lets an assignment take no more work; what was due later is due now.
func (s *School) CloseNow(ctx context.Context, who Person, id uint64) (Assignment, error) {
	return s.changeTerms(ctx, who, id, func(a Assignment, c Course) (Terms, error) {
		now, t := s.Now(), TermsOf(a, c.Location())
		t.Closes = now.In(c.Location()).Format(flow.Wall)
		if a.DueAt != nil && a.DueAt.After(now) {
			t.Due = t.Closes
		}
		return t, nil
	})
}

// Reopen lets an assignment take work again.
func (s *School) Reopen(ctx context.Context, who Person, id uint64) (Assignment, error) {
	return s.changeTerms(ctx, who, id, func(a Assignment, c Course) (Terms, error) {
		t := TermsOf(a, c.Location())
		t.Closes = ""
		return t, nil
	})
}

// changeTerms changes an assignment to the terms that want makes of it.
func (s *School) changeTerms(ctx context.Context, who Person, id uint64, want func(Assignment, Course) (Terms, error)) (Assignment, error) {
	_, c, err := s.Given(ctx, who, id)
	if err != nil {
		return Assignment{}, err
	}
	copies, err := s.Store.CopiesOf(ctx, id)
	if err != nil {
		return Assignment{}, err
	}
	return s.Store.ChangeAssignment(ctx, id, func(a *Assignment) error {
		was := *a
		t, err := want(was, c)
		if err != nil {
			return err
		}
		if err := a.set(t, c.Location()); err != nil {
			return err
		}
		if a.Way != was.Way && len(copies) > 0 {
			return problem("way", "way", "") // what was done would be nobody's, or everybody's
		}
		if what := differences(was, *a); what != "" && !a.Draft {
			now := s.Now()
			a.ChangedAt, a.Changed = &now, what
		}
		return nil
	})
}

// differences says in words what of two assignments students notice.
func differences(was, a Assignment) string {
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
