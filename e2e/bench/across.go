package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"time"

	"readymargin/core/mark"
	"readymargin/core/points"
	"readymargin/core/submission"
	"readymargin/core/worksheet"
	"readymargin/e2e/house"
	"readymargin/school"
)

const (
	classLarge = 150
	classOf    = 30 // that is marked both ways
	questions  = 6
	kinds      = 5 // of answers to each question
)

// class makes a class that has handed in six answers each.
func (b *bench) class(name string, n int) (house.Crowd, house.Seat, error) {
	crowd, err := b.crowd(name, n)
	if err != nil {
		return crowd, house.Seat{}, err
	}
	var asks []worksheet.Question
	var blanks []worksheet.Blank
	for q := range questions {
		y := 100 + 100*float64(q)
		asks = append(asks, worksheet.Question{ID: fmt.Sprint("question-", q), Number: fmt.Sprint(q+1, "."), Text: "What is it?", Rect: worksheet.Box{56, y, 400, y + 12}, Points: 2 * points.One})
		blanks = append(blanks, worksheet.Blank{ID: fmt.Sprint("blank-of-", q), Kind: "line", Rect: worksheet.Box{80, y + 20, 300, y + 40}, Baseline: y + 36, Size: 12})
	}
	rev, err := b.house.Store.Revision(b.ctx, crowd.Assignment.Handouts[0].RevisionID)
	if err != nil {
		return crowd, house.Seat{}, err
	}
	err = b.house.Store.ChangeWorksheet(b.ctx, rev.WorksheetID, func(w *school.Worksheet) error {
		plan, err := worksheet.Parse(w.Plan)
		if err == nil {
			plan[0].Questions, plan[0].Blanks = &asks, &blanks
			w.Plan = plan.String()
		}
		return err
	}, nil)
	for i, s := range crowd.Seats {
		var ops []submission.Op
		for q := range questions {
			id := fmt.Sprintf("answer-%d-%d", i, q)
			m := mark.Mark{ID: id, Page: 1, Blank: blanks[q].ID, Body: &mark.FreeText{X: 82, Y: blanks[q].Baseline, Width: 60, Lines: []mark.TextLine{{Runs: []mark.Run{{Text: fmt.Sprint((i*7+q)%kinds, " m"), Size: 12, Color: "#1e2a44"}}}}}}
			ops = append(ops, submission.Op{ID: "op-" + id, On: id, Mark: &m})
		}
		if err == nil {
			_, err = b.house.School.Saving.Save(b.ctx, s.Person, s.Copy, submission.Work, ops)
		}
		if err == nil {
			_, err = b.house.School.Submitting.Submit(b.ctx, s.Person, s.Copy, "", 1<<40)
		}
	}
	if err != nil {
		return crowd, house.Seat{}, err
	}
	teacher, err := b.house.Sit(b.ctx, crowd.Teacher, crowd.Seats[0].Copy)
	return crowd, teacher, err
}

// across: one question on a large class by one request; and a class of thirty
// with six questions marked copy by copy and across the class, as its requests.
func (b *bench) across() ([]line, error) {
	client := &http.Client{}
	defer client.CloseIdleConnections()
	large, teacher, err := b.class("Large", classLarge)
	if err != nil {
		return nil, err
	}
	path := fmt.Sprintf("/assignments/%d/across?question=question-", large.Assignment.ID)
	var took []float64
	size := 0
	for i := range 9 {
		began := time.Now()
		body, err := teacher.JSON(client, "GET", path+fmt.Sprint(i%questions), nil)
		if err != nil {
			return nil, err
		}
		took, size = append(took, float64(time.Since(began).Microseconds())/1000), len(body)
	}
	slices.Sort(took)
	lines := []line{{fmt.Sprintf("across the class, %d copies of one question, one request (%d KB)", classLarge, size/1024), took[len(took)/2], 0, "ms", 300, false, ""}}
	n, err := b.statements(func() error { _, err := teacher.JSON(client, "GET", path+"1", nil); return err })
	if err != nil {
		return nil, err
	}
	lines = append(lines, line{fmt.Sprintf("across the class, %d copies, statements", classLarge), n, 0, "", 10, false, ""})

	var ways [2]marked
	for i, do := range []func(house.Crowd, house.Seat, *marked) error{byCopy, byQuestion} {
		crowd, teacher, err := b.class(fmt.Sprint("Marked ", i), classOf)
		if err != nil {
			return nil, err
		}
		ways[i].client = client
		if err := do(crowd, teacher, &ways[i]); err != nil {
			return nil, err
		}
	}
	by, over := ways[0], ways[1]
	return append(lines, line{fmt.Sprintf("marking %d copies of %d questions across the class (%d presses, %d requests; copy by copy %d and %d)", classOf, questions, over.presses, over.requests, by.presses, by.requests),
		float64(over.took.Milliseconds()), float64(by.took.Milliseconds()), "ms", 1, false, "copy by copy"}), nil
}

// marked is what marking a class took.
type marked struct {
	client            *http.Client
	presses, requests int
	took              time.Duration
}

func (m *marked) ask(do func(*http.Client) error) error {
	began := time.Now()
	err := do(m.client)
	m.took, m.requests = m.took+time.Since(began), m.requests+1
	return err
}

// byCopy opens each copy and gives each question its points by a key.
func byCopy(crowd house.Crowd, teacher house.Seat, m *marked) error {
	for _, s := range crowd.Seats {
		if err := m.ask(func(c *http.Client) error {
			_, err := teacher.Get(c, fmt.Sprintf("/copies/%d/marking", s.Copy))
			return err
		}); err != nil {
			return err
		}
		for q := range questions {
			m.presses += 2 // the points, and Enter, which goes on to the next copy too
			form := url.Values{"attempt": {"1"}, "question": {fmt.Sprint("question-", q)}, "points": {"1"}, "was": {""}}
			if err := m.ask(func(c *http.Client) error { return teacher.Post(c, fmt.Sprintf("/copies/%d/scores", s.Copy), form) }); err != nil {
				return err
			}
		}
	}
	return nil
}

// byQuestion gives each group of equal answers its points.
func byQuestion(crowd house.Crowd, teacher house.Seat, m *marked) error {
	path := fmt.Sprintf("/assignments/%d/across", crowd.Assignment.ID)
	for q := range questions {
		m.presses++ // the next question
		question := fmt.Sprint("question-", q)
		var grid struct {
			Groups []struct {
				Patches []struct {
					Copy uint64 `json:"copy"`
				} `json:"patches"`
			} `json:"groups"`
		}
		if err := m.ask(func(c *http.Client) error {
			body, err := teacher.JSON(c, "GET", path+"?question="+question, nil)
			if err == nil {
				err = json.NewDecoder(bytes.NewReader(body)).Decode(&grid)
			}
			return err
		}); err != nil {
			return err
		}
		for _, g := range grid.Groups {
			m.presses += 2 // the points, and Enter, which goes on to the next group too
			var given []map[string]any
			for _, p := range g.Patches {
				given = append(given, map[string]any{"copy": p.Copy, "attempt": 1, "points": "1", "was": ""})
			}
			if err := m.ask(func(c *http.Client) error {
				_, err := teacher.JSON(c, "POST", path, map[string]any{"question": question, "given": given})
				return err
			}); err != nil {
				return err
			}
		}
	}
	return nil
}
