//go:build !windows

package agent

import "cirque/core/fault"

// systemSpooler is the operating system's own.
const systemSpooler = "unix"

// bringSetUp does nothing: packages put the file where it belongs.
func bringSetUp(string) error { return nil }

func openWindows() (Opened, error) {
	return Opened{}, fault.New(fault.Invalid, "spooler-unknown", "write system, or unix", "the spooler of Windows is not "+
		"on this machine")
}
