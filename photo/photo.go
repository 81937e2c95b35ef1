// Package photo turns the photographs that telephones take (HEIC, ISO/IEC
// 23008-12) into JPEG, by libheif's own program in a room of its own.
package photo

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"os/exec"
	"time"

	"readymargin/confine"
	"readymargin/core/document"
	"readymargin/queue"
)

// Install is the command that provides heif-convert.
const Install = "apt-get install libheif-examples"

// Heif turns photographs by heif-convert, two at a time and one of each
// person's.
type Heif struct{}

var turns = queue.New(queue.Config{AtOnce: 2, PerOwner: 1})

// Knows reports whether a file begins as a HEIC photograph does (ISO/IEC
// 14496-12, 4.3: a box "ftyp" with its brands).
func (Heif) Knows(file []byte) bool {
	if len(file) < 16 || string(file[4:8]) != "ftyp" {
		return false
	}
	for _, brand := range []string{"heic", "heix", "heim", "heis", "mif1"} {
		if bytes.Contains(file[8:min(len(file), 48)], []byte(brand)) {
			return true
		}
	}
	return false
}

// JPEG turns a HEIC photograph into a JPEG, upright.
func (Heif) JPEG(ctx context.Context, file []byte) ([]byte, error) {
	if _, err := exec.LookPath("heif-convert"); err != nil || !confine.HasRooms() {
		return nil, document.ErrNoPhotos
	}
	leave, err := turns.Enter(ctx)
	if err != nil {
		return nil, err
	}
	defer leave()
	root, err := os.MkdirTemp("", "readymargin-photo-*")
	if err != nil {
		return nil, err
	}
	defer confine.Leave(root)
	limited, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	// With several pictures in one file it numbers them; the first is the one.
	cmd := confine.Room(limited, root, `set -e; cd /work; mv in in.heic; prlimit --as=2147483648 --cpu=30 --core=0 --fsize=134217728 -- heif-convert -q 92 in.heic out.jpg >&2; cat "$(ls out*.jpg | head -n 1)"`)
	var out, said bytes.Buffer
	cmd.Stdin, cmd.Stdout, cmd.Stderr = bytes.NewReader(file), &out, &said
	err = cmd.Run()
	switch {
	case ctx.Err() != nil:
		return nil, ctx.Err()
	case err != nil || out.Len() == 0:
		return nil, fmt.Errorf("%w: %v: %s", document.ErrPhoto, err, bytes.TrimSpace(said.Bytes()))
	}
	return out.Bytes(), nil
}
