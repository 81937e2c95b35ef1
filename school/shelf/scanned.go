package shelf

import (
	"context"
	"encoding/json"
	"errors"
	"log/slog"
	"slices"
	"strings"
	"time"

	"readymargin/core/access"
	"readymargin/core/document"
	"readymargin/core/optical"
	"readymargin/core/words"
	"readymargin/core/worksheet"
	"readymargin/queue"
	"readymargin/school"
	"readymargin/school/jobs"
)

// readerAway is after what time a reader that is not there is looked for again.
const readerAway = time.Hour

// ReadScans reads the words in the pictures of the pages of one file, and is to be called
// again as long as there are more. Everybody works on the pages meanwhile.
func (s *Shelf) ReadScans(ctx context.Context, _ uint64) error {
	hash, err := s.store.Wordless(ctx)
	if errors.Is(err, school.ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	if s.letters == nil {
		err = optical.ErrAway
	} else {
		err = s.readScan(ctx, hash)
	}
	if errors.Is(err, optical.ErrAway) {
		return &jobs.Later{At: s.now().Add(readerAway), Why: err}
	}
	if err != nil {
		return err
	}
	return &jobs.Later{At: s.now()} // there may be more
}

func (s *Shelf) readScan(ctx context.Context, hash string) error {
	kept, err := s.store.FilePages(ctx, hash)
	if err != nil {
		return err
	}
	with, err := s.store.RevisionsWith(ctx, hash)
	if err != nil {
		return err
	}
	left := 0 // pages that are read here
	for i, p := range kept {
		if !p.Wordless {
			continue
		}
		own, ok, err := s.ownPage(ctx, hash, p.Number, with)
		if err != nil {
			return err
		}
		if !ok {
			left++
			continue
		}
		if err := s.store.SetPageWords(ctx, own); err != nil {
			return err
		}
		kept[i].Wordless = false
	}
	if left > 0 {
		if err := s.readPictures(ctx, hash, kept); err != nil {
			return err
		}
	}
	// What was handed out while it was read has to be told, too.
	if with, err = s.store.RevisionsWith(ctx, hash); err != nil {
		return err
	}
	for _, r := range with {
		if err := s.tell(ctx, r); err != nil {
			return err
		}
	}
	return nil
}

// readPictures reads the words in the pages of a file that have none yet.
func (s *Shelf) readPictures(ctx context.Context, hash string, kept []school.FilePage) error {
	file, err := s.store.Blob(ctx, hash)
	var pages []document.Page
	if err == nil {
		pages, err = s.engine.Inspect(queue.In(ctx, queue.Behind), file)
	}
	switch {
	case ctx.Err() != nil:
		return ctx.Err()
	case file == nil && err != nil && !errors.Is(err, school.ErrNotFound) && !errors.Is(err, school.ErrDamaged), passes(err):
		return err
	case err != nil || len(pages) != len(kept):
		// Nobody is to try for ever, and the others wait.
		slog.Warn("a scan cannot be read", "file", hash, "error", err)
		pages = make([]document.Page, len(kept))
	}
	language, err := s.languageOf(ctx, hash)
	if err != nil {
		return err
	}
	for i, p := range kept {
		if !p.Wordless {
			continue
		}
		read, err := s.readPage(ctx, hash, file, p, pages[i], language)
		if err != nil {
			return err
		}
		if err := s.store.SetPageWords(ctx, read); err != nil {
			return err
		}
	}
	return nil
}

// languageOf returns the language that a teacher says a file is in, "" for none.
func (s *Shelf) languageOf(ctx context.Context, hash string) (string, error) {
	kits, err := s.store.KitsWith(ctx, hash)
	for _, k := range kits {
		if kit, err := worksheet.ParseKit(k); err == nil && kit.Lang != "" {
			return kit.Lang, nil
		}
	}
	return "", err
}

// readAnew lets the scans of a worksheet be read in the language that its teacher says it
// is in, but for the pages on which somebody has put a word right.
func (s *Shelf) readAnew(ctx context.Context, id uint64) error {
	sources, err1 := s.store.Sources(ctx, id)
	revisions, err2 := s.store.RevisionsOf(ctx, id)
	if err := errors.Join(err1, err2); err != nil {
		return err
	}
	files := map[string]bool{}
	for _, f := range sources {
		files[f.FileHash] = true
	}
	for _, r := range revisions {
		files[r.FileHash] = true
	}
	for hash := range files {
		prints, err := s.revisions.prints(ctx, hash)
		if err != nil {
			return err
		}
		var anew []int
		for i, p := range prints {
			if (p.Wordless || asRead(p)) && !slices.ContainsFunc(p.Words, words.Word.PutRight) {
				anew = append(anew, i+1)
			}
		}
		if len(anew) == 0 {
			continue
		}
		if err := s.store.ReadAnew(ctx, hash, anew); err != nil {
			return err
		}
	}
	s.wake()
	return nil
}

// readPage returns a page with the words that are read in its picture.
func (s *Shelf) readPage(ctx context.Context, hash string, file []byte, kept school.FilePage, p document.Page, language string) (school.FilePage, error) {
	if p.Width == 0 { // it cannot be read: what is known of it stays
		return s.store.FilePage(ctx, hash, kept.Number)
	}
	if p.Scan == nil {
		return filePage(hash, kept.Number, p)
	}
	picture, err := s.engine.Upright(queue.In(ctx, queue.Behind), file, kept.Number, p.Scan.Tilt, optical.Scale)
	var ws []words.Word
	if err == nil {
		ws, err = s.letters.Read(ctx, picture, optical.Scale, language)
	}
	switch {
	case ctx.Err() != nil:
		return kept, ctx.Err()
	case passes(err):
		return kept, err
	case err != nil:
		slog.Warn("a page cannot be read", "file", hash, "page", kept.Number, "error", err)
		ws = nil
	}
	out, err := filePage(hash, kept.Number, p.Read(legible(ws)))
	out.Wordless = false
	return out, err
}

// passes reports whether a program that reads files may do so another time: it is away,
// or has too much to do. All else is the file's own fault.
func passes(err error) bool {
	return errors.Is(err, optical.ErrAway) || errors.Is(err, queue.ErrFull)
}

// ownPage returns a page of a file that revisions hand out with its words as they were
// read, and perhaps put right, on the teacher's own page that it was made of: where that
// stands as it was brought in, and they are known.
func (s *Shelf) ownPage(ctx context.Context, hash string, number int, with []school.Revision) (p school.FilePage, ok bool, err error) {
	for _, r := range with {
		plan, err := worksheet.Parse(r.Plan)
		if err != nil {
			return p, false, err
		}
		leaves := plan.Of(worksheet.Sheet)
		if number > len(leaves) || leaves[number-1].Turn != 0 {
			continue
		}
		sources, err := s.store.Sources(ctx, r.WorksheetID)
		if err != nil {
			return p, false, err
		}
		l := leaves[number-1]
		if l.Source >= len(sources) || sources[l.Source].FileHash == hash {
			continue
		}
		p, err := s.store.FilePage(ctx, sources[l.Source].FileHash, l.Page)
		if err != nil {
			return p, false, err
		}
		if !p.Wordless && p.Text != "" {
			p.FileHash, p.Number = hash, number
			return p, true, nil
		}
	}
	return p, false, nil
}

// legible returns words, or none where they are so unsure that the page is written by
// hand, or shows something else.
func legible(ws []words.Word) []words.Word {
	sure := make([]float64, len(ws))
	for i, w := range ws {
		sure[i] = w.Sure
	}
	slices.Sort(sure)
	if len(ws) == 0 || sure[len(sure)/2] < optical.Unsure {
		return nil
	}
	return ws
}

// tellNew tells a revision that was just added what its scans say, where their words came
// while it was made; those that come later, it is told when they come.
func (s *Shelf) tellNew(ctx context.Context, r school.Revision) error {
	prints, err := s.revisions.prints(ctx, r.FileHash)
	if err != nil || !slices.ContainsFunc(prints, asRead) {
		return err
	}
	return s.tell(ctx, r)
}

// asRead reports whether the words of a page were read in a picture.
func asRead(p words.Page) bool {
	return slices.ContainsFunc(p.Words, func(w words.Word) bool { return w.Sure > 0 })
}

// tell puts on a revision what the words of its pages tell of its places: their labels,
// and its questions. The places stay, for somebody may have written on them.
func (s *Shelf) tell(ctx context.Context, r school.Revision) error {
	plan, err := worksheet.Parse(r.Plan)
	if err != nil {
		return err
	}
	sheet := worksheet.Plan(plan.Of(worksheet.Sheet))
	found, err := s.revisions.guides(ctx, r.FileHash)
	if err != nil {
		return err
	}
	guides, err := s.store.RevisionGuides(ctx, r.ID)
	if err != nil {
		return err
	}
	for i := range guides {
		if i < len(found) && i < len(sheet) {
			guides[i] = guides[i].Told(sheet[i].Guided(found[i]))
		}
	}
	return s.store.Reread(ctx, r.ID, guides)
}

// PutRight puts a word right that was read in the picture of a page of a worksheet, the
// index'th of it; was is what it says now. Copies that are begun have it too.
func (s *Shelf) PutRight(ctx context.Context, who school.Person, id uint64, l worksheet.PageRef, index int, was, text string) error {
	if _, err := s.gate.Worksheet(ctx, who, id, access.UseWorksheet); err != nil {
		return err
	}
	text, ok := school.OneLine(text, 100)
	if text = strings.Join(strings.Fields(text), ""); !ok || text == "" {
		return school.Refuse("word", "word", text)
	}
	sources, err := s.store.Sources(ctx, id)
	if err != nil {
		return err
	}
	if l.Source < 0 || l.Source >= len(sources) {
		return access.ErrHidden
	}
	hash := sources[l.Source].FileHash
	if err := s.putRight(ctx, hash, l.Page, index, was, text); err != nil {
		return err
	}
	all, err := s.store.RevisionsOf(ctx, id)
	if err != nil {
		return err
	}
	for _, r := range all {
		plan, err := worksheet.Parse(r.Plan)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(plan.Of(worksheet.Sheet), func(o worksheet.PageRef) bool { return o.Source == l.Source && o.Page == l.Page && o.Turn == 0 })
		if i < 0 {
			continue
		}
		if r.FileHash != hash {
			if err := s.putRight(ctx, r.FileHash, i+1, index, was, text); errors.Is(err, school.ErrStale) {
				continue // it was read by itself
			} else if err != nil {
				return err
			}
		}
		guides, err := s.store.RevisionGuides(ctx, r.ID)
		if err != nil {
			return err
		}
		if err := s.store.Reread(ctx, r.ID, guides); err != nil {
			return err
		}
	}
	return nil
}

func (s *Shelf) putRight(ctx context.Context, hash string, number, index int, was, text string) error {
	p, err := s.store.FilePage(ctx, hash, number)
	if errors.Is(err, school.ErrNotFound) {
		return access.ErrHidden
	}
	if err != nil {
		return err
	}
	var print words.Page
	if err := json.Unmarshal([]byte(p.TextLayer), &print); err != nil {
		return err
	}
	if index < 0 || index >= len(print.Words) || print.Words[index].Text != was || print.Words[index].Sure == 0 {
		return school.ErrStale
	}
	print.Words[index] = print.Words[index].Saying(text)
	b, err := json.Marshal(print)
	if err != nil {
		return err
	}
	p.TextLayer, p.Text = string(b), searched(print)
	return s.store.SetPageWords(ctx, p)
}
