package typeset

import (
	"bytes"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"sync"
	"unicode"

	"github.com/go-text/typesetting/di"
	shapefont "github.com/go-text/typesetting/font"
	ot "github.com/go-text/typesetting/font/opentype"
	"github.com/go-text/typesetting/language"
	"github.com/go-text/typesetting/shaping"
	"golang.org/x/image/math/fixed"
	"golang.org/x/text/unicode/bidi"
)

// Beside Latin, Greek, Cyrillic and signs there are fonts of other scripts, in slices
// of some hundred letters each, the same files for browsers and here; see
// scripts/fonts.mjs. Letters whose shapes depend on their neighbours, and those that
// run from right to left, are set by HarfBuzz's rules (go-text), as browsers set them.

// A span is a range of letters that a slice has.
type span struct {
	from, to rune
	file     string
}

// spans are the slices of each family, by their letters.
var spans = sync.OnceValue(func() map[string][]span {
	list, err := Files.ReadFile("fonts/scripts/list.txt")
	if err != nil {
		panic(fmt.Sprintf("typeset: the list of fonts: %v", err))
	}
	out := map[string][]span{}
	for _, line := range strings.Split(strings.TrimSpace(string(list)), "\n") {
		family, rest, _ := strings.Cut(line, " ")
		file, ranges, _ := strings.Cut(rest, " ")
		for _, r := range strings.Split(ranges, ",") {
			from, to, ranged := strings.Cut(r, "-")
			a, err := strconv.ParseInt(from, 16, 32)
			b := a
			if err == nil && ranged {
				b, err = strconv.ParseInt(to, 16, 32)
			}
			if err != nil {
				panic(fmt.Sprintf("typeset: the list of fonts: %q", r))
			}
			out[family] = append(out[family], span{rune(a), rune(b), file})
		}
	}
	for _, all := range out {
		slices.SortFunc(all, func(x, y span) int { return int(x.from - y.from) })
	}
	return out
})

// families are the fonts of scripts in the order in which style sheets name them, by
// the language that Chinese characters are set for.
var families = map[string][]string{
	"":   {"arabic", "hebrew", "devanagari", "thai", "sc", "jp", "kr"},
	"ja": {"arabic", "hebrew", "devanagari", "thai", "jp", "sc", "kr"},
	"ko": {"arabic", "hebrew", "devanagari", "thai", "kr", "sc", "jp"},
}

// other returns the face of another script that has a letter, and its glyph.
func other(r rune, lang string) (*Face, uint16) {
	if r < 0x02D7 {
		return nil, 0
	}
	for _, family := range families[lang] {
		all := spans()[family]
		i, _ := slices.BinarySearchFunc(all, r, func(s span, r rune) int {
			switch {
			case s.to < r:
				return -1
			case s.from > r:
				return 1
			}
			return 0
		})
		for ; i < len(all) && all[i].from <= r; i++ {
			if all[i].to < r {
				continue
			}
			f := face("scripts/" + all[i].file)
			if id := f.glyph(r); id != 0 {
				return f, id
			}
		}
	}
	return nil, 0
}

// joining are the scripts whose letters take their shapes from their neighbours, or
// stand on them.
var joining = []*unicode.RangeTable{unicode.Arabic, unicode.Hebrew, unicode.Devanagari, unicode.Thai}

// joins reports whether a text takes more than one glyph beside the other.
func joins(s string) bool {
	return strings.ContainsFunc(s, func(r rune) bool { return r >= 0x0590 && unicode.In(r, joining...) })
}

// off are the features that browsers are told to leave off, too: what is left is what
// a script cannot do without.
var off = func() (out []shaping.FontFeature) {
	for _, tag := range []string{"kern", "liga", "clig", "calt"} {
		out = append(out, shaping.FontFeature{Tag: ot.MustNewTag(tag)})
	}
	return out
}()

// shaped sets a text in which letters depend on each other, from left to right as it
// is seen, in a paragraph that runs from left to right (Unicode Standard Annex 9).
func (fs Faces) shaped(s, lang string, size float64) (out []Glyph) {
	var shaper shaping.HarfbuzzShaper
	for _, part := range visual(s) {
		text := []rune(part.text)
		pieces := fs.byFace(text, lang)
		if part.back {
			slices.Reverse(pieces)
		}
		for _, p := range pieces {
			out = append(out, p.face.shape(&shaper, text, p, part.back, size)...)
		}
	}
	return out
}

// A directed part of a line runs one way.
type directed struct {
	text string
	back bool
}

// visual returns the parts of a line in the order in which they are seen from the
// left. Numbers within what runs to the left run to the right, in their place there.
func visual(s string) (out []directed) {
	// A mark that runs to the right makes the whole paragraph do so.
	const mark = "\u200e"
	var p bidi.Paragraph
	if _, err := p.SetString(mark + s); err != nil {
		return []directed{{s, false}}
	}
	o, err := p.Order()
	if err != nil {
		return []directed{{s, false}}
	}
	var within []directed // what runs to the left, with numbers in it, as it is read
	flush := func() {
		slices.Reverse(within)
		out, within = append(out, within...), nil
	}
	for i := range o.NumRuns() {
		r := o.Run(i)
		d := directed{strings.TrimPrefix(r.String(), mark), r.Direction() == bidi.RightToLeft}
		if d.text == "" {
			continue
		}
		if d.back || len(within) > 0 && !strings.ContainsFunc(d.text, unicode.IsLetter) {
			within = append(within, d)
			continue
		}
		flush()
		out = append(out, d)
	}
	flush()
	return out
}

// A faced part of a text, from rune to rune, is set in one face.
type faced struct {
	face     *Face
	from, to int
}

// byFace parts a text by its faces. What stands on a letter, and what joins letters or
// parts them, goes with the letter before it where that face has it.
func (fs Faces) byFace(text []rune, lang string) (out []faced) {
	for i, r := range text {
		f, _ := fs.find(r, lang)
		if n := len(out); n > 0 && out[n-1].face.glyph(r) != 0 && unicode.In(r, unicode.Mn, unicode.Cf) {
			f = out[n-1].face
		}
		if f == nil {
			f = fs[len(fs)-1]
		}
		if n := len(out); n > 0 && out[n-1].face == f {
			out[n-1].to = i + 1
		} else {
			out = append(out, faced{f, i, i + 1})
		}
	}
	return out
}

// shaper returns the face as HarfBuzz's rules need it.
func (f *Face) shaper() *shapefont.Face {
	f.once.Do(func() {
		parsed, err := shapefont.ParseTTF(bytes.NewReader(f.SFNT.Write()))
		if err != nil {
			panic(fmt.Sprintf("typeset: font %s: %v", f.Name, err))
		}
		f.shapes = parsed
	})
	return f.shapes
}

// shape sets a part of a text in the face.
func (f *Face) shape(shaper *shaping.HarfbuzzShaper, text []rune, p faced, back bool, size float64) (out []Glyph) {
	f.shaping.Lock() // a face keeps what it has found
	defer f.shaping.Unlock()
	units := float64(f.SFNT.Head.UnitsPerEm)
	in := shaping.Input{
		Text: text, RunStart: p.from, RunEnd: p.to, Face: f.shaper(), Size: fixed.I(int(units)), FontFeatures: off, Script: scriptOf(text[p.from:p.to]), Direction: di.DirectionLTR,
	}
	if back {
		in.Direction = di.DirectionRTL
	}
	set := shaper.Shape(in)
	scale := size / units / 64
	for i, g := range set.Glyphs {
		at := g.TextIndex()
		said := ""
		if i == 0 || set.Glyphs[i-1].TextIndex() != at {
			said = string(text[at:min(at+g.RunesCount(), len(text))])
		}
		out = append(out, Glyph{Face: f, ID: uint16(g.GlyphID), Rune: text[at], Text: said, Width: float64(g.Advance) * scale, X: float64(g.XOffset) * scale, Y: float64(g.YOffset) * scale})
	}
	return out
}

func scriptOf(text []rune) language.Script {
	for _, r := range text {
		if s := language.LookupScript(r); s != language.Common && s != language.Inherited && s != language.Unknown {
			return s
		}
	}
	return language.Latin
}
