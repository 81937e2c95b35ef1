package school

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
)

// A Pace is how often something may be tried: Burst times at once, and then
// once Every so long.
type Pace struct {
	Burst int
	Every time.Duration
}

// How often signing in and joining may be tried. A whole school may stand
// behind one address, so an address alone is only slowed down; an account is
// counted for each address by itself, so that nobody is locked out by others
// elsewhere; and a browser in which somebody has signed in before is counted
// for itself, so that nobody in the same room can lock them out either.
var (
	paceHere     = Pace{6, 20 * time.Second}  // one account from one address
	paceAccount  = Pace{60, 10 * time.Second} // one account from all addresses
	paceDevice   = Pace{15, 20 * time.Second} // one account on a browser that it knows
	paceAddress  = Pace{150, time.Second / 2} // one address
	paceCode     = Pace{40, 2 * time.Second}  // wrong join codes and slips of one address or person
	paceCodes    = Pace{400, time.Second / 2} // those of everybody
	paceNewcomer = Pace{60, 2 * time.Second}  // new accounts from one address
	paceCourse   = Pace{150, 2 * time.Second} // new accounts in one course
)

// slow is how long somebody waits who is too quick and not refused.
const slow = 2 * time.Second

// A Device is what a browser shows of itself when somebody signs in.
type Device struct {
	Address string
	Token   string // from NewDevice, "" for none
}

// try takes one try of a subject, or is the Problem "too many tries" with how
// many seconds to wait.
func (s *School) try(ctx context.Context, subject string, p Pace) error {
	wait, err := s.Store.Allow(ctx, subject, p, s.Now())
	if err == nil && wait > 0 {
		err = problem("too many tries", "", fmt.Sprint(math.Ceil(wait.Seconds())))
	}
	return err
}

// slowDown takes one try of a subject, and waits a little when there is none.
func (s *School) slowDown(ctx context.Context, subject string, p Pace) error {
	wait, err := s.Store.Allow(ctx, subject, p, s.Now())
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

// SignIn returns the person, or the Problems "sign-in wrong" and "too many
// tries". A try is taken before the password is looked at, so that many at
// the same time are no way around.
func (s *School) SignIn(ctx context.Context, login, password string, from Device) (Person, error) {
	login = shorten(strings.ToLower(strings.TrimSpace(login)), 100)
	p, err := s.Store.PersonByLogin(ctx, login)
	if err != nil && !errors.Is(err, ErrNotFound) {
		return Person{}, err
	}
	known := false
	if from.Token != "" && p.ID != 0 {
		if known, err = s.Store.KnownDevice(ctx, deviceHash(from.Token), p.ID); err != nil {
			return Person{}, err
		}
	}
	here, pace := "account "+login+" from "+from.Address, paceHere
	if known {
		here, pace = "account "+login+" on "+deviceHash(from.Token), paceDevice
		ctx = queue.In(ctx, queue.Look)
	}
	if err := s.try(ctx, here, pace); err != nil {
		return Person{}, err
	}
	if !known {
		if err := s.try(ctx, "account "+login, paceAccount); err != nil {
			return Person{}, err
		}
		if err := s.slowDown(ctx, "address "+from.Address, paceAddress); err != nil {
			return Person{}, err
		}
	}
	ok, err := s.checked(queue.For(ctx, here), password, p)
	if err != nil {
		return Person{}, err
	}
	if !ok {
		return Person{}, problem("sign-in wrong", "", login)
	}
	if err := s.Store.GiveBack(ctx, here, pace); err != nil || known {
		return p, err
	}
	return p, errors.Join(s.Store.GiveBack(ctx, "account "+login, paceAccount), s.Store.GiveBack(ctx, "address "+from.Address, paceAddress))
}

// checked compares a password with the person's; of nobody it takes as long.
func (s *School) checked(ctx context.Context, password string, p Person) (bool, error) {
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
func (s *School) NewDevice(ctx context.Context, who Person, has string) (token string, err error) {
	if token = has; len(token) < 20 || len(token) > 100 {
		token = rand.Text()
	}
	return token, s.Store.AddDevice(ctx, deviceHash(token), who.ID, s.Now())
}

func deviceHash(token string) string { return hashOfToken("device " + token) }

// ChangePassword gives the person another password, of whom session is the
// one that goes on. All other sessions end, and slips made before are void.
func (s *School) ChangePassword(ctx context.Context, who Person, now, next string, session string, from Device) error {
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
		return problem("old password", "now", "")
	}
	hash, err := s.hash(ctx, next)
	if err != nil {
		return err
	}
	return errors.Join(s.Store.NewPassword(ctx, who.ID, hash, session, s.Now()), s.Store.GiveBack(ctx, subject, paceHere))
}

// SignOutElsewhere ends all of the person's sessions but one.
func (s *School) SignOutElsewhere(ctx context.Context, who Person, session string) error {
	if who.ID == 0 {
		return access.ErrSignIn
	}
	return s.Store.EndSessions(ctx, who.ID, session)
}
