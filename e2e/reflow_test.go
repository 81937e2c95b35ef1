package e2e

import (
	"fmt"
	"testing"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"

	"readymargin/core/flow"
	"readymargin/e2e/browser"
)

// Views are shown as people see them who need them otherwise: at 400 % (320 by 256 is
// 1280 by 1024 so, WCAG 2.2, 1.4.10), on a small window, with the text spacing of 1.4.12,
// with text of double the size (1.4.4), and in colours of their own. Nothing that has a
// role lies where it cannot be scrolled to, and nothing but tables and pages is wider
// than the window.
func TestEverythingIsInReach(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Reach")
	id, assignment := sc.copies[flow.InProgress].ID, sc.copies[flow.Submitted].AssignmentID
	const spaced = `const s = new CSSStyleSheet(); s.replaceSync("* { line-height: 1.5 !important; letter-spacing: .12em !important; word-spacing: .16em !important } p { margin-bottom: 2em !important }"); document.adoptedStyleSheets = [s]; return true`
	const double = `document.documentElement.style.fontSize = "32px"; return true`
	ways := []struct {
		name       string
		wide, high int
		forced     bool
		script     string
	}{{"400 %", 320, 256, false, ""}, {"a narrow window", 320, 640, false, ""}, {"a low window", 640, 400, false, ""}, {"text spacing", 1280, 800, false, spaced}, {"double text", 1280, 800, false, double}, {"own colours", 1280, 800, true, ""}}
	words := `if (!` + inWords + `) document.querySelector('[data-do="words"]').click(); return true`
	pages := `if (` + inWords + `) document.querySelector('[data-do="words"]').click(); return true`
	views := []struct {
		name, who, path string
		ready           bool
		script          string
	}{
		{"start page of a student", "student", "/to-do", false, ""}, {"account", "student", "/account", false, ""}, {"sheet", "student", fmt.Sprintf("/copies/%d", id), true, pages}, {"sheet in words", "student", fmt.Sprintf("/copies/%d", id), true, words},
		{"start page of a teacher", "teacher", "/", false, ""}, {"course", "teacher", fmt.Sprintf("/courses/%d", sc.course.ID), false, ""}, {"marking", "teacher", fmt.Sprintf("/assignments/%d/marking", assignment), true, pages}, {"marking in words", "teacher", fmt.Sprintf("/assignments/%d/marking", assignment), true, words}, {"shelf", "teacher", "/worksheets", false, ""}, {"files", "teacher", fmt.Sprintf("/assignments/%d/files", assignment), false, ""}, {"across the class", "teacher", fmt.Sprintf("/assignments/%d/across", assignment), false, ""}, {"mark book", "teacher", fmt.Sprintf("/courses/%d/book", sc.course.ID), false, ""}, {"bench", "teacher", fmt.Sprintf("/worksheets/%d", sc.sheet.ID), false, ""}, {"assigning", "teacher", fmt.Sprintf("/assignments/%d/change", assignment), false, ""},
	}
	for _, who := range []string{"student", "teacher"} {
		p := tab(t, 1280, 800)
		steps(t, func() error { return p.SignIn("reach."+who, scenePassword) })
		for _, w := range ways {
			colours := "none"
			if w.forced {
				colours = "active"
			}
			steps(t, func() error { return p.Resize(w.wide, w.high, false) }, func() error {
				_, err := chromedp.Call(p.Ctx, emulation.SetEmulatedMedia, emulation.SetEmulatedMediaParams{Features: []*emulation.MediaFeature{{Name: "forced-colors", Value: colours}}})
				return err
			})
			for _, v := range views {
				if v.who != who {
					continue
				}
				steps(t, func() error { return p.Go(v.path) })
				if v.ready {
					steps(t, p.Ready, func() error { return p.Until("it is there in words", `document.querySelector(".printed")`) })
				}
				for _, script := range []string{v.script, w.script} {
					if script == "" {
						continue
					}
					if _, err := browser.Eval[bool](p, script); err != nil {
						t.Fatal(err)
					}
				}
				out, err := browser.Eval[[]string](p, stray)
				if err != nil || len(out) > 0 {
					t.Errorf("%s, %s: outside the window: %q (%v)", v.name, w.name, out, err)
				}
				wide, err := browser.Eval[int](p, `return document.documentElement.scrollWidth - innerWidth`)
				if err != nil || wide > 0 {
					t.Errorf("%s, %s: %d pixels wider than the window (%v)", v.name, w.name, wide, err)
				}
			}
		}
	}
}
