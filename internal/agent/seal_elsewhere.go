//go:build !windows

package agent

import (
	"os"

	"cirque/core/fault"
)

// private gives an Invalid fault where others on this machine may read a file.
func private(file string) error {
	info, err := os.Stat(file)
	if err != nil {
		return err
	}
	if mode := info.Mode().Perm(); mode&0o077 != 0 {
		return fault.New(fault.Invalid, "secret-open", "chmod 600 "+file, "%s may be read by others (%04o), and holds what "+
			"lets this machine in", file, mode)
	}
	return nil
}

// heldPrivate is private for a file in a place where the system's account alone writes.
func heldPrivate(file string) error { return private(file) }

// ownFile is private for a file that the agent itself wrote.
func ownFile(file string) error { return private(file) }

// ownDirectory makes a directory that others may not enter.
func ownDirectory(dir string) error { return os.MkdirAll(dir, 0o700) }

// seal gives a secret as it is kept on the disk: here in a file that nobody else may read.
func seal(secret string) (string, error) { return secret, nil }

func unseal(kept string) (string, error) { return kept, nil }
