package agent

import (
	"cmp"
	"path/filepath"
	"strings"

	"cirque/core/fault"
	"cirque/internal/probe/dial"
)

// An Opened spooler, with the machine that it is on and where its agent keeps what it knows.
type Opened struct {
	Spooler Spooler
	Machine Machine
	State   string
	Reach   dial.AddressTable // a stand-in reaches nothing but loopback
	Version string            // of the program, for what is reported
}

// OwnSpooler names the operating system's own spooler, whichever that is.
const OwnSpooler = "system"

// Open opens a spooler by what a person writes: system for the operating system's own, which is windows on Windows and
// unix elsewhere; unix:PATH or unix:URI where the latter listens elsewhere; or standin:DIR.
func Open(spooler string) (Opened, error) {
	kind, at, _ := strings.Cut(spooler, ":")
	if spooler == OwnSpooler {
		kind = systemSpooler
	}
	switch kind {
	case "unix":
		u, err := NewUnix(cmp.Or(at, unixSocket), nil)
		return Opened{Spooler: u, Machine: System{}, State: DefaultState()}, err
	case "windows":
		return openWindows()
	case "standin":
		s, err := OpenStandIn(spooler)
		if err != nil {
			return Opened{}, err
		}
		return Opened{Spooler: s, Machine: s, State: filepath.Join(s.Dir(), ".agent"),
			Reach: dial.AddressTable{"": ""}}, nil
	}
	return Opened{}, fault.New(fault.Invalid, "spooler-unknown", "write system, unix:SOCKET, or standin:DIR",
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
	if spooler == OwnSpooler {
		kind = systemSpooler
	}
	switch kind {
	case "unix":
		u, err := NewUnixServer(cmp.Or(at, unixSocket))
		return OpenedServer{u, System{}, DefaultState()}, err
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
