package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/demo"
	"readymargin/e2e/house"
)

// A round is the work on one copy in one engine.
type round struct {
	engine
	name string
	home *house.House
	copy uint64
	dir  string
	shot int
}

func main() {
	if err := run(); err != nil {
		fmt.Fprintln(os.Stderr, "engines:", err)
		os.Exit(1)
	}
}

func run() error {
	ctx := context.Background()
	home, err := house.Open(ctx)
	if err != nil {
		return err
	}
	defer home.Close()
	if err := demo.Fill(ctx, home.School, home.Engine); err != nil {
		return err
	}
	dir := filepath.Join(house.Root(), "var", "engines")
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	var failed []error
	for _, e := range []struct {
		name, student string
		start         func(context.Context) (engine, error)
	}{{"Firefox", "leila.haddad", startFirefox}, {"WebKitGTK", "elena.petrova", startWebKit}} {
		if err := one(ctx, home, dir, e.name, e.student, e.start); err != nil {
			failed = append(failed, fmt.Errorf("%s: %w", e.name, err))
		}
	}
	return errors.Join(failed...)
}

func one(ctx context.Context, home *house.House, dir, name, login string, start func(context.Context) (engine, error)) error {
	e, err := start(ctx)
	if err != nil {
		return err
	}
	defer e.Stop()
	student, err := home.Store.PersonByLogin(ctx, login)
	if err != nil {
		return err
	}
	c, err := home.School.Saving.OpenOwn(ctx, student, 2)
	if err != nil {
		return err
	}
	before, err := home.Store.Heads(ctx, c.ID, submission.Work)
	if err != nil {
		return err
	}
	r := &round{engine: e, name: name, home: home, copy: c.ID, dir: dir}
	began := len(before)
	for _, step := range []struct {
		name string
		do   func() error
	}{
		{"sign in", func() error { return r.signIn(login) }},
		{"open", r.open},
		{"type, with a raised letter", func() error { return r.typing(began) }},
		{"draw", func() error { return r.drawing(began) }},
		{"highlight", func() error { return r.highlighting(began) }},
		{"rub out", r.rubbing},
		{"undo", r.undoing},
		{"work on without a connection", func() error { return r.offline(ctx, began) }},
		{"submit", r.submit},
	} {
		if err := step.do(); err != nil {
			r.look("failed")
			return fmt.Errorf("%s: %w", step.name, err)
		}
		fmt.Printf("%-10s %-30s done\n", name, step.name)
		r.look(step.name)
	}
	now, err := home.Store.Heads(ctx, c.ID, submission.Work)
	if err != nil {
		return err
	}
	after, err := home.Store.CopyInCourse(ctx, c.ID, student.ID)
	if err != nil || after.State != flow.Submitted || len(now) != began+4 {
		return fmt.Errorf("the server has %d marks more, want 4, and the copy is %s (%v)", len(now)-began, after.State, err)
	}
	return nil
}

// look leaves a picture, to be looked at by somebody.
func (r *round) look(step string) {
	b, err := r.Shot()
	if err == nil {
		r.shot++
		err = os.WriteFile(filepath.Join(r.dir, fmt.Sprintf("%s-%02d-%s.png", r.name, r.shot, step)), b, 0o644)
	}
	if err != nil {
		fmt.Printf("%-10s no picture: %v\n", r.name, err)
	}
}

func (r *round) do(script string) error {
	_, err := r.Eval(script)
	return err
}

// until waits for a condition.
func (r *round) until(what, condition string) error {
	var last json.RawMessage
	for deadline := time.Now().Add(30 * time.Second); time.Now().Before(deadline); time.Sleep(100 * time.Millisecond) {
		v, err := r.Eval("return !!(" + condition + ")")
		if err == nil && string(v) == "true" {
			return nil
		}
		last = v
		if err != nil {
			last = json.RawMessage(err.Error())
		}
	}
	return fmt.Errorf("waited in vain until %s (%s)", what, last)
}

func number(n int) *int { return &n }

// drag moves the mouse with its button down through places of page 1.
func (r *round) drag(places ...[2]float64) error {
	var acts []action
	for i, p := range places {
		raw, err := r.Eval(fmt.Sprintf(`const b=document.querySelector('section.sheet'), d=document.querySelector('[data-desk]'), s=b.querySelector('svg').viewBox.baseVal;
			const at=()=>{const q=b.getBoundingClientRect(); return [Math.round(q.left+%f*q.width/s.width), Math.round(q.top+%f*q.height/s.height)]};
			if (%d===0) { const f=d.getBoundingClientRect(), y=at()[1]; if (y<f.top+60||y>f.bottom-60) { d.scrollTop+=y-f.top-f.height/2; await new Promise(k=>requestAnimationFrame(()=>requestAnimationFrame(k))); } }
			return at()`, p[0], p[1], i))
		if err != nil {
			return err
		}
		var at [2]int
		if err := json.Unmarshal(raw, &at); err != nil {
			return fmt.Errorf("%s: %w", raw, err)
		}
		acts = append(acts, action{Type: "pointerMove", X: &at[0], Y: &at[1], Duration: number(30)})
		if i == 0 {
			acts = append(acts, action{Type: "pointerDown", Button: number(0)})
		}
	}
	acts = append(acts, action{Type: "pointerUp", Button: number(0)})
	return r.Act([]source{{Type: "pointer", ID: "mouse", Parameters: map[string]string{"pointerType": "mouse"}, Actions: acts}})
}

// keys presses keys one after the other.
func (r *round) keys(text string) error {
	var acts []action
	for _, k := range text {
		acts = append(acts, action{Type: "keyDown", Value: string(k)}, action{Type: "keyUp", Value: string(k)})
	}
	return r.Act([]source{{Type: "key", ID: "keyboard", Actions: acts}})
}

// Keys that have no letter (WebDriver, 17.4.2).
const (
	control = '\uE009'
	escape  = '\uE00C'
	up      = '\uE013'
)

func (r *round) chord(held, key rune) error {
	return r.Act([]source{{Type: "key", ID: "keyboard", Actions: []action{
		{Type: "keyDown", Value: string(held)}, {Type: "keyDown", Value: string(key)}, {Type: "keyUp", Value: string(key)}, {Type: "keyUp", Value: string(held)}}}})
}

// instrument takes one from the popover of its place.
func (r *round) instrument(place, name string) error {
	return r.do(fmt.Sprintf(`const b=document.querySelector('[data-place=%q] .take'); if (b.getAttribute("aria-pressed")!=="true") b.click(); if (document.querySelector("[data-popover]").hidden) b.click();
		[...document.querySelectorAll(".popover button")].find(k=>k.textContent.trim()===%q).click()`, place, name))
}

// shown counts the student's marks on the screen.
const shown = `new Set([...document.querySelectorAll(".sheet g[data-layer=work]")].map(g=>g.dataset.mark)).size===%d`

func (r *round) saved(marks int) error {
	return r.until(fmt.Sprint(marks, " marks are saved"), fmt.Sprintf(`document.querySelector("[data-saved]").dataset.state==="saved" && `+shown, marks))
}

func (r *round) signIn(login string) error {
	if err := r.Go(r.home.Base + "/sign-in"); err != nil {
		return err
	}
	if err := r.do(fmt.Sprintf(`document.querySelector("#login").value=%q; document.querySelector("#password").value=%q; setTimeout(()=>document.querySelector("form.card button").click(), 50)`, login, demo.Password)); err != nil {
		return err
	}
	return r.until("the start page is there", `document.querySelector("form[action='/sign-out']")`)
}

const ready = `document.querySelector("[data-screen]")?.dataset.ready`

func (r *round) open() error {
	if err := r.Go(fmt.Sprintf("%s/copies/%d", r.home.Base, r.copy)); err != nil {
		return err
	}
	return r.until("the sheet is ready", ready)
}

func (r *round) typing(marks int) error {
	if err := r.instrument("write", "Type"); err != nil {
		return err
	}
	if err := r.drag([2]float64{300, 720}); err != nil {
		return err
	}
	if err := r.until("something can be typed", `document.querySelector(".typing")`); err != nil {
		return err
	}
	for _, f := range []func() error{func() error { return r.keys("area 12 m") }, func() error { return r.chord(control, up) }, func() error { return r.keys("2") }, func() error { return r.chord(control, up) }, func() error { return r.keys(" in all") }, func() error { return r.keys(string(escape)) }} {
		if err := f(); err != nil {
			return err
		}
	}
	if err := r.saved(marks + 1); err != nil {
		return err
	}
	heads, err := r.home.Store.Heads(context.Background(), r.copy, submission.Work)
	if err != nil {
		return err
	}
	got := ""
	for _, h := range heads {
		text, ok := h.Mark.Body.(*mark.FreeText)
		if !ok || !strings.HasPrefix(text.String(), "area") {
			continue
		}
		for _, run := range text.Lines[0].Runs {
			got += fmt.Sprintf("[%s %d]", run.Text, run.Shift)
		}
	}
	if got != "[area 12 m 0][2 1][ in all 0]" {
		return fmt.Errorf("the runs are %s", got)
	}
	return nil
}

func (r *round) drawing(marks int) error {
	if err := r.instrument("draw", "Pen"); err != nil {
		return err
	}
	if err := r.drag([2]float64{80, 640}, [2]float64{140, 615}, [2]float64{200, 660}, [2]float64{260, 615}, [2]float64{320, 640}); err != nil {
		return err
	}
	return r.saved(marks + 2)
}

func (r *round) highlighting(marks int) error {
	if err := r.instrument("mark", "Highlighter"); err != nil {
		return err
	}
	if err := r.drag([2]float64{206, 174}, [2]float64{230, 174}, [2]float64{250, 174}); err != nil {
		return err
	}
	return r.saved(marks + 3)
}

func (r *round) rubbing() error {
	if err := r.instrument("mend", "Parts of lines"); err != nil {
		return err
	}
	if err := r.drag([2]float64{200, 690}, [2]float64{200, 655}, [2]float64{200, 600}); err != nil {
		return err
	}
	return r.until("a piece is rubbed out", `document.querySelector(".marks mask") && document.querySelector("[data-saved]").dataset.state==="saved"`)
}

func (r *round) undoing() error {
	if err := r.do(`document.querySelector('[data-step="undo"]').click()`); err != nil {
		return err
	}
	return r.until("the line is whole again", `!document.querySelector(".marks mask") && document.querySelector("[data-saved]").dataset.state==="saved"`)
}

func (r *round) offline(ctx context.Context, marks int) error {
	if err := r.until("the copy is kept on the device", `(await (await caches.open("kept")).keys()).filter(k=>/pages|print/.test(k.url)).length>=4 && await (await caches.open("pages")).match(location.pathname)`); err != nil {
		return err
	}
	r.home.KillServer()
	err := r.instrument("draw", "Pen")
	if err == nil {
		err = r.drag([2]float64{380, 640}, [2]float64{430, 620}, [2]float64{500, 650})
	}
	if err == nil {
		err = r.until("it waits", `document.querySelector("[data-saved-words]").textContent==="On this device only, 1 change waiting"`)
	}
	if err == nil {
		r.do(`setTimeout(()=>location.reload(), 100)`)
		time.Sleep(time.Second)
		err = r.until("the copy opens again", ready+fmt.Sprintf(" && "+shown, marks+4))
	}
	if back := r.home.Serve(); err == nil {
		err = back
	}
	if err != nil {
		return err
	}
	return r.saved(marks + 4)
}

func (r *round) submit() error {
	if err := r.do(`document.querySelector('[data-do="main"]').click(); setTimeout(()=>document.querySelector('[data-dialog="submit"] [data-yes]').click(), 500)`); err != nil {
		return err
	}
	return r.until("the receipt is there", `document.querySelector('[data-dialog="receipt"]').open`)
}
