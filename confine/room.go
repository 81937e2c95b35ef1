package confine

import (
	"context"
	_ "embed"
	"os"
	"os/exec"
	"strings"
	"sync"
	"syscall"
)

//go:embed room.sh
var room string

// Room makes a command line for the shell run in a room of its own: it sees
// the programs of this machine and the further folders in binds, can change
// none of them, and has no network. Its standard input becomes the file
// /work/in; what it prints on standard output is all that comes out. root is
// an empty folder to build the room on, which Leave clears away. All of it ends
// when ctx does.
//
// Rooms need namespaces; see HasRooms.
func Room(ctx context.Context, root, command string, binds ...string) *exec.Cmd {
	args := []string{"--mount", "--propagation", "unchanged", "--net", "--ipc", "--pid", "--fork", "--kill-child"}
	if os.Getuid() != 0 {
		args = append(args, "--user", "--map-root-user")
	}
	args = append(args, "--", "sh", "-c", room, "room", root, command, strings.Join(binds, " "))
	cmd := exec.CommandContext(ctx, "unshare", args...)
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	return cmd
}

// Leave clears away what a room was built on. Where this process lives in a
// changed root, mounts made in a room may be seen from outside too.
func Leave(root string) {
	if os.Getuid() == 0 {
		syscall.Unmount(root, syscall.MNT_DETACH)
	}
	os.RemoveAll(root)
}

// HasRooms reports whether the machine lets this process make rooms.
var HasRooms = sync.OnceValue(func() bool {
	root, err := os.MkdirTemp("", "readymargin-room-*")
	if err != nil {
		return false
	}
	defer Leave(root)
	return Room(context.Background(), root, "true").Run() == nil
})
