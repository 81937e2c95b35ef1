package e2e

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/input"

	"readymargin/core/mark"
	"readymargin/e2e/browser"
)

// Writing lands where it is meant: a press beside a blank goes into it, a long
// answer flows from rule to rule and stands on them, what is typed is as large
// as the print beside it, and Enter goes on. The sheet has rules at 349 and,
// for one answer, at 596, 622, 648, 674 and 700 points; its print is 12 points.
func TestWritingWhereOneMeansIt(t *testing.T) {
	p, id := desk(t, "Writing", 1366, 620)
	beside := func(x, y, px float64) func() error { // px CSS pixels above a place
		return func() error {
			at, top, err := p.At(browser.Place{Page: 1, X: x, Y: y})
			if err != nil {
				return err
			}
			for _, kind := range []input.DispatchMouseEventType{input.DispatchMouseEventTypeMousePressed, input.DispatchMouseEventTypeMouseReleased} {
				if err := p.Pointer(kind, "mouse", at, top-px, 0.5); err != nil {
					return err
				}
			}
			return nil
		}
	}
	named := func(want string) func() error {
		return func() error {
			return p.Until("the blank is "+want, fmt.Sprintf(`document.activeElement.getAttribute("aria-label")===%q`, want))
		}
	}
	write := func(text string) func() error { return func() error { return p.Type(text) } }
	long := "By the rule of twelfths three twelfths of the range come in the third hour, but only one in the first, and so the depth over the sill changes fastest in the middle of the tide."
	steps(t,
		func() error {
			return p.Until("the blanks are there", `document.querySelectorAll(".hints rect").length > 8`)
		},
		beside(250, 334, 8), named("2. The range of the tide is"), write("4.5"),
		p.Enter, named("m, so this is a"), write("spring"),
		func() error { return p.Press(browser.Place{Page: 1, X: 300, Y: 640}) }, // the second rule
		named("5. Explain in your own words why the depth changes fastest in the third hour."),
		write(long), p.Enter, write("Twice as fast."),
		func() error { return p.Key("\u001b") },
	)
	var flowing *mark.FreeText
	for _, m := range kept(t, p, id) {
		f := m.Body.(*mark.FreeText)
		if size := f.Lines[0].Runs[0].Size; math.Abs(size-12) > 0.05 {
			t.Errorf("%q is %v points large, the print beside it 12", f, size)
		}
		if strings.HasPrefix(f.String(), "By the") {
			flowing = f
		} else if math.Abs(f.Y-349) > 0.75 {
			t.Errorf("%q stands at %v, the rule is at 349", f, f.Y)
		}
	}
	if flowing == nil || flowing.String() != long+"\nTwice as fast." || len(flowing.Lines) < 3 {
		t.Fatalf("the long answer is %+v", flowing)
	}
	for i := range flowing.Lines {
		if rule := 596 + 26*float64(i); math.Abs(flowing.Baseline(i)-rule) > 0.75 {
			t.Errorf("line %d stands at %v, its rule is at %v", i+1, flowing.Baseline(i), rule)
		}
	}
}
