package confine

import (
	"bytes"
	"context"
	_ "embed"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"strings"
	"sync"
	"syscall"
	"time"
)

//go:embed room.sh
var room string

// A Room is where a program of strangers runs: it sees the programs of this machine and
// the folders in Binds, can change none of them, and has no network. It needs
// namespaces; see HasRooms.
type Room struct {
	Within    time.Duration // it ends then
	Memory    int           // address space of what is begun with "limited", in bytes
	Processor int           // its time on the processor, in seconds
	Largest   int           // how long a file may be that it writes, in bytes
	Binds     []string
}

// ErrLate says that a program took longer than Within.
var ErrLate = errors.New("confine: it takes too long")

// Run runs a command line of the shell, in which "limited" stands before what the limits
// are for. in is the file /work/in there, and what is printed on standard output is all
// that comes out. The error is the context's, ErrLate, or an *exec.ExitError with what was
// printed on standard error.
func (r Room) Run(ctx context.Context, in []byte, command string) ([]byte, error) {
	root, err := os.MkdirTemp("", "readymargin-room-*")
	if err != nil {
		return nil, err
	}
	defer leave(root)
	limited, cancel := context.WithTimeout(ctx, r.Within)
	defer cancel()
	args := []string{"--mount", "--propagation", "unchanged", "--net", "--ipc", "--pid", "--fork", "--kill-child"}
	if os.Getuid() != 0 {
		args = append(args, "--user", "--map-root-user")
	}
	command = fmt.Sprintf("limited() { prlimit --as=%d --cpu=%d --core=0 --fsize=%d -- \"$@\"; }\n", r.Memory, r.Processor, r.Largest) + command
	args = append(args, "--", "sh", "-c", room, "room", root, command, strings.Join(r.Binds, " "))
	cmd := exec.CommandContext(limited, "unshare", args...)
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	var out, said bytes.Buffer
	cmd.Stdin, cmd.Stdout, cmd.Stderr = bytes.NewReader(in), &out, &said
	err = cmd.Run()
	switch {
	case ctx.Err() != nil:
		return nil, ctx.Err()
	case limited.Err() != nil:
		return nil, ErrLate
	case err != nil:
		return nil, fmt.Errorf("%w: %s", err, bytes.TrimSpace(said.Bytes()))
	}
	return out.Bytes(), nil
}

// leave clears away what a room was built on. Where this process lives in a
// changed root, mounts made in a room may be seen from outside too.
func leave(root string) {
	if os.Getuid() == 0 {
		syscall.Unmount(root, syscall.MNT_DETACH)
	}
	os.RemoveAll(root)
}

// HasRooms reports whether the machine lets this process make rooms.
var HasRooms = sync.OnceValue(func() bool {
	_, err := Room{Within: time.Minute}.Run(context.Background(), nil, "true")
	return err == nil
})
