package enrol

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"math"
	"strings"
	"time"

	"readymargin/core/access"
	"readymargin/queue"
	"readymargin/school"
)

// How often signing in and joining may be tried. A whole school may stand
// behind one address, so an address alone is only slowed down; an account is
// counted for each address by itself, so that nobody is locked out by others
// elsewhere; and a browser in which somebody has signed in before is counted
// for itself, so that nobody in the same room can lock them out either.
var (
	paceHere     = school.Pace{Burst: 6, Every: 20 * time.Second}  // one account from one address
	paceAccount  = school.Pace{Burst: 60, Every: 10 * time.Second} // one account from all addresses
	paceDevice   = school.Pace{Burst: 15, Every: 20 * time.Second} // one account on a browser that it knows
	paceAddress  = school.Pace{Burst: 150, Every: time.Second / 2} // one address
	paceCode     = school.Pace{Burst: 40, Every: 2 * time.Second}  // wrong join codes and slips of one address or person
	paceCodes    = school.Pace{Burst: 400, Every: time.Second / 2} // those of everybody
	paceNewcomer = school.Pace{Burst: 60, Every: 2 * time.Second}  // new accounts from one address
	paceCourse   = school.Pace{Burst: 150, Every: 2 * time.Second} // new accounts in one course
)

// slow is how long somebody waits who is too quick and not refused.
const slow = 2 * time.Second

// A Device is what a browser shows of itself when somebody signs in.
type Device struct {
	Address string
	Token   string // from NewDevice, "" for none
	Label   string // what it calls itself, in words
}

// try takes one try of a subject, or is the Problem "too many tries" with how
// many seconds to wait.
func (s *Accounts) try(ctx context.Context, subject string, p school.Pace) error {
	wait, err := s.store.Allow(ctx, subject, p, s.now())
	if err == nil && wait > 0 {
		err = school.Refuse("too many tries", "", fmt.Sprint(math.Ceil(wait.Seconds())))
	}
	return err
}

// slowDown takes one try of a subject, and waits a little when there is none.
func (s *Accounts) slowDown(ctx context.Context, subject string, p school.Pace) error {
	wait, err := s.store.Allow(ctx, subject, p, s.now())
	if err != nil || wait == 0 {
		return err
	}
	select {
	case <-time.After(slow):
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

// Person returns whose account it is, or ErrNotFound.
func (s *Accounts) Person(ctx context.Context, id uint64) (school.Person, error) {
	return s.store.Person(ctx, id)
}

// SignIn returns the person, or the Problems "sign-in wrong" and "too many
// tries". A try is taken before the password is looked at, so that many at
// the same time are no way around.
func (s *Accounts) SignIn(ctx context.Context, login, password string, from Device) (school.Person, error) {
	login = school.Shorten(strings.ToLower(strings.TrimSpace(login)), 100)
	p, err := s.store.PersonByLogin(ctx, login)
	if err != nil && !errors.Is(err, school.ErrNotFound) {
		return school.Person{}, err
	}
	known := false
	if from.Token != "" && p.ID != 0 {
		if known, err = s.store.KnownDevice(ctx, deviceHash(from.Token), p.ID); err != nil {
			return school.Person{}, err
		}
	}
	here, pace := "account "+login+" from "+from.Address, paceHere
	if known {
		here, pace = "account "+login+" on "+deviceHash(from.Token), paceDevice
		ctx = queue.In(ctx, queue.Look)
	}
	if err := s.try(ctx, here, pace); err != nil {
		return school.Person{}, err
	}
	if !known {
		if err := s.try(ctx, "account "+login, paceAccount); err != nil {
			return school.Person{}, err
		}
		if err := s.slowDown(ctx, "address "+from.Address, paceAddress); err != nil {
			return school.Person{}, err
		}
	}
	ok, err := s.checked(queue.For(ctx, here), password, p)
	if err != nil {
		return school.Person{}, err
	}
	if !ok {
		return school.Person{}, school.Refuse("sign-in wrong", "", login)
	}
	if p.ClosedAt != nil { // said only to who knows the password
		return school.Person{}, school.Refuse("account closed", "", "")
	}
	if err := s.store.GiveBack(ctx, here, pace); err != nil || known {
		return p, err
	}
	return p, errors.Join(s.store.GiveBack(ctx, "account "+login, paceAccount), s.store.GiveBack(ctx, "address "+from.Address, paceAddress))
}

// checked compares a password with the person's; of nobody it takes as long.
func (s *Accounts) checked(ctx context.Context, password string, p school.Person) (bool, error) {
	leave, err := s.hashing.Enter(ctx)
	if err != nil {
		return false, err
	}
	defer leave()
	if p.PasswordHash == "" {
		_, err := matches(password, nobodysHash())
		return false, err
	}
	return matches(password, p.PasswordHash)
}

// NewDevice returns a token by which a browser is known again as one in which
// the person has signed in. One that it has already is kept.
func (s *Accounts) NewDevice(ctx context.Context, who school.Person, has Device) (token string, err error) {
	if token = has.Token; len(token) < 20 || len(token) > 100 {
		token = rand.Text()
	}
	return token, s.store.AddDevice(ctx, deviceHash(token), who.ID, school.Shorten(has.Label, 60), s.now())
}

// Devices returns the browsers in which somebody has signed in, the one last used
// first.
func (s *Accounts) Devices(ctx context.Context, who school.Person) ([]school.Device, error) {
	if who.ID == 0 {
		return nil, access.ErrSignIn
	}
	return s.store.DevicesOf(ctx, who.ID)
}

func deviceHash(token string) string { return school.TokenHash("device " + token) }

// ChangePassword gives the person another password, of whom session is the
// one that goes on. All other sessions end, and slips made before are void.
func (s *Accounts) ChangePassword(ctx context.Context, who school.Person, now, next string, session string, from Device) error {
	if who.ID == 0 {
		return access.ErrSignIn
	}
	if err := CheckPassword(next); err != nil {
		return err
	}
	subject := fmt.Sprint("password of ", who.ID)
	if err := s.try(ctx, subject, paceHere); err != nil {
		return err
	}
	ok, err := s.checked(ctx, now, who)
	if err != nil {
		return err
	}
	if !ok {
		return school.Refuse("old password", "now", "")
	}
	hash, err := s.hash(ctx, next)
	if err != nil {
		return err
	}
	return errors.Join(s.store.NewPassword(ctx, who.ID, hash, session, s.now()), s.store.GiveBack(ctx, subject, paceHere))
}

// SignOutElsewhere ends all of the person's sessions but one.
func (s *Accounts) SignOutElsewhere(ctx context.Context, who school.Person, session string) error {
	if who.ID == 0 {
		return access.ErrSignIn
	}
	return s.store.EndSessions(ctx, who.ID, session)
}
