// Package blanktest measures how well the places to write on a page are found,
// against places that are known.
package blanktest

import (
	"fmt"
	"slices"

	"readymargin/core/blank"
	"readymargin/core/page"
)

// A Place is a true place to write on a page.
type Place struct {
	Kind blank.Kind
	Rect page.Rect
}

// A Score counts places that were found, and blanks that were claimed.
type Score struct{ Places, Strict, Loose, Claimed, False int }

// Add counts what another has counted.
func (s *Score) Add(o Score) {
	s.Places, s.Strict, s.Loose, s.Claimed, s.False = s.Places+o.Places, s.Strict+o.Strict, s.Loose+o.Loose, s.Claimed+o.Claimed, s.False+o.False
}

func (s Score) String() string {
	share := func(a, b int) float64 { return float64(a) / float64(max(b, 1)) }
	return fmt.Sprintf("%3d places: strict %.2f, loose %.2f; %3d claimed, %.2f falsely", s.Places, share(s.Strict, s.Places), share(s.Loose, s.Places), s.Claimed, share(s.False, s.Claimed))
}

// Judge compares what was found with what is true. Loose: the place's centre
// lies in exactly one blank. Strict: for a line the baselines are within 4
// points and the horizontal overlap is 0.7; for all else the intersection over
// union is 0.5, the measure of Everingham et al., "The PASCAL Visual Object
// Classes (VOC) Challenge", Int. J. Computer Vision 88 (2010), 4.2.
func Judge(places []Place, found []blank.Blank) (all Score, kinds map[blank.Kind]Score) {
	kinds = map[blank.Kind]Score{}
	for _, p := range places {
		in, strict := 0, 0
		for _, b := range found {
			if b.Rect.Contains(p.Rect.Center()) {
				in++
			}
			both := p.Rect.Intersect(b.Rect)
			if p.Kind == blank.Line || b.Kind == blank.Line {
				across := (min(p.Rect.Max.X, b.Rect.Max.X) - max(p.Rect.Min.X, b.Rect.Min.X)) / max(p.Rect.W(), b.Rect.W())
				if d := p.Rect.Max.Y - b.Baseline; d > -4 && d < 4 && across > 0.7 {
					strict = 1
				}
			} else if !both.Empty() {
				area := both.W() * both.H()
				if area/(p.Rect.W()*p.Rect.H()+b.Rect.W()*b.Rect.H()-area) > 0.5 {
					strict = 1
				}
			}
		}
		s := Score{Places: 1, Strict: strict}
		if in == 1 {
			s.Loose = 1
		}
		all.Add(s)
		k := kinds[p.Kind]
		k.Add(s)
		kinds[p.Kind] = k
	}
	for _, b := range found {
		holds := slices.ContainsFunc(places, func(p Place) bool { return b.Rect.Contains(p.Rect.Center()) })
		s := Score{Claimed: 1}
		if !holds {
			s.False = 1
		}
		all.Add(s)
		k := kinds[b.Kind]
		k.Add(s)
		kinds[b.Kind] = k
	}
	return all, kinds
}
