// Package confine puts walls around child processes that read what strangers
// made: no network, an empty root, another user and resource limits, each
// where the machine permits. Limits hold always; what else holds is told by
// `readymargin doctor`.
package confine

import (
	"os"
	"os/exec"
	"sync"
	"syscall"
	"time"
)

// Nobody is the user and group without rights that root's children become.
const Nobody = 65534

// Child gives cmd a process group of its own and, where this process may make
// one, an own network namespace without a network.
func Child(cmd *exec.Cmd) {
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	if mayUnshare() {
		cmd.SysProcAttr.Cloneflags = syscall.CLONE_NEWNET | syscall.CLONE_NEWIPC
	}
}

// Stranger confines a program that is not ours: like Child, and, for root, as
// nobody from the start.
func Stranger(cmd *exec.Cmd) {
	Child(cmd)
	if os.Getuid() == 0 {
		cmd.SysProcAttr.Credential = &syscall.Credential{Uid: Nobody, Gid: Nobody}
	}
}

// mayUnshare tries once whether the machine lets this process make namespaces.
var mayUnshare = sync.OnceValue(func() bool {
	probe := exec.Command("/bin/true")
	probe.SysProcAttr = &syscall.SysProcAttr{Cloneflags: syscall.CLONE_NEWNET | syscall.CLONE_NEWIPC}
	return os.Getuid() == 0 && probe.Run() == nil
})

// Self puts up the walls that a worker can put up from the inside, once it
// has everything that it needs from the disk. A wall that cannot be put up is
// left out.
func Self() {
	limit := func(what int, n uint64) { syscall.Setrlimit(what, &syscall.Rlimit{Cur: n, Max: n}) }
	limit(syscall.RLIMIT_CORE, 0)
	limit(syscall.RLIMIT_FSIZE, 0)
	limit(syscall.RLIMIT_NOFILE, 16)
	limit(syscall.RLIMIT_CPU, 3600)
	if os.Getuid() != 0 {
		return
	}
	empty, err := os.MkdirTemp("", "readymargin-worker-*")
	if err != nil {
		return
	}
	if syscall.Chroot(empty) == nil {
		os.Chdir("/")
	}
	syscall.Setgroups(nil)
	syscall.Setgid(Nobody)
	syscall.Setuid(Nobody)
}

// EndWithParent ends this process when the one that started it is gone.
func EndWithParent() {
	parent := os.Getppid()
	for range time.Tick(time.Second) {
		if os.Getppid() != parent {
			os.Exit(1)
		}
	}
}
