// Package enrol lets people in: accounts and signing in, courses and joining
// them, class lists and directories.
package enrol

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"readymargin/core/access"
	"readymargin/core/roster"
	"readymargin/queue"
	"readymargin/school"
)

// Accounts are who people are: names, passwords, one-time tokens, settings.
type Accounts struct {
	store   AccountStore
	gate    *school.Gate
	now     school.Clock
	hashing *queue.Queue // bounds the memory of password hashing, and who waits for it
}

// NewAccounts returns the accounts of a store.
func NewAccounts(store AccountStore, gate *school.Gate, now school.Clock) *Accounts {
	return &Accounts{store: store, gate: gate, now: now, hashing: queue.New(queue.Config{AtOnce: 2, Waiting: 600})}
}

// AddPerson makes an account under the first free form of the name.
func (s *Accounts) AddPerson(ctx context.Context, name, password string, admin, staff bool) (school.Person, error) {
	name, ok := school.OneLine(name, 100)
	if !ok || name == "" {
		return school.Person{}, school.Refuse("name", "name", name)
	}
	if err := CheckPassword(password); err != nil {
		return school.Person{}, err
	}
	hash, err := s.hash(ctx, password)
	if err != nil {
		return school.Person{}, err
	}
	p := school.Person{Name: name, Login: loginName(name), PasswordHash: hash, Admin: admin, Staff: staff, Settings: "{}", CreatedAt: s.now()}
	err = s.store.AddPerson(ctx, &p)
	if errors.Is(err, school.ErrTaken) {
		return school.Person{}, school.Refuse("name", "name", name)
	}
	return p, err
}

// loginName returns what somebody of a name signs in with.
func loginName(name string) string {
	return cmp.Or(school.Shorten(roster.Login(name), 60), "person")
}

// addToken makes a one-time token: for a new teacher, or for a person's next sign-in.
func (s *Accounts) addToken(ctx context.Context, person uint64, lasts time.Duration) (string, error) {
	token, slip := s.token(person, lasts)
	return token, s.store.AddSignInToken(ctx, slip)
}

func (s *Accounts) token(person uint64, lasts time.Duration) (token string, slip school.SignInToken) {
	token = school.NewCode(16)
	return token, school.SignInToken{TokenHash: school.CodeHash(token), PersonID: person, ExpiresAt: s.now().Add(lasts)}
}

// Lifetimes of one-time tokens.
const (
	InviteLasts = 14 * 24 * time.Hour
	TokenLasts  = 7 * 24 * time.Hour
	CardLasts   = 366 * 24 * time.Hour // a school year
)

// InviteTeacher returns a token with which a teacher makes an account.
func (s *Accounts) InviteTeacher(ctx context.Context, who school.Person) (string, error) {
	if err := access.May(access.Person{SignedIn: who.ID != 0, Admin: who.Admin}, access.InviteTeacher, access.Thing{}); err != nil {
		return "", err
	}
	return s.addToken(ctx, 0, InviteLasts)
}

// TokenOwner returns whose slip it is: a person, or the zero Person for an
// invitation, and whether it is a card; "slip used" when it is of no use any more.
func (s *Accounts) TokenOwner(ctx context.Context, token string, from Device) (p school.Person, card bool, err error) {
	if err := s.guess(ctx, school.Person{}, from); err != nil {
		return p, false, err
	}
	slip, err := s.store.PeekSignInToken(ctx, school.CodeHash(token), s.now())
	if errors.Is(err, school.ErrNotFound) {
		return p, false, school.Refuse("slip used", "", "")
	}
	if err != nil {
		return p, false, err
	}
	if err := s.guessed(ctx, school.Person{}, from); err != nil || slip.PersonID == 0 {
		return p, false, err
	}
	if p, err = s.store.Person(ctx, slip.PersonID); err == nil && p.ClosedAt != nil {
		err = school.Refuse("account closed", "", "")
	}
	return p, slip.Card, err
}

// UseToken signs its bearer in with a new password: an invited teacher under
// the name given, or the person it was made for.
func (s *Accounts) UseToken(ctx context.Context, token, name, password string, from Device) (school.Person, error) {
	if err := CheckPassword(password); err != nil {
		return school.Person{}, err
	}
	owner, card, err := s.TokenOwner(ctx, token, from)
	if card {
		return school.Person{}, school.Refuse("wrong form", "code", "")
	}
	if err != nil {
		return school.Person{}, err
	}
	if owner.ID == 0 && strings.TrimSpace(name) == "" {
		return school.Person{}, school.Refuse("name", "name", name)
	}
	if _, err := s.store.UseSignInToken(ctx, school.CodeHash(token), s.now()); err != nil {
		return school.Person{}, school.Refuse("slip used", "", "")
	}
	if owner.ID == 0 {
		return s.AddPerson(ctx, name, password, false, true)
	}
	hash, err := s.hash(ctx, password)
	if err != nil {
		return school.Person{}, err
	}
	return owner, s.store.NewPassword(ctx, owner.ID, hash, "", s.now())
}

// NewSignInToken makes a sign-in slip for a student of the teacher's course.
func (s *Accounts) NewSignInToken(ctx context.Context, who school.Person, course, student uint64) (school.Person, string, error) {
	p, err := s.pupil(ctx, who, course, student)
	if err != nil {
		return p, "", err
	}
	token, err := s.addToken(ctx, student, TokenLasts)
	return p, token, err
}

// SlipFor makes a sign-in slip for anybody, by an administrator.
func (s *Accounts) SlipFor(ctx context.Context, who school.Person, person uint64) (school.Person, string, error) {
	if err := access.May(access.Person{SignedIn: who.ID != 0, Admin: who.Admin}, access.RunSchool, access.Thing{}); err != nil {
		return school.Person{}, "", err
	}
	p, err := s.store.Person(ctx, person)
	if errors.Is(err, school.ErrNotFound) {
		return p, "", access.ErrHidden
	}
	if err != nil {
		return p, "", err
	}
	token, err := s.addToken(ctx, person, TokenLasts)
	return p, token, err
}

// NewCard makes a card that signs a student of the teacher's course in again and
// again, for those who are too young for a password. The one before ends.
func (s *Accounts) NewCard(ctx context.Context, who school.Person, course, student uint64) (school.Person, string, error) {
	p, err := s.pupil(ctx, who, course, student)
	if err != nil {
		return p, "", err
	}
	token, card := s.token(student, CardLasts)
	card.Card = true
	return p, token, s.store.NewCard(ctx, student, &card)
}

// EndCard ends the card of a student of the teacher's course.
func (s *Accounts) EndCard(ctx context.Context, who school.Person, course, student uint64) error {
	if _, err := s.pupil(ctx, who, course, student); err != nil {
		return err
	}
	return s.store.NewCard(ctx, student, nil)
}

// pupil returns a student of the teacher's course whose account is the teacher's to
// open: never another teacher's.
func (s *Accounts) pupil(ctx context.Context, who school.Person, course, student uint64) (school.Person, error) {
	if _, _, err := s.gate.Course(ctx, who, course, access.RunCourse); err != nil {
		return school.Person{}, err
	}
	m, err := s.store.Membership(ctx, course, student)
	if err != nil {
		return school.Person{}, err
	}
	p, err := s.store.Person(ctx, student)
	if m.Role != access.Student || errors.Is(err, school.ErrNotFound) || p.Staff || p.Admin {
		return school.Person{}, access.ErrHidden
	}
	return p, err
}

// PracticeStudent returns the teacher's practice student, who is in the course from
// then on, and counts nowhere in it.
func (s *Accounts) PracticeStudent(ctx context.Context, who school.Person, course uint64) (school.Person, error) {
	if _, _, err := s.gate.Course(ctx, who, course, access.RunCourse); err != nil {
		return school.Person{}, err
	}
	p := school.Person{Name: "Practice Student", Login: fmt.Sprint("practice.", who.ID), Settings: "{}", PracticeOf: who.ID, CreatedAt: s.now()}
	if err := s.store.PracticeStudent(ctx, &p); err != nil {
		return p, err
	}
	return p, s.store.SetMembership(ctx, school.Membership{CourseID: course, PersonID: p.ID, Role: access.Practice, Section: access.Anywhere, Seen: true, JoinedAt: p.CreatedAt})
}

// Rename puts right what a student of the teacher's course is called. The sign-in
// name stays, which they know.
func (s *Accounts) Rename(ctx context.Context, who school.Person, course, student uint64, given, family string) error {
	if _, err := s.pupil(ctx, who, course, student); err != nil {
		return err
	}
	return s.rename(ctx, student, given, family)
}

// RenameOwn puts right what somebody who has a teacher's account is called. A
// student's name is put right by the teacher.
func (s *Accounts) RenameOwn(ctx context.Context, who school.Person, given, family string) error {
	switch {
	case who.ID == 0:
		return access.ErrSignIn
	case !who.Staff && !who.Admin:
		return access.ErrDenied
	}
	return s.rename(ctx, who.ID, given, family)
}

func (s *Accounts) rename(ctx context.Context, person uint64, given, family string) error {
	name, err := school.Called(given, family)
	if err != nil {
		return err
	}
	return s.store.SetName(ctx, person, name)
}

// guess takes a try at a code or a slip, which is given back when it is right.
// A class of thirty behind one address may mistype a few.
func (s *Accounts) guess(ctx context.Context, who school.Person, from Device) error {
	if err := s.try(ctx, guesser(who, from), paceCode); err != nil {
		return err
	}
	return s.slowDown(ctx, "codes", paceCodes)
}

func (s *Accounts) guessed(ctx context.Context, who school.Person, from Device) error {
	return errors.Join(s.store.GiveBack(ctx, guesser(who, from), paceCode), s.store.GiveBack(ctx, "codes", paceCodes))
}

func guesser(who school.Person, from Device) string {
	if who.ID != 0 {
		return fmt.Sprint("codes of ", who.ID)
	}
	return "codes from " + from.Address
}

// SaveSettings keeps how a person set the instruments and the view.
func (s *Accounts) SaveSettings(ctx context.Context, who school.Person, settings string) error {
	if who.ID == 0 {
		return access.ErrSignIn
	}
	var object map[string]any
	if len(settings) > 8000 || json.Unmarshal([]byte(settings), &object) != nil || object == nil {
		return school.Refuse("settings", "", "")
	}
	return s.store.SetSettings(ctx, who.ID, settings)
}
