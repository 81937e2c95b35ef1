package pdf

import (
	"encoding/binary"
	"fmt"
	"math"
	"slices"
	"strings"
	"unicode/utf16"

	"github.com/tdewolff/font"

	"readymargin/core/draw"
	"readymargin/core/typeset"
)

// A fontBook collects the letters that a file uses and embeds a subset of
// each face for them, as composite fonts (ISO 32000-2, 9.7).
type fontBook struct {
	faces []*typeset.Face // in the order in which they were first used
	names map[*typeset.Face]string
	used  map[*typeset.Face]*subset
}

// A subset is the glyphs used of one face; a glyph's place is its code.
type subset struct {
	glyphs []uint16
	texts  []string // what they stand for
	code   map[uint16]int
}

func newFontBook() *fontBook {
	return &fontBook{names: map[*typeset.Face]string{}, used: map[*typeset.Face]*subset{}}
}

// subset returns the letters used of a face.
func (b *fontBook) subset(f *typeset.Face) *subset {
	if b.used[f] == nil {
		b.names[f] = fmt.Sprintf("%sF%d", ownNames, len(b.faces))
		b.used[f] = &subset{glyphs: []uint16{0}, texts: []string{""}, code: map[uint16]int{0: 0}}
		b.faces = append(b.faces, f)
	}
	return b.used[f]
}

// A piece is a part of a run that one font sets.
type piece struct {
	font  string
	codes []byte // hexadecimal, two bytes a glyph
	width float64
	x, y  float64 // to the right and above of where it would stand
	alone bool    // no further glyph follows as the font has it
}

const hexDigits = "0123456789ABCDEF"

func (b *fontBook) pieces(r draw.Run) []piece {
	var out []piece
	for _, g := range typeset.Of(typeset.Look{Font: r.Font, Bold: r.Bold, Italic: r.Italic}).ShapeFor(r.Text, r.Lang, r.Size) {
		s := b.subset(g.Face)
		code, ok := s.code[g.ID]
		if !ok {
			code = len(s.glyphs)
			s.code[g.ID] = code
			s.glyphs, s.texts = append(s.glyphs, g.ID), append(s.texts, g.Text)
		}
		moved := g.X != 0 || g.Y != 0
		if n := len(out); n == 0 || out[n-1].font != b.names[g.Face] || out[n-1].alone || moved {
			out = append(out, piece{font: b.names[g.Face], x: g.X, y: g.Y})
		}
		last := &out[len(out)-1]
		last.codes = append(last.codes, hexDigits[code>>12&15], hexDigits[code>>8&15], hexDigits[code>>4&15], hexDigits[code&15])
		last.width += g.Width
		last.alone = moved || math.Abs(g.Width-g.Face.Advance(g.ID, r.Size)) > 0.001
	}
	return out
}

// compose returns the subsets that were used, ready to be embedded.
func (b *fontBook) compose() ([]composedFont, error) {
	var out []composedFont
	for i, f := range b.faces {
		c, err := b.used[f].compose(f)
		if err != nil {
			return nil, fmt.Errorf("pdf: font %s: %w", f.Name, err)
		}
		c.Name, c.BaseFont = b.names[f], fmt.Sprintf("RMAA%c%c+%s", 'A'+i/26, 'A'+i%26, f.Name)
		out = append(out, c)
	}
	return out, nil
}

func (s *subset) compose(f *typeset.Face) (composedFont, error) {
	cut, err := f.SFNT.Subset(s.glyphs, font.SubsetOptions{Tables: font.KeepPDFTables})
	if err != nil {
		return composedFont{}, err
	}
	data := undated(cut.Write())
	head, hhea := f.SFNT.Head, f.SFNT.Hhea
	mil := func(v int16) float64 { return float64(v) * 1000 / float64(head.UnitsPerEm) }
	c := composedFont{
		File: pack(data), Length: len(data), ToUnicode: pack([]byte(s.toUnicode())),
		Box: [4]float64{mil(head.XMin), mil(head.YMin), mil(head.XMax), mil(head.YMax)}, Ascent: mil(hhea.Ascender), Descent: mil(hhea.Descender),
	}
	for _, g := range s.glyphs {
		c.Widths = append(c.Widths, f.Advance(g, 1000))
	}
	return c, nil
}

// undated takes the time at which it was written out of a font file, so that the same
// letters give the same bytes: modified in the table head, whose checksum and that of
// the whole file change with it (OpenType specification, head and "Calculating
// Checksums").
func undated(file []byte) []byte {
	sum := func(b []byte) (n uint32) {
		for i := 0; i+3 < len(b); i += 4 {
			n += binary.BigEndian.Uint32(b[i:])
		}
		return n
	}
	for i := range int(binary.BigEndian.Uint16(file[4:])) {
		record := file[12+16*i:]
		if string(record[:4]) != "head" {
			continue
		}
		at := binary.BigEndian.Uint32(record[8:])
		head := file[at : at+(binary.BigEndian.Uint32(record[12:])+3)&^3]
		clear(head[8:12])  // what makes the whole file's checksum right
		clear(head[28:36]) // modified
		binary.BigEndian.PutUint32(record[4:], sum(head))
		binary.BigEndian.PutUint32(head[8:], 0xB1B0AFBA-sum(file))
	}
	return file
}

// toUnicode returns the CMap that gives readers the letters back (ISO
// 32000-2, 9.10.3).
func (s *subset) toUnicode() string {
	var b strings.Builder
	b.WriteString("/CIDInit /ProcSet findresource begin 12 dict begin begincmap\n" +
		"/CIDSystemInfo <</Registry (Adobe) /Ordering (UCS) /Supplement 0>> def\n" +
		"/CMapName /Adobe-Identity-UCS def /CMapType 2 def\n" +
		"1 begincodespacerange <0000> <FFFF> endcodespacerange\n")
	var known []int // codes that stand for something
	for code, t := range s.texts {
		if t != "" && t != "\x00" {
			known = append(known, code)
		}
	}
	for chunk := range slices.Chunk(known, 100) {
		fmt.Fprintf(&b, "%d beginbfchar\n", len(chunk))
		for _, code := range chunk {
			fmt.Fprintf(&b, "<%04X> <%s>\n", code, utf16Hex(s.texts[code]))
		}
		b.WriteString("endbfchar\n")
	}
	b.WriteString("endcmap CMapName currentdict /CMap defineresource pop end end\n")
	return b.String()
}

func utf16Hex(s string) string {
	out := ""
	for _, u := range utf16Units(s) {
		out += fmt.Sprintf("%04X", u)
	}
	return out
}

func utf16Units(s string) []uint16 { return utf16.Encode([]rune(s)) }
