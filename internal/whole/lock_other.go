//go:build !unix

package whole

import (
	"errors"
	"io/fs"
	"os"
)

// Lock makes sure that one process alone has a file: what somebody has open cannot be removed there. ErrLocked says that
// another one has it; who that is is not known.
func Lock(file string) (unlock func() error, holder string, err error) {
	if err := os.Remove(file); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, "", ErrLocked
	}
	f, err := os.OpenFile(file, os.O_CREATE|os.O_EXCL|os.O_RDWR, 0o600)
	if err != nil {
		return nil, "", err
	}
	return f.Close, "", nil
}
