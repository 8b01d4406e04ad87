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
type Placed struct{ subnets []estate.Subnet }

// NewPlaced sorts an estate's subnets, the narrowest first.
func NewPlaced(doc *estate.Document) Placed {
	list := slices.Clone(doc.Subnets)
	slices.SortFunc(list, func(a, b estate.Subnet) int {
		return cmp.Or(cmp.Compare(b.CIDR.Bits(), a.CIDR.Bits()), a.CIDR.Addr().Compare(b.CIDR.Addr()))
	})
	return Placed{list}
}

// At gives the location of the narrowest subnet that holds an address.
func (p Placed) At(a netip.Addr) (location string, subnet netip.Prefix, ok bool) {
	for _, s := range p.subnets {
		if s.CIDR.Contains(a) {
			return s.Location, s.CIDR, true
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

// samePort says whether two URIs lead to one port of their host; 631 is IPP's.
func samePort(a, b string) bool {
	port := func(uri string) string {
		scheme, rest, _ := strings.Cut(uri, "://")
		rest, _, _ = strings.Cut(rest, "/")
		if i := strings.LastIndexByte(rest, ':'); i > strings.LastIndexByte(rest, ']') {
			return rest[i+1:]
		}
		if scheme == "socket" {
			return "9100"
		}
		return "631"
	}
	return port(a) == port(b)
}

// SameAuthority says whether two URIs lead to one host and port.
func SameAuthority(a, b string) bool { return SameHost(a, b) && samePort(a, b) }

// Scheme gives the scheme of a URI, such as "ipp"; the whole of what is none.
func Scheme(uri string) string {
	s, _, ok := strings.Cut(uri, ":")
	if !ok {
		return uri
	}
	return s
}
