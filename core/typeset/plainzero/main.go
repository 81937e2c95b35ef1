// Command plainzero takes the stroke out of the zero of fonts: in schools a
// crossed zero is another letter, or the empty set. It writes the fonts in its
// arguments anew, in place; one whose zero is plain already stays as it is.
//
// The outline stays, and the two halves that a stroke leaves of the counter
// become one: the outline again, as broad and as high as both halves together.
// The advance stays too, so that no line breaks otherwise.
package main

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"os"
	"os/exec"
	"slices"
	"strings"

	"github.com/tdewolff/font"
)

func main() {
	for _, name := range os.Args[1:] {
		if err := rewrite(name); err != nil {
			fmt.Fprintf(os.Stderr, "plainzero: %s: %v\n", name, err)
			os.Exit(1)
		}
	}
}

func rewrite(name string) error {
	b, err := os.ReadFile(name)
	if err != nil {
		return err
	}
	if b, err = font.ToSFNT(b); err != nil {
		return err
	}
	f, err := font.ParseSFNT(b, 0)
	if err != nil {
		return err
	}
	zero := f.GlyphIndex('0')
	c, err := f.Glyf.Contour(zero)
	if err != nil || len(c.EndPoints) != 3 {
		return err // plain, or no zero at all
	}
	n := int(c.EndPoints[0]) + 1
	outer, halves := outline{c.XCoordinates[:n], c.YCoordinates[:n]}, outline{c.XCoordinates[n:], c.YCoordinates[n:]}
	plain := glyph(outer, outer.within(halves), c.OnCurve[:n])
	old := f.Glyf.Get(zero) // a part of the table itself
	if len(plain) > len(old) {
		return fmt.Errorf("a plain zero takes %d bytes, there are %d", len(plain), len(old))
	}
	clear(old[copy(old, plain):])
	return pack(f.Write(), name)
}

// pack writes a font as WOFF 2.0, by the reference coder: what the library
// writes itself is not read by browsers.
func pack(f []byte, name string) error {
	loose := strings.TrimSuffix(name, ".woff2") + ".ttf"
	if err := os.WriteFile(loose, f, 0o644); err != nil {
		return err
	}
	defer os.Remove(loose)
	if out, err := exec.Command("woff2_compress", loose).CombinedOutput(); err != nil {
		return fmt.Errorf("%w (apt-get install woff2)\n%s", err, out)
	}
	return nil
}

// An outline is a closed curve, in units of the font.
type outline struct{ x, y []int16 }

// within returns o drawn into the frame of another outline, the other way
// round: what is inside it is left white.
func (o outline) within(frame outline) outline {
	fit := func(v, from, to []int16) (out []int16) {
		k := float64(slices.Max(to)-slices.Min(to)) / float64(slices.Max(from)-slices.Min(from))
		for _, c := range slices.Backward(v) {
			out = append(out, slices.Min(to)+int16(k*float64(c-slices.Min(from))+0.5))
		}
		return out
	}
	return outline{fit(o.x, o.x, frame.x), fit(o.y, o.y, frame.y)}
}

// glyph writes a simple glyph of two outlines of the same kinds of points
// (OpenType, glyf table, simple glyph description), without instructions.
func glyph(outer, inner outline, onCurve []bool) []byte {
	n := len(onCurve)
	x, y := append(slices.Clone(outer.x), inner.x...), append(slices.Clone(outer.y), inner.y...)
	var out bytes.Buffer
	put := func(v ...int16) { binary.Write(&out, binary.BigEndian, v) }
	put(2, slices.Min(outer.x), slices.Min(outer.y), slices.Max(outer.x), slices.Max(outer.y), int16(n-1), int16(2*n-1), 0)
	back := slices.Clone(onCurve)
	slices.Reverse(back)
	for _, on := range append(slices.Clone(onCurve), back...) {
		out.WriteByte(map[bool]byte{true: 1}[on])
	}
	for _, v := range [][]int16{x, y} {
		last := int16(0)
		for _, c := range v {
			put(c - last)
			last = c
		}
	}
	return out.Bytes()
}
