package shelf

import (
	"context"

	"readymargin/core/worksheet"
	"readymargin/practice"
	"readymargin/school"
	"readymargin/school/intake"
)

// PracticeSheet returns the worksheet, which is made when it is first asked for.
func (s *Shelf) PracticeSheet(ctx context.Context) (school.Worksheet, error) {
	return s.shipped(ctx, "Practice sheet", practice.Sheet)
}

// OwnPages returns the ruled page that stands where a student brings pages of their
// own; it is made when it is first asked for.
func (s *Shelf) OwnPages(ctx context.Context) (school.Worksheet, error) {
	return s.shipped(ctx, "Pages of your own", practice.Ruled)
}

// shipped returns a worksheet that ships, and belongs to nobody.
func (s *Shelf) shipped(ctx context.Context, title string, draw func() ([]byte, error)) (school.Worksheet, error) {
	made, err, _ := s.readers.Do(title, func() (any, error) {
		there, err := s.store.WorksheetsOf(ctx, school.Nobody, nil)
		if err != nil {
			return school.Worksheet{}, err
		}
		for _, w := range there {
			if w.Title == title {
				return w.Worksheet, nil
			}
		}
		file, err := draw()
		if err != nil {
			return school.Worksheet{}, err
		}
		t, err := s.intake.Read(ctx, intake.Upload{Name: title + ".pdf", Data: file})
		if err != nil {
			return school.Worksheet{}, err
		}
		source, err := s.keepSource(ctx, t)
		if err != nil {
			return school.Worksheet{}, err
		}
		w := school.Worksheet{OwnerID: school.Nobody, Title: title, Plan: worksheet.Plan{}.Join(0, len(t.Pages), 0, nil).String(), Version: 1, CreatedAt: s.now()}
		return w, s.store.AddWorksheet(ctx, &w, []school.Source{source}, nil)
	})
	if err != nil {
		return school.Worksheet{}, err
	}
	return made.(school.Worksheet), nil
}
