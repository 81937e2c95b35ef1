package answer

import (
	"math/big"
	"regexp"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/cases"
	"golang.org/x/text/unicode/norm"
)

var (
	// numeral is a number at the beginning of a text: digits, in groups of three
	// or not, and decimals behind either sign (ISO 80000-1:2022, 7.3).
	numeral = regexp.MustCompile(`^([-+]?)(\d{1,3}(?: \d{3})+|\d+)(?:[.,](\d+))?(.*)$`)
	fold    = cases.Fold()
)

// Normal returns the form in which answers that say the same are equal. Text is
// compared in compatibility form (Unicode Standard Annex 15, NFKC; but raised
// and lowered signs and fractions stay what they are) and without case, with
// single spaces, one kind of dash and quote, and no full stop at its end.
// Numbers are compared by their value, whatever sign their language has before
// the decimals, and with a unit that is known by what they measure: 4.5 m and
// 450 cm are equal. Where it is in doubt, answers are different.
func Normal(text string) string {
	s := shifted(plain(text))
	if q, ok := quantity(s); ok {
		return q.key()
	}
	return strings.TrimSuffix(fold.String(s), ".")
}

// plain brings the signs of a text into one form, and keeps their case.
func plain(text string) string {
	var b strings.Builder
	for len(text) > 0 {
		r, n := utf8.DecodeRuneInString(text)
		if kept(r) {
			b.WriteRune(r)
			text = text[n:]
			continue
		}
		end := strings.IndexFunc(text, kept)
		if end < 0 {
			end = len(text)
		}
		b.WriteString(norm.NFKC.String(text[:end]))
		text = text[end:]
	}
	return strings.Join(strings.Fields(strings.Map(func(r rune) rune {
		switch r {
		case '−', '–', '‐', '‑':
			return '-'
		case '’', '‘', '′':
			return '\''
		case '″', '“', '”', '„':
			return '"'
		case 'º': // which keyboards have for degrees
			return '°'
		case 'μ': // the letter, which stands for the sign of the prefix
			return 'µ'
		}
		return r
	}, b.String())), " ")
}

// shifted writes raised digits as powers, as those do who cannot raise them, and
// the lowered ones of a chemical formula as plain digits.
func shifted(s string) string {
	s = powers.ReplaceAllStringFunc(s, func(digits string) string { return "^" + level.Replace(digits) })
	if flat := strings.ReplaceAll(level.Replace(s), "_", ""); formula.MatchString(flat) {
		return flat
	}
	return s
}

var (
	powers  = regexp.MustCompile(`[⁻⁰¹²³⁴⁵⁶⁷⁸⁹]+`)
	formula = regexp.MustCompile(`^\d*(?:(?:[A-Z][a-z]?|[()\[\]])\d*)+$`)
	level   = strings.NewReplacer("⁻", "-", "⁰", "0", "¹", "1", "²", "2", "³", "3", "⁴", "4", "⁵", "5", "⁶", "6", "⁷", "7", "⁸", "8", "⁹", "9",
		"₀", "0", "₁", "1", "₂", "2", "₃", "3", "₄", "4", "₅", "5", "₆", "6", "₇", "7", "₈", "8", "₉", "9")
)

// kept reports whether a sign would say something else in compatibility form:
// raised, lowered, a fraction, or a prefix's own sign.
func kept(r rune) bool {
	return strings.ContainsRune("¹²³ªº", r) || unicode.Is(raised, r) || r >= '¼' && r <= '¾' || r >= '⅐' && r <= '⅟' || strings.ContainsRune("′″µΩ℃", r)
}

var raised = &unicode.RangeTable{R16: []unicode.Range16{{Lo: 0x2070, Hi: 0x209c, Stride: 1}}}

// A quantified answer is a number, and what it is a number of.
type quantified struct {
	value *big.Rat
	unit  string // canonical, "" for none
}

func (q quantified) key() string {
	return strings.TrimSpace(q.value.RatString() + " " + q.unit)
}

// quantity reads a number with a unit or without. Behind the number nothing else
// may stand that has digits: dates, sums and lists are no quantities.
func quantity(s string) (q quantified, ok bool) {
	m := numeral.FindStringSubmatch(strings.ReplaceAll(s, "\u00a0", " "))
	if m == nil {
		return q, false
	}
	digits := strings.ReplaceAll(m[2], " ", "")
	if m[3] != "" {
		digits += "." + m[3]
	}
	value, ok := new(big.Rat).SetString(strings.TrimPrefix(m[1], "+") + digits)
	if !ok || len(digits) > 40 {
		return q, false
	}
	named := strings.TrimSpace(m[4])
	if factor, base, known := unitOf(strings.TrimSuffix(named, ".")); known {
		return quantified{value.Mul(value, factor), base}, true
	}
	if strings.ContainsAny(named, "0123456789") || strings.HasPrefix(m[4], ".") && len(named) > 1 {
		return q, false
	}
	if utf8.RuneCountInString(named) > 1 { // of one letter the case may say something
		named = fold.String(named)
	}
	return quantified{value, strings.TrimSpace("(" + strings.TrimSuffix(named, ".") + ")")}, true
}
