package recogniser

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"math"
	"net/http"
	"net/http/httptest"
	"os/exec"
	"testing"
	"time"

	"readymargin/core/recording"
	"readymargin/core/speech"
	"readymargin/core/speech/speechtest"
	client "readymargin/recogniser"
	"readymargin/sound"
)

// spoken is a WAV of tones of 400 ms, each followed by 200 ms of silence; 0 is silence.
func spoken(t *testing.T, tones ...float64) []byte {
	t.Helper()
	const rate = 48000
	var raw []byte
	for _, f := range tones {
		for i := range rate * 6 / 10 {
			v := 0.0
			if i < rate*4/10 {
				v = 8000 * math.Sin(2*math.Pi*f*float64(i)/rate)
			}
			raw = binary.LittleEndian.AppendUint16(raw, uint16(int16(v)))
		}
	}
	cmd := exec.Command("ffmpeg", "-v", "error", "-f", "s16le", "-ar", "48000", "-ac", "1", "-i", "-", "-f", "wav", "-")
	cmd.Stdin = bytes.NewReader(raw)
	out, err := cmd.Output()
	if err != nil {
		t.Fatalf("ffmpeg (apt-get install ffmpeg): %v", err)
	}
	return out
}

func said(words ...string) (out []speech.Word) {
	for i, w := range words {
		out = append(out, speech.Word{Text: w, From: 600 * i, To: 600*i + 400, Certainty: 0.5})
	}
	return out
}

// The stand-in keeps what every recogniser keeps, as what the school keeps and as it was
// recorded.
func TestTheStandInConforms(t *testing.T) {
	s := httptest.NewServer(Handler())
	defer s.Close()
	r, err := client.New(s.URL)
	if err != nil {
		t.Fatal(err)
	}
	wav := spoken(t, 400, 500, 600, 800, 900)
	clip, err := sound.Ffmpeg{}.Normalise(context.Background(), wav, time.Minute, recording.Cut{})
	if err != nil {
		t.Fatal(err)
	}
	words := said("the", "tide", "ebbs", "at", "spring")
	speechtest.Conform(t, r, []speechtest.Sample{
		{Name: "a recording", Sound: wav, Type: "audio/wav", Lasts: 3 * time.Second, Says: words},
		{Name: "as it is kept", Sound: clip.Data, Type: recording.MediaType, Lasts: 3 * time.Second, Says: words},
		{Name: "the same word twice", Sound: spoken(t, 700, 700), Type: "audio/wav", Lasts: 1200 * time.Millisecond, Says: said("floods", "floods")},
	}, speechtest.Sample{Name: "silence", Sound: spoken(t, 0, 0), Type: "audio/wav", Lasts: 1200 * time.Millisecond})
}

func TestARecogniserThatIsAway(t *testing.T) {
	for name, h := range map[string]http.HandlerFunc{
		"answers nonsense": func(w http.ResponseWriter, _ *http.Request) { w.Write([]byte("<html>")) },
		"fails":            func(w http.ResponseWriter, _ *http.Request) { http.Error(w, "no", http.StatusBadGateway) },
	} {
		s := httptest.NewServer(h)
		r, err := client.New(s.URL)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := r.Recognise(context.Background(), speech.Sound{Data: []byte("sound"), Type: "audio/wav"}); !errors.Is(err, speech.ErrAway) {
			t.Errorf("one that %s: %v", name, err)
		}
		s.Close()
		if _, err := r.Recognise(context.Background(), speech.Sound{Data: []byte("sound"), Type: "audio/wav"}); !errors.Is(err, speech.ErrAway) {
			t.Errorf("one that is not there: %v", err)
		}
	}
	if _, err := client.New("somewhere"); err == nil {
		t.Error("an address that is none is taken")
	}
}
