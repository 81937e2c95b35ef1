package feedback

import (
	"cmp"
	"context"
	"encoding/json"
	"slices"
	"strings"
	"time"

	"readymargin/core/access"
	"readymargin/core/answer"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/submission"
	"readymargin/core/words"
	"readymargin/core/worksheet"
	"readymargin/school"
	"readymargin/school/screen"
)

// Across is one question on the copies of a whole class.
type Across struct {
	Assignment school.Assignment `json:"-"`
	Course     school.Course     `json:"-"`
	Asked      []Asking          `json:"-"`
	Question   Asking            `json:"question"`
	Step       string            `json:"step"` // in which points are given
	Groups     []Group           `json:"groups"`
	Missing    int               `json:"missing"` // students who have not submitted
}

// Asking is a question of an assignment, with how many copies have points for it.
type Asking struct {
	ID     string `json:"id"`
	Number string `json:"number"`
	Text   string `json:"text"`
	Of     string `json:"of"` // "" where no points are given for it
	Scored int    `json:"scored"`
	Copies int    `json:"copies"`
}

// A Group is copies that answer alike.
type Group struct {
	Says    string  `json:"says"`  // as the first of them wrote it
	Drawn   bool    `json:"drawn"` // it cannot be said in words
	Patches []Patch `json:"patches"`
}

// A Patch is the part of a copy on which a question is asked and answered.
type Patch struct {
	Copy    uint64        `json:"copy"`
	Attempt int           `json:"attempt"`
	Student string        `json:"student"`
	Sheet   uint64        `json:"sheet"` // the revision
	Page    int           `json:"page"`
	Size    page.Point    `json:"size"` // of the page, points
	Rect    worksheet.Box `json:"rect"`
	Given   string        `json:"given"` // "" for nothing
	Marks   []screen.Mark `json:"marks"`

	key string // by which it is gathered
}

// asked is a question where it stands in a revision.
type asked struct {
	all      []worksheet.Guide // of the revision
	guide    worksheet.Guide
	page, at int
	size     page.Point
	print    words.Page
}

// Across returns a question on the newest attempts of all copies of an
// assignment, what answers alike together; "" is the first question.
func (s *Marking) Across(ctx context.Context, who school.Person, assignment uint64, question string) (out Across, err error) {
	a, course, roll, err := s.queue.Roll(ctx, who, assignment)
	if err != nil {
		return out, err
	}
	out = Across{Assignment: a, Course: course, Step: course.Step().String(), Groups: []Group{}}
	var in []RosterEntry
	for _, r := range roll {
		if r.Copy.Attempts > 0 {
			in = append(in, r)
		}
	}
	out.Missing = len(roll) - len(in)
	where, err := s.askedIn(ctx, in, &question, &out)
	if err != nil {
		return out, err
	}
	i := slices.IndexFunc(out.Asked, func(q Asking) bool { return q.ID == question })
	if i < 0 {
		if question == "" {
			return out, nil
		}
		return out, access.ErrHidden
	}
	out.Question = out.Asked[i]
	return out, s.patches(ctx, in, where, question, &out)
}

// askedIn lists the questions of the revisions that copies are of, and returns
// where one of them stands, by revision; where none is wanted, the first.
func (s *Marking) askedIn(ctx context.Context, in []RosterEntry, question *string, out *Across) (map[uint64]asked, error) {
	where, issued := map[uint64]asked{}, map[uint64]bool{}
	at := map[string]int{}
	for _, r := range in {
		id := r.Copy.RevisionID
		if issued[id] {
			continue
		}
		issued[id] = true
		rev, err := s.store.Revision(ctx, id)
		if err != nil {
			return nil, err
		}
		is, err := s.revisions.Issued(ctx, rev)
		if err != nil {
			return nil, err
		}
		for n, g := range is.Guides {
			for i, q := range g.Questions {
				if _, known := at[q.ID]; !known && answerable(g, i) {
					at[q.ID] = len(out.Asked)
					one := Asking{ID: q.ID, Number: q.Number, Text: q.Text}
					if q.Points > 0 {
						one.Of = q.Points.String()
					}
					out.Asked = append(out.Asked, one)
					if *question == "" {
						*question = q.ID
					}
				}
				if q.ID != *question {
					continue
				}
				here := asked{all: is.Guides, guide: g, page: n + 1, at: i, size: is.Sizes[n]}
				if q.Task != nil { // marks point at what is printed
					p, err := s.store.FilePage(ctx, rev.FileHash, n+1)
					if err != nil {
						return nil, err
					}
					if err := json.Unmarshal([]byte(p.TextLayer), &here.print); err != nil {
						return nil, err
					}
				}
				where[id] = here
			}
		}
		for _, r := range in {
			if r.Copy.RevisionID != id {
				continue
			}
			for _, g := range is.Guides {
				for _, q := range g.Questions {
					if i, ok := at[q.ID]; ok {
						out.Asked[i].Copies++
						if _, ok := r.Score(q.ID); ok {
							out.Asked[i].Scored++
						}
					}
				}
			}
		}
	}
	return where, nil
}

// answerable reports whether a question is answered on its page, or has points.
func answerable(g worksheet.Guide, q int) bool {
	return g.Questions[q].Points > 0 || g.Questions[q].Task != nil || slices.Contains(g.Of(), q)
}

// patches gathers what copies have at a question.
func (s *Marking) patches(ctx context.Context, in []RosterEntry, where map[uint64]asked, question string, out *Across) error {
	var hashes []string
	var ids []uint64
	for _, r := range in {
		if _, asks := where[r.Copy.RevisionID]; asks {
			hashes, ids = append(hashes, r.Latest.SnapshotHash), append(ids, r.Copy.ID)
		}
	}
	if len(ids) == 0 {
		return nil
	}
	snapshots, err := s.store.SmallBlobs(ctx, hashes...)
	if err != nil {
		return err
	}
	answers, err := s.store.AnswersOf(ctx, out.Assignment.ID)
	if err != nil {
		return err
	}
	said, err := s.store.FeedbackHeads(ctx, ids...)
	if err != nil {
		return err
	}
	var areas answer.Areas
	groups := map[string]int{}
	for _, r := range in {
		at, asks := where[r.Copy.RevisionID]
		if !asks {
			continue
		}
		var snap submission.Snapshot
		if err := json.Unmarshal(snapshots[r.Latest.SnapshotHash], &snap); err != nil {
			return err
		}
		when := r.Latest.SubmittedAt
		if out.Assignment.Hides(r.Copy) {
			snap.Marks, when = worksheet.Nameless(at.all, snap.Marks), time.Time{}
		}
		p := Patch{Copy: r.Copy.ID, Attempt: r.Latest.Number, Student: r.Member.Name, Sheet: r.Copy.RevisionID, Page: at.page, Size: at.size, Marks: []screen.Mark{}}
		part := at.guide.Patch(at.at, at.size)
		p.Rect = worksheet.BoxOf(part)
		if g, ok := r.Score(question); ok {
			p.Given = g.String()
		}
		for _, m := range snap.Marks {
			if seen(m, at.page, part) {
				p.Marks = append(p.Marks, screen.Show(submission.Work, submission.Shown{Mark: m}, r.Member.Name, false, when, true))
			}
		}
		var feedback []school.SavedHead
		for _, h := range said[r.Copy.ID] {
			if h.Layer == submission.Feedback(r.Latest.Number) {
				feedback = append(feedback, h)
			}
		}
		shown, _ := school.Present(feedback)
		for _, w := range shown {
			if seen(w.Mark, at.page, part) {
				p.Marks = append(p.Marks, screen.Show(submission.Feedback(r.Latest.Number), w, "", false, when, true))
			}
		}
		says, drawn := p.gather(at, question, answers[r.Copy.ID], snap.Marks, &areas)
		i, known := groups[p.key]
		if !known {
			i = len(out.Groups)
			groups[p.key] = i
			out.Groups = append(out.Groups, Group{Says: says, Drawn: drawn})
		}
		out.Groups[i].Patches = append(out.Groups[i].Patches, p)
	}
	slices.SortStableFunc(out.Groups, func(a, b Group) int { // the most at the top, nothing at the end
		return cmp.Or(boolean(a.Says == "" && !a.Drawn)-boolean(b.Says == "" && !b.Drawn), len(b.Patches)-len(a.Patches))
	})
	return nil
}

func boolean(b bool) int {
	if b {
		return 1
	}
	return 0
}

// seen reports whether a mark is painted on a part of a page.
func seen(m mark.Mark, n int, part page.Rect) bool {
	switch m.Body.(type) {
	case *mark.Note, *mark.Reply, *mark.Paper:
		return false
	}
	return m.Page == n && !m.Body.Bounds().Intersect(part).Empty()
}

// gather sets by what a patch is gathered, and returns what it says.
func (p *Patch) gather(at asked, question string, all []answer.Answer, marks []mark.Mark, areas *answer.Areas) (says string, drawn bool) {
	var key, words []string
	for i, of := range at.guide.Of() {
		if of != at.at || at.guide.Blanks[i].Holds != "" {
			continue
		}
		k := slices.IndexFunc(all, func(a answer.Answer) bool { return a.Blank == at.guide.Blanks[i].ID })
		if k < 0 {
			key, words = append(key, ""), append(words, "–")
			continue
		}
		a := all[k]
		if a.Drawn { // two drawings are not compared
			drawn = true
		}
		key, words = append(key, a.Normal), append(words, strings.ReplaceAll(a.Text, "\n", " "))
	}
	if task := at.guide.Questions[at.at].Task; task != nil {
		var here []mark.Mark
		for _, m := range marks {
			if m.Page == at.page {
				here = append(here, m)
			}
		}
		if pointed := answer.Drawn(*task, at.guide.Answering(at.at, here), at.print, areas); pointed != "" {
			key, words = append(key, pointed), append(words, pointed)
		}
	}
	p.key = strings.Join(key, "\x1f")
	if strings.Trim(p.key, "\x1f") == "" {
		p.key, says = "", ""
	} else {
		says = strings.Join(words, " · ")
	}
	if drawn {
		p.key += "\x1fdrawn"
	}
	return says, drawn
}

// MostAtOnce is how many copies something is done to at once.
const MostAtOnce = 1000

// A ScoreGift is the points that one copy gets for a question, and what it had
// for the one who gives; see Score.
type ScoreGift struct {
	Copy    uint64 `json:"copy"`
	Attempt int    `json:"attempt"`
	Points  string `json:"points"`
	Was     string `json:"was"`
}

// ScoreSeveral gives points for a question on several copies of an assignment,
// and returns why some could not take them.
func (s *Marking) ScoreSeveral(ctx context.Context, who school.Person, assignment uint64, question string, given []ScoreGift) (map[uint64]error, error) {
	_, _, roll, err := s.queue.Roll(ctx, who, assignment)
	if err != nil {
		return nil, err
	}
	if len(given) > MostAtOnce {
		return nil, school.Refuse("too much", "", "")
	}
	refused := map[uint64]error{}
	for _, g := range given {
		if !slices.ContainsFunc(roll, func(r RosterEntry) bool { return r.Copy.ID == g.Copy && g.Copy != 0 }) {
			return refused, access.ErrHidden
		}
		if _, err := s.Score(ctx, who, g.Copy, g.Attempt, question, g.Points, g.Was); err != nil {
			refused[g.Copy] = err
		}
	}
	return refused, nil
}
