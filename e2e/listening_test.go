package e2e

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/core/trail"
	"readymargin/e2e/browser"
	"readymargin/school"
	"readymargin/school/intake"
	"readymargin/school/screen"
	"readymargin/school/takeaway"
	"readymargin/sound"
)

// spokenIn returns a spoken sentence in the formats that people have sounds in.
func spokenIn(t *testing.T, words string, formats ...string) (files []string) {
	t.Helper()
	wav, err := sound.Speak(context.Background(), words, "en-gb", 150)
	if err != nil {
		t.Fatal(err)
	}
	dir := t.TempDir()
	from := filepath.Join(dir, "Harbour office.wav")
	if err := os.WriteFile(from, wav, 0o600); err != nil {
		t.Fatal(err)
	}
	for _, f := range formats {
		to := filepath.Join(dir, "Harbour office."+f)
		if f != "wav" {
			if out, err := exec.Command("ffmpeg", "-v", "error", "-y", "-i", from, to).CombinedOutput(); err != nil {
				t.Fatalf("ffmpeg (apt-get install ffmpeg): %v: %s", err, out)
			}
		}
		files = append(files, to)
	}
	return files
}

// A sound lies on the sheet and may be heard twice. The server counts; the sound is not
// to be had in any other way; its words are there for those who cannot hear, and the
// teacher sees both.
func TestASoundOnTheSheetIsHeardSoOften(t *testing.T) {
	t.Parallel()
	ctx, s := context.Background(), home.School
	sc := setSceneNamed(t, "Hearing")
	teacher, student := account(t, "hearing.teacher"), account(t, "hearing.student")
	formats := spokenIn(t, "The harbour office opens at seven.", "mp3", "m4a", "ogg", "wav")
	for _, file := range formats {
		b, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		if v, err := s.Shelf.AddSpoken(ctx, teacher, sc.sheet.ID, intake.Recorded{Data: b}); err != nil || v.Milliseconds < 1500 || v.Milliseconds > 4000 {
			t.Errorf("%s: %d ms, %v", filepath.Ext(file), v.Milliseconds, err)
		}
	}
	if _, err := s.Shelf.AddSpoken(ctx, teacher, sc.sheet.ID, intake.Recorded{Data: append([]byte("ID3"), make([]byte, 5000)...)}); err == nil {
		t.Error("what only begins like a sound is taken")
	}
	p := tab(t, 1280, 800)
	until := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	steps(t, func() error { return p.SignIn("hearing.teacher", scenePassword) }, func() error { return p.Go(fmt.Sprintf("/worksheets/%d", sc.sheet.ID)) }, p.Ready,
		func() error { return p.Click(`[data-place="directions"] .take`) }, named(p, "Sound file"), named(p, "Sound at the top of this page"),
		func() error { return p.Choose("#sound-file", formats[0]) }, until("it lies there", `document.querySelector(".direction .clip")`))
	axeFinds(t, p, "a sound laid on the sheet")
	steps(t, func() error {
		_, err := browser.Eval[int](p, `const s = document.querySelector('[aria-label^="How often"]'); s.value = "2"; s.dispatchEvent(new Event("change", {bubbles: true})); return 1`)
		return err
	}, func() error { return p.Fill(`[aria-label$="cannot hear it"]`, "The harbour office opens at seven.") },
		until("it is saved", `await new Promise((ok) => setTimeout(ok, 900)), document.querySelector("[data-saved-words]").textContent.startsWith("Saved")`))

	c := sc.copies[flow.InProgress]
	v, err := s.Screens.Open(ctx, student, c.ID)
	if err != nil {
		t.Fatal(err)
	}
	i := slices.IndexFunc(v.Marks, func(m screen.Mark) bool {
		n, ok := m.Mark.Body.(*mark.Note)
		return ok && n.Voice != nil && n.Voice.Times == 2
	})
	if i < 0 {
		t.Fatalf("the student's copy does not have it: %+v", v.Marks)
	}
	voice, name := v.Marks[i].Mark.Body.(*mark.Note).Voice, v.Marks[i].Mark.ID
	if voice.Words != "" || !voice.Written {
		t.Errorf("a student is told its words: %+v", voice)
	}
	copyPath, extra := fmt.Sprintf("/copies/%d", c.ID), fmt.Sprintf("/sheets/%d/extras/%s", c.RevisionID, voice.Sound)
	for who, want := range map[string]int{"student": 404, "classmate": 404, "teacher": 200, "assistant": 200} {
		if code, _ := sc.page(t, who, extra); code != want {
			t.Errorf("%s has the sound without a hearing: %d, want %d", who, code, want)
		}
	}
	for _, path := range []string{copyPath, copyPath + "/view", copyPath + "/print"} {
		if _, page := sc.page(t, "student", path); strings.Contains(page, "opens at seven") {
			t.Errorf("%s tells what the sound says", path)
		}
	}
	file, err := s.Exports.TakeCopy(ctx, student, c.ID, takeaway.Choice{Anyway: true})
	if err != nil {
		t.Fatal(err)
	}
	if b := bytesOf(t, file); strings.Contains(string(b), "EmbeddedFile") {
		t.Error("the sound goes along with the file that a student takes away")
	}

	pupil := tab(t, 1280, 800)
	is := func(what, script string) func() error { return func() error { return pupil.Until(what, script) } }
	steps(t, func() error { return pupil.SignIn("hearing.student", scenePassword) }, func() error { return pupil.Go(copyPath) }, pupil.Ready,
		shows(pupil, "2 times more"), named(pupil, "Listen"), shows(pupil, "Once more"))
	axeFinds(t, pupil, "a sound that is counted")
	steps(t, is("it was heard", `[...document.querySelectorAll(".counted button")].some((b) => b.innerText.trim() === "Listen")`),
		named(pupil, "I cannot hear it: show its words"), shows(pupil, "The harbour office opens at seven."))
	// Of fifty at once, from two devices, one is the last.
	var all sync.WaitGroup
	var got, refused atomic.Int32
	var token string
	var mu sync.Mutex
	for range 50 {
		all.Go(func() {
			h, err := s.Hearings.Begin(ctx, student, c.ID, name)
			switch {
			case err == nil:
				got.Add(1)
				mu.Lock()
				token = h.Token
				mu.Unlock()
			case school.IsProblem(err, "heard"):
				refused.Add(1)
			default:
				t.Error(err)
			}
		})
	}
	all.Wait()
	if got.Load() != 1 || refused.Load() != 49 {
		t.Errorf("of fifty who hear it at once, where one is left, %d do and %d do not", got.Load(), refused.Load())
	}
	if code, _ := sc.page(t, "student", copyPath+"/hearings/"+token); code != http.StatusOK {
		t.Errorf("a hearing that has begun: %d", code)
	}
	for who, at := range map[string]string{"classmate": copyPath + "/hearings/" + token, "student": copyPath + "/hearings/made-up-token"} {
		if code, _ := sc.page(t, who, at); code != http.StatusNotFound {
			t.Errorf("%s hears %s: %d", who, at, code)
		}
	}
	steps(t, func() error { return pupil.Go(copyPath) }, pupil.Ready, shows(pupil, "Heard as often as it may be"))
	if _, err := s.Hearings.Begin(ctx, teacher, c.ID, name); !errors.Is(err, access.ErrDenied) {
		t.Errorf("who marks has it counted: %v", err)
	}
	if _, err := s.Submitting.Submit(ctx, student, c.ID, "", 1000); err != nil {
		t.Fatal(err)
	}
	steps(t, func() error { return p.Go(fmt.Sprintf("/assignments/%d/marking?copy=%d", c.AssignmentID, c.ID)) }, p.Ready,
		shows(p, "Heard 2 of 2 times, and its words were read"))
}

// On the sheet itself a teacher speaks with pointing and drawing; every copy has it, and
// its student sees it on the page.
func TestATalkThroughAsADirection(t *testing.T) {
	t.Parallel()
	ctx, s := context.Background(), home.School
	sc := setSceneNamed(t, "Director")
	c := sc.copies[flow.InProgress]
	p := tab(t, 1280, 800)
	steps(t, func() error { return p.SignIn("director.teacher", scenePassword) }, func() error { return p.Go(fmt.Sprintf("/worksheets/%d/write", sc.sheet.ID)) }, p.Ready,
		func() error {
			return p.Until("voice is in hand", `document.querySelector('[data-place="say"] .name').textContent === "Voice note" || (document.body.dispatchEvent(new KeyboardEvent("keydown",{key:"5",bubbles:true})), false)`)
		},
		func() error { return p.Press(browser.Place{Page: 1, X: 400, Y: 200}) },
		func() error { return p.Click(`[data-draft] .choice input`) }, func() error { return p.Click(`[data-draft] [aria-label="Record"]`) },
		func() error {
			return p.Until("it records", `document.querySelector(".clip.live time")?.textContent >= "0:01"`)
		},
		func() error {
			return p.Drag("mouse", 0.5, browser.Place{Page: 1, X: 200, Y: 300}, browser.Place{Page: 1, X: 260, Y: 330}, browser.Place{Page: 1, X: 300, Y: 300})
		},
		func() error {
			return p.Until("it goes on", `document.querySelector(".clip.live time")?.textContent >= "0:04"`)
		},
		func() error { return p.Click(`[data-draft] [aria-label="Stop"]`) }, func() error { return p.Click(`[data-draft] .trim summary`) }, func() error { return p.Click(`[data-draft] .dark`) },
		func() error {
			return p.Until("it is kept", `document.querySelector("[data-note] .clip:not(.live)") && document.querySelector("[data-saved-words]").textContent.startsWith("Saved")`)
		})
	v, err := s.Screens.Open(ctx, account(t, "director.student"), c.ID)
	if err != nil {
		t.Fatal(err)
	}
	i := slices.IndexFunc(v.Marks, func(m screen.Mark) bool {
		n, ok := m.Mark.Body.(*mark.Note)
		return ok && m.Layer == submission.Sheet && n.Voice != nil && n.Voice.Trail != ""
	})
	if i < 0 {
		t.Fatal("the copy does not have the talk-through")
	}
	res, err := sc.people["student"].Get(fmt.Sprintf("%s/sheets/%d/extras/%s", home.Base, c.RevisionID, v.Marks[i].Mark.Body.(*mark.Note).Voice.Trail))
	if err != nil {
		t.Fatal(err)
	}
	b, err := io.ReadAll(res.Body)
	res.Body.Close()
	var shown trail.Trail
	if err != nil || json.Unmarshal(b, &shown) != nil || len(shown.Steps) < 3 {
		t.Errorf("what was shown is %d steps: %v", len(shown.Steps), err)
	}
	pupil := tab(t, 1280, 800)
	steps(t, func() error { return pupil.SignIn("director.student", scenePassword) }, func() error { return pupil.Go(fmt.Sprintf("/copies/%d", c.ID)) }, pupil.Ready,
		func() error { return pupil.Click(`[data-note] .clip .go`) },
		func() error {
			return pupil.Until("the stroke grows on the page", `document.querySelector(".talk") && document.querySelector(".shown-stroke")?.getAttribute("d").includes("L")`)
		},
		func() error {
			return pupil.Until("it vanishes at the end", `!document.querySelector(".shown-stroke")`)
		})
	axeFinds(t, pupil, "a talk-through as a direction")
}

// What was said is written down by a program, looked over by who said it, kept for those
// who cannot hear, and found by its words.
func TestWhatWasSaidIsWrittenDownAndFound(t *testing.T) {
	t.Parallel()
	ctx, s := context.Background(), home.School
	sc := setSceneNamed(t, "Writer")
	c := sc.copies[flow.Submitted]
	teacher := account(t, "writer.teacher")
	wav := filepath.Join(t.TempDir(), "tones.wav")
	if out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "sine=f=500:d=0.5", "-f", "lavfi", "-i", "anullsrc=d=0.3", "-f", "lavfi", "-i", "sine=f=700:d=0.5", "-filter_complex", "[0][1][2]concat=n=3:v=0:a=1", wav).CombinedOutput(); err != nil {
		t.Fatalf("ffmpeg (apt-get install ffmpeg): %v: %s", err, out)
	}
	b, err := os.ReadFile(wav)
	if err != nil {
		t.Fatal(err)
	}
	v, err := s.Attachments.AddVoice(ctx, teacher, c.ID, submission.Feedback(1), intake.Recorded{Data: b})
	if err != nil {
		t.Fatal(err)
	}
	m := mark.Mark{ID: "note-written-down", Page: 1, Body: &mark.Note{At: [2]float64{300, 300}, Voice: &v}}
	if _, err := s.Saving.Save(ctx, teacher, c.ID, submission.Feedback(1), []submission.Op{{ID: "op-written-down", On: m.ID, Mark: &m}}); err != nil {
		t.Fatal(err)
	}
	for who, want := range map[string]int{"student": 404, "classmate": 404, "outsider": 404} {
		if res, err := sc.people[who].Post(fmt.Sprintf("%s/copies/%d/sounds/%s/words", home.Base, c.ID, v.Sound), "", nil); err != nil || res.StatusCode != want {
			t.Errorf("%s has the words of feedback that was not returned: %v %v", who, res.StatusCode, err)
		}
	}
	p := tab(t, 1280, 800)
	steps(t, func() error { return p.SignIn("writer.teacher", scenePassword) }, func() error { return p.Go(fmt.Sprintf("/assignments/%d/marking?copy=%d", c.AssignmentID, c.ID)) }, p.Ready,
		named(p, "Type its words"), shows(p, "Write it down for me"))
	// What comes meanwhile draws the margin anew, and what is open stays.
	other := mark.Mark{ID: "note-meanwhile", Page: 1, Body: &mark.Note{At: [2]float64{300, 700}, Text: "from the other device"}}
	if _, err := s.Saving.Save(ctx, teacher, c.ID, submission.Feedback(1), []submission.Op{{ID: "op-meanwhile", On: other.ID, Mark: &other}}); err != nil {
		t.Fatal(err)
	}
	steps(t, shows(p, "from the other device"), func() error {
		return p.Until("the words can still be typed", `document.activeElement.ariaLabel === "What it says, for those who cannot hear"`)
	})
	// The line goes while it is listened to.
	steps(t, line(p, false), named(p, "Write it down for me"), shows(p, "There is no line"), line(p, true), shows(p, "Look it over"))
	axeFinds(t, p, "what was said, written down")
	steps(t, named(p, "Keep"), shows(p, "tide floods"), saved(p),
		func() error { return p.Click(`[data-do="find"]`) }, func() error { return p.Fill(`[data-panel] input`, "tide floods") }, shows(p, "1 found"))
	if _, page := sc.page(t, "teacher", fmt.Sprintf("/copies/%d/marking", c.ID)); !strings.Contains(page, "tide floods") {
		t.Error("the words are not kept")
	}
}
