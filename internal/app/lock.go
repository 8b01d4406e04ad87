package app

import (
	"errors"
	"os"
	"path/filepath"

	"cirque/core/fault"
	"cirque/internal/whole"
)

// The files of a data directory that a process has while it runs there: the one alone, with its database, the other
// beside others, with one elsewhere.
const (
	lockFile = "lock"
	runsFile = "running"
)

// showRunning has whoever looks see that a service runs with a data directory, and which; nobody is kept away.
func showRunning(dir string) (end func() error) {
	file := filepath.Join(dir, runsFile)
	unlock, _, err := whole.Lock(file)
	if err != nil {
		return func() error { return nil } // another shows it already
	}
	return func() error { os.Remove(file); return unlock() }
}

// lockData makes sure that one process alone runs the database of a data directory. A Conflict fault says who has it.
func lockData(dir string) (unlock func() error, err error) {
	unlock, holder, err := whole.Lock(filepath.Join(dir, lockFile))
	switch {
	case errors.Is(err, whole.ErrLocked):
		return nil, fault.New(fault.Conflict, "data-in-use", "stop it first, or name another --data directory",
			"another Cirque (process %s) uses %s", holder, dir)
	case err != nil:
		return nil, fault.New(fault.Invalid, "data-directory", "name a directory that this account may write",
			"the data directory %s cannot be written", dir).Because(err)
	}
	return unlock, nil
}
