package school

import (
	"context"
	"encoding/json"
	"errors"
	"path"
	"slices"
	"strings"
	"sync"
	"unicode/utf8"

	"readymargin/core/access"
	"readymargin/core/page"
	"readymargin/pdf"
)

// BringIn takes a PDF as a new worksheet. Whatever is wrong with the file is
// one of package pdf's errors, and nothing of it is kept.
func (s *School) BringIn(ctx context.Context, who Person, fileName string, file []byte) (Worksheet, error) {
	if err := access.May(access.Person{SignedIn: who.ID != 0, Admin: who.Admin, Owner: who.Staff}, access.MakeCourse, access.Thing{}); err != nil {
		return Worksheet{}, err
	}
	if len(file) == 0 {
		return Worksheet{}, pdf.ErrEmpty
	}
	pages, err := s.Press.Inspect(ctx, file)
	if err != nil {
		return Worksheet{}, err
	}
	w := Worksheet{OwnerID: who.ID, Title: titleOf(fileName), PageCount: len(pages), CreatedAt: s.Now()}
	rows := make([]WorksheetPage, len(pages))
	for i, p := range pages {
		box, err1 := json.Marshal(p.Box)
		print, err2 := json.Marshal(p.Print)
		if err := errors.Join(err1, err2); err != nil {
			return w, err
		}
		rows[i] = WorksheetPage{Number: i + 1, Width: p.Width, Height: p.Height, Box: string(box), Print: string(print)}
	}
	if w.FileHash, err = s.Store.PutBlob(ctx, file); err != nil {
		return w, err
	}
	return w, s.Store.AddWorksheet(ctx, &w, rows)
}

// titleOf makes a title of a file's name.
func titleOf(fileName string) string {
	t := path.Base(strings.ReplaceAll(fileName, `\`, "/"))
	t = strings.TrimSpace(strings.NewReplacer("_", " ").Replace(strings.TrimSuffix(t, path.Ext(t))))
	if t == "" || t == "." || !utf8.ValidString(t) {
		return "Worksheet"
	}
	return shorten(t, 100)
}

// worksheet loads a worksheet and checks one action.
func (s *School) worksheet(ctx context.Context, who Person, id uint64, a access.Action) (Worksheet, error) {
	if who.ID == 0 {
		return Worksheet{}, access.ErrSignIn
	}
	w, err := s.Store.Worksheet(ctx, id)
	if errors.Is(err, ErrNotFound) {
		return w, access.ErrHidden
	}
	if err != nil {
		return w, err
	}
	asker := access.Person{SignedIn: true, Owner: w.OwnerID == who.ID}
	if !asker.Owner {
		if asker.Role, err = s.Store.WorksheetRole(ctx, id, who.ID); err != nil {
			return w, err
		}
	}
	return w, access.May(asker, a, access.Thing{})
}

// Worksheet returns a worksheet of the teacher's own with its pages.
func (s *School) Worksheet(ctx context.Context, who Person, id uint64) (Worksheet, []WorksheetPage, error) {
	w, err := s.worksheet(ctx, who, id, access.UseWorksheet)
	if err != nil {
		return w, nil, err
	}
	pages, err := s.Store.WorksheetPages(ctx, id)
	return w, pages, err
}

// Worksheets returns the teacher's own worksheets, newest first.
func (s *School) Worksheets(ctx context.Context, who Person) ([]Worksheet, error) {
	return s.Store.WorksheetsOf(ctx, who.ID)
}

// Print returns what is printed on a page, as JSON of words.Page.
func (s *School) Print(ctx context.Context, who Person, worksheet uint64, number int) (string, error) {
	if _, err := s.worksheet(ctx, who, worksheet, access.SeeWorksheet); err != nil {
		return "", err
	}
	p, err := s.Store.WorksheetPage(ctx, worksheet, number)
	if errors.Is(err, ErrNotFound) {
		return "", access.ErrHidden
	}
	return p.Print, err
}

// Scales are the pictures that there are of a page, in hundredths of a pixel
// per point.
var Scales = []int{25, 100, 150, 200, 300, 400}

// Picture returns a page's picture and its media type. It is rendered once
// and kept; everybody who sees the worksheet gets the same bytes.
func (s *School) Picture(ctx context.Context, who Person, worksheet uint64, number, scale int) (data []byte, mediaType string, err error) {
	w, err := s.worksheet(ctx, who, worksheet, access.SeeWorksheet)
	if err != nil {
		return nil, "", err
	}
	if number < 1 || number > w.PageCount || !slices.Contains(Scales, scale) {
		return nil, "", access.ErrHidden
	}
	hash, mediaType, err := s.Store.Picture(ctx, w.FileHash, number, scale)
	if err == nil {
		data, err = s.Store.Blob(ctx, hash)
		return data, mediaType, err
	}
	if !errors.Is(err, ErrNotFound) {
		return nil, "", err
	}
	key := pictureKey{w.FileHash, number, scale}
	return s.drawing.do(key, func() ([]byte, string, error) { return s.draw(ctx, key) })
}

func (s *School) draw(ctx context.Context, k pictureKey) ([]byte, string, error) {
	file, err := s.Store.Blob(ctx, k.file)
	if err != nil {
		return nil, "", err
	}
	pic, err := s.Press.Picture(ctx, file, k.page, float64(k.scale)/100)
	if err != nil {
		return nil, "", err
	}
	hash, err := s.Store.PutBlob(ctx, pic.Data)
	if err != nil {
		return nil, "", err
	}
	return pic.Data, pic.Type, s.Store.SetPicture(ctx, k.file, k.page, k.scale, hash, pic.Type)
}

type pictureKey struct {
	file        string
	page, scale int
}

// flights lets people who ask for the same picture at the same time share one
// rendering: a whole class opens a worksheet in the same minute.
type flights struct {
	mu  sync.Mutex
	now map[pictureKey]*flight
}

type flight struct {
	done chan struct{}
	data []byte
	kind string
	err  error
}

func (f *flights) do(k pictureKey, render func() ([]byte, string, error)) ([]byte, string, error) {
	f.mu.Lock()
	if running := f.now[k]; running != nil {
		f.mu.Unlock()
		<-running.done
		return running.data, running.kind, running.err
	}
	if f.now == nil {
		f.now = map[pictureKey]*flight{}
	}
	mine := &flight{done: make(chan struct{})}
	f.now[k] = mine
	f.mu.Unlock()
	mine.data, mine.kind, mine.err = render()
	f.mu.Lock()
	delete(f.now, k)
	f.mu.Unlock()
	close(mine.done)
	return mine.data, mine.kind, mine.err
}

// boxes returns how the pages of a worksheet show themselves.
func (s *School) boxes(ctx context.Context, worksheet uint64) ([]page.Box, []WorksheetPage, error) {
	pages, err := s.Store.WorksheetPages(ctx, worksheet)
	if err != nil {
		return nil, nil, err
	}
	out := make([]page.Box, len(pages))
	for i, p := range pages {
		if err := json.Unmarshal([]byte(p.Box), &out[i]); err != nil {
			return nil, nil, err
		}
	}
	return out, pages, nil
}
