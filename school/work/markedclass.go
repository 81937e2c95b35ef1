package work

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"io"
	"path"
	"slices"
	"strings"

	"readymargin/core/access"
	"readymargin/school"
	"readymargin/school/intake"
)

// A Doubt is a reason to look before what was marked elsewhere is taken over.
type Doubt string

// What is doubted.
const (
	DoubtLater    Doubt = "later attempt" // the student submitted again meanwhile
	DoubtReturned Doubt = "returned"      // it was returned; what is new goes out with the next return
	DoubtFeedback Doubt = "feedback"      // there is feedback already, which stays beside it
	DoubtName     Doubt = "by name"       // whose it is was told by the file's name alone
)

// A MarkedFile says what a file with feedback is, and what became of it.
type MarkedFile struct {
	Name    string  `json:"name"`
	At      int     `json:"at"` // its place among the files
	Of      int     `json:"of"`
	Copy    uint64  `json:"copy,omitempty"`
	Student string  `json:"student,omitempty"`
	Attempt int     `json:"attempt,omitempty"`
	New     int     `json:"new"` // marks and pictures that are not on the attempt yet
	Doubts  []Doubt `json:"doubts"`
	Taken   bool    `json:"taken"`
	Wrong   error   `json:"-"` // for which it is left out
}

// Bounds of a ZIP that comes back.
const (
	maxMarked      = 400
	maxMarkedBytes = 1 << 30
)

// BringMarkedClass takes over what a teacher marked with other programs on the copies of
// an assignment: PDFs and XFDF, as they are or in ZIPs. Each is feedback on the attempt
// whose fingerprint it carries, by the file's name else. Of those that are not chosen it
// is told what they would become, and nothing is kept. Tell is told of each as it is done.
func (s *Elsewhere) BringMarkedClass(ctx context.Context, who school.Person, assignment uint64, files []intake.Upload, chosen []int, tell func(MarkedFile) error) error {
	given, _, err := s.gate.Given(ctx, who, assignment, access.SeeRoll)
	if err != nil {
		return err
	}
	if files, err = unpacked(files); err != nil {
		return err
	}
	names, err := s.named(ctx, given)
	if err != nil {
		return err
	}
	for i, f := range files {
		out := MarkedFile{Name: f.Name, At: i, Of: len(files), Doubts: []Doubt{}}
		out.Wrong = s.markedFile(ctx, who, given, names, f, slices.Contains(chosen, i), &out)
		if ctx.Err() != nil || errors.Is(out.Wrong, school.ErrAway) {
			return out.Wrong
		}
		if err := tell(out); err != nil {
			return err
		}
	}
	return nil
}

// markedFile tells what a file is, and takes it over if it is chosen.
func (s *Elsewhere) markedFile(ctx context.Context, who school.Person, given school.Assignment, names map[string]attemptOf, f intake.Upload, chosen bool, out *MarkedFile) error {
	of, doubts, err := s.whose(ctx, who, given, names, f)
	if err != nil {
		return err
	}
	m, err := s.openMarked(ctx, who, of.copy, of.number)
	if errors.Is(err, access.ErrHidden) || errors.Is(err, access.ErrDenied) {
		return school.Refuse("no copy", "", "")
	}
	if err != nil {
		return err
	}
	out.Copy, out.Student, out.Attempt = m.copy.ID, m.copy.Student.Name, m.attempt.Number
	if given.Hides(m.copy.Copy) {
		out.Student = m.copy.Label()
	}
	out.Doubts = append(out.Doubts, doubts...)
	if m.attempt.Number < m.copy.Attempts {
		out.Doubts = append(out.Doubts, DoubtLater)
	}
	if m.attempt.ReturnedAt != nil {
		out.Doubts = append(out.Doubts, DoubtReturned)
	}
	if m.feedback > 0 {
		out.Doubts = append(out.Doubts, DoubtFeedback)
	}
	if err := m.compare(ctx, f, Answers{Anyway: true}); err != nil {
		return err
	}
	out.New = m.news()
	if !chosen || out.New == 0 {
		return nil
	}
	_, err = m.take(ctx)
	out.Taken = err == nil
	return err
}

// news counts what of a file is not on the attempt yet.
func (m *marking) news() (n int) {
	n = len(m.taken.Found)
	for i, parts := range m.parts {
		for _, p := range parts {
			if _, there := m.with.Standing[m.piece(m.copy.ID, m.match[i], p).On]; !there {
				n++
			}
		}
	}
	return n
}

// An attemptOf is an attempt at a copy.
type attemptOf struct {
	copy   uint64
	number int
}

// named returns the attempts at an assignment by what their files are called; one that
// two have is nobody's.
func (s *Elsewhere) named(ctx context.Context, given school.Assignment) (map[string]attemptOf, error) {
	members, err := s.store.Members(ctx, given.CourseID)
	if err != nil {
		return nil, err
	}
	copies, attempts, err := s.store.HandedIn(ctx, given.ID)
	if err != nil {
		return nil, err
	}
	of, by := map[uint64]school.Copy{}, map[uint64]school.Member{}
	for _, c := range copies {
		of[c.ID] = c
	}
	for _, m := range members {
		by[m.PersonID] = m
	}
	out := map[string]attemptOf{}
	for _, t := range attempts {
		name := given.CopyName(of[t.CopyID], by[of[t.CopyID].StudentID], t.Number)
		if _, twice := out[name]; twice {
			out[name] = attemptOf{}
			continue
		}
		out[name] = attemptOf{t.CopyID, t.Number}
	}
	return out, nil
}

// whose tells which attempt a file is of: by what it carries, by its name else.
func (s *Elsewhere) whose(ctx context.Context, who school.Person, given school.Assignment, names map[string]attemptOf, f intake.Upload) (attemptOf, []Doubt, error) {
	if !isXFDF(f.Data) {
		carried, err := s.engine.Annotations(ctx, f.Data, nil)
		if err != nil && !intake.Untold(err) {
			return attemptOf{}, nil, err
		}
		if carried.Copy != 0 && carried.Fingerprint != "" {
			c, err := s.gate.Copy(ctx, who, carried.Copy, access.MarkCopy, "")
			if err != nil && !errors.Is(err, access.ErrHidden) && !errors.Is(err, access.ErrDenied) {
				return attemptOf{}, nil, err
			}
			if err == nil && c.Assignment.ID == given.ID {
				attempts, err := s.store.Attempts(ctx, carried.Copy)
				if err != nil {
					return attemptOf{}, nil, err
				}
				for _, t := range attempts {
					if t.SnapshotHash == carried.Fingerprint {
						return attemptOf{carried.Copy, t.Number}, nil, nil
					}
				}
			}
			return attemptOf{}, nil, school.Refuse("no attempt", "", "")
		}
	}
	base := strings.TrimSuffix(path.Base(strings.ReplaceAll(f.Name, `\`, "/")), path.Ext(f.Name))
	if of := names[base]; of.copy != 0 {
		return of, []Doubt{DoubtName}, nil
	}
	return attemptOf{}, nil, school.Refuse("no copy", "", "")
}

// unpacked returns files, with those that are in ZIPs in their place: PDFs and XFDF, and
// nothing else of what is there.
func unpacked(files []intake.Upload) (out []intake.Upload, err error) {
	room := int64(maxMarkedBytes)
	for _, f := range files {
		if !bytes.HasPrefix(f.Data, []byte("PK\x03\x04")) {
			out = append(out, f)
			continue
		}
		z, err := zip.NewReader(bytes.NewReader(f.Data), int64(len(f.Data)))
		if err != nil {
			return nil, school.Refuse("no zip", "", "")
		}
		for _, in := range z.File {
			kind := strings.ToLower(path.Ext(in.Name))
			if kind != ".pdf" && kind != ".xfdf" || strings.HasPrefix(path.Base(in.Name), ".") {
				continue
			}
			r, err := in.Open()
			if err != nil {
				return nil, school.Refuse("no zip", "", "")
			}
			data, err := io.ReadAll(io.LimitReader(r, room+1))
			r.Close()
			if room -= int64(len(data)); err != nil || room < 0 || len(out) >= maxMarked {
				return nil, school.Refuse("no zip", "", "")
			}
			out = append(out, intake.Upload{Name: in.Name, Data: data})
		}
	}
	if len(out) == 0 {
		return nil, school.Refuse("nothing marked", "", "")
	}
	return out, nil
}
