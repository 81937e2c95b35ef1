package school

import "errors"

// A Problem is a refusal that people can do something about; web has a
// sentence for each.
type Problem struct {
	Code  string // what is wrong, in a word or two
	Field string // of the form, if one is to blame
	Value string // what it was
}

func (p *Problem) Error() string { return "school: " + p.Code + " " + p.Field + " " + p.Value }

// Refuse returns a Problem.
func Refuse(code, field, value string) error { return &Problem{code, field, value} }

// IsProblem reports whether err is the Problem of that code.
func IsProblem(err error, code string) bool {
	var p *Problem
	return errors.As(err, &p) && p.Code == code
}
