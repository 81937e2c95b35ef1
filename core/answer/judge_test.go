package answer_test

import (
	"testing"

	"readymargin/core/answer"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/points"
	"readymargin/core/worksheet"
)

func TestJudging(t *testing.T) {
	height := worksheet.Expected{Number: "4.5", Tolerance: "0.1", Unit: "m"}
	kind := worksheet.Expected{Words: []string{"spring", "spring tide"}}
	both := worksheet.Expected{Words: []string{"half past six"}, Number: "6.5", Unit: "h"}
	for _, c := range []struct {
		expected worksheet.Expected
		text     string
		want     answer.Verdict
	}{
		{height, "4.5 m", answer.Agrees}, {height, "4,5", answer.Agrees}, {height, "450 cm", answer.Agrees}, {height, "4.6 m", answer.Agrees}, {height, "4.40", answer.Agrees},
		{height, "4.61 m", answer.Differs}, {height, "4.5 km", answer.Differs}, {height, "4.5 kg", answer.Differs}, {height, "-4.5 m", answer.Differs}, {height, "", answer.Differs},
		{height, "about 4.5 m", answer.Unsure}, {height, "4 m 50", answer.Unsure},
		{kind, "Spring", answer.Agrees}, {kind, " SPRING  tide.", answer.Agrees}, {kind, "neap", answer.Differs}, {kind, "springs", answer.Differs},
		{both, "Half past six", answer.Agrees}, {both, "390 min", answer.Agrees}, {both, "6.5", answer.Agrees}, {both, "7 h", answer.Differs}, {both, "late", answer.Unsure},
		{worksheet.Expected{}, "anything", answer.Unsure},
	} {
		if got := answer.Judge(c.expected, answer.Answer{Text: c.text, Normal: answer.Normal(c.text)}); got != c.want {
			t.Errorf("%q where %+v is expected: %s, want %s", c.text, c.expected, got, c.want)
		}
	}
	if got := answer.Judge(kind, answer.Answer{Drawn: true}); got != answer.Unsure {
		t.Errorf("what was drawn %s", got)
	}
}

// Points are proposed where all can be compared, in the course's steps, and
// never rounded up.
func TestFinding(t *testing.T) {
	number := func(s string) *worksheet.Expected { return &worksheet.Expected{Number: s} }
	word := func(x float64, text string) worksheet.Run {
		return worksheet.Run{Text: text, QuadPoints: mark.QuadPoints([]page.Quad{page.QuadOf(page.R(x, 300, x+30, 312))})}
	}
	g := worksheet.Guide{
		Questions: []worksheet.Question{
			{ID: "question-1", Rect: worksheet.Box{50, 90, 300, 100}, Points: 2 * points.One},
			{ID: "question-2", Rect: worksheet.Box{50, 290, 300, 300}, Points: points.One, Words: []worksheet.Run{word(60, "climbs"), word(100, "lights")}},
			{ID: "question-3", Rect: worksheet.Box{50, 390, 300, 400}, Points: points.One},
			{ID: "question-4", Rect: worksheet.Box{50, 490, 300, 500}, Points: points.One}, // of which one place is open
		},
		Blanks: []worksheet.Blank{
			{ID: "blank-1", Rect: worksheet.Box{60, 100, 100, 112}, Baseline: 110, Expected: number("1")}, {ID: "blank-2", Rect: worksheet.Box{110, 100, 150, 112}, Baseline: 110, Expected: number("2")},
			{ID: "blank-3", Rect: worksheet.Box{160, 100, 200, 112}, Baseline: 110, Expected: number("3")}, {ID: "blank-free", Rect: worksheet.Box{60, 410, 100, 420}, Baseline: 418},
			{ID: "blank-half", Rect: worksheet.Box{60, 510, 100, 520}, Baseline: 518, Expected: number("7")}, {ID: "blank-open", Rect: worksheet.Box{110, 510, 150, 520}, Baseline: 518},
		},
	}
	says := func(id, text string) answer.Answer {
		return answer.Answer{Blank: id, Text: text, Normal: answer.Normal(text)}
	}
	wash := func(id string, x float64, text string) mark.Mark {
		return mark.Mark{ID: id, Page: 1, Body: &mark.Highlight{Color: "#ffcc00", Text: text, QuadPoints: mark.QuadPoints([]page.Quad{page.QuadOf(page.R(x-1, 299, x+31, 313))})}}
	}
	for name, c := range map[string]struct {
		answers []answer.Answer
		marks   []mark.Mark
		step    points.Points
		want    [2]string
		excess  int
	}{
		"all":              {[]answer.Answer{says("blank-1", "1"), says("blank-2", "2"), says("blank-3", "3.0")}, []mark.Mark{wash("mark-1", 60, "climbs"), wash("mark-2", 100, "lights")}, 1, [2]string{"2", "1"}, 0},
		"two of three":     {[]answer.Answer{says("blank-1", "1"), says("blank-2", "2")}, []mark.Mark{wash("mark-1", 60, "climbs")}, 1, [2]string{"1.25", "-"}, 0},
		"in halves":        {[]answer.Answer{says("blank-1", "1"), says("blank-2", "2"), says("blank-3", "4")}, nil, 2, [2]string{"1", "-"}, 0},
		"in whole ones":    {[]answer.Answer{says("blank-1", "1"), says("blank-2", "2"), says("blank-3", "4")}, nil, 4, [2]string{"1", "-"}, 0},
		"nothing":          {nil, nil, 1, [2]string{"0", "-"}, 0},
		"one cannot be":    {[]answer.Answer{says("blank-1", "1"), says("blank-2", "two"), says("blank-3", "3")}, []mark.Mark{wash("mark-1", 60, "climbs"), wash("mark-2", 100, "lights"), wash("mark-3", 200, "sea")}, 1, [2]string{"-", "-"}, 1},
		"on another page":  {nil, []mark.Mark{{ID: "mark-4", Page: 2, Body: wash("mark-4", 60, "climbs").Body}}, 1, [2]string{"0", "-"}, 0},
		"with a drawn one": {[]answer.Answer{{Blank: "blank-1", Drawn: true}, says("blank-2", "2"), says("blank-3", "3")}, nil, 1, [2]string{"-", "-"}, 0},
	} {
		found := answer.Find([]worksheet.Guide{g}, c.answers, c.marks, c.step)
		if len(found) != 3 || found[2].Points != nil {
			t.Fatalf("%s: %d questions are compared", name, len(found))
		}
		for i, want := range c.want {
			got := "-"
			if found[i].Points != nil {
				got = found[i].Points.String()
			}
			if got != want {
				t.Errorf("%s: question %d is proposed %s, want %s (%v)", name, i+1, got, want, found[i])
			}
		}
		if len(found[1].Excess) != c.excess || len(found[1].Hit)+len(found[1].Missed) != 2 {
			t.Errorf("%s: words %+v", name, found[1])
		}
	}
}
