package e2e

import (
	"bytes"
	"context"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"math"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/core/trail"
	"readymargin/e2e/browser"
)

// The known sequence that the microphone hears: sixteen tones of half a second.
const (
	tones    = 16
	toneLong = 0.5 // seconds
)

func toneAt(k int) float64 { return 400 + 130*float64(k%tones) }

// sequence writes it as a WAV, which the fake microphone plays again and again.
func sequence(t *testing.T) string {
	t.Helper()
	const rate = 48000
	raw := make([]byte, 0, 2*tones*rate/2)
	phase := 0.0
	for i := range int(tones * toneLong * rate) {
		phase += 2 * math.Pi * toneAt(int(float64(i)/(toneLong*rate))) / rate
		raw = binary.LittleEndian.AppendUint16(raw, uint16(int16(12000*math.Sin(phase))))
	}
	name := filepath.Join(t.TempDir(), "sequence.wav")
	cmd := exec.Command("ffmpeg", "-v", "error", "-f", "s16le", "-ar", fmt.Sprint(rate), "-ac", "1", "-i", "-", name)
	cmd.Stdin = bytes.NewReader(raw)
	if b, err := cmd.CombinedOutput(); err != nil {
		t.Fatalf("ffmpeg (apt-get install ffmpeg): %v: %s", err, b)
	}
	return name
}

// A change is the moment, in milliseconds, at which a tone begins.
type change struct {
	Tone int     `json:"k"`
	At   float64 `json:"at"`
}

// changesIn finds when the tones begin in a sound.
func changesIn(t *testing.T, sound []byte) (out []change) {
	t.Helper()
	const rate = 16000
	cmd := exec.Command("ffmpeg", "-v", "error", "-i", "-", "-ac", "1", "-ar", fmt.Sprint(rate), "-f", "f32le", "-")
	cmd.Stdin = bytes.NewReader(sound)
	raw, err := cmd.Output()
	if err != nil {
		t.Fatal(err)
	}
	samples := make([]float32, len(raw)/4)
	for i := range samples {
		samples[i] = math.Float32frombits(binary.LittleEndian.Uint32(raw[4*i:]))
	}
	const window, step = rate / 50, rate / 200 // 20 and 5 ms
	before, held := -1, 0
	for at := 0; at+window < len(samples); at += step {
		best, loudest := -1, 0.0
		for k := range tones {
			if p := goertzel(samples[at:at+window], toneAt(k)/rate); p > loudest {
				best, loudest = k, p
			}
		}
		switch {
		case best == before:
			held++
		case len(out) == 0 || held > 20:
			out = append(out, change{best, 1000 * float64(at+window/2) / rate})
			before, held = best, 0
		default:
			before, held = best, 0
		}
	}
	return slices.DeleteFunc(out[min(1, len(out)):], func(c change) bool { return c.Tone < 0 })
}

func goertzel(x []float32, f float64) float64 {
	c := 2 * math.Cos(2*math.Pi*f)
	a, b := 0.0, 0.0
	for _, v := range x {
		a, b = float64(v)+c*a-b, a
	}
	return a*a + b*b - c*a*b
}

// listening notes, in the page, when which tone is heard and where the pointer goes, by
// the page's own clock, and which sounds are played. The microphone's own mending of
// the sound would take tones for noise.
const listening = `
const get = navigator.mediaDevices.getUserMedia.bind(navigator.mediaDevices);
window.heard = []; window.went = []; window.played = [];
navigator.mediaDevices.getUserMedia = async () => {
  const stream = await get({audio: {echoCancellation: false, noiseSuppression: false, autoGainControl: false}});
  const frames = new MediaStreamTrackProcessor({track: stream.getAudioTracks()[0].clone()}).readable.getReader();
  (async () => {
    let was = -1, held = 0; // the way from the microphone's clock to the page's is that of the frame that was least late
    for (let f; (f = (await frames.read()).value); f.close()) {
      const x = new Float32Array(f.numberOfFrames), now = f.timestamp / 1000;
      f.copyTo(x, {planeIndex: 0, format: "f32-planar"});
      window.base = Math.min(window.base ?? Infinity, performance.now() - now);
      let best = -1, most = 0;
      for (let k = 0; k < 16; k++) {
        const c = 2 * Math.cos(2 * Math.PI * (400 + 130 * k) / f.sampleRate);
        let a = 0, b = 0;
        for (const v of x) [a, b] = [v + c * a - b, a];
        const p = a * a + b * b - c * a * b;
        if (p > most) [best, most] = [k, p];
      }
      if (best !== was) { if (held > 8) window.heard.push({k: best, at: now}); was = best; held = 0; } else held++;
    }
  })();
  return stream;
};
const A = window.Audio;
window.Audio = class extends A { constructor(...a) { super(...a); window.played.push(this); } };
window.addEventListener('pointermove', (e) => {
  const r = document.querySelector('.sheet[data-page="1"]')?.getBoundingClientRect();
  if (r) window.went.push({at: e.timeStamp, x: ((e.clientX - r.left) * 595.28) / r.width, y: ((e.clientY - r.top) * 595.28) / r.width});
}, true);`

// path returns where the pointer was at a moment: on its way from one place to the next,
// where these are close in time, and else where it last was.
func path(points []place, ms float64) (x, y float64) {
	last := points[0]
	for _, p := range points[1:] {
		if p.At > ms {
			if p.At-last.At <= 250 && ms > last.At {
				share := (ms - last.At) / (p.At - last.At)
				return last.X + share*(p.X-last.X), last.Y + share*(p.Y-last.Y)
			}
			break
		}
		last = p
	}
	return last.X, last.Y
}

// A place is where the pointer was, in points, at a moment in milliseconds.
type place struct{ At, X, Y float64 }

// A talk-through is recorded with a known sequence of tones and scripted pointing. By
// the clock of the sound the pointer is where it was when each tone sounded, when it is
// replayed too: after a pause, after a jump, and at double speed.
//
// A machine that halts the browser for seconds loses sound, and then nothing can be in
// step with it: what fails is recorded anew, twice.
func TestATalkThroughIsInStep(t *testing.T) {
	for _, name := range []string{"Through", "Through again", "Through at last"} {
		late := talkThrough(t, name)
		if len(late) == 0 {
			return
		}
		t.Log(name, "is out of step:", strings.Join(late, "; "))
	}
	t.Error("three recordings were out of step")
}

// talkThrough records one and replays it, and says what was more than 100 ms late.
func talkThrough(t *testing.T, scene string) (late []string) {
	ctx := context.Background()
	sc := setSceneNamed(t, scene)
	login := strings.ReplaceAll(strings.ToLower(scene), " ", ".")
	id, assignment := sc.copies[flow.Submitted].ID, sc.copies[flow.Submitted].AssignmentID
	b, err := browser.Start(sequence(t))
	if err != nil {
		t.Fatal(err)
	}
	defer b.Stop()
	p, err := b.Tab(home.Base, 1280, 800)
	if err != nil {
		t.Fatal(err)
	}
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	press := func(selector string) func() error { return func() error { return p.Click(selector) } }
	const voice = `document.querySelector('[data-place="say"] .name').textContent === "Voice note" || (document.body.dispatchEvent(new KeyboardEvent("keydown",{key:"5",bubbles:true})), false)`
	steps(t, func() error { return p.Before(listening) }, func() error { return p.SignIn(login+".teacher", scenePassword) },
		func() error { return p.Go(fmt.Sprintf("/assignments/%d/marking?copy=%d", assignment, id)) }, p.Ready, is("voice is in hand", voice),
		func() error { return p.Press(browser.Place{Page: 1, X: 300, Y: 200}) },
		press(`[data-draft] .choice input`), press(`[data-draft] [aria-label="Record"]`),
		is("it records", `document.querySelector(".clip.live time")?.textContent >= "0:01"`))
	for i := range 24 {
		x, y, err := p.At(browser.Place{Page: 1, X: 100 + 15*float64(i), Y: 120 + 40*float64(i%5)})
		if err != nil {
			t.Fatal(err)
		}
		if err := p.Pointer("mouseMoved", "mouse", x, y, 0); err != nil {
			t.Fatal(err)
		}
		time.Sleep(180 * time.Millisecond)
	}
	steps(t, func() error {
		return p.Drag("mouse", 0.5, browser.Place{Page: 1, X: 200, Y: 300}, browser.Place{Page: 1, X: 260, Y: 330}, browser.Place{Page: 1, X: 300, Y: 300})
	}, is("a stroke stands there", `document.querySelector(".shown-stroke")?.getAttribute("d").includes("L")`),
		press(`[data-draft] [aria-label="Stop"]`), is("it vanishes", `!document.querySelector(".shown-stroke")`),
		press(`[data-draft] .dark`), is("it is kept", `document.querySelector("[data-note] .clip:not(.live)") && !document.querySelector("[data-draft]")`),
		named(p, "Type its words"), func() error { return p.Presses("Look at the pointer. Now it goes on.") }, named(p, "Keep"), shows(p, "Now it goes on."))
	axeFinds(t, p, "a note with a talk-through")

	// In the recording.
	read := func(script string, to any) {
		t.Helper()
		s, err := browser.Eval[string](p, "return JSON.stringify("+script+")")
		if err == nil {
			err = json.Unmarshal([]byte(s), to)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	var heard []change
	var went []place
	read("window.heard.map((h) => ({...h, at: h.at + window.base}))", &heard)
	read("window.went", &went)
	var v mark.Voice
	for range 50 {
		heads, err := home.Store.Heads(ctx, id, submission.Feedback(1))
		if err != nil {
			t.Fatal(err)
		}
		for _, h := range heads {
			if n, ok := h.Mark.Body.(*mark.Note); ok && n.Voice != nil {
				v = *n.Voice
			}
		}
		if v.Trail != "" {
			break
		}
		time.Sleep(100 * time.Millisecond)
	}
	fetch := func(who, hash string) []byte {
		return sc.bytes(t, who, fmt.Sprintf("/copies/%d/sounds/%s", id, hash))
	}
	shown, err := trail.Parse(fetch("teacher", v.Trail), time.Duration(v.Milliseconds)*time.Millisecond)
	if err != nil {
		t.Fatal(err)
	}
	var points []place
	strokes := 0
	for _, s := range shown.Steps {
		switch {
		case s.Point != nil && !s.Point.Off:
			points = append(points, place{float64(s.At), s.Point.X, s.Point.Y})
		case s.Begin != nil:
			strokes++
		}
	}
	in := changesIn(t, fetch("teacher", v.Sound))
	var apart []float64
	for _, c := range in {
		for _, h := range heard {
			if h.Tone == c.Tone {
				apart = append(apart, h.At-c.At)
			}
		}
	}
	// The tones come again every eight seconds: what most agree on is the way from the
	// page's clock to the sound's.
	offset, agree := 0.0, 0
	for _, o := range apart {
		n := 0
		for _, other := range apart {
			if math.Abs(other-o) < 40 {
				n++
			}
		}
		if n > agree {
			offset, agree = o, n
		}
	}
	if len(points) < 20 || strokes != 1 {
		t.Fatalf("%d places, %d strokes", len(points), strokes)
	}
	if len(in) < 8 || agree < 4 {
		return []string{fmt.Sprintf("%d tones in the sound, %d in the page, of which %d agree", len(in), len(heard), agree)}
	}
	matched, worst := 0, 0.0
	for _, pt := range points {
		nearest := math.Inf(1)
		for _, w := range went {
			if math.Hypot(w.X-pt.X, w.Y-pt.Y) < 1 {
				nearest = min(nearest, math.Abs(w.At-offset-pt.At))
			}
		}
		if nearest < 3000 {
			matched, worst = matched+1, max(worst, nearest)
		}
	}
	t.Logf("%d of %d places are known; the one furthest from its tone is %.0f ms off; the list has %d bytes for %d ms", matched, len(points), worst, len(shown.Bytes()), v.Milliseconds)
	if matched < 20 || worst > 100 {
		late = append(late, fmt.Sprintf("%d places are matched, and one is %.0f ms from the tone that sounded (%d of %d tones agree)", matched, worst, agree, len(in)))
	}

	// Replayed.
	replay := func(what string, begin ...func() error) {
		t.Helper()
		steps(t, begin...)
		var seen []place
		read(fmt.Sprintf(`await (async () => { const out = [], audio = window.played.findLast((a) => a.currentTime > 0);
			for (let i = 0; i < 900 && audio.currentTime * 1000 < %d && !audio.ended; i++) {
				await new Promise((ok) => requestAnimationFrame(ok));
				const d = document.querySelector(".pointing");
				if (d && !d.hidden && !audio.paused) out.push({at: audio.currentTime * 1000, x: parseFloat(d.style.left) * 5.9528, y: parseFloat(d.style.top) * 8.4189});
			} return out; })()`, int(points[len(points)-3].At)), &seen)
		// What is seen at a moment of the sound is where the pointer was at about that moment.
		worst, counted := 0.0, 0
		for _, s := range seen {
			if s.At < points[0].At+100 {
				continue
			}
			nearest := math.Inf(1)
			for d := -200.0; d <= 200; d += 4 {
				if x, y := path(points, s.At+d); math.Hypot(s.X-x, s.Y-y) < 5 {
					nearest = min(nearest, math.Abs(d))
				}
			}
			counted, worst = counted+1, max(worst, nearest)
		}
		t.Logf("%s: seen %d times, at most %.0f ms off", what, counted, worst)
		if counted < 20 || worst > 100 {
			late = append(late, fmt.Sprintf("%s: seen %d times, %.0f ms off", what, counted, worst))
		}
	}
	jump := func(ms float64) func() error {
		return func() error {
			_, err := browser.Eval[int](p, fmt.Sprintf(`const r=document.querySelector(".talk input"); r.value=%d; r.dispatchEvent(new Event("input",{bubbles:true})); return 1`, int(ms)))
			return err
		}
	}
	middle := points[len(points)/2].At
	going := func() error {
		_, err := browser.Eval[int](p, `if (document.querySelector(".talk .go").getAttribute("aria-label") === "Play") document.querySelector(".talk .go").click(); return 1`)
		return err
	}
	replay("played", press("[data-note] .clip .go"), is("it plays", `window.played.some((a) => a.currentTime > 0)`))
	axeFinds(t, p, "a talk-through")
	// Its words come in step with it.
	steps(t, press(`.talk [aria-label^="Words"]`), press(".talk .go"), jump(0), is("the first words stand there", `document.querySelector(".talk .told").textContent === "Look at the pointer."`),
		jump(float64(v.Milliseconds)-400), is("and then the last", `document.querySelector(".talk .told").textContent === "Now it goes on."`), going)
	replay("after a pause", jump(middle-300), going, press(".talk .go"), func() error { time.Sleep(400 * time.Millisecond); return nil }, press(".talk .go"))
	replay("after a jump back", jump(1000), going)
	replay("at double speed", press(`.talk [aria-label*="how fast"]`), press(`.talk [aria-label*="how fast"]`), press(`.talk [aria-label*="how fast"]`), is("it is twice as fast", `document.querySelector(".talk [aria-label*='how fast']").textContent === "2×"`), jump(1000), going)
	// Somebody looks elsewhere and comes back; what was drawn can be kept.
	steps(t, jump(500), going, func() error {
		_, err := browser.Eval[int](p, `document.querySelector("[data-desk]").dispatchEvent(new WheelEvent("wheel",{deltaY:200,bubbles:true})); return 1`)
		return err
	}, is("there is a way back", `[...document.querySelectorAll(".talk .button")].some((b) => b.textContent === "Back to it" && !b.hidden)`),
		func() error {
			_, err := browser.Eval[int](p, `for (const b of document.querySelectorAll(".talk .button")) b.click(); return 1`)
			return err
		},
		is("what was drawn is a mark", `document.querySelectorAll('[data-layer="feedback.1"]').length > 0`),
		press(`[aria-label="Close the talk-through"]`), is("the page is as it was", `!document.querySelector(".talk, .pointing, .shown-stroke")`))

	// The student has neither before it is returned, and both after.
	for _, hash := range []string{v.Sound, v.Trail} {
		if status, _ := sc.page(t, "student", fmt.Sprintf("/copies/%d/sounds/%s", id, hash)); status < 400 {
			t.Errorf("before Return the student gets it: %d", status)
		}
	}
	if err := home.School.Marking.Return(ctx, personOf(t, login+".teacher"), id, 1); err != nil {
		t.Fatal(err)
	}
	if !bytes.Equal(fetch("student", v.Trail), shown.Bytes()) || len(fetch("student", v.Sound)) == 0 {
		t.Error("the student has another list")
	}
	return late
}
