package estate

import (
	"maps"
	"slices"
	"strings"

	"cirque/core/document"
	"cirque/core/fault"
)

// Rename gives the document with another name for an object, and every mention of it changed with it: of a location
// also those of places in it, of a station also conditions that name it as a machine. Queues keep their old names
// otherwise, which is core/bulk's business, and subnets are what their address is. A name that is none or taken is a
// fault.
func (d *Document) Rename(r Ref, to string) (*Document, error) {
	if d.Find(r) == nil {
		return nil, fault.New(fault.Unknown, "object-unknown", d.nearest(r), "there is no %s", r)
	}
	switch r.List {
	case "queues", "subnets", "settings":
		return nil, fault.New(fault.Invalid, "rename-list", map[string]string{
			"queues":   "give a pattern of names, so that old names go on leading there",
			"subnets":  "take it out and add the other",
			"settings": "settings have the names that they have"}[r.List], "a %s is not renamed like this", Word(r.List))
	case "locations":
		if !ValidPath(to) {
			return nil, fault.New(fault.Invalid, "name-invalid", nameFix, "%q is no path of a location", to)
		}
	default:
		if !ValidName(to) {
			return nil, fault.New(fault.Invalid, "name-invalid", nameFix, "%q is no name", to)
		}
	}
	if d.Find(Ref{r.List, to}) != nil {
		return nil, fault.New(fault.Conflict, "name-taken", "choose another name", "there is a %s already", Ref{r.List, to})
	}
	if r.List == "locations" && strings.HasPrefix(to, r.Name+"/") {
		return nil, fault.New(fault.Invalid, "name-within", "choose a path that does not begin with "+r.Name+"/",
			"%s cannot lie within itself", r.Name)
	}
	out := d.mentioning(r.List, func(name string) string {
		if name == r.Name {
			return to
		}
		if rest, below := strings.CutPrefix(name, r.Name+"/"); below && r.List == "locations" {
			return to + "/" + rest
		}
		return name
	})
	if r.List == "stations" {
		out, _ = out.Renamed(string(Machine), r.Name, to)
	}
	return out, nil
}

// nearest says how an object that is not there may have been meant.
func (d *Document) nearest(r Ref) string {
	var names []string
	for _, o := range d.Refs() {
		if o.List == r.List {
			names = append(names, o.Name)
		}
	}
	if k := document.Nearest(r.Name, names); k != "" {
		return "did you mean " + k + "?"
	}
	return "see cirque draft list " + r.List
}

// mentioning gives a copy in which every name of a list is what f makes of it, where the objects themselves are called
// and where References finds them. A test holds it against References.
func (d *Document) mentioning(list string, f func(string) string) *Document {
	out := *d
	m := mentions{list, f}
	out.Locations = each(d.Locations, func(o *Location) { m.name("locations", &o.Path) })
	out.Subnets = each(d.Subnets, func(o *Subnet) { m.name("locations", &o.Location) })
	out.Stations = each(d.Stations, func(o *Station) {
		m.name("stations", &o.Name)
		m.name("locations", &o.Location)
	})
	out.Drivers = each(d.Drivers, func(o *Driver) { m.name("drivers", &o.Name) })
	out.Servers = each(d.Servers, func(o *Server) {
		m.name("servers", &o.Name)
		m.name("locations", &o.Location)
	})
	out.ServerSets = each(d.ServerSets, func(o *ServerSet) {
		m.name("server_sets", &o.Name)
		m.names("servers", &o.Members)
	})
	out.Devices = each(d.Devices, func(o *Device) {
		m.name("devices", &o.Name)
		m.name("locations", &o.Location)
	})
	out.Queues = each(d.Queues, m.queue)
	out.Grants = each(d.Grants, func(o *Grant) {
		m.name("grants", &o.Name)
		m.prefixed("within:", &o.Queues)
		m.prefixed(string(At)+":", &o.At, &o.Except)
	})
	out.Notices = each(d.Notices, func(o *Notice) {
		m.name("notices", &o.Name)
		m.prefixed(string(At)+":", &o.At)
	})
	out.Promises = each(d.Promises, func(o *Promise) {
		m.name("promises", &o.Name)
		if o.Context != nil {
			c := *o.Context
			m.name("locations", &c.Location)
			o.Context = &c
		}
	})
	out.Charges = each(d.Charges, func(o *Charge) { m.name("charges", &o.Name) })
	out.Allowances = each(d.Allowances, func(o *Allowance) {
		m.name("allowances", &o.Name)
		m.prefixed("within:", &o.Queues)
	})
	return &out
}

// each copies a list and has f change the copies.
func each[T any](list []T, f func(*T)) []T {
	out := slices.Clone(list)
	for i := range out {
		f(&out[i])
	}
	return out
}

// mentions changes the names of one list. Lists of names are copied before they are changed.
type mentions struct {
	list string
	f    func(string) string
}

func (m mentions) queue(q *Queue) {
	m.name("locations", &q.Location)
	m.names("devices", &q.Devices)
	q.Paths = each(q.Paths, func(p *Path) {
		m.name("devices", &p.Device)
		m.name("servers", &p.Server)
		m.name("server_sets", &p.Set)
		m.prefixed(string(At)+":", &p.At)
	})
	if m.list == "drivers" && len(q.Drivers) > 0 {
		q.Drivers = maps.Clone(q.Drivers)
		for k, v := range q.Drivers {
			if v != Driverless {
				q.Drivers[k] = m.f(v)
			}
		}
	}
	if q.Jobs != nil {
		j := *q.Jobs
		m.prefixed("within:", &j.ReleaseAt)
		if m.list == "devices" && len(j.ReleaseAt) > 0 {
			j.ReleaseAt = each(j.ReleaseAt, func(s *string) {
				if !strings.Contains(*s, ":") {
					*s = m.f(*s)
				}
			})
		}
		q.Jobs = &j
	}
	if q.Access != nil {
		a := *q.Access
		m.prefixed(string(At)+":", &a.Allow, &a.Deny)
		q.Access = &a
	}
}

func (m mentions) name(list string, name *string) {
	if list == m.list && *name != "" {
		*name = m.f(*name)
	}
}

func (m mentions) names(list string, names *[]string) {
	if list == m.list && len(*names) > 0 {
		*names = each(*names, func(n *string) { *n = m.f(*n) })
	}
}

// prefixed changes the locations in entries such as location:P and within:P.
func (m mentions) prefixed(prefix string, lists ...*[]string) {
	if m.list != "locations" {
		return
	}
	for _, l := range lists {
		if len(*l) > 0 {
			*l = each(*l, func(s *string) {
				if path, ok := strings.CutPrefix(*s, prefix); ok {
					*s = prefix + m.f(path)
				}
			})
		}
	}
}
