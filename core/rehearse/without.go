package rehearse

import (
	"maps"
	"net/netip"
	"net/url"
	"strings"

	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/live"
)

// Without gives a live state in which what is named is down: server:N, set:N (every member), device:N, location:P
// (every server and device there, a site included), subnet:CIDR (the servers and devices whose URI has an address in
// it). It says what went down. An unknown name is an Unknown fault.
func Without(d *estate.Document, state live.State, names []string) (live.State, []string, error) {
	out := live.State{Servers: map[string]live.Duty{}, Devices: map[string]live.Duty{}, Picks: state.Picks,
		Shares: state.Shares, Lists: state.Lists}
	maps.Copy(out.Servers, state.Servers)
	maps.Copy(out.Devices, state.Devices)
	var down []string
	server := func(n string) { out.Servers[n] = live.Down; down = append(down, "server "+n) }
	device := func(n string) { out.Devices[n] = live.Down; down = append(down, "device "+n) }
	for _, written := range names {
		kind, called, _ := strings.Cut(written, ":")
		before := len(down)
		switch kind {
		case "server":
			if d.Find(estate.Ref{List: "servers", Name: called}) != nil {
				server(called)
			}
		case "device":
			if d.Find(estate.Ref{List: "devices", Name: called}) != nil {
				device(called)
			}
		case "set":
			if s, ok := d.Find(estate.Ref{List: "server_sets", Name: called}).(*estate.ServerSet); ok {
				for _, m := range s.Members {
					server(m)
				}
			}
		case "location", "site":
			for _, s := range d.Servers {
				if s.Location == called || strings.HasPrefix(s.Location, called+"/") {
					server(s.Name)
				}
			}
			for _, v := range d.Devices {
				if v.Location == called || strings.HasPrefix(v.Location, called+"/") {
					device(v.Name)
				}
			}
		case "subnet":
			p, err := netip.ParsePrefix(called)
			if err != nil {
				return state, nil, fault.New(fault.Invalid, "without-invalid", "write subnet:ADDRESS/BITS",
					"%q is no subnet", called)
			}
			for _, s := range d.Servers {
				if inside(p, s.URI) {
					server(s.Name)
				}
			}
			for _, v := range d.Devices {
				if inside(p, v.URI) {
					device(v.Name)
				}
			}
		default:
			return state, nil, fault.New(fault.Invalid, "without-invalid", "write server:NAME, set:NAME, device:NAME, "+
				"site:NAME, location:PATH or subnet:CIDR", "%q does not say what goes down", written)
		}
		if len(down) == before {
			fix := "see cirque server list and cirque device list"
			if k := document.Nearest(called, known(d, kind)); k != "" {
				fix = "did you mean " + kind + ":" + k + "?"
			}
			return state, nil, fault.New(fault.Unknown, "without-unknown", fix, "the estate has no server or device that "+
				"%q stands for", written)
		}
	}
	return out, down, nil
}

func inside(p netip.Prefix, uri string) bool {
	u, err := url.Parse(uri)
	if err != nil {
		return false
	}
	a, err := netip.ParseAddr(u.Hostname())
	return err == nil && p.Contains(a.Unmap())
}

func known(d *estate.Document, kind string) []string {
	list := map[string]string{"server": "servers", "device": "devices", "set": "server_sets", "site": "locations",
		"location": "locations"}[kind]
	var out []string
	for _, r := range d.Refs() {
		if r.List == list {
			out = append(out, r.Name)
		}
	}
	return out
}
