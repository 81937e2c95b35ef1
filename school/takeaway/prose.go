package takeaway

import (
	"fmt"
	"strings"

	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/ast"
	"github.com/yuin/goldmark/text"

	"readymargin/core/mark"
	"readymargin/core/typeset"
)

// A paragraph of what was said, with what stands before it.
type paragraph struct {
	lead   string // a bullet or a number, "" for none
	indent float64
	runs   []mark.Run // without a size and a colour
}

// listIndent is how far what is in a list stands in, in points.
const listIndent = 14

// paragraphs reads what was said: plain words, or CommonMark.
func paragraphs(said string, rich bool) (out []paragraph) {
	if !rich {
		return []paragraph{{runs: []mark.Run{{Text: said}}}}
	}
	source := []byte(said)
	r := reader{source: source}
	for n := goldmark.New().Parser().Parse(text.NewReader(source)).FirstChild(); n != nil; n = n.NextSibling() {
		r.block(n, 0, "")
	}
	return r.out
}

// plainly gives what was said without the signs of its form.
func plainly(said string, rich bool) string {
	var lines []string
	for _, p := range paragraphs(said, rich) {
		line := p.lead
		for _, r := range p.runs {
			line += r.Text
		}
		lines = append(lines, line)
	}
	return strings.Join(lines, "\n")
}

type reader struct {
	source []byte
	out    []paragraph
}

func (r *reader) block(n ast.Node, indent float64, lead string) {
	if l, ok := n.(*ast.List); ok {
		number := l.Start
		for item := l.FirstChild(); item != nil; item = item.NextSibling() {
			lead := "• "
			if l.IsOrdered() {
				lead = fmt.Sprintf("%d. ", number)
				number++
			}
			for c := item.FirstChild(); c != nil; c = c.NextSibling() {
				r.block(c, indent+listIndent, lead)
				lead = ""
			}
		}
		return
	}
	p := paragraph{lead: lead, indent: indent}
	r.inline(n, mark.Run{}, &p)
	r.out = append(r.out, p)
}

// inline adds the words in a node to a paragraph. Where a link leads is said behind
// it, since paper cannot be pressed.
func (r *reader) inline(n ast.Node, look mark.Run, p *paragraph) {
	for c := n.FirstChild(); c != nil; c = c.NextSibling() {
		now := look
		switch c := c.(type) {
		case *ast.Text:
			now.Text = unescaped(string(c.Segment.Value(r.source)))
			if c.HardLineBreak() {
				now.Text += "\n"
			} else if c.SoftLineBreak() {
				now.Text += " "
			}
			p.runs = append(p.runs, now)
		case *ast.AutoLink:
			now.Text = string(c.URL(r.source))
			p.runs = append(p.runs, now)
		case *ast.Emphasis:
			now.Bold, now.Italic = look.Bold || c.Level == 2, look.Italic || c.Level == 1
			r.inline(c, now, p)
		case *ast.Link:
			r.inline(c, look, p)
			now.Text = " (" + string(c.Destination) + ")"
			p.runs = append(p.runs, now)
		default:
			r.inline(c, look, p)
		}
	}
}

// unescaped takes the backslashes away that CommonMark has before signs (6.1).
func unescaped(s string) string {
	var out strings.Builder
	for i := 0; i < len(s); i++ {
		if s[i] == '\\' && i+1 < len(s) && strings.IndexByte("!\"#$%&'()*+,-./:;<=>?@[\\]^_`{|}~", s[i+1]) >= 0 {
			i++
		}
		out.WriteByte(s[i])
	}
	return out.String()
}

// wrapped breaks runs into lines no wider than width.
func wrapped(runs []mark.Run, size, width float64) (out [][]mark.Run) {
	all, bold := "", false
	for _, r := range runs {
		all, bold = all+r.Text, bold || r.Bold
	}
	lines := typeset.Of(typeset.Look{Bold: bold}).Wrap(all, size, width)
	k, at := 0, 0 // of the runs, and in that run's text
	for _, l := range lines {
		var line []mark.Run
		for l != "" && k < len(runs) {
			rest := runs[k].Text[at:]
			if rest == "" {
				k, at = k+1, 0
				continue
			}
			n := 0
			for n < len(rest) && n < len(l) && rest[n] == l[n] {
				n++
			}
			if n == 0 { // a space or a line's end that the break took
				at++
				continue
			}
			part := runs[k]
			part.Text = l[:n]
			line = append(line, part)
			l, at = l[n:], at+n
		}
		out = append(out, line)
	}
	return out
}
