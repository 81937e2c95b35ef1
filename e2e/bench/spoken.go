package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"sync"
	"time"

	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/core/trail"
	"readymargin/e2e/browser"
	"readymargin/e2e/house"
	"readymargin/school/intake"
)

// minutes is how long the talk-through is that is measured.
const minutes = 10

// talk makes a talk-through of ten minutes, as a browser records one: sound in WebM, and
// its list, with pointing twenty times a second and a stroke every three seconds.
func talk() (sound, list []byte, err error) {
	dir, err := os.MkdirTemp("", "bench-talk-*")
	if err != nil {
		return nil, nil, err
	}
	defer os.RemoveAll(dir)
	out := filepath.Join(dir, "talk.webm")
	// Noise that swells and falls like sentences do, so that there is something to measure and to pack.
	voice := fmt.Sprintf("anoisesrc=c=pink:a=0.4:d=%d,volume='0.15+0.85*pow(sin(PI*t/2.3),2)':eval=frame,lowpass=f=3400", minutes*60)
	if b, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", voice, "-ac", "1", "-ar", "48000", "-c:a", "libopus", "-b:a", "64k", out).CombinedOutput(); err != nil {
		return nil, nil, fmt.Errorf("ffmpeg (apt-get install ffmpeg): %w: %s", err, b)
	}
	var t trail.Trail
	t.Steps = append(t.Steps, trail.Step{View: &trail.View{Page: 1, X: 300, Y: 400, Zoom: 1}})
	for ms := 0; ms < minutes*60_000; ms += 50 {
		a := float64(ms) / 900
		x, y := math.Round(10*(300+200*math.Sin(a)))/10, math.Round(10*(400+250*math.Cos(a/1.7)))/10
		t.Steps = append(t.Steps, trail.Step{At: ms, Point: &trail.Point{Page: 1, X: x, Y: y}})
		switch {
		case ms%3000 == 0:
			t.Steps = append(t.Steps, trail.Step{At: ms, Begin: &trail.Begin{Page: 1, Color: "#c22f20", Width: 2}})
		case ms%3000 < 1000:
			t.Steps = append(t.Steps, trail.Step{At: ms, Draw: &trail.Draw{x, y}})
		}
	}
	if sound, err = os.ReadFile(out); err != nil {
		return nil, nil, err
	}
	list, err = json.Marshal(t)
	return sound, list, err
}

// spoken: a talk-through of ten minutes with drawing: its size, how long it takes to be
// taken in and to be opened, what the tab holds; and thirty of them sent at once.
func (b *bench) spoken() ([]line, error) {
	sound, list, err := talk()
	if err != nil {
		return nil, err
	}
	crowd, err := b.crowd("Talk", 30)
	if err != nil {
		return nil, err
	}
	reference, err := median(1, func() error {
		cmd := exec.Command("ffmpeg", "-v", "error", "-i", "-", "-c:a", "libopus", "-b:a", "32k", "-f", "webm", "-")
		cmd.Stdin = bytes.NewReader(sound)
		_, err := cmd.Output()
		return err
	})
	if err != nil {
		return nil, err
	}
	first := crowd.Seats[0]
	began := time.Now()
	v, err := b.house.School.Attachments.AddVoice(b.ctx, first.Person, first.Copy, submission.Work, intake.Recorded{Data: sound, Trail: list})
	if err != nil {
		return nil, err
	}
	took := float64(time.Since(began).Milliseconds())
	kept, err := b.house.Store.Blob(b.ctx, v.Sound)
	if err != nil {
		return nil, err
	}
	shown, err := b.house.Store.Blob(b.ctx, v.Trail)
	if err != nil {
		return nil, err
	}
	lines := []line{
		{fmt.Sprintf("a talk-through of %d minutes: its list, a minute", minutes), float64(len(shown)) / 1024 / minutes, 0, "KB", 99, false, ""},
		{"its sound, a minute", float64(len(kept)) / 1024 / minutes, 0, "KB", 300, false, ""},
		{"it is taken in: measured, made as loud as others, packed", took, reference, "ms", 2.5, false, "ffmpeg packs it once"},
	}
	m := mark.Mark{ID: "bench-talk-through", Page: 1, Body: &mark.Note{At: [2]float64{300, 300}, Voice: &v}}
	if _, err := b.house.School.Saving.Save(b.ctx, first.Person, first.Copy, submission.Work, []submission.Op{{ID: "op-bench-talk", On: m.ID, Mark: &m}}); err != nil {
		return nil, err
	}
	more, err := b.listened(first)
	if err != nil {
		return nil, err
	}
	lines = append(lines, more...)
	more, err = b.thirty(crowd, sound, list)
	return append(lines, more...), err
}

// listened opens the copy and plays the talk-through.
func (b *bench) listened(seat house.Seat) ([]line, error) {
	web, err := browser.Start("")
	if err != nil {
		return nil, err
	}
	defer web.Stop()
	t, err := web.Tab(b.house.Base, 1280, 800)
	if err != nil {
		return nil, err
	}
	defer t.Close()
	if err := t.Cookie(house.Cookie, seat.Session); err != nil {
		return nil, err
	}
	if err := t.Go(fmt.Sprintf("/copies/%d", seat.Copy)); err != nil {
		return nil, err
	}
	if err := t.Ready(); err != nil {
		return nil, err
	}
	ms, err := browser.Eval[float64](t, `const t = performance.now(); document.querySelector("[data-note] .clip .go").click();
		for (;;) { const b = document.querySelector(".talk"); if (b && +b.dataset.at > 0) return performance.now() - t; await new Promise((r) => requestAnimationFrame(r)); }`)
	if err != nil {
		return nil, err
	}
	jump, err := browser.Eval[float64](t, `const t = performance.now(), l = document.querySelector(".talk input"); l.value = 540000; l.dispatchEvent(new Event("input"));
		for (;;) { if (+document.querySelector(".talk").dataset.at >= 540000) return performance.now() - t; await new Promise((r) => requestAnimationFrame(r)); }`)
	if err != nil {
		return nil, err
	}
	time.Sleep(2 * time.Second)
	mb, err := heaviest(web.Process().Pid)
	return []line{
		{"it plays after a press", ms, 0, "ms", 800, false, ""},
		{"a jump to its ninth minute shows what stood there", jump, 0, "ms", 300, false, ""},
		{"the tab that plays it", mb, 0, "MB", 250, false, ""},
	}, err
}

// thirty sends thirty of them at once, while others open their start page.
func (b *bench) thirty(crowd house.Crowd, sound, list []byte) ([]line, error) {
	client := &http.Client{}
	defer client.CloseIdleConnections()
	page := func() error { _, err := crowd.Seats[0].Get(client, "/to-do"); return err }
	alone, err := median(15, page)
	if err != nil {
		return nil, err
	}
	var all sync.WaitGroup
	errs := make([]error, len(crowd.Seats))
	began := time.Now()
	done := make(chan struct{})
	for i, s := range crowd.Seats {
		all.Go(func() {
			status, answer, err := s.Speak(client, sound, list)
			if err == nil && status != http.StatusCreated {
				err = fmt.Errorf("%d: %.200s", status, answer)
			}
			errs[i] = err
		})
	}
	go func() { all.Wait(); close(done) }()
	var meanwhile []float64
	for sent := false; !sent; {
		t := time.Now()
		if err := page(); err != nil {
			return nil, err
		}
		meanwhile = append(meanwhile, float64(time.Since(t).Microseconds())/1000)
		select {
		case <-done:
			sent = true
		case <-time.After(200 * time.Millisecond):
		}
	}
	lost := 0
	for i, err := range errs {
		if err != nil {
			fmt.Println("not taken:", i, err)
			lost++
		}
	}
	return []line{
		{fmt.Sprintf("of %d sent at once, not kept", len(errs)), float64(lost), 0, "", 0, false, ""},
		{"all of them are taken in", time.Since(began).Seconds(), 0, "s", 240, false, ""},
		{"a start page meanwhile, median", middle(meanwhile), alone, "ms", 8, false, "alone"},
		{"a start page meanwhile, p99", percentile(meanwhile, 0.99), 0, "ms", 1500, false, ""},
	}, nil
}
