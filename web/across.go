package web

import (
	"encoding/json"
	"errors"
	"net/http"

	"github.com/labstack/echo/v5"

	"readymargin/core/submission"
	"readymargin/school"
	"readymargin/school/feedback"
)

// across shows one question on the copies of the whole class.
func (s *Site) across(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	out, err := s.school.Marking.Across(c.Request().Context(), me(c), n, c.QueryParam("question"))
	if err != nil {
		return err
	}
	if wantsJSON(c) {
		return c.JSON(http.StatusOK, struct {
			feedback.Across
			Asked []feedback.Asking `json:"asked"`
		}{out, out.Asked})
	}
	return s.render(c, http.StatusOK, "across.html", out.Assignment.Title+", across the class", map[string]any{"Across": out})
}

// scoreSeveral gives points for a question on several copies. Of each that could
// not take them it is said why.
func (s *Site) scoreSeveral(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	var body struct {
		Question string               `json:"question"`
		Given    []feedback.ScoreGift `json:"given"`
	}
	if err := readJSON(c, &body); err != nil {
		return err
	}
	refused, err := s.school.Marking.ScoreSeveral(c.Request().Context(), me(c), n, body.Question, body.Given)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"refused": s.refusals(refused), "at": s.school.Now()})
}

// opsOfSeveral takes operations into the feedback of several copies: a remark to
// all of them, or its undoing.
func (s *Site) opsOfSeveral(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	var body struct {
		Copies []struct {
			Copy  uint64           `json:"copy"`
			Layer submission.Layer `json:"layer"`
			Ops   []submission.Op  `json:"ops"`
		} `json:"copies"`
	}
	if err := readJSON(c, &body); err != nil {
		return err
	}
	ctx := c.Request().Context()
	if _, _, _, err := s.school.Queue.Roll(ctx, me(c), n); err != nil {
		return err
	}
	if len(body.Copies) > feedback.MostAtOnce {
		return &school.Problem{Code: "too much"}
	}
	refused := map[uint64]error{}
	for _, one := range body.Copies {
		if _, err := s.school.Saving.Save(ctx, me(c), one.Copy, one.Layer, one.Ops); err != nil {
			refused[one.Copy] = err
		}
	}
	return c.JSON(http.StatusOK, map[string]any{"refused": s.refusals(refused), "at": s.school.Now()})
}

// refusals says of each copy why something was refused.
func (s *Site) refusals(all map[uint64]error) map[uint64]string {
	out := map[uint64]string{}
	for id, err := range all {
		out[id] = s.say(err).text
	}
	return out
}

// readJSON reads a body that script has written.
func readJSON(c *echo.Context, to any) error {
	if err := json.NewDecoder(c.Request().Body).Decode(to); err != nil {
		var large *http.MaxBytesError
		if errors.As(err, &large) {
			return err
		}
		return &school.Problem{Code: "operation", Value: err.Error()}
	}
	return nil
}
