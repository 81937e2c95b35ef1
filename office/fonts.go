package office

import (
	"context"
	"os/exec"
	"slices"
	"strings"
	"unicode"

	"readymargin/core/document"
)

// Replaced says which of the fonts that a document asks for were replaced.
// pages has the fonts of each page of the PDF, by the names they have there.
// Which font stands for a missing one is asked of the machine; where the PDF
// does not have that one, every font that nobody asked for may be it.
func (*LibreOffice) Replaced(ctx context.Context, asked []string, pages [][]string) (out []document.Replaced) {
	here, matches := map[string]bool{}, map[string]string{}
	for _, name := range asked {
		family := match(ctx, name)
		if family == "" {
			return nil // the machine does not tell
		}
		if plain(family) == plain(name) {
			here[plain(name)] = true
		} else {
			matches[name] = family
		}
	}
	for _, name := range asked {
		family, missing := matches[name]
		if !missing {
			continue
		}
		r := document.Replaced{Font: name, With: family, Pages: having(pages, func(f string) bool { return f == plain(family) })}
		if len(r.Pages) == 0 || here[plain(family)] {
			strange := func(f string) bool { return !here[f] }
			if r.Pages = having(pages, strange); len(r.Pages) > 0 {
				r.With = "another font"
			}
		}
		if len(r.Pages) > 0 {
			out = append(out, r)
		}
	}
	return out
}

// having returns the pages that have a font of which it is true.
func having(pages [][]string, is func(string) bool) (out []int) {
	for i, fonts := range pages {
		if slices.ContainsFunc(fonts, func(f string) bool { return is(plainFace(f)) }) {
			out = append(out, i+1)
		}
	}
	return out
}

// match returns the family that the machine gives for a name.
func match(ctx context.Context, name string) string {
	escaped := strings.NewReplacer(`\`, `\\`, "-", `\-`, ":", `\:`, ",", `\,`).Replace(name)
	out, err := exec.CommandContext(ctx, "fc-match", "-f", "%{family[0]}", "--", escaped).Output()
	if err != nil {
		return ""
	}
	return string(out)
}

// plain makes names of families comparable: letters and digits, lower case.
func plain(s string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			return unicode.ToLower(r)
		}
		return -1
	}, s)
}

// plainFace does the same with the name of a font in a PDF, which has the tag
// of a subset before it and its style behind it (ISO 32000-2, 9.9.2).
func plainFace(s string) string {
	if _, rest, ok := strings.Cut(s, "+"); ok {
		s = rest
	}
	s, _, _ = strings.Cut(s, "-")
	s, _, _ = strings.Cut(s, ",")
	s = strings.TrimSuffix(s, "MT")
	return plain(s)
}
