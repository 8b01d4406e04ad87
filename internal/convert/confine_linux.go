package convert

import (
	"io"
	"os"
	"os/exec"
	"sync"
	"syscall"

	"golang.org/x/sys/unix"
)

// nobody is the account without rights.
const nobody = 65534

// network says whether a process can be given a network of its own, in which there is nothing.
var network = sync.OnceValue(func() bool {
	cmd := exec.Command("/bin/true")
	cmd.SysProcAttr = apart()
	return cmd.Run() == nil
})

// apart is a process with a network of its own; as nobody where we are root, else in a world of its own users.
func apart() *syscall.SysProcAttr {
	if os.Getuid() == 0 {
		return &syscall.SysProcAttr{Cloneflags: syscall.CLONE_NEWNET | syscall.CLONE_NEWIPC,
			Credential: &syscall.Credential{Uid: nobody, Gid: nobody}}
	}
	return &syscall.SysProcAttr{Cloneflags: syscall.CLONE_NEWUSER | syscall.CLONE_NEWNET | syscall.CLONE_NEWIPC,
		UidMappings: []syscall.SysProcIDMap{{ContainerID: os.Getuid(), HostID: os.Getuid(), Size: 1}},
		GidMappings: []syscall.SysProcIDMap{{ContainerID: os.Getgid(), HostID: os.Getgid(), Size: 1}}}
}

// confine takes from a process what it does not need, as far as the system lets us.
func confine(cmd *exec.Cmd) {
	switch {
	case network():
		cmd.SysProcAttr = apart()
	case os.Getuid() == 0:
		cmd.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: nobody, Gid: nobody}}
	default:
		cmd.SysProcAttr = &syscall.SysProcAttr{}
	}
}

// Alone says whether what converts has no network.
func Alone() bool { return network() }

// inMemory is a file with a document that lies on no disk.
func inMemory(in io.Reader) (*os.File, error) {
	fd, err := unix.MemfdCreate("document", unix.MFD_CLOEXEC)
	if err != nil {
		return nil, err
	}
	f := os.NewFile(uintptr(fd), "document")
	if _, err := io.Copy(f, in); err != nil {
		_ = f.Close()
		return nil, err
	}
	_, err = f.Seek(0, io.SeekStart)
	return f, err
}

// scratch is where what converts may write: in memory, where that is there.
func scratch() string {
	if s, err := os.Stat("/dev/shm"); err == nil && s.IsDir() {
		return "/dev/shm"
	}
	return ""
}
