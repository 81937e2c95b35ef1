package margin

import (
	"slices"
	"testing"
)

func TestCardsStandLevelWithWhatTheySpeakAbout(t *testing.T) {
	for name, c := range map[string]struct {
		cards []Card
		want  []float64
	}{
		"apart, each at its level": {[]Card{{100, 40}, {300, 40}}, []float64{100, 300}},
		"close, one below another": {[]Card{{100, 40}, {110, 40}, {120, 40}}, []float64{100, 150, 200}},
		"at the foot, moved up":    {[]Card{{760, 60}, {770, 60}}, []float64{670, 740}},
		"above the top":            {[]Card{{2, 40}}, []float64{20}},
		"more than there is room":  {[]Card{{50, 400}, {60, 300}, {70, 200}}, []float64{50, 460}},
		"one that is too high":     {[]Card{{50, 900}}, nil},
		"none":                     {nil, nil},
	} {
		if got := Place(c.cards, 20, 800, 10); !slices.Equal(got, c.want) {
			t.Errorf("%s: %v, want %v", name, got, c.want)
		}
	}
}
