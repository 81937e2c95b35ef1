package main

import (
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"readymargin/core/blank"
	"readymargin/core/inwords"
	"readymargin/core/page"
	"readymargin/demo"
)

// flat returns the printed words and the places of pieces in their order.
func flat(pieces []inwords.Piece) (words []string, numbers, places []int) {
	bits := func(all []inwords.Bit) {
		for _, b := range all {
			if b.Place > 0 {
				places = append(places, b.Place)
				continue
			}
			words = append(words, strings.Fields(b.Text)...)
			for i := b.From; i < b.To; i++ {
				numbers = append(numbers, i)
			}
		}
	}
	for _, p := range pieces {
		bits(p.Bits)
		for _, row := range p.Rows {
			for _, cell := range row {
				bits(cell)
			}
		}
	}
	return words, numbers, places
}

// Every printed word is in the sheet in words once, so is every place, each with a name
// that no other has; and words come in the order in which poppler's pdftotext has them on
// these pages, which have one column: but for those of the table and of the curve's
// scale, which it lays out otherwise.
func TestASheetInWords(t *testing.T) {
	press := aPress(t)
	for name, make := range map[string]func() ([]byte, error){"tides": demo.TideHeights, "with answers": demo.TideHeightsWithAnswers, "form": demo.PassagePlan} {
		t.Run(name, func(t *testing.T) {
			file, err := make()
			if err != nil {
				t.Fatal(err)
			}
			at := filepath.Join(t.TempDir(), "sheet.pdf")
			if err := os.WriteFile(at, file, 0o644); err != nil {
				t.Fatal(err)
			}
			pages, err := press.Inspect(context.Background(), file)
			if err != nil {
				t.Fatal(err)
			}
			for i, p := range pages {
				print, guide := p.TextLayer(), p.Guide()
				pieces := inwords.Of(print, guide, page.Pt(p.Width, p.Height))
				words, numbers, places := flat(pieces)
				seen := map[int]bool{}
				for _, n := range numbers {
					if seen[n] {
						t.Errorf("page %d: %q comes twice", i+1, print.Words[n].Text)
					}
					seen[n] = true
				}
				for n, w := range print.Words {
					if !seen[n] && !blank.IsRun(w.Text) {
						t.Errorf("page %d: %q is missing", i+1, w.Text)
					}
				}
				held, names := map[int]bool{}, map[string]bool{}
				for _, n := range places {
					held[n] = true
				}
				if len(places) != len(guide.Blanks) || len(held) != len(guide.Blanks) {
					t.Errorf("page %d: places %v of %d", i+1, places, len(guide.Blanks))
				}
				for _, p := range pieces {
					for _, b := range p.Bits {
						if b.Place > 0 && (b.Name == "" || names[b.Name]) {
							t.Errorf("page %d: place %d is called %q", i+1, b.Place, b.Name)
						}
						names[b.Name] = true
					}
				}
				out, err := exec.Command("pdftotext", "-f", strconv.Itoa(i+1), "-l", strconv.Itoa(i+1), at, "-").Output()
				if err != nil {
					t.Fatalf("pdftotext (apt-get install poppler-utils): %v", err)
				}
				want := strings.Fields(string(out))
				const share = 0.85
				if got := common(words, want); float64(got) < share*float64(len(want)) {
					t.Errorf("page %d: %d of %d words come in pdftotext's order:\n%v\n%v", i+1, got, len(want), words, want)
				}
			}
		})
	}
}

// common is how long the longest sequence is that both have.
func common(a, b []string) int {
	row := make([]int, len(b)+1)
	for _, x := range a {
		before := 0
		for j, y := range b {
			now := row[j+1]
			if x == y {
				row[j+1] = before + 1
			} else {
				row[j+1] = max(row[j+1], row[j])
			}
			before = now
		}
	}
	return row[len(b)]
}
