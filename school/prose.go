package school

import (
	"fmt"
	"strings"

	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/ast"
	"github.com/yuin/goldmark/text"

	"readymargin/core/mark"
)

// A Paragraph of what was said, with what stands before it.
type Paragraph struct {
	Lead string     // a bullet or a number, "" for none
	Deep int        // in how many lists it is
	Runs []mark.Run // without a size and a colour
}

// Paragraphs reads what was said: plain words, or CommonMark where they are rich.
func Paragraphs(said string, rich bool) []Paragraph {
	if !rich {
		return []Paragraph{{Runs: []mark.Run{{Text: said}}}}
	}
	source := []byte(said)
	r := proseReader{source: source}
	for n := goldmark.New().Parser().Parse(text.NewReader(source)).FirstChild(); n != nil; n = n.NextSibling() {
		r.block(n, 0, "")
	}
	return r.out
}

// Plainly gives what was said without the signs of its form.
func Plainly(said string, rich bool) string {
	var lines []string
	for _, p := range Paragraphs(said, rich) {
		line := p.Lead
		for _, r := range p.Runs {
			line += r.Text
		}
		lines = append(lines, line)
	}
	return strings.Join(lines, "\n")
}

type proseReader struct {
	source []byte
	out    []Paragraph
}

func (r *proseReader) block(n ast.Node, deep int, lead string) {
	if l, ok := n.(*ast.List); ok {
		number := l.Start
		for item := l.FirstChild(); item != nil; item = item.NextSibling() {
			lead := "• "
			if l.IsOrdered() {
				lead = fmt.Sprintf("%d. ", number)
				number++
			}
			for c := item.FirstChild(); c != nil; c = c.NextSibling() {
				r.block(c, deep+1, lead)
				lead = ""
			}
		}
		return
	}
	p := Paragraph{Lead: lead, Deep: deep}
	r.inline(n, mark.Run{}, &p)
	r.out = append(r.out, p)
}

// inline adds the words in a node to a paragraph. Where a link leads is said behind
// it, since paper cannot be pressed.
func (r *proseReader) inline(n ast.Node, look mark.Run, p *Paragraph) {
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
			p.Runs = append(p.Runs, now)
		case *ast.AutoLink:
			now.Text = string(c.URL(r.source))
			p.Runs = append(p.Runs, now)
		case *ast.Emphasis:
			now.Bold, now.Italic = look.Bold || c.Level == 2, look.Italic || c.Level == 1
			r.inline(c, now, p)
		case *ast.Link:
			r.inline(c, look, p)
			now.Text = " (" + string(c.Destination) + ")"
			p.Runs = append(p.Runs, now)
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
