package voice

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"unicode/utf8"

	"readymargin/core/aloud"
	"readymargin/core/aloud/aloudtest"
	"readymargin/core/caption"
	"readymargin/voice/child"
)

// TestMain lets the test program be the child that loads the library.
func TestMain(m *testing.M) {
	if len(os.Args) > 1 && os.Args[1] == "voice" {
		if err := child.Serve(os.Stdin, os.Stdout); err != nil {
			os.Exit(1)
		}
		return
	}
	os.Exit(m.Run())
}

func engine() Program { return Program{Command: []string{os.Args[0], "voice"}} }

// Four languages are said by the libraries that Debian carries.
func TestTheVoicesConform(t *testing.T) {
	aloudtest.Conform(t, engine(), map[string]string{
		"en":    "The white tower leads in on a bearing, and then the water is deep.",
		"en-US": "The white tower leads in.",
		"en-GB": "At 08:20 it doesn’t stand at 4.5 metres (or 1,250 feet), “well-known” marks, 214 degrees, say so; “yes”!",
		"de":    "Der weiße Turm zeigt den Weg, und dann wird das Wasser tief.",
		"fr":    "La tour blanche montre le chemin.",
		"es":    "La torre blanca muestra el camino.",
	})
}

// What the child answers is believed no more than any stranger; one that is not there, or
// says nothing, is told as such.
func TestAnEngineThatFails(t *testing.T) {
	for name, program := range map[string][]string{
		"not there": {"/no/such/program"}, "says nothing": {"true"}, "fails": {"false"}, "says something else": {"echo", "hello"},
		"cut off": {"echo", `{"words":[],"bytes":900}`}, "an error of its own": {"echo", `{"error":"no data"}`},
	} {
		if _, err := (Program{Command: program}).Say(context.Background(), "hello", "en"); !errors.Is(err, aloud.ErrAway) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// counting counts how often it is asked.
type counting struct {
	aloud.Engine
	asked atomic.Int32
}

func (c *counting) Say(ctx context.Context, text, language string) (aloud.Speech, error) {
	c.asked.Add(1)
	return c.Engine.Say(ctx, text, language)
}

// A class of three hundred that listens to one sentence has it made once; it is as long
// as what was said, and found again by another process. Who goes away leaves the others.
func TestAClassListens(t *testing.T) {
	once := &counting{Engine: engine()}
	dir := t.TempDir()
	shelf, err := NewShelf(once, dir)
	if err != nil {
		t.Fatal(err)
	}
	const text = "The range of the tide is four and a half metres."
	gone, leave := context.WithCancel(context.Background())
	go func() { shelf.Say(gone, text, "en") }()
	leave()
	var all sync.WaitGroup
	keys := make([]string, 300)
	for i := range keys {
		all.Go(func() {
			key, words, err := shelf.Say(context.Background(), text, "en")
			if err != nil || len(words) != 11 {
				t.Errorf("%d words, %v", len(words), err)
			}
			keys[i] = key
		})
	}
	all.Wait()
	if n := once.asked.Load(); n != 1 {
		t.Errorf("it is made %d times", n)
	}
	again, err := NewShelf(once, dir)
	if err != nil {
		t.Fatal(err)
	}
	key, words, err := again.Say(context.Background(), text, "en")
	if err != nil || key != keys[0] || once.asked.Load() != 1 {
		t.Errorf("another process: %v, asked %d times", err, once.asked.Load())
	}
	f, err := again.Open(key)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	sound, err := io.ReadAll(f)
	if err != nil {
		t.Fatal(err)
	}
	probe := exec.Command("ffprobe", "-v", "error", "-show_entries", "format=duration", "-of", "csv=p=0", "-")
	probe.Stdin = strings.NewReader(string(sound))
	out, err := probe.Output()
	if err != nil {
		t.Fatalf("ffprobe (apt-get install ffmpeg): %v", err)
	}
	var seconds float64
	if _, err := fmt.Sscan(string(out), &seconds); err != nil || seconds < float64(words[len(words)-1].To)/1000-0.05 || seconds > float64(words[len(words)-1].To)/1000+0.2 {
		t.Errorf("it lasts %v s, and its last word ends at %d ms", seconds, words[len(words)-1].To)
	}
	for _, wrong := range []string{"", "../voice.go", strings.Repeat("0", 64), keys[0] + "00", keys[0] + ".json"} {
		if _, err := again.Open(wrong); !errors.Is(err, ErrGone) {
			t.Errorf("%q: %v", wrong, err)
		}
	}
	// A program that died between the sound and its words leaves nothing that misleads.
	if err := os.Remove(again.path(key) + ".json"); err != nil {
		t.Fatal(err)
	}
	if _, words, err := again.Say(context.Background(), text, "en"); err != nil || len(words) != 11 || once.asked.Load() != 2 {
		t.Errorf("after a loss: %v, asked %d times", err, once.asked.Load())
	}
}

// Captions begin within a second of the words that they begin with, as the engine that
// says them tells, with nothing to go by but the loudness along the way.
func TestCaptionsAreInStep(t *testing.T) {
	for language, text := range map[string]string{
		"en": "Look at the table first. Low water falls at twelve minutes past five, and high water at half past eleven, so the tide rises for more than six hours. The depth over the sill is not the height of the tide! You have to add what is there at chart datum. Try the second row again, and then have a look at question three.",
		"de": "Sieh dir zuerst die Tabelle an. Bei Niedrigwasser ist es am Ufer ganz flach, und erst nach sechs Stunden steht das Wasser wieder so hoch wie vorher. Die Tiefe ist nicht die Höhe der Gezeit! Versuche die zweite Zeile noch einmal.",
	} {
		s, err := engine().Say(context.Background(), text, language)
		if err != nil {
			t.Fatal(err)
		}
		samples, rate, err := aloud.Samples(s.WAV)
		if err != nil {
			t.Fatal(err)
		}
		const steps = 256
		peaks, loud := make([]int, steps), 0
		for i := range len(samples) / 2 {
			v := int(int16(binary.LittleEndian.Uint16(samples[2*i:])))
			k := i * steps / (len(samples) / 2)
			peaks[k], loud = max(peaks[k], v, -v), max(loud, v, -v)
		}
		for i := range peaks {
			peaks[i] = peaks[i] * 100 / loud
		}
		cues := caption.Cues(text, peaks, len(samples)/2*1000/rate)
		if got := len(cues); got < 4 {
			t.Errorf("%s: %d captions", language, got)
		}
		at, before := 0, 0
		for _, c := range cues {
			at += strings.Index(text[at:], c.Text[:4])
			begins, nearest := -1, -1
			for _, m := range s.Words {
				if m.Letter > nearest && m.Letter <= utf8.RuneCountInString(text[:at]) {
					begins, nearest = m.From, m.Letter
				}
			}
			if off := c.From - begins; off < -1000 || off > 1000 || c.To < c.From || c.From < before || len(c.Text) > 100 {
				t.Errorf("%s: %q from %d to %d ms, is said at %d", language, c.Text, c.From, c.To, begins)
			}
			before = c.To
			at++
		}
	}
}
