package e2e

import (
	"encoding/json"
	"fmt"
	"math"
	"net/http"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/chromedp/chromedp/kb"

	"readymargin/demo"
	"readymargin/e2e/browser"
)

// hearing notes, frame by frame, the clock of the sound that reads aloud and the word
// that is marked, and what the server says of the times of words.
const hearing = `
const A = window.Audio, get = window.fetch.bind(window);
window.sounds = []; window.said = []; window.frames = [];
window.Audio = class extends A { constructor(...a) { super(...a); window.sounds.push(this); } };
window.fetch = async (...a) => {
  const res = await get(...a);
  if (String(a[0]) === '/aloud') { const asked = JSON.parse(a[1].body); res.clone().json().then((s) => window.said.push({ ...s, tokens: asked.tokens.map((t) => t.t) })); }
  return res;
};
const look = () => {
  const audio = window.sounds.find((s) => s.src.includes('/aloud/'));
  if (audio && !audio.paused) {
    const r = CSS.highlights?.get('spoken'), words = r ? String([...r][0]) : null;
    window.frames.push({ at: audio.currentTime * 1000, sound: audio.src.split('/').pop(), word: document.querySelector('.spoken-word')?.dataset.word ?? '', words });
  }
  requestAnimationFrame(look);
};
requestAnimationFrame(look);`

type frame struct {
	At          float64
	Sound, Word string
	Words       *string
}

type saidAloud struct {
	Sentence  int
	Sentences [][2]int
	Sound     string
	Times     [][2]int
	Tokens    []string
}

// A sheet is read aloud on its page and in words: by the clock of the sound, 95 of a
// hundred words are marked within 150 ms of when they are said, each once and in their
// order.
func TestTheWordThatIsSaidIsMarked(t *testing.T) {
	t.Parallel()
	file, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	login, id := copyOf(t, "aloud", file, 2)
	p := tab(t, 1280, 800)
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	steps(t, func() error { return p.Before(hearing) }, func() error { return p.SignIn(login, scenePassword) },
		func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready, is("it is there in words", `document.querySelectorAll(".printed").length > 10`))
	check := func(where string, shows func(f frame, token string) bool, begin ...func() error) {
		t.Helper()
		steps(t, func() error {
			_, err := browser.Eval[bool](p, `window.frames = []; window.said = []; return true`)
			return err
		})
		steps(t, begin...)
		steps(t, is("three sentences are read", `new Set(window.frames.map((f) => f.sound)).size > 3`), func() error { return p.Key("l") }, is("it stops at once", `!document.querySelector(".reading-bar, .spoken-word")`))
		raw, err := browser.Eval[string](p, `return JSON.stringify([window.frames, window.said])`)
		if err != nil {
			t.Fatal(err)
		}
		var frames []frame
		var said []saidAloud
		if err := json.Unmarshal([]byte(raw), &[]any{&frames, &said}); err != nil {
			t.Fatal(err)
		}
		order := []string{}
		for _, f := range frames {
			if len(order) == 0 || order[len(order)-1] != f.Sound {
				order = append(order, f.Sound)
			}
		}
		words, late, worst := 0, 0, 0.0
		for _, sound := range order[:3] {
			i := slices.IndexFunc(said, func(s saidAloud) bool { return s.Sound == sound })
			if i < 0 {
				t.Fatalf("%s: nothing was asked of %s", where, sound)
			}
			s := said[i]
			for k, at := range s.Times {
				if at[0] < 0 {
					continue
				}
				token := s.Tokens[s.Sentences[s.Sentence][0]+k]
				if token == "" {
					continue // a place, which is marked itself
				}
				off := math.Inf(1)
				for _, f := range frames {
					if f.Sound == sound && shows(f, token) && f.At > float64(at[0])-400 && f.At < float64(at[1])+400 {
						off = min(off, math.Abs(f.At-float64(at[0])))
					}
				}
				if words++; off > 150 {
					late++
					t.Logf("%s: %q is marked %.0f ms from when it is said", where, token, off)
				} else {
					worst = max(worst, off)
				}
			}
		}
		t.Logf("%s: %d words, %d not within 150 ms, the others within %.0f", where, words, late, worst)
		if words < 8 || float64(late) > 0.05*float64(words) {
			t.Errorf("%s: %d of %d words are not marked within 150 ms", where, late, words)
		}
	}
	printed, err := browser.Eval[string](p, `return (await (await fetch("/sheets/" + JSON.parse(document.querySelector("#view").textContent).sheet + "/print/1")).text())`)
	if err != nil {
		t.Fatal(err)
	}
	var print struct{ Words []struct{ T string } }
	if err := json.Unmarshal([]byte(printed), &print); err != nil {
		t.Fatal(err)
	}
	check("on the page", func(f frame, token string) bool {
		var n int
		_, err := fmt.Sscan(f.Word, &n)
		return err == nil && n < len(print.Words) && print.Words[n].T == token
	}, func() error { return p.Key("l") })
	axeFinds(t, p, "after listening")
	check("in words", func(f frame, token string) bool { return f.Words != nil && *f.Words == token },
		func() error { return p.Click(`[data-do="words"]`) }, func() error { return p.Click(`.looks [data-listen="here"]`) })
}

// line lets the line of a page go, or come back.
func line(p *browser.Tab, there bool) func() error {
	return func() error {
		_, err := browser.Eval[bool](p, fmt.Sprintf(`window.lineIs ??= window.fetch; window.fetch = %v ? window.lineIs : () => Promise.reject(new TypeError("gone")); return true`, there))
		return err
	}
}

// Where the line goes while something is read, one is told, and it is read on from there
// once the line is back.
func TestTheLineGoesWhileItIsRead(t *testing.T) {
	t.Parallel()
	file, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	login, id := copyOf(t, "aloudgone", file, 2)
	p := tab(t, 1280, 800)
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	steps(t, func() error { return p.SignIn(login, scenePassword) }, func() error { return p.Go(fmt.Sprintf("/copies/%d#words", id)) }, p.Ready,
		is("it is read in words", inWords), line(p, false), func() error { return p.Click(`.looks [data-listen="here"]`) },
		is("one is told", `/There is no connection/.test(document.querySelector(".toast")?.textContent) && document.querySelector(".reading-bar")`),
		line(p, true), is("it is read", `CSS.highlights.has("spoken")`),
		func() error { return p.Key("l") }, is("it stops", `!document.querySelector(".reading-bar")`))
}

// What a class asks for in one second is said to all of them; what cannot be said is told
// as such, and nobody is answered who is not signed in.
func TestAClassListensAtOnce(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Listens")
	ask := func(body string) int {
		req, err := http.NewRequest("POST", home.Base+"/aloud", strings.NewReader(body))
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Content-Type", "application/json")
		req.Header.Set("Accept", "application/json")
		req.Header.Set("Origin", home.Base)
		res, err := sc.people["student"].Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		return res.StatusCode
	}
	const passage = `{"tokens":[{"t":"The"},{"t":"range"},{"t":"is"},{"t":"4.5","p":true},{"t":"m."}],"lang":"en"}`
	var all sync.WaitGroup
	for range 300 {
		all.Go(func() {
			if code := ask(passage); code != http.StatusOK {
				t.Errorf("one of three hundred: %d", code)
			}
		})
	}
	all.Wait()
	for name, c := range map[string]struct {
		body string
		want int
	}{
		"no language that there is":      {`{"tokens":[{"t":"hello"}],"lang":"tlh"}`, 422},
		"the device says it":             {`{"tokens":[{"t":"hello"}],"lang":"tlh","own":true}`, 200},
		"nothing":                        {`{"tokens":[]}`, 422},
		"nothing that is said":           {`{"tokens":[{"t":"____"}]}`, 422},
		"a sentence that is not":         {`{"tokens":[{"t":"hello"}],"lang":"en","sentence":9}`, 422},
		"before the first":               {`{"tokens":[{"t":"hello"}],"lang":"en","sentence":-1}`, 422},
		"no JSON":                        {`{`, 422},
		"too much":                       {`{"tokens":[{"t":"` + strings.Repeat("a", 5000) + `"}],"lang":"en"}`, 422},
		"a sign of the end":              {`{"tokens":[{"t":"a\u0000b"}],"lang":"en"}`, 422},
		"where the language is not said": {`{"tokens":[{"t":"Der"},{"t":"Turm"},{"t":"ist"},{"t":"nicht"},{"t":"weit"}]}`, 200},
	} {
		if code := ask(c.body); code != c.want {
			t.Errorf("%s: %d, want %d", name, code, c.want)
		}
	}
}

// aVoice gives a browser a voice of its own that needs no line, as Chromium in tests has
// none: it says a word every 60 milliseconds, and tells of each.
const aVoice = `
window.spoken = [];
const local = {lang: "en-GB", localService: true, name: "Of this device"}, line = {lang: "en-GB", localService: false, name: "Of a line"};
window.SpeechSynthesisUtterance = class extends EventTarget { constructor(text) { super(); this.text = text } };
let now = null;
Object.defineProperty(window, "speechSynthesis", {value: {paused: false, getVoices: () => [line, local],
  cancel() { clearInterval(now); this.paused = false },
  pause() { this.paused = true }, resume() { this.paused = false },
  speak(u) {
    window.spoken.push({text: u.text, rate: u.rate, local: u.voice === local});
    const words = [...u.text.matchAll(/\S+/g)].map((m) => m.index);
    clearInterval(now);
    now = setInterval(() => {
      if (this.paused) return;
      if (words.length) u.dispatchEvent(Object.assign(new Event("boundary"), {charIndex: words.shift()}));
      else { clearInterval(now); u.dispatchEvent(new Event("end")) }
    }, 60);
  }}});
`

// Who prefers a voice of their device is read to by it, with the words marked as it says
// them; no sound is asked of the school. A voice that needs a line is never taken.
func TestTheVoiceOfTheDevice(t *testing.T) {
	t.Parallel()
	file, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	login, id := copyOf(t, "ownvoice", file, 2)
	p := tab(t, 1280, 800)
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	sounds := `new Set(performance.getEntriesByType("resource").map((e) => e.name).filter((n) => /\/aloud\/[0-9a-f]{64}/.test(n))).size`
	steps(t, func() error { return p.Before(aVoice) }, func() error { return p.SignIn(login, scenePassword) },
		func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready, is("it is there in words", `document.querySelectorAll(".printed").length > 10`),
		func() error { return p.Key("l") }, is("the school reads, and the device's voice is offered", `document.querySelector("[data-voices]")?.checkVisibility() && !window.spoken.length`),
		func() error {
			_, err := browser.Eval[bool](p, `const v=document.querySelector("[data-voices]"); v.value="own"; v.dispatchEvent(new Event("change")); return true`)
			return err
		},
		is("the device reads", `window.spoken.length > 0 && window.spoken.every((s) => s.local && s.rate === 1)`),
		is("the word that it says is marked", `document.querySelector(".spoken-word[data-word]")`), is("it goes on by itself", `window.spoken.length > 2`))
	axeFinds(t, p, "read by the device")
	steps(t, func() error { return p.Click("[data-pause]") }, is("it rests", `window.speechSynthesis.paused && document.querySelector("[data-pause]").textContent === "Go on"`),
		func() error { return p.Click("[data-pause]") }, is("it goes on", `!window.speechSynthesis.paused`),
		is("no sound is asked of the school but the first", sounds+` <= 1`), func() error { return p.Key(kb.Escape) }, is("it stops at once", `!document.querySelector(".reading-bar, .spoken-word")`))
	said, err := browser.Eval[string](p, `return window.spoken.map((s) => s.text).join(" ")`)
	if err != nil || !strings.Contains(said, "Tide heights 2") {
		t.Errorf("it has said %q, %v", said, err)
	}
}
