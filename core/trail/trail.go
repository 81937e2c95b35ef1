// Package trail is what is shown while somebody speaks: where they point, what they
// draw, and which part of which page they look at, by the clock of the sound. It does
// not know sounds, nor who speaks.
package trail

import (
	"encoding/json"
	"errors"
	"math"
	"slices"
	"time"

	"readymargin/core/mark"
)

// A Trail is what was shown, in the order of its times.
type Trail struct {
	Steps []Step `json:"steps"`
}

// A Step is one thing that was shown at a moment of the sound: Milliseconds from its
// beginning. One of the pointers is set.
type Step struct {
	At    int    `json:"t"`
	View  *View  `json:"v,omitempty"`
	Point *Point `json:"p,omitempty"`
	Begin *Begin `json:"b,omitempty"`
	Draw  *Draw  `json:"d,omitempty"`
}

// A View is the place of a page that stood in the middle of the window, and how large
// the page was, where 1 is 96 pixels to the inch.
type View struct {
	Page int     `json:"n"`
	X    float64 `json:"x"`
	Y    float64 `json:"y"`
	Zoom float64 `json:"z"`
}

// A Point is where the pointer was; Off says that it was lifted.
type Point struct {
	Page int     `json:"n"`
	X    float64 `json:"x"`
	Y    float64 `json:"y"`
	Off  bool    `json:"off,omitempty"`
}

// A Begin is a stroke that begins, on a page and of a look; Width in points.
type Begin struct {
	Page  int        `json:"n"`
	Color mark.Color `json:"c"`
	Width float64    `json:"w"`
}

// A Draw is how the stroke that began last goes on: x, y, x, y, … in points.
type Draw []float64

// Media is the type of a trail as it is kept.
const Media = "application/vnd.readymargin.trail+json"

// Bounds of a trail: of its bytes, and of its steps, which twenty minutes of pointing
// and drawing stay below.
const (
	MaxBytes = 4 << 20
	maxSteps = 80_000
	far      = 20_000 // points from the page's corner
)

// ErrTrail says that something is no trail.
var ErrTrail = errors.New("trail: cannot be shown")

// Parse reads a trail to a sound of some length: its steps come one after the other,
// none later than the sound, every stroke begins before it goes on, and all of it is on
// pages that there can be.
func Parse(b []byte, lasts time.Duration) (t Trail, err error) {
	if len(b) > MaxBytes || json.Unmarshal(b, &t) != nil || len(t.Steps) > maxSteps {
		return t, ErrTrail
	}
	before, drawing := 0, false
	for i, s := range t.Steps {
		if s.At < before || !s.can(&drawing) {
			return t, ErrTrail
		}
		before = s.At
		if over := int(lasts.Milliseconds()); s.At > over {
			t.Steps[i].At = over // the clock of the screen ends a little after the sound's
		}
	}
	return t, nil
}

func (s Step) can(drawing *bool) bool {
	switch {
	case s.things() != 1:
		return false
	case s.View != nil:
		return on(s.View.Page, s.View.X, s.View.Y) && s.View.Zoom > 0.01 && s.View.Zoom < 100
	case s.Point != nil:
		return on(s.Point.Page, s.Point.X, s.Point.Y)
	case s.Begin != nil:
		*drawing = true
		return on(s.Begin.Page) && s.Begin.Width > 0 && s.Begin.Width < 100 && s.Begin.Color.Good()
	case s.Draw != nil:
		return *drawing && len(*s.Draw)%2 == 0 && on(1, *s.Draw...)
	}
	return false
}

func (s Step) things() (n int) {
	for _, there := range []bool{s.View != nil, s.Point != nil, s.Begin != nil, s.Draw != nil} {
		if there {
			n++
		}
	}
	return n
}

func on(page int, at ...float64) bool {
	return page > 0 && page <= 10_000 && !slices.ContainsFunc(at, func(v float64) bool { return !(math.Abs(v) < far) })
}

// Cut returns the part of a trail that goes with a part of its sound, from its first
// moment on. What was drawn and looked at before stands there from the beginning.
func (t Trail) Cut(from, to time.Duration) Trail {
	var out Trail
	begin, end := int(from.Milliseconds()), int(to.Milliseconds())
	for _, s := range t.Steps {
		if to > 0 && s.At > end {
			break
		}
		s.At = max(s.At-begin, 0)
		out.Steps = append(out.Steps, s)
	}
	return out
}

// Bytes returns the trail as it is kept.
func (t Trail) Bytes() []byte {
	b, err := json.Marshal(t)
	if err != nil {
		return []byte(`{"steps":[]}`) // numbers and words always marshal
	}
	return b
}
