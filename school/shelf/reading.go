package shelf

import (
	"context"
	"errors"
	"strconv"
	"time"

	"readymargin/core/access"
	"readymargin/core/document"
	"readymargin/core/heldback"
	"readymargin/core/worksheet"
	"readymargin/queue"
	"readymargin/school"
	"readymargin/school/intake"
)

// soonPages is the number of pages from which on a PDF is shown at once, and
// its words are read while the teacher looks at it.
const soonPages = 12

// soonTime is how long a shorter one is waited for.
const soonTime = 5 * time.Second

// readSoonest is readIn, but of a long PDF, and of a short one that takes long,
// only the sizes of the pages are known at first; later says so.
func (s *Shelf) readSoonest(ctx context.Context, f intake.Upload) (t intake.Read, later bool, err error) {
	if s.intake.Converts(f.Data) || len(f.Data) == 0 {
		t, err = s.intake.Read(ctx, f)
		return t, false, err
	}
	t = intake.Read{Source: school.Source{Name: school.Shorten(f.Name, 100)}, File: f.Data}
	if t.Pages, err = s.engine.Sizes(ctx, f.Data); err != nil {
		return t, false, err
	}
	if len(t.Pages) < soonPages {
		soon, cancel := context.WithTimeout(ctx, soonTime)
		defer cancel()
		read, err := s.intake.Read(soon, f)
		if soon.Err() == nil || ctx.Err() != nil {
			return read, false, err
		}
	}
	t.Source.PageCount = len(t.Pages)
	t.Source.Remark, err = s.intake.Carries(ctx, f.Data)
	return t, true, err
}

// readOut waits until all pages of a worksheet of the person's own are read.
func (s *Shelf) readOut(ctx context.Context, who school.Person, id uint64) (school.Worksheet, error) {
	w, err := s.gate.Worksheet(ctx, who, id, access.UseWorksheet)
	if err != nil || !w.Reading {
		return w, err
	}
	if err := s.read(ctx, id); err != nil {
		return w, err
	}
	return s.store.Worksheet(ctx, id)
}

// read reads the words of a worksheet's pages and notices answers among them.
// It may be begun any number of times, by any process.
func (s *Shelf) read(ctx context.Context, id uint64) error {
	_, err, _ := s.readers.Do(strconv.FormatUint(id, 10), func() (any, error) { return nil, s.readPages(ctx, id) })
	return err
}

// ReadBehind reads the words of a worksheet's pages when nobody waits for them.
func (s *Shelf) ReadBehind(ctx context.Context, id uint64) error {
	err := s.read(ctx, id)
	if errors.Is(err, access.ErrHidden) {
		return school.ErrNotFound // it was deleted meanwhile
	}
	return err
}

func (s *Shelf) readPages(ctx context.Context, id uint64) error {
	if w, err := s.store.Worksheet(ctx, id); err != nil || !w.Reading {
		return err
	}
	sources, err := s.store.Sources(ctx, id)
	if err != nil {
		return err
	}
	noticed := make([]map[int]heldback.Reason, len(sources))
	for i, source := range sources {
		file, err := s.store.Blob(ctx, source.FileHash)
		if err != nil {
			return err
		}
		pages, err := s.engine.Inspect(queue.In(ctx, queue.Behind), file)
		if errors.Is(err, document.ErrDamaged) || errors.Is(err, document.ErrTime) || errors.Is(err, document.ErrMemory) {
			continue // it can be seen and written on; its words are not known
		}
		if err != nil {
			return err
		}
		rows, err := filePages(source.FileHash, pages)
		if err != nil {
			return err
		}
		if err := s.store.SetFilePages(ctx, rows); err != nil {
			return err
		}
		noticed[i] = heldback.Propose(document.Printed(pages))
	}
	err = s.store.ChangeWorksheet(ctx, id, func(w *school.Worksheet) error {
		p, err := worksheet.Parse(w.Plan)
		if err != nil {
			return err
		}
		w.Plan, w.Reading = p.Noticed(noticed).String(), false
		return nil
	}, nil)
	if errors.Is(err, school.ErrNotFound) {
		return access.ErrHidden
	}
	return err
}
