// Package photo turns the photographs that telephones take (HEIC, ISO/IEC
// 23008-12) into JPEG, by libheif's own program in a room of its own.
package photo

import (
	"bytes"
	"context"
	"fmt"
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
	// With several pictures in one file it numbers them; the first is the one.
	room := confine.Room{Within: 30 * time.Second, Memory: 2 << 30, Processor: 30, Largest: 128 << 20}
	out, err := room.Run(ctx, file, `set -e; cd /work; mv in in.heic; limited heif-convert -q 92 in.heic out.jpg >&2; cat "$(ls out*.jpg | head -n 1)"`)
	switch {
	case ctx.Err() != nil:
		return nil, ctx.Err()
	case err != nil || len(out) == 0:
		return nil, fmt.Errorf("%w: %v", document.ErrPhoto, err)
	}
	return out, nil
}
