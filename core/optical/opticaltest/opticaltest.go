// Package opticaltest is the conformance test of what reads pictures of pages.
package opticaltest

import (
	"bytes"
	"context"
	"errors"
	"image"
	"image/color"
	"image/draw"
	"image/png"
	"math"
	"slices"
	"strings"
	"testing"

	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/math/fixed"

	"readymargin/core/optical"
	"readymargin/core/page"
	"readymargin/core/words"
)

// lines are what the page says, a line at every 60 points.
var lines = []string{"Tide heights at Skerrymouth", "1 Which light is seen from the pier?", "2 The range is 4.5 metres at noon."}

// drawn returns lines on a page of 400 by 300 points, and where each line's first letter
// stands.
func drawn(t testing.TB, lines []string) (picture []byte, size page.Point, baselines []float64) {
	t.Helper()
	f, err := opentype.Parse(goregular.TTF)
	if err != nil {
		t.Fatal(err)
	}
	face, err := opentype.NewFace(f, &opentype.FaceOptions{Size: 14, DPI: 72 * optical.Scale})
	if err != nil {
		t.Fatal(err)
	}
	const scale = optical.Scale
	size = page.Pt(400, 300)
	m := image.NewGray(image.Rect(0, 0, int(size.X*optical.Scale), int(size.Y*optical.Scale)))
	draw.Draw(m, m.Bounds(), image.White, image.Point{}, draw.Src)
	for i, line := range lines {
		y := 60 * float64(i+1)
		baselines = append(baselines, y)
		d := font.Drawer{Dst: m, Src: image.NewUniform(color.Black), Face: face, Dot: fixed.Point26_6{X: fixed.I(40 * 25 / 6), Y: fixed.Int26_6(64 * y * scale)}}
		d.DrawString(line)
	}
	var b bytes.Buffer
	if err := png.Encode(&b, m); err != nil {
		t.Fatal(err)
	}
	return b.Bytes(), size, baselines
}

// Conform checks what every reader keeps: every word once, in order, on its line and where
// it stands; nothing on an empty page; an error for what is no picture, and an end when
// nobody waits any more. A language that it does not know is read as well as it can.
func Conform(t *testing.T, r optical.Reader) {
	t.Helper()
	ctx := context.Background()
	picture, size, baselines := drawn(t, lines)
	for _, language := range []string{"en", "", "en-GB", "tlh"} {
		ws, err := r.Read(ctx, picture, optical.Scale, language)
		if err == nil {
			err = optical.Check(ws, size)
		}
		if err != nil {
			t.Errorf("%q: %v", language, err)
			continue
		}
		var said []string
		for _, w := range ws {
			said = append(said, w.Text)
		}
		if want := strings.Fields(strings.Join(lines, " ")); !slices.Equal(said, want) {
			t.Errorf("%q: it reads %q, want %q", language, said, want)
		}
		for i, line := range words.Lines(ws) {
			if i < len(baselines) && (math.Abs(line[0].Baseline-baselines[i]) > 1 || math.Abs(line[0].Box[0]-41) > 2) {
				t.Errorf("%q: line %d begins at %.1f on %.1f, and not at 41 on %v", language, i+1, line[0].Box[0], line[0].Baseline, baselines[i])
			}
		}
	}
	empty, _, _ := drawn(t, nil)
	if ws, err := r.Read(ctx, empty, optical.Scale, "en"); err != nil || len(ws) != 0 {
		t.Errorf("an empty page: %+v, %v", ws, err)
	}
	for name, b := range map[string][]byte{"nothing": nil, "no picture": []byte("words in a text"), "a part of one": picture[:len(picture)/2]} {
		if ws, err := r.Read(ctx, b, optical.Scale, "en"); !errors.Is(err, optical.ErrUnreadable) {
			t.Errorf("%s: %+v, %v", name, ws, err)
		}
	}
	ended, cancel := context.WithCancel(ctx)
	cancel()
	if _, err := r.Read(ended, picture, optical.Scale, "en"); err == nil {
		t.Error("it goes on though nobody waits")
	}
}
