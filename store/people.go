package store

import (
	"context"
	"slices"
	"strconv"
	"strings"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"readymargin/core/access"
	"readymargin/core/roster"
	"readymargin/school"
)

// People are accounts: who somebody is, and the one-time tokens.
type People struct{ *base }

// AddPerson adds somebody; a login in use gets a number behind it.
func (s People) AddPerson(ctx context.Context, p *school.Person) error {
	return addPerson(s.db.WithContext(ctx), p, p.Login)
}

// addPerson adds p under a login, or under the first free number behind it.
func addPerson(db *gorm.DB, p *school.Person, login string) error {
	p.Login = login
	if p.Family == "" {
		split := roster.Split(p.Name)
		p.Given, p.Family = split.Given, split.Family
	}
	for n := 2; ; n++ {
		p.ID = 0
		err := known(db.Create(p).Error)
		if err != school.ErrTaken || n > 999 {
			return err
		}
		p.Login = login + strconv.Itoa(n)
	}
}

// PracticeStudent makes p of the practice student of a teacher, adding it when there is
// none. Two who ask at once get the same one: the unique key decides.
func (s People) PracticeStudent(ctx context.Context, p *school.Person) error {
	db := s.db.WithContext(ctx)
	there, err := first[school.Person](db, "practice_of = ?", p.PracticeOf)
	if err == school.ErrNotFound {
		if err = known(db.Create(p).Error); err == school.ErrTaken {
			there, err = first[school.Person](db, "practice_of = ?", p.PracticeOf)
		} else {
			return err
		}
	}
	*p = there
	return err
}

// Person returns whose an ID is.
func (s People) Person(ctx context.Context, id uint64) (school.Person, error) {
	return first[school.Person](s.db.WithContext(ctx), "id = ?", id)
}

// SetName writes what somebody is called.
func (s People) SetName(ctx context.Context, id uint64, n roster.Name) error {
	return s.db.WithContext(ctx).Model(&school.Person{ID: id}).Updates(map[string]any{"name": n.Whole, "given": n.Given, "family": n.Family}).Error
}

// PersonByLogin returns who signs in with a name.
func (s People) PersonByLogin(ctx context.Context, login string) (school.Person, error) {
	return first[school.Person](s.db.WithContext(ctx), "login = ?", login)
}

// SetSettings writes how somebody keeps the screen.
func (s People) SetSettings(ctx context.Context, id uint64, settings string) error {
	return s.db.WithContext(ctx).Model(&school.Person{ID: id}).Update("settings", settings).Error
}

// AddSignInToken adds a one-time token.
func (s People) AddSignInToken(ctx context.Context, slip school.SignInToken) error {
	return s.db.WithContext(ctx).Create(&slip).Error
}

// NewCard ends a person's cards, and adds another one unless it is nil.
func (s People) NewCard(ctx context.Context, person uint64, card *school.SignInToken) error {
	return s.inTx(ctx, func(tx *gorm.DB) error {
		if err := tx.Exec("DELETE FROM sign_in_tokens WHERE person_id = ? AND card", person).Error; err != nil || card == nil {
			return err
		}
		return tx.Create(card).Error
	})
}

// Logins returns which of these are in use, in lower case.
func (s People) Logins(ctx context.Context, logins []string) (map[string]bool, error) {
	out := map[string]bool{}
	for chunk := range slices.Chunk(logins, 500) {
		var found []string
		if err := s.db.WithContext(ctx).Model(&school.Person{}).Where("login IN ?", chunk).Pluck("login", &found).Error; err != nil {
			return nil, err
		}
		for _, l := range found {
			out[strings.ToLower(l)] = true
		}
	}
	return out, nil
}

// AddStudents adds people with a token each to a course, and writes memberships
// that change, all or none.
func (s People) AddStudents(ctx context.Context, course uint64, at time.Time, coming []school.Coming, changed []school.Membership) error {
	wanted := make([]string, len(coming)) // a transaction that is tried again begins with these
	for i, n := range coming {
		wanted[i] = n.Person.Login
	}
	return s.inTx(ctx, func(tx *gorm.DB) error {
		members := slices.Clone(changed)
		var tokens []*school.SignInToken
		for i, n := range coming {
			if err := addPerson(tx, n.Person, wanted[i]); err != nil {
				return err
			}
			n.Token.PersonID = n.Person.ID
			tokens = append(tokens, n.Token)
			members = append(members, school.Membership{CourseID: course, PersonID: n.Person.ID, Role: access.Student, Section: n.Section, Seen: true, JoinedAt: at})
		}
		if len(members) == 0 {
			return nil
		}
		if len(tokens) > 0 {
			if err := tx.CreateInBatches(tokens, 500).Error; err != nil {
				return err
			}
		}
		return tx.Clauses(clause.OnConflict{UpdateAll: true}).CreateInBatches(members, 500).Error
	})
}

// bySource reads the rows that a school's directory names.
func bySource[T any](db *gorm.DB, sources []string, of func(T) string) (map[string]T, error) {
	out := map[string]T{}
	for chunk := range slices.Chunk(sources, 500) {
		found, err := all[T](db.Where("source_id IN ?", chunk))
		if err != nil {
			return nil, err
		}
		for _, row := range found {
			out[of(row)] = row
		}
	}
	return out, nil
}

// CoursesBySource returns the courses that a school's directory names so.
func (s People) CoursesBySource(ctx context.Context, sources []string) (map[string]school.Course, error) {
	return bySource(s.db.WithContext(ctx), sources, func(c school.Course) string { return c.SourceID })
}

// PeopleBySource returns the people whom a school's directory names so.
func (s People) PeopleBySource(ctx context.Context, sources []string) (map[string]school.Person, error) {
	return bySource(s.db.WithContext(ctx), sources, func(p school.Person) string { return p.SourceID })
}

// AddDirectory writes what a directory brings, all or none.
func (s People) AddDirectory(ctx context.Context, change school.DirectoryChange, at time.Time) error {
	wanted := make([]string, len(change.People)) // a transaction that is tried again begins with these
	for i, p := range change.People {
		wanted[i] = p.Login
	}
	return s.inTx(ctx, func(tx *gorm.DB) error {
		for _, c := range change.Courses {
			c.ID, c.Version = 0, 1
			if err := tx.Create(c).Error; err != nil {
				return err
			}
		}
		for i, p := range change.People {
			if err := addPerson(tx, p, wanted[i]); err != nil {
				return err
			}
			change.Tokens[i].PersonID = p.ID
		}
		members := make([]school.Membership, len(change.Members))
		for i, m := range change.Members {
			members[i] = school.Membership{CourseID: m.Course.ID, PersonID: m.Person.ID, Role: m.Role, Seen: true, JoinedAt: at}
		}
		if len(change.Tokens) > 0 {
			if err := tx.CreateInBatches(change.Tokens, 500).Error; err != nil {
				return err
			}
		}
		if len(members) == 0 {
			return nil
		}
		return tx.CreateInBatches(members, 500).Error
	})
}

const slipGood = "token_hash = ? AND used_at IS NULL AND expires_at > ?"

// PeekSignInToken returns a token that may be used, and leaves it so.
func (s People) PeekSignInToken(ctx context.Context, hash string, now time.Time) (school.SignInToken, error) {
	return first[school.SignInToken](s.db.WithContext(ctx), slipGood, hash, now)
}

// UseSignInToken holds the row, so that of several who use a token one does.
func (s People) UseSignInToken(ctx context.Context, hash string, now time.Time) (slip school.SignInToken, err error) {
	err = s.inTx(ctx, func(tx *gorm.DB) error {
		if slip, err = first[school.SignInToken](tx.Clauses(clause.Locking{Strength: "UPDATE"}), slipGood, hash, now); err != nil {
			return err
		}
		return tx.Model(&school.SignInToken{}).Where("token_hash = ?", hash).Update("used_at", now).Error
	})
	return slip, err
}

// calendar is a row of calendars.
type calendar struct {
	PersonID  uint64
	TokenHash string
}

// SetCalendar gives a person's calendar another address.
func (s People) SetCalendar(ctx context.Context, person uint64, tokenHash string) error {
	return s.db.WithContext(ctx).Clauses(clause.OnConflict{UpdateAll: true}).Create(&calendar{person, tokenHash}).Error
}

// CalendarOwner returns whose calendar an address is.
func (s People) CalendarOwner(ctx context.Context, tokenHash string) (school.Person, error) {
	return first[school.Person](s.db.WithContext(ctx), "id = (SELECT person_id FROM calendars WHERE token_hash = ?)", tokenHash)
}
