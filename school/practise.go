package school

import (
	"context"
	"time"

	"readymargin/core/access"
	"readymargin/core/copy"
	"readymargin/core/draw"
	"readymargin/core/flow"
	"readymargin/core/plan"
	core "readymargin/core/practice"
	"readymargin/practice"
)

// nobody owns the practice sheet, which everybody may see.
const nobody = 0

// Practise returns the screen of the practice sheet, on which every instrument
// is tried once. Nothing of it is kept.
func (s *School) Practise(ctx context.Context, who Person) (View, error) {
	if who.ID == 0 {
		return View{}, access.ErrSignIn
	}
	w, err := s.practiceSheet(ctx)
	if err != nil {
		return View{}, err
	}
	v, err := s.preview(ctx, who, w)
	if err != nil {
		return v, err
	}
	v.Course, v.Steps = "five minutes, nothing is handed in", core.Steps
	for _, m := range core.Laid() {
		v.Marks = append(v.Marks, ViewMark{copy.Shown{Version: m.ID, Mark: m}, copy.Work, draw.ForScreen(m), who.Name, true, time.Time{}, true})
	}
	return v, nil
}

// practiceSheet returns the worksheet, which is made when it is first asked for.
func (s *School) practiceSheet(ctx context.Context) (Worksheet, error) {
	made, err, _ := s.readers.Do("practice", func() (any, error) {
		there, err := s.Store.WorksheetsOf(ctx, nobody, nil)
		if err != nil || len(there) > 0 {
			return first(there), err
		}
		file, err := practice.Sheet()
		if err != nil {
			return Worksheet{}, err
		}
		t, err := s.readIn(ctx, Upload{Name: "Practice sheet.pdf", Data: file})
		if err != nil {
			return Worksheet{}, err
		}
		source, err := s.keepSource(ctx, t)
		if err != nil {
			return Worksheet{}, err
		}
		w := Worksheet{OwnerID: nobody, Title: "Practice sheet", Plan: plan.Plan{}.Join(0, len(t.pages), 0, nil).String(), Version: 1, CreatedAt: s.Now()}
		return w, s.Store.AddWorksheet(ctx, &w, []Source{source}, nil)
	})
	if err != nil {
		return Worksheet{}, err
	}
	return made.(Worksheet), nil
}

func first(all []Shelved) Worksheet {
	if len(all) == 0 {
		return Worksheet{}
	}
	return all[0].Worksheet
}

// preview returns a student's screen of a worksheet of which nothing is kept.
func (s *School) preview(ctx context.Context, who Person, w Worksheet) (View, error) {
	r, err := s.revise(ctx, w, true)
	if err != nil {
		return View{}, err
	}
	v := View{Sheet: r.ID, Title: w.Title, Course: "as a student sees it", Student: who.Name, State: flow.NotStarted, Attempt: 1,
		Edit: copy.Work, Trial: true, Zone: "UTC", Person: who.ID, Me: who.Name, Settings: who.Settings, Marks: []ViewMark{}}
	if v.Pages, err = s.sizes(ctx, r); err != nil {
		return v, err
	}
	return v, s.dress(ctx, &v, r, true)
}
