package stock

import (
	"cmp"
	"net/netip"
	"net/url"
	"slices"
	"strings"

	"cirque/core/estate"
)

// Host gives the host that a URI leads to, in small letters; "" where it leads to none, as a USB printer's does.
func Host(uri string) string {
	u, err := url.Parse(uri)
	if err != nil {
		return ""
	}
	switch u.Scheme {
	case "ipp", "ipps", "http", "https", "socket", "lpd", "smtp", "smtps":
		return strings.ToLower(u.Hostname())
	}
	return ""
}

// Address gives the IP address that a URI is written with.
func Address(uri string) (netip.Addr, bool) {
	a, err := netip.ParseAddr(Host(uri))
	return a.Unmap(), err == nil
}

// SameHost says whether two URIs lead to one host, as they are written.
func SameHost(a, b string) bool { return Host(a) != "" && Host(a) == Host(b) }

// A Placed finds the location of addresses; it is made once for an estate.
type Placed struct {
	lengths []int // of prefixes, the longest first
	subnets map[netip.Prefix]string
}

// NewPlaced reads an estate's subnets.
func NewPlaced(doc *estate.Document) Placed {
	p := Placed{subnets: make(map[netip.Prefix]string, len(doc.Subnets))}
	for _, s := range doc.Subnets {
		p.subnets[s.CIDR.Masked()] = s.Location
		if !slices.Contains(p.lengths, s.CIDR.Bits()) {
			p.lengths = append(p.lengths, s.CIDR.Bits())
		}
	}
	slices.SortFunc(p.lengths, func(a, b int) int { return cmp.Compare(b, a) })
	return p
}

// At gives the location of the narrowest subnet that holds an address.
func (p Placed) At(a netip.Addr) (location string, subnet netip.Prefix, ok bool) {
	for _, bits := range p.lengths {
		subnet, err := a.Prefix(bits)
		if err != nil {
			continue // longer than an address of its family
		}
		if location, ok := p.subnets[subnet]; ok {
			return location, subnet, true
		}
	}
	return "", netip.Prefix{}, false
}

// A Reservation is an address that is kept for a hardware address.
type Reservation struct {
	MAC     string     `json:"mac"`
	Address netip.Addr `json:"address"`
	Name    string     `json:"name,omitempty"`
}

// Authority gives the host and port to which a URI leads, such as "ps-1.example:631"; "" where it names no host. Where
// no port is named it is its scheme's usual one, IPP's for a scheme that is not known.
func Authority(uri string) string {
	host := Host(uri)
	if host == "" {
		return ""
	}
	scheme, rest, _ := strings.Cut(uri, "://")
	rest, _, _ = strings.Cut(rest, "/")
	port := "631"
	if i := strings.LastIndexByte(rest, ':'); i > strings.LastIndexByte(rest, ']') {
		port = rest[i+1:]
	} else if usual, ok := schemes[scheme]; ok {
		port = usual.port
	}
	return host + ":" + port
}

// SameAuthority says whether two URIs lead to one host and port.
func SameAuthority(a, b string) bool { return Authority(a) != "" && Authority(a) == Authority(b) }

// Authorities tell which of an estate's servers and devices an address leads to; they are made once for an estate.
type Authorities struct {
	servers map[string][]string // by authority, in the estate's order
	devices map[string]string   // by URI
}

// NewAuthorities reads the addresses of an estate.
func NewAuthorities(doc *estate.Document) Authorities {
	a := Authorities{make(map[string][]string, len(doc.Servers)), make(map[string]string, len(doc.Devices))}
	for _, v := range doc.Servers {
		if k := Authority(v.URI); k != "" {
			a.servers[k] = append(a.servers[k], v.Name)
		}
	}
	for _, v := range doc.Devices {
		if v.Machine == "" || estate.SerialOf(v.URI) != "" { // else many machines have one of that address
			a.devices[v.URI] = v.Name
		}
	}
	return a
}

// Servers names those to whose host and port a URI leads, in the estate's order.
func (a Authorities) Servers(uri string) []string { return a.servers[Authority(uri)] }

// Device names the one whose URI it is; "" where none has it.
func (a Authorities) Device(uri string) string { return a.devices[uri] }

// Scheme gives the scheme of a URI, such as "ipp"; the whole of what is none.
func Scheme(uri string) string {
	s, _, ok := strings.Cut(uri, ":")
	if !ok {
		return uri
	}
	return s
}
