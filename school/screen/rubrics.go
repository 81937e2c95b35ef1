package screen

import (
	"readymargin/core/worksheet"
	"readymargin/school"
)

// Judging is what a question is judged by.
type Judging struct {
	Number   string // of the question
	Criteria []Criterion
}

// A Criterion is one thing that is judged.
type Criterion struct {
	ID     string  `json:"id"`
	Text   string  `json:"text"`
	Levels []Level `json:"levels"`
}

// A Level is how well a criterion may be met.
type Level struct {
	ID    string `json:"id"`
	Text  string `json:"text"`
	Gives string `json:"gives"`
	Met   bool   `json:"-"` // it was found to be
}

// Criteria returns a rubric with the levels that were chosen.
func Criteria(r worksheet.Rubric, met map[string]string) (out []Criterion) {
	for _, c := range r.Criteria {
		one := Criterion{ID: c.ID, Text: c.Text}
		for _, l := range c.Levels {
			one.Levels = append(one.Levels, Level{l.ID, l.Text, l.Points.String(), met[c.ID] == l.ID})
		}
		out = append(out, one)
	}
	return out
}

// rubrics returns what questions are judged by, with what was chosen, by question.
func rubrics(pages []worksheet.Guide, scores []school.Score) map[string][]Criterion {
	met := map[string]map[string]string{}
	for _, sc := range scores {
		met[sc.QuestionID] = sc.Levels
	}
	out := map[string][]Criterion{}
	for _, q := range worksheet.Worth(pages) {
		if q.Rubric != nil {
			out[q.ID] = Criteria(*q.Rubric, met[q.ID])
		}
	}
	return out
}
