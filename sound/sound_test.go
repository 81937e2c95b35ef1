package sound

import (
	"context"
	"errors"
	"os/exec"
	"path/filepath"
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
		clip, err := Ffmpeg{}.Normalise(context.Background(), tone(t, args...), time.Minute)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		if clip.Milliseconds < 1950 || clip.Milliseconds > 2100 {
			t.Errorf("%s: %d ms, want 2000", name, clip.Milliseconds)
		}
		if early, late := clip.Peaks[10], clip.Peaks[recording.PeakCount-10]; early < 9 || early > 16 || late > 1 {
			t.Errorf("%s: peaks %d and %d, want 12 and 0", name, early, late)
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
		want error
	}{
		{"too long", long, time.Second, recording.ErrTooLong},
		{"not a recording", []byte("hello"), time.Minute, recording.ErrUnreadable},
		{"cut off in its head", long[:40], time.Minute, recording.ErrUnreadable},
		{"too many bytes", make([]byte, recording.MaxBytes+1), time.Minute, recording.ErrTooLarge},
	} {
		if _, err := (Ffmpeg{}).Normalise(context.Background(), c.b, c.most); !errors.Is(err, c.want) {
			t.Errorf("%s: %v, want %v", c.name, err, c.want)
		}
	}
}
