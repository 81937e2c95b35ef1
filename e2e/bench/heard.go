package main

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"readymargin/core/speech"
	"readymargin/demo"
	"readymargin/pocketsphinx"
	"readymargin/school/dictate"
)

// heard: how many words of what is dictated to the demo's sheet are wrong (the word error
// rate), said by synthesisers that the recogniser does not know, with the sheet's words
// and without them; and how long it takes for a second of sound.
func (b *bench) heard() ([]line, error) {
	answers := []string{"4.5 m", "spring", "3.0 m", "1.3 m", "the water rises fastest in the third hour"}
	says := []string{"four point five meters", "nine decimeters", "eight twenty", "spring", "the white tower", "the tide rises fastest in the third hour", "keep clear of the Carrick rocks",
		"eleven thirty", "minus zero point nine", "two hundred and fourteen degrees", "seven point five meters", "the depth over the sill is three point four meters"}
	file, err := demo.TideHeights()
	if err != nil {
		return nil, err
	}
	pages, err := b.house.Engine.Inspect(b.ctx, file)
	if err != nil {
		return nil, err
	}
	var printed []string
	for _, p := range pages {
		printed = append(printed, dictate.Passages(p.TextLayer())...)
	}
	dir, err := os.MkdirTemp("", "heard-*")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	var out []line
	for name, say := range map[string][]string{"flite, slt": {"flite", "-voice", "slt", "-o", "OUT", "-t"}, "flite, awb": {"flite", "-voice", "awb", "-o", "OUT", "-t"}, "espeak-ng, en-us": {"espeak-ng", "-v", "en-us", "-s", "130", "-w", "OUT"}} {
		wrong, words := map[bool]int{}, 0
		var took, lasts time.Duration
		for i, text := range says {
			wav := filepath.Join(dir, fmt.Sprint(i, ".wav"))
			args := append(strings.Split(strings.ReplaceAll(strings.Join(say, "\x00"), "OUT", wav), "\x00"), text)
			if told, err := exec.Command(args[0], args[1:]...).CombinedOutput(); err != nil {
				return nil, fmt.Errorf("%w: %s (apt-get install flite espeak-ng)", err, told)
			}
			sound, err := os.ReadFile(wav)
			if err != nil {
				return nil, err
			}
			want := strings.Fields(strings.ReplaceAll(strings.ToLower(text), "meters", "metres"))
			words += len(want)
			for _, with := range []bool{true, false} {
				s := speech.Sound{Data: sound, Type: "audio/wav", Language: "en"}
				if with {
					s.Printed, s.Answers = printed, answers
				}
				since := time.Now()
				heard, err := pocketsphinx.Recogniser{}.Recognise(b.ctx, s)
				if err != nil {
					return nil, fmt.Errorf("%w (%s)", err, pocketsphinx.Install)
				}
				took += time.Since(since)
				var got []string
				for _, w := range heard {
					got = append(got, w.Text)
				}
				wrong[with] += speech.Wrong(want, got)
				lasts += time.Duration(len(sound)-44) * time.Second / 32000
			}
		}
		out = append(out, line{name + ": wrong words, with the sheet's", float64(wrong[true]), float64(words), "", 0.25, false, "all that were said"},
			line{name + ": without them", float64(wrong[false]), float64(words), "", 1, false, "all that were said"},
			line{name + ": hearing it", float64(took.Milliseconds()), float64(lasts.Milliseconds()), "ms", 1, false, "the length of the sound"})
	}
	return out, nil
}
