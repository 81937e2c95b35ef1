package dictation

import (
	"strconv"
	"strings"
)

var (
	ones = strings.Fields("zero one two three four five six seven eight nine ten eleven twelve thirteen fourteen fifteen sixteen seventeen eighteen nineteen")
	tens = strings.Fields("- - twenty thirty forty fifty sixty seventy eighty ninety")
)

// cardinal says a whole number below a million in English words, as it is said in Britain.
func cardinal(n int) string {
	switch {
	case n < 20:
		return ones[n]
	case n < 100:
		if n%10 == 0 {
			return tens[n/10]
		}
		return tens[n/10] + " " + ones[n%10]
	case n < 1000:
		return rest(ones[n/100]+" hundred", n%100, " and ")
	default:
		return rest(cardinal(n/1000)+" thousand", n%1000, map[bool]string{true: " and ", false: " "}[n%1000 < 100])
	}
}

func rest(said string, n int, join string) string {
	if n == 0 {
		return said
	}
	return said + join + cardinal(n)
}

// digits says digits one by one.
func digits(s string) string {
	var out []string
	for _, r := range s {
		out = append(out, ones[r-'0'])
	}
	return strings.Join(out, " ")
}

// numeral says a number as it is printed: 4.5, 1,200, 214, 08:20. There may be several
// ways; none for what is no number.
func numeral(s string) (ways []string) {
	whole, fraction, point := strings.Cut(strings.ReplaceAll(s, ",", ""), ".")
	if h, m, is := strings.Cut(s, ":"); is && len(m) == 2 && len(h) <= 2 && number(h) >= 0 && number(m) >= 0 {
		hour, minute := number(h), number(m)
		said := cardinal(minute)
		switch {
		case minute == 0:
			said = "o'clock"
		case minute < 10:
			said = "oh " + said
		}
		ways = append(ways, cardinal(hour)+" "+said)
		if len(h) == 2 && hour < 10 {
			ways = append(ways, "oh "+ways[0], "zero "+ways[0])
		}
		return ways
	}
	n := number(whole)
	if n < 0 || n >= 1e6 || point && number(fraction) < 0 {
		return nil
	}
	if point {
		return []string{cardinal(n) + " point " + digits(fraction)}
	}
	ways = []string{cardinal(n)}
	if len(whole) == 3 {
		ways = append(ways, digits(whole)) // as bearings are said
	}
	return ways
}

// number reads digits, -1 for anything else.
func number(s string) int {
	n, err := strconv.Atoi(s)
	if err != nil || s[0] < '0' || s[0] > '9' || len(s) > 7 {
		return -1
	}
	return n
}

// counted reads a number from the beginning of words, and says how many of them it takes;
// 0 where there is none.
func counted(ws []string) (text string, took int) {
	i := 0
	minus := ws[0] == "minus"
	if minus {
		i++
	}
	total, part, any := 0, 0, false
	last := 1000 // what a number may go on with is smaller than this
	for ; i < len(ws); i++ {
		w := ws[i]
		if v := index(ones, w); v >= 0 && (last == 1000 || v > 0 && v < last && v < 10 || last == 100 && v > 0) {
			part, last, any = part+v, 1, true
			continue
		}
		if v := index(tens, w); v > 1 && last > 10 {
			part, last, any = part+10*v, 10, true
			continue
		}
		if w == "hundred" && part > 0 && part < 10 {
			part, last = part*100, 100
			continue
		}
		if w == "thousand" && part > 0 && total == 0 {
			total, part, last = part*1000, 0, 1000
			continue
		}
		if w == "and" && any && (last == 100 || total > 0 && part == 0) && i+1 < len(ws) && (index(ones, ws[i+1]) > 0 || index(tens, ws[i+1]) > 1) {
			last = 100
			continue
		}
		break
	}
	if !any {
		return "", 0
	}
	text = strconv.Itoa(total + part)
	if i+1 < len(ws) && ws[i] == "point" && digit(ws[i+1]) >= 0 {
		text += "."
		for i++; i < len(ws) && digit(ws[i]) >= 0; i++ {
			text += strconv.Itoa(digit(ws[i]))
		}
	}
	if minus {
		text = "−" + text
	}
	return text, i
}

func digit(w string) int {
	if v := index(ones[:10], w); v >= 0 || w != "oh" {
		return v
	}
	return 0
}

func index(list []string, w string) int {
	for i, o := range list {
		if o == w {
			return i
		}
	}
	return -1
}
