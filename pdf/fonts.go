package pdf

import (
	"fmt"
	"slices"
	"strings"
	"unicode/utf16"

	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/types"
	"github.com/tdewolff/font"

	"readymargin/core/typeset"
)

// A fontBook collects the letters that a file uses and embeds a subset of
// each face for them, as composite fonts (ISO 32000-2, 9.7).
type fontBook struct {
	faces typeset.Faces
	used  map[*typeset.Face]*subset
}

// A subset is the glyphs used of one face; a glyph's place is its code.
type subset struct {
	glyphs []uint16
	runes  []rune
	code   map[uint16]int
}

func newFontBook(faces typeset.Faces) *fontBook {
	b := &fontBook{faces: faces, used: map[*typeset.Face]*subset{}}
	for _, f := range faces {
		b.used[f] = &subset{glyphs: []uint16{0}, runes: []rune{0}, code: map[uint16]int{0: 0}}
	}
	return b
}

// A piece is a part of a run that one font sets.
type piece struct {
	font  string
	codes string // hexadecimal, two bytes a glyph
	width float64
}

func (b *fontBook) name(f *typeset.Face) string {
	return fmt.Sprintf("F%d", slices.Index(b.faces, f))
}

func (b *fontBook) pieces(text string, size float64) []piece {
	var out []piece
	for _, g := range b.faces.Shape(text, size) {
		s := b.used[g.Face]
		code, ok := s.code[g.ID]
		if !ok {
			code = len(s.glyphs)
			s.code[g.ID] = code
			s.glyphs, s.runes = append(s.glyphs, g.ID), append(s.runes, g.Rune)
		}
		if n := len(out); n == 0 || out[n-1].font != b.name(g.Face) {
			out = append(out, piece{font: b.name(g.Face)})
		}
		last := &out[len(out)-1]
		last.codes += fmt.Sprintf("%04X", code)
		last.width += g.Width
	}
	return out
}

// write embeds the fonts that were used and returns them by name.
func (b *fontBook) write(p *printer) (types.Dict, error) {
	out := types.Dict{}
	for i, f := range b.faces {
		s := b.used[f]
		if len(s.glyphs) == 1 {
			continue
		}
		ref, err := s.write(p, f, fmt.Sprintf("RMAAA%c+%s", 'A'+i, f.Name))
		if err != nil {
			return nil, fmt.Errorf("pdf: font %s: %w", f.Name, err)
		}
		out[b.name(f)] = ref
	}
	return out, nil
}

func (s *subset) write(p *printer, f *typeset.Face, name string) (types.IndirectRef, error) {
	cut, err := f.SFNT.Subset(s.glyphs, font.SubsetOptions{Tables: font.KeepPDFTables})
	if err != nil {
		return types.IndirectRef{}, err
	}
	data := cut.Write()
	file, err := p.stream(data, types.Dict{"Length1": types.Integer(len(data))})
	if err != nil {
		return types.IndirectRef{}, err
	}
	head, hhea := f.SFNT.Head, f.SFNT.Hhea
	mil := func(v int16) types.Float { return types.Float(float64(v) * 1000 / float64(head.UnitsPerEm)) }
	descriptor, err := p.add(types.Dict{
		"Type": types.Name("FontDescriptor"), "FontName": types.Name(name), "Flags": types.Integer(32),
		"FontBBox": types.Array{mil(head.XMin), mil(head.YMin), mil(head.XMax), mil(head.YMax)},
		"Ascent":   mil(hhea.Ascender), "Descent": mil(hhea.Descender), "CapHeight": mil(hhea.Ascender),
		"ItalicAngle": types.Integer(0), "StemV": types.Integer(80), "FontFile2": file,
	})
	if err != nil {
		return types.IndirectRef{}, err
	}
	widths := types.Array{}
	for _, g := range s.glyphs {
		widths = append(widths, types.Float(f.Advance(g, 1000)))
	}
	descendant, err := p.add(types.Dict{
		"Type": types.Name("Font"), "Subtype": types.Name("CIDFontType2"), "BaseFont": types.Name(name),
		"CIDSystemInfo":  types.Dict{"Registry": types.StringLiteral("Adobe"), "Ordering": types.StringLiteral("Identity"), "Supplement": types.Integer(0)},
		"FontDescriptor": descriptor, "W": types.Array{types.Integer(0), widths}, "CIDToGIDMap": types.Name("Identity"),
	})
	if err != nil {
		return types.IndirectRef{}, err
	}
	toUnicode, err := p.stream([]byte(s.toUnicode()), nil)
	if err != nil {
		return types.IndirectRef{}, err
	}
	return p.add(types.Dict{
		"Type": types.Name("Font"), "Subtype": types.Name("Type0"), "BaseFont": types.Name(name),
		"Encoding": types.Name("Identity-H"), "DescendantFonts": types.Array{descendant}, "ToUnicode": toUnicode,
	})
}

// toUnicode returns the CMap that gives readers the letters back (ISO
// 32000-2, 9.10.3).
func (s *subset) toUnicode() string {
	var b strings.Builder
	b.WriteString("/CIDInit /ProcSet findresource begin 12 dict begin begincmap\n" +
		"/CIDSystemInfo <</Registry (Adobe) /Ordering (UCS) /Supplement 0>> def\n" +
		"/CMapName /Adobe-Identity-UCS def /CMapType 2 def\n" +
		"1 begincodespacerange <0000> <FFFF> endcodespacerange\n")
	for from := 1; from < len(s.runes); from += 100 {
		chunk := s.runes[from:min(from+100, len(s.runes))]
		fmt.Fprintf(&b, "%d beginbfchar\n", len(chunk))
		for i, r := range chunk {
			fmt.Fprintf(&b, "<%04X> <%s>\n", from+i, utf16Hex(r))
		}
		b.WriteString("endbfchar\n")
	}
	b.WriteString("endcmap CMapName currentdict /CMap defineresource pop end end\n")
	return b.String()
}

func utf16Hex(r rune) string {
	out := ""
	for _, u := range utf16.Encode([]rune{r}) {
		out += fmt.Sprintf("%04X", u)
	}
	return out
}
