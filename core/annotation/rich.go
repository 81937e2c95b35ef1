package annotation

import (
	"encoding/xml"
	"fmt"
	"io"
	"strconv"
	"strings"

	"readymargin/core/mark"
)

// families are the fonts of text marks as style sheets know them.
var families = map[string]string{"": "sans-serif", "serif": "serif", "school": "cursive", "mono": "monospace"}

// rich writes text with its looks as the XHTML that rich text strings are
// (ISO 32000-2, Annex of 12.7.4.3: elements body, p and span, and the properties
// font-size, color, font-family, font-weight, font-style, text-decoration and
// vertical-align).
func rich(t *mark.FreeText) string {
	var b strings.Builder
	b.WriteString(`<?xml version="1.0"?><body xmlns="http://www.w3.org/1999/xhtml" xmlns:xfa="http://www.xfa.org/schema/xfa-data/1.0/" xfa:spec="2.0.2">`)
	b.WriteString("<p>")
	for i, l := range t.Lines {
		if i > 0 && t.Lines[i-1].Hard {
			b.WriteString("</p><p>")
		}
		for _, r := range l.Runs {
			fmt.Fprintf(&b, `<span style="%s">`, style(r))
			xml.EscapeText(&b, []byte(r.Text)) // a builder takes everything
			b.WriteString("</span>")
		}
	}
	b.WriteString("</p></body>")
	return b.String()
}

func style(r mark.Run) string {
	s := fmt.Sprintf("font-size:%gpt;color:%s;font-family:%s", r.Size, r.Color, families[r.Font])
	if r.Bold {
		s += ";font-weight:bold"
	}
	if r.Italic {
		s += ";font-style:italic"
	}
	if r.Under {
		s += ";text-decoration:underline"
	}
	switch {
	case r.Shift > 0:
		s += ";vertical-align:super"
	case r.Shift < 0:
		s += ";vertical-align:sub"
	}
	return s
}

// maxDepth bounds how deep elements may stand in each other.
const maxDepth = 50

// plainRuns reads rich text: paragraphs of runs, in looks that begin with the
// given one. What is no such text gives nothing.
func plainRuns(xhtml string, look mark.Run) (paragraphs [][]mark.Run) {
	d := xml.NewDecoder(strings.NewReader(xhtml))
	d.Strict = false
	d.Entity = xml.HTMLEntity
	stack := []mark.Run{look}
	begun := false
	for {
		tok, err := d.Token()
		if err != nil {
			if err != io.EOF {
				return nil
			}
			return paragraphs
		}
		switch e := tok.(type) {
		case xml.StartElement:
			r := stack[len(stack)-1]
			switch e.Name.Local {
			case "p", "div", "li", "br":
				paragraphs, begun = append(paragraphs, nil), true
			case "b", "strong":
				r.Bold = true
			case "i", "em":
				r.Italic = true
			case "sup":
				r.Shift = 1
			case "sub":
				r.Shift = -1
			}
			for _, a := range e.Attr {
				if a.Name.Local == "style" {
					styled(&r, a.Value)
				}
			}
			if stack = append(stack, r); len(stack) > maxDepth {
				return nil
			}
		case xml.EndElement:
			if len(stack) > 1 {
				stack = stack[:len(stack)-1]
			}
		case xml.CharData:
			text := string(e)
			if !begun {
				if strings.TrimSpace(text) == "" {
					continue
				}
				paragraphs, begun = append(paragraphs, nil), true
			}
			r := stack[len(stack)-1]
			r.Text = strings.Map(func(c rune) rune {
				if c == '\n' || c == '\r' || c == '\t' {
					return ' '
				}
				return c
			}, text)
			if r.Text != "" {
				last := &paragraphs[len(paragraphs)-1]
				*last = append(*last, r)
			}
		}
	}
}

// styled sets what a style says of a run.
func styled(r *mark.Run, style string) {
	for _, rule := range strings.Split(style, ";") {
		name, value, _ := strings.Cut(rule, ":")
		value = strings.TrimSpace(value)
		switch strings.ToLower(strings.TrimSpace(name)) {
		case "font-size":
			if n, err := strconv.ParseFloat(strings.TrimSuffix(value, "pt"), 64); err == nil && n >= 4 && n <= 200 {
				r.Size = n
			}
		case "color":
			if c := mark.Color(strings.ToLower(value)); c.Good() {
				r.Color = c
			}
		case "font-family":
			r.Font = fontOf(value)
		case "font-weight":
			n, _ := strconv.Atoi(value)
			r.Bold = value == "bold" || n >= 600
		case "font-style":
			r.Italic = value == "italic" || value == "oblique"
		case "text-decoration":
			r.Under = strings.Contains(value, "underline")
		case "vertical-align":
			switch {
			case strings.Contains(value, "super") || strings.HasPrefix(value, "+"):
				r.Shift = 1
			case strings.Contains(value, "sub") || strings.HasPrefix(value, "-"):
				r.Shift = -1
			}
		}
	}
}

// fontOf returns the font of text marks that is nearest to one of that name.
func fontOf(family string) string {
	first, _, _ := strings.Cut(strings.ToLower(family), ",")
	first = strings.Trim(first, ` '"`)
	for _, k := range []struct{ part, font string }{
		{"monospace", "mono"}, {"mono", "mono"}, {"cour", "mono"}, {"sans", ""}, {"serif", "serif"}, {"times", "serif"}, {"tiro", "serif"}, {"roman", "serif"}, {"cursive", "school"},
	} {
		if strings.Contains(first, k.part) {
			return k.font
		}
	}
	return ""
}
