// Package office turns documents of office programs into PDF, by LibreOffice
// in a room of its own: offline, without other files, with limits on size,
// memory and time, and without macros. It says which fonts a document asks
// for, so that those that had to be replaced can be named.
package office

import (
	"bytes"
	"context"
	_ "embed"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"strings"
	"time"

	"readymargin/confine"
	"readymargin/queue"
)

// What can be wrong. Each is one sentence for people; see web.
var (
	ErrMissing    = errors.New("office: LibreOffice is not installed")
	ErrRooms      = errors.New("office: this machine gives no rooms to run LibreOffice in")
	ErrUnreadable = errors.New("office: the document cannot be read")
	ErrTooLarge   = errors.New("office: the document is too large inside")
	ErrTime       = errors.New("office: the document takes too long")
)

// Install is the command that provides LibreOffice.
const Install = "apt-get install libreoffice-writer-nogui libreoffice-impress-nogui"

// A Document is a document as PDF, with the names of the fonts it asks for.
type Document struct {
	PDF   []byte
	Fonts []string
}

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

// PDF turns a document of one of the Kinds into PDF.
func (LibreOffice) PDF(ctx context.Context, file []byte) (Document, error) {
	kind, fonts, err := scan(file)
	if err != nil {
		return Document{}, err
	}
	if _, err := exec.LookPath("soffice"); err != nil {
		return Document{}, ErrMissing
	}
	if !confine.HasRooms() {
		return Document{}, ErrRooms
	}
	leave, err := turns.Enter(ctx)
	if err != nil {
		return Document{}, err
	}
	defer leave()
	root, err := os.MkdirTemp("", "readymargin-office-*")
	if err != nil {
		return Document{}, err
	}
	defer confine.Leave(root)
	limited, cancel := context.WithTimeout(ctx, longest)
	defer cancel()
	command := fmt.Sprintf(`set -e; cd /work; mkdir -p profile/user; printf '%%s' %s > profile/user/registrymodifications.xcu; mv in in.%s
prlimit --as=%d --cpu=%d --core=0 --fsize=%d -- soffice -env:UserInstallation=file:///work/profile --headless --norestore --nolockcheck --nodefault --convert-to pdf --outdir /work in.%s >&2
cat in.pdf`, quoted(settings), kind, memory, processor, largest, kind)
	cmd := confine.Room(limited, root, command, "/etc/fonts", "/etc/libreoffice", "/var/lib/libreoffice", "/var/cache/fontconfig")
	var out, said bytes.Buffer
	cmd.Stdin, cmd.Stdout, cmd.Stderr = bytes.NewReader(file), &out, &said
	err = cmd.Run()
	switch {
	case ctx.Err() != nil:
		return Document{}, ctx.Err()
	case limited.Err() != nil:
		return Document{}, ErrTime
	case err != nil || out.Len() == 0:
		return Document{}, fmt.Errorf("%w: %v: %s", ErrUnreadable, err, bytes.TrimSpace(said.Bytes()))
	}
	return Document{out.Bytes(), fonts}, nil
}

// quoted makes one word of the shell's of s.
func quoted(s string) string { return "'" + strings.ReplaceAll(s, "'", `'\''`) + "'" }
