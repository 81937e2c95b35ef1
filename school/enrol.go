package school

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"readymargin/core/access"
)

// oneLine brings what is a name or a title into order: white space of any kind
// becomes single spaces. It is not ok with more than so many letters, with
// signs that are none, or with letters that turn the direction of what follows.
func oneLine(s string, most int) (line string, ok bool) {
	line = strings.Join(strings.Fields(s), " ")
	for _, r := range line {
		if r == utf8.RuneError || unicode.IsControl(r) || unicode.Is(unicode.Bidi_Control, r) {
			return line, false
		}
	}
	return line, utf8.ValidString(line) && utf8.RuneCountInString(line) <= most
}

func shorten(s string, n int) string {
	r := []rune(s)
	return string(r[:min(len(r), n)])
}

// AddPerson makes an account under the first free form of the name.
func (s *School) AddPerson(ctx context.Context, name, password string, admin, staff bool) (Person, error) {
	name, ok := oneLine(name, 100)
	if !ok || name == "" {
		return Person{}, problem("name", "name", name)
	}
	if err := CheckPassword(password); err != nil {
		return Person{}, err
	}
	hash, err := s.hash(ctx, password)
	if err != nil {
		return Person{}, err
	}
	p := Person{Name: name, Login: loginName(name), PasswordHash: hash, Admin: admin, Staff: staff, Settings: "{}", CreatedAt: s.Now()}
	err = s.Store.AddPerson(ctx, &p)
	if errors.Is(err, ErrTaken) {
		return Person{}, problem("name", "name", name)
	}
	return p, err
}

// loginName makes what one signs in with of a name: lower case, words joined
// by points, only letters, digits and hyphens.
func loginName(name string) string {
	var words []string
	for _, w := range strings.Fields(strings.ToLower(name)) {
		w = strings.Map(func(r rune) rune {
			if unicode.IsLetter(r) || unicode.IsDigit(r) || unicode.IsMark(r) || r == '-' {
				return r
			}
			return -1
		}, w)
		if w != "" {
			words = append(words, w)
		}
	}
	if len(words) == 0 {
		return "person"
	}
	return shorten(strings.Join(words, "."), 60)
}

// alphabet has no letters that are taken for one another, in print or by ear.
const alphabet = "ACDEFHJKLMNPQRTUVWXY3479"

func code(n int) string {
	b := make([]byte, n)
	rand.Read(b)
	for i := range b {
		b[i] = alphabet[int(b[i])%len(alphabet)] // 24 letters of 256: the bias is under one part in ten
	}
	return string(b)
}

// plainCode brings what somebody typed into the form of code.
func plainCode(s string) string {
	return strings.Map(func(r rune) rune {
		if strings.ContainsRune(alphabet, r) {
			return r
		}
		return -1
	}, strings.ToUpper(s))
}

func tokenHash(token string) string { return hashOfToken(plainCode(token)) }

func hashOfToken(token string) string {
	sum := sha256.Sum256([]byte(token))
	return hex.EncodeToString(sum[:])
}

// addSlip makes a one-time token: for a new teacher, or for a person's next sign-in.
func (s *School) addSlip(ctx context.Context, person uint64, lasts time.Duration) (string, error) {
	token, slip := s.slip(person, lasts)
	return token, s.Store.AddSlip(ctx, slip)
}

func (s *School) slip(person uint64, lasts time.Duration) (token string, slip Slip) {
	token = code(16)
	return token, Slip{TokenHash: tokenHash(token), PersonID: person, ExpiresAt: s.Now().Add(lasts)}
}

// Lifetimes of one-time tokens.
const (
	InviteLasts = 14 * 24 * time.Hour
	SlipLasts   = 7 * 24 * time.Hour
)

// InviteTeacher returns a token with which a teacher makes an account.
func (s *School) InviteTeacher(ctx context.Context, who Person) (string, error) {
	if err := access.May(access.Person{SignedIn: who.ID != 0, Admin: who.Admin}, access.InviteTeacher, access.Thing{}); err != nil {
		return "", err
	}
	return s.addSlip(ctx, 0, InviteLasts)
}

// SlipOwner returns whose slip it is: a person, or the zero Person for an
// invitation; "slip used" when it is of no use any more.
func (s *School) SlipOwner(ctx context.Context, token string, from Device) (Person, error) {
	if err := s.guess(ctx, Person{}, from); err != nil {
		return Person{}, err
	}
	slip, err := s.Store.PeekSlip(ctx, tokenHash(token), s.Now())
	if errors.Is(err, ErrNotFound) {
		return Person{}, problem("slip used", "", "")
	}
	if err != nil {
		return Person{}, err
	}
	if err := s.guessed(ctx, Person{}, from); err != nil || slip.PersonID == 0 {
		return Person{}, err
	}
	return s.Store.Person(ctx, slip.PersonID)
}

// UseSlip signs its bearer in with a new password: an invited teacher under
// the name given, or the person it was made for.
func (s *School) UseSlip(ctx context.Context, token, name, password string, from Device) (Person, error) {
	if err := CheckPassword(password); err != nil {
		return Person{}, err
	}
	owner, err := s.SlipOwner(ctx, token, from)
	if err != nil {
		return Person{}, err
	}
	if owner.ID == 0 && strings.TrimSpace(name) == "" {
		return Person{}, problem("name", "name", name)
	}
	if _, err := s.Store.UseSlip(ctx, tokenHash(token), s.Now()); err != nil {
		return Person{}, problem("slip used", "", "")
	}
	if owner.ID == 0 {
		return s.AddPerson(ctx, name, password, false, true)
	}
	hash, err := s.hash(ctx, password)
	if err != nil {
		return Person{}, err
	}
	return owner, s.Store.NewPassword(ctx, owner.ID, hash, "", s.Now())
}

// NewSlip makes a sign-in slip for a student of the teacher's course.
func (s *School) NewSlip(ctx context.Context, who Person, course, student uint64) (Person, string, error) {
	if _, _, err := s.course(ctx, who, course, access.RunCourse); err != nil {
		return Person{}, "", err
	}
	m, err := s.Store.Membership(ctx, course, student)
	if err != nil {
		return Person{}, "", err
	}
	p, err := s.Store.Person(ctx, student)
	if m.Role != access.Student || errors.Is(err, ErrNotFound) || p.Staff || p.Admin {
		return Person{}, "", access.ErrHidden // a teacher's account is not a teacher's to open
	}
	if err != nil {
		return Person{}, "", err
	}
	token, err := s.addSlip(ctx, student, SlipLasts)
	return p, token, err
}

// MakeCourse makes a course of which the person is the teacher.
func (s *School) MakeCourse(ctx context.Context, who Person, name, zone string) (Course, error) {
	if err := access.May(access.Person{SignedIn: who.ID != 0, Admin: who.Admin, Owner: who.Staff}, access.MakeCourse, access.Thing{}); err != nil {
		return Course{}, err
	}
	name, ok := oneLine(name, 100)
	if !ok || name == "" {
		return Course{}, problem("course name", "name", name)
	}
	if _, err := time.LoadLocation(zone); err != nil || zone == "" || zone == "Local" {
		return Course{}, problem("time zone", "zone", zone)
	}
	c := Course{Name: name, Zone: zone, JoinOpen: true, VoiceSeconds: 15 * 60, CreatedAt: s.Now()}
	for range 5 {
		c.JoinCode = code(6)
		if err := s.Store.AddCourse(ctx, &c, who.ID); !errors.Is(err, ErrTaken) {
			return c, err
		}
	}
	return c, ErrTaken
}

// changeCourse changes a course of the teacher's. Two who change it in the same
// moment come one after the other, and neither change is lost.
func (s *School) changeCourse(ctx context.Context, who Person, id uint64, change func(*Course) error) (Course, error) {
	if c, err := s.Runs(ctx, who, id); err != nil {
		return c, err
	}
	return s.Store.ChangeCourse(ctx, id, change)
}

// RenewCode gives the course another join code; the old one no longer works.
func (s *School) RenewCode(ctx context.Context, who Person, course uint64) (Course, error) {
	return s.changeCourse(ctx, who, course, func(c *Course) error { c.JoinCode, c.JoinOpen = code(6), true; return nil })
}

// OpenCode opens or closes joining.
func (s *School) OpenCode(ctx context.Context, who Person, course uint64, open bool) (Course, error) {
	return s.changeCourse(ctx, who, course, func(c *Course) error { c.JoinOpen = open; return nil })
}

// SetVoice sets the longest voice note of a course, 1 to 15 minutes.
func (s *School) SetVoice(ctx context.Context, who Person, course uint64, minutes int) (Course, error) {
	return s.changeCourse(ctx, who, course, func(c *Course) error {
		if minutes < 1 || minutes > 15 {
			return problem("voice minutes", "minutes", "")
		}
		c.VoiceSeconds = 60 * minutes
		return nil
	})
}

// guess takes a try at a code or a slip, which is given back when it is right.
// A class of thirty behind one address may mistype a few.
func (s *School) guess(ctx context.Context, who Person, from Device) error {
	if err := s.try(ctx, guesser(who, from), paceCode); err != nil {
		return err
	}
	return s.slowDown(ctx, "codes", paceCodes)
}

func (s *School) guessed(ctx context.Context, who Person, from Device) error {
	return errors.Join(s.Store.GiveBack(ctx, guesser(who, from), paceCode), s.Store.GiveBack(ctx, "codes", paceCodes))
}

func guesser(who Person, from Device) string {
	if who.ID != 0 {
		return fmt.Sprint("codes of ", who.ID)
	}
	return "codes from " + from.Address
}

// CourseByCode returns the course that a join code opens, or the Problems
// "join code", "join closed" and "too many tries".
func (s *School) CourseByCode(ctx context.Context, who Person, typed string, from Device) (Course, error) {
	if err := s.guess(ctx, who, from); err != nil {
		return Course{}, err
	}
	c, err := s.Store.CourseByCode(ctx, plainCode(typed))
	switch {
	case errors.Is(err, ErrNotFound):
		return c, problem("join code", "code", typed)
	case err != nil:
		return c, err
	case !c.JoinOpen:
		return c, problem("join closed", "code", typed)
	}
	return c, s.guessed(ctx, who, from)
}

// SignUp makes a student's account and lets it into the course of the code.
func (s *School) SignUp(ctx context.Context, typedCode, name, password string, from Device) (Person, Course, error) {
	c, err := s.CourseByCode(ctx, Person{}, typedCode, from)
	if err != nil {
		return Person{}, c, err
	}
	for subject, p := range map[string]Pace{"newcomers from " + from.Address: paceNewcomer, fmt.Sprint("newcomers in ", c.ID): paceCourse} {
		if err := s.try(ctx, subject, p); err != nil {
			return Person{}, c, err
		}
	}
	p, err := s.AddPerson(ctx, name, password, false, false)
	if err != nil {
		return p, c, err
	}
	return p, c, s.Store.SetMembership(ctx, Membership{CourseID: c.ID, PersonID: p.ID, Role: c.newcomer(), JoinedAt: s.Now()})
}

// newcomer returns what somebody who joins the course is at first.
func (c Course) newcomer() access.Role {
	if c.Vet {
		return access.Waiting
	}
	return access.Student
}

// Join lets a person who has an account into the course of the code, or back
// in: what somebody did before leaving is still there. Who was refused stays
// out; a teacher of the course stays a teacher.
func (s *School) Join(ctx context.Context, who Person, typedCode string, from Device) (Course, error) {
	if who.ID == 0 {
		return Course{}, access.ErrSignIn
	}
	c, err := s.CourseByCode(ctx, who, typedCode, from)
	if err != nil {
		return c, err
	}
	m, err := s.Store.Membership(ctx, c.ID, who.ID)
	switch {
	case err != nil:
		return c, err
	case m.Role == access.None && !m.JoinedAt.IsZero():
		return c, problem("join refused", "code", typedCode)
	case m.Role != access.None && m.Role != access.Left:
		return c, nil
	}
	m.Role, m.Seen, m.JoinedAt = c.newcomer(), false, s.Now()
	return c, s.Store.SetMembership(ctx, m)
}

// CoursesOf returns the courses of a person.
func (s *School) CoursesOf(ctx context.Context, who Person) ([]CourseRole, error) {
	return s.Store.CoursesOf(ctx, who.ID)
}
