package photo

import (
	"bytes"
	"context"
	"errors"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"readymargin/core/document"
)

// The photograph is made by libheif's encoder, and read back by Go's decoder
// of JPEG: its left half is red, its right half blue.
func TestAPhotographOfATelephone(t *testing.T) {
	m := image.NewRGBA(image.Rect(0, 0, 320, 200))
	for y := range 200 {
		for x := range 320 {
			c := color.RGBA{200, 30, 30, 255}
			if x >= 160 {
				c = color.RGBA{30, 30, 200, 255}
			}
			m.Set(x, y, c)
		}
	}
	dir := t.TempDir()
	plain, heic := filepath.Join(dir, "a.png"), filepath.Join(dir, "a.heic")
	var b bytes.Buffer
	if err := errors.Join(png.Encode(&b, m), os.WriteFile(plain, b.Bytes(), 0o644)); err != nil {
		t.Fatal(err)
	}
	if out, err := exec.Command("heif-enc", plain, "-o", heic).CombinedOutput(); err != nil {
		t.Fatalf("heif-enc (%s): %v %s", Install, err, out)
	}
	file, err := os.ReadFile(heic)
	if err != nil {
		t.Fatal(err)
	}
	if !(Heif{}).Knows(file) || (Heif{}).Knows(b.Bytes()) {
		t.Error("a HEIC is not told from a PNG")
	}
	got, err := Heif{}.JPEG(context.Background(), file)
	if err != nil {
		t.Fatal(err)
	}
	back, err := jpeg.Decode(bytes.NewReader(got))
	if err != nil || back.Bounds().Dx() != 320 || back.Bounds().Dy() != 200 {
		t.Fatalf("%v (%v)", back.Bounds(), err)
	}
	left, _, _, _ := back.At(40, 100).RGBA()
	_, _, right, _ := back.At(280, 100).RGBA()
	if left>>8 < 150 || right>>8 < 150 {
		t.Errorf("left is %d red, right %d blue", left>>8, right>>8)
	}
	for name, bad := range map[string][]byte{"cut off": file[:len(file)/2], "only a beginning": file[:40]} {
		if _, err := (Heif{}).JPEG(context.Background(), bad); !errors.Is(err, document.ErrPhoto) {
			t.Errorf("%s: %v", name, err)
		}
	}
	t.Setenv("PATH", t.TempDir())
	if _, err := (Heif{}).JPEG(context.Background(), file); !errors.Is(err, document.ErrNoPhotos) {
		t.Errorf("without the program: %v", err)
	}
}
