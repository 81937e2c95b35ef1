package annotation

import (
	"fmt"
	"math"
	"strconv"
	"strings"
	"time"

	"readymargin/core/mark"
)

// Date writes a date (ISO 32000-2, 7.9.4); the zero time is "".
func Date(t time.Time) string {
	if t.IsZero() {
		return ""
	}
	return t.UTC().Format("D:20060102150405") + "Z"
}

// ParseDate reads a date, which may end early and may be in any zone; what is none is
// the zero time.
func ParseDate(s string) time.Time {
	s = strings.TrimPrefix(s, "D:")
	zone := ""
	if i := strings.IndexAny(s, "Z+-"); i >= 0 {
		s, zone = s[:i], strings.ReplaceAll(s[i:], "'", "")
	}
	const form = "20060102150405"
	if len(s) < 4 || len(s) > len(form) {
		return time.Time{}
	}
	t, err := time.Parse(form[:len(s)], s)
	if err != nil {
		return time.Time{}
	}
	if off, err := time.Parse("-0700", zone); err == nil {
		_, seconds := off.Zone()
		t = t.Add(-time.Duration(seconds) * time.Second)
	}
	return t.UTC()
}

// ColorOf returns a colour of one, three or four components in sRGB, "" of none. Of
// inks, each takes away its light.
func ColorOf(c []float64) mark.Color {
	part := func(v float64) int { return int(math.Round(255 * min(max(v, 0), 1))) }
	var red, green, blue float64
	switch len(c) {
	case 1:
		red, green, blue = c[0], c[0], c[0]
	case 3:
		red, green, blue = c[0], c[1], c[2]
	case 4:
		red, green, blue = (1-c[0])*(1-c[3]), (1-c[1])*(1-c[3]), (1-c[2])*(1-c[3])
	default:
		return ""
	}
	return mark.Color(fmt.Sprintf("#%02x%02x%02x", part(red), part(green), part(blue)))
}

// StandardFont returns the name of what readers set text in that is changed elsewhere
// (ISO 32000-2, 9.6.2.2), by the font of a text mark.
func StandardFont(font string) string {
	switch font {
	case "serif":
		return "TiRo"
	case "mono":
		return "Cour"
	}
	return "Helv"
}

// Appearance writes how text is set, as DA has it (ISO 32000-2, 12.7.4.3), in a font
// of that name and a size in user space.
func Appearance(font string, size float64, c mark.Color) string {
	r, g, b := c.RGB()
	return fmt.Sprintf("/%s %.4g Tf %.4g %.4g %.4g rg", font, size, r, g, b)
}

// ParseAppearance reads DA; what it does not say is zero.
func ParseAppearance(s string) (font string, size float64, c mark.Color) {
	var operands []float64
	last := ""
	for _, word := range strings.Fields(s) {
		if v, err := strconv.ParseFloat(word, 64); err == nil {
			operands = append(operands, v)
			continue
		}
		switch word {
		case "Tf":
			if font = last; len(operands) > 0 {
				size = operands[len(operands)-1]
			}
		case "g", "rg", "k", "G", "RG", "K":
			c = ColorOf(operands)
		}
		operands = operands[:0]
		last = strings.TrimPrefix(word, "/")
	}
	return font, size, c
}
