package school

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"slices"
	"strings"
	"time"

	"readymargin/core/access"
	"readymargin/core/copy"
	"readymargin/core/draw"
	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/note"
	"readymargin/core/plan"
	"readymargin/core/practice"
	"readymargin/core/recording"
)

// A View is everything the sheet screen needs of one copy for one person, as
// that person may see it. It is also the answer to a browser that asks what
// is new.
type View struct {
	Copy         uint64          `json:"copy"`
	Assignment   uint64          `json:"assignment"`
	Sheet        uint64          `json:"sheet"` // the revision that the copy is of
	Held         int             `json:"held"`  // pages held back from students; teachers only
	Trial        bool            `json:"trial"` // to be looked at and tried out: there is no copy, and nothing is kept
	Title        string          `json:"title"`
	Course       string          `json:"course"`
	Student      string          `json:"student"`
	Teacher      bool            `json:"teacher"` // seen by a teacher
	State        flow.State      `json:"state"`
	Attempt      int             `json:"attempt"`  // the attempt shown, or the one being worked on
	Attempts     int             `json:"attempts"` // submitted so far
	Edit         copy.Layer      `json:"edit"`     // the layer that the person may draw in, or ""
	Say          copy.Layer      `json:"say"`      // the layer that the person's answers go into, or ""
	Seq          int64           `json:"seq"`      // of the layer Edit
	Waiting      int             `json:"waiting"`  // changes that came after the attempt was fixed
	Due          *time.Time      `json:"due,omitempty"`
	Closed       bool            `json:"closed"`
	Closes       *time.Time      `json:"closes,omitempty"`
	Last         bool            `json:"last"` // no further attempt is left
	Way          flow.Way        `json:"way"`
	Runs         bool            `json:"runs"`                  // may change others' marks on a copy that is one for all
	Removed      *time.Time      `json:"removed,omitempty"`     // when it was unassigned
	Instructions string          `json:"-"`                     // as they were typed
	Instruments  []string        `json:"instruments,omitempty"` // those offered; none for all
	KeepHere     bool            `json:"keepHere"`              // no taking away as a file
	NoSpelling   bool            `json:"noSpelling"`
	TakeBack     bool            `json:"takeBack"` // taking back is still possible
	Receipt      *Receipt        `json:"receipt,omitempty"`
	PointsOf     string          `json:"pointsOf"`        // the assignment's points, "" for none
	Given        *string         `json:"given,omitempty"` // the points: the draft for teachers, the returned for the student
	Remark       string          `json:"remark,omitempty"`
	Line         string          `json:"line,omitempty"` // the student's line to the teacher
	ReturnedAt   *time.Time      `json:"returnedAt,omitempty"`
	Feedback     int             `json:"feedback,omitempty"` // the attempt that points, remark and return belong to
	Past         bool            `json:"past"`               // an earlier attempt, looked at by its student
	Unsent       bool            `json:"unsent"`             // feedback that was not returned yet; teachers only
	Voice        int             `json:"voice"`              // longest voice note, seconds
	Pages        []PageSize      `json:"pages"`
	Marks        []ViewMark      `json:"marks"`
	Key          []plan.Meaning  `json:"key,omitempty"`   // what the colours stand for
	Shelf        []plan.Picture  `json:"shelf,omitempty"` // pictures to lay on the sheet
	Steps        []practice.Step `json:"steps,omitempty"` // of the practice sheet
	Zone         string          `json:"zone"`
	Person       uint64          `json:"person"` // who looks
	Me           string          `json:"me"`
	Settings     string          `json:"settings"`
	Drafts       []Draft         `json:"drafts,omitempty"` // what the person was typing
}

// A PageSize is the size of a page in points.
type PageSize struct {
	Width  float64 `json:"w"`
	Height float64 `json:"h"`
}

// A Receipt says that and when an attempt was submitted.
type Receipt struct {
	Attempt     int       `json:"attempt"`
	At          time.Time `json:"at"`
	LateMinutes int       `json:"late"`
	Fingerprint string    `json:"fingerprint"`
}

// A ViewMark is a mark with what to paint and who made it.
type ViewMark struct {
	copy.Shown
	Layer  copy.Layer   `json:"layer"`
	Shapes []draw.Shape `json:"shapes"`
	By     string       `json:"by"`
	Mine   bool         `json:"mine"`
	At     time.Time    `json:"at"`
	Sent   bool         `json:"sent"` // the other side sees it
}

func viewMark(l copy.Layer, w copy.Shown, by string, mine bool, at time.Time, sent bool) ViewMark {
	return ViewMark{w, l, draw.ForScreen(w.Mark), by, mine, at, sent}
}

// base fills in what every kind of view has.
func (s *School) base(ctx context.Context, who Person, c CopyInCourse) (View, []Attempt, error) {
	v := View{
		Copy: c.ID, Assignment: c.Assignment.ID, Sheet: c.Revision.ID, Title: c.Assignment.Title, Course: c.Course.Name,
		Student: c.Student.Name, State: c.State, Attempts: c.Attempts, Waiting: c.Waiting,
		Closed: s.closed(c.Assignment, c.Copy, c.Section), Last: c.Assignment.UsedUp(c.Attempts), Voice: c.Course.VoiceSeconds, Zone: c.Course.Zone, Person: who.ID, Me: who.Name, Settings: who.Settings, Marks: []ViewMark{},
	}
	v.Way, v.Instructions, v.Instruments = c.Assignment.Way, c.Assignment.Instructions, c.Assignment.Instruments
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
	if v.Pages, err = s.sizes(ctx, c.Revision); err != nil {
		return v, nil, err
	}
	if err := s.dress(ctx, &v, c.Revision, false); err != nil {
		return v, nil, err
	}
	if v.Drafts, err = s.Store.Drafts(ctx, who.ID, OfCopy, c.ID); err != nil {
		return v, nil, err
	}
	attempts, err := s.Store.Attempts(ctx, c.ID)
	return v, attempts, err
}

// openShared returns the view of a copy that is one for all.
func (s *School) openShared(ctx context.Context, who Person, c CopyInCourse) (View, error) {
	if err := s.may(who, c, access.ShareCopy, ""); err != nil {
		return View{}, err
	}
	v, _, err := s.base(ctx, who, c)
	if err != nil {
		return v, err
	}
	v.Student, v.Runs = "everybody", c.Role != access.Student
	if !v.Closed {
		v.Edit = copy.Work
	}
	if err := s.dress(ctx, &v, c.Revision, true); err != nil {
		return v, err
	}
	return v, s.showLive(ctx, &v, c.ID, copy.Work, who, true)
}

// toRead returns the view of a copy that nobody writes on, and notes that it
// was opened.
func (s *School) toRead(ctx context.Context, v View, c CopyInCourse) (View, error) {
	v.Attempt = 1
	if err := s.dress(ctx, &v, c.Revision, true); err != nil || c.StartedAt != nil {
		return v, err
	}
	return v, s.Store.InCopy(ctx, c.ID, func(tx CopyTx) error {
		locked, err := tx.Copy()
		if err != nil {
			return err
		}
		now := s.Now()
		locked.StartedAt = &now
		return tx.SetCopy(locked)
	})
}

// Open returns the student's own view of a copy. Opening one whose feedback
// was returned notes that the student has seen it.
func (s *School) Open(ctx context.Context, who Person, id uint64) (View, error) {
	c, err := s.copyFor(ctx, who, id, access.SeeReturned, "")
	if err != nil {
		return View{}, err
	}
	if c.StudentID == 0 {
		return s.openShared(ctx, who, c)
	}
	if err := s.may(who, c, access.ReadCopy, ""); err != nil {
		return View{}, err
	}
	v, attempts, err := s.base(ctx, who, c)
	if err != nil {
		return v, err
	}
	if c.Assignment.Way == flow.ToRead {
		return s.toRead(ctx, v, c)
	}
	v.Attempt = c.Attempts
	if c.State != flow.Submitted && c.State != flow.Returned {
		v.Attempt++
	}
	var latest, returned *Attempt
	for i := range attempts {
		latest = &attempts[i]
		if attempts[i].ReturnedAt != nil {
			returned = &attempts[i]
		}
	}
	if err := s.showLive(ctx, &v, c.ID, copy.Own, who, true); err != nil {
		return v, err
	}
	switch c.State {
	case flow.Submitted, flow.Returned:
		err = s.showAttempt(ctx, &v, latest, who.Name, true)
		v.TakeBack = c.State == flow.Submitted && !v.Closed && !latest.Marked()
	default:
		if err = s.dress(ctx, &v, c.Revision, true); err != nil {
			return v, err
		}
		err = s.showLive(ctx, &v, c.ID, copy.Work, who, true)
		if !v.Closed {
			v.Edit = copy.Work
		}
	}
	// What was said about an attempt before is shown with that one; while it is
	// reworked, with the work that comes of it.
	if err != nil || returned == nil || c.State == flow.Submitted {
		return v, err
	}
	if err := s.showFeedback(ctx, who, &v, returned); err != nil {
		return v, err
	}
	return v, s.opened(ctx, c.ID, *returned)
}

// showFeedback adds what was returned with an attempt and what was said to it.
func (s *School) showFeedback(ctx context.Context, who Person, v *View, a *Attempt) error {
	v.Say = copy.Replies
	if err := s.showReturned(ctx, v, a); err != nil {
		return err
	}
	return s.showLive(ctx, v, v.Copy, copy.Replies, who, true)
}

// OpenAttempt returns the student's view of an attempt as it was submitted,
// with its feedback once that was returned; number 0 is what Open returns.
func (s *School) OpenAttempt(ctx context.Context, who Person, id uint64, number int) (View, error) {
	if number == 0 {
		return s.Open(ctx, who, id)
	}
	c, err := s.copyFor(ctx, who, id, access.ReadCopy, "")
	if err != nil {
		return View{}, err
	}
	v, attempts, err := s.base(ctx, who, c)
	if err != nil {
		return v, err
	}
	if number < 1 || number > len(attempts) || c.Role != access.Student {
		return v, access.ErrHidden
	}
	a := &attempts[number-1]
	v.Attempt, v.Past = number, number < c.Attempts || c.State == flow.Reworking
	if err := s.showAttempt(ctx, &v, a, who.Name, true); err != nil || a.ReturnedAt == nil {
		return v, err
	}
	if err := s.showFeedback(ctx, who, &v, a); err != nil {
		return v, err
	}
	return v, s.opened(ctx, id, *a)
}

// showLive adds what is present in a layer now.
func (s *School) showLive(ctx context.Context, v *View, id uint64, layer copy.Layer, who Person, sent bool) error {
	seq, err := s.Store.LayerSeq(ctx, id, layer) // before the heads, so that nothing is missed
	if err != nil {
		return err
	}
	if layer == copy.Work || layer.Attempt() > 0 {
		v.Seq = seq
	}
	heads, err := s.Store.Heads(ctx, id, layer)
	if err != nil {
		return err
	}
	shown, by := present(heads)
	for _, w := range shown {
		h := by[w.Version]
		v.Marks = append(v.Marks, viewMark(layer, w, h.AuthorName, h.AuthorID == who.ID, h.At, sent))
	}
	return nil
}

// present returns what saved heads show, and each by the name of its operation.
func present(heads []SavedHead) (shown []copy.Shown, by map[string]SavedHead) {
	by = map[string]SavedHead{}
	bare := make([]copy.Head, len(heads))
	for i, h := range heads {
		bare[i], by[h.Op] = h.Head, h
	}
	return copy.Present(bare), by
}

// snapshot returns what was submitted.
func (s *School) snapshot(ctx context.Context, a *Attempt) (copy.Snapshot, error) {
	var snap copy.Snapshot
	b, err := s.Store.Blob(ctx, a.SnapshotHash)
	if err == nil {
		err = json.Unmarshal(b, &snap)
	}
	return snap, err
}

// showAttempt adds an attempt's marks, which nobody changes any more.
func (s *School) showAttempt(ctx context.Context, v *View, a *Attempt, student string, mine bool) error {
	snap, err := s.snapshot(ctx, a)
	if err != nil {
		return err
	}
	for _, m := range snap.Sheet {
		v.Marks = append(v.Marks, viewMark(copy.Sheet, copy.Shown{Mark: m}, "Directions", false, a.SubmittedAt, true))
	}
	for _, m := range snap.Marks {
		v.Marks = append(v.Marks, viewMark(copy.Work, copy.Shown{Mark: m}, student, mine, a.SubmittedAt, true))
	}
	v.Receipt = &Receipt{a.Number, a.SubmittedAt, a.LateMinutes, a.SnapshotHash}
	v.Line = a.Line
	return nil
}

// Save takes operations of the person into a layer. What is acknowledged by
// its return is committed. Work that comes after Submit is kept as the
// beginning of the next attempt and never changes the one that is fixed.
func (s *School) Save(ctx context.Context, who Person, id uint64, layer copy.Layer, ops []copy.Op) (Saved, error) {
	c, err := s.standing(ctx, who, id, access.WriteLayer, layer)
	if err != nil {
		return Saved{}, err
	}
	if len(ops) == 0 || len(ops) > MaxBatch {
		return Saved{}, problem("batch", "", "")
	}
	for _, o := range ops {
		if err := fits(o, layer, c.PageCount); err != nil {
			return Saved{}, err
		}
		if c.Role == access.Student && o.Base == "" && !o.Mark.Offered(c.Assignment.Instruments) {
			return Saved{}, problem("instrument", "", "")
		}
	}
	return s.save(ctx, who, id, layer, c, ops)
}

// save takes operations that are in order.
func (s *School) save(ctx context.Context, who Person, id uint64, layer copy.Layer, c Standing, ops []copy.Op) (Saved, error) {
	now := s.Now()
	var out Saved
	err := s.Store.InCopy(ctx, id, func(tx CopyTx) error {
		locked, err := tx.Copy()
		if err != nil {
			return err
		}
		if c.Assignment.Way == flow.OneForAll {
			if err := ownMarks(tx, who, c.Role, layer, ops); err != nil {
				return err
			}
		}
		added, err := tx.AddOps(layer, who.ID, now, ops)
		if err != nil {
			return err
		}
		if added.full() && slices.ContainsFunc(ops, func(o copy.Op) bool { return o.Mark != nil }) {
			return problem("full", "", "")
		}
		out = Saved{Seq: added.Seq, At: now, Fresh: added.Fresh}
		if added.Fresh > 0 {
			err = s.moveOnSave(tx, &locked, layer, now, added.Fresh, s.closed(c.Assignment, locked, c.Section))
		}
		out.State, out.Waiting = locked.State, locked.Waiting
		return err
	})
	if err == nil {
		s.feed.tell(id)
	}
	return out, err
}

// ownMarks checks that students change no marks but their own on a copy that
// is one for all.
func ownMarks(tx CopyTx, who Person, role access.Role, layer copy.Layer, ops []copy.Op) error {
	if role != access.Student {
		return nil
	}
	var bases []string
	for _, o := range ops {
		if o.Base != "" {
			bases = append(bases, o.Base)
		}
	}
	if len(bases) == 0 {
		return nil
	}
	others, err := tx.OthersAmong(layer, who.ID, bases)
	if err == nil && others {
		return problem("not yours", "", "")
	}
	return err
}

// standing checks whether the person may read or write a layer of a copy, by
// one query: saving and following ask it all the time.
func (s *School) standing(ctx context.Context, who Person, id uint64, a access.Action, layer copy.Layer) (Standing, error) {
	if who.ID == 0 {
		return Standing{}, access.ErrSignIn
	}
	c, err := s.Store.Standing(ctx, id, who.ID)
	if errors.Is(err, ErrNotFound) {
		return c, access.ErrHidden
	}
	if err != nil {
		return c, err
	}
	p, t := s.stands(who, c.Role, c.Section, c.Assignment, c.Copy, layer)
	return c, access.May(p, a, t)
}

// Saved acknowledges operations.
type Saved struct {
	Seq     int64      `json:"seq"`
	At      time.Time  `json:"at"`
	State   flow.State `json:"state"`
	Waiting int        `json:"waiting"`
	Fresh   int        `json:"fresh"` // how many of them were new: less than Seq went up when others worked meanwhile
}

// MaxBatch is the most operations taken at once.
const MaxBatch = 200

// Bounds of one layer of a copy. Everybody who opens the copy reads what is
// present; what was written before is only kept.
const (
	MaxMarks   = 20_000
	MaxPresent = 8 << 20   // bytes
	MaxWritten = 256 << 20 // bytes
)

// MaxEnclosures bounds the sounds and pictures that are brought to one copy.
const MaxEnclosures = 1000

// full reports whether nothing more goes into a layer. Taking away goes on.
func (l Layered) full() bool {
	return l.Marks > MaxMarks || l.Bytes > MaxPresent || l.Written > MaxWritten
}

// fits checks that an operation is in order and belongs to the layer.
func fits(o copy.Op, layer copy.Layer, pages int) error {
	if err := o.Valid(); err != nil {
		return problem("operation", "", err.Error())
	}
	if o.Mark == nil {
		return nil
	}
	_, reply := o.Mark.Body.(*mark.Reply)
	if o.Mark.Page > pages || layer == copy.Replies && !reply || layer == copy.Work && reply {
		return problem("operation", "", "not a mark of this layer")
	}
	return nil
}

// moveOnSave moves the copy's state for new operations in a layer.
func (s *School) moveOnSave(tx CopyTx, c *Copy, layer copy.Layer, now time.Time, fresh int, closed bool) error {
	if n := layer.Attempt(); n > 0 {
		return touchFeedback(tx, n, now)
	}
	if layer != copy.Work {
		return nil
	}
	next, err := flow.Next(c.State, flow.Change, flow.Facts{Closed: closed})
	if err != nil {
		// Work done before Submit, or before the closing, may arrive after it;
		// it is kept and waits.
		c.Waiting += fresh
		next = flow.Written(c.State)
	}
	if err == nil && next == c.State {
		return nil
	}
	c.State = next
	if c.StartedAt == nil {
		c.StartedAt = &now
	}
	return tx.SetCopy(*c)
}

// touchFeedback notes that feedback on an attempt was begun, or changed since
// it was returned.
func touchFeedback(tx CopyTx, number int, now time.Time) error {
	a, err := tx.Attempt(number)
	if err != nil {
		return err
	}
	if a.MarkedAt != nil && (a.ReturnedAt == nil || a.MarkedAt.After(*a.ReturnedAt)) {
		return nil
	}
	a.MarkedAt = &now
	return tx.PutAttempt(a)
}

// SaveSettings keeps how a person set the instruments and the view.
func (s *School) SaveSettings(ctx context.Context, who Person, settings string) error {
	if who.ID == 0 {
		return access.ErrSignIn
	}
	var object map[string]any
	if len(settings) > 8000 || json.Unmarshal([]byte(settings), &object) != nil || object == nil {
		return problem("settings", "", "")
	}
	return s.Store.SetSettings(ctx, who.ID, settings)
}

// AddVoice takes a recording in for a note in one of the person's layers.
func (s *School) AddVoice(ctx context.Context, who Person, id uint64, layer copy.Layer, recorded []byte) (mark.Voice, error) {
	c, err := s.copyFor(ctx, who, id, access.WriteLayer, layer)
	if err != nil {
		return mark.Voice{}, err
	}
	if err := s.roomToEnclose(ctx, id); err != nil {
		return mark.Voice{}, err
	}
	v, peaks, err := s.recorded(ctx, recorded, time.Duration(c.Course.VoiceSeconds)*time.Second)
	if err != nil {
		return v, err
	}
	return v, s.Store.AddEnclosure(ctx, Enclosure{v.Sound, id, layer, who.ID, recording.MediaType, v.Milliseconds, peaks})
}

// recorded keeps a recording of at most so long; peaks is JSON.
func (s *School) recorded(ctx context.Context, recorded []byte, most time.Duration) (v mark.Voice, peaks string, err error) {
	clip, err := s.Ear.TakeIn(ctx, recorded, most)
	if err != nil {
		return v, "", err
	}
	hash, err := s.Store.PutBlob(ctx, clip.Data)
	if err != nil {
		return v, "", err
	}
	b, err := json.Marshal(clip.Peaks)
	return mark.Voice{Sound: hash, Milliseconds: clip.Milliseconds, Peaks: clip.Peaks}, string(b), err
}

// Enclose takes a picture in for marks in one of the person's layers.
func (s *School) Enclose(ctx context.Context, who Person, id uint64, layer copy.Layer, f Upload) (plan.Picture, error) {
	c, err := s.copyFor(ctx, who, id, access.WriteLayer, layer)
	if err != nil {
		return plan.Picture{}, err
	}
	if err := s.roomToEnclose(ctx, id); err != nil {
		return plan.Picture{}, err
	}
	pixels := studentPixels
	if c.Role != access.Student {
		pixels = staffPixels
	}
	pic, err := s.painted(ctx, f, pixels)
	if err != nil {
		return pic, err
	}
	return pic, s.addPicture(ctx, who, id, layer, pic.Hash)
}

// roomToEnclose says whether a copy takes a further sound or picture.
func (s *School) roomToEnclose(ctx context.Context, id uint64) error {
	there, err := s.Store.Enclosures(ctx, id)
	if err == nil && len(there) >= MaxEnclosures {
		err = problem("full", "", "")
	}
	return err
}

// addPicture notes that a picture is for marks of a layer.
func (s *School) addPicture(ctx context.Context, who Person, id uint64, layer copy.Layer, hash string) error {
	return s.Store.AddEnclosure(ctx, Enclosure{Hash: hash, CopyID: id, Layer: layer, PersonID: who.ID, MediaType: pictureType, Peaks: "[]"})
}

// EncloseFrom takes a picture of another copy in, where the person sees it.
func (s *School) EncloseFrom(ctx context.Context, who Person, id uint64, layer copy.Layer, from uint64, hash string) error {
	if _, err := s.copyFor(ctx, who, id, access.WriteLayer, layer); err != nil {
		return err
	}
	e, err := s.Enclosed(ctx, who, from, hash)
	if err != nil || e.Type != pictureType {
		return cmp.Or(err, access.ErrHidden)
	}
	return s.addPicture(ctx, who, id, layer, strings.ToLower(hash))
}

// Enclosed returns a recording or a picture of a copy to somebody who may know
// it: who may read the layer that it was made in; teachers once the work was
// submitted; the student once the feedback was returned.
func (s *School) Enclosed(ctx context.Context, who Person, id uint64, hash string) (Picture, error) {
	c, err := s.copyFor(ctx, who, id, access.SeeReturned, "")
	if err != nil {
		return Picture{}, err
	}
	all, err := s.Store.Enclosures(ctx, id)
	if err != nil {
		return Picture{}, err
	}
	for _, e := range all {
		if e.Hash != strings.ToLower(hash) {
			continue
		}
		open := s.may(who, c, access.ReadLayer, e.Layer) == nil
		if !open {
			if open, err = s.released(ctx, who, c, e); err != nil {
				return Picture{}, err
			}
		}
		if open {
			data, err := s.Store.Blob(ctx, e.Hash)
			return Picture{data, e.MediaType}, err
		}
	}
	return Picture{}, access.ErrHidden
}

// released reports whether an enclosure was handed over: by the student with
// an attempt, by the teacher with what was returned.
func (s *School) released(ctx context.Context, who Person, c CopyInCourse, e Enclosure) (bool, error) {
	attempts, err := s.Store.Attempts(ctx, c.ID)
	if err != nil {
		return false, err
	}
	for i, a := range attempts {
		switch {
		case e.Layer == copy.Work && c.Role != access.Student:
			snap, err := s.snapshot(ctx, &attempts[i])
			if err != nil || slices.Contains(snap.Enclosed, e.Hash) {
				return err == nil, err
			}
		case a.Number == e.Layer.Attempt() && a.ReturnedAt != nil:
			r, err := s.returned(ctx, a)
			return slices.Contains(copy.Enclosed(r.marks()), e.Hash), err
		}
	}
	return false, nil
}

// Threads returns what was said on a copy as conversations.
func (v View) Threads() []note.Thread {
	var said []note.Said
	for _, m := range v.Marks {
		said = append(said, note.Said{Mark: m.Mark, Remark: note.Remark{
			Version: m.Version, Layer: string(m.Layer), Author: m.By, Mine: m.Mine, Sent: m.Sent, At: m.At}})
	}
	return note.Threads(said)
}
