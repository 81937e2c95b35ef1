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
	made, err, _ := s.readers.Do("practice", func() (any, error) {
		there, err := s.store.WorksheetsOf(ctx, school.Nobody, nil)
		if err != nil || len(there) > 0 {
			return first(there), err
		}
		file, err := practice.Sheet()
		if err != nil {
			return school.Worksheet{}, err
		}
		t, err := s.intake.Read(ctx, intake.Upload{Name: "Practice sheet.pdf", Data: file})
		if err != nil {
			return school.Worksheet{}, err
		}
		source, err := s.keepSource(ctx, t)
		if err != nil {
			return school.Worksheet{}, err
		}
		w := school.Worksheet{OwnerID: school.Nobody, Title: "Practice sheet", Plan: worksheet.Plan{}.Join(0, len(t.Pages), 0, nil).String(), Version: 1, CreatedAt: s.now()}
		return w, s.store.AddWorksheet(ctx, &w, []school.Source{source}, nil)
	})
	if err != nil {
		return school.Worksheet{}, err
	}
	return made.(school.Worksheet), nil
}

func first(all []school.Shelved) school.Worksheet {
	if len(all) == 0 {
		return school.Worksheet{}
	}
	return all[0].Worksheet
}
