package agent

import (
	"path/filepath"
	"strings"

	"cirque/core/fault"
	"cirque/internal/probe/dial"
)

// Where the common Unix spooler listens, and where an agent that keeps it in line remembers.
const (
	unixSocket = "/run/cups/cups.sock"
	unixState  = "/var/lib/cirque-agent"
)

// An Opened spooler, with the machine that it is on and where its agent keeps what it knows.
type Opened struct {
	Spooler Spooler
	Machine Machine
	State   string
	Reach   dial.AddressTable // a stand-in reaches nothing but loopback
}

// Open opens a spooler by what a person writes: standin:DIR, unix for the system's own, or unix:PATH or unix:URI where
// it listens elsewhere.
func Open(spooler string) (Opened, error) {
	kind, at, _ := strings.Cut(spooler, ":")
	switch kind {
	case "unix":
		if at == "" {
			at = unixSocket
		}
		u, err := NewUnix(at, nil)
		return Opened{Spooler: u, Machine: System{}, State: unixState}, err
	case "standin":
		s, err := OpenStandIn(spooler)
		if err != nil {
			return Opened{}, err
		}
		return Opened{s, s, filepath.Join(s.Dir(), ".agent"), dial.AddressTable{"": ""}}, nil
	}
	return Opened{}, fault.New(fault.Invalid, "spooler-unknown", "write unix, unix:SOCKET, or standin:DIR",
		"the spooler %q is not known", spooler)
}

// ReadReach reads a table that leads printers' addresses elsewhere.
func ReadReach(file string) (dial.AddressTable, error) { return dial.ReadAddressTable(file) }

// An OpenedServer is a spooler that shares queues, with the machine that it is on and where its agent keeps what it
// knows.
type OpenedServer struct {
	Spooler ServerSpooler
	Machine Machine
	State   string
}

// OpenServer opens a spooler that is to be kept as a print server's, by what Open takes.
func OpenServer(spooler string) (OpenedServer, error) {
	kind, at, _ := strings.Cut(spooler, ":")
	switch kind {
	case "unix":
		if at == "" {
			at = unixSocket
		}
		u, err := NewUnixServer(at)
		return OpenedServer{u, System{}, unixState}, err
	case "standin":
		in, err := OpenStandIn(spooler)
		if err != nil {
			return OpenedServer{}, err
		}
		s, err := NewStandInServer(in)
		return OpenedServer{s, in, filepath.Join(in.Dir(), ".agent")}, err
	}
	_, err := Open(spooler)
	return OpenedServer{}, err
}
