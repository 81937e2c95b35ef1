// Package typeset measures and breaks text in the fonts that ship, so that
// text which no browser has set still comes out as one would have set it, and
// so that a PDF places every letter where the screen did.
//
// The browser sets text marks without kerning and ligatures; the way from one
// letter to the next is then the advance width of the font (OpenType hmtx),
// and nothing else needs to be known to agree with it.
package typeset

import (
	"embed"
	"fmt"
	"path"
	"strings"
	"sync"
	"unicode"

	shapefont "github.com/go-text/typesetting/font"
	"github.com/tdewolff/font"
	"golang.org/x/text/unicode/bidi"

	"readymargin/core/mark"
)

// Files holds the fonts of text marks in WOFF 2.0, for browsers and for Load.
//
//go:embed fonts/*.woff2 fonts/scripts
var Files embed.FS

// A Face is one font file.
type Face struct {
	Name string
	SFNT *font.SFNT

	once    sync.Once
	shapes  *shapefont.Face
	shaping sync.Mutex

	mu    sync.Mutex
	found map[rune]uint16 // letters looked for before; a font's own table is walked each time
}

// mostFound bounds the letters that a face remembers.
const mostFound = 1 << 16

// glyph returns the face's glyph for a letter, 0 when it has none.
func (f *Face) glyph(r rune) uint16 {
	f.mu.Lock()
	defer f.mu.Unlock()
	id, known := f.found[r]
	if !known {
		id = f.SFNT.GlyphIndex(r)
		if f.found == nil || len(f.found) >= mostFound {
			f.found = map[rune]uint16{}
		}
		f.found[r] = id
	}
	return id
}

// Faces is a chain of fonts: a letter is set in the first that has it.
type Faces []*Face

// A Look is one look of text: a font by its name (see mark.Fonts), broad or
// not, slanted or not.
type Look struct {
	Font         string
	Bold, Italic bool
}

// Load returns the faces of plain text; see Of.
func Load() Faces { return Of(Look{}) }

// Of returns the faces of a look, in the order in which the browser's style
// sheet names them. The fonts are part of the program, so an error is an
// error of the build. A font that there is not is set in the clear one.
func Of(l Look) Faces {
	if out, ok := looks.Load(l); ok {
		return out.(Faces)
	}
	name, weight, slant := l.Font, "400", "normal"
	if name != "serif" && name != "school" && name != "mono" {
		name = "clear"
	}
	if l.Bold {
		weight = "700"
	}
	if l.Italic {
		slant = "italic"
	}
	base := name + "-" + weight + "-" + slant
	out := Faces{face(base + "-latin"), face(base + "-latin-ext"), face("signs")}
	kept, _ := looks.LoadOrStore(l, out)
	return kept.(Faces)
}

var (
	looks sync.Map // Look to Faces
	files sync.Map // name to *Face: a face is one, so that a PDF embeds it once
)

func face(name string) *Face {
	if f, ok := files.Load(name); ok {
		return f.(*Face)
	}
	file := name
	if path.Ext(file) == "" {
		file += ".woff2"
	}
	b, err := Files.ReadFile("fonts/" + file)
	if err == nil {
		b, err = font.ToSFNT(b)
	}
	var sfnt *font.SFNT
	if err == nil {
		sfnt, err = font.ParseSFNT(b, 0)
	}
	if err != nil {
		panic(fmt.Sprintf("typeset: font %s: %v", name, err))
	}
	kept, _ := files.LoadOrStore(name, &Face{Name: strings.TrimSuffix(strings.TrimPrefix(name, "scripts/"), path.Ext(name)), SFNT: sfnt})
	return kept.(*Face)
}

// Advance returns the way from one letter to the next at the given size, in points.
func (f *Face) Advance(glyph uint16, size float64) float64 {
	return float64(f.SFNT.GlyphAdvance(glyph)) * size / float64(f.SFNT.Head.UnitsPerEm)
}

// A Glyph is a letter's picture in one face; Rune is what it stands for. Where letters
// depend on each other, Text is all that it and those behind it stand for, "" on those
// behind it.
type Glyph struct {
	Face  *Face
	ID    uint16
	Rune  rune
	Text  string
	Width float64 // advance, points
	X, Y  float64 // to the right and above of where it would stand, points
}

// Shape returns the glyphs of s at the given size, from the left. A letter that no
// face has comes out as the last face's sign for "missing"; see Unfit.
func (fs Faces) Shape(s string, size float64) []Glyph {
	return fs.ShapeFor(s, mark.Han(s), size)
}

// ShapeFor is Shape with Chinese characters as they are written in a language, "" for
// Chinese.
func (fs Faces) ShapeFor(s, lang string, size float64) []Glyph {
	if joins(s) {
		return fs.shaped(s, lang, size)
	}
	var out []Glyph
	for _, r := range s {
		f, id := fs.find(r, lang)
		if f == nil {
			f = fs[len(fs)-1]
		}
		out = append(out, Glyph{Face: f, ID: id, Rune: r, Text: string(r), Width: f.Advance(id, size)})
	}
	return out
}

func (fs Faces) find(r rune, lang string) (*Face, uint16) {
	if r == '\u00a0' || r == '\t' {
		r = ' '
	}
	for _, f := range fs {
		if id := f.glyph(r); id != 0 {
			return f, id
		}
	}
	return other(r, lang)
}

// Unfit returns the letters of s that no face has, each once and in order. Letters
// that are in but are passed over, and are in it afterwards.
func (fs Faces) Unfit(s string, but map[rune]bool) []rune {
	var out []rune
	for _, r := range s {
		if r < ' ' || but[r] {
			continue
		}
		if f, _ := fs.find(r, ""); f == nil && !unicode.Is(unicode.Cf, r) {
			but[r] = true
			out = append(out, r)
		}
	}
	return out
}

// backwards reports whether a letter runs from right to left (the classes R and AL of
// Unicode Standard Annex 9).
func backwards(r rune) bool {
	p, _ := bidi.LookupRune(r)
	return p.Class() == bidi.R || p.Class() == bidi.AL
}

// RightToLeft reports whether s has letters that run from right to left.
func RightToLeft(s string) bool { return strings.ContainsFunc(s, backwards) }

// Width returns the width of s at the given size, in points.
func (fs Faces) Width(s string, size float64) float64 {
	w := 0.0
	for _, g := range fs.Shape(s, size) {
		w += g.Width
	}
	return w
}
