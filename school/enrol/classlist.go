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
	Why     string // "no name", "long name", "twice", "refused before", "account exists", "section"; see web

	member school.Membership // as it will be, of somebody who comes into another section
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
	names, logins := map[string]school.Member{}, map[string]school.Member{}
	for _, m := range members {
		names[strings.ToLower(m.Name)], logins[m.Login] = m, m
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
		there, member := names[strings.ToLower(e.Whole)]
		if e.Login != "" {
			there, member = logins[e.Login]
		}
		key := strings.ToLower(e.Whole) + "\x00" + e.Login
		switch {
		case e.Whole == "":
			l.Verdict, l.Why = IsRefused, "no name"
		case utf8.RuneCountInString(e.Whole) > 100 || utf8.RuneCountInString(e.Section) > 60 || !fitLogin(e.Login):
			l.Verdict, l.Why = IsRefused, "long name"
		case member && there.Role == access.Left:
			l.Verdict, l.Why = IsUnclear, "left"
		case member && there.Role == access.None:
			l.Verdict, l.Why = IsUnclear, "refused before"
		case member:
			l.Verdict = IsThere
			if e.Section != "" && e.Section != there.Section && there.Role == access.Student {
				l.Why, l.member = "section", there.Membership
				l.member.Section = e.Section
			}
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

// TakeList takes the new students of a class list into the course, and puts those
// who are there into the sections that it says, all or none.
func (s *Lists) TakeList(ctx context.Context, who school.Person, course uint64, file []byte) (ClassList, []Newcomer, error) {
	list, err := s.CheckList(ctx, who, course, file)
	if err != nil {
		return list, nil, err
	}
	var out []Newcomer
	var coming []school.Coming
	var moved []school.Membership
	now := s.now()
	for _, l := range list.Lines {
		if l.Why == "section" {
			moved = append(moved, l.member)
		}
		if l.Verdict != IsNew {
			continue
		}
		login := l.Login
		if login == "" {
			login = loginName(l.Whole)
		}
		token, slip := s.accounts.token(0, TokenLasts) // the store knows whose, once there is somebody
		coming = append(coming, school.Coming{Person: &school.Person{Name: l.Whole, Given: l.Given, Family: l.Family, Login: login, Settings: "{}", CreatedAt: now}, Token: &slip, Section: l.Section})
		out = append(out, Newcomer{Code: token})
	}
	if err := s.store.AddStudents(ctx, course, now, coming, moved); err != nil {
		return list, nil, err
	}
	for i := range out {
		out[i].Person = *coming[i].Person
	}
	return list, out, nil
}
