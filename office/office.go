// Package office turns documents of office programs into PDF, by LibreOffice
// in a room of its own: offline, without other files, with limits on size,
// memory and time, and without macros. It says which fonts a document asks
// for, so that those that had to be replaced can be named.
package office

import (
	"context"
	_ "embed"
	"errors"
	"fmt"
	"os/exec"
	"strings"
	"time"

	"readymargin/confine"
	"readymargin/core/document"
	"readymargin/queue"
)

// Install is the command that provides LibreOffice.
const Install = "apt-get install libreoffice-writer-nogui libreoffice-impress-nogui libreoffice-calc-nogui"

// Limits of turning one document.
const (
	longest   = 90 * time.Second
	memory    = 4 << 30   // address space
	processor = 80        // seconds
	largest   = 256 << 20 // bytes of a file it writes
)

// LibreOffice turns documents, one at a time, and fairly: who brings ten waits
// between them for the others. The time that a document may take begins when it
// is its turn.
type LibreOffice struct{}

var turns = queue.New(queue.Config{AtOnce: 1, PerOwner: 1, Waiting: 100})

//go:embed settings.xcu
var settings string

// Knows reports whether a file is a document of one of the Kinds.
func (LibreOffice) Knows(file []byte) bool { return kindOf(file) != "" }

// PDF turns a document of one of the Kinds into PDF.
func (LibreOffice) PDF(ctx context.Context, file []byte) (document.Converted, error) {
	kind, fonts, err := scan(file)
	if err != nil {
		return document.Converted{}, err
	}
	if _, err := exec.LookPath("soffice"); err != nil {
		return document.Converted{}, document.ErrNoOffice
	}
	if !confine.HasRooms() {
		return document.Converted{}, document.ErrNoRooms
	}
	leave, err := turns.Enter(ctx)
	if err != nil {
		return document.Converted{}, err
	}
	defer leave()
	room := confine.Room{Within: longest, Memory: memory, Processor: processor, Largest: largest, Binds: []string{"/etc/fonts", "/etc/libreoffice", "/var/lib/libreoffice", "/var/cache/fontconfig"}}
	out, err := room.Run(ctx, file, fmt.Sprintf(`set -e; cd /work; mkdir -p profile/user; printf '%%s' %s > profile/user/registrymodifications.xcu; mv in in.%[2]s
limited soffice -env:UserInstallation=file:///work/profile --headless --norestore --nolockcheck --nodefault --convert-to pdf --outdir /work in.%[2]s >&2
cat in.pdf`, quoted(settings), kind))
	switch {
	case ctx.Err() != nil:
		return document.Converted{}, ctx.Err()
	case errors.Is(err, confine.ErrLate):
		return document.Converted{}, document.ErrOfficeTime
	case err != nil || len(out) == 0:
		return document.Converted{}, fmt.Errorf("%w: %v", document.ErrOffice, err)
	}
	return document.Converted{PDF: out, Fonts: fonts}, nil
}

// quoted makes one word of the shell's of s.
func quoted(s string) string { return "'" + strings.ReplaceAll(s, "'", `'\''`) + "'" }
