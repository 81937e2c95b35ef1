package school

import (
	"fmt"
	"strings"
	"unicode"
)

// FileName makes a part of a file's name of a text.
func FileName(s string) string {
	return strings.TrimSpace(strings.Map(func(r rune) rune {
		if unicode.IsControl(r) || strings.ContainsRune(`/\:*?"<>|`, r) {
			return '-'
		}
		return r
	}, s))
}

// CopyName returns what the file of an attempt is called among those of a class, without
// its ending: class, family name, given name, attempt. Attempt 0 was not submitted.
func (a Assignment) CopyName(c Copy, m Member, attempt int) string {
	section, family, given := a.NamedIn(c, m)
	var parts []string
	for _, p := range []string{section, family, given} {
		if p != "" {
			parts = append(parts, FileName(p))
		}
	}
	if attempt == 0 {
		return strings.Join(parts, ", ") + ", not submitted"
	}
	return fmt.Sprintf("%s, attempt %d", strings.Join(parts, ", "), attempt)
}

// NamedIn returns whose a copy is, to be sorted by: its label where that is hidden.
func (a Assignment) NamedIn(c Copy, m Member) (section, family, given string) {
	switch {
	case a.Hides(c):
		return "", c.Label(), ""
	case m.Family == "" && m.Given == "":
		return m.Section, m.Name, ""
	}
	return m.Section, m.Family, m.Given
}
