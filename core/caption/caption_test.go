package caption

import (
	"os/exec"
	"reflect"
	"strings"
	"testing"
)

// talk is so loud: three words, a pause, three words.
func talk(before, first, pause, second int) (peaks []int) {
	for _, part := range [][2]int{{before, 2}, {first, 80}, {pause, 3}, {second, 70}} {
		for i := range part[0] {
			peaks = append(peaks, part[1]-i%2)
		}
	}
	return peaks
}

func TestCues(t *testing.T) {
	long := strings.TrimSpace(strings.Repeat("the tide rises by the hour and ", 8))
	for name, c := range map[string]struct {
		text  string
		peaks []int
		ms    int
		want  []Cue
	}{
		"nothing said":               {"  ", talk(1, 1, 1, 1), 1000, nil},
		"two sentences, and a pause": {"One two three. Four five six.", talk(10, 40, 20, 30), 10000, []Cue{{1000, 5000, "One two three."}, {7000, 10000, "Four five six."}}},
		"no loudness is known":       {"One two. Six ten.", nil, 8000, []Cue{{0, 4000, "One two."}, {4000, 8000, "Six ten."}}},
		"as loud all along":          {"One two. Six ten.", []int{50, 50, 50, 50}, 8000, []Cue{{0, 4000, "One two."}, {4000, 8000, "Six ten."}}},
	} {
		if got := Cues(c.text, c.peaks, c.ms); !reflect.DeepEqual(got, c.want) {
			t.Errorf("%s: %v, want %v", name, got, c.want)
		}
	}
	cues := Cues(long, nil, 60_000)
	var all []string
	for i, c := range cues {
		all = append(all, c.Text)
		if len(c.Text) > longest || i > 0 && c.From != cues[i-1].To {
			t.Errorf("caption %d: %v", i, c)
		}
	}
	if strings.Join(all, " ") != long {
		t.Errorf("the words became %q", all)
	}
}

// ffmpeg reads what is written.
func TestCaptionsAreReadByOthers(t *testing.T) {
	cmd := exec.Command("ffmpeg", "-v", "error", "-f", "webvtt", "-i", "-", "-f", "srt", "-")
	cmd.Stdin = strings.NewReader(VTT([]Cue{{0, 1500, "3 < 4 & 5 --> 6"}, {3_661_007, 3_662_000, "The tide rises."}}))
	out, err := cmd.Output()
	if err != nil {
		t.Fatalf("ffmpeg (apt-get install ffmpeg): %v", err)
	}
	const want = "1\n00:00:00,000 --> 00:00:01,500\n3 < 4 & 5 --> 6\n\n2\n01:01:01,007 --> 01:01:02,000\nThe tide rises.\n\n"
	if got := strings.ReplaceAll(string(out), "\r", ""); got != want {
		t.Errorf("ffmpeg reads %q, want %q", got, want)
	}
}
