package answer

import (
	"cmp"
	"fmt"
	"maps"
	"math/big"
	"slices"
	"strings"
	"unicode"
)

// The units of the SI with a special name or none, the units that are accepted
// beside them, and the prefixes: The International System of Units, 9th edition,
// Bureau international des poids et mesures 2019 (tables 2, 4, 7 and 8), which
// ISO 80000-1 takes over. Kinds that share a dimension, as hertz and becquerel
// do, stay apart. The nautical mile and the knot are common practice at sea.
//
// Each is so many of another one, or itself.
var units = map[string]struct {
	of     string // the symbol that it is counted in
	factor string // how many of that
	long   bool   // takes prefixes
}{
	"m": {"m", "1", true}, "g": {"g", "1", true}, "s": {"s", "1", true}, "A": {"A", "1", true}, "K": {"K", "1", true}, "mol": {"mol", "1", true}, "cd": {"cd", "1", true},
	"rad": {"rad", "1", true}, "sr": {"sr", "1", true}, "Hz": {"Hz", "1", true}, "N": {"N", "1", true}, "Pa": {"Pa", "1", true}, "J": {"J", "1", true}, "W": {"W", "1", true},
	"C": {"C", "1", true}, "V": {"V", "1", true}, "F": {"F", "1", true}, "Ω": {"Ω", "1", true}, "S": {"S", "1", true}, "Wb": {"Wb", "1", true}, "T": {"T", "1", true}, "H": {"H", "1", true},
	"°C": {"°C", "1", false}, "℃": {"°C", "1", false}, "lm": {"lm", "1", true}, "lx": {"lx", "1", true}, "Bq": {"Bq", "1", true}, "Gy": {"Gy", "1", true}, "Sv": {"Sv", "1", true}, "kat": {"kat", "1", true},
	"min": {"s", "60", false}, "h": {"s", "3600", false}, "d": {"s", "86400", false},
	"°": {"°", "1", false}, "'": {"°", "1/60", false}, "\"": {"°", "1/3600", false},
	"ha": {"m2", "10000", false}, "L": {"m3", "1/1000", true}, "l": {"m3", "1/1000", true}, "t": {"g", "1000000", true},
	"eV": {"eV", "1", true}, "dB": {"dB", "1", false}, "%": {"%", "1", false},
	"nmi": {"m", "1852", false}, "NM": {"m", "1852", false},
}

var prefixes = map[string]int{"da": 1, "h": 2, "k": 3, "M": 6, "G": 9, "T": 12, "P": 15, "E": 18, "Z": 21, "Y": 24, "R": 27, "Q": 30,
	"d": -1, "c": -2, "m": -3, "µ": -6, "n": -9, "p": -12, "f": -15, "a": -18, "z": -21, "y": -24, "r": -27, "q": -30}

// unitOf reads a unit, alone or as a product and quotient of several, and
// returns what a number of it is to be multiplied with and which unit it then
// is of. "" is the unit of a bare number.
func unitOf(text string) (factor *big.Rat, base string, ok bool) {
	factor = big.NewRat(1, 1)
	if text == "" {
		return factor, "", true
	}
	if text == "kn" { // nautical miles in an hour
		text = "NM/h"
	}
	of := map[string]int{}
	for i, quotient := range strings.Split(text, "/") {
		parts := strings.FieldsFunc(quotient, func(r rune) bool { return strings.ContainsRune(" ·⋅*", r) })
		if len(parts) == 0 || i > 0 && len(parts) > 1 { // what m/s kg divides by is in doubt
			return nil, "", false
		}
		for _, part := range parts {
			symbol, power := exponent(part)
			if i > 0 {
				power = -power
			}
			f, b, known := single(symbol)
			if !known || power == 0 || power < -9 || power > 9 {
				return nil, "", false
			}
			factor.Mul(factor, pow(f, power))
			name, dimension := exponent(b)
			of[name] += dimension * power
		}
	}
	var out []string
	for _, name := range slices.SortedFunc(maps.Keys(of), cmp.Compare) {
		switch of[name] {
		case 0:
		case 1:
			out = append(out, name)
		default:
			out = append(out, fmt.Sprint(name, of[name]))
		}
	}
	return factor, strings.Join(out, " "), true
}

// single reads one symbol, with a prefix or without.
func single(symbol string) (factor *big.Rat, base string, ok bool) {
	if u, known := units[symbol]; known {
		factor, _ = new(big.Rat).SetString(u.factor)
		return factor, u.of, true
	}
	for prefix, ten := range prefixes {
		rest, has := strings.CutPrefix(symbol, prefix)
		if u, known := units[rest]; has && known && u.long {
			factor, _ = new(big.Rat).SetString(u.factor)
			return factor.Mul(factor, pow(big.NewRat(10, 1), ten)), u.of, true
		}
	}
	return nil, "", false
}

// exponent parts a symbol from its power: m2, m^2, s-1.
func exponent(part string) (symbol string, power int) {
	at := strings.IndexFunc(part, func(r rune) bool { return unicode.IsDigit(r) || r == '-' || r == '^' })
	if at < 0 {
		return part, 1
	}
	if _, err := fmt.Sscanf(strings.TrimPrefix(part[at:], "^"), "%d", &power); err != nil || fmt.Sprint(power) != strings.TrimPrefix(part[at:], "^") {
		return part, 0
	}
	return part[:at], power
}

func pow(f *big.Rat, n int) *big.Rat {
	out := big.NewRat(1, 1)
	for range max(n, -n) {
		out.Mul(out, f)
	}
	if n < 0 {
		out.Inv(out)
	}
	return out
}
