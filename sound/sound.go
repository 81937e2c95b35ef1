// Package sound takes in what a microphone recorded and makes it playable
// everywhere: Opus in WebM, with the loudness along the way for a waveform.
// It also speaks a text aloud, for the demo. It does not know notes.
//
// Recordings come from strangers, so they are read by ffmpeg in a confined
// child process with limits, from and to a folder of its own.
package sound

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"strconv"
	"time"

	"readymargin/confine"
	"readymargin/core/recording"
	"readymargin/queue"
)

// Ffmpeg takes recordings in with the ffmpeg program, as many at once as there
// are processors and one of each person's. The time that a recording may take
// begins when it is its turn.
type Ffmpeg struct{}

var turns = queue.New(queue.Config{AtOnce: max(2, runtime.NumCPU()), PerOwner: 1})

// format is the container that browsers record into, or that people bring, told by its first
// bytes, with ffmpeg's name for them.
func format(b []byte) string {
	switch {
	case bytes.HasPrefix(b, []byte("\x1a\x45\xdf\xa3")):
		return "matroska"
	case bytes.HasPrefix(b, []byte("OggS")):
		return "ogg"
	case len(b) > 12 && string(b[4:8]) == "ftyp":
		return "mov"
	case bytes.HasPrefix(b, []byte("RIFF")):
		return "wav"
	case bytes.HasPrefix(b, []byte("ID3")), len(b) > 2 && b[0] == 0xff && b[1]&0xe6 == 0xe2: // a frame of layer III
		return "mp3"
	}
	return ""
}

// peakRate is the sampling rate, per second, at which loudness is measured.
const peakRate = 8000

// Normalise turns a part of a recording into a Clip no longer than most, as loud as
// every other.
func (Ffmpeg) Normalise(ctx context.Context, recorded []byte, most time.Duration, cut recording.Cut) (recording.Clip, error) {
	kind := format(recorded)
	switch {
	case !cut.Good():
		return recording.Clip{}, recording.ErrSilent
	case len(recorded) > recording.MaxBytes:
		return recording.Clip{}, recording.ErrTooLarge
	case kind == "":
		return recording.Clip{}, recording.ErrUnreadable
	}
	leave, err := turns.Enter(ctx)
	if err != nil {
		return recording.Clip{}, err
	}
	defer leave()
	dir, in, err := laid(recorded)
	if err != nil {
		return recording.Clip{}, err
	}
	defer os.RemoveAll(dir)
	out := filepath.Join(dir, "out.webm")
	// A second more than allowed is read, so that "too long" can be told.
	trim := fmt.Sprintf("atrim=start=%.3f", cut.From.Seconds())
	if cut.To > 0 {
		trim += fmt.Sprintf(":end=%.3f", cut.To.Seconds())
	}
	trim += ",asetpts=PTS-STARTPTS"
	source := []string{"-protocol_whitelist", "file", "-f", kind, "-t", strconv.FormatFloat((cut.From+most).Seconds()+1, 'f', 1, 64), "-i", in, "-map", "0:a:0", "-vn", "-ac", "1"}
	raw, said, err := ffmpeg(ctx, append(source, "-af", trim+",ebur128=framelog=verbose", "-ar", strconv.Itoa(peakRate), "-f", "s16le", "pipe:1"))
	if err != nil {
		return recording.Clip{}, err
	}
	gain := recording.Gain(loudness(said))
	clip := recording.Clip{Type: recording.MediaType, Milliseconds: len(raw) / 2 * 1000 / peakRate, Peaks: peaks(raw, gain)}
	switch {
	case len(raw) == 0:
		return recording.Clip{}, recording.ErrSilent
	case clip.Milliseconds > int(most.Milliseconds())+500:
		return recording.Clip{}, recording.ErrTooLong
	}
	louder := fmt.Sprintf("%s,volume=%.2fdB,alimiter=limit=0.89:level=0:attack=1:release=50", trim, gain)
	if _, _, err := ffmpeg(ctx, append(source, "-af", louder, "-map_metadata", "-1", "-ar", "48000", "-c:a", "libopus", "-b:a", "32k", "-f", "webm", out)); err != nil {
		return recording.Clip{}, err
	}
	clip.Data, err = os.ReadFile(out)
	return clip, err
}

// M4A turns a sound as it is kept into one that every player takes: AAC in an MP4 file.
// The same sound gives the same bytes.
func (Ffmpeg) M4A(ctx context.Context, kept []byte) ([]byte, error) {
	leave, err := turns.Enter(ctx)
	if err != nil {
		return nil, err
	}
	defer leave()
	dir, in, err := laid(kept)
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	out := filepath.Join(dir, "out.m4a")
	if _, _, err := ffmpeg(ctx, []string{"-protocol_whitelist", "file", "-f", "matroska", "-i", in, "-map", "0:a:0", "-vn", "-ac", "1", "-ar", "44100", "-map_metadata", "-1",
		"-fflags", "+bitexact", "-flags:a", "+bitexact", "-c:a", "aac", "-b:a", "48k", "-movflags", "+faststart", "-f", "ipod", out}); err != nil {
		return nil, err
	}
	return os.ReadFile(out)
}

// laid lays a sound down in a folder of its own, in which ffmpeg may write.
func laid(recorded []byte) (dir, in string, err error) {
	if dir, err = os.MkdirTemp("", "readymargin-sound-*"); err != nil {
		return "", "", err
	}
	in = filepath.Join(dir, "in")
	return dir, in, errors.Join(os.Chmod(dir, 0o733), os.WriteFile(in, recorded, 0o644))
}

// loudness reads what ffmpeg's meter said at the end: "I: -23.0 LUFS". What is too
// short to be measured (400 ms) is said to be silent.
func loudness(said []byte) float64 {
	all := integrated.FindAllSubmatch(said, -1)
	if len(all) == 0 {
		return -70
	}
	v, err := strconv.ParseFloat(string(all[len(all)-1][1]), 64)
	if err != nil {
		return -70
	}
	return v
}

var integrated = regexp.MustCompile(`I:\s+(-?[0-9.]+) LUFS`)

// ffmpeg returns what the program wrote, and what it said meanwhile.
func ffmpeg(ctx context.Context, args []string) (wrote, told []byte, err error) {
	ctx, cancel := context.WithTimeout(ctx, 2*time.Minute)
	defer cancel()
	limits := []string{"--as=2147483648", "--cpu=120", "--core=0", "--fsize=67108864", "--", "ffmpeg", "-hide_banner", "-loglevel", "info", "-nostats", "-nostdin", "-y"}
	cmd := exec.CommandContext(ctx, "prlimit", append(limits, args...)...)
	confine.Stranger(cmd)
	var out, said bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &said
	err = cmd.Run()
	var exit *exec.ExitError
	switch {
	case ctx.Err() != nil:
		return nil, nil, ctx.Err()
	case errors.As(err, &exit):
		last := bytes.TrimSpace(said.Bytes())
		return nil, nil, fmt.Errorf("%w: %s", recording.ErrUnreadable, last[bytes.LastIndexByte(last, '\n')+1:])
	case err != nil:
		return nil, nil, fmt.Errorf("sound: ffmpeg is needed (apt-get install ffmpeg): %w", err)
	}
	return out.Bytes(), said.Bytes(), nil
}

// peaks returns the loudest sample of each equal part, made louder by so many
// decibels, as a share of full scale in hundredths.
func peaks(raw []byte, gain float64) []int {
	louder := math.Pow(10, gain/20)
	n := len(raw) / 2
	out := make([]int, min(recording.PeakCount, n))
	for i := range out {
		for k := i * n / len(out); k < (i+1)*n/len(out); k++ {
			v := int(int16(binary.LittleEndian.Uint16(raw[2*k:])))
			out[i] = max(out[i], min(int(float64(max(v, -v))*louder*100/32767), 100))
		}
	}
	return out
}

// Speak returns a WAV in which a synthesiser says the text.
func Speak(ctx context.Context, text, voice string, wordsPerMinute int) ([]byte, error) {
	cmd := exec.CommandContext(ctx, "espeak-ng", "-v", voice, "-s", strconv.Itoa(wordsPerMinute), "--stdout", text)
	out, err := cmd.Output()
	if err != nil {
		return nil, fmt.Errorf("sound: espeak-ng is needed (apt-get install espeak-ng): %w", err)
	}
	return out, nil
}
