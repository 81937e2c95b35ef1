package screen

import (
	"cmp"
	"context"
	"slices"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/note"
	"readymargin/core/submission"
	"readymargin/school"
)

// showReturned adds what was given back with an attempt.
func (s *Screens) showReturned(ctx context.Context, v *Screen, a *school.Attempt) error {
	r, err := school.ReadReturned(ctx, s.store, *a)
	if err != nil {
		return err
	}
	v.Reason, v.Remark, v.RemarkRich, v.ReturnedAt, v.Feedback, v.Questions = r.Reason, r.Remark, r.Rich, a.ReturnedAt, a.Number, r.Scores
	v.Heard, v.Aloud = a.Heard, a.Spoken > 0
	if r.Points != nil {
		given := r.Points.String()
		v.Given = &given
	}
	for _, m := range r.Marks {
		v.Marks = append(v.Marks, Show(submission.Feedback(a.Number), submission.Shown{Mark: m.Mark}, m.By, false, m.At, true))
	}
	return nil
}

// opened notes that the student has seen what was returned.
func (s *Screens) opened(ctx context.Context, id uint64, a school.Attempt) error {
	if a.OpenedAt != nil {
		return nil
	}
	return s.store.InCopy(ctx, id, func(tx school.CopyTx) error {
		a, err := tx.Attempt(a.Number)
		if err != nil || a.OpenedAt != nil {
			return err
		}
		now := s.now()
		a.OpenedAt = &now
		return tx.PutAttempt(a)
	})
}

// forStudent says what a student may do with a copy now, and until when.
func (s *Screens) forStudent(who school.Person, c school.CopyInCourse, attempts []school.Attempt) *ForStudent {
	v := &ForStudent{May: []Action{}, Closed: s.gate.Closed(c.Assignment, c.Copy, c.Section), Removed: cmp.Or(c.Assignment.RemovedAt, c.Assignment.ArchivedAt)}
	if times := c.Assignment.TimesFor(c.Copy); !times.Closes.IsZero() {
		v.Closes = &times.Closes
	}
	facts := flow.Facts{Closed: v.Closed}
	if c.Attempts > 0 && len(attempts) > 0 {
		facts.Feedback = attempts[len(attempts)-1].Marked()
	}
	moves := s.gate.May(who, c, access.SubmitCopy, "") == nil
	for action, event := range map[Action]flow.Event{Submit: flow.Submit, TakeBack: flow.TakeBack, Improve: flow.Improve} {
		_, err := flow.Next(c.State, event, facts)
		letOn := event == flow.Submit && c.State == flow.Reworking // whatever is left
		if moves && err == nil && (event == flow.TakeBack || letOn || !c.Assignment.UsedUp(c.Attempts)) {
			v.May = append(v.May, action)
		}
	}
	if s.gate.May(who, c, access.TakeAway, "") == nil {
		v.May = append(v.May, TakeAway)
	}
	_, err := flow.Next(c.State, flow.Change, facts)
	if err == nil && c.Assignment.Mode != flow.OneForAll && c.Assignment.Mode != flow.OwnPages && s.gate.May(who, c, access.BringBack, submission.Work) == nil {
		v.May = append(v.May, BringBack)
	}
	v.Shown = c.Shown
	if v.Asks = !v.Closed && s.gate.May(who, c, access.AskNow, "") == nil; v.Asks {
		v.Around = note.Around
	}
	for action, needs := range map[Action]access.Action{Bring: access.BringPages, Keep: access.KeepCopy} {
		if s.gate.May(who, c, needs, "") == nil && (action != Bring || err == nil && c.Attempts == 0) {
			v.May = append(v.May, action)
		}
	}
	slices.Sort(v.May)
	return v
}

// openShared returns the view of a copy that is one for all.
func (s *Screens) openShared(ctx context.Context, who school.Person, c school.CopyInCourse) (Screen, error) {
	if err := s.gate.May(who, c, access.ShareCopy, ""); err != nil {
		return Screen{}, err
	}
	v, _, err := s.base(ctx, who, c)
	if err != nil {
		return v, err
	}
	v.Student = "everybody"
	v.ForStudent = s.forStudent(who, c, nil)
	v.Runs = !c.Role.Learns()
	if !v.Closed {
		v.Edit, v.Say = submission.Work, submission.Work
	}
	v.direct()
	return v, s.showLive(ctx, &v, c.ID, who, submission.Work)
}

// toRead returns the view of a copy that is written on for oneself alone, and notes
// that it was opened.
func (s *Screens) toRead(ctx context.Context, v Screen, c school.CopyInCourse, who school.Person) (Screen, error) {
	v.Attempt = 1
	v.direct()
	v.Edit = submission.Own
	if err := s.showLive(ctx, &v, c.ID, who, submission.Own); err != nil || c.StartedAt != nil {
		return v, err
	}
	return v, s.begun(ctx, c.ID)
}

// begun notes that a copy was opened.
func (s *Screens) begun(ctx context.Context, id uint64) error {
	return s.store.InCopy(ctx, id, func(tx school.CopyTx) error {
		locked, err := tx.Copy()
		if err != nil {
			return err
		}
		now := s.now()
		locked.StartedAt = &now
		return tx.SetCopy(locked)
	})
}

// Open returns the student's own view of a copy. Opening one whose feedback
// was returned notes that the student has seen it.
func (s *Screens) Open(ctx context.Context, who school.Person, id uint64) (Screen, error) {
	c, err := s.gate.Copy(ctx, who, id, access.SeeReturned, "")
	if err != nil {
		return Screen{}, err
	}
	if c.StudentID == 0 {
		return s.openShared(ctx, who, c)
	}
	if err := s.gate.May(who, c, access.ReadCopy, ""); err != nil {
		return Screen{}, err
	}
	v, attempts, err := s.base(ctx, who, c)
	if err != nil {
		return v, err
	}
	v.ForStudent = s.forStudent(who, c, attempts)
	if c.Assignment.Mode == flow.ToRead {
		return s.toRead(ctx, v, c, who)
	}
	if c.Assignment.Mode == flow.ToKeep && c.StartedAt == nil {
		if err := s.begun(ctx, c.ID); err != nil { // opened, it is no longer to do
			return v, err
		}
	}
	v.Attempt = c.Attempts
	if c.State != flow.Submitted && c.State != flow.Returned {
		v.Attempt++
	}
	var latest, returned *school.Attempt
	for i := range attempts {
		latest = &attempts[i]
		if attempts[i].ReturnedAt != nil {
			returned = &attempts[i]
		}
	}
	layers := []submission.Layer{submission.Own, submission.Replies}
	switch c.State {
	case flow.Submitted, flow.Returned:
		err = s.showAttempt(ctx, &v, latest, who.Name, true)
	default:
		v.direct()
		layers = append(layers, submission.Work)
		if !v.Closed {
			v.Edit = submission.Work
		}
	}
	if err == nil {
		err = s.showLive(ctx, &v, c.ID, who, layers...)
	}
	if v.Said > 0 || v.Asks {
		v.Say = submission.Replies
	}
	// What was said about an attempt before is shown with that one; while it is
	// reworked, with the work that comes of it.
	if err != nil || returned == nil || c.State == flow.Submitted {
		return v, err
	}
	v.Say = submission.Replies
	if err := s.showReturned(ctx, &v, returned); err != nil {
		return v, err
	}
	return v, s.opened(ctx, c.ID, *returned)
}

// showFeedback adds what was returned with an attempt and what was said to it.
func (s *Screens) showFeedback(ctx context.Context, who school.Person, v *Screen, a *school.Attempt) error {
	v.Say = submission.Replies
	if err := s.showReturned(ctx, v, a); err != nil {
		return err
	}
	return s.showLive(ctx, v, v.Copy, who, submission.Replies)
}

// OpenAttempt returns the student's view of an attempt as it was submitted,
// with its feedback once that was returned; number 0 is what Open returns.
func (s *Screens) OpenAttempt(ctx context.Context, who school.Person, id uint64, number int) (Screen, error) {
	if number == 0 {
		return s.Open(ctx, who, id)
	}
	c, err := s.gate.Copy(ctx, who, id, access.ReadCopy, "")
	if err != nil {
		return Screen{}, err
	}
	v, attempts, err := s.base(ctx, who, c)
	if err != nil {
		return v, err
	}
	if number < 1 || number > len(attempts) || !c.Role.Learns() {
		return v, access.ErrHidden
	}
	a := &attempts[number-1]
	v.ForStudent = s.forStudent(who, c, attempts)
	v.Attempt, v.Past = number, number < c.Attempts || c.State == flow.Reworking
	if v.Past {
		v.May = slices.DeleteFunc(v.May, func(a Action) bool { return a != TakeAway })
	}
	if err := s.showAttempt(ctx, &v, a, who.Name, true); err != nil || a.ReturnedAt == nil {
		return v, err
	}
	if err := s.showFeedback(ctx, who, &v, a); err != nil {
		return v, err
	}
	return v, s.opened(ctx, id, *a)
}
