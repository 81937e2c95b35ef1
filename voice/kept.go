package voice

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"time"

	"golang.org/x/sync/singleflight"

	"readymargin/core/aloud"
)

// A Shelf keeps what an engine has said, by what was said: sounds as Opus in WebM, for
// browsers, and the moments of their words.
type Shelf struct {
	engine aloud.Engine
	dir    string
	turns  chan struct{} // as many texts are said at the same time
	making singleflight.Group
}

// voicesOf tells the voices apart that there were: what others said is said anew.
const voicesOf = "flite, espeak-ng\x00"

// mostKept is how much a shelf keeps, in bytes; what was not asked for longest goes first.
const mostKept = 256 << 20

// NewShelf returns one that keeps its sounds in a folder, where they may be deleted at
// any time.
func NewShelf(engine aloud.Engine, dir string) (*Shelf, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, err
	}
	return &Shelf{engine: engine, dir: dir, turns: make(chan struct{}, 2)}, nil
}

// Say has a text said, or finds that it was. key opens the sound.
func (s *Shelf) Say(ctx context.Context, text, language string) (key string, words []aloud.Moment, err error) {
	sum := sha256.Sum256([]byte(voicesOf + language + "\x00" + text))
	// Not the named result: who leaves first would empty it for the making that goes on.
	name := hex.EncodeToString(sum[:])
	if words, err = s.moments(name); err == nil {
		return name, words, nil
	}
	// Who waits for the same text shares one making, which goes on when one of them leaves.
	done := s.making.DoChan(name, func() (any, error) {
		ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), 2*patience)
		defer cancel()
		return s.make(ctx, name, text, language)
	})
	select {
	case r := <-done:
		if r.Err != nil {
			return "", nil, r.Err
		}
		return name, r.Val.([]aloud.Moment), nil
	case <-ctx.Done():
		return "", nil, ctx.Err()
	}
}

func (s *Shelf) make(ctx context.Context, key, text, language string) ([]aloud.Moment, error) {
	select {
	case s.turns <- struct{}{}:
		defer func() { <-s.turns }()
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	said, err := s.engine.Say(ctx, text, language)
	if err != nil {
		return nil, err
	}
	dir, err := os.MkdirTemp(s.dir, "making-*")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	in, out := filepath.Join(dir, "said.wav"), filepath.Join(dir, "said.webm")
	if err := os.WriteFile(in, said.WAV, 0o600); err != nil {
		return nil, err
	}
	cmd := exec.CommandContext(ctx, "ffmpeg", "-v", "error", "-nostdin", "-i", in, "-c:a", "libopus", "-b:a", "28k", "-application", "voip", out)
	if told, err := cmd.CombinedOutput(); err != nil {
		return nil, fmt.Errorf("voice: ffmpeg (apt-get install ffmpeg): %w: %s", err, told)
	}
	moments, err := json.Marshal(said.Words)
	if err == nil {
		err = os.WriteFile(filepath.Join(dir, "words"), moments, 0o600)
	}
	if err == nil {
		err = os.Rename(out, s.path(key))
	}
	if err == nil { // the words come last: where they are, the sound is
		err = os.Rename(filepath.Join(dir, "words"), s.path(key)+".json")
	}
	s.trim()
	return said.Words, err
}

func (s *Shelf) path(key string) string { return filepath.Join(s.dir, key) }

func (s *Shelf) moments(key string) (words []aloud.Moment, err error) {
	b, err := os.ReadFile(s.path(key) + ".json")
	if err != nil {
		return nil, err
	}
	now := time.Now()
	os.Chtimes(s.path(key), now, now)
	os.Chtimes(s.path(key)+".json", now, now)
	return words, json.Unmarshal(b, &words)
}

// ErrGone says that a sound is not kept (any more): it has to be said again.
var ErrGone = errors.New("voice: not kept")

// Open returns a sound that was said.
func (s *Shelf) Open(key string) (io.ReadSeekCloser, error) {
	if b, err := hex.DecodeString(key); err != nil || len(b) != sha256.Size {
		return nil, ErrGone
	}
	f, err := os.Open(s.path(key))
	if errors.Is(err, os.ErrNotExist) {
		return nil, ErrGone
	}
	return f, err
}

// trim drops what was not asked for longest, where the shelf is full.
func (s *Shelf) trim() {
	entries, err := os.ReadDir(s.dir)
	if err != nil {
		return
	}
	var all []os.FileInfo
	sum := int64(0)
	for _, e := range entries {
		if i, err := e.Info(); err == nil && i.Mode().IsRegular() {
			all, sum = append(all, i), sum+i.Size()
		}
	}
	slices.SortFunc(all, func(a, b os.FileInfo) int { return a.ModTime().Compare(b.ModTime()) })
	for _, i := range all {
		if sum <= mostKept {
			return
		}
		os.Remove(filepath.Join(s.dir, i.Name()))
		sum -= i.Size()
	}
}
