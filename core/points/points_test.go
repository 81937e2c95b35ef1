package points

import "testing"

func TestPointsReadAsWritten(t *testing.T) {
	for text, want := range map[string]Points{"0": 0, "7": 28, "7.5": 30, "7,5": 30, " 2.25 ": 9, "10000": 40000} {
		got, err := Parse(text)
		if err != nil || got != want {
			t.Errorf("%q is %d (%v), want %d", text, got, err, want)
		}
		if back, err := Parse(got.String()); err != nil || back != got {
			t.Errorf("%q comes back as %d", got.String(), back)
		}
	}
	for _, text := range []string{"", "-1", "x", "1.1", "0.3", "10001", "NaN", "Inf", "1e9", "7.5.1"} {
		if got, err := Parse(text); err == nil {
			t.Errorf("%q was read as %v", text, got)
		}
	}
	if a, _ := Parse("0.25"); a+a+a+a != One {
		t.Error("four quarters are not one point")
	}
}
