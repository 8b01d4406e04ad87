package lineup

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"time"

	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/name"
	"cirque/internal/fault"
)

// A Query is a context as it is asked for. What is nil or empty is not given.
type Query struct {
	User      *string  `json:"user,omitempty" doc:"The person, by name in the directory."`
	Machine   *string  `json:"machine,omitempty" doc:"The machine at which the person sits."`
	Host      *string  `json:"host,omitempty" doc:"The session host; remote and virtual sessions only."`
	Addresses []string `json:"addresses,omitempty" nullable:"true" maxItems:"64" doc:"Addresses of the place where the person sits, in order."`
	Location  *string  `json:"location,omitempty" doc:"Path of a location of the estate."`
	Session   *string  `json:"session,omitempty" doc:"desktop (default), remote, virtual, mobile or browser."`
	Platform  *string  `json:"platform,omitempty" doc:"os/arch of the system on which queues are installed, such as windows/x64."`
	Time      *string  `json:"time,omitempty" doc:"RFC 3339 with offset; the present when absent."`
}

// A Context is a checked query: all that a lineup depends on. Empty fields are not given.
type Context struct {
	User, Machine, Host string
	Addresses           []netip.Addr
	Location            string
	Session             string
	Platform            string
	Time                time.Time
}

// Context checks the query; now stands in for a time that is not given. All problems are reported at once, as an
// Invalid fault with code "context-invalid".
func (q Query) Context(now time.Time) (Context, error) {
	c := Context{User: text(q.User), Machine: text(q.Machine), Host: text(q.Host), Location: text(q.Location),
		Session: text(q.Session), Platform: text(q.Platform), Time: now.UTC().Truncate(time.Second)}
	var bad []fault.Detail
	complain := func(field, fix, format string, args ...any) {
		bad = append(bad, fault.Detail{Place: field, What: fmt.Sprintf(format, args...), Fix: fix})
	}
	for field, v := range map[string]string{"user": c.User, "machine": c.Machine, "host": c.Host} {
		if v != "" && !name.Valid(v) {
			complain(field, "write a name without control characters", "%q is no name", v)
		}
	}
	for _, s := range q.Addresses {
		a, err := netip.ParseAddr(s)
		if err != nil || a.Zone() != "" {
			complain("addresses", "write an IPv4 or IPv6 address without a zone", "%q is no address", s)
			continue
		}
		c.Addresses = append(c.Addresses, a.Unmap())
	}
	if c.Session == "" {
		c.Session = estate.Sessions()[0]
	} else if !slices.Contains(estate.Sessions(), c.Session) {
		complain("session", nearest(c.Session, estate.Sessions()), "%q is no kind of session", c.Session)
	}
	if c.Host != "" && c.Session != "remote" && c.Session != "virtual" {
		complain("host", "leave the host out, or say session remote or virtual", "a %s session has no session host", c.Session)
	}
	if c.Platform != "" && !estate.ValidPlatform(c.Platform, false) {
		fix := "write os/arch, such as windows/x64"
		if estate.ValidPlatform(c.Platform, true) {
			fix = fmt.Sprintf("add the architecture, such as %s/x64", c.Platform)
		}
		complain("platform", fix, "%q is no platform", c.Platform)
	}
	if t := text(q.Time); t != "" {
		at, err := time.Parse(time.RFC3339, t)
		if err != nil {
			complain("time", "write RFC 3339 with an offset, such as 2026-11-23T10:00:00+01:00", "%q is no time", t)
		}
		c.Time = at
	}
	if c.User == "" && c.Machine == "" && len(q.Addresses) == 0 {
		complain("", "say at least one of user, machine and addresses", "the context says neither who nor where")
	}
	if len(bad) > 0 {
		slices.SortStableFunc(bad, func(a, b fault.Detail) int { return strings.Compare(a.Place, b.Place) })
		return c, fault.New(fault.Invalid, "context-invalid", bad[0].Fix, "%s", bad[0].What).With(bad)
	}
	return c, nil
}

func text(s *string) string {
	if s == nil {
		return ""
	}
	return *s
}

func nearest(word string, known []string) string {
	if k := document.Nearest(word, known); k != "" {
		return fmt.Sprintf("did you mean %q?", k)
	}
	return "write one of " + strings.Join(known, ", ")
}

// An Echo is the context that was answered for, with what followed from it filled in.
type Echo struct {
	User      *string      `json:"user"`
	Machine   *string      `json:"machine"`
	Host      *string      `json:"host"`
	Addresses []netip.Addr `json:"addresses"`
	Location  *string      `json:"location"`
	Session   string       `json:"session"`
	Platform  *string      `json:"platform"`
	Time      time.Time    `json:"time"`
}

// facts are a context as the estate and the directory see it.
type facts struct {
	Context
	user, machine, host    string // folded
	at                     int32  // location, or none
	userGroups, machGroups []int32
	userUnits, machUnits   []int32
	machineFrom            string // how the machine is known
	locationFrom           string // how the location is known
	notes                  []string
}

const none = int32(-1)

// facts works out the context's machine and location (estate.md, section 3) and whom it concerns. An unknown location
// that was given is an Invalid fault. explain asks for the words of why.
func (w *World) facts(c Context, s *Scratch, explain bool) (*facts, error) {
	e := w.Estate
	f := &s.facts
	*f = facts{Context: c, at: none, userGroups: f.userGroups[:0], machGroups: f.machGroups[:0], userUnits: f.userUnits[:0], machUnits: f.machUnits[:0]}
	f.machineFrom = "given"
	if f.Machine == "" {
		f.machineFrom = "not known: no station has one of the addresses"
		for _, a := range c.Addresses {
			if i, ok := e.stationByAddr[a]; ok {
				f.Machine = e.doc.Stations[i].Name
				if explain {
					f.machineFrom = fmt.Sprintf("the station that has the address %s", a)
				}
				break
			}
		}
	}
	f.user, f.machine, f.host = name.Fold(c.User), name.Fold(f.Machine), name.Fold(c.Host)
	if err := w.locate(f, explain); err != nil {
		return nil, err
	}
	if f.user != "" {
		f.userGroups = w.groupRefs(w.Directory.UserGroups(f.user), f.userGroups)
		f.userUnits = w.unitRefs(w.Directory.UserUnit(f.user), f.userUnits)
	}
	if f.machine != "" {
		f.machGroups = w.groupRefs(w.Directory.MachineGroups(f.machine), f.machGroups)
		f.machUnits = w.unitRefs(w.Directory.MachineUnit(f.machine), f.machUnits)
	}
	return f, nil
}

func (w *World) locate(f *facts, explain bool) error {
	e := w.Estate
	if f.Location != "" {
		at, ok := e.locByPath[f.Location]
		if !ok {
			return fault.New(fault.Invalid, "location-unknown", nearest(f.Location, e.paths()), "the estate has no location %q", f.Location)
		}
		f.at, f.locationFrom = at, "given"
		return nil
	}
	if f.machine != "" {
		if m, ok := w.Directory.Machine(f.machine); ok && m.Location != "" {
			at, known := e.locByPath[m.Location]
			if known {
				f.at, f.Location, f.locationFrom = at, m.Location, "fixed for the machine in the directory"
				return nil
			}
			f.locationFrom = "unknown"
			if explain {
				f.notes = append(f.notes, fmt.Sprintf("The directory puts the machine %s at %q, which is no location of the estate, so its location counts as unknown.", f.Machine, m.Location))
			}
			return nil
		}
		if i, ok := e.stationByName[f.machine]; ok && e.doc.Stations[i].Location != "" {
			f.Location, f.locationFrom = e.doc.Stations[i].Location, "fixed for the station"
			f.at = e.locByPath[f.Location]
			return nil
		}
	}
	best := -1
	for _, a := range f.Addresses {
		prefix, i, ok := e.subnets.LookupPrefixLPM(netip.PrefixFrom(a, a.BitLen()))
		if ok && prefix.Bits() > best {
			best = prefix.Bits()
			f.at = i
			if explain {
				f.locationFrom = fmt.Sprintf("%s lies in the subnet %s", a, prefix)
			}
		}
	}
	if f.at != none {
		f.Location = e.locs[f.at].path
	} else {
		f.locationFrom = "unknown"
		if explain && len(f.Addresses) > 0 {
			f.notes = append(f.notes, "No subnet of the estate holds any of the addresses, so the location is unknown.")
		}
	}
	return nil
}

// echo copies what was answered for; it must not point into the scratch.
func (f *facts) echo() Echo {
	opt := func(s string) *string {
		if s == "" {
			return nil
		}
		return &s
	}
	addrs := slices.Clone(f.Addresses)
	if addrs == nil {
		addrs = []netip.Addr{}
	}
	return Echo{opt(f.User), opt(f.Machine), opt(f.Host), addrs, opt(f.Location), f.Session, opt(f.Platform), f.Time}
}
