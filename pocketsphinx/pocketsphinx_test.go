package pocketsphinx

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"readymargin/core/speech"
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

// spoken is a sentence by a synthesiser: flite's or espeak-ng's voice.
func spoken(t testing.TB, voice, text string) []byte {
	t.Helper()
	to := filepath.Join(t.TempDir(), "said.wav")
	cmd := exec.Command("flite", "-voice", voice, "-t", text, "-o", to)
	if strings.HasPrefix(voice, "en-") {
		cmd = exec.Command("espeak-ng", "-v", voice, "-s", "130", "-w", to, text)
	}
	if out, err := cmd.CombinedOutput(); err != nil {
		t.Fatalf("%v: %s (apt-get install flite espeak-ng)", err, out)
	}
	b, err := os.ReadFile(to)
	if err != nil {
		t.Fatal(err)
	}
	return b
}

func TestWER(t *testing.T) {
	for _, voice := range []string{"slt", "rms", "awb", "en-us", "en-gb"} {
		for _, with := range []bool{true, false} {
			wrong, all := 0, 0
			for _, s := range sentences {
				snd := speech.Sound{Data: spoken(t, voice, s), Type: "audio/wav", Language: "en"}
				if with {
					snd.Printed, snd.Answers = printed, answers
				}
				ws, err := Recogniser{}.Recognise(context.Background(), snd)
				if err != nil {
					t.Fatal(err)
				}
				var heard []string
				for _, w := range ws {
					heard = append(heard, w.Text)
				}
				want := strings.Fields(strings.ToLower(s))
				d := distance(want, heard)
				wrong += d
				all += len(want)
				if d > 0 {
					fmt.Printf("   %s %v %q: %q\n", voice, with, s, strings.Join(heard, " "))
				}
			}
			fmt.Printf("%s with %v: WER %.2f\n", voice, with, float64(wrong)/float64(all))
		}
	}
}
