//go:build !windows

package whole

import (
	"io/fs"
	"os"
)

// give gives a file its mode.
func give(f *os.File, mode fs.FileMode) error { return f.Chmod(mode) }
