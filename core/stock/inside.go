package stock

import (
	"cmp"
	"slices"
	"strings"

	"cirque/core/driver"
	"cirque/core/estate"
)

// Inside is what a print server has besides its queues, as it was read last.
type Inside struct {
	Server  string     `json:"server"`
	Drivers []DriverOn `json:"drivers" doc:"Of its queues, by name."`
	Forms   []FormOn   `json:"forms" doc:"Paper that its queues know, by name."`
	Ports   []PortOn   `json:"ports" doc:"Where its queues lead, by URI."`
}

// A DriverOn is a driver that queues of a server have.
type DriverOn struct {
	Exact    string   `json:"exact" doc:"As the server names it."`
	Queues   []string `json:"queues"`
	Package  string   `json:"package,omitempty" doc:"The digest of the package that it came from, where Cirque keeps the server."`
	Version  string   `json:"version,omitempty" doc:"Of the driver in the packages here."`
	Packages []string `json:"packages" doc:"Names of the packages here that have it."`
	Newer    bool     `json:"newer,omitempty" doc:"Another package has it now than the one that it came from."`
}

// A FormOn is a kind of paper that queues of a server know.
type FormOn struct {
	Media  string   `json:"media" doc:"By its IPP name."`
	Queues []string `json:"queues"`
	Loaded []string `json:"default" doc:"Those of the queues that print on it where nobody says."`
}

// A PortOn is where queues of a server lead.
type PortOn struct {
	URI    string   `json:"uri"`
	Queues []string `json:"queues"`
	Device string   `json:"device,omitempty" doc:"The estate's device of that address."`
}

// InsideOf lists a server's drivers, forms and ports, by its reading.
func InsideOf(doc *estate.Document, called string, s *Server, packages []driver.Package, platform string) Inside {
	out := Inside{Server: called, Drivers: []DriverOn{}, Forms: []FormOn{}, Ports: []PortOn{}}
	if s == nil {
		return out
	}
	to := NewAuthorities(doc)
	drivers, forms, ports := map[string]*DriverOn{}, map[string]*FormOn{}, map[string]*PortOn{}
	for _, q := range s.Queues {
		if q.Model != "" {
			d := drivers[q.Model]
			if d == nil {
				d = &DriverOn{Exact: q.Model, Packages: []string{}}
				drivers[q.Model] = d
			}
			d.Queues = append(d.Queues, q.Name)
			d.Package = cmp.Or(d.Package, q.Package)
		}
		for _, m := range q.Supported["media"] {
			f := forms[m]
			if f == nil {
				f = &FormOn{Media: m, Loaded: []string{}}
				forms[m] = f
			}
			f.Queues = append(f.Queues, q.Name)
			if Text(q.Defaults["media"]) == m {
				f.Loaded = append(f.Loaded, q.Name)
			}
		}
		if q.Device != "" {
			p := ports[q.Device]
			if p == nil {
				p = &PortOn{URI: q.Device, Device: to.Device(q.Device)}
				ports[q.Device] = p
			}
			p.Queues = append(p.Queues, q.Name)
		}
	}
	for _, d := range drivers {
		for _, k := range packages {
			if i := slices.IndexFunc(k.Models, func(m driver.Model) bool { return m.Exact == d.Exact }); i >= 0 {
				d.Packages = append(d.Packages, k.Name)
				d.Version = cmp.Or(d.Version, k.Models[i].Version)
			}
		}
		if best, m, ok := driver.Best(packages, d.Exact, platform); ok {
			d.Version = m.Version
			d.Newer = d.Package != "" && best.Digest != d.Package
		}
		out.Drivers = append(out.Drivers, *d)
	}
	for _, f := range forms {
		out.Forms = append(out.Forms, *f)
	}
	for _, p := range ports {
		out.Ports = append(out.Ports, *p)
	}
	slices.SortFunc(out.Drivers, func(a, b DriverOn) int { return strings.Compare(a.Exact, b.Exact) })
	slices.SortFunc(out.Forms, func(a, b FormOn) int { return strings.Compare(a.Media, b.Media) })
	slices.SortFunc(out.Ports, func(a, b PortOn) int { return strings.Compare(a.URI, b.URI) })
	return out
}
