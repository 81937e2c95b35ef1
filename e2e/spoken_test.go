package e2e

import (
	"context"
	"fmt"
	"testing"
	"time"

	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/e2e/browser"
	"readymargin/school/intake"
	"readymargin/sound"
)

// spokenReplies returns the answers by voice on a copy, as its student has them.
func spokenReplies(t *testing.T, id uint64, student string) (out []mark.Voice) {
	t.Helper()
	v, err := home.School.Screens.Open(context.Background(), personOf(t, student), id)
	if err != nil {
		t.Fatal(err)
	}
	for _, m := range v.Marks {
		if r, ok := m.Mark.Body.(*mark.Reply); ok && r.Voice != nil {
			out = append(out, *r.Voice)
		}
	}
	return out
}

// A reply is spoken: the level is seen before it is recorded, it pauses, its ends are
// cut, it is heard faster, and the teacher has it where the note stands.
func TestAReplyIsSpoken(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Speaker")
	id := sc.copies[flow.Returned].ID
	p := tab(t, 1280, 800)
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	press := func(selector string) func() error { return func() error { return p.Click(selector) } }
	steps(t, func() error { return p.SignIn("speaker.student", scenePassword) }, func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready,
		press(`[data-note] [aria-label^="Speak a reply"]`),
		is("the microphone is heard", `(() => { const c = document.querySelector("[data-note] .answer .clip.live canvas"); return c && document.activeElement?.getAttribute("aria-label") === "Record" && document.querySelector("[data-note] .answer").innerText.includes("Up to"); })()`))
	axeFinds(t, p, "the recorder before it starts")
	steps(t, func() error { return p.Enter() },
		is("it records", `document.querySelector("[data-note] .answer .clip.live time")?.textContent >= "0:02"`))
	axeFinds(t, p, "recording")
	steps(t, func() error {
		_, err := browser.Eval[int](p, `[...document.querySelectorAll("[data-note] .answer button")].find((b) => b.textContent === "Pause").click(); return 1`)
		return err
	}, is("it rests", `document.querySelector("[data-note] .answer").innerText.includes("Paused")`))
	stood, err := browser.Eval[string](p, `const time = () => document.querySelector("[data-note] .answer .clip.live time").textContent, was = time(); await new Promise((ok) => setTimeout(ok, 1500)); return time() === was ? "" : was + " to " + time()`)
	if err != nil || stood != "" {
		t.Errorf("while it rests the time goes from %s (%v)", stood, err)
	}
	steps(t, func() error {
		_, err := browser.Eval[int](p, `[...document.querySelectorAll("[data-note] .answer button")].find((b) => b.textContent === "Go on").click(); return 1`)
		return err
	}, is("it goes on", `document.querySelector("[data-note] .answer .clip.live time")?.textContent >= "0:05"`), press(`[data-note] .answer [aria-label="Stop"]`),
		press(`[data-note] .answer .trim summary`), func() error {
			_, err := browser.Eval[int](p, `const r=document.querySelector('[aria-label="Begins at"]'); r.value=2000; r.dispatchEvent(new Event("input",{bubbles:true})); return 1`)
			return err
		})
	axeFinds(t, p, "listening before it is kept")
	steps(t, press(`[data-note] .answer .dark`), is("it stands below the note", `document.querySelector("[data-note] .answer .clip:not(.live)")`),
		press(`[data-note] .answer .clip .go`), press(`[data-note] .answer .clip .fast`), is("it is heard faster", `document.querySelector("[data-note] .answer .clip .fast").textContent === "1.25×"`))
	var voices []mark.Voice
	for range 50 {
		if voices = spokenReplies(t, id, "speaker.student"); len(voices) > 0 {
			break
		}
		time.Sleep(100 * time.Millisecond)
	}
	if len(voices) != 1 || voices[0].Milliseconds < 2500 || voices[0].Milliseconds > 5500 {
		t.Errorf("of five seconds, with a rest, from the second on, there are %+v", voices)
	}
}

// The browser is killed while somebody records. What was said until two seconds before
// is there, at its place, to be kept or dropped.
func TestARecordingOutlivesTheBrowser(t *testing.T) {
	sc := setSceneNamed(t, "Outspoken")
	id := sc.copies[flow.InProgress].ID
	profile, path := t.TempDir(), fmt.Sprintf("/copies/%d", id)
	b, p := withProfile(t, profile)
	begin := func() error {
		return p.Until("voice is in hand", `document.querySelector('[data-place="say"] .name').textContent === "Voice note" || (document.body.dispatchEvent(new KeyboardEvent("keydown",{key:"5",bubbles:true})), false)`)
	}
	steps(t, func() error { return p.SignIn("outspoken.student", scenePassword) }, func() error { return p.Go(path) }, p.Ready, begin,
		func() error { return p.Press(browser.Place{Page: 1, X: 480, Y: 440}) },
		func() error { return p.Click(`[data-draft] [aria-label="Record"]`) },
		func() error {
			return p.Until("it records", `document.querySelector(".clip.live time")?.textContent >= "0:06"`)
		})
	b.Process().Kill()
	b.Stop()
	b, p = withProfile(t, profile)
	defer func() { b.Stop() }()
	steps(t, p.Clear, func() error { return p.SignIn("outspoken.student", scenePassword) },
		// Nobody signs out without learning of it.
		func() error { return p.Go("/to-do") },
		func() error {
			return p.Until("it is told", `!document.querySelector("[data-waiting]").hidden && document.querySelector("[data-waiting] a").getAttribute("href") === "`+path+`"`)
		},
		func() error { return p.Go(path) }, p.Ready,
		func() error {
			return p.Until("it is there again", `document.querySelector("[data-draft]")?.innerText.includes("Broken off") && document.querySelector("[data-draft] .clip time").textContent >= "0:03"`)
		},
		func() error { return p.Click(`[data-draft] .dark`) },
		func() error {
			return p.Until("it is kept", `document.querySelectorAll("[data-note] .clip").length === 1 && !document.querySelector("[data-draft]")`)
		})
	found := 0
	for _, m := range kept(t, p, id) {
		if n, ok := m.Body.(*mark.Note); ok && n.Voice != nil {
			found++
			if n.Voice.Milliseconds < 4000 || n.Voice.Milliseconds > 8000 || m.Page != 1 {
				t.Errorf("of six seconds %d ms are left", n.Voice.Milliseconds)
			}
		}
	}
	if found != 1 {
		t.Errorf("%d voice notes are there", found)
	}
	// It is kept once, and not offered again; another one is dropped.
	steps(t, func() error { return p.Go(path) }, p.Ready, begin,
		func() error { time.Sleep(500 * time.Millisecond); return nil },
		func() error { return p.Until("nothing is offered", `!document.querySelector("[data-draft]")`) },
		func() error { return p.Press(browser.Place{Page: 1, X: 480, Y: 540}) },
		func() error { return p.Click(`[data-draft] [aria-label="Record"]`) },
		func() error {
			return p.Until("it records", `document.querySelector(".clip.live time")?.textContent >= "0:02"`)
		},
		func() error { return p.Go(path) }, p.Ready,
		func() error {
			return p.Until("it is there again", `document.querySelector("[data-draft]")?.innerText.includes("Broken off")`)
		},
		func() error { return p.Click(`[data-draft] .tools .quiet`) },
		func() error { return p.Until("it is gone", `!document.querySelector("[data-draft]")`) },
		func() error { return p.Go(path) }, p.Ready,
		func() error { time.Sleep(500 * time.Millisecond); return nil },
		func() error { return p.Until("it stays gone", `!document.querySelector("[data-draft]")`) })
	if heads, err := home.Store.Heads(context.Background(), id, submission.Work); err != nil || len(heads) == 0 {
		t.Error(len(heads), err)
	}
}

// All that was said on a copy, one remark after the other: the page follows, and what is
// spoken is heard.
func TestOneRemarkAfterTheOther(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Walker")
	ctx, s := context.Background(), home.School
	id, teacher := sc.copies[flow.Submitted].ID, personOf(t, "walker.teacher")
	wav, err := sound.Speak(ctx, "Look here.", "en", 160)
	if err != nil {
		t.Fatal(err)
	}
	voice, err := s.Attachments.AddVoice(ctx, teacher, id, submission.Feedback(1), intake.Recorded{Data: wav})
	if err != nil {
		t.Fatal(err)
	}
	var ops []submission.Op
	for i, n := range []mark.Note{{At: [2]float64{300, 90}, Text: "First"}, {At: [2]float64{300, 300}, Voice: &voice}, {At: [2]float64{300, 700}, Text: "Last"}} {
		m := mark.Mark{ID: fmt.Sprintf("walked-note-%d", i), Page: 1, Body: &n}
		ops = append(ops, submission.Op{ID: "op-" + m.ID, On: m.ID, Mark: &m})
	}
	if _, err := s.Saving.Save(ctx, teacher, id, submission.Feedback(1), ops); err != nil {
		t.Fatal(err)
	}
	if err := s.Marking.Return(ctx, teacher, id, 1); err != nil {
		t.Fatal(err)
	}
	for _, by := range []string{"mouse", "touch"} {
		p := handyBy(t, by)
		is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
		at := func(n, of int) func() error {
			return is(fmt.Sprint("remark ", n), fmt.Sprintf(`document.querySelector(".walk [role=status]")?.textContent === "Remark %d of %d"`, n, of))
		}
		steps(t, func() error { return p.SignIn("walker.student", scenePassword) }, func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready)
		n, err := browser.Eval[int](p.Tab, `return [...document.querySelectorAll(".said-note.teacher")].filter((c) => !c.innerText.includes("Directions")).length`)
		if err != nil {
			t.Fatal(err)
		}
		steps(t, p.margin, p.on(`[data-do="walk"]`), at(1, n))
		axeFinds(t, p.Tab, "one remark after the other, by "+by)
		for i := 2; i < n; i++ { // the spoken one is heard, and goes on by itself
			steps(t, p.on(`.walk .button:nth-of-type(2)`), at(i, n))
		}
		steps(t, at(n, n), is("its card is in hand", `document.querySelector(".said-note.on")?.innerText.includes("Last")`),
			p.on(`.walk .button:nth-of-type(2)`), is("it is over", `!document.querySelector(".walk")`))
	}
}
