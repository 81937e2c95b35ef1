// Package notices tells people by mail that something is there for them, if they want
// that: never what it says. Somebody gives an address, which is theirs once they have
// confirmed it, and chooses what is sent; what comes close together goes in one letter.
package notices

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"net/mail"
	"slices"
	"strings"
	"time"

	"readymargin/school"
	"readymargin/school/jobs"
)

// A Letter is what is sent to one person.
type Letter struct {
	To      string
	Subject string
	Text    string
	Leave   string // where a post of one press ends all of it (RFC 8058), "" for a letter that was asked for
}

// A Mailer sends letters; mail.Sender is one.
type Mailer interface {
	Send(ctx context.Context, l Letter) error
}

// Notices are what people are told by mail.
type Notices struct {
	// Origin is where people find the site. It is set before letters are sent.
	Origin string

	store  Store
	mailer Mailer
	now    school.Clock
	wake   func(at time.Time)
}

// New returns what tells people by mail; without a mailer nobody gives an address.
func New(store Store, mailer Mailer, now school.Clock, wake func(at time.Time)) *Notices {
	return &Notices{store: store, mailer: mailer, now: now, wake: wake}
}

// A Store keeps addresses, and what people are to be told.
type Store interface {
	// Mailbox returns somebody's, and whether they may have one: who teaches does,
	// and who learns in a course that lets them.
	Mailbox(ctx context.Context, person uint64) (m school.Mailbox, may bool, err error)
	PutMailbox(ctx context.Context, m school.Mailbox) error
	DropMailbox(ctx context.Context, person uint64) error
	// MailboxByToken returns the one that a token confirms, and MailboxByKey the one
	// that a key leaves.
	MailboxByToken(ctx context.Context, tokenHash string) (school.Mailbox, error)
	MailboxByKey(ctx context.Context, key string) (school.Mailbox, error)
	// Notices returns what somebody is to be told, the oldest first; what has become of
	// no use says so: feedback that they have opened by now, or that was withdrawn.
	Notices(ctx context.Context, person uint64) ([]school.Notice, error)
	DropNotices(ctx context.Context, person uint64, upTo uint64) error
	Person(ctx context.Context, id uint64) (school.Person, error)
	AddJob(ctx context.Context, kind school.JobKind, ref uint64, due time.Time) error
	Allow(ctx context.Context, subject string, p school.Pace, now time.Time) (wait time.Duration, err error)
}

// Times of letters.
const (
	// Most is how often letters go to one person that has them soon.
	Most = time.Hour
	// ConfirmLasts is how long an address can be confirmed.
	ConfirmLasts = 3 * 24 * time.Hour
	// away is after how long a mail server that is away is tried again.
	away = 5 * time.Minute
	// evening is the hour, by the clock of the course, at which the letter of the day goes.
	evening = 17
)

// asking is how often somebody may have a confirmation sent.
var asking = school.Pace{Burst: 3, Every: 20 * time.Minute}

// Open reports whether letters are sent at all.
func (s *Notices) Open() bool { return s.mailer != nil }

// Mine returns somebody's mailbox, and whether they may have one.
func (s *Notices) Mine(ctx context.Context, who school.Person) (school.Mailbox, bool, error) {
	m, may, err := s.store.Mailbox(ctx, who.ID)
	return m, may && s.mailer != nil && who.PracticeOf == 0, err
}

// Give takes an address, and has a letter sent there by which it is confirmed. The one
// that is confirmed already stays until then.
func (s *Notices) Give(ctx context.Context, who school.Person, address string) error {
	m, may, err := s.Mine(ctx, who)
	if err != nil {
		return err
	}
	if !may {
		return school.Refuse("no mail here", "address", address)
	}
	at, err := mail.ParseAddress(strings.TrimSpace(address))
	if err != nil || at.Name != "" || len(at.Address) > 254 || strings.ContainsAny(at.Address, "\r\n") || !strings.Contains(at.Address[strings.LastIndex(at.Address, "@")+1:], ".") {
		return school.Refuse("address", "address", address)
	}
	wait, err := s.store.Allow(ctx, fmt.Sprint("confirm ", who.ID), asking, s.now())
	if err != nil {
		return err
	}
	if wait > 0 {
		return school.Refuse("address often", "address", address)
	}
	if m.PersonID == 0 {
		m = school.Mailbox{PersonID: who.ID, LeaveKey: rand.Text(), Choices: slices.Clone(school.NoticeKinds)}
	}
	m.Wanted, m.TokenHash, m.TokenUntil = at.Address, "", nil
	if err := s.store.PutMailbox(ctx, m); err != nil {
		return err
	}
	now := s.now()
	err = s.store.AddJob(ctx, school.JobConfirm, who.ID, now)
	s.wake(now)
	return err
}

// SendConfirmation sends the letter by which an address is confirmed: a job.
func (s *Notices) SendConfirmation(ctx context.Context, person uint64) error {
	m, may, err := s.store.Mailbox(ctx, person)
	if err != nil || m.Wanted == "" || !may {
		return err
	}
	p, err := s.store.Person(ctx, person)
	if err != nil {
		return err
	}
	token, until := rand.Text(), s.now().Add(ConfirmLasts)
	m.TokenHash, m.TokenUntil = school.TokenHash(token), &until
	if err := s.store.PutMailbox(ctx, m); err != nil {
		return err
	}
	return s.send(ctx, Letter{To: m.Wanted, Subject: "Is this your address?", Text: fmt.Sprintf(`Hello,

somebody who signs in to Ready Margin as %s wants its mail to come to this address. If that is you, open this page and press the button there:

%s/mail/confirm#%s

The page is there for three days. If it is not you, do nothing: no further mail comes.
`, p.Login, s.Origin, token)})
}

// send sends a letter. A mail server that is away is tried again, for as long as it takes.
func (s *Notices) send(ctx context.Context, l Letter) error {
	if s.mailer == nil {
		return &jobs.Later{At: s.now().Add(Most), Why: errors.New("notices: no mail server is set")}
	}
	if err := s.mailer.Send(ctx, l); err != nil {
		return &jobs.Later{At: s.now().Add(away), Why: err}
	}
	return nil
}

// Confirm makes the address of a letter its owner's.
func (s *Notices) Confirm(ctx context.Context, token string) error {
	m, err := s.store.MailboxByToken(ctx, school.TokenHash(strings.TrimSpace(token)))
	if errors.Is(err, school.ErrNotFound) || err == nil && (m.TokenUntil == nil || s.now().After(*m.TokenUntil)) {
		return school.Refuse("confirm over", "", "")
	}
	if err != nil {
		return err
	}
	m.Address, m.Wanted, m.TokenHash, m.TokenUntil = m.Wanted, "", "", nil
	return s.store.PutMailbox(ctx, m)
}

// Choose sets what is sent to somebody, and whether in one letter a day.
func (s *Notices) Choose(ctx context.Context, who school.Person, choices []school.NoticeKind, daily bool) error {
	m, _, err := s.Mine(ctx, who)
	if err != nil || m.PersonID == 0 {
		return err
	}
	m.Choices, m.Daily = []school.NoticeKind{}, daily
	for _, k := range school.NoticeKinds {
		if slices.Contains(choices, k) {
			m.Choices = append(m.Choices, k)
		}
	}
	return s.store.PutMailbox(ctx, m)
}

// Forget forgets somebody's address.
func (s *Notices) Forget(ctx context.Context, who school.Person) error {
	return s.store.DropMailbox(ctx, who.ID)
}

// Leave ends all mail to whoever has a key, without signing in (RFC 8058). A key that
// there is not is taken as well: what is asked for is so.
func (s *Notices) Leave(ctx context.Context, key string) error {
	m, err := s.store.MailboxByKey(ctx, key)
	if errors.Is(err, school.ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	m.Choices = []school.NoticeKind{}
	return s.store.PutMailbox(ctx, m)
}

// Send sends somebody what they are to be told by now, in one letter: a job. It goes
// later where a letter has gone a moment ago, or where one a day is wanted.
func (s *Notices) Send(ctx context.Context, person uint64) error {
	m, may, err := s.store.Mailbox(ctx, person)
	if err != nil {
		return err
	}
	all, err := s.store.Notices(ctx, person)
	if err != nil {
		return err
	}
	last := uint64(0)
	for _, n := range all {
		last = max(last, n.ID)
	}
	all = slices.DeleteFunc(all, func(n school.Notice) bool { return n.Over || !slices.Contains(m.Choices, n.Kind) })
	if !may || m.Address == "" || len(all) == 0 {
		return s.store.DropNotices(ctx, person, last)
	}
	now := s.now()
	for _, n := range all {
		if n.DueAt.After(now) { // what was planned later, such as a return that came again
			return &jobs.Later{At: n.DueAt}
		}
	}
	if at := goes(m, all[0], now); at.After(now) {
		return &jobs.Later{At: at}
	}
	p, err := s.store.Person(ctx, person)
	if err != nil {
		return err
	}
	if err := s.send(ctx, s.letter(p, m, all)); err != nil {
		return err
	}
	// Should this end here, the letter goes twice rather than never.
	m.MailedAt = &now
	return errors.Join(s.store.DropNotices(ctx, person, last), s.store.PutMailbox(ctx, m))
}

// goes says when a letter with something goes.
func goes(m school.Mailbox, oldest school.Notice, now time.Time) time.Time {
	at := now
	if m.Daily {
		zone, err := time.LoadLocation(oldest.Zone)
		if err != nil {
			zone = time.UTC
		}
		due := oldest.DueAt.In(zone)
		at = time.Date(due.Year(), due.Month(), due.Day(), evening, 0, 0, 0, zone)
		if at.Before(due) {
			at = at.AddDate(0, 0, 1)
		}
	}
	if m.MailedAt != nil && m.MailedAt.Add(Most).After(at) {
		at = m.MailedAt.Add(Most)
	}
	return at.UTC()
}

// letter writes what there is for somebody, and not what it says.
func (s *Notices) letter(p school.Person, m school.Mailbox, all []school.Notice) Letter {
	var b strings.Builder
	fmt.Fprintf(&b, "Hello %s,\n\nin Ready Margin there is something for you:\n\n", p.Name)
	for _, n := range all {
		fmt.Fprintf(&b, "- %s\n  %s%s\n", line(n), s.Origin, path(n))
	}
	fmt.Fprintf(&b, "\nWhat it says stands there, and not in this letter.\n\nWhat is sent you choose under %s/account#mail\nNo mail any more: %s\n", s.Origin, s.leave(m))
	subject := line(all[0])
	if len(all) > 1 {
		subject = fmt.Sprintf("%d new things in Ready Margin", len(all))
	}
	return Letter{To: m.Address, Subject: subject, Text: b.String(), Leave: s.leave(m)}
}

func (s *Notices) leave(m school.Mailbox) string { return s.Origin + "/mail/leave/" + m.LeaveKey }

// line says what there is.
func line(n school.Notice) string {
	where := n.Course
	if n.Title != "" {
		where = n.Title + ", " + n.Course
	}
	switch n.Kind {
	case school.NoticeReturned:
		return where + ": feedback has come back"
	case school.NoticeAnswered:
		return where + ": your question has an answer"
	case school.NoticeAsked:
		return where + ": a question waits for you"
	}
	return where + ": a line to the class"
}

// path leads there.
func path(n school.Notice) string {
	switch n.Kind {
	case school.NoticeReturned, school.NoticeAnswered:
		return fmt.Sprintf("/copies/%d", n.CopyID)
	}
	return "/"
}
