// Package pocketsphinx writes down English by Debian's pocketsphinx, with a vocabulary
// made of the sheet that is spoken about, in a room of its own: without network and other
// files, with limits on memory and time.
package pocketsphinx

import (
	"archive/tar"
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"readymargin/confine"
	"readymargin/core/dictation"
	"readymargin/core/mark"
	"readymargin/core/speech"
	"readymargin/queue"
)

// Install is the command that provides the program and its English model.
const Install = "apt-get install pocketsphinx pocketsphinx-en-us ffmpeg espeak-ng"

const model = "/usr/share/pocketsphinx/model/en-us/"

// Limits of one recording.
const (
	longest   = 9 * time.Minute      // until it is given up
	seconds   = mark.MaxVoice / 1000 // of it are listened to
	memory    = 2 << 30              // address space
	processor = 540                  // seconds
	largest   = 64 << 20             // bytes of a file that is written
)

// A Recogniser hears English.
type Recogniser struct{}

var _ speech.Recogniser = Recogniser{}

var turns = queue.New(queue.Config{AtOnce: 2, PerOwner: 1, Waiting: 400})

// There reports whether this machine has the program and its model.
func There() bool {
	_, err := exec.LookPath("pocketsphinx_continuous")
	_, err2 := os.Stat(model + "en-us/mdef")
	return err == nil && err2 == nil
}

// Recognise writes down what is said in a sound.
func (Recogniser) Recognise(ctx context.Context, sound speech.Sound) ([]speech.Word, error) {
	switch short, _, _ := strings.Cut(strings.ToLower(sound.Language), "-"); {
	case short != "" && short != "en":
		return nil, speech.ErrLanguage
	case len(sound.Data) == 0:
		return nil, speech.ErrUnreadable
	case !There():
		return nil, fmt.Errorf("%w: pocketsphinx (%s)", speech.ErrAway, Install)
	case !confine.HasRooms():
		return nil, fmt.Errorf("%w: this machine has no rooms for programs", speech.ErrAway)
	}
	said, err := pronunciations()
	if err != nil {
		return nil, fmt.Errorf("%w: %v", speech.ErrAway, err)
	}
	leave, err := turns.Enter(ctx)
	if err != nil {
		return nil, err
	}
	defer leave()
	m := dictation.NewModel(sound.Printed, sound.Answers)
	vocabulary, err := said.of(ctx, m.Words())
	if err != nil {
		return nil, err
	}
	var arpa bytes.Buffer
	if err := m.WriteARPA(&arpa); err != nil {
		return nil, err
	}
	out, err := hear(ctx, map[string][]byte{"sound": sound.Data, "words.lm": arpa.Bytes(), "words.dict": vocabulary.file()})
	if err != nil {
		return nil, err
	}
	ws := parse(out)
	for i, w := range ws {
		if w.Certainty < speech.Unsure {
			ws[i].Others = vocabulary.like(w.Text)
		}
	}
	return ws, nil
}

// hear runs the program in a room with files.
func hear(ctx context.Context, files map[string][]byte) ([]byte, error) {
	var packed bytes.Buffer
	t := tar.NewWriter(&packed)
	for name, b := range files {
		if err := t.WriteHeader(&tar.Header{Name: name, Mode: 0o600, Size: int64(len(b))}); err != nil {
			return nil, err
		}
		if _, err := t.Write(b); err != nil {
			return nil, err
		}
	}
	if err := t.Close(); err != nil {
		return nil, err
	}
	room := confine.Room{Within: longest, Memory: memory, Processor: processor, Largest: largest}
	// A little silence at both ends, without which first and last words are lost.
	out, err := room.Run(ctx, packed.Bytes(), fmt.Sprintf(`set -e; cd /work; tar xf in
limited ffmpeg -v error -nostdin -t %d -i sound -map a:0 -af "adelay=300:all=1,apad=pad_dur=0.5" -ar 16000 -ac 1 -c:a pcm_s16le said.wav >&2 || exit 65
limited pocketsphinx_continuous -infile said.wav -hmm %sen-us -dict words.dict -lm words.lm -lw 10 -time yes -logfn /dev/null`,
		seconds, model))
	var ended *exec.ExitError
	switch {
	case ctx.Err() != nil:
		return nil, ctx.Err()
	case errors.As(err, &ended) && ended.ExitCode() == 65:
		return nil, speech.ErrUnreadable
	case err != nil:
		return nil, fmt.Errorf("%w: %v", speech.ErrAway, err)
	}
	return out, nil
}

// A line of what the program answers: a word, perhaps with the number of its
// pronunciation, when it begins and ends in seconds, and how sure it is.
var line = regexp.MustCompile(`^([a-z'.-]+)(?:\(\d+\))? (\d+\.\d+) (\d+\.\d+) (\d+(?:\.\d+)?)$`)

const added = 300 // milliseconds of silence before the sound

func parse(out []byte) (ws []speech.Word) {
	for l := range strings.Lines(string(out)) {
		m := line.FindStringSubmatch(strings.TrimSpace(l))
		if m == nil {
			continue // what was heard as a whole, silence, noise
		}
		from, _ := strconv.ParseFloat(m[2], 64)
		to, _ := strconv.ParseFloat(m[3], 64)
		sure, _ := strconv.ParseFloat(m[4], 64)
		ws = append(ws, speech.Word{Text: m[1], From: max(int(1000*from)-added, 0), To: max(int(1000*to)-added, 0), Certainty: min(sure, 1)})
	}
	return ws
}

// said is how words are pronounced, each in one or several ways of phones.
type said map[string][][]string

// pronunciations reads the dictionary of the English model, once.
var pronunciations = sync.OnceValues(func() (said, error) {
	b, err := os.ReadFile(model + "cmudict-en-us.dict")
	if err != nil {
		return nil, err
	}
	out := said{}
	for l := range strings.Lines(string(b)) {
		f := strings.Fields(l)
		if len(f) < 2 {
			continue
		}
		word, _, _ := strings.Cut(f[0], "(")
		out[word] = append(out[word], f[1:])
	}
	return out, nil
})

// of returns how some words are pronounced: those that are not in the dictionary as
// espeak-ng says them.
func (s said) of(ctx context.Context, words []string) (said, error) {
	out := said{}
	var unknown []string
	for _, w := range words {
		if ways := s[w]; ways != nil {
			out[w] = ways
		} else {
			unknown = append(unknown, w)
		}
	}
	if len(unknown) == 0 {
		return out, nil
	}
	cmd := exec.CommandContext(ctx, "espeak-ng", "-q", "-x", "-v", "en-us", "--stdin")
	cmd.Stdin = strings.NewReader(strings.Join(unknown, ".\n\n") + ".\n")
	told, err := cmd.Output()
	if err != nil {
		return nil, fmt.Errorf("%w: espeak-ng (%s): %v", speech.ErrAway, Install, err)
	}
	lines := strings.Split(strings.TrimSpace(string(told)), "\n")
	if len(lines) != len(unknown) {
		return out, nil // it takes some of them together: these words are not heard
	}
	for i, w := range unknown {
		if phones := arpabet(lines[i]); len(phones) > 0 {
			out[w] = [][]string{phones}
		}
	}
	return out, nil
}

// file is the dictionary as the program reads it.
func (s said) file() []byte {
	var b bytes.Buffer
	words := make([]string, 0, len(s))
	for w := range s {
		words = append(words, w)
	}
	slices.Sort(words)
	for _, w := range words {
		for i, phones := range s[w] {
			name := w
			if i > 0 {
				name = fmt.Sprintf("%s(%d)", w, i+1)
			}
			fmt.Fprintf(&b, "%s %s\n", name, strings.Join(phones, " "))
		}
	}
	return b.Bytes()
}

// like returns words that sound nearly as one, the nearest first.
func (s said) like(word string) (out []string) {
	const most = 3
	far := map[string]int{}
	for w, ways := range s {
		if w == word {
			continue
		}
		for _, a := range s[word] {
			for _, b := range ways {
				d := speech.Wrong(a, b)
				if d > max(1, len(a)/2) {
					continue
				}
				if was, known := far[w]; !known || d < was {
					far[w] = d
				}
			}
		}
	}
	for w := range far {
		out = append(out, w)
	}
	slices.SortFunc(out, func(a, b string) int { return cmp.Or(far[a]-far[b], strings.Compare(a, b)) })
	return out[:min(len(out), most)]
}

// mnemonics are espeak-ng's names of English phones and what the model calls them; the
// longer ones come first. Found by listening, no source.
var mnemonics = [][2]string{
	{"aI@", "AY AH"}, {"aI3", "AY ER"}, {"aU@", "AW ER"}, {"i@3", "IH R"}, {"A:", "AA"}, {"A@", "AA R"}, {"3:", "ER"}, {"i:", "IY"}, {"u:", "UW"}, {"O:", "AO"},
	{"O@", "AO R"}, {"o@", "AO R"}, {"e@", "EH R"}, {"E@", "EH R"}, {"i@", "IY AH"}, {"U@", "UH R"}, {"eI", "EY"}, {"aI", "AY"}, {"aU", "AW"}, {"oU", "OW"}, {"OI", "OY"},
	{"I2", "IH"}, {"I#", "IH"}, {"aa", "AE"}, {"@L", "AH L"}, {"@5", "AH"}, {"tS", "CH"}, {"dZ", "JH"}, {"t#", "T"}, {"t2", "T"}, {"n-", "AH N"}, {"r-", "ER"},
	{"a", "AE"}, {"0", "AA"}, {"V", "AH"}, {"@", "AH"}, {"3", "ER"}, {"E", "EH"}, {"e", "EH"}, {"I", "IH"}, {"i", "IY"}, {"O", "AO"}, {"o", "AO"}, {"U", "UH"}, {"u", "UW"},
	{"p", "P"}, {"b", "B"}, {"t", "T"}, {"d", "D"}, {"k", "K"}, {"g", "G"}, {"f", "F"}, {"v", "V"}, {"s", "S"}, {"z", "Z"}, {"h", "HH"}, {"m", "M"}, {"n", "N"}, {"l", "L"},
	{"r", "R"}, {"w", "W"}, {"j", "Y"}, {"T", "TH"}, {"D", "DH"}, {"S", "SH"}, {"Z", "ZH"}, {"N", "NG"}, {"*", "D"},
}

func arpabet(told string) (phones []string) {
	for told != "" {
		i := slices.IndexFunc(mnemonics, func(m [2]string) bool { return strings.HasPrefix(told, m[0]) })
		if i < 0 { // stress, length, a join
			told = told[1:]
			continue
		}
		phones = append(phones, strings.Fields(mnemonics[i][1])...)
		told = told[len(mnemonics[i][0]):]
	}
	return phones
}
