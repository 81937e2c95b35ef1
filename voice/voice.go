// Package voice says texts with the voices that Debian carries, and keeps what was said:
// a class that listens to the same sheet has each sentence made once. No text leaves the
// machine.
package voice

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"golang.org/x/text/language"

	"readymargin/core/aloud"
	"readymargin/voice/child"
)

// A Program is the engine that ships, in a child process: flite for English, which sounds
// better, and espeak-ng for all that flite cannot say.
type Program struct {
	Command []string // the child's command line; nil for readymargin-voice beside this program
}

var _ aloud.Engine = Program{}

// voices are the names of espeak-ng's voices that differ from the language's.
var voices = map[string]string{"zh": "cmn", "no": "nb"}

const (
	patience = 20 * time.Second // for one text
	mostWAV  = 64 << 20         // bytes
)

// Say says a text.
func (e Program) Say(ctx context.Context, text, tag string) (aloud.Speech, error) {
	t, err := language.Parse(tag)
	if err != nil || strings.ContainsRune(text, 0) {
		return aloud.Speech{}, aloud.ErrLanguage
	}
	base, _ := t.Base()
	name := voices[base.String()]
	if region, sure := t.Region(); sure == language.Exact && base.String() == "en" && region.String() == "US" {
		name = "en-US"
	}
	if name == "" {
		name = base.String()
	}
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	program := e.Command
	if program == nil {
		self, err := os.Executable()
		if err != nil {
			return aloud.Speech{}, err
		}
		program = []string{filepath.Join(filepath.Dir(self), "readymargin-voice")}
	}
	cmd := exec.CommandContext(ctx, program[0], program[1:]...)
	ask, err := json.Marshal(child.Request{Text: text, Voice: name, Better: base.String() == "en"})
	if err != nil {
		return aloud.Speech{}, err
	}
	var said, told bytes.Buffer
	cmd.Stdin, cmd.Stdout, cmd.Stderr = bytes.NewReader(ask), &limited{&said, mostWAV}, &limited{&told, 4096}
	if err := cmd.Run(); err != nil {
		if ctx.Err() != nil {
			return aloud.Speech{}, ctx.Err()
		}
		return aloud.Speech{}, fmt.Errorf("%w: %v %s", aloud.ErrAway, err, told.String())
	}
	return heard(&said)
}

// heard reads what the child answers.
func heard(from io.Reader) (aloud.Speech, error) {
	r := bufio.NewReader(from)
	line, err := r.ReadBytes('\n')
	if err != nil {
		return aloud.Speech{}, fmt.Errorf("%w: %v", aloud.ErrAway, err)
	}
	var a child.Answer
	switch err := json.Unmarshal(line, &a); {
	case err != nil:
		return aloud.Speech{}, fmt.Errorf("%w: %v", aloud.ErrAway, err)
	case a.Voice:
		return aloud.Speech{}, aloud.ErrLanguage
	case a.Error != "":
		return aloud.Speech{}, fmt.Errorf("%w: %s", aloud.ErrAway, a.Error)
	}
	wav, err := io.ReadAll(r)
	if err == nil && len(wav) != a.Bytes {
		err = errors.New("cut off")
	}
	if err != nil {
		return aloud.Speech{}, fmt.Errorf("%w: %v", aloud.ErrAway, err)
	}
	return aloud.Speech{WAV: wav, Words: a.Words}, nil
}

// limited takes no more than so many bytes.
type limited struct {
	to   *bytes.Buffer
	most int
}

func (l *limited) Write(b []byte) (int, error) {
	if l.to.Len()+len(b) > l.most {
		return 0, errors.New("voice: too much")
	}
	return l.to.Write(b)
}
