//go:build !linux

package convert

import (
	"errors"
	"io"
	"os"
	"os/exec"
)

func confine(*exec.Cmd) {}

// Alone says whether what converts has no network.
func Alone() bool { return false }

func inMemory(io.Reader) (*os.File, error) {
	return nil, errors.New("documents are converted on Linux alone")
}

func scratch() string { return "" }
