package present

import (
	"net/mail"
	"slices"
	"strings"
	"time"

	"net/netip"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/core/name"
)

// A View is what lineups are answered from: one revision of the estate, one directory, one live state. It never
// changes.
type View struct {
	World            *lineup.World
	Revision         estate.Revision
	DirectoryVersion int64

	changed  chan struct{}
	current  bool                    // it was the present one, and not made of another time or a draft
	findings func() []lineup.Finding // worked out once, when first asked for
}

// Changed is closed when another view takes this one's place.
func (v *View) Changed() <-chan struct{} { return v.changed }

// Findings gives what is wrong with the estate, against this directory.
func (v *View) Findings() []lineup.Finding { return v.findings() }

// Current says whether it is, or was, the present view, rather than one of another time or of a draft.
func (v *View) Current() bool { return v.current }

// Document gives the estate.
func (v *View) Document() *estate.Document { return v.World.Estate.Document() }

// ReportsEvery is how often agents report at least.
func (v *View) ReportsEvery() time.Duration {
	return v.Document().Agent().Report.D()
}

// SiteOfMachine gives the site at which a machine stands, by what its agent last reported; "" where that is not known.
func (v *View) SiteOfMachine(r endpoint.Report, now time.Time) string {
	for _, q := range r.Contexts {
		if c, err := q.Context(now); err == nil {
			if at := v.World.Location(c); at != "" {
				return estate.Site(at)
			}
		}
	}
	return ""
}

// SiteOf gives the site at which a machine stands, by what is fixed for it or by addresses; "" where that is not
// known.
func (v *View) SiteOf(machine string, addresses []netip.Addr, now time.Time) string {
	q := lineup.Context{Machine: machine, Addresses: addresses, Time: now, Session: estate.Sessions()[0]}
	return estate.Site(v.World.Location(q))
}

// IsPerson says whether somebody is the person of a name.
func (v *View) IsPerson(p *access.Principal, person string) bool {
	if p == nil || p.Role == access.Agent || person == "" {
		return false
	}
	return v.primary(p.Person()) == v.primary(person)
}

// NamesOf gives a person's folded names, that of the primary account first.
func (v *View) NamesOf(called string) []string {
	d := v.World.Directory
	primary := v.primary(called)
	return append([]string{primary}, d.Names(d.UserID(primary))...)
}

// primary gives the folded name of a person's primary account, whichever of theirs is given.
func (v *View) primary(called string) string {
	if u, ok := v.World.Directory.Person(called); ok {
		called = u.Name
	}
	return name.Fold(called)
}

// MailOf gives a person's mail address, where the directory has one that is whole.
func (v *View) MailOf(person string) string {
	u, ok := v.World.Directory.Person(person)
	if !ok {
		return ""
	}
	if a, err := mail.ParseAddress(u.Email); err == nil && a.Address == u.Email {
		return u.Email
	}
	return ""
}

// MachineName gives a machine's name as directory or estate write it; as it was given where neither knows it.
func (v *View) MachineName(machine string) string {
	if m, ok := v.World.Directory.Machine(machine); ok {
		return m.Name
	}
	for _, st := range v.Document().Stations {
		if name.Fold(st.Name) == name.Fold(machine) {
			return st.Name
		}
	}
	return machine
}

// CheckMachine gives a Denied fault unless an agent speaks of its own machine.
func (v *View) CheckMachine(p *access.Principal, said string) error {
	if p.Role == access.Agent && said != "" &&
		name.Fold(v.MachineName(said)) == name.Fold(v.MachineName(p.Machine)) {
		return nil
	}
	return access.CheckMachine(p, said)
}

// CheckAsking lets an agent ask only as its own machine, as the place where somebody sits or as the session host, and
// a person only as themselves.
func (v *View) CheckAsking(p *access.Principal, queries []lineup.Query) error {
	if access.Check(p, access.AskAny) == nil {
		return nil
	}
	return v.CheckOwn(p, queries)
}

// CheckOwn is CheckAsking of somebody who may not ask for anybody.
func (v *View) CheckOwn(p *access.Principal, queries []lineup.Query) error {
	if err := access.Check(p, access.AskOwn); err != nil {
		return err
	}
	for _, q := range queries {
		if p.Role != access.Agent {
			person := ""
			if q.User != nil {
				person = *q.User
			}
			if err := access.CheckPerson(p, person, v.IsPerson(p, person)); err != nil {
				return err
			}
			continue
		}
		machine := q.Machine
		if q.Host != nil {
			machine = q.Host
		}
		said := ""
		if machine != nil {
			said = *machine
		}
		if err := v.CheckMachine(p, said); err != nil {
			return err
		}
	}
	return nil
}

// Queue gives one queue by its name or an old one, with what is asked about most; an Unknown fault where the estate
// has none.
func (v *View) Queue(called string, now time.Time) (lineup.QueueSheet, error) {
	e := v.World.Estate
	name, ok := e.HasQueue(called)
	if !ok {
		return lineup.QueueSheet{}, fault.New(fault.Unknown, "queue-unknown", "see cirque queue list",
			"the estate has no queue %q", called)
	}
	doc := e.Document()
	i, _ := slices.BinarySearchFunc(doc.Queues, name, func(q estate.Queue, n string) int {
		return strings.Compare(q.Name, n)
	})
	given, _ := lineup.GivenOf(v.World, name, now)
	return lineup.NewQueueSheet(doc.Queues[i], e.Selecting(name), given, lineup.KeepsOf(doc)), nil
}

// Platforms counts the machines of each platform: those of the directory, and an estate's stations.
func (v *View) Platforms(doc *estate.Document) map[string]int {
	out := map[string]int{}
	for _, m := range v.World.Directory.Records().Machines {
		if m.Platform != "" {
			out[m.Platform]++
		}
	}
	for _, m := range doc.Stations {
		if m.Platform != "" {
			out[m.Platform]++
		}
	}
	return out
}
