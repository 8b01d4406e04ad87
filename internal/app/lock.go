package app

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"syscall"

	"cirque/core/fault"
)

// lockData makes sure that one process alone runs the database of a data directory. The lock ends with the process,
// however it ends. A Conflict fault says who has it.
func lockData(dir string) (unlock func() error, err error) {
	f, err := os.OpenFile(filepath.Join(dir, "lock"), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, fault.New(fault.Invalid, "data-directory", "name a directory that this account may write",
			"the data directory %s cannot be written", dir).Because(err)
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		b, _ := os.ReadFile(f.Name())
		_ = f.Close()
		return nil, fault.New(fault.Conflict, "data-in-use", "stop it first, or name another --data directory",
			"another Cirque (process %s) uses %s", strings.TrimSpace(string(b)), dir)
	}
	// Who has it is told to whoever comes later; on a full disk it is not, and locked all the same.
	if f.Truncate(0) == nil {
		_, _ = fmt.Fprintln(f, os.Getpid())
	}
	return f.Close, nil
}
