// Package recogniser stands in for a program that writes down what is said, on this
// machine: of speech it knows nothing, but a few tones mean words to it. What it hears
// beside them it takes for a word that it does not know.
package recogniser

import (
	"bytes"
	"context"
	"encoding/binary"
	"encoding/json"
	"io"
	"math"
	"net/http"
	"os/exec"
	"time"

	"readymargin/core/aloud"
	"readymargin/core/speech"
)

// Tones are the words that it knows, by their pitch in hertz.
var Tones = map[float64]string{400: "the", 500: "tide", 600: "ebbs", 700: "floods", 800: "at", 900: "spring", 1000: "neap"}

// Unknown stands for what it does not know.
const Unknown = "word"

const (
	rate   = 8000
	window = rate / 50 // samples, 20 ms
	quiet  = 0.01      // of full scale, below which nothing is said
	least  = 4         // windows that a word lasts at least
)

// Handler answers with the words of a sound.
func Handler() http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method != http.MethodPost {
			http.Error(w, "a sound is posted", http.StatusMethodNotAllowed)
			return
		}
		sound, err := io.ReadAll(http.MaxBytesReader(w, r.Body, 64<<20))
		if err != nil {
			http.Error(w, err.Error(), http.StatusRequestEntityTooLarge)
			return
		}
		samples, err := decoded(r.Context(), sound)
		if err != nil || len(samples) == 0 {
			http.Error(w, "no sound", http.StatusUnprocessableEntity)
			return
		}
		w.Header().Set("Content-Type", "application/json")
		json.NewEncoder(w).Encode(map[string]any{"words": heard(samples)})
	})
}

// decoded returns the samples of a sound, of full scale 1.
func decoded(ctx context.Context, sound []byte) ([]float64, error) {
	ctx, cancel := context.WithTimeout(ctx, time.Minute)
	defer cancel()
	cmd := exec.CommandContext(ctx, "ffmpeg", "-v", "error", "-protocol_whitelist", "pipe", "-i", "pipe:0", "-ac", "1", "-ar", "8000", "-f", "s16le", "pipe:1")
	cmd.Stdin = bytes.NewReader(sound)
	raw, err := cmd.Output()
	if err != nil {
		return nil, err
	}
	out := make([]float64, len(raw)/2)
	for i := range out {
		out[i] = float64(int16(binary.LittleEndian.Uint16(raw[2*i:]))) / 32768
	}
	return out, nil
}

// heard returns the words in samples.
func heard(samples []float64) []speech.Word {
	words := []speech.Word{}
	now, since, sure := "", 0, 0.0
	end := func(at int) {
		if now != "" && at-since >= least {
			words = append(words, speech.Word{Text: now, From: since * 20, To: at * 20, Certainty: math.Round(100*sure/float64(at-since)) / 100})
		}
		now, sure = "", 0
	}
	n := len(samples) / window
	for i := range n {
		word, certain := wordOf(samples[i*window : (i+1)*window])
		if word != now {
			end(i)
			now, since = word, i
		}
		sure += certain
	}
	end(n)
	return words
}

// wordOf returns the word of a moment, and how certain it is; "" for silence.
func wordOf(x []float64) (word string, certain float64) {
	power := 0.0
	for _, v := range x {
		power += v * v
	}
	power /= float64(len(x))
	if math.Sqrt(power) < quiet {
		return "", 0
	}
	best, most := Unknown, 0.0
	for f, w := range Tones {
		if p := goertzel(x, f/rate); p > most {
			best, most = w, p
		}
	}
	// Of a pure tone all power is in its own frequency: n²/4 of its amplitude squared.
	share := most / (power * float64(len(x)) * float64(len(x)) / 2)
	if share < 0.5 {
		return Unknown, 0.2
	}
	return best, math.Min(share, 1)
}

// goertzel returns the power of a frequency, in cycles a sample (Goertzel 1958, from memory).
func goertzel(x []float64, f float64) float64 {
	c := 2 * math.Cos(2*math.Pi*f)
	a, b := 0.0, 0.0
	for _, v := range x {
		a, b = v+c*a-b, a
	}
	return a*a + b*b - c*a*b
}

// TideFloods returns a sound, as WAV, in which "tide floods" is heard.
func TideFloods() []byte {
	const rate = 48000
	var pcm []byte
	for _, part := range []struct{ hertz, seconds float64 }{{500, 0.6}, {0, 0.4}, {700, 0.6}, {0, 0.8}} {
		for i := range int(part.seconds * rate) {
			v := 8000 * math.Sin(2*math.Pi*part.hertz*float64(i)/rate)
			pcm = binary.LittleEndian.AppendUint16(pcm, uint16(int16(v)))
		}
	}
	return aloud.WAV(pcm, rate)
}
