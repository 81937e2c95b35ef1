// Package services wires the use cases of all steps over one store.
package services

import (
	"context"
	words "readymargin/core/lookup"
	"readymargin/core/optical"
	"time"

	"readymargin/core/speech"
	"readymargin/school"
	"readymargin/school/administer"
	"readymargin/school/aloud"
	"readymargin/school/assign"
	"readymargin/school/classline"
	"readymargin/school/dictate"
	"readymargin/school/enrol"
	"readymargin/school/feedback"
	"readymargin/school/intake"
	"readymargin/school/jobs"
	"readymargin/school/live"
	"readymargin/school/lookup"
	"readymargin/school/markbook"
	"readymargin/school/notices"
	"readymargin/school/screen"
	"readymargin/school/shelf"
	"readymargin/school/takeaway"
	"readymargin/school/work"
)

// All use cases, a field each.
type All struct {
	Accounts    *enrol.Accounts
	Courses     *enrol.Courses
	Roster      *enrol.Roster
	Lists       *enrol.Lists
	Intake      *intake.Intake
	Shelf       *shelf.Shelf
	Publishing  *shelf.Publishing
	Revisions   *shelf.Revisions
	Rubrics     *shelf.Rubrics
	Screens     *screen.Screens
	Assignments *assign.Assignments
	Agenda      *assign.Agenda
	ClassLines  *classline.Lines
	Saving      *work.Saving
	Submitting  *work.Submitting
	Attachments *work.Attachments
	Drafts      *work.Drafts
	States      *work.States
	Elsewhere   *work.Elsewhere
	Keeping     *work.Keeping
	Queue       *feedback.Queue
	Hearings    *work.Hearings
	Listening   *feedback.Listening
	Ready       *feedback.Ready
	Books       *markbook.Books
	Marking     *feedback.Marking
	Exports     *takeaway.Exports
	Office      *administer.Office
	Aloud       *aloud.Aloud
	Lookup      *lookup.Lookup
	Dictation   *dictate.Dictation
	Live        *live.Live
	Notices     *notices.Notices
	Mails       *jobs.Runner
	Jobs        *jobs.Runner
	Transcripts *jobs.Runner // what is said in recordings
	Scans       *jobs.Runner // words that are read in pictures, for which nothing else waits
	Returns     *jobs.Runner // those that are planned, which wait behind nothing that is long
	Now         school.Clock
}

// A Store keeps all records: what every use case asks of one, together.
// Everything written is durable when a method returns.
type Store interface {
	school.GateStore
	enrol.AccountStore
	enrol.CourseStore
	enrol.RosterStore
	enrol.ListStore
	intake.IntakeStore
	shelf.ShelfStore
	shelf.PublishingStore
	shelf.RevisionStore
	shelf.RubricStore
	screen.ScreenStore
	assign.AssignmentStore
	assign.AgendaStore
	work.SavingStore
	work.SubmittingStore
	work.AttachmentStore
	work.HearingStore
	work.DraftStore
	work.StateStore
	work.ElsewhereStore
	work.KeepingStore
	feedback.QueueStore
	feedback.MarkingStore
	feedback.ReadyStore
	markbook.Store
	takeaway.ExportStore
	live.Store
	jobs.Store
	administer.Store
	classline.Store
	lookup.Store
	dictate.Store
	notices.Store
	Sweep(ctx context.Context, before time.Time) (gone int, err error)
}

// An Engine reads and writes PDF files; pdf.Pool is one.
type Engine interface {
	intake.Engine
	shelf.Assembler
	shelf.Reader
	shelf.Painter
	work.Comparer
	takeaway.Printer
}

// A Transcoder takes sounds in, and turns them into what leaves the house.
type Transcoder interface {
	intake.Transcoder
	takeaway.Sounds
}

// Programs are the other programs that strangers' files are read by.
type Programs struct {
	Transcoder Transcoder        // sound.Ffmpeg is one
	Recogniser speech.Recogniser // recogniser.Client is one; nil for none
	Letters    optical.Reader    // tesseract.Reader is one; nil for none
	Mailer     notices.Mailer    // mail.Sender is one; nil for none
	Office     intake.Office     // office.LibreOffice is one
	Photos     intake.Photos     // photo.Heif is one
	Voice      aloud.Voice       // voice.Shelf is one; nil for none
	Dictionary words.Dictionary  // dictionary.WordNet is one; nil for none
}

// New wires all use cases over one store. Their clock is the machine's, unless
// Now is set to another.
func New(store Store, engine Engine, p Programs) *All {
	s := &All{Now: func() time.Time { return time.Now().UTC().Truncate(time.Microsecond) }}
	now := func() time.Time { return s.Now() }
	gate := school.NewGate(store, now)

	s.Accounts = enrol.NewAccounts(store, gate, now)
	s.Courses = enrol.NewCourses(store, gate, s.Accounts, now)
	s.Roster = enrol.NewRoster(store, gate, s.Courses, now)
	s.Lists = enrol.NewLists(store, s.Accounts, s.Courses, s.Roster, now)

	s.Intake = intake.New(store, engine, p.Transcoder, p.Office, p.Photos)
	s.Revisions = shelf.NewRevisions(store, engine, gate)
	s.Shelf = shelf.NewShelf(store, engine, gate, s.Intake, s.Revisions, p.Letters, now, func() {
		s.Jobs.Wake()
		s.Scans.Wake()
	})
	s.Rubrics = shelf.NewRubrics(store, now)
	s.Publishing = shelf.NewPublishing(store, engine, gate, s.Shelf, now)

	s.Assignments = assign.NewAssignments(store, gate, s.Publishing, now)
	s.Agenda = assign.NewAgenda(store, gate, s.Revisions)

	s.ClassLines = classline.New(store, gate, s.Intake, now)

	s.Live = live.New(store, gate, now)
	s.Screens = screen.New(store, gate, s.Shelf, s.Publishing, s.Revisions, p.Recogniser != nil, now)
	s.Saving = work.NewSaving(store, gate, s.Live, now)
	s.Submitting = work.NewSubmitting(store, gate, s.Revisions, s.Live, now)
	s.Attachments = work.NewAttachments(store, gate, s.Intake)
	s.Hearings = work.NewHearings(store, gate, s.Revisions, now)
	s.Drafts = work.NewDrafts(store, gate, s.Assignments, now)
	s.States = work.NewStates(store, gate, now)
	s.Keeping = work.NewKeeping(store, gate, s.Shelf, s.Publishing, s.Live, now)
	s.Elsewhere = work.NewElsewhere(store, engine, gate, s.Intake, s.Revisions, s.Attachments, s.Saving, now)

	s.Queue = feedback.NewQueue(store, s.Roster, s.Agenda)
	s.Marking = feedback.NewMarking(store, gate, s.Queue, s.Revisions, s.Live, now, func(at time.Time) { s.Returns.WakeAt(at) })
	s.Listening = feedback.NewListening(store, gate, now)
	s.Ready = feedback.NewReady(store, gate, now)
	s.Books = markbook.New(store, gate, s.Revisions, s.Marking)
	s.Exports = takeaway.New(store, engine, p.Transcoder, gate, s.Revisions, s.Screens, s.Attachments, s.Books)

	s.Office = administer.New(store, now)
	s.Aloud = aloud.New(p.Voice)
	s.Dictation = dictate.New(store, gate, s.Revisions, s.Attachments, p.Recogniser, now, func() { s.Transcripts.Wake() })
	s.Lookup = lookup.New(store, gate, s.Revisions, p.Dictionary, now)

	s.Jobs = jobs.New(store, now, map[school.JobKind]jobs.Handler{
		school.JobRead:     s.Shelf.ReadBehind,
		school.JobAssemble: s.Publishing.AssembleAnew,
		school.JobAnswers:  s.Submitting.LayDown,
		school.JobSweep: func(ctx context.Context, _ uint64) error {
			_, err := store.Sweep(ctx, now().Add(-sweepAfter))
			return err
		},
	})
	s.Scans = jobs.New(store, now, map[school.JobKind]jobs.Handler{school.JobScans: s.Shelf.ReadScans})
	s.Transcripts = jobs.New(store, now, map[school.JobKind]jobs.Handler{school.JobTranscribe: s.Dictation.Transcribe})
	s.Notices = notices.New(store, p.Mailer, now, func(at time.Time) { s.Mails.WakeAt(at) })
	s.Mails = jobs.New(store, now, map[school.JobKind]jobs.Handler{school.JobMail: s.Notices.Send, school.JobConfirm: s.Notices.SendConfirmation})
	s.Returns = jobs.New(store, now, map[school.JobKind]jobs.Handler{school.JobReturn: s.Marking.GiveBack})
	return s
}

// sweepAfter is how old a blob is before it may be swept: what is being stored
// now is not referred to yet.
const sweepAfter = 24 * time.Hour
