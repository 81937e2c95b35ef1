package school

import (
	"cmp"
	"context"
	"encoding/json"
	"slices"
	"time"

	"readymargin/core/mark"
	"readymargin/core/points"
	"readymargin/core/submission"
	"readymargin/core/worksheet"
)

// Returned is the feedback as it was given back. The student sees this and
// nothing else of what the teachers wrote; what they change afterwards is
// seen at the next Return.
type Returned struct {
	Points *points.Points `json:"points"`
	Reason string         `json:"reason,omitempty"` // why these and not what the questions add up to
	Remark string         `json:"remark"`
	Rich   bool           `json:"rich,omitempty"` // Remark is CommonMark
	Scores []Scored       `json:"scores,omitempty"`
	Marks  []ReturnedMark `json:"marks"`
}

// Scored is a question and what an attempt got for it.
type Scored struct {
	ID     string  `json:"id"`
	Number string  `json:"number"`
	Of     string  `json:"of"`
	Given  string  `json:"given"` // "" for nothing
	Page   int     `json:"page"`
	Y      float64 `json:"y"`   // of its first line, points from the top
	Tag    float64 `json:"tag"` // where its points stand at the page's edge, points from the top

	Judged []Judged `json:"judged,omitempty"` // by what it was, if it was
}

// Judged is how well a criterion was met.
type Judged struct {
	Criterion string `json:"criterion"`
	Level     string `json:"level"`
	Given     string `json:"given"`
	Of        string `json:"of"`
}

// judged returns what was chosen of a rubric.
func judged(r *worksheet.Rubric, levels map[string]string) (out []Judged) {
	if r == nil {
		return nil
	}
	for _, c := range r.Criteria {
		for _, l := range c.Levels {
			if levels[c.ID] == l.ID {
				out = append(out, Judged{c.Text, l.Text, l.Points.String(), c.Most().String()})
			}
		}
	}
	return out
}

// ScoredOf returns the questions of a sheet that points are given for, and what
// an attempt got for each.
func ScoredOf(pages []worksheet.Guide, scores []Score) (out []Scored) {
	by, levels := Given(scores), map[string]map[string]string{}
	for _, sc := range scores {
		levels[sc.QuestionID] = sc.Levels
	}
	for i, g := range pages {
		asked := worksheet.Worth([]worksheet.Guide{g})
		for _, q := range asked {
			row := Scored{ID: q.ID, Number: q.Number, Of: q.Points.String(), Page: i + 1, Y: q.Rect[1], Judged: judged(q.Rubric, levels[q.ID])}
			if p, ok := by[q.ID]; ok {
				row.Given = p.String()
			}
			out = append(out, row)
		}
		setTags(out[len(out)-len(asked):])
	}
	return out
}

// TagHeight is how high the sign with a question's points is, with the room
// beneath it, in points.
const TagHeight = 20

// setTags sets where the points of a page's questions stand: beside each, and
// one under the other where questions stand side by side.
func setTags(page []Scored) {
	order := make([]*Scored, len(page))
	for i := range page {
		order[i] = &page[i]
	}
	slices.SortStableFunc(order, func(a, b *Scored) int { return cmp.Compare(a.Y, b.Y) })
	free := 0.0
	for _, q := range order {
		q.Tag = max(q.Y, free)
		free = q.Tag + TagHeight
	}
}

// Given are the points of scores, by question.
func Given(scores []Score) map[string]points.Points {
	out := map[string]points.Points{}
	for _, sc := range scores {
		out[sc.QuestionID] = sc.Points
	}
	return out
}

// A ReturnedMark is a mark of the feedback and who made it.
type ReturnedMark struct {
	Mark mark.Mark `json:"mark"`
	By   string    `json:"by"`
	At   time.Time `json:"at"`
}

func (r Returned) Bare() (out []mark.Mark) {
	for _, m := range r.Marks {
		out = append(out, m.Mark)
	}
	return out
}

// ReadReturned returns what was given back with an attempt.
func ReadReturned(ctx context.Context, blobs BlobReader, a Attempt) (r Returned, err error) {
	b, err := blobs.Blob(ctx, a.ReturnedHash)
	if err == nil {
		err = json.Unmarshal(b, &r)
	}
	return r, err
}

// Newest returns, by copy, the newest attempt, and the newest that was returned.
func Newest(attempts []Attempt) (latest, returned map[uint64]Attempt) {
	latest, returned = map[uint64]Attempt{}, map[uint64]Attempt{}
	for _, t := range attempts {
		latest[t.CopyID] = t
		if t.ReturnedAt != nil {
			returned[t.CopyID] = t
		}
	}
	return latest, returned
}

// Present returns what saved heads show, and each by the name of its operation.
func Present(heads []SavedHead) (shown []submission.Shown, by map[string]SavedHead) {
	by = map[string]SavedHead{}
	bare := make([]submission.Head, len(heads))
	for i, h := range heads {
		bare[i], by[h.Op] = h.Head, h
	}
	return submission.Present(bare), by
}

// ReadSnapshot returns what was submitted with an attempt.
func ReadSnapshot(ctx context.Context, blobs BlobReader, a *Attempt) (submission.Snapshot, error) {
	var snap submission.Snapshot
	b, err := blobs.Blob(ctx, a.SnapshotHash)
	if err == nil {
		err = json.Unmarshal(b, &snap)
	}
	return snap, err
}
