package cluster

import (
	"fmt"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"runtime"
	"strconv"
	"syscall"

	"cirque/core/fault"
)

// An account runs the database where we are root, which PostgreSQL refuses. The nil account is ourselves.
type account struct {
	name string
	cred *syscall.Credential
}

// unprivileged picks the account: none is needed unless we are root.
func unprivileged() (*account, error) {
	if os.Getuid() != 0 {
		return nil, nil
	}
	for _, name := range []string{"postgres", "nobody"} {
		u, err := user.Lookup(name)
		if err != nil {
			continue
		}
		uid, err1 := strconv.ParseUint(u.Uid, 10, 32)
		gid, err2 := strconv.ParseUint(u.Gid, 10, 32)
		if err1 == nil && err2 == nil {
			return &account{name, &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}}, nil
		}
	}
	return nil, fault.New(fault.Unavailable, "database-account", "add one (adduser --system postgres), or run Cirque as "+
		"an ordinary user",
		"the database does not run as root, and there is no account postgres or nobody to run it")
}

// letThrough opens the data directory to passing through where it is closed and ours: what lies in it has modes of its
// own. Directories above it are not Cirque's to open.
func (a *account) letThrough(data string) error {
	if a == nil || a.enters(data) || !a.enters(filepath.Dir(data)) {
		return nil
	}
	info, err := os.Stat(data)
	if err != nil {
		return err
	}
	return os.Chmod(data, info.Mode().Perm()|0o001)
}

// canEnter says where the account's way to dir ends, and how to open it.
func (a *account) canEnter(dir string) error {
	if a == nil || a.enters(dir) {
		return nil
	}
	closed := dir
	for up := filepath.Dir(dir); up != "/" && !a.enters(up); up = filepath.Dir(up) {
		closed = up
	}
	return fault.New(fault.Invalid, "data-unreachable", fmt.Sprintf("chmod o+x %s, or name a --data directory "+
		"elsewhere, such as /var/lib/cirque", closed),
		"the account %s, which runs the database when Cirque runs as root, cannot enter %s", a.name, closed)
}

// enters tries it the way the database will: by changing to the directory.
func (a *account) enters(dir string) bool {
	cmd := exec.Command("/bin/true")
	cmd.Dir = dir
	cmd.SysProcAttr = &syscall.SysProcAttr{Credential: a.cred}
	return cmd.Run() == nil
}

// run starts cmd and waits for it. A throwaway server gets a signal when this process dies; that is tied to the thread
// that started it, which therefore is kept.
func run(cmd *exec.Cmd, throwaway bool, started chan<- error, exit chan<- struct{}) {
	defer close(exit)
	if throwaway {
		runtime.LockOSThread()
		cmd.SysProcAttr.Pdeathsig = syscall.SIGQUIT
	}
	err := cmd.Start()
	started <- err
	if err == nil {
		_ = cmd.Wait()
	}
}
