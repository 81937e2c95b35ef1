package trail

import (
	"fmt"
	"strings"
	"testing"
	"time"
)

func TestWhatIsATrail(t *testing.T) {
	const view, point, begin, draw = `{"t":%d,"v":{"n":1,"x":300,"y":400,"z":1}}`, `{"t":%d,"p":{"n":1,"x":10,"y":20}}`, `{"t":%d,"b":{"n":2,"c":"#c22f20","w":2}}`, `{"t":%d,"d":[1,2,3,4]}`
	at := func(steps ...any) string {
		var all []string
		for i := 0; i < len(steps); i += 2 {
			all = append(all, fmt.Sprintf(steps[i].(string), steps[i+1]))
		}
		return `{"steps":[` + strings.Join(all, ",") + `]}`
	}
	for _, c := range []struct {
		name, trail string
		good        bool
	}{
		{"nothing shown", `{"steps":[]}`, true},
		{"all kinds", at(view, 0, point, 100, begin, 200, draw, 250, draw, 300), true},
		{"a little after the sound", at(point, 10_200), true},
		{"back in time", at(point, 200, point, 100), false},
		{"before the beginning", at(point, -1), false},
		{"drawing without a stroke", at(draw, 100), false},
		{"half a point", `{"steps":[{"t":0,"b":{"n":1,"c":"#c22f20","w":2}},{"t":1,"d":[1,2,3]}]}`, false},
		{"no page", `{"steps":[{"t":0,"p":{"n":0,"x":1,"y":1}}]}`, false},
		{"far from every page", `{"steps":[{"t":0,"p":{"n":1,"x":1e9,"y":1}}]}`, false},
		{"a colour that is none", `{"steps":[{"t":0,"b":{"n":1,"c":"url(x)","w":2}}]}`, false},
		{"a zoom of nothing", `{"steps":[{"t":0,"v":{"n":1,"x":1,"y":1,"z":0}}]}`, false},
		{"an empty step", `{"steps":[{"t":0}]}`, false},
		{"no JSON", `steps`, false},
		{"too many bytes", at(point, 1) + strings.Repeat(" ", MaxBytes), false},
	} {
		got, err := Parse([]byte(c.trail), 10*time.Second)
		if (err == nil) != c.good {
			t.Errorf("%s: %v", c.name, err)
			continue
		}
		if err == nil && len(got.Steps) > 0 && got.Steps[len(got.Steps)-1].At > 10_000 {
			t.Errorf("%s: ends at %d", c.name, got.Steps[len(got.Steps)-1].At)
		}
		if again, err := Parse(got.Bytes(), 10*time.Second); c.good && (err != nil || string(again.Bytes()) != string(got.Bytes())) {
			t.Errorf("%s: read again it is another (%v)", c.name, err)
		}
	}
	all, err := Parse([]byte(at(view, 0, begin, 1000, draw, 1500, point, 4000, point, 9000)), 10*time.Second)
	if err != nil {
		t.Fatal(err)
	}
	part := all.Cut(2*time.Second, 5*time.Second)
	if len(part.Steps) != 4 || part.Steps[2].At != 0 || part.Steps[2].Draw == nil || part.Steps[3].At != 2000 {
		t.Errorf("from the second to the fifth second: %s", part.Bytes())
	}
}
