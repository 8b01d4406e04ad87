package agent

// Where the system's spooler listens, and where an agent keeps what it knows.
const (
	unixSocket = "/private/var/run/cupsd"
	stateDir   = "/Library/Application Support/Cirque Agent"
)

// DefaultState is where an agent keeps what it knows.
func DefaultState() string { return stateDir }

// configDir is where what is set by hand lies.
func configDir() string { return stateDir }
