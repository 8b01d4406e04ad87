package decommission

import (
	"cmp"
	"fmt"
	"slices"

	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/stock"
	"cirque/core/words"
)

// A Wave leads some of a server's queues elsewhere. The path through the server stays behind the new one, so that its
// queue stays while somebody still uses it, and is a way back.
type Wave struct {
	From    string
	To      string   // server, device or gateway
	Server  string   // to which server
	Percent int      // how many of all queues of the server go with this wave, 1 to 100
	Only    []string // these alone; all that there are where none is named
	Back    bool     // take the new path out again instead
}

// Progress is how far a server's queues have been led elsewhere.
type Progress struct {
	All   int `json:"all" doc:"Queues with a path through the server."`
	Moved int `json:"moved" doc:"Those of them that lead elsewhere first, once this is published."`
}

// aside is a path that takes the place of one through a server, wherever that one held.
func (w Wave) aside(p estate.Path, q estate.Queue, devices map[string]estate.Device) (estate.Path, string) {
	if w.To == "server" {
		return estate.Path{Server: w.Server, RemoteName: p.RemoteName, At: p.At, Sessions: p.Sessions}, ""
	}
	direct, why := straight(q, w.To, devices)
	direct.At, direct.Sessions = p.At, p.Sessions
	return direct, why
}

// Through says which of a queue's paths lead through a server, straight or through one of some sets.
func through(q estate.Queue, server string, sets []string) (at []int) {
	for i, p := range q.Paths {
		if p.Server == server || p.Set != "" && slices.Contains(sets, p.Set) {
			at = append(at, i)
		}
	}
	return at
}

// led says whether a queue leads elsewhere before each of its paths through a server.
func (w Wave) led(q estate.Queue, at []int, devices map[string]estate.Device) bool {
	for _, i := range at {
		want, why := w.aside(q.Paths[i], q, devices)
		if why != "" || !slices.ContainsFunc(q.Paths[:i], func(p estate.Path) bool { return covers(p, want) }) {
			return false
		}
	}
	return len(at) > 0
}

// Edits rewrites the queues of the next wave, in the order of their names, and says how far it is then.
func (w Wave) Edits(doc *estate.Document, readings map[string]*stock.Device) ([]estate.Edit, []Moved, Progress, error) {
	if err := w.check(doc); err != nil {
		return nil, nil, Progress{}, err
	}
	d := DependentsOf(doc, w.From, nil)
	for _, q := range w.Only {
		if !slices.Contains(d.Queues, q) {
			return nil, nil, Progress{}, fault.New(fault.Invalid, "queue-elsewhere", "see cirque server depends "+w.From,
				"the queue %s does not lead through %s", q, w.From)
		}
	}
	devices := map[string]estate.Device{}
	for _, x := range doc.Devices {
		devices[x.Name] = x
	}
	var all []estate.Queue
	for _, q := range doc.Queues {
		if slices.Contains(d.Queues, q.Name) {
			all = append(all, q)
		}
	}
	slices.SortFunc(all, func(a, b estate.Queue) int { return cmp.Compare(a.Name, b.Name) })
	left := (len(all)*cmp.Or(w.Percent, 100) + 99) / 100
	progress := Progress{All: len(all)}
	var edits []estate.Edit
	out := []Moved{}
	for _, q := range all {
		at := through(q, w.From, d.Sets)
		is := w.led(q, at, devices)
		if is {
			progress.Moved++
		}
		if is != w.Back || len(w.Only) > 0 && !slices.Contains(w.Only, q.Name) || left == 0 {
			continue
		}
		next, m := w.rewrite(q, at, d.Sets, devices, readings)
		out = append(out, m)
		if !m.Moved {
			continue
		}
		left--
		if w.Back {
			progress.Moved--
		} else {
			progress.Moved++
		}
		edit, err := estate.QueueAs(next)
		if err != nil {
			return nil, nil, progress, err
		}
		edits = append(edits, edit)
	}
	return edits, out, progress, nil
}

func (w Wave) check(doc *estate.Document) error {
	switch {
	case w.To != "server" && w.To != "device" && w.To != "gateway":
		return fault.New(fault.Invalid, "move-to", "write device, gateway or a server", "queues cannot be moved to %q", w.To)
	case doc.Server(w.From) == nil:
		return fault.New(fault.Unknown, "server-unknown", "see cirque server list", "the estate has no server %q", w.From)
	case w.To == "server" && doc.Server(w.Server) == nil:
		return fault.New(fault.Unknown, "server-unknown", "add it first: cirque draft set server "+cmp.Or(w.Server, "NAME")+
			" uri=ipp://HOST:631/", "the estate has no server %q", w.Server)
	case w.To == "server" && w.Server == w.From:
		return fault.New(fault.Invalid, "move-to", "name another server", "queues cannot be moved from %s to itself", w.From)
	case w.Percent < 0 || w.Percent > 100:
		return fault.New(fault.Invalid, "wave-percent", "write 1% to 100%", "%d %% is no part of the queues", w.Percent)
	}
	return nil
}

// rewrite puts the new path before each one through the server, or takes it out again.
func (w Wave) rewrite(q estate.Queue, at []int, sets []string, devices map[string]estate.Device,
	readings map[string]*stock.Device) (estate.Queue, Moved) {
	m := Moved{Queue: q.Name, Remarks: []string{}}
	next := q
	next.Paths = nil
	drop := map[int]bool{}
	if w.Back {
		for _, i := range at {
			want, _ := w.aside(q.Paths[i], q, devices)
			for j := range i {
				if estate.SamePath(q.Paths[j], want) {
					drop[j] = true
				}
			}
		}
		if len(drop) == 0 {
			m.Says = "a path of its own leads elsewhere first: change it by hand"
			return q, m
		}
	}
	for i, p := range q.Paths {
		if drop[i] {
			continue
		}
		if slices.Contains(at, i) && !w.Back {
			aside, why := w.aside(p, q, devices)
			if why != "" {
				m.Says = why
				return q, m
			}
			if !slices.ContainsFunc(next.Paths, func(o estate.Path) bool { return covers(o, aside) }) {
				next.Paths = append(next.Paths, aside)
			}
			if aside.Device != "" {
				m.Remarks = append(m.Remarks, check(q, readings[aside.Device])...)
			}
			if p.Set != "" && slices.Contains(sets, p.Set) {
				m.Remarks = append(m.Remarks, fmt.Sprintf("it leads through the set %s: those whom its other members serve move, "+
					"too", p.Set))
			}
		}
		next.Paths = append(next.Paths, p)
	}
	m.Moved = true
	switch {
	case w.Back:
		m.Says = "through " + w.From + " again"
	case w.To == "server":
		m.Says = fmt.Sprintf("through %s; %s stays behind it", w.Server, w.From)
	case w.To == "gateway" || len(q.Devices) > 1:
		m.Says = fmt.Sprintf("through the gateway; %s stays behind it", w.From)
	default:
		m.Says = fmt.Sprintf("straight to %s; %s stays behind it", q.Devices[0], w.From)
	}
	return next, m
}

// String says how far it is.
func (p Progress) String() string {
	return fmt.Sprintf("%d of %s lead elsewhere first", p.Moved, words.Count(p.All, "queue"))
}
