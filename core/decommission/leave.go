// Package decommission says what still leads to a server, leads queues elsewhere, and finds what nothing
// leads to. In go a document and what was read, out come edits of a draft, and lists.
package decommission

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"cirque/core/driver"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/stock"
)

// Dependents is what still leads to a server.
type Dependents struct {
	Server string   `json:"server"`
	Sets   []string `json:"sets" doc:"The server sets in which it is a member."`
	Queues []string `json:"queues" doc:"Those with a path through it, straight or through a set."`
	Only   []string `json:"only" doc:"Those of them that nobody could reach without it."`
	Lacked []string `json:"lacked" doc:"Which other servers would serve some of these, had they the queue: in sentences."`
}

// DependentsOf lists what leads to a server in an estate. lacks says whether another server is known to lack a queue,
// by its name there; nil knows nothing. A retired queue leads there, but is missed by nobody.
func DependentsOf(doc *estate.Document, server string, lacks func(server, remote string) bool) Dependents {
	out := Dependents{Server: server, Sets: []string{}, Queues: []string{}, Only: []string{}, Lacked: []string{}}
	members := map[string][]string{}
	for _, s := range doc.ServerSets {
		members[s.Name] = s.Members
		if slices.Contains(s.Members, server) {
			out.Sets = append(out.Sets, s.Name)
		}
	}
	for _, q := range doc.Queues {
		through, otherwise := false, false
		var lacked []string
		for _, p := range q.Paths {
			on := members[p.Set]
			if p.Server != "" {
				on = []string{p.Server}
			}
			through = through || slices.Contains(on, server)
			otherwise = otherwise || p.Set == "" && p.Server == ""
			for _, m := range on {
				remote := cmp.Or(p.RemoteName, q.Name)
				switch {
				case m == server:
				case lacks != nil && lacks(m, remote):
					lacked = append(lacked, fmt.Sprintf("%s lacks %s", m, remote))
				default:
					otherwise = true
				}
			}
		}
		if through {
			out.Queues = append(out.Queues, q.Name)
			if !otherwise && !q.Retired {
				out.Only = append(out.Only, q.Name)
				out.Lacked = append(out.Lacked, lacked...)
			}
		}
	}
	slices.Sort(out.Lacked)
	out.Lacked = slices.Compact(out.Lacked)
	return out
}

// A Moved is one queue whose paths were rewritten, or why they were not.
type Moved struct {
	Queue   string   `json:"queue"`
	Moved   bool     `json:"moved"`
	Says    string   `json:"says"`
	Remarks []string `json:"remarks" doc:"Drivers and defaults to look at."`
}

// Leave rewrites queues so that they no longer lead through a server: straight to their device, or to the gateway where
// they have several. Only the queues named are touched, all that lead there when none is. The set through which a queue
// leads is left as it is; a path of its own through the set goes. readings are of devices, by name.
func Leave(doc *estate.Document, server, to string, only []string, readings map[string]*stock.Device) ([]estate.Edit,
	[]Moved, error) {
	if to != "device" && to != "gateway" {
		return nil, nil, fault.New(fault.Invalid, "move-to", "write device or gateway", "queues cannot be moved to %q", to)
	}
	if doc.Server(server) == nil {
		return nil, nil, fault.New(fault.Unknown, "server-unknown", "see cirque server list",
			"the estate has no server %q", server)
	}
	d := DependentsOf(doc, server, nil)
	for _, q := range only {
		if !slices.Contains(d.Queues, q) {
			return nil, nil, fault.New(fault.Invalid, "queue-elsewhere", "see cirque server depends "+server,
				"the queue %s does not lead through %s", q, server)
		}
	}
	devices := map[string]estate.Device{}
	for _, x := range doc.Devices {
		devices[x.Name] = x
	}
	known := map[string]driver.Holding{}
	for _, x := range doc.Drivers {
		known[x.Name] = driver.Holding{Platform: x.Platform}
	}
	var edits []estate.Edit
	out := []Moved{}
	for _, q := range doc.Queues {
		if !slices.Contains(d.Queues, q.Name) || len(only) > 0 && !slices.Contains(only, q.Name) {
			continue
		}
		m := Moved{Queue: q.Name, Remarks: []string{}}
		direct, why := straight(q, to, devices)
		if why != "" {
			m.Says = why
			out = append(out, m)
			continue
		}
		next := q
		next.Paths = nil
		for _, p := range q.Paths {
			through := p.Server == server || p.Set != "" && slices.Contains(d.Sets, p.Set)
			if through {
				// Whoever took this path takes the straight one, where and in which sessions this one held.
				p = estate.Path{Device: direct.Device, Gateway: direct.Gateway, At: p.At, Sessions: p.Sessions}
			}
			if !slices.ContainsFunc(next.Paths, func(o estate.Path) bool { return covers(o, p) }) {
				next.Paths = append(next.Paths, p)
			}
		}
		m.Moved = true
		m.Says = "straight to " + direct.Device
		if direct.Gateway {
			m.Says = "through the gateway"
		} else {
			m.Remarks = append(m.Remarks, check(q, readings[direct.Device])...)
		}
		edit, err := estate.QueueAs(next)
		if err != nil {
			return nil, nil, err
		}
		edits = append(edits, edit)
		out = append(out, m)
	}
	return edits, out, nil
}

// straight gives the path that takes a server's place, or why there is none.
func straight(q estate.Queue, to string, devices map[string]estate.Device) (estate.Path, string) {
	if len(q.Devices) == 0 {
		return estate.Path{}, "the estate does not say which device is behind it; add it to devices"
	}
	if to == "gateway" || len(q.Devices) > 1 {
		return estate.Path{Gateway: true}, ""
	}
	d := devices[q.Devices[0]]
	if d.Machine != "" {
		return estate.Path{}, fmt.Sprintf("its device %s is plugged into %s, and serves nobody elsewhere", d.Name, d.Machine)
	}
	if !strings.HasPrefix(d.URI, "ipp://") && !strings.HasPrefix(d.URI, "ipps://") {
		return estate.Path{}, fmt.Sprintf("its device %s is reached by %s, over which no lineup can lead; give it an IPP "+
			"address, or move the queue to the gateway", d.Name, stock.Scheme(d.URI))
	}
	return estate.Path{Device: d.Name}, ""
}

// covers says whether a path before leaves nothing to one after it.
func covers(a, b estate.Path) bool {
	return a.Device == b.Device && a.Server == b.Server && a.Set == b.Set && a.Gateway == b.Gateway &&
		(len(a.At) == 0 || slices.Equal(a.At, b.At)) && (len(a.Sessions) == 0 || slices.Equal(a.Sessions, b.Sessions))
}

// check says what a device, as it was last read, makes doubtful.
func check(q estate.Queue, d *stock.Device) []string {
	if d == nil {
		return []string{"the device has not been read: whether it takes the queue's defaults is not proven"}
	}
	var out []string
	if bad := stock.Refused(q.Defaults, d.Supported); len(bad) > 0 {
		out = append(out, "the device does not take "+strings.Join(bad, ", "))
	}
	driverless := len(q.Drivers) == 0
	for _, name := range q.Drivers {
		driverless = driverless || name == estate.Driverless
	}
	if driverless && len(d.Formats) > 0 && !Driverless(*d) {
		out = append(out, "some platforms would reach it without a driver, and the device takes none of PDF, PWG "+
			"raster and JPEG")
	}
	return out
}

// Driverless says whether a device takes a format that every driverless client can make (PWG 5100.14, section 4).
func Driverless(d stock.Device) bool {
	return slices.ContainsFunc(d.Formats, func(f string) bool {
		return f == "application/pdf" || f == "image/pwg-raster" || f == "image/urf"
	})
}

// Orphans are what leads nowhere, or is led to by nothing.
type Orphans struct {
	Devices   []string `json:"devices" doc:"Without a queue."`
	Queues    []string `json:"queues" doc:"That nobody gets."`
	Servers   []string `json:"servers" doc:"Through which no path leads."`
	Drivers   []string `json:"drivers" doc:"Named by no queue."`
	Addresses []string `json:"addresses" doc:"Reserved, or answering, and of no device."`
	Found     []string `json:"found" doc:"Queues on servers to which the estate does not lead, as SERVER: QUEUE."`
}

// OrphansOf looks through an estate and what was found. given says whether anybody gets a queue.
func OrphansOf(doc *estate.Document, given func(queue string) bool, servers map[string]*stock.Server,
	reservations []stock.Reservation, answering []string) Orphans {
	o := Orphans{Devices: []string{}, Queues: []string{}, Servers: []string{}, Drivers: []string{}, Addresses: []string{},
		Found: []string{}}
	used, hosts := map[estate.Ref]bool{}, map[string]bool{}
	sets := map[string][]string{}
	for _, s := range doc.ServerSets {
		sets[s.Name] = s.Members
	}
	for _, q := range doc.Queues {
		if !given(q.Name) && !q.Retired {
			o.Queues = append(o.Queues, q.Name)
		}
		for _, d := range q.Devices {
			used[estate.Ref{List: "devices", Name: d}] = true
		}
		for _, d := range q.Drivers {
			used[estate.Ref{List: "drivers", Name: d}] = true
		}
		for _, p := range q.Paths {
			used[estate.Ref{List: "servers", Name: p.Server}] = true
			for _, m := range sets[p.Set] {
				used[estate.Ref{List: "servers", Name: m}] = true
			}
		}
	}
	for _, d := range doc.Devices {
		hosts[stock.Host(d.URI)] = true
		if !used[estate.Ref{List: "devices", Name: d.Name}] {
			o.Devices = append(o.Devices, d.Name)
		}
	}
	for _, s := range doc.Servers {
		hosts[stock.Host(s.URI)] = true
		if !used[estate.Ref{List: "servers", Name: s.Name}] {
			o.Servers = append(o.Servers, s.Name)
		}
	}
	for _, d := range doc.Drivers {
		if !used[estate.Ref{List: "drivers", Name: d.Name}] {
			o.Drivers = append(o.Drivers, d.Name)
		}
	}
	for _, r := range reservations {
		if !hosts[r.Address.String()] {
			o.Addresses = append(o.Addresses, r.Address.String())
		}
	}
	for _, a := range answering {
		if !hosts[a] && !slices.Contains(o.Addresses, a) {
			o.Addresses = append(o.Addresses, a)
		}
	}
	for name, s := range servers {
		if s == nil {
			continue
		}
		through := stock.Through(doc, name)
		for _, q := range s.Queues {
			if len(through[q.Name]) == 0 {
				o.Found = append(o.Found, name+": "+q.Name)
			}
		}
	}
	for _, list := range [][]string{o.Devices, o.Queues, o.Servers, o.Drivers, o.Addresses, o.Found} {
		slices.Sort(list)
	}
	return o
}
