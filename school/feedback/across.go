package feedback

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"maps"
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
	"readymargin/school/shelf"
)

// Across is one question on the copies of a whole class.
type Across struct {
	Assignment school.Assignment `json:"-"`
	Course     school.Course     `json:"-"`
	Asked      []Asking          `json:"-"`
	Question   Asking            `json:"question"`
	Step       string            `json:"step"` // in which points are given
	Groups     []Group           `json:"groups"`
	Heat       []Heat            `json:"heat,omitempty"` // where words are expected to be marked, of each revision
	Key        *KeyCounts        `json:"key,omitempty"`  // where the colour key is asked about
	Missing    int               `json:"missing"`        // students who have not submitted
}

// Asking is a question of an assignment, with how many copies have points for it.
type Asking struct {
	ID     string `json:"id"`
	Ref    string `json:"ref"` // by which it is asked for: the ID, and the worksheet where there are several
	Number string `json:"number"`
	Text   string `json:"text"`
	Sheet  string `json:"sheet,omitempty"` // the worksheet, where there are several
	Of     string `json:"of"`              // "" where no points are given for it
	Scored int    `json:"scored"`
	Copies int    `json:"copies"`

	Criteria []screen.Criterion `json:"criteria,omitempty"` // by which it is judged, if it is

	worksheet uint64
}

// Heat is what a class marks of the printed words of a page.
type Heat struct {
	Sheet  uint64          `json:"sheet"` // the revision
	Page   int             `json:"page"`
	Size   page.Point      `json:"size"` // of the page, points
	Rect   worksheet.Box   `json:"rect"`
	Copies int             `json:"copies"`
	Words  []answer.Marked `json:"words"`
}

// KeyOfColours is asked about in place of a question: how often each meaning of
// the colour key stands on each copy.
const KeyOfColours = "colour-key"

// KeyCounts is how often copies have each meaning of a colour key.
type KeyCounts struct {
	Key  []worksheet.Meaning `json:"key"`
	Rows []KeyRow            `json:"rows"`
}

// A KeyRow is one copy's.
type KeyRow struct {
	Copy    uint64 `json:"copy"`
	Student string `json:"student"`
	Counts  []int  `json:"counts"` // in the key's order
}

// A Group is copies that answer alike.
type Group struct {
	Says    string  `json:"says"`  // as the first of them wrote it
	Drawn   bool    `json:"drawn"` // it cannot be said in words
	Patches []Patch `json:"patches"`
}

// A Patch is the part of a copy on which a question is asked and answered.
type Patch struct {
	Copy    uint64            `json:"copy"`
	Attempt int               `json:"attempt"`
	Student string            `json:"student"`
	Sheet   uint64            `json:"sheet"` // the revision
	Page    int               `json:"page"`
	Size    page.Point        `json:"size"` // of the page, points
	Rect    worksheet.Box     `json:"rect"`
	Given   string            `json:"given"`            // "" for nothing
	Levels  map[string]string `json:"levels,omitempty"` // by which it was judged
	Found   string            `json:"found,omitempty"`  // how the words that are marked stand to those that are expected
	Marks   []screen.Mark     `json:"marks"`

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
// assignment by its Ref, what answers alike together; "" is the first question.
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
	handed, err := s.revisions.HandedIn(ctx, revisionsOf(in)...)
	if err != nil {
		return out, err
	}
	out.list(in, handed)
	if question == KeyOfColours && out.Key != nil {
		out.Question = Asking{Ref: KeyOfColours}
		return out, s.countKey(ctx, in, &out)
	}
	i := slices.IndexFunc(out.Asked, func(q Asking) bool { return question == "" || q.Ref == question })
	if i < 0 {
		if question == "" {
			return out, nil
		}
		return out, access.ErrHidden
	}
	out.Question = out.Asked[i]
	where, err := s.stands(ctx, out.Question, handed)
	if err != nil {
		return out, err
	}
	return out, s.patches(ctx, in, where, out.Question.ID, &out)
}

// revisionsOf returns the revisions that copies are of, once each, in order.
func revisionsOf(in []RosterEntry) (ids []uint64) {
	for _, r := range in {
		ids = append(ids, r.Copy.RevisionID)
	}
	slices.Sort(ids)
	return slices.Compact(ids)
}

// list lists the questions and the colour keys of what was handed in. The same
// question of several revisions is one; those of two worksheets are two, however
// alike they are.
func (out *Across) list(in []RosterEntry, handed map[uint64]shelf.Handed) {
	of := map[uint64]bool{} // worksheets
	for _, h := range handed {
		of[h.WorksheetID] = true
	}
	several := len(of) > 1
	at := map[string]int{}
	ref := func(h shelf.Handed, q worksheet.Question) string {
		if several {
			return fmt.Sprint(h.WorksheetID, "/", q.ID)
		}
		return q.ID
	}
	for _, id := range revisionsOf(in) {
		h := handed[id]
		for _, m := range h.Now.Key {
			if out.Key == nil {
				out.Key = &KeyCounts{}
			}
			if !slices.ContainsFunc(out.Key.Key, func(k worksheet.Meaning) bool { return k.Name == m.Name }) {
				out.Key.Key = append(out.Key.Key, m)
			}
		}
		for _, g := range h.Now.Guides {
			for i, q := range g.Questions {
				if _, known := at[ref(h, q)]; known || !answerable(g, i) {
					continue
				}
				one := Asking{ID: q.ID, Ref: ref(h, q), Number: q.Number, Text: q.Text, worksheet: h.WorksheetID}
				if q.Points > 0 {
					one.Of = q.Points.String()
				}
				if q.Rubric != nil {
					one.Criteria = screen.Criteria(*q.Rubric, nil)
				}
				if several {
					one.Sheet = h.Now.Title
				}
				at[one.Ref] = len(out.Asked)
				out.Asked = append(out.Asked, one)
			}
		}
	}
	for _, r := range in {
		h := handed[r.Copy.RevisionID]
		for _, g := range h.Now.Guides {
			for _, q := range g.Questions {
				if i, ok := at[ref(h, q)]; ok {
					out.Asked[i].Copies++
					if _, ok := r.Score(q.ID); ok {
						out.Asked[i].Scored++
					}
				}
			}
		}
	}
	slices.SortStableFunc(out.Asked, func(a, b Asking) int {
		return cmp.Or(strings.Compare(a.Sheet, b.Sheet), cmp.Compare(a.worksheet, b.worksheet))
	})
}

// stands returns where a question is asked, by revision.
func (s *Marking) stands(ctx context.Context, of Asking, handed map[uint64]shelf.Handed) (map[uint64]asked, error) {
	where := map[uint64]asked{}
	for id, h := range handed {
		if h.WorksheetID != of.worksheet {
			continue
		}
		for n, g := range h.Now.Guides {
			i := slices.IndexFunc(g.Questions, func(q worksheet.Question) bool { return q.ID == of.ID })
			if i < 0 {
				continue
			}
			here := asked{all: h.Now.Guides, guide: g, page: n + 1, at: i, size: h.Now.Sizes[n]}
			if q := g.Questions[i]; q.Task != nil || len(q.Words) > 0 { // marks point at what is printed
				p, err := s.store.FilePage(ctx, h.FileHash, n+1)
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
	return where, nil
}

// part is the patch on which the question is asked and answered. Where words are
// expected to be marked it has these, and leaves out the question when it stands
// further off.
func (a asked) part() page.Rect {
	const beside, above, far = 12, 26, 80 // points; a line of print above and below is seen
	part := a.guide.Patch(a.at, a.size)
	var text page.Rect
	for _, w := range a.guide.Questions[a.at].Words {
		for _, q := range (&mark.Highlight{QuadPoints: w.QuadPoints}).Quads() {
			text = text.Union(page.R(q.Bounds().Min.X-beside, q.Bounds().Min.Y-above, q.Bounds().Max.X+beside, q.Bounds().Max.Y+above))
		}
	}
	if text.Empty() {
		return part
	}
	whole := part.Union(text)
	if whole.H() > part.H()+text.H()+far {
		whole = page.R(part.Min.X, text.Min.Y, part.Max.X, text.Max.Y).Union(text)
	}
	return whole.Intersect(page.R(0, 0, a.size.X, a.size.Y))
}

// countKey counts the meanings of the colour key on each copy.
func (s *Marking) countKey(ctx context.Context, in []RosterEntry, out *Across) error {
	snapshots, err := s.snapshots(ctx, in)
	if err != nil {
		return err
	}
	for i, r := range in {
		out.Key.Rows = append(out.Key.Rows, KeyRow{r.Copy.ID, r.Member.Name, answer.Meanings(out.Key.Key, snapshots[i].Marks)})
	}
	return nil
}

// snapshots returns what was submitted with the newest attempts of copies.
func (s *Marking) snapshots(ctx context.Context, in []RosterEntry) ([]submission.Snapshot, error) {
	hashes := make([]string, len(in))
	for i, r := range in {
		hashes[i] = r.Latest.SnapshotHash
	}
	blobs, err := s.store.SmallBlobs(ctx, hashes...)
	if err != nil {
		return nil, err
	}
	out := make([]submission.Snapshot, len(in))
	for i, h := range hashes {
		if err := json.Unmarshal(blobs[h], &out[i]); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// answerable reports whether a question is answered on its page, or has points.
func answerable(g worksheet.Guide, q int) bool {
	return g.Questions[q].Points > 0 || g.Questions[q].Task != nil || slices.Contains(g.Of(), q)
}

// patches gathers what copies have at a question.
func (s *Marking) patches(ctx context.Context, in []RosterEntry, where map[uint64]asked, question string, out *Across) error {
	in = slices.DeleteFunc(slices.Clone(in), func(r RosterEntry) bool {
		_, asks := where[r.Copy.RevisionID]
		return !asks
	})
	if len(in) == 0 {
		return nil
	}
	ids := make([]uint64, len(in))
	for i, r := range in {
		ids[i] = r.Copy.ID
	}
	snapshots, err := s.snapshots(ctx, in)
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
	of := map[uint64][][]mark.Mark{} // the marks of copies, by revision
	for k, r := range in {
		at, snap := where[r.Copy.RevisionID], snapshots[k]
		when := r.Latest.SubmittedAt
		if out.Assignment.Hides(r.Copy) {
			aliases := submission.Aliases(snap.Marks)
			snap.Marks, when = worksheet.Nameless(at.all, snap.Marks), time.Time{}
			for i, m := range snap.Marks {
				snap.Marks[i] = m.Renamed(aliases)
			}
		}
		p := Patch{Copy: r.Copy.ID, Attempt: r.Latest.Number, Student: r.Member.Name, Sheet: r.Copy.RevisionID, Page: at.page, Size: at.size, Marks: []screen.Mark{}}
		part, ask := at.part(), at.guide.Questions[at.at]
		p.Rect = worksheet.BoxOf(part)
		for _, sc := range r.Scores {
			if sc.QuestionID == question {
				p.Given, p.Levels = sc.Points.String(), sc.Levels
			}
		}
		of[r.Copy.RevisionID] = append(of[r.Copy.RevisionID], snap.Marks)
		if len(ask.Words) > 0 {
			var f answer.Found
			f.Hit, f.Missed, f.Excess = answer.Words(ask, at.page, snap.Marks)
			p.Found = screen.Finding{Found: f}.Counts()
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
	for _, sheet := range slices.Sorted(maps.Keys(of)) {
		at := where[sheet]
		if ask := at.guide.Questions[at.at]; len(ask.Words) > 0 {
			out.Heat = append(out.Heat, Heat{sheet, at.page, at.size, worksheet.BoxOf(at.part()), len(of[sheet]), answer.Heat(ask, at.page, at.part(), at.print, of[sheet])})
		}
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
	if ask := at.guide.Questions[at.at]; len(ask.Words) > 0 {
		var marked []string
		for _, w := range answer.Heat(ask, at.page, at.part(), at.print, [][]mark.Mark{marks}) {
			if w.Copies > 0 {
				marked = append(marked, strings.TrimRight(w.Text, ".,;:"))
			}
		}
		if len(marked) > 0 {
			key, words = append(key, strings.Join(marked, " ")), append(words, strings.Join(marked, ", "))
		}
	} else if task := ask.Task; task != nil {
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

	Levels map[string]string `json:"levels,omitempty"` // that give the points, where it is judged
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
		var err error
		if len(g.Levels) > 0 {
			_, err = s.Judge(ctx, who, g.Copy, g.Attempt, question, g.Levels, g.Was)
		} else {
			_, err = s.Score(ctx, who, g.Copy, g.Attempt, question, g.Points, g.Was)
		}
		if err != nil {
			refused[g.Copy] = err
		}
	}
	return refused, nil
}
