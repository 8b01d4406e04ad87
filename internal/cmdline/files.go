package cmdline

import (
	"errors"
	"io/fs"
)

// ReasonOf says why a file could not be read, without its name.
func ReasonOf(err error) string {
	if e, ok := errors.AsType[*fs.PathError](err); ok {
		return e.Err.Error()
	}
	return err.Error()
}
