package sound

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"readymargin/core/recording"
)

// tone makes a recording with ffmpeg's own tone generator: a second of 440 Hz
// at an eighth of full scale, then a second of silence.
func tone(t *testing.T, args ...string) []byte {
	t.Helper()
	out := filepath.Join(t.TempDir(), "tone")
	base := []string{"-loglevel", "error", "-f", "lavfi", "-i", "sine=frequency=440:duration=1,apad=pad_dur=1"}
	cmd := exec.Command("ffmpeg", append(append(base, args...), out)...)
	if b, err := cmd.CombinedOutput(); err != nil {
		t.Fatalf("ffmpeg (apt-get install ffmpeg): %v: %s", err, b)
	}
	b, err := exec.Command("cat", out).Output()
	if err != nil {
		t.Fatal(err)
	}
	return b
}

func TestEveryRecordingBecomesOpusOfTheSameLength(t *testing.T) {
	for name, args := range map[string][]string{
		"webm": {"-c:a", "libopus", "-f", "webm"},
		"ogg":  {"-c:a", "libopus", "-f", "ogg"},
		"mp4":  {"-c:a", "aac", "-f", "mp4"},
		"wav":  {"-f", "wav"},
	} {
		clip, err := Ffmpeg{}.Normalise(context.Background(), tone(t, args...), time.Minute, recording.Cut{})
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		if clip.Milliseconds < 1950 || clip.Milliseconds > 2100 {
			t.Errorf("%s: %d ms, want 2000", name, clip.Milliseconds)
		}
		if early, late := clip.Peaks[10], clip.Peaks[recording.PeakCount-10]; early < 10 || early > 25 || late > 1 {
			t.Errorf("%s: peaks %d and %d, want 15 and 0", name, early, late)
		}
		probe := exec.Command("ffprobe", "-v", "error", "-show_entries", "stream=codec_name,channels:format=duration", "-of", "csv=p=0", "-")
		probe.Stdin = strings.NewReader(string(clip.Data))
		got, err := probe.Output()
		if err != nil || !strings.HasPrefix(string(got), "opus,1\n2.0") {
			t.Errorf("%s: ffprobe says %q (%v), want opus, one channel, 2.0 s", name, got, err)
		}
	}
}

func TestBadRecordings(t *testing.T) {
	long := tone(t, "-c:a", "libopus", "-f", "webm")
	for _, c := range []struct {
		name string
		b    []byte
		most time.Duration
		cut  recording.Cut
		want error
	}{
		{"too long", long, time.Second, recording.Cut{}, recording.ErrTooLong},
		{"not a recording", []byte("hello"), time.Minute, recording.Cut{}, recording.ErrUnreadable},
		{"cut off in its head", long[:40], time.Minute, recording.Cut{}, recording.ErrUnreadable},
		{"nothing left of it", long, time.Minute, recording.Cut{From: time.Second, To: time.Second}, recording.ErrSilent},
		{"a part behind its end", long, time.Minute, recording.Cut{From: 5 * time.Second}, recording.ErrSilent},
		{"too many bytes", make([]byte, recording.MaxBytes+1), time.Minute, recording.Cut{}, recording.ErrTooLarge},
	} {
		if _, err := (Ffmpeg{}).Normalise(context.Background(), c.b, c.most, c.cut); !errors.Is(err, c.want) {
			t.Errorf("%s: %v, want %v", c.name, err, c.want)
		}
	}
}

// integratedOf measures a file as EBU R 128 says, by ffmpeg's meter.
func integratedOf(t *testing.T, file []byte) float64 {
	t.Helper()
	cmd := exec.Command("ffmpeg", "-hide_banner", "-nostats", "-i", "-", "-af", "ebur128=framelog=verbose", "-f", "null", "-")
	cmd.Stdin = bytes.NewReader(file)
	said, err := cmd.CombinedOutput()
	if err != nil {
		t.Fatal(err, string(said))
	}
	return loudness(said)
}

// Whoever speaks quietly and whoever speaks loudly sound alike; what is all but silent
// does not become noise; and of a recording whose ends are cut the rest is kept.
func TestVoicesSoundAlike(t *testing.T) {
	speech, err := Speak(context.Background(), "The sill is below the water, so you take the depth at datum and add the height of the tide. Well read. Now give the unit as well.", "en", 150)
	if err != nil {
		t.Fatal(err)
	}
	name := filepath.Join(t.TempDir(), "speech.wav")
	if err := os.WriteFile(name, speech, 0o644); err != nil {
		t.Fatal(err)
	}
	natural := integratedOf(t, speech)
	at := func(loud float64) []byte {
		out := filepath.Join(t.TempDir(), "loud.wav")
		if b, err := exec.Command("ffmpeg", "-v", "error", "-i", name, "-af", fmt.Sprintf("volume=%.2fdB", loud-natural), "-c:a", "pcm_f32le", out).CombinedOutput(); err != nil {
			t.Fatalf("%v: %s", err, b)
		}
		b, err := os.ReadFile(out)
		if err != nil {
			t.Fatal(err)
		}
		return b
	}
	var all []float64
	for _, loud := range []float64{-40, -23, -10} {
		recorded := at(loud)
		if got := integratedOf(t, recorded); math.Abs(got-loud) > 0.2 {
			t.Fatalf("the recording is at %.1f LUFS, not %.0f", got, loud)
		}
		clip, err := Ffmpeg{}.Normalise(context.Background(), recorded, time.Minute, recording.Cut{})
		if err != nil {
			t.Fatal(err)
		}
		all = append(all, integratedOf(t, clip.Data))
	}
	t.Logf("recorded at -40, -23 and -10 LUFS they play at %.1f", all)
	if slices.Max(all)-slices.Min(all) > 1 || math.Abs(all[1]-recording.Loudness) > 1 {
		t.Errorf("they play at %.1f LUFS, want %.0f", all, recording.Loudness)
	}
	hum, err := Ffmpeg{}.Normalise(context.Background(), at(-75), time.Minute, recording.Cut{})
	if err != nil || slices.Max(hum.Peaks) > 2 {
		t.Errorf("near silence has the peak %d (%v)", slices.Max(hum.Peaks), err)
	}
	part, err := Ffmpeg{}.Normalise(context.Background(), tone(t, "-f", "wav"), time.Minute, recording.Cut{From: 500 * time.Millisecond, To: 1500 * time.Millisecond})
	if err != nil || part.Milliseconds != 1000 || part.Peaks[10] < 10 || part.Peaks[recording.PeakCount-10] > 1 {
		t.Errorf("of two seconds the middle one is %d ms, peaks %v (%v)", part.Milliseconds, part.Peaks, err)
	}
}
