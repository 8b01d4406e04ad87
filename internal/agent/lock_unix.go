//go:build unix

package agent

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"syscall"

	"cirque/core/fault"
)

// lockState makes sure that one agent alone works with a state directory. The lock ends with the process, however it
// ends. A Conflict fault says who has it.
func lockState(dir string) (unlock func() error, err error) {
	f, err := os.OpenFile(filepath.Join(dir, "lock"), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, fault.New(fault.Invalid, "state-directory", "name a directory that this account may write",
			"the state directory %s cannot be written", dir).Because(err)
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		b, _ := io.ReadAll(io.LimitReader(f, 20))
		return nil, errors.Join(fault.New(fault.Conflict, "state-in-use", "stop it first, or name another --state directory",
			"another agent (process %s) works with %s", strings.TrimSpace(string(b)), dir), f.Close())
	}
	// Who has it is told to whoever comes later; on a full disk it is not, and locked all the same.
	if f.Truncate(0) == nil {
		_, _ = fmt.Fprintln(f, os.Getpid())
	}
	return f.Close, nil
}
