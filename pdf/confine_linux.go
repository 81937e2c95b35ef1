package pdf

import (
	"os"
	"os/exec"
	"syscall"
	"time"
)

// confine asks for namespaces of the worker's own, without a network, where
// this process may make them.
func confine(cmd *exec.Cmd) {
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	if os.Getuid() == 0 && mayUnshare() {
		cmd.SysProcAttr.Cloneflags = syscall.CLONE_NEWNET | syscall.CLONE_NEWIPC
	}
}

// mayUnshare tries once whether the machine lets this process make a network
// namespace.
func mayUnshare() bool {
	probe := exec.Command("/bin/true")
	probe.SysProcAttr = &syscall.SysProcAttr{Cloneflags: syscall.CLONE_NEWNET | syscall.CLONE_NEWIPC}
	return probe.Run() == nil
}

// confineSelf puts up the walls that a worker can put up from the inside:
// limits always, and, for root, an empty root folder and another user.
// Errors are not fatal: what holds is told by Pool.Confinement.
func confineSelf(l Limits) {
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
	const nobody = 65534
	syscall.Setgroups(nil)
	syscall.Setgid(nobody)
	syscall.Setuid(nobody)
}

// endWithParent ends the worker when the process that started it is gone.
func endWithParent() {
	parent := os.Getppid()
	for range time.Tick(time.Second) {
		if os.Getppid() != parent {
			os.Exit(1)
		}
	}
}
