package cli

import (
	"fmt"
	"os"

	"cirque/core/fault"
	"cirque/internal/cmdline"
)

// readFile reads a file that a person has named; what says what it is to be, and may be empty.
func readFile(what, file string) ([]byte, error) {
	b, err := os.ReadFile(file)
	if err != nil {
		return nil, unreadable(what, file, err)
	}
	return b, nil
}

// unreadable is a file that could not be read, and why.
func unreadable(what, file string, err error) error {
	if what != "" {
		file = fmt.Sprintf("%s %s", what, file)
	}
	return fault.New(fault.Invalid, "file-unreadable", "name a readable file", "%s cannot be read: %s", file,
		cmdline.ReasonOf(err))
}
