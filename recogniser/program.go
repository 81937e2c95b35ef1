package recogniser

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"time"

	"readymargin/core/speech"
)

// A Program is one on this machine that is started for each sound: it gets the sound on
// its standard input, its media type and language as READYMARGIN_SOUND_TYPE and
// READYMARGIN_SOUND_LANGUAGE, and in the file that READYMARGIN_SOUND_SHEET names the
// passages of the sheet and the answers that are expected (JSON {"printed": [], "answers":
// []}). It prints JSON {"words": [{"text", "from", "to", "certainty", "others"}]}, times
// in milliseconds; that it ends with 65 says that it is no sound, with 66 that it does
// not know the language.
type Program struct{ path string }

var _ speech.Recogniser = Program{}

// NewProgram returns what asks a program in a file.
func NewProgram(path string) (Program, error) {
	if !filepath.IsAbs(path) {
		return Program{}, errors.New("recogniser: a program is given with its whole path")
	}
	if _, err := exec.LookPath(path); err != nil {
		return Program{}, fmt.Errorf("recogniser: %w", err)
	}
	return Program{path}, nil
}

// patience is how long a program may take over a sound: a talk-through lasts up to twenty
// minutes.
const patience = 9 * time.Minute

// Recognise starts the program.
func (p Program) Recognise(ctx context.Context, sound speech.Sound) ([]speech.Word, error) {
	if len(sound.Data) == 0 {
		return nil, speech.ErrUnreadable
	}
	limited, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	sheet, err := os.CreateTemp("", "readymargin-sheet-*.json")
	if err != nil {
		return nil, err
	}
	defer os.Remove(sheet.Name())
	err = json.NewEncoder(sheet).Encode(map[string][]string{"printed": sound.Printed, "answers": sound.Answers})
	if err := errors.Join(err, sheet.Close()); err != nil {
		return nil, err
	}
	cmd := exec.CommandContext(limited, p.path)
	cmd.Env = append(os.Environ(), "READYMARGIN_SOUND_TYPE="+sound.Type, "READYMARGIN_SOUND_LANGUAGE="+sound.Language, "READYMARGIN_SOUND_SHEET="+sheet.Name())
	cmd.WaitDelay = time.Second
	out := &bounded{most: maxAnswer, full: cancel}
	cmd.Stdin, cmd.Stdout = bytes.NewReader(sound.Data), out
	err = cmd.Run()
	var ended *exec.ExitError
	switch {
	case ctx.Err() != nil:
		return nil, ctx.Err()
	case errors.As(err, &ended) && ended.ExitCode() == 65:
		return nil, speech.ErrUnreadable
	case errors.As(err, &ended) && ended.ExitCode() == 66:
		return nil, speech.ErrLanguage
	case err != nil:
		return nil, fmt.Errorf("%w: %v", speech.ErrAway, err)
	}
	return answer(&out.kept)
}

// answer reads what a program answers.
func answer(r io.Reader) ([]speech.Word, error) {
	var a struct {
		Words []speech.Word `json:"words"`
	}
	if err := json.NewDecoder(io.LimitReader(r, maxAnswer)).Decode(&a); err != nil {
		return nil, fmt.Errorf("%w: %v", speech.ErrAway, err)
	}
	return a.Words, nil
}

// bounded keeps no more than so many bytes, and ends whoever has more.
type bounded struct {
	kept bytes.Buffer // not embedded: what reads for itself knows no bounds
	most int
	full func()
}

func (b *bounded) Write(p []byte) (int, error) {
	if b.kept.Len()+len(p) > b.most {
		b.full()
		return 0, io.ErrShortWrite
	}
	return b.kept.Write(p)
}
