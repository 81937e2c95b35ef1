// Package screen puts together what the sheet screen shows: to the student, to
// the teacher who marks, to a class that shares one copy, and to whoever tries
// a sheet out.
package screen

import (
	"context"
	"time"

	"readymargin/core/draw"
	"readymargin/core/flow"
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
	now        school.Clock
}

// New returns the screens of a store.
func New(store ScreenStore, gate *school.Gate, worksheets *shelf.Shelf, publishing *shelf.Publishing, revisions *shelf.Revisions, now school.Clock) *Screens {
	return &Screens{store, gate, worksheets, publishing, revisions, now}
}

// addKit adds what the teacher prepared for the work: the colour key, the
// picture shelf and, where live is set, the directions as they are now.
func (s *Screens) addKit(ctx context.Context, v *Screen, r school.Revision, live bool) error {
	w, err := s.store.Worksheet(ctx, r.WorksheetID)
	if err != nil {
		return err
	}
	kit, err := worksheet.ParseKit(w.Kit)
	if err != nil {
		return err
	}
	v.Key, v.Shelf = kit.Key, kit.Shelf
	if !live {
		return nil
	}
	said, err := s.revisions.Directions(ctx, r)
	for _, m := range said {
		v.Marks = append(v.Marks, Show(submission.Sheet, submission.Shown{Mark: m}, "Directions", false, time.Time{}, true))
	}
	return err
}

// A Screen is everything the sheet screen needs of one copy for one person, as
// that person may see it. It is also the answer to a browser that asks what
// is new.
type Screen struct {
	Copy         uint64              `json:"copy"`
	Assignment   uint64              `json:"assignment"`
	Sheet        uint64              `json:"sheet"` // the revision that the copy is of
	Held         int                 `json:"held"`  // pages held back from students; teachers only
	Trial        bool                `json:"trial"` // to be looked at and tried out: there is no copy, and nothing is kept
	Title        string              `json:"title"`
	Course       string              `json:"course"`
	Student      string              `json:"student"`
	Teacher      bool                `json:"teacher"` // seen by a teacher
	State        flow.State          `json:"state"`
	Attempt      int                 `json:"attempt"`  // the attempt shown, or the one being worked on
	Attempts     int                 `json:"attempts"` // submitted so far
	Edit         submission.Layer    `json:"edit"`     // the layer that the person may draw in, or ""
	Say          submission.Layer    `json:"say"`      // the layer that the person's answers go into, or ""
	Seq          int64               `json:"seq"`      // of the layer Edit
	Waiting      int                 `json:"waiting"`  // changes that came after the attempt was fixed
	Due          *time.Time          `json:"due,omitempty"`
	Closed       bool                `json:"closed"`
	Closes       *time.Time          `json:"closes,omitempty"`
	Last         bool                `json:"last"` // no further attempt is left
	Mode         flow.Mode           `json:"way"`
	Runs         bool                `json:"runs"`                  // may change others' marks on a copy that is one for all
	Removed      *time.Time          `json:"removed,omitempty"`     // when it was unassigned
	Instructions string              `json:"-"`                     // as they were typed
	Instruments  []string            `json:"instruments,omitempty"` // those offered; none for all
	KeepHere     bool                `json:"keepHere"`              // no taking away as a file
	NoSpelling   bool                `json:"noSpelling"`
	TakeBack     bool                `json:"takeBack"` // taking back is still possible
	Receipt      *Receipt            `json:"receipt,omitempty"`
	PointsOf     string              `json:"pointsOf"`        // the assignment's points, "" for none
	Given        *string             `json:"given,omitempty"` // the points: the draft for teachers, the returned for the student
	Remark       string              `json:"remark,omitempty"`
	Line         string              `json:"line,omitempty"` // the student's line to the teacher
	ReturnedAt   *time.Time          `json:"returnedAt,omitempty"`
	Feedback     int                 `json:"feedback,omitempty"` // the attempt that points, remark and return belong to
	Past         bool                `json:"past"`               // an earlier attempt, looked at by its student
	Unsent       bool                `json:"unsent"`             // feedback that was not returned yet; teachers only
	Voice        int                 `json:"voice"`              // longest voice note, seconds
	Pages        []school.PageSize   `json:"pages"`
	Marks        []Mark              `json:"marks"`
	Key          []worksheet.Meaning `json:"key,omitempty"`   // what the colours stand for
	Shelf        []worksheet.Picture `json:"shelf,omitempty"` // pictures to lay on the sheet
	Steps        []practice.Step     `json:"steps,omitempty"` // of the practice sheet
	Zone         string              `json:"zone"`
	Person       uint64              `json:"person"` // who looks
	Me           string              `json:"me"`
	Settings     string              `json:"settings"`
	Drafts       []school.Draft      `json:"drafts,omitempty"` // what the person was typing
}

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

func Show(l submission.Layer, w submission.Shown, by string, mine bool, at time.Time, sent bool) Mark {
	return Mark{w, l, draw.ForScreen(w.Mark), by, mine, at, sent}
}

// base fills in what every kind of view has.
func (s *Screens) base(ctx context.Context, who school.Person, c school.CopyInCourse) (Screen, []school.Attempt, error) {
	v := Screen{
		Copy: c.ID, Assignment: c.Assignment.ID, Sheet: c.Revision.ID, Title: c.Assignment.Title, Course: c.Course.Name,
		Student: c.Student.Name, State: c.State, Attempts: c.Attempts, Waiting: c.Waiting,
		Closed: s.gate.Closed(c.Assignment, c.Copy, c.Section), Last: c.Assignment.UsedUp(c.Attempts), Voice: c.Course.VoiceSeconds, Zone: c.Course.Zone, Person: who.ID, Me: who.Name, Settings: who.Settings, Marks: []Mark{},
	}
	v.Mode, v.Instructions, v.Instruments = c.Assignment.Mode, c.Assignment.Instructions, c.Assignment.Instruments
	v.KeepHere, v.NoSpelling, v.Removed = c.Assignment.KeepHere, c.Assignment.NoSpelling, c.Assignment.RemovedAt
	times := c.Assignment.TimesFor(c.Copy)
	if !times.Due.IsZero() {
		v.Due = &times.Due
	}
	if !times.Closes.IsZero() {
		v.Closes = &times.Closes
	}
	if c.Assignment.Points > 0 {
		v.PointsOf = c.Assignment.Points.String()
	}
	var err error
	if v.Pages, err = s.revisions.Sizes(ctx, c.Revision); err != nil {
		return v, nil, err
	}
	if err := s.addKit(ctx, &v, c.Revision, false); err != nil {
		return v, nil, err
	}
	if v.Drafts, err = s.store.Drafts(ctx, who.ID, school.OfCopy, c.ID); err != nil {
		return v, nil, err
	}
	attempts, err := s.store.Attempts(ctx, c.ID)
	return v, attempts, err
}

// showLive adds what is present in a layer now.
func (s *Screens) showLive(ctx context.Context, v *Screen, id uint64, layer submission.Layer, who school.Person, sent bool) error {
	seq, err := s.store.LayerSeq(ctx, id, layer) // before the heads, so that nothing is missed
	if err != nil {
		return err
	}
	if layer == submission.Work || layer.Attempt() > 0 {
		v.Seq = seq
	}
	heads, err := s.store.Heads(ctx, id, layer)
	if err != nil {
		return err
	}
	shown, by := school.Present(heads)
	for _, w := range shown {
		h := by[w.Version]
		v.Marks = append(v.Marks, Show(layer, w, h.AuthorName, h.AuthorID == who.ID, h.At, sent))
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
		v.Marks = append(v.Marks, Show(submission.Sheet, submission.Shown{Mark: m}, "Directions", false, a.SubmittedAt, true))
	}
	for _, m := range snap.Marks {
		v.Marks = append(v.Marks, Show(submission.Work, submission.Shown{Mark: m}, student, mine, a.SubmittedAt, true))
	}
	v.Receipt = &Receipt{a.Number, a.SubmittedAt, a.LateMinutes, a.SnapshotHash}
	v.Line = a.Line
	return nil
}

// Threads returns what was said on a copy as conversations.
func (v Screen) Threads() []note.Thread {
	var said []note.Said
	for _, m := range v.Marks {
		said = append(said, note.Said{Mark: m.Mark, Remark: note.Remark{
			Version: m.Version, Layer: string(m.Layer), Author: m.By, Mine: m.Mine, Sent: m.Sent, At: m.At}})
	}
	return note.Threads(said)
}
