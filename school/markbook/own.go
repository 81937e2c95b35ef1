package markbook

import (
	"context"
	"encoding/json"
	"slices"
	"time"

	"readymargin/core/access"
	"readymargin/core/points"
	"readymargin/school"
)

// An Own is what a student got back for one attempt.
type Own struct {
	Assignment school.Assignment
	Attempt    int
	At         time.Time      // when it was returned
	Points     *points.Points // nil where none were given, and while it is fresh
	Remark     string         // "" while it is fresh
	Excused    bool
	Fresh      bool // it was not opened yet, and may still be withdrawn
}

// Share is the part of the points that was reached; 0 where there are none.
func (o Own) Share() float64 {
	if o.Points == nil || o.Assignment.Points == 0 {
		return 0
	}
	return float64(*o.Points) / float64(o.Assignment.Points)
}

// Own returns what a student got back in a course, the newest first, as it was
// returned. Nothing of anybody else is in it.
func (b *Books) Own(ctx context.Context, who school.Person, course uint64) (school.Course, []Own, error) {
	c, _, err := b.gate.Course(ctx, who, course, access.SeeOwnPoints)
	if err != nil {
		return c, nil, err
	}
	given, err := b.store.AssignmentsOf(ctx, course)
	if err != nil {
		return c, nil, err
	}
	copies, err := b.store.CopiesOfStudent(ctx, who.ID)
	if err != nil {
		return c, nil, err
	}
	attempts, err := b.store.AttemptsOfStudent(ctx, who.ID)
	if err != nil {
		return c, nil, err
	}
	var out []Own
	var hashes []string
	for _, a := range attempts {
		of := slices.IndexFunc(copies, func(k school.Copy) bool { return k.ID == a.CopyID })
		if a.ReturnedAt == nil || of < 0 {
			continue
		}
		i := slices.IndexFunc(given, func(g school.Assignment) bool { return g.ID == copies[of].AssignmentID && !g.Draft })
		if i < 0 {
			continue
		}
		out = append(out, Own{Assignment: given[i], Attempt: a.Number, At: *a.ReturnedAt, Excused: copies[of].Excused, Fresh: a.OpenedAt == nil})
		hashes = append(hashes, a.ReturnedHash)
	}
	blobs, err := b.store.SmallBlobs(ctx, hashes...)
	if err != nil {
		return c, nil, err
	}
	for i, hash := range hashes {
		var r school.Returned
		if err := json.Unmarshal(blobs[hash], &r); err != nil {
			return c, nil, err
		}
		if !out[i].Fresh {
			out[i].Points, out[i].Remark = r.Points, r.Remark
		}
	}
	slices.SortStableFunc(out, func(a, b Own) int { return b.At.Compare(a.At) })
	return c, out, nil
}
