package pocketsphinx

import (
	"context"
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"readymargin/core/aloud"
	"readymargin/core/speech"
	"readymargin/core/speech/speechtest"
)

// The demo's sheet, its expected answers, and what is said.
var (
	printed = []string{"Tide heights 2", "Coastal Navigation 1 · Skerrymouth Evening College", "1. Read the extract for Skerry Sound and fill in the table. Heights are above chart datum.",
		"On 14 March low water falls at 05:12 (0.9 m) and high water at 11:30 (5.4 m). Entering from the north, keep clear of the Carrick rocks, which dry 1.2 m, and of the overfalls west of the light. The white tower leads in on 214°. The depth over the sill is 2.1 m at datum.",
		"Time Height of tide Depth over the sill 05:12 08:20 11:30", "2. The range of the tide is m, so this is a tide.", "3. Circle the mark that you leave to port when entering.", "4. Mark in the text above: dangers orange, sea marks green, depths blue.",
		"5. Explain in your own words why the depth changes fastest in the third hour."}
	answers   = []string{"4.5 m", "spring", "3.0 m", "1.3 m", "the water rises fastest in the third hour"}
	sentences = []string{"four point five metres", "nine decimetres", "eight twenty", "two point one metres", "spring", "the white tower", "the tide rises fastest in the third hour",
		"one point two metres", "keep clear of the Carrick rocks", "eleven thirty", "minus zero point nine", "two hundred and fourteen degrees", "three metres", "seven point five metres", "the depth over the sill is three point four metres"}
)

// spoken is a sentence by one of flite's voices.
func spoken(t testing.TB, voice, text string) []byte {
	t.Helper()
	to := filepath.Join(t.TempDir(), "said.wav")
	if out, err := exec.Command("flite", "-voice", voice, "-t", text, "-o", to).CombinedOutput(); err != nil {
		t.Fatalf("%v: %s (apt-get install flite)", err, out)
	}
	b, err := os.ReadFile(to)
	if err != nil {
		t.Fatal(err)
	}
	return b
}

// wrong returns how many words have to change for what is heard of all sentences to be
// what was said (the word error rate's upper part), of how many.
func wrong(t *testing.T, voice string, about speech.Sound) (n, of int) {
	for _, s := range sentences {
		about.Data, about.Type, about.Language = spoken(t, voice, strings.ReplaceAll(s, "metres", "meters")), "audio/wav", "en" // which flite says as one word of two
		ws, err := Recogniser{}.Recognise(context.Background(), about)
		if err == nil {
			err = speech.Check(ws, time.Minute)
		}
		if err != nil {
			t.Fatalf("%v (%s)", err, Install)
		}
		var heard []string
		for _, w := range ws {
			heard = append(heard, w.Text)
		}
		want := strings.Fields(strings.ToLower(s))
		if d := speech.Wrong(want, heard); d > 0 {
			n += d
			t.Logf("%s: %q for %q", voice, strings.Join(heard, " "), s)
		}
		of += len(want)
	}
	return n, of
}

// With the words of the sheet it hears voices that it does not know, and better than
// without them.
func TestItHearsWhatTheSheetIsAbout(t *testing.T) {
	with := speech.Sound{Printed: printed, Answers: answers}
	for _, voice := range []string{"slt", "awb"} {
		n, of := wrong(t, voice, with)
		if t.Logf("%s, with the words of the sheet: %d of %d wrong", voice, n, of); n*4 > of {
			t.Errorf("%s: %d of %d words are wrong", voice, n, of)
		}
		if voice == "slt" {
			if bare, _ := wrong(t, voice, speech.Sound{}); bare <= n {
				t.Errorf("without the words of the sheet %d are wrong, with them %d", bare, n)
			}
		}
	}
}

// Words said one by one are where they were said.
func TestItKeepsWhatEveryRecogniserKeeps(t *testing.T) {
	const rate, pause = 16000, 400 // samples a second, milliseconds
	says := []string{"seven", "point", "three", "kilometers"}
	samples := make([]byte, 2*rate*pause/1000)
	var where []speech.Word
	for _, w := range says {
		raw := filepath.Join(t.TempDir(), "word.wav")
		if err := os.WriteFile(raw, spoken(t, "slt", w), 0o600); err != nil {
			t.Fatal(err)
		}
		// Without the silence before and behind it.
		cut := "silenceremove=start_periods=1:start_threshold=-45dB,areverse,silenceremove=start_periods=1:start_threshold=-45dB,areverse"
		pcm, err := exec.Command("ffmpeg", "-v", "error", "-nostdin", "-i", raw, "-af", cut, "-ar", "16000", "-ac", "1", "-f", "s16le", "-").Output()
		if err != nil {
			t.Fatalf("ffmpeg (apt-get install ffmpeg): %v", err)
		}
		from := len(samples) * 1000 / 2 / rate
		samples = append(samples, pcm...)
		where = append(where, speech.Word{Text: strings.Replace(w, "meters", "metres", 1), From: from, To: len(samples) * 1000 / 2 / rate})
		samples = append(samples, make([]byte, 2*rate*pause/1000)...)
	}
	lasts := time.Duration(len(samples)/2) * time.Second / rate
	speechtest.Conform(t, Recogniser{}, []speechtest.Sample{{Name: "words", Sound: aloud.WAV(samples, rate), Type: "audio/wav", Lasts: lasts, Says: where}},
		speechtest.Sample{Name: "silence", Sound: aloud.WAV(make([]byte, 2*rate), rate), Type: "audio/wav", Lasts: time.Second})
	if _, err := (Recogniser{}).Recognise(context.Background(), speech.Sound{Data: aloud.WAV(samples, rate), Language: "de-AT"}); !errors.Is(err, speech.ErrLanguage) {
		t.Errorf("German: %v", err)
	}
}

// Names that no dictionary has are pronounced, and what sounds alike is offered.
func TestNamesAreKnown(t *testing.T) {
	all, err := pronunciations()
	if err != nil {
		t.Fatalf("%v (%s)", err, Install)
	}
	some, err := all.of(context.Background(), []string{"tide", "time", "spring", "skerrymouth", "carrick", "the"})
	if err != nil {
		t.Fatalf("%v (%s)", err, Install)
	}
	if got := strings.Join(some["skerrymouth"][0], " "); got != "S K EH R IH M AH TH" {
		t.Errorf("Skerrymouth is %s", got)
	}
	if like := some.like("tide"); len(like) != 1 || like[0] != "time" {
		t.Errorf("like tide sounds %q", like)
	}
	if ws := parse([]byte("a tide\n<s> 0.1 0.2 1.0\nthe(2) 0.35 0.50 1.0001\n[SPEECH] 1 2 3\ntide 0.60 1.00 0.5\n")); len(ws) != 2 || ws[0].From != 50 || ws[1].To != 700 || ws[0].Certainty != 1 {
		t.Errorf("its answer is read as %+v", ws)
	}
}
