package aloud

import (
	"cmp"
	"regexp"
	"strings"
	"unicode"

	"golang.org/x/text/language"
)

// words are how signs and units are said in a language. Common practice, no source.
type words struct {
	blank   string
	signs   map[string]string
	units   map[string][2]string // one of them, several
	squared string
	cubed   string
	power   string // of what stands behind it
	minus   string
}

var (
	number      = regexp.MustCompile(`^\(?(?:\d{1,3}|[a-zA-Z]|[ivx]{1,4})[.)]\)?$`)
	abbreviated = regexp.MustCompile(`^\(?(?:[A-Z]\.)+$|^\(?(?:[a-zA-Z]\.){2,}$|(?i)^\(?(?:nr|no|ca|bzw|usw|vgl|etc|approx|fig|abb|mr|mrs|ms|dr|st|p|pp|p\.ex|p\.ej|sr|sra|min|max)\.$`)
	amount      = regexp.MustCompile(`^([(“"]?[-−+±]?\d+(?:[.,:]\d+)*)([^\d.,:;!?)]*)([.,:;!?)”"]*)$`)
	raised      = regexp.MustCompile(`^(.*?)([⁻⁺]?[⁰¹²³⁴⁵⁶⁷⁸⁹]+[⁺⁻]?)([.,:;!?)]*)$`)
	roman       = map[string]string{"ii": "2", "iii": "3", "iv": "4", "vi": "6", "vii": "7", "viii": "8", "ix": "9"}
)

func wordsOf(tag string) words {
	base, _ := language.Make(tag).Base()
	if w, ok := spoken[base.String()]; ok {
		return w
	}
	return words{minus: "-"}
}

// Units returns how the signs of units are said in a language, of one and of several.
func Units(tag string) map[string][2]string { return wordsOf(tag).units }

// say gives how the i-th token is said, "" for not at all.
func (w words) say(tokens []Token, i int, first bool) string {
	t := tokens[i]
	if t.Place {
		if in := strings.TrimSpace(t.Text); in != "" {
			return strings.TrimSpace(w.blank+", "+w.plain(in)) + ","
		}
		return cmp.Or(w.blank, "…")
	}
	if first && number.MatchString(t.Text) {
		n := strings.Trim(t.Text, "().")
		return cmp.Or(roman[n], n) + ","
	}
	if t.Text == "·" { // a sign of multiplication between numbers, else it parts words
		between := i > 0 && i+1 < len(tokens) && amount.MatchString(tokens[i-1].Text) && amount.MatchString(tokens[i+1].Text)
		if !between {
			return ""
		}
		return w.signs["×"]
	}
	if said, ok := w.signs[t.Text]; ok {
		return said
	}
	if i > 0 && !tokens[i-1].Place { // a unit behind its amount
		if unit, tail := cut(t.Text); w.units[unit] != [2]string{} && amount.MatchString(tokens[i-1].Text) {
			return w.unit(unit, tokens[i-1].Text) + tail
		}
	}
	return w.word(t.Text)
}

// plain says words with spaces between them.
func (w words) plain(s string) string {
	var tokens []Token
	for _, f := range strings.Fields(s) {
		tokens = append(tokens, Token{Text: f})
	}
	var out []string
	for i := range tokens {
		if said := w.say(tokens, i, false); said != "" {
			out = append(out, said)
		}
	}
	return strings.Join(out, " ")
}

// cut takes off the punctuation behind a word.
func cut(s string) (word, tail string) {
	word = strings.TrimRight(s, `.,:;!?)”"`)
	return word, s[len(word):]
}

func (w words) unit(unit, of string) string {
	m := amount.FindStringSubmatch(of)
	if m != nil && (m[1] == "1" || m[1] == "(1") {
		return w.units[unit][0]
	}
	return w.units[unit][1]
}

// word says one word by itself.
func (w words) word(s string) string {
	if m := amount.FindStringSubmatch(s); m != nil { // 214°, 25%, 3.5m
		n := strings.NewReplacer("−", w.minus+" ", "±", cmp.Or(w.signs["±"], "±")+" ").Replace(m[1])
		if strings.HasPrefix(m[1], "-") && w.minus != "-" {
			n = w.minus + " " + m[1][1:]
		}
		if _, ok := w.units[m[2]]; ok && m[2] != "" {
			return n + " " + w.unit(m[2], m[1]) + m[3]
		}
		if m[2] == "" {
			return n + m[3]
		}
	}
	if m := raised.FindStringSubmatch(s); m != nil && w.power != "" {
		return w.raise(m[1], m[2]) + m[3]
	}
	var b strings.Builder
	said := false
	for _, r := range s {
		switch {
		case r >= '₀' && r <= '₉':
			b.WriteString(" " + string('0'+r-'₀') + " ")
			said = true
		case strings.ContainsRune("•◦▪‣●○■·_…", r):
		default:
			b.WriteRune(r)
			said = said || unicode.IsLetter(r) || unicode.IsDigit(r) || unicode.IsSymbol(r) || w.signs[string(r)] != ""
		}
	}
	if !said {
		return ""
	}
	return strings.Join(strings.Fields(b.String()), " ")
}

// raise says what is raised behind a letter, a number or a chemical sign.
func (w words) raise(base, up string) string {
	const digits = "⁰¹²³⁴⁵⁶⁷⁸⁹"
	plain, sign := "", ""
	for _, r := range up {
		switch r {
		case '⁻':
			sign = w.minus
		case '⁺':
			sign = cmp.Or(w.signs["+"], "+")
		default:
			for i, d := range []rune(digits) {
				if d == r {
					plain += string(rune('0' + i))
				}
			}
		}
	}
	if unit := w.units[base+up]; unit != [2]string{} {
		return unit[1]
	}
	switch {
	case strings.HasSuffix(up, "⁺") || strings.HasSuffix(up, "⁻"): // of an ion
		return strings.TrimSpace(w.word(base) + " " + plain + " " + sign)
	case plain == "2" && sign == "" && base != "":
		return w.word(base) + " " + w.squared
	case plain == "3" && sign == "" && base != "":
		return w.word(base) + " " + w.cubed
	}
	return strings.Join(strings.Fields(w.word(base)+" "+w.power+" "+sign+" "+plain), " ")
}

var spoken = map[string]words{
	"en": {
		blank: "blank", squared: "squared", cubed: "cubed", power: "to the power of", minus: "minus",
		signs: map[string]string{"=": "equals", "+": "plus", "−": "minus", "-": "minus", "–": ",", "—": ",", "×": "times", "÷": "divided by", "<": "is less than", ">": "is greater than", "≤": "is at most", "≥": "is at least", "≈": "is about", "≠": "is not", "→": "leads to", "±": "plus or minus", "&": "and", "√": "square root of"},
		units: map[string][2]string{
			"m": {"metre", "metres"}, "km": {"kilometre", "kilometres"}, "cm": {"centimetre", "centimetres"}, "mm": {"millimetre", "millimetres"}, "m²": {"square metre", "square metres"}, "cm²": {"square centimetre", "square centimetres"}, "km²": {"square kilometre", "square kilometres"}, "m³": {"cubic metre", "cubic metres"}, "cm³": {"cubic centimetre", "cubic centimetres"},
			"kg": {"kilogram", "kilograms"}, "g": {"gram", "grams"}, "mg": {"milligram", "milligrams"}, "t": {"tonne", "tonnes"}, "l": {"litre", "litres"}, "L": {"litre", "litres"}, "ml": {"millilitre", "millilitres"}, "s": {"second", "seconds"}, "min": {"minute", "minutes"}, "h": {"hour", "hours"}, "km/h": {"kilometre an hour", "kilometres an hour"}, "m/s": {"metre a second", "metres a second"}, "m/s²": {"metre per second squared", "metres per second squared"},
			"°": {"degree", "degrees"}, "°C": {"degree Celsius", "degrees Celsius"}, "°F": {"degree Fahrenheit", "degrees Fahrenheit"}, "%": {"per cent", "per cent"}, "kn": {"knot", "knots"}, "nm": {"nautical mile", "nautical miles"}, "NM": {"nautical mile", "nautical miles"}, "N": {"newton", "newtons"}, "J": {"joule", "joules"}, "W": {"watt", "watts"}, "V": {"volt", "volts"}, "A": {"ampere", "amperes"}, "Hz": {"hertz", "hertz"}, "€": {"euro", "euros"}, "£": {"pound", "pounds"},
		},
	},
	"de": {
		blank: "Lücke", squared: "Quadrat", cubed: "hoch drei", power: "hoch", minus: "minus",
		signs: map[string]string{"=": "gleich", "+": "plus", "−": "minus", "-": "minus", "–": ",", "—": ",", "×": "mal", "÷": "geteilt durch", "<": "ist kleiner als", ">": "ist größer als", "≤": "ist höchstens", "≥": "ist mindestens", "≈": "ist etwa", "≠": "ist nicht", "→": "führt zu", "±": "plus minus", "&": "und", "√": "Wurzel aus"},
		units: map[string][2]string{
			"m": {"Meter", "Meter"}, "km": {"Kilometer", "Kilometer"}, "cm": {"Zentimeter", "Zentimeter"}, "mm": {"Millimeter", "Millimeter"}, "m²": {"Quadratmeter", "Quadratmeter"}, "cm²": {"Quadratzentimeter", "Quadratzentimeter"}, "km²": {"Quadratkilometer", "Quadratkilometer"}, "m³": {"Kubikmeter", "Kubikmeter"}, "cm³": {"Kubikzentimeter", "Kubikzentimeter"},
			"kg": {"Kilogramm", "Kilogramm"}, "g": {"Gramm", "Gramm"}, "mg": {"Milligramm", "Milligramm"}, "t": {"Tonne", "Tonnen"}, "l": {"Liter", "Liter"}, "L": {"Liter", "Liter"}, "ml": {"Milliliter", "Milliliter"}, "s": {"Sekunde", "Sekunden"}, "min": {"Minute", "Minuten"}, "h": {"Stunde", "Stunden"}, "km/h": {"Kilometer pro Stunde", "Kilometer pro Stunde"}, "m/s": {"Meter pro Sekunde", "Meter pro Sekunde"}, "m/s²": {"Meter pro Sekunde Quadrat", "Meter pro Sekunde Quadrat"},
			"°": {"Grad", "Grad"}, "°C": {"Grad Celsius", "Grad Celsius"}, "%": {"Prozent", "Prozent"}, "kn": {"Knoten", "Knoten"}, "sm": {"Seemeile", "Seemeilen"}, "N": {"Newton", "Newton"}, "J": {"Joule", "Joule"}, "W": {"Watt", "Watt"}, "V": {"Volt", "Volt"}, "A": {"Ampere", "Ampere"}, "Hz": {"Hertz", "Hertz"}, "€": {"Euro", "Euro"},
		},
	},
	"fr": {
		blank: "trou", squared: "au carré", cubed: "au cube", power: "puissance", minus: "moins",
		signs: map[string]string{"=": "égale", "+": "plus", "−": "moins", "-": "moins", "–": ",", "—": ",", "×": "fois", "÷": "divisé par", "<": "est inférieur à", ">": "est supérieur à", "≤": "est au plus", "≥": "est au moins", "≈": "est environ", "≠": "n’est pas", "→": "donne", "±": "plus ou moins", "&": "et", "√": "racine carrée de"},
		units: map[string][2]string{
			"m": {"mètre", "mètres"}, "km": {"kilomètre", "kilomètres"}, "cm": {"centimètre", "centimètres"}, "mm": {"millimètre", "millimètres"}, "m²": {"mètre carré", "mètres carrés"}, "cm²": {"centimètre carré", "centimètres carrés"}, "km²": {"kilomètre carré", "kilomètres carrés"}, "m³": {"mètre cube", "mètres cubes"}, "cm³": {"centimètre cube", "centimètres cubes"},
			"kg": {"kilogramme", "kilogrammes"}, "g": {"gramme", "grammes"}, "mg": {"milligramme", "milligrammes"}, "t": {"tonne", "tonnes"}, "l": {"litre", "litres"}, "L": {"litre", "litres"}, "ml": {"millilitre", "millilitres"}, "s": {"seconde", "secondes"}, "min": {"minute", "minutes"}, "h": {"heure", "heures"}, "km/h": {"kilomètre à l’heure", "kilomètres à l’heure"}, "m/s": {"mètre par seconde", "mètres par seconde"},
			"°": {"degré", "degrés"}, "°C": {"degré Celsius", "degrés Celsius"}, "%": {"pour cent", "pour cent"}, "N": {"newton", "newtons"}, "J": {"joule", "joules"}, "W": {"watt", "watts"}, "V": {"volt", "volts"}, "A": {"ampère", "ampères"}, "€": {"euro", "euros"},
		},
	},
	"es": {
		blank: "hueco", squared: "al cuadrado", cubed: "al cubo", power: "elevado a", minus: "menos",
		signs: map[string]string{"=": "igual a", "+": "más", "−": "menos", "-": "menos", "–": ",", "—": ",", "×": "por", "÷": "dividido por", "<": "es menor que", ">": "es mayor que", "≤": "es como mucho", "≥": "es al menos", "≈": "es aproximadamente", "≠": "no es", "→": "da", "±": "más o menos", "&": "y", "√": "raíz cuadrada de"},
		units: map[string][2]string{
			"m": {"metro", "metros"}, "km": {"kilómetro", "kilómetros"}, "cm": {"centímetro", "centímetros"}, "mm": {"milímetro", "milímetros"}, "m²": {"metro cuadrado", "metros cuadrados"}, "cm²": {"centímetro cuadrado", "centímetros cuadrados"}, "km²": {"kilómetro cuadrado", "kilómetros cuadrados"}, "m³": {"metro cúbico", "metros cúbicos"}, "cm³": {"centímetro cúbico", "centímetros cúbicos"},
			"kg": {"kilogramo", "kilogramos"}, "g": {"gramo", "gramos"}, "mg": {"miligramo", "miligramos"}, "t": {"tonelada", "toneladas"}, "l": {"litro", "litros"}, "L": {"litro", "litros"}, "ml": {"mililitro", "mililitros"}, "s": {"segundo", "segundos"}, "min": {"minuto", "minutos"}, "h": {"hora", "horas"}, "km/h": {"kilómetro por hora", "kilómetros por hora"}, "m/s": {"metro por segundo", "metros por segundo"},
			"°": {"grado", "grados"}, "°C": {"grado Celsius", "grados Celsius"}, "%": {"por ciento", "por ciento"}, "N": {"newton", "newtons"}, "J": {"julio", "julios"}, "W": {"vatio", "vatios"}, "V": {"voltio", "voltios"}, "A": {"amperio", "amperios"}, "€": {"euro", "euros"},
		},
	},
}
