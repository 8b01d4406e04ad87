//go:build !windows && !darwin

package agent

// Where the common Unix spooler listens, and where an agent that keeps it in line remembers.
const (
	unixSocket = "/run/cups/cups.sock"
	stateDir   = "/var/lib/cirque-agent"
)

// DefaultState is where an agent keeps what it knows.
func DefaultState() string { return stateDir }

// configDir is where what is set by hand lies.
func configDir() string { return "/etc/cirque-agent" }
