// Package markbook is the class and its points: students down, assignments
// across, with the figures of each; taken away as a table, and points brought
// in from one.
package markbook

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/points"
	"readymargin/core/roster"
	"readymargin/core/statistics"
	"readymargin/core/worksheet"
	"readymargin/school"
	"readymargin/school/feedback"
	"readymargin/school/shelf"
)

// Books are the mark books of courses.
type Books struct {
	store     Store
	gate      *school.Gate
	revisions *shelf.Revisions
	marking   *feedback.Marking
}

// New returns the mark books of a store.
func New(store Store, gate *school.Gate, revisions *shelf.Revisions, marking *feedback.Marking) *Books {
	return &Books{store, gate, revisions, marking}
}

// A Book is a course's points.
type Book struct {
	Course   school.Course
	Columns  []Column
	Rows     []Row
	Chapters []Chapter
	Overall  statistics.Spread // of the rows' shares
}

// Sort sorts the rows by what their students are called, or by section.
func (b Book) Sort(by roster.Order) {
	roster.Sort(b.Rows, by, func(r Row) (roster.Name, string, string) { return r.Member.Sorted() })
}

// A Column is an assignment that has points.
type Column struct {
	school.Assignment
	Spread statistics.Spread // of the points that count
	Marked []points.Points   // those, smallest first
}

// A Row is a student.
type Row struct {
	Member school.Member
	Cells  []Cell
	Share  float64 // of all points so far, by the chapters' weights; NaN where there are none
}

// A Cell is how a student stands with an assignment.
type Cell struct {
	Copy    uint64 // 0 where there is none yet
	Given   bool   // it is for this student
	State   flow.State
	Excused bool
	Hidden  bool           // it is marked without names, and was not returned yet
	Points  *points.Points // that count; nil for none
	Attempt int            // that counts
	Late    int            // minutes that it was late
	Sent    bool           // the student has these points

	last school.Attempt // the newest, whether it counts or not
}

// A Chapter is a part of a course, with its weight.
type Chapter struct {
	Name   string
	Weight float64
}

// Book returns the mark book of a course to those who mark in it. Sheets to
// read and those that are one for all have no column.
func (b *Books) Book(ctx context.Context, who school.Person, course uint64) (out Book, err error) {
	if out.Course, _, err = b.gate.Course(ctx, who, course, access.SeeRoll); err != nil {
		return out, err
	}
	given, err := b.store.AssignmentsOf(ctx, course)
	if err != nil {
		return out, err
	}
	for _, a := range given {
		if a.Mode.HandedIn() && a.Points > 0 && !a.Draft && a.RemovedAt == nil {
			out.Columns = append(out.Columns, Column{Assignment: a})
		}
	}
	members, err := b.store.Members(ctx, course)
	if err != nil {
		return out, err
	}
	cells, err := b.cells(ctx, out.Course, out.Columns)
	if err != nil {
		return out, err
	}
	out.Chapters = chapters(out.Course, out.Columns)
	for _, m := range members {
		if m.Role == access.Student {
			out.Rows = append(out.Rows, row(m, out, cells))
		}
	}
	out.figures()
	return out, nil
}

// cells returns how students stand, by assignment and student.
func (b *Books) cells(ctx context.Context, c school.Course, given []Column) (map[[2]uint64]Cell, error) {
	out := map[[2]uint64]Cell{}
	if len(given) == 0 {
		return out, nil
	}
	var assignments []uint64
	by := map[uint64]school.Assignment{}
	for _, a := range given {
		assignments, by[a.ID] = append(assignments, a.ID), a.Assignment
	}
	copies, attempts, err := b.store.HandedIn(ctx, assignments...)
	if err != nil {
		return nil, err
	}
	of := map[uint64][]school.Attempt{}
	for _, a := range attempts {
		of[a.CopyID] = append(of[a.CopyID], a)
	}
	for _, k := range copies {
		cell := Cell{Copy: k.ID, State: k.State, Excused: k.Excused}
		if by[k.AssignmentID].Hides(k) { // nor who has submitted, which names the next copy that comes
			out[[2]uint64{k.AssignmentID, k.StudentID}] = Cell{Excused: k.Excused, Hidden: true}
			continue
		}
		if n := len(of[k.ID]); n > 0 {
			cell.last = of[k.ID][n-1]
		}
		if a, ok := counting(of[k.ID], c.Counts); ok {
			cell.Points, cell.Attempt, cell.Late, cell.Sent = a.Points, a.Number, a.LateMinutes, a.ReturnedAt != nil && !a.Unsent()
		}
		out[[2]uint64{k.AssignmentID, k.StudentID}] = cell
	}
	return out, nil
}

// counting returns the attempt that counts: of those with points the best, the
// later of two alike, or the last.
func counting(attempts []school.Attempt, rule school.Counts) (best school.Attempt, ok bool) {
	for _, a := range attempts {
		if a.Points != nil && (!ok || rule == school.Last || *a.Points >= *best.Points) {
			best, ok = a, true
		}
	}
	return best, ok
}

// chapters lists the parts of a course in the order in which they come.
func chapters(c school.Course, columns []Column) (out []Chapter) {
	for _, col := range columns {
		if slices.ContainsFunc(out, func(k Chapter) bool { return k.Name == col.Chapter }) {
			continue
		}
		weight, set := c.Weights[col.Chapter]
		if !set {
			weight = 1
		}
		out = append(out, Chapter{col.Chapter, weight})
	}
	return out
}

func row(m school.Member, book Book, cells map[[2]uint64]Cell) Row {
	r := Row{Member: m, Share: math.NaN()}
	parts := make([]statistics.Share, len(book.Chapters))
	for i, k := range book.Chapters {
		parts[i].Weight = k.Weight
	}
	for _, col := range book.Columns {
		cell, begun := cells[[2]uint64{col.ID, m.PersonID}]
		if !begun {
			cell.State = flow.NotStarted
		}
		cell.Given = col.Audience.Includes(m.PersonID, m.Section) || begun && cell.State != flow.NotStarted
		r.Cells = append(r.Cells, cell)
		if cell.Points == nil || cell.Excused {
			continue
		}
		i := slices.IndexFunc(book.Chapters, func(k Chapter) bool { return k.Name == col.Chapter })
		parts[i].Got += float64(*cell.Points)
		parts[i].Of += float64(col.Points)
	}
	if len(book.Course.Weights) == 0 { // all points alike, whatever chapter they are of
		whole := statistics.Share{Weight: 1}
		for _, p := range parts {
			whole.Got, whole.Of = whole.Got+p.Got, whole.Of+p.Of
		}
		parts = []statistics.Share{whole}
	}
	if share, ok := statistics.Weighted(parts); ok {
		r.Share = share
	}
	return r
}

// figures computes what stands at the foot of each column.
func (b *Book) figures() {
	var shares []float64
	for _, r := range b.Rows {
		if !math.IsNaN(r.Share) {
			shares = append(shares, r.Share)
		}
	}
	b.Overall = statistics.SpreadOf(shares)
	for i := range b.Columns {
		var all []float64
		for _, r := range b.Rows {
			if c := r.Cells[i]; c.Points != nil && !c.Excused {
				b.Columns[i].Marked = append(b.Columns[i].Marked, *c.Points)
				all = append(all, float64(*c.Points)/float64(points.One))
			}
		}
		slices.Sort(b.Columns[i].Marked)
		b.Columns[i].Spread = statistics.SpreadOf(all)
	}
}

// A Question is how one did in a class.
type Question struct {
	ID, Number, Text string
	statistics.Item
}

// Questions returns how the questions of an assignment did on the newest
// attempts of its copies.
func (b *Books) Questions(ctx context.Context, who school.Person, assignment uint64) (out []Question, err error) {
	a, err := b.store.Assignment(ctx, assignment)
	if err != nil {
		return nil, access.ErrHidden
	}
	if _, _, err := b.gate.Course(ctx, who, a.CourseID, access.SeeRoll); err != nil {
		return nil, err
	}
	first := a.Handouts[0].RevisionID
	issued, err := b.revisions.HandedIn(ctx, first)
	if err != nil {
		return nil, err
	}
	scores, err := b.store.ScoresOf(ctx, assignment)
	if err != nil {
		return nil, err
	}
	asked := worksheet.Worth(issued[first].Now.Guides)
	of := make([]float64, len(asked))
	for i, q := range asked {
		of[i] = float64(q.Points)
	}
	by := map[uint64][]float64{}
	for _, sc := range scores {
		i := slices.IndexFunc(asked, func(q worksheet.Question) bool { return q.ID == sc.QuestionID })
		if i < 0 {
			continue
		}
		if by[sc.CopyID] == nil {
			by[sc.CopyID] = slices.Repeat([]float64{math.NaN()}, len(asked))
		}
		by[sc.CopyID][i] = float64(sc.Points)
	}
	rows := make([][]float64, 0, len(by))
	for _, row := range by {
		rows = append(rows, row)
	}
	for i, item := range statistics.Items(rows, of) {
		out = append(out, Question{asked[i].ID, strings.TrimSuffix(asked[i].Number, "."), asked[i].Text, item})
	}
	return out, nil
}

// Excuse says that a student need not do an assignment, or has to after all.
func (b *Books) Excuse(ctx context.Context, who school.Person, assignment, student uint64, excused bool) error {
	a, err := b.store.Assignment(ctx, assignment)
	if err != nil {
		return access.ErrHidden
	}
	if _, _, err := b.gate.Course(ctx, who, a.CourseID, access.SeeRoll); err != nil {
		return err
	}
	m, err := b.store.Membership(ctx, a.CourseID, student)
	if err != nil {
		return err
	}
	if m.Role != access.Student || !a.Mode.HandedIn() {
		return access.ErrHidden
	}
	c, err := b.store.CopyFor(ctx, assignment, student, a.For(student, m.Section).RevisionID)
	if err != nil {
		return err
	}
	return b.store.InCopy(ctx, c.ID, func(tx school.CopyTx) error {
		c, err := tx.Copy()
		if err != nil {
			return err
		}
		c.Excused = excused
		return tx.SetCopy(c)
	})
}

// maxWeight is the largest weight of a chapter.
const maxWeight = 1000

// SetWeights sets what the chapters of a course count; nil is all points alike.
func (b *Books) SetWeights(ctx context.Context, who school.Person, course uint64, weights map[string]float64) error {
	if _, _, err := b.gate.Course(ctx, who, course, access.RunCourse); err != nil {
		return err
	}
	for _, w := range weights {
		if math.IsNaN(w) || w < 0 || w > maxWeight {
			return school.Refuse("weight", "weight", "")
		}
	}
	_, err := b.store.ChangeCourse(ctx, course, func(c *school.Course) error {
		c.Weights = weights
		return nil
	})
	return err
}

// Says tells how a question goes with the others, in words.
func (q Question) Says() string {
	switch {
	case q.N == 0:
		return "no points yet"
	case math.IsNaN(q.Discrimination):
		return "too little to tell students apart by"
	case q.Discrimination < 0.2: // common practice, no source
		return fmt.Sprintf("r %.2f: tells little apart", q.Discrimination)
	}
	return fmt.Sprintf("r %.2f", q.Discrimination)
}
