// Package screen puts together what the sheet screen shows: to the student, to
// the teacher who marks, to a class that shares one copy, and to whoever tries
// a sheet out.
package screen

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"readymargin/core/access"
	"readymargin/core/answer"
	"readymargin/core/draw"
	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/note"
	"readymargin/core/practice"
	"readymargin/core/submission"
	"readymargin/core/worksheet"
	"readymargin/school"
	"readymargin/school/shelf"
)

// Screens put together what the sheet screen shows, for whoever looks.
type Screens struct {
	store      ScreenStore
	gate       *school.Gate
	shelf      *shelf.Shelf
	publishing *shelf.Publishing
	revisions  *shelf.Revisions
	recognises bool
	now        school.Clock
}

// New returns the screens of a store; recognises says that what was said can be written
// down by a program.
func New(store ScreenStore, gate *school.Gate, worksheets *shelf.Shelf, publishing *shelf.Publishing, revisions *shelf.Revisions, recognises bool, now school.Clock) *Screens {
	return &Screens{store, gate, worksheets, publishing, revisions, recognises, now}
}

// A Screen is everything that the sheet screen needs of one copy for one person,
// as that person may see it: what every screen has, and the part of its own. It
// is also the answer to a browser that asks what is new.
type Screen struct {
	Base
	Attempted
	*ForStudent
	*ForTeacher
	*ForTrial
}

// Base is what every screen of a sheet has.
type Base struct {
	Copy         uint64                    `json:"copy"`
	Assignment   uint64                    `json:"assignment"`
	Sheet        uint64                    `json:"sheet"`            // the revision that the copy is of
	Reread       int                       `json:"reread,omitempty"` // how often its words came behind
	Title        string                    `json:"title"`
	Course       string                    `json:"course"`
	Student      string                    `json:"student"`
	State        flow.State                `json:"state"`
	Attempt      int                       `json:"attempt"`  // the attempt shown, or the one being worked on
	Attempts     int                       `json:"attempts"` // submitted so far
	Waiting      int                       `json:"waiting"`  // changes that came after the attempt was fixed
	Edit         submission.Layer          `json:"edit"`     // the layer that the person may draw in, or ""
	Say          submission.Layer          `json:"say"`      // the layer that the person's answers go into, or ""
	Seq          int64                     `json:"seq"`      // of the layer that is followed: Edit, or the work that is watched
	Said         int64                     `json:"said"`     // of what both sides say at once
	Due          *time.Time                `json:"due,omitempty"`
	Mode         flow.Mode                 `json:"way"`
	Instructions string                    `json:"-"`                     // as they were typed
	JudgedBy     []Judging                 `json:"-"`                     // what students are told of it
	Instruments  []string                  `json:"instruments,omitempty"` // those offered; none for all
	NoSpelling   bool                      `json:"noSpelling"`
	PointsOf     string                    `json:"pointsOf"`             // the assignment's points, "" for none
	PointStep    string                    `json:"step"`                 // in which points are given
	Voice        int                       `json:"voice"`                // longest voice note, seconds
	Recognises   bool                      `json:"recognises,omitempty"` // what was said can be written down by a program
	Pages        []school.PageSize         `json:"pages"`
	Marks        []Mark                    `json:"marks"`
	Key          []worksheet.Meaning       `json:"key,omitempty"`    // what the colours stand for
	OwnKey       []worksheet.Meaning       `json:"ownKey,omitempty"` // those of them that the student has set
	Shelf        []worksheet.Picture       `json:"shelf,omitempty"`  // pictures to lay on the sheet
	Light        bool                      `json:"light,omitempty"`  // scans and photographs come more roughly
	Zone         string                    `json:"zone"`
	Language     string                    `json:"lang,omitempty"` // of the worksheet, BCP 47; "" where it is not known
	Person       uint64                    `json:"person"`         // who looks
	Me           string                    `json:"me"`
	Section      string                    `json:"section,omitempty"` // of the course, that the student is in
	Settings     string                    `json:"settings"`
	Hearings     map[string]school.Hearing `json:"hearings,omitempty"` // of counted sounds on the sheet, by mark
	Drafts       []school.Draft            `json:"drafts,omitempty"`   // what the person was typing

	directions []mark.Mark // as they are now
}

// Attempted is an attempt that was submitted, and what was said about one.
type Attempted struct {
	Receipt    *Receipt        `json:"receipt,omitempty"`
	Line       string          `json:"line,omitempty"`  // the student's line to the teacher
	Given      *string         `json:"given,omitempty"` // the points: the draft for teachers, the returned for the student
	Remark     string          `json:"remark,omitempty"`
	RemarkRich bool            `json:"remarkRich,omitempty"` // Remark is CommonMark
	Reason     string          `json:"reason,omitempty"`     // why these points, where the questions add up to others
	Questions  []school.Scored `json:"questions,omitempty"`  // that points are given for
	ReturnedAt *time.Time      `json:"returnedAt,omitempty"`
	Feedback   int             `json:"feedback,omitempty"` // the attempt that points, remark and return belong to
	Heard      map[string]int  `json:"heard,omitempty"`    // to where the student has heard it, milliseconds by remark
}

// ForStudent is for the student whose copy it is, and for a class that shares
// one.
type ForStudent struct {
	May     []Action   `json:"may"`
	Closed  bool       `json:"closed"`
	Closes  *time.Time `json:"closes,omitempty"`
	Removed *time.Time `json:"removed,omitempty"` // when it was unassigned
	Past    bool       `json:"past"`              // an earlier attempt
	Shown   bool       `json:"shown"`             // the teachers may look at this copy, which is to keep
	Aloud   bool       `json:"aloud"`             // there is something to be heard in what was returned
	Runs    bool       `json:"runs"`              // may change others' marks on a copy that is one for all
	Asks    bool       `json:"asks"`              // may ask something now, before it is submitted
	Around  int        `json:"around,omitempty"`  // how much of the page goes along with that, above and below it, in points
}

// ForTeacher is for those who mark.
type ForTeacher struct {
	Teacher  bool   `json:"teacher"`
	Watch    bool   `json:"watch,omitempty"` // looks at work that is not submitted
	Watches  bool   `json:"-"`               // may do so
	Asked    bool   `json:"asked,omitempty"` // sees what was asked before it is submitted, and no more
	CourseOf uint64 `json:"courseOf"`        // the course's number
	Held     int    `json:"held"`            // pages held back from students
	Unsent   bool   `json:"unsent"`          // feedback that was not returned yet
	Opened   bool   `json:"opened"`          // by the student, since it was returned

	Pending *time.Time      `json:"pending,omitempty"` // when the attempt is to be returned
	Returns []school.Return `json:"-"`                 // of the attempt, the oldest first

	Since  *Since            `json:"since,omitempty"`  // of a later attempt than the first
	Before map[string]string `json:"before,omitempty"` // what questions got for the attempt before

	Found []Finding `json:"found,omitempty"` // what comparing with what is expected says

	Rubrics map[string][]Criterion `json:"-"`      // by question
	Scaled  bool                   `json:"scaled"` // the total is what the questions add up to, brought to PointsOf

	Missing int  `json:"missing,omitempty"` // questions without points
	Whole   bool `json:"whole,omitempty"`   // the total was given as a whole
}

// Since is what was changed since the attempt before.
type Since struct {
	Added   []string `json:"added"` // the marks' IDs
	Changed []string `json:"changed"`
	Gone    []Mark   `json:"gone"`
}

// Says tells how much was changed.
func (s Since) Says() string {
	var out []string
	for _, part := range []struct {
		n    int
		what string
	}{{len(s.Added), "new"}, {len(s.Changed), "changed"}, {len(s.Gone), "gone"}} {
		if part.n > 0 {
			out = append(out, fmt.Sprint(part.n, " ", part.what))
		}
	}
	return strings.Join(out, ", ")
}

// A Finding is what comparing says of a question, and the points that it
// proposes, "" for none.
type Finding struct {
	answer.Found
	Proposal string `json:"proposal,omitempty"`
}

// FoundOf returns what comparing says of a question.
func (f ForTeacher) FoundOf(question string) *Finding {
	for i := range f.Found {
		if f.Found[i].Question == question {
			return &f.Found[i]
		}
	}
	return nil
}

// Proposed returns the points that are proposed for a question: by comparing, or
// else those of the attempt before; "" for none.
func (f ForTeacher) Proposed(question string) string {
	if found := f.FoundOf(question); found != nil && found.Proposal != "" {
		return found.Proposal
	}
	return f.Before[question]
}

// Counts says how many places agree, differ or cannot be compared, or how many
// words are hit, missed and in excess.
func (f Finding) Counts() string {
	var out []string
	add := func(n int, what string) {
		if n > 0 {
			out = append(out, fmt.Sprint(n, " ", what))
		}
	}
	of := map[answer.Verdict]int{}
	for _, b := range f.Blanks {
		of[b.Verdict]++
	}
	add(of[answer.Agrees], "as expected")
	add(of[answer.Differs], "not")
	add(of[answer.Unsure], "cannot be told")
	add(len(f.Hit), "hit")
	add(len(f.Missed), "missed")
	add(len(f.Excess), "in excess")
	return strings.Join(out, ", ")
}

// Withdrawable reports whether what was returned can be taken back: the student
// has neither opened it nor gone on.
func (v Screen) Withdrawable() bool {
	return v.ReturnedAt != nil && v.Attempt == v.Attempts && v.State == flow.Returned && !v.Opened &&
		slices.ContainsFunc(v.Returns, school.Return.Stands)
}

// ForTrial is for who looks at a sheet and tries it out: there is no copy, and
// nothing is kept.
type ForTrial struct {
	Trial   bool            `json:"trial"`
	Steps   []practice.Step `json:"steps,omitempty"`   // of the practice sheet
	Writes  uint64          `json:"writes,omitempty"`  // the worksheet that is written on itself
	Version int             `json:"version,omitempty"` // its version
}

// An Action is what a student may do with a copy now.
type Action string

// What students do with a copy, beside working on it.
const (
	Submit    Action = "submit"
	TakeBack  Action = "take back"
	Improve   Action = "improve"
	TakeAway  Action = "take away"  // as a file
	BringBack Action = "bring back" // a file that was worked on elsewhere
	Bring     Action = "bring"      // pages of one's own
	Keep      Action = "keep"       // show it to the teachers, and give it a key of one's own
)

// Can reports whether the student may do something now.
func (f ForStudent) Can(a Action) bool { return slices.Contains(f.May, a) }

// A Receipt says that and when an attempt was submitted.
type Receipt struct {
	Attempt     int       `json:"attempt"`
	At          time.Time `json:"at"`
	LateMinutes int       `json:"late"`
	Fingerprint string    `json:"fingerprint"`
}

// A Mark is a mark with what to paint and who made it.
type Mark struct {
	submission.Shown
	Layer  submission.Layer `json:"layer"`
	Shapes []draw.Shape     `json:"shapes"`
	By     string           `json:"by"`
	Mine   bool             `json:"mine"`
	At     time.Time        `json:"at"`
	Sent   bool             `json:"sent"` // the other side sees it
}

// Show returns a mark with what to paint.
func Show(l submission.Layer, w submission.Shown, by string, mine bool, at time.Time, sent bool) Mark {
	return Mark{w, l, draw.ForScreen(w.Mark), by, mine, at, sent}
}

// base fills in what every screen has.
func (s *Screens) base(ctx context.Context, who school.Person, c school.CopyInCourse) (Screen, []school.Attempt, error) {
	v := Screen{Base: Base{
		Copy: c.ID, Assignment: c.Assignment.ID, Sheet: c.Revision.ID, Reread: c.Revision.Reread, Title: c.Assignment.Title, Course: c.Course.Name, Student: c.Student.Name,
		State: c.State, Attempts: c.Attempts, Waiting: c.Waiting, Mode: c.Assignment.Mode, Instructions: c.Assignment.Instructions,
		Instruments: c.Assignment.Instruments, NoSpelling: c.Assignment.NoSpelling, Voice: c.Course.VoiceSeconds, Zone: c.Course.Zone,
		Person: who.ID, Me: who.Name, Section: sectionOf(c), Settings: who.Settings, Marks: []Mark{},
	}}
	if times := c.Assignment.TimesFor(c.Copy); !times.Due.IsZero() {
		v.Due = &times.Due
	}
	v.PointStep, v.Recognises = c.Course.Step().String(), s.recognises
	if c.Assignment.Points > 0 {
		v.PointsOf = c.Assignment.Points.String()
	}
	issued, err := s.revisions.Revised(ctx, c.Revision)
	if err != nil {
		return v, nil, err
	}
	v.issued(issued)
	v.OwnKey, v.Hearings = c.OwnKey, c.Hearings
	v.Key = slices.Concat(v.Key, c.OwnKey)
	if v.Drafts, err = s.store.Drafts(ctx, who.ID, school.OfCopy, c.ID); err != nil {
		return v, nil, err
	}
	attempts, err := s.store.Attempts(ctx, c.ID)
	return v, attempts, err
}

// sectionOf returns the section of who looks, "" for none.
func sectionOf(c school.CopyInCourse) string {
	if c.Section == access.Anywhere {
		return ""
	}
	return c.Section
}

// showLive adds what is present in layers now. Of feedback it is not said to the
// student yet.
func (s *Screens) showLive(ctx context.Context, v *Screen, id uint64, who school.Person, layers ...submission.Layer) error {
	seq, heads, err := s.store.Layers(ctx, id, layers...)
	if err != nil {
		return err
	}
	for _, layer := range layers {
		switch {
		case layer == submission.Replies || layer == submission.Among:
			v.Said += seq[layer]
		case layer == submission.Work || layer.Attempt() > 0 || layer == v.Edit:
			v.Seq = seq[layer]
		}
		var of []school.SavedHead
		for _, h := range heads {
			if h.Layer == layer {
				of = append(of, h)
			}
		}
		shown, by := school.Present(of)
		for _, w := range shown {
			h := by[w.Version]
			v.Marks = append(v.Marks, Show(layer, w, h.AuthorName, h.AuthorID == who.ID, h.At, layer.Attempt() == 0))
		}
	}
	return nil
}

// showAttempt adds an attempt's marks, which nobody changes any more.
func (s *Screens) showAttempt(ctx context.Context, v *Screen, a *school.Attempt, student string, mine bool) error {
	snap, err := school.ReadSnapshot(ctx, s.store, a)
	if err != nil {
		return err
	}
	for _, m := range snap.Sheet {
		v.Marks = append(v.Marks, Show(submission.Sheet, submission.Shown{Mark: v.told(m)}, "Directions", false, a.SubmittedAt, true))
	}
	for _, m := range snap.Marks {
		v.Marks = append(v.Marks, Show(submission.Work, submission.Shown{Mark: m}, student, mine, a.SubmittedAt, true))
	}
	v.Receipt = &Receipt{a.Number, a.SubmittedAt, a.LateMinutes, a.SnapshotHash}
	v.Line = a.Line
	return nil
}

// issued fills in what the teacher has prepared for the work.
func (v *Screen) issued(is shelf.Issued) {
	v.Key, v.Shelf, v.Light, v.Language = is.Key, is.Shelf, is.Light, worksheet.Language(is.Guides)
	for _, p := range is.Sizes {
		v.Pages = append(v.Pages, school.PageSize{Width: p.X, Height: p.Y})
	}
	for _, g := range is.Guides {
		for _, q := range g.ForStudents().Questions {
			if q.Rubric != nil {
				v.JudgedBy = append(v.JudgedBy, Judging{q.Number, Criteria(*q.Rubric, nil)})
			}
		}
	}
	v.directions = is.Directions
}

// direct adds what the teacher says on the sheet now; an attempt has what was
// said then.
func (v *Screen) direct() {
	for _, m := range v.directions {
		v.Marks = append(v.Marks, Show(submission.Sheet, submission.Shown{Mark: v.told(m)}, "Directions", false, time.Time{}, true))
	}
}

// told returns a direction as the one who looks may have it: the words of a sound are a
// student's only when they ask for them.
func (v *Screen) told(m mark.Mark) mark.Mark {
	n, ok := m.Body.(*mark.Note)
	if v.ForTeacher != nil || v.ForTrial != nil || !ok || n.Voice == nil || n.Voice.Words == "" {
		return m
	}
	note, voice := *n, *n.Voice
	voice.Words, voice.Written = "", true
	note.Voice = &voice
	m.Body = &note
	return m
}

// Threads returns what students may know of what was said on a copy: as conversations,
// and of the copy as a whole.
func (v Screen) Threads() ([]note.Thread, []note.Remark) {
	var said []note.Said
	on := map[string]mark.Mark{}
	for _, m := range v.Marks {
		if m.Layer == submission.Among {
			continue // nobody else's business
		}
		on[m.Mark.ID] = m.Mark
		said = append(said, note.Said{Mark: m.Mark, Remark: note.Remark{
			Version: m.Version, Layer: string(m.Layer), Author: m.By, Mine: m.Mine, Sent: m.Sent, At: m.At}})
	}
	return note.Threads(said, func(id string) (mark.Mark, bool) { m, there := on[id]; return m, there }), note.Whole(said)
}
