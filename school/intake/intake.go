// Package intake takes in what people bring: files that become pages, pictures
// and recordings.
package intake

import (
	"context"
	"errors"
	"path"
	"strings"

	"readymargin/core/document"
	"readymargin/school"
)

// An Intake takes in what people bring: files, pictures, recordings.
type Intake struct {
	store      IntakeStore
	engine     Engine
	transcoder Transcoder
	office     Office
	photos     Photos
}

// New returns an intake.
func New(store IntakeStore, engine Engine, transcoder Transcoder, office Office, photos Photos) *Intake {
	return &Intake{store, engine, transcoder, office, photos}
}

// An Upload is a file as it comes from somebody's machine.
type Upload struct {
	Name  string
	Data  []byte
	Sheet bool // a photograph of a sheet of paper
}

// Limits returns the bounds inside which files are taken in.
func (s *Intake) Limits() document.Limits { return s.engine.Limits() }

// A Read file is one that was read, as a PDF, and is not kept yet.
type Read struct {
	Source school.Source // without its hash
	File   []byte
	Pages  []document.Page

	Picture bool // it was one, and no document
}

// Read reads a file; nothing of it is kept.
func (s *Intake) Read(ctx context.Context, f Upload) (Read, error) {
	file := f.Data
	if len(file) == 0 {
		return Read{}, document.ErrEmpty
	}
	var err error
	var office document.Converted
	if file, err = s.Developed(ctx, file); err != nil {
		return Read{}, err
	}
	picture := document.IsPicture(file)
	switch {
	case picture:
		file, err = s.engine.SheetOf(ctx, file)
	case s.office.Knows(file):
		office, err = s.office.PDF(ctx, file)
		file = office.PDF
	}
	if err != nil {
		return Read{}, err
	}
	pages, err := s.engine.Inspect(ctx, file)
	if err != nil {
		return Read{}, err
	}
	source := school.Source{Name: school.Shorten(f.Name, 100), PageCount: len(pages)}
	if len(office.Fonts) > 0 {
		if source.Remark, err = s.replaced(ctx, office); err != nil {
			return Read{}, err
		}
	} else if source.Remark, err = s.Carries(ctx, file); err != nil {
		return Read{}, err
	}
	if picture && len(pages) > 1 {
		source.Remark = "The sheet in this photograph was straightened and cleaned. The photograph as it was taken lies behind it, left out."
	}
	return Read{source, file, pages, picture}, nil
}

// Carries says what of a file students do not get.
func (s *Intake) Carries(ctx context.Context, file []byte) (string, error) {
	c, err := s.engine.Carries(ctx, file)
	if Untold(err) {
		return "", nil
	}
	return c.String(), err
}

// Untold reports whether an error says that what a file has within it cannot
// be told, though its pages may well be seen.
func Untold(err error) bool {
	return errors.Is(err, document.ErrDamaged) || errors.Is(err, document.ErrTime) || errors.Is(err, document.ErrMemory)
}

// Developed returns a photograph of a telephone as JPEG, and any other file as
// it is.
func (s *Intake) Developed(ctx context.Context, file []byte) ([]byte, error) {
	if !s.photos.Knows(file) {
		return file, nil
	}
	return s.photos.JPEG(ctx, file)
}

// replaced says which fonts of a document were replaced on which pages.
func (s *Intake) replaced(ctx context.Context, d document.Converted) (string, error) {
	fonts, err := s.engine.Fonts(ctx, d.PDF)
	if err != nil {
		return "", err
	}
	var said []string
	for _, r := range s.office.Replaced(ctx, d.Fonts, fonts) {
		said = append(said, r.String())
	}
	return strings.Join(said, " "), nil
}

// Title makes a title of a file's name.
func Title(fileName string) string {
	t := path.Base(strings.ReplaceAll(fileName, `\`, "/"))
	t, ok := school.OneLine(strings.ReplaceAll(school.Shorten(strings.TrimSuffix(t, path.Ext(t)), 100), "_", " "), 100)
	if !ok || t == "" || t == "." {
		return "Worksheet"
	}
	return t
}

// Converts reports whether a file becomes a PDF only by being turned into one.
func (s *Intake) Converts(file []byte) bool {
	return document.IsPicture(file) || s.office.Knows(file) || s.photos.Knows(file)
}
