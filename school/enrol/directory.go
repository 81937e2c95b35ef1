package enrol

import (
	"context"
	"strings"
	"time"
	"unicode/utf8"

	"readymargin/core/access"
	"readymargin/core/roster"
	"readymargin/school"
)

// A DirectoryList is a school's directory as it would be taken in.
type DirectoryList struct {
	roster.Directory
	Courses []DirectoryCourse
}

// A DirectoryCourse is a class of the directory with what becomes of it.
type DirectoryCourse struct {
	Title   string
	Verdict Verdict // IsNew or IsThere
	People  []DirectoryPerson

	course school.Course
}

// A DirectoryPerson is somebody enrolled with what becomes of it.
type DirectoryPerson struct {
	roster.Enrolled
	Verdict Verdict
	Why     string // see Listed; and "is a student", "no login"

	person school.Person // who is there already, if somebody is
}

// Count returns how many enrolments, or courses, have a verdict.
func (d DirectoryList) Count(v Verdict) (courses, people int) {
	for _, c := range d.Courses {
		if c.Verdict == v {
			courses++
		}
		for _, p := range c.People {
			if p.Verdict == v {
				people++
			}
		}
	}
	return courses, people
}

// CheckDirectory reads a school's directory (see roster.ReadDirectory) and
// says what taking it in would do. Nothing is changed.
func (s *Lists) CheckDirectory(ctx context.Context, who school.Person, file []byte) (out DirectoryList, err error) {
	if err := access.May(access.Person{SignedIn: who.ID != 0, Admin: who.Admin}, access.BringDirectory, access.Thing{}); err != nil {
		return out, err
	}
	if out.Directory, err = roster.ReadDirectory(file); err != nil {
		return out, err
	}
	var classIDs, personIDs, logins []string
	for _, c := range out.Classes {
		classIDs = append(classIDs, c.SourceID)
		for _, p := range c.People {
			personIDs, logins = append(personIDs, p.SourceID), append(logins, p.Login)
		}
	}
	courses, err := s.store.CoursesBySource(ctx, classIDs)
	if err != nil {
		return out, err
	}
	people, err := s.store.PeopleBySource(ctx, personIDs)
	if err != nil {
		return out, err
	}
	taken, err := s.store.Logins(ctx, logins)
	if err != nil {
		return out, err
	}
	for _, c := range out.Classes {
		course := DirectoryCourse{Title: c.Title, Verdict: IsNew, course: courses[c.SourceID]}
		members := map[uint64]access.Role{}
		if course.course.ID != 0 {
			course.Verdict = IsThere
			all, err := s.store.Members(ctx, course.course.ID)
			if err != nil {
				return out, err
			}
			for _, m := range all {
				members[m.PersonID] = m.Role
			}
		}
		for _, e := range c.People {
			p := DirectoryPerson{Enrolled: e, Verdict: IsNew, person: people[e.SourceID]}
			p.judge(members, taken)
			course.People = append(course.People, p)
		}
		out.Courses = append(out.Courses, course)
	}
	return out, nil
}

// judge says what becomes of an enrolment in a course with these members.
func (p *DirectoryPerson) judge(members map[uint64]access.Role, taken map[string]bool) {
	role, member := members[p.person.ID]
	switch {
	case utf8.RuneCountInString(p.Whole) > 100 || !fitLogin(p.Login):
		p.Verdict, p.Why = IsRefused, "long name"
	case p.person.ID == 0 && p.Login != "" && taken[p.Login]:
		// A list must not be a way to somebody else's account.
		p.Verdict, p.Why = IsUnclear, "account exists"
	case p.person.ID != 0 && p.Teacher && !p.person.Staff:
		p.Verdict, p.Why = IsUnclear, "is a student"
	case member && (role == access.None || role == access.Left):
		p.Verdict, p.Why = IsUnclear, "refused before"
	case member:
		p.Verdict = IsThere
	}
}

// A NewcomerIn is a newcomer with the courses.
type NewcomerIn struct {
	Newcomer
	Courses string
}

// TakeDirectory takes the new courses, people and enrolments of a directory
// in, all or none. New courses keep the time of a zone.
func (s *Lists) TakeDirectory(ctx context.Context, who school.Person, file []byte, zone string) (DirectoryList, []NewcomerIn, error) {
	list, err := s.CheckDirectory(ctx, who, file)
	if err != nil {
		return list, nil, err
	}
	if _, err := time.LoadLocation(zone); err != nil || zone == "" || zone == "Local" {
		return list, nil, school.Refuse("time zone", "zone", zone)
	}
	var change school.DirectoryChange
	var out []NewcomerIn
	now, made := s.now(), map[string]int{} // of new people, by source: their place in out
	for i := range list.Courses {
		c := &list.Courses[i]
		if c.Verdict == IsNew {
			c.course = school.Course{Name: school.Shorten(c.Title, 100), Zone: zone, JoinCode: school.NewCode(6), VoiceSeconds: 15 * 60, Counts: school.Best, SourceID: list.Classes[i].SourceID, CreatedAt: now}
			change.Courses = append(change.Courses, &c.course)
		}
		for k := range c.People {
			p := &c.People[k]
			if p.Verdict != IsNew {
				continue
			}
			person := &p.person
			if person.ID == 0 {
				at, known := made[p.SourceID]
				if !known {
					at = len(out)
					made[p.SourceID] = at
					login := p.Login
					if login == "" {
						login = loginName(p.Whole)
					}
					token, slip := s.accounts.token(0, TokenLasts)
					change.People = append(change.People, &school.Person{Name: p.Whole, Given: p.Given, Family: p.Family, Login: login, Staff: p.Teacher, Settings: "{}", SourceID: p.SourceID, CreatedAt: now})
					change.Tokens = append(change.Tokens, &slip)
					out = append(out, NewcomerIn{Newcomer: Newcomer{Code: token}})
				}
				person = change.People[at]
				person.Staff = person.Staff || p.Teacher
				out[at].Courses = strings.TrimPrefix(out[at].Courses+", "+c.Title, ", ")
			}
			role := access.Student
			if p.Teacher {
				role = access.Teacher
			}
			change.Members = append(change.Members, school.DirectoryMember{Course: &c.course, Person: person, Role: role})
		}
	}
	if err := s.store.AddDirectory(ctx, change, now); err != nil {
		return list, nil, err
	}
	for i := range out {
		out[i].Person = *change.People[i]
	}
	return list, out, nil
}
