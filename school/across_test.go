package school_test

import (
	"errors"
	"fmt"
	"testing"

	"readymargin/core/access"
	"readymargin/core/points"
	"readymargin/core/submission"
	"readymargin/core/worksheet"
	"readymargin/school"
	"readymargin/school/feedback"
	"readymargin/store/storetest"
)

// asking gives the sheet of a class two questions, of 2 points and 1, with a
// place each.
func (h *handedIn) asking() {
	h.Helper()
	blanks := []worksheet.Blank{{ID: "blank-height", Rect: worksheet.Box{80, 110, 300, 130}, Baseline: 128, Size: 12, Kind: "line"}, {ID: "blank-kind", Rect: worksheet.Box{80, 210, 300, 230}, Baseline: 228, Size: 12, Kind: "line"}}
	asks := []worksheet.Question{{ID: "question-height", Number: "1.", Text: "How high?", Rect: worksheet.Box{56, 100, 400, 112}, Points: 2 * points.One}, {ID: "question-kind", Number: "2.", Text: "Which kind?", Rect: worksheet.Box{56, 200, 400, 212}, Points: points.One}}
	h.must(h.store.ChangeWorksheet(h.ctx, h.Worksheet.ID, func(w *school.Worksheet) error {
		w.Plan = worksheet.Plan{{Page: 1, Use: worksheet.Sheet, Blanks: &blanks, Questions: &asks}}.String()
		return nil
	}, nil))
}

// answer hands in what a student writes in the first place; "" leaves it empty.
func (h *handedIn) answer(student int, text string) {
	h.Helper()
	who, id := h.Students[student], h.copies[student]
	h.must(h.school.Submitting.TakeBack(h.ctx, who, id))
	seq := int64(99)
	if text != "" {
		op := storetest.Text(fmt.Sprintf("answer-height-%d", student), text)
		op.Mark.Blank = "blank-height"
		_, err := h.school.Saving.Save(h.ctx, who, id, submission.Work, []submission.Op{op})
		h.must(err)
	}
	_, err := h.school.Submitting.Submit(h.ctx, who, id, "", seq)
	h.must(err)
}

// One question on all copies: equal answers together, points to several at once,
// nothing of another teacher's written over unseen, and no more statements for
// a large class than for a small one.
func TestAcrossTheClass(t *testing.T) {
	h := handIn(t, "across", 6)
	h.asking()
	m, assignment := h.school.Marking, h.Assignments[0].ID
	for i, text := range []string{"4.5 m", "450 cm", "3 m", "", "4,5 m", ""} {
		h.answer(i, text)
	}
	look := func(question string) feedback.Across {
		t.Helper()
		out, err := m.Across(h.ctx, h.Teacher, assignment, question)
		h.must(err)
		return out
	}
	out := look("")
	said := ""
	for _, g := range out.Groups {
		said += fmt.Sprintf("%s %d; ", g.Says, len(g.Patches))
	}
	if out.Question.ID != "question-height" || said != "4.5 m 3; 3 m 1;  2; " || out.Missing != 0 || len(out.Asked) != 2 || out.Asked[0].Copies != 6 {
		t.Errorf("at the first question: %q, %+v", said, out.Asked)
	}
	if p := out.Groups[0].Patches[0]; p.Rect != (worksheet.Box{46, 95, 410, 148}) || len(p.Marks) > 1 || p.Page != 1 {
		t.Errorf("the first patch is %+v", p)
	}
	gifts := func(points, was string, students ...int) (all []feedback.ScoreGift) {
		for _, i := range students {
			all = append(all, feedback.ScoreGift{Copy: h.copies[i], Attempt: 1, Points: points, Was: was})
		}
		return all
	}
	give := func(question string, all []feedback.ScoreGift) map[uint64]error {
		t.Helper()
		refused, err := m.ScoreSeveral(h.ctx, h.Teacher, assignment, question, all)
		h.must(err)
		return refused
	}
	if refused := give("question-height", gifts("2", "", 0, 1, 4)); len(refused) > 0 {
		t.Errorf("refused were %v", refused)
	}
	if out := look("question-height"); out.Question.Scored != 3 || out.Groups[0].Patches[0].Given != "2" || out.Groups[1].Patches[0].Given != "" {
		t.Errorf("after giving points: %+v", out.Question)
	}
	// Somebody else has given the second one something else meanwhile.
	if _, err := m.Score(h.ctx, h.Teacher, h.copies[1], 1, "question-height", "1", "2"); err != nil {
		t.Fatal(err)
	}
	refused := give("question-height", gifts("", "2", 0, 1, 4))
	if len(refused) != 1 || !school.IsProblem(refused[h.copies[1]], "scored") {
		t.Errorf("taking them back was refused by %v", refused)
	}
	if out := look("question-height"); out.Question.Scored != 1 {
		t.Errorf("after taking them back %d have points", out.Question.Scored)
	}
	if refused := give("question-height", gifts("3", "", 0)); !school.IsProblem(refused[h.copies[0]], "score") {
		t.Errorf("too many points: %v", refused)
	}
	// Not theirs.
	for _, p := range []school.Person{h.Students[0], h.person("Stranger")} {
		if _, err := m.Across(h.ctx, p, assignment, ""); !errors.Is(err, access.ErrHidden) && !errors.Is(err, access.ErrDenied) {
			t.Errorf("%s looks across the class: %v", p.Name, err)
		}
		if _, err := m.ScoreSeveral(h.ctx, p, assignment, "question-height", gifts("1", "", 0)); err == nil {
			t.Errorf("%s gives points", p.Name)
		}
	}
	other, err := storetest.NewClass(h.ctx, h.store, "across-other", 1, 1)
	h.must(err)
	theirs := h.copy(other.Students[0], other.Assignments[0])
	if _, err := m.ScoreSeveral(h.ctx, h.Teacher, assignment, "question-height", []feedback.ScoreGift{{Copy: theirs, Attempt: 1, Points: "1"}}); !errors.Is(err, access.ErrHidden) {
		t.Errorf("another class's copy: %v", err)
	}
	if _, err := m.Across(h.ctx, h.Teacher, assignment, "question-nowhere"); !errors.Is(err, access.ErrHidden) {
		t.Errorf("no such question: %v", err)
	}

	large := handIn(t, "across-large", 40)
	large.asking()
	small := h.statements(func() { look("question-kind") })
	n := large.statements(func() {
		_, err := large.school.Marking.Across(large.ctx, large.Teacher, large.Assignments[0].ID, "question-kind")
		large.must(err)
	})
	if n > small+2 || n > 16 { // what is read of a sheet once is not read again
		t.Errorf("%d statements for 40 copies, %d for 6", n, small)
	}
	t.Logf("%d statements for 40 copies, %d for 6", n, small)
}
