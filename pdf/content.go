package pdf

import (
	"bytes"
	"errors"
	"strconv"

	"readymargin/core/page"
)

// errContent says that a content stream is not written as the standard has it. It is
// shown all the same, and left as it is.
var errContent = errors.New("pdf: a content stream that cannot be followed")

// A lexer takes a content stream apart into operands and operators (ISO 32000-2, 7.8.2).
type lexer struct {
	b  []byte
	at int
}

const (
	whitespace = "\x00\t\n\f\r "
	delimiters = "()<>[]{}/%"
)

// A token is a piece of a content stream: an operand, or else an operator.
type token struct {
	from, to int
	operand  bool
}

// next returns the next token; false at the end.
func (l *lexer) next() (t token, ok bool, err error) {
	l.space()
	if t.from = l.at; l.at >= len(l.b) {
		return t, false, nil
	}
	t.operand = true
	switch c := l.b[l.at]; {
	case c == '(':
		err = l.text()
	case c == '<' && !l.follows("<<"):
		err = l.until(">")
	case c == '<' || c == '[':
		err = l.nested()
	case c == '/':
		l.at++
		l.word()
	case bytes.IndexByte([]byte(delimiters), c) >= 0:
		err = errContent
	default:
		l.word()
		word := l.b[t.from:l.at]
		_, is := numeral(word)
		t.operand = is || string(word) == "true" || string(word) == "false" || string(word) == "null"
	}
	t.to = l.at
	return t, true, err
}

func (l *lexer) follows(s string) bool { return bytes.HasPrefix(l.b[l.at:], []byte(s)) }

// space passes over white space and comments.
func (l *lexer) space() {
	for l.at < len(l.b) {
		switch c := l.b[l.at]; {
		case c == '%':
			for l.at < len(l.b) && l.b[l.at] != '\n' && l.b[l.at] != '\r' {
				l.at++
			}
		case bytes.IndexByte([]byte(whitespace), c) >= 0:
			l.at++
		default:
			return
		}
	}
}

func (l *lexer) word() {
	for l.at < len(l.b) && bytes.IndexByte([]byte(whitespace+delimiters), l.b[l.at]) < 0 {
		l.at++
	}
}

func (l *lexer) until(end string) error {
	n := bytes.Index(l.b[l.at:], []byte(end))
	if n < 0 {
		return errContent
	}
	l.at += n + len(end)
	return nil
}

// text passes over a string in parentheses, which may hold others (7.3.4.2).
func (l *lexer) text() error {
	for deep := 0; l.at < len(l.b); l.at++ {
		switch l.b[l.at] {
		case '\\':
			l.at++
		case '(':
			deep++
		case ')':
			if deep--; deep == 0 {
				l.at++
				return nil
			}
		}
	}
	return errContent
}

// nested passes over an array or a dictionary.
func (l *lexer) nested() error {
	deep := 0
	for {
		l.space()
		switch {
		case l.at >= len(l.b):
			return errContent
		case l.follows("<<"):
			deep++
			l.at += 2
		case l.follows(">>"):
			deep--
			l.at += 2
		case l.b[l.at] == '[':
			deep++
			l.at++
		case l.b[l.at] == ']':
			deep--
			l.at++
		default:
			if _, _, err := l.next(); err != nil {
				return err
			}
		}
		if deep == 0 {
			return nil
		}
	}
}

// inline passes over a picture within the stream, behind its operator ID (8.9.7): its
// bytes may be any, and end before an EI behind which the stream goes on in letters.
func (l *lexer) inline() error {
	for {
		n := bytes.Index(l.b[l.at:], []byte("EI"))
		if n < 1 {
			return errContent
		}
		before := l.b[l.at+n-1]
		l.at += n + 2
		rest := l.b[l.at:min(l.at+16, len(l.b))]
		odd := bytes.IndexFunc(rest, func(r rune) bool { return r > 126 || r < ' ' && r != '\n' && r != '\r' && r != '\t' })
		if bytes.IndexByte([]byte(whitespace), before) >= 0 && odd < 0 && (len(rest) == 0 || bytes.IndexByte([]byte(whitespace), rest[0]) >= 0) {
			return nil
		}
	}
}

// numeral reads a number as a content stream has it.
func numeral(word []byte) (float64, bool) {
	if c := word[len(word)-1]; c != '.' && (c < '0' || c > '9') {
		return 0, false
	}
	v, err := strconv.ParseFloat(string(word), 64)
	return v, err == nil
}

// A graphics state is what of it says where things stand (8.4, 9.3).
type graphics struct {
	ctm                         page.Matrix
	size, leading, scaled, rise float64
}

// A follower goes through a content stream and tells where what it paints stands.
type follower struct {
	lexer
	state    graphics
	stack    []graphics
	text     bool // within a text object
	line     page.Matrix
	glyph    page.Matrix
	moved    bool // since text was shown last, so that it is known where the next begins
	operands []token
	begun    int // where the path begins, -1 for none
	path     []page.Point
}

// A painting is what one operator paints, with its operands from one byte on to another.
type painting struct {
	from, to int
	kind     paintingKind
	start    page.Point // of text, within its first letter
	goesOn   bool       // text begins where the text before ends
	box      page.Rect  // of all but text
	name     string     // of a form or a picture in the resources
}

type paintingKind int

const (
	paintsText paintingKind = iota
	paintsPath
	paintsObject
	paintsInline
	paintsShading
)

// A visitor is told what a content stream paints, and where marked content and text
// objects begin and end.
type visitor interface {
	paints(painting, page.Matrix)
	// bounds is told of an operator that marked content must not reach over, with its operands.
	bounds(operator string, operands [][]byte, from, to int) error
}

// most is how many operators are followed, and how deep states may lie.
const (
	mostOperators = 1_000_000
	mostStates    = 1_000
)

// follow goes through the stream, whose space leads to the page by ctm.
func follow(content []byte, ctm page.Matrix, v visitor) error {
	f := follower{lexer: lexer{b: content}, begun: -1, state: graphics{ctm: ctm, scaled: 1}}
	for range mostOperators {
		t, ok, err := f.next()
		if err != nil {
			return err
		}
		if !ok {
			if f.text || f.begun >= 0 {
				return errContent
			}
			return nil
		}
		if t.operand {
			f.operands = append(f.operands, t)
			continue
		}
		if err := f.operator(string(content[t.from:t.to]), t, v); err != nil {
			return err
		}
		f.operands = f.operands[:0]
	}
	return errContent
}

// numbers returns the last n operands.
func (f *follower) numbers(n int) ([]float64, error) {
	if len(f.operands) < n {
		return nil, errContent
	}
	out := make([]float64, n)
	for i, o := range f.operands[len(f.operands)-n:] {
		v, ok := numeral(f.b[o.from:o.to])
		if !ok {
			return nil, errContent
		}
		out[i] = v
	}
	return out, nil
}

// matrixOf returns the matrix of six numbers.
func matrixOf(n []float64) page.Matrix {
	return page.Matrix{A: n[0], B: n[1], C: n[2], D: n[3], E: n[4], F: n[5]}
}

// unitSquare returns where a picture is painted, which fills the unit square (8.9.5.1).
func unitSquare(m page.Matrix) page.Rect {
	return page.Bounds(m.Apply(page.Pt(0, 0)), m.Apply(page.Pt(1, 0)), m.Apply(page.Pt(0, 1)), m.Apply(page.Pt(1, 1)))
}

// operands each operator has that is followed (annex A).
var operandsOf = map[string]int{
	"cm": 6, "Tf": 1, "TL": 1, "Ts": 1, "Tz": 1, "Td": 2, "TD": 2, "Tm": 6, "m": 2, "l": 2, "c": 6, "v": 4, "y": 4, "re": 4,
}

func (f *follower) operator(op string, t token, v visitor) error {
	from := t.from
	if len(f.operands) > 0 {
		from = f.operands[0].from
	}
	var n []float64
	if want := operandsOf[op]; want > 0 {
		var err error
		if n, err = f.numbers(want); err != nil {
			return err
		}
	}
	paint := func(p painting) {
		p.from, p.to = from, t.to
		v.paints(p, f.state.ctm)
	}
	switch op {
	case "q":
		if len(f.stack) >= mostStates {
			return errContent
		}
		f.stack = append(f.stack, f.state)
	case "Q":
		if n := len(f.stack); n > 0 {
			f.state, f.stack = f.stack[n-1], f.stack[:n-1]
		}
	case "cm":
		f.state.ctm = matrixOf(n).Then(f.state.ctm)
	case "BT", "ET":
		if f.text == (op == "BT") {
			return errContent
		}
		f.text, f.line, f.glyph, f.moved = op == "BT", page.Matrix{A: 1, D: 1}, page.Matrix{A: 1, D: 1}, true
		return v.bounds(op, nil, from, t.to)
	case "BMC", "BDC", "EMC":
		var all [][]byte
		for _, o := range f.operands {
			all = append(all, f.b[o.from:o.to])
		}
		return v.bounds(op, all, from, t.to)
	case "Tf":
		f.state.size = n[0]
	case "TL":
		f.state.leading = n[0]
	case "Ts":
		f.state.rise = n[0]
	case "Tz":
		f.state.scaled = n[0] / 100
	case "Td", "TD":
		if op == "TD" {
			f.state.leading = -n[1]
		}
		f.newLine(n[0], n[1])
	case "Tm":
		f.line = matrixOf(n)
		f.glyph, f.moved = f.line, true
	case "T*":
		f.newLine(0, -f.state.leading)
	case "Tj", "TJ", "'", `"`:
		if !f.text || len(f.operands) == 0 {
			return errContent
		}
		if op == "'" || op == `"` {
			f.newLine(0, -f.state.leading)
		}
		paint(painting{kind: paintsText, start: f.start(op), goesOn: !f.moved})
		f.moved = false
	case "Do":
		if len(f.operands) == 0 {
			return errContent
		}
		o := f.operands[len(f.operands)-1]
		paint(painting{kind: paintsObject, name: string(f.b[min(o.from+1, o.to):o.to])})
	case "sh":
		paint(painting{kind: paintsShading})
	case "BI":
		for {
			in, ok, err := f.next()
			if err != nil || !ok {
				return errContent
			}
			if !in.operand && string(f.b[in.from:in.to]) == "ID" {
				break
			}
		}
		if err := f.inline(); err != nil {
			return err
		}
		t.to = f.lexer.at
		paint(painting{kind: paintsInline, box: unitSquare(f.state.ctm)})
	default:
		f.draw(op, n, from, t.to, v)
	}
	return nil
}

func (f *follower) newLine(x, y float64) {
	f.line = page.Matrix{A: 1, D: 1, E: x, F: y}.Then(f.line)
	f.glyph, f.moved = f.line, true
}

// start is a place within the first letter that is shown: a little right of its origin,
// and above its baseline. What an array moves before it is taken along.
func (f *follower) start(op string) page.Point {
	x := 0.0
	if o := f.operands[len(f.operands)-1]; op == "TJ" && o.to-o.from > 2 {
		in := lexer{b: f.b[o.from+1 : o.to-1]}
		for {
			t, ok, err := in.next()
			if err != nil || !ok {
				break
			}
			v, is := numeral(in.b[t.from:t.to])
			if !is {
				break
			}
			x -= v / 1000 * f.state.size * f.state.scaled
		}
	}
	return f.glyph.Then(f.state.ctm).Apply(page.Pt(x+0.1*f.state.size, f.state.rise+0.25*f.state.size))
}

// draw follows a path to where it is painted.
func (f *follower) draw(op string, n []float64, from, to int, v visitor) {
	switch op {
	case "re":
		n = []float64{n[0], n[1], n[0] + n[2], n[1], n[0], n[1] + n[3], n[0] + n[2], n[1] + n[3]}
		fallthrough
	case "m", "l", "c", "v", "y":
		if f.begun < 0 {
			f.begun = from
		}
		for i := 0; i < len(n); i += 2 {
			f.path = append(f.path, f.state.ctm.Apply(page.Pt(n[i], n[i+1])))
		}
		if len(f.path) > 64 { // their bounds are all that is asked for
			b := page.Bounds(f.path...)
			f.path = append(f.path[:0], b.Min, b.Max)
		}
		return
	case "S", "s", "f", "F", "f*", "B", "B*", "b", "b*":
		if f.begun >= 0 {
			v.paints(painting{from: f.begun, to: to, kind: paintsPath, box: page.Bounds(f.path...)}, f.state.ctm)
		}
	case "n":
	default:
		return
	}
	f.begun, f.path = -1, f.path[:0]
}
