package agent

import (
	"errors"
	"path/filepath"

	"cirque/core/fault"
	"cirque/internal/whole"
)

// lockState makes sure that one agent alone works with a state directory. A Conflict fault says who has it.
func lockState(dir string) (unlock func() error, err error) {
	unlock, holder, err := whole.Lock(filepath.Join(dir, "lock"))
	switch {
	case errors.Is(err, whole.ErrLocked):
		return nil, fault.New(fault.Conflict, "state-in-use", "stop it first, or name another --state directory",
			"another agent (process %s) works with %s", holder, dir).Because(err)
	case err != nil:
		return nil, fault.New(fault.Invalid, "state-directory", "name a directory that this account may write",
			"the state directory %s cannot be written", dir).Because(err)
	}
	return unlock, nil
}
