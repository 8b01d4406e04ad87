package readiness

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"cirque/core/endpoint"
	"cirque/core/fault"
	"cirque/core/words"
)

// A SetUp is what was found where a service runs or is to run, without the service's help.
type SetUp struct {
	Now     time.Time
	Account string // that looks

	Data      string // the data directory
	DataThere bool
	DataOpen  bool         // others may enter it
	DataWrong *fault.Error // it cannot be written
	Free      int64        // octets on its disk; below zero where that is not known

	Own      bool         // the service runs a database of its own in Data
	Programs *fault.Error // why PostgreSQL's programs cannot run it; nil where they can
	Major    int          // of the programs that would

	Runs    string       // the process that has the data; empty where none does
	Wrong   *fault.Error // why the database cannot be reached; nil where it was
	Reached bool         // it was
	Server  int          // its major version
	Schema  int64        // the version of what is kept there; 0 for an empty one
	Knows   int64        // the newest that this program knows
	Standby bool
	Ahead   time.Duration // by how much its clock is ahead of this machine's

	Listen string
	Taken  error  // why it cannot be listened there
	Public string // the host by which others reach it; empty where that is not said

	OwnCertificate bool
	Certificate    *fault.Error // why it cannot be used
	Names          []string     // that it is for
	Until          time.Time    // zero where there is none yet

	SecretKey     string // its file
	SecretThere   bool
	SecretOpen    bool // others may read it
	OpenFiles     uint64
	Oldest        int       // major version of PostgreSQL that the program works with
	Version       string    // of the program
	BackedUp      time.Time // when all was backed up last; zero where it never was, as far as is known
	StateOfEstate bool      // the database has kept something: a new secret key would not open it
}

// What a set-up needs.
const (
	leastFree      = 1 << 30
	leastOpenFiles = 4096
	soonEnds       = 21 * 24 * time.Hour
	clockOff       = 30 * time.Second
	backedUpWithin = 7 * 24 * time.Hour
)

// Examine asks a set-up everything that has to be so before a service can run there, in the order in which one mends.
func Examine(s SetUp) []endpoint.Check {
	e := &examination{}
	e.data(s)
	e.database(s)
	e.backup(s)
	e.network(s)
	e.keys(s)
	switch {
	case s.OpenFiles == 0:
	case s.OpenFiles < leastOpenFiles:
		e.no("May it open enough files?", "raise the limit of open files to 65536 (LimitNOFILE in a unit, ulimit -n)",
			"%d, and each agent that waits takes one", s.OpenFiles)
	default:
		e.yes("May it open enough files?", "%d", s.OpenFiles)
	}
	return e.out
}

type examination struct{ out []endpoint.Check }

func (e *examination) yes(check, says string, args ...any) {
	e.add(endpoint.Yes, check, "", says, args)
}

func (e *examination) no(check, fix, says string, args ...any) {
	e.add(endpoint.No, check, fix, says, args)
}

func (e *examination) unproven(check, says string) { e.add(endpoint.Unproven, check, "", says, nil) }

func (e *examination) add(result, check, fix, says string, args []any) {
	e.out = append(e.out, endpoint.Check{Check: check, Result: result, Says: fmt.Sprintf(says, args...), Fix: fix,
		By: "service"})
}

func (e *examination) data(s SetUp) {
	const dir, room = "Can its data directory be used?", "Has its disk room?"
	switch {
	case s.DataWrong != nil:
		e.no(dir, s.DataWrong.Fix, "%s", s.DataWrong.What)
	case s.DataThere && s.DataOpen:
		e.no(dir, "chmod 700 "+s.Data, "others than %s may enter %s, where keys lie", s.Account, s.Data)
	case s.DataThere:
		e.yes(dir, "%s may write %s", s.Account, s.Data)
	default:
		e.yes(dir, "%s is not there yet; %s may make it", s.Data, s.Account)
	}
	switch {
	case s.Free < 0:
	case s.Free < leastFree:
		e.no(room, "make room, or name another directory", "%s are free, and %s are needed to begin with",
			words.Size(s.Free), words.Size(leastFree))
	default:
		e.yes(room, "%s are free", words.Size(s.Free))
	}
}

func (e *examination) database(s SetUp) {
	const programs, reached, fits, clock = "Is PostgreSQL there?", "Does the database answer?",
		"Does it fit this version of Cirque?", "Do the clocks agree?"
	if s.Own {
		if s.Programs != nil {
			e.no(programs, s.Programs.Fix, "%s", s.Programs.What)
		} else {
			e.yes(programs, "version %d runs the service's own database", s.Major)
		}
	}
	switch {
	case s.Wrong != nil:
		e.no(reached, s.Wrong.Fix, "%s", s.Wrong.What)
		return
	case !s.Reached:
		e.unproven(reached, "it runs with the service, which does not run")
		return
	case s.Server < s.Oldest:
		e.no(reached, fmt.Sprintf("upgrade it to %d or later", s.Oldest), "it does, and is PostgreSQL %d", s.Server)
		return
	case s.Standby:
		e.no(reached, "name the primary, too, in the URL: host=A,B and target_session_attrs=read-write",
			"it does, and stands by for another: nothing is kept there")
	default:
		e.yes(reached, "it is PostgreSQL %d", s.Server)
	}
	switch {
	case s.Schema == 0:
		e.yes(fits, "it is empty, and is furnished at the first start")
	case s.Schema < s.Knows:
		e.yes(fits, "it is of an older version (%d of %d), and is upgraded at the start; back it up before", s.Schema,
			s.Knows)
	case s.Schema > s.Knows:
		e.no(fits, "install the version that made it, or a later one", "it was made by a later version (%d, and %s knows %d)",
			s.Schema, s.Version, s.Knows)
	default:
		e.yes(fits, "it is of this version")
	}
	if s.Ahead.Abs() > clockOff {
		e.no(clock, "have both follow a time server", "the database's is %s %s this machine's", words.Span(s.Ahead.Abs()),
			map[bool]string{true: "ahead of", false: "behind"}[s.Ahead > 0])
	} else {
		e.yes(clock, "within %s", words.Span(clockOff))
	}
}

// backup says when all was backed up; of a database that holds nothing there is nothing to back up.
func (e *examination) backup(s SetUp) {
	const check = "Was it backed up of late?"
	switch age := s.Now.Sub(s.BackedUp); {
	case !s.Reached || s.Schema == 0:
	case s.BackedUp.IsZero():
		e.add(endpoint.Unproven, check, "cirque backup, every day", "no backup is known of", nil)
	case age > backedUpWithin:
		e.no(check, "cirque backup, every day", "not for %d days", int(age/(24*time.Hour)))
	default:
		e.yes(check, "%s ago", words.Span(age.Round(time.Minute)))
	}
}

func (e *examination) network(s SetUp) {
	const port, cert = "Can it listen?", "Is its certificate good?"
	switch {
	case s.Runs != "":
		e.yes(port, "the service runs already, as process %s", s.Runs)
	case s.Taken != nil:
		e.no(port, "end what listens there, or name another address with listen", "not at %s: %v", s.Listen, s.Taken)
	default:
		e.yes(port, "at %s", s.Listen)
	}
	until := cmp.Or(s.Until.UTC().Format("2 January 2006"), "")
	switch {
	case s.Certificate != nil:
		e.no(cert, s.Certificate.Fix, "%s", s.Certificate.What)
	case s.Until.IsZero():
		e.yes(cert, "one by its own authority is made at the start")
	case s.Now.After(s.Until):
		e.no(cert, "renew it", "it ended on %s", until)
	case s.Public != "" && !slices.Contains(s.Names, s.Public) && !s.OwnCertificate:
		e.no(cert, "have one made for that name, or name another public-url", "it is for %s, and others come by %s",
			strings.Join(s.Names, ", "), s.Public)
	case s.Until.Sub(s.Now) < soonEnds && !s.OwnCertificate:
		e.no(cert, "renew it", "it ends on %s", until)
	default:
		e.yes(cert, "until %s", until)
	}
}

func (e *examination) keys(s SetUp) {
	const secret = "Is its secret key there, and secret?"
	switch {
	case s.SecretThere && s.SecretOpen:
		e.no(secret, "chmod 600 "+s.SecretKey, "%s may be read by others", s.SecretKey)
	case s.SecretThere:
		e.yes(secret, "%s", s.SecretKey)
	case s.StateOfEstate:
		e.no(secret, "put it back from a backup; without it what was sealed with it has to be entered anew: cirque "+
			"secret-key",
			"%s is not there, and the database holds what it sealed", s.SecretKey)
	default:
		e.yes(secret, "it is made at the first start")
	}
}
