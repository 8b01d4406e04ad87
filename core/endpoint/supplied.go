package endpoint

import (
	"cmp"
	"strings"
	"time"

	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/core/name"
	"cirque/core/words"
)

// A Supplied is a context to which was added what is known of its machine, with where each part comes from. What was
// given is never altered; what is not known stays out.
type Supplied struct {
	Context  lineup.Query `json:"context" doc:"As it was given, with what was added. Ask for its lineup as it is."`
	Added    []Added      `json:"added"`
	Unknown  []Unknown    `json:"unknown" doc:"Names that neither the directory, nor the estate, nor any endpoint knows."`
	Location string       `json:"location" doc:"Where that context is; empty where that is not known."`
}

// An Added is one part of a context that was not given.
type Added struct {
	Part  string     `json:"part" enum:"platform,addresses,location,session,host"`
	Value string     `json:"value"`
	From  string     `json:"from" enum:"report,station,directory" doc:"What the machine's agent last reported, the estate's station, or the directory."`
	At    *time.Time `json:"at" doc:"When it was reported; null where it was written down."`
}

// Sentence says a part with where it comes from and how old that is, such as "platform windows/x64, by the report of
// 3 min ago".
func (a Added) Sentence(now time.Time) string {
	switch a.From {
	case fromReport:
		return a.Part + " " + a.Value + ", by the report of " + words.Span(now.Sub(*a.At)) + " ago"
	case fromStation:
		return a.Part + " " + a.Value + ", by the estate's station"
	}
	return a.Part + " " + a.Value + ", by the directory"
}

// An Unknown is a name of a context that nothing knows.
type Unknown struct {
	Kind string   `json:"kind" enum:"user,machine,host"`
	Name string   `json:"name"`
	Near []string `json:"near" doc:"Names that may have been meant."`
}

// Sentence says it, with the question what was meant.
func (u Unknown) Sentence() string {
	kind := map[string]string{"user": "person", "machine": "machine", "host": "session host"}[u.Kind]
	says := "Nobody knows a " + kind + " " + u.Name + ": neither the directory nor any endpoint"
	if u.Kind != "user" {
		says = "Nothing is known of a " + kind + " " + u.Name + ": neither the directory, nor the estate, nor an " +
			"endpoint has it"
	}
	if near := name.DidYouMean(u.Near, ""); near != "" {
		return says + "; " + near
	}
	return says + "."
}

// Where a part of a context comes from.
const (
	fromReport    = "report"
	fromStation   = "station"
	fromDirectory = "directory"
)

// A Supplier knows of what contexts are completed.
type Supplier struct {
	World *lineup.World
	// Reported gives what an agent last reported from a machine, by its folded name; nil where none has, or where
	// whoever asks may not see it.
	Reported func(machine string) *Record
	// Seen says whether somebody has a session on any endpoint, under a folded name.
	Seen func(user string) bool
}

// Supply adds to a context what is known of its machine: the platform, addresses and kind of session of its last
// report, else what the estate's station or the directory says.
func (s Supplier) Supply(q lineup.Query) Supplied {
	out := Supplied{Context: q, Added: []Added{}, Unknown: []Unknown{}}
	c := &out.Context
	machine, host := said(q.Machine), said(q.Host)
	if machine == "" && host == "" {
		machine = s.stationAt(q.Addresses)
	}
	rec := s.reported(machine)
	mine := contextOf(rec, said(q.User), machine)
	add := func(part, value, from string, by *Record) {
		a := Added{Part: part, Value: value, From: from}
		if by != nil {
			at := by.LastSeen
			a.At = &at
		}
		out.Added = append(out.Added, a)
	}
	if q.Session == nil && q.Host == nil && mine != nil && said(mine.User) != "" && said(mine.Session) != "" &&
		said(mine.Session) != estate.Sessions()[0] {
		c.Session = mine.Session
		add("session", *mine.Session, fromReport, rec)
		if said(mine.Host) != "" {
			c.Host = mine.Host
			add("host", *mine.Host, fromReport, rec)
		}
	}
	s.platform(c, machine, said(c.Host), add)
	station := s.World.Estate.Station(machine)
	switch {
	case len(q.Addresses) > 0 || machine == "":
	case mine != nil && len(mine.Addresses) > 0:
		c.Addresses = mine.Addresses
		add("addresses", strings.Join(mine.Addresses, " "), fromReport, rec)
	case station != nil && len(station.Addresses) > 0:
		for _, a := range station.Addresses {
			c.Addresses = append(c.Addresses, a.String())
		}
		add("addresses", strings.Join(c.Addresses, " "), fromStation, nil)
	}
	if q.Location == nil && mine != nil && said(mine.Location) != "" {
		c.Location = mine.Location
		add("location", *mine.Location, fromReport, rec)
	}
	s.unknown(q, &out)
	if asked, err := c.Context(time.Time{}); err == nil {
		out.Location = s.World.Location(asked)
	}
	return out
}

// platform adds the platform of the system on which queues are installed: of the session host, else of the machine.
func (s Supplier) platform(c *lineup.Query, machine, host string, add func(part, value, from string, by *Record)) {
	if said(c.Platform) != "" {
		return
	}
	on := cmp.Or(host, machine)
	take := func(platform, from string, by *Record) bool {
		if !estate.ValidPlatform(platform, false) {
			return false
		}
		c.Platform = &platform
		add("platform", platform, from, by)
		return true
	}
	if at := s.reported(on); at != nil && take(at.Report.Platform, fromReport, at) {
		return
	}
	if st := s.World.Estate.Station(on); st != nil && take(st.Platform, fromStation, nil) {
		return
	}
	if m, ok := s.World.Directory.Machine(on); ok {
		take(m.Platform, fromDirectory, nil)
	}
}

func (s Supplier) reported(machine string) *Record {
	if machine == "" || s.Reported == nil {
		return nil
	}
	return s.Reported(name.Fold(machine))
}

// contextOf finds, of what a machine reported, the context of a person there, else one of the machine itself.
func contextOf(rec *Record, user, machine string) *lineup.Query {
	if rec == nil {
		return nil
	}
	var other *lineup.Query
	for i := range rec.Report.Contexts {
		q := &rec.Report.Contexts[i]
		if name.Fold(said(q.Machine)) != name.Fold(machine) {
			continue
		}
		if user != "" && name.Fold(said(q.User)) == name.Fold(user) {
			return q
		}
		if other == nil || said(q.User) == "" {
			other = q
		}
	}
	return other
}

// stationAt names the station that has the first address which any station has (estate.md, section 3).
func (s Supplier) stationAt(addresses []string) string {
	c, err := lineup.Query{Addresses: addresses}.Context(time.Time{})
	if err != nil {
		return ""
	}
	for _, a := range c.Addresses {
		if st := s.World.Estate.StationAt(a); st != nil {
			return st.Name
		}
	}
	return ""
}

func (s Supplier) unknown(q lineup.Query, out *Supplied) {
	d := s.World.Directory
	if user := said(q.User); user != "" && !s.KnowsUser(user) {
		out.Unknown = append(out.Unknown, Unknown{"user", user, d.Near("user", user)})
	}
	for _, m := range []struct{ kind, called string }{{"machine", said(q.Machine)}, {"host", said(q.Host)}} {
		if m.called != "" && !s.KnowsMachine(m.called) {
			out.Unknown = append(out.Unknown, Unknown{m.kind, m.called, lineup.NearMachines(s.World.Estate, d, m.called)})
		}
	}
}

// CheckUser gives an Unknown fault, with names that may have been meant, for somebody whom nothing knows.
func (s Supplier) CheckUser(called string) error {
	if s.KnowsUser(called) {
		return nil
	}
	fix := name.DidYouMean(s.World.Directory.Near("user", called), "see cirque directory find")
	return fault.New(fault.Unknown, "user-unknown", fix,
		"nobody knows a person %q: neither the directory nor any endpoint", called)
}

// CheckMachine gives an Unknown fault, with names that may have been meant, for a machine that nothing knows.
func (s Supplier) CheckMachine(called string) error {
	if s.KnowsMachine(called) {
		return nil
	}
	near := lineup.NearMachines(s.World.Estate, s.World.Directory, called)
	return fault.New(fault.Unknown, "machine-unknown", name.DidYouMean(near, "see cirque endpoint list"),
		"nothing knows a machine %q: neither the directory, nor the estate, nor an endpoint has it", called)
}

// KnowsUser says whether the directory has somebody, or a group of it names them, or they have a session somewhere.
func (s Supplier) KnowsUser(called string) bool {
	d := s.World.Directory
	if _, ok := d.User(called); ok || d.UserID(name.Fold(called)) != directory.NoMember {
		return true
	}
	return s.Seen != nil && s.Seen(name.Fold(called))
}

// KnowsMachine says whether the directory or the estate has a machine, or a group names it, or its agent reports.
func (s Supplier) KnowsMachine(called string) bool {
	d := s.World.Directory
	if _, ok := d.Machine(called); ok || d.MachineID(name.Fold(called)) != directory.NoMember {
		return true
	}
	return s.World.Estate.Station(called) != nil || s.reported(called) != nil
}

func said(s *string) string {
	if s == nil {
		return ""
	}
	return *s
}
