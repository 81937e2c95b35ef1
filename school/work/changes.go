package work

import (
	"context"
	"slices"

	"readymargin/core/access"
	"readymargin/core/submission"
	"readymargin/school"
	"readymargin/school/screen"
)

// Changes are what became of the work on a copy after an operation: it costs
// what was changed, however much there is.
type Changes struct {
	Seq   int64         `json:"seq"`
	On    []string      `json:"on"`    // the marks that were put, changed or removed
	Gone  []string      `json:"gone"`  // versions that are not present, whether they were or not
	Marks []screen.Mark `json:"marks"` // versions that are present
	All   bool          `json:"all"`   // too much was changed: what is present is to be asked for
}

// mostChanges is how many operations are told one by one.
const mostChanges = 500

// Changes returns what was changed in the work after an operation, for those
// who may write there.
func (s *Saving) Changes(ctx context.Context, who school.Person, id uint64, after int64) (out Changes, err error) {
	if _, err := s.gate.Layer(ctx, who, id, access.ReadLayer, submission.Work); err != nil {
		return out, err
	}
	out = Changes{Seq: after, On: []string{}, Gone: []string{}, Marks: []screen.Mark{}}
	now, err := s.store.LayerSeq(ctx, id, submission.Work)
	if err != nil {
		return out, err
	}
	if out.All = after < 0 || now-after > mostChanges; out.All {
		return out, nil
	}
	ops, err := s.store.OpsAfter(ctx, id, submission.Work, after)
	if err != nil || len(ops) == 0 {
		return out, err
	}
	var names []string
	for _, o := range ops {
		out.Seq, names, out.On, out.Gone = o.Seq, append(names, o.Op.ID), append(out.On, o.Op.On), append(out.Gone, o.Op.ID)
		if o.Op.Base != "" {
			out.Gone = append(out.Gone, o.Op.Base)
		}
	}
	heads, err := s.store.HeadsAmong(ctx, id, submission.Work, names)
	if err != nil {
		return out, err
	}
	present := map[string]bool{}
	for _, h := range heads {
		if h.Mark != nil {
			present[h.Op] = true
			out.Marks = append(out.Marks, screen.Show(submission.Work, submission.Shown{Version: h.Op, Mark: *h.Mark}, h.AuthorName, h.AuthorID == who.ID, h.At, true))
		}
	}
	out.Gone = slices.DeleteFunc(out.Gone, func(op string) bool { return present[op] })
	return out, nil
}
