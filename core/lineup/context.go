package lineup

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"time"

	"cirque/core/directory"
	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/name"
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
		complain("host", "leave the host out, or say session remote or virtual",
			"a %s session has no session host", c.Session)
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

// Query writes a context as the question that it answers, without its time.
func (c Context) Query() Query {
	q := Query{User: optText(c.User), Machine: optText(c.Machine), Host: optText(c.Host), Location: optText(c.Location),
		Session: optText(c.Session), Platform: optText(c.Platform)}
	for _, a := range c.Addresses {
		q.Addresses = append(q.Addresses, a.String())
	}
	return q
}

// QueryOf writes a context's texts as a question; what is empty is not given.
func QueryOf(c estate.PromiseContext) Query {
	return Query{User: optText(c.User), Machine: optText(c.Machine), Host: optText(c.Host), Addresses: c.Addresses,
		Location: optText(c.Location), Session: optText(c.Session), Platform: optText(c.Platform), Time: optText(c.Time)}
}

func optText(s string) *string {
	if s == "" {
		return nil
	}
	return &s
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
	user, machine, host    string   // folded
	names                  []string // the person's other names, folded
	at                     int32    // location, or none
	userID, machID         directory.MemberID
	userGroups, machGroups []int32
	userUnits, machUnits   []int32
	session                uint8  // one bit
	platform               uint32 // one bit, or none
	platformAt             int32  // its number; that after the last where none is known
	machineFrom            string // how the machine is known
	locationFrom           string // how the location is known
	notes                  []string
}

const none = int32(-1)

// facts works out the context's machine and location (estate.md, section 3) and whom it concerns. An unknown location
// that was given is an Invalid fault. explain asks for the words of why.
func (w *World) facts(c Context, s *Scratch, explain bool) (*facts, error) {
	e, d := w.Estate, w.Directory
	f := &s.facts
	*f = facts{Context: c, at: none, userID: directory.NoMember, machID: directory.NoMember,
		userGroups: f.userGroups[:0], machGroups: f.machGroups[:0], userUnits: f.userUnits[:0], machUnits: f.machUnits[:0]}
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
	if f.machine != "" {
		if f.machID = d.MachineID(f.machine); f.machID != directory.NoMember {
			f.machine = d.MachineName(f.machID) // the directory may write it otherwise
		}
		f.machGroups = w.groupRefs(d.MachineGroups(f.machID), f.machGroups)
		f.machUnits = w.unitRefs(d.MachineUnit(f.machID), f.machUnits)
	}
	if err := w.locate(f, explain); err != nil {
		return nil, err
	}
	if f.host != "" {
		if id := d.MachineID(f.host); id != directory.NoMember {
			f.host = d.MachineName(id)
		}
	}
	if f.user != "" {
		if f.userID = d.Primary(d.UserID(f.user)); f.userID != directory.NoMember {
			f.user, f.names = d.UserName(f.userID), d.Names(f.userID) // the person, whichever of their names was given
		}
		f.userGroups = w.groupRefs(d.UserGroups(f.userID), f.userGroups)
		if units := d.UserUnits(f.userID); units != nil {
			for _, u := range units {
				f.userUnits = w.unitRefs(u, f.userUnits)
			}
		} else {
			f.userUnits = w.unitRefs(d.UserUnit(f.userID), f.userUnits)
		}
	}
	f.session = sessionBit(c.Session)
	if n := platformNumber(c.Platform); n != none {
		f.platformAt, f.platform = n, 1<<n
	} else {
		f.platformAt = int32(platformCount)
	}
	return f, nil
}

// Location gives a context's location (estate.md, section 3); "" where it is unknown.
func (w *World) Location(c Context) string {
	f, err := w.facts(c, &Scratch{}, false)
	if err != nil || f.at == none {
		return ""
	}
	return w.Estate.tree.locs[f.at].path
}

func sessionBit(session string) uint8 {
	for i, s := range sessionNames {
		if s == session {
			return 1 << i
		}
	}
	return 0
}

// sessionNames spares the making of the list for every context.
var sessionNames = estate.Sessions()

func (w *World) locate(f *facts, explain bool) error {
	e := w.Estate
	if f.Location != "" {
		at, ok := e.tree.byPath[f.Location]
		if !ok {
			return fault.New(fault.Invalid, "location-unknown", nearest(f.Location, e.tree.paths()),
				"the estate has no location %q", f.Location)
		}
		f.at, f.locationFrom = at, "given"
		return nil
	}
	if f.machine != "" {
		if m, ok := w.Directory.ListedMachine(f.machID); ok && m.Location != "" {
			at, known := e.tree.byPath[m.Location]
			if known {
				f.at, f.Location, f.locationFrom = at, m.Location, "fixed for the machine in the directory"
				return nil
			}
			f.locationFrom = "unknown"
			if explain {
				f.notes = append(f.notes, fmt.Sprintf("The directory puts the machine %s at %q, which is no location of the "+
					"estate, so its location counts as unknown.", f.Machine, m.Location))
			}
			return nil
		}
		if i, ok := e.stationByName[f.machine]; ok && e.doc.Stations[i].Location != "" {
			f.Location, f.locationFrom = e.doc.Stations[i].Location, "fixed for the station"
			f.at = e.tree.byPath[f.Location]
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
		f.Location = e.tree.locs[f.at].path
	} else {
		f.locationFrom = "unknown"
		if explain && len(f.Addresses) > 0 {
			f.notes = append(f.notes, "No subnet of the estate holds any of the addresses, so the location is unknown.")
		}
	}
	return nil
}

// echoed holds the texts to which an echo points, in one piece.
type echoed struct{ user, machine, host, location, platform string }

var noAddresses = []netip.Addr{}

// echo copies what was answered for; it points into h.
func (f *facts) echo(h *echoed) Echo {
	*h = echoed{f.User, f.Machine, f.Host, f.Location, f.Platform}
	opt := func(s *string) *string {
		if *s == "" {
			return nil
		}
		return s
	}
	addrs := f.Addresses
	if addrs == nil {
		addrs = noAddresses
	}
	return Echo{opt(&h.user), opt(&h.machine), opt(&h.host), addrs, opt(&h.location), f.Session, opt(&h.platform), f.Time}
}
