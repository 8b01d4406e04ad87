// Package windows drives the print spooler of Windows for an agent: queues to IPP and raw ports, for everybody on the
// machine or one person, with drivers out of Cirque's packages. What it decides is the same on every system and is
// tested on every one; what the system has to do stands behind small interfaces (Parts), so that each call which a
// system lacks can be given a stand-in by itself. docs/reference/windows.md says call by call where it is run.
package windows

import (
	"context"

	"cirque/core/endpoint"
	"cirque/core/name"
	"cirque/internal/winspool"
)

// A Spooler is the one of a Windows machine. A queue of one person is a queue of its own, which only that person may
// use and see, as the system itself has it for what people bring into their sessions; where it leads to a queue that
// another Windows machine shares, it is a connection of that person's.
type Spooler struct {
	parts    Parts
	platform string
	packages func(ctx context.Context, exact string) (Package, error)
	logins   map[string]string // by folded person
	people   map[string]string // by folded login
}

// Parts are what the system offers, apart.
type Parts struct {
	Queues      Queues
	Rights      Rights
	Ports       Ports
	Drivers     Drivers
	Jobs        Jobs
	People      People
	Connections Connections
	Memory      Memory
}

type (
	// Queues are the spooler's queues themselves.
	Queues interface {
		Printers() ([]winspool.Printer, error)
		Add(p winspool.Printer) error
		// Set brings the queue that has a name to what p says: port, driver, comment, location, DEVMODE.
		Set(called string, p winspool.Printer) error
		Rename(called, to string, p winspool.Printer) error
		Delete(called string) error
		// Mode gives the DEVMODE that the queue's driver makes, with what is in another put in as far as it takes that.
		Mode(called string, in []byte) ([]byte, error)
		SetMode(called string, mode []byte) error
		// Mark gives the text that was kept with a queue; it stays with it when the queue is renamed.
		Mark(called string) (string, error)
		SetMark(called, text string) error
	}
	// Rights say who may use a queue, and whether it goes.
	Rights interface {
		Secure(called, sddl string) error
		Rights(called string) (sddl string, err error)
		Resume(called string) error
	}
	// Ports are where queues lead.
	Ports interface {
		// Make makes the port that leads to a URI, or brings the one that is there to it, and names it.
		Make(uri string) (port string, err error)
		// Leads gives the URI to which each port leads, by its name, as far as the system tells; what it does not tell is
		// given by known.
		Leads(known map[string]string) (map[string]string, error)
		Delete(port, uri string) error
	}
	// Drivers are those that are installed.
	Drivers interface {
		Installed() ([]winspool.Driver, error)
		// Install has a driver out of a package installed under its exact name.
		Install(p Package) error
		// Signed says whether a package is signed, and by whom.
		Signed(p Package) string
		// OfTheSystem has one installed that comes with the system.
		OfTheSystem(exact string) error
		// Ticket has a queue's driver make a DEVMODE of a print ticket. An error where the driver takes none.
		Ticket(called string, ticket []byte) ([]byte, error)
	}
	// Jobs are what is printed.
	Jobs interface {
		// Print prints lines through the queue's driver; raw has the printer given them as they are.
		Print(called, title string, lines []string, raw bool) (id uint32, err error)
		Job(called string, id uint32) (j winspool.Job, ok bool, err error)
		List(called string) ([]winspool.Job, error)
	}
	// People are those who are signed in, by their sign-in names.
	People interface {
		// SID gives the identifier by which the system knows somebody.
		SID(login string) (string, error)
		Default(login string) (string, error)
		SetDefault(login, called string) error
		// Connections gives the connections to other machines' queues that somebody has.
		Connections(login string) ([]string, error)
	}
	// Connections are made and taken away in a person's own session.
	Connections interface {
		Connect(login, to string) error
		Disconnect(login, to string) error
	}
	// Memory keeps one text for the machine.
	Memory interface {
		Load() (string, error)
		Save(text string) error
	}
)

// A Package is a driver with its files on this machine's disk.
type Package struct {
	Exact  string
	Digest string
	Dir    string // where its files lie
	SetUp  string // its set-up file, below Dir
}

// New makes one; platform is the machine's, such as windows/x64.
func New(parts Parts, platform string) *Spooler {
	return &Spooler{parts: parts, platform: platform, logins: map[string]string{}, people: map[string]string{}}
}

// Name names the spooler.
func (s *Spooler) Name() string { return "windows" }

// PackagesFrom says where drivers come from.
func (s *Spooler) PackagesFrom(get func(ctx context.Context, exact string) (Package, error)) {
	s.packages = get
}

// ClosesQueues says that it can: nobody may use a closed queue, and its comment says why.
func (s *Spooler) ClosesQueues() {}

// SignedIn hears who is who. Who is seen for the first time is given everybody's default.
func (s *Spooler) SignedIn(logins []endpoint.Login) {
	s.logins, s.people = map[string]string{}, map[string]string{}
	for _, l := range logins {
		if l.User != "" {
			s.logins[name.Fold(l.User)] = l.System
			s.people[name.Fold(l.System)] = l.User
		}
	}
	s.welcome()
}

// login gives the sign-in name of a person; of one who is not signed in, the name itself, folded.
func (s *Spooler) login(person string) string {
	if l, ok := s.logins[name.Fold(person)]; ok {
		return l
	}
	return name.Fold(person)
}

// person gives who signs in under a name.
func (s *Spooler) person(login string) string {
	if p, ok := s.people[name.Fold(login)]; ok {
		return p
	}
	return login
}
