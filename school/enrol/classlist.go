package enrol

import (
	"context"
	"strings"
	"unicode"
	"unicode/utf8"

	"readymargin/core/access"
	"readymargin/core/roster"
	"readymargin/school"
)

// Lists take in class lists and a school's directory.
type Lists struct {
	store    ListStore
	accounts *Accounts
	courses  *Courses
	roster   *Roster
	now      school.Clock
}

// NewLists returns what takes in lists.
func NewLists(store ListStore, accounts *Accounts, courses *Courses, roster *Roster, now school.Clock) *Lists {
	return &Lists{store, accounts, courses, roster, now}
}

// A Verdict says what becomes of one line of a class list.
type Verdict string

const (
	IsNew     Verdict = "new"
	IsThere   Verdict = "already there"
	IsUnclear Verdict = "unclear"
	IsRefused Verdict = "refused"
)

// A Listed is a line of a class list with what will happen to it, and why
// where that needs to be said.
type Listed struct {
	roster.Entry
	Verdict Verdict
	Why     string // "no name", "long name", "twice", "refused before", "account exists"; see web
}

// A ClassList is a list as it would be taken in.
type ClassList struct {
	Course school.Course
	roster.List
	Lines []Listed
}

// Count returns how many lines have a verdict.
func (l ClassList) Count(v Verdict) (n int) {
	for _, e := range l.Lines {
		if e.Verdict == v {
			n++
		}
	}
	return n
}

// CheckList reads a class list and says, line by line, what taking it in would
// do. Nothing is changed.
func (s *Lists) CheckList(ctx context.Context, who school.Person, course uint64, file []byte) (ClassList, error) {
	if _, err := s.courses.Runs(ctx, who, course); err != nil {
		return ClassList{}, err
	}
	c, members, err := s.roster.Members(ctx, who, course)
	if err != nil {
		return ClassList{}, err
	}
	list, err := roster.Read(file)
	if err != nil {
		return ClassList{}, err
	}
	out := ClassList{Course: c, List: list}
	names, logins := map[string]access.Role{}, map[string]access.Role{}
	for _, m := range members {
		names[strings.ToLower(m.Name)], logins[m.Login] = m.Role, m.Role
	}
	var wanted []string
	for _, e := range list.Entries {
		if e.Login != "" {
			wanted = append(wanted, e.Login)
		}
	}
	taken, err := s.store.Logins(ctx, wanted)
	if err != nil {
		return out, err
	}
	seen := map[string]bool{}
	for _, e := range list.Entries {
		l := Listed{Entry: e, Verdict: IsNew}
		role, member := names[strings.ToLower(e.Name)]
		if e.Login != "" {
			role, member = logins[e.Login]
		}
		key := strings.ToLower(e.Name) + "\x00" + e.Login
		switch {
		case e.Name == "":
			l.Verdict, l.Why = IsRefused, "no name"
		case utf8.RuneCountInString(e.Name) > 100 || !fitLogin(e.Login):
			l.Verdict, l.Why = IsRefused, "long name"
		case member && role == access.Left:
			l.Verdict, l.Why = IsUnclear, "left"
		case member && role == access.None:
			l.Verdict, l.Why = IsUnclear, "refused before"
		case member:
			l.Verdict = IsThere
		case seen[key]:
			l.Verdict, l.Why = IsUnclear, "twice"
		case taken[e.Login]:
			// Whoever has it joins with the code: a list must not be a way
			// to somebody else's account.
			l.Verdict, l.Why = IsUnclear, "account exists"
		}
		seen[key] = true
		out.Lines = append(out.Lines, l)
	}
	return out, nil
}

// fitLogin reports whether a list's sign-in name can be one here; "" can.
func fitLogin(login string) bool {
	return utf8.RuneCountInString(login) <= 60 && strings.IndexFunc(login, func(r rune) bool {
		return !unicode.IsLetter(r) && !unicode.IsDigit(r) && !unicode.IsMark(r) && !strings.ContainsRune(".-_@", r)
	}) < 0
}

// A Newcomer is a student whom a list brought in, with a one-time slip.
type Newcomer struct {
	Person school.Person
	Code   string
}

// TakeList takes the new students of a class list into the course, all or none.
func (s *Lists) TakeList(ctx context.Context, who school.Person, course uint64, file []byte) (ClassList, []Newcomer, error) {
	list, err := s.CheckList(ctx, who, course, file)
	if err != nil {
		return list, nil, err
	}
	var out []Newcomer
	var people []*school.Person
	var slips []*school.SignInToken
	now := s.now()
	for _, l := range list.Lines {
		if l.Verdict != IsNew {
			continue
		}
		login := l.Login
		if login == "" {
			login = loginName(l.Name)
		}
		token, slip := s.accounts.token(0, TokenLasts) // the store knows whose, once there is somebody
		people = append(people, &school.Person{Name: l.Name, Login: login, Settings: "{}", CreatedAt: now})
		slips = append(slips, &slip)
		out = append(out, Newcomer{Code: token})
	}
	if err := s.store.AddStudents(ctx, course, now, people, slips); err != nil {
		return list, nil, err
	}
	for i := range out {
		out[i].Person = *people[i]
	}
	return list, out, nil
}
