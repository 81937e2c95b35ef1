package school_test

import (
	"context"
	"errors"
	"slices"
	"testing"

	"readymargin/core/document"
	"readymargin/core/words"
	"readymargin/core/worksheet"
	"readymargin/school"
	"readymargin/school/assign"
	"readymargin/school/services"
	"readymargin/store/storetest"
)

// scanner stands for what reads files: each is one page that is a picture.
type scanner struct {
	services.Engine
	leads func() // what happens while a revision is made, behind its file
}

func (scanner) Inspect(context.Context, []byte) ([]document.Page, error) {
	return []document.Page{{Width: 595, Height: 842, Scan: &document.Scanned{}}}, nil
}

func (scanner) Upright(context.Context, []byte, int, float64, float64) ([]byte, error) {
	return nil, nil
}

func (scanner) Assemble(_ context.Context, files [][]byte, _ []document.PageRef) ([]byte, error) {
	return append([]byte("made of "), files[0]...), nil
}

func (s scanner) Leads(context.Context, []byte) (document.Leads, error) {
	if s.leads != nil {
		s.leads()
	}
	return document.Leads{}, nil
}

// reader stands for who reads pictures, and notes in which language it was to.
type reader struct {
	languages []string
	goes      context.CancelFunc // the process goes while it reads
	meanwhile func()             // what happens while it reads
}

func (r *reader) Read(ctx context.Context, _ []byte, _ float64, language string) ([]words.Word, error) {
	if r.goes != nil {
		r.goes()
		return nil, ctx.Err()
	}
	if r.meanwhile != nil {
		r.meanwhile()
	}
	r.languages = append(r.languages, language)
	return []words.Word{
		{Text: "1.", Box: [4]float64{60, 100, 70, 112}, Baseline: 110, Size: 12, Edges: []float64{60, 66, 70}, Sure: 0.8},
		{Text: "Tidenhub", Box: [4]float64{80, 100, 130, 112}, Baseline: 110, Size: 12, Edges: []float64{80, 86, 92, 98, 104, 110, 116, 122, 130}, Sure: 0.8},
	}, nil
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
	h.must(h.school.Shelf.PutRight(h.ctx, class.Teacher, sheet, worksheet.PageRef{Page: 1}, 1, "Tidenhub", "Tidenhübe"))
	say("fr")
	read("", "de")
}

// What is handed out while its scan is read has its questions, whichever is done first.
func TestAScanIsHandedOutWhileItIsRead(t *testing.T) {
	h := open(t, "handing")
	class, err := storetest.NewClass(h.ctx, h.store, "handing", 0, 1)
	h.must(err)
	for name, first := range map[string]bool{"it is read while it is handed out": false, "it is handed out while it is read": true} {
		letters := &reader{}
		var s *services.All
		var given []school.Assignment
		read := func() {
			for worked := true; worked; {
				worked, err = s.Scans.One(h.ctx)
				h.must(err)
			}
		}
		file, err := h.store.PutBlob(h.ctx, []byte(name))
		h.must(err)
		sheet := school.Worksheet{OwnerID: class.Teacher.ID, Title: name, Plan: worksheet.Plan{{Page: 1, Use: worksheet.Sheet, Decided: true}}.String(), Version: 1, CreatedAt: h.school.Now()}
		h.must(h.store.AddWorksheet(h.ctx, &sheet, []school.Source{{FileHash: file, PageCount: 1}}, nil))
		h.must(h.store.AddFilePages(h.ctx, []school.FilePage{{FileHash: file, Number: 1, Width: 595, Height: 842, Box: "{}", TextLayer: `{"wordless":true}`, Guide: "{}", Wordless: true}}))
		give := func() {
			a, err := s.Assignments.Assign(h.ctx, class.Teacher, assign.NewAssignment{Course: class.Course.ID, Worksheet: sheet.ID, Terms: assign.Terms{Title: name}})
			h.must(err)
			given = append(given, a)
		}
		if first {
			s = services.New(h.store, scanner{}, services.Programs{Letters: letters})
			letters.meanwhile = func() {
				letters.meanwhile = nil
				give()
			}
			read()
		} else {
			s = services.New(h.store, scanner{leads: func() { read() }}, services.Programs{Letters: letters})
			give()
		}
		guides, err := h.store.RevisionGuides(h.ctx, given[0].Handouts[0].RevisionID)
		h.must(err)
		if len(guides) != 1 || len(guides[0].Questions) != 1 {
			t.Errorf("%s: what is handed out has %+v", name, guides)
		}
	}
}
