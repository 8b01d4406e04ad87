//go:build !unix

package agent

import (
	"errors"
	"os"
	"path/filepath"

	"cirque/core/fault"
)

// lockState makes sure that one agent alone works with a state directory: what somebody has open cannot be removed
// there.
func lockState(dir string) (unlock func() error, err error) {
	name := filepath.Join(dir, "lock")
	if err := os.Remove(name); err != nil && !errors.Is(err, os.ErrNotExist) {
		return nil, fault.New(fault.Conflict, "state-in-use", "stop it first, or name another --state directory",
			"another agent works with %s", dir).Because(err)
	}
	f, err := os.OpenFile(name, os.O_CREATE|os.O_EXCL|os.O_RDWR, 0o600)
	if err != nil {
		return nil, fault.New(fault.Invalid, "state-directory", "name a directory that this account may write",
			"the state directory %s cannot be written", dir).Because(err)
	}
	return f.Close, nil
}
