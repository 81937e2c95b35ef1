package school_test

import (
	"context"
	"errors"
	"slices"
	"testing"

	"readymargin/core/document"
	"readymargin/core/words"
	"readymargin/core/worksheet"
	"readymargin/school/services"
	"readymargin/store/storetest"
)

// scanner stands for what reads files: each is one page that is a picture.
type scanner struct{ services.Engine }

func (scanner) Inspect(context.Context, []byte) ([]document.Page, error) {
	return []document.Page{{Width: 595, Height: 842, Scan: &document.Scanned{}}}, nil
}

func (scanner) Upright(context.Context, []byte, int, float64, float64) ([]byte, error) {
	return nil, nil
}

// reader stands for who reads pictures, and notes in which language it was to.
type reader struct {
	languages []string
	goes      context.CancelFunc // the process goes while it reads
}

func (r *reader) Read(ctx context.Context, _ []byte, _ float64, language string) ([]words.Word, error) {
	if r.goes != nil {
		r.goes()
		return nil, ctx.Err()
	}
	r.languages = append(r.languages, language)
	return []words.Word{{Text: "Tidenhub", Box: [4]float64{10, 10, 60, 24}, Baseline: 20, Size: 12, Edges: []float64{10, 16, 22, 28, 34, 40, 46, 52, 60}, Sure: 0.8}}, nil
}

// A scan is read anew in the language that its teacher says it is in, and not where
// somebody has put a word right.
func TestAScanIsReadInTheLanguageThatATeacherSays(t *testing.T) {
	h, letters := open(t, "scans"), &reader{}
	h.school = services.New(h.store, scanner{}, services.Programs{Letters: letters})
	class, err := storetest.NewClass(h.ctx, h.store, "scans", 0, 1)
	h.must(err)
	sheet, version := class.Worksheet.ID, 0
	h.must(h.store.ReadAnew(h.ctx, class.Revision.FileHash, []int{1})) // as one that has no words yet
	// A process that is told to end while it reads leaves the page to the next.
	ctx, goes := context.WithCancel(h.ctx)
	letters.goes = goes
	if _, err := h.school.Scans.One(ctx); !errors.Is(err, context.Canceled) {
		t.Errorf("a process that goes says %v", err)
	}
	if letters.goes = nil; !must(h.store.FilePage(h.ctx, class.Revision.FileHash, 1)).Wordless {
		t.Error("the page is read by a process that went")
	}
	read := func(want ...string) {
		t.Helper()
		for worked := true; worked; {
			worked, err = h.school.Scans.One(h.ctx)
			h.must(err)
		}
		if !slices.Equal(letters.languages, want) {
			t.Errorf("it was read in %q, want %q", letters.languages, want)
		}
	}
	say := func(language string) {
		t.Helper()
		version++
		h.must(h.school.Shelf.Arrange(h.ctx, class.Teacher, sheet, version, worksheet.Plan{{Page: 1, Use: worksheet.Sheet}}, worksheet.Kit{Lang: language}))
	}
	read("")
	say("de")
	read("", "de")
	say("de") // as before
	say("")
	read("", "de")
	h.must(h.school.Shelf.PutRight(h.ctx, class.Teacher, sheet, worksheet.PageRef{Page: 1}, 0, "Tidenhub", "Tidenhübe"))
	say("fr")
	read("", "de")
}
