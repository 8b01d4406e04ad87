// Package dhcp reads and writes host reservations as the common open DHCP server's configuration has them (JSON, with
// the parts Dhcp4 and Dhcp6): from text to values and back. It knows nothing of devices, and opens no sockets.
package dhcp

import (
	"cmp"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
)

// A Host is one reservation. All of it is text as it stands there; nothing is checked.
type Host struct {
	MAC       string   // "hw-address"
	Addresses []string // "ip-address" and "ip-addresses", never empty
	Name      string   // "hostname", may be ""
}

// A Placed is a host with where it stands, such as "10.1.0.0/16, reservation 2".
type Placed struct {
	Host
	Place string
}

// A Subnet is a subnet (CIDR) with its hosts.
type Subnet struct {
	CIDR  string
	Hosts []Host
}

// The configuration's own shapes.
type (
	reservation struct {
		MAC      string   `json:"hw-address,omitempty"`
		Address  string   `json:"ip-address,omitempty"`
		Addrs    []string `json:"ip-addresses,omitempty"`
		Hostname string   `json:"hostname,omitempty"`
	}
	subnet struct {
		Subnet       string        `json:"subnet,omitempty"`
		Reservations []reservation `json:"reservations"`
	}
	part struct {
		Subnet4      []subnet      `json:"subnet4,omitempty"`
		Subnet6      []subnet      `json:"subnet6,omitempty"`
		Reservations []reservation `json:"reservations,omitempty"`
	}
)

// AppendV4 appends IPv4 reservations as the part Dhcp4: those of each subnet, by its CIDR, and those that lie in none.
func AppendV4(b []byte, subnets []Subnet, beside []Host) ([]byte, error) {
	out := part{Reservations: written(beside)}
	for _, s := range subnets {
		out.Subnet4 = append(out.Subnet4, subnet{s.CIDR, written(s.Hosts)})
	}
	slices.SortFunc(out.Subnet4, func(a, b subnet) int { return cmp.Compare(a.Subnet, b.Subnet) })
	text, err := json.MarshalIndent(map[string]part{"Dhcp4": out}, "", "  ")
	return append(append(b, text...), '\n'), err
}

func written(hosts []Host) []reservation {
	var out []reservation
	for _, h := range hosts {
		for _, a := range h.Addresses {
			out = append(out, reservation{MAC: h.MAC, Address: a, Hostname: h.Name})
		}
	}
	return out
}

// Parse reads a configuration: whole, one of its parts, or a bare list of reservations. Hosts without hardware address
// or without address are left out, as they reserve nothing for a device.
func Parse(text string) ([]Placed, error) {
	text = strings.TrimSpace(text)
	var out []Placed
	add := func(place string, list []reservation) {
		for i, r := range list {
			addresses := slices.DeleteFunc(append(slices.Clone(r.Addrs), r.Address), func(a string) bool { return a == "" })
			if r.MAC != "" && len(addresses) > 0 {
				out = append(out, Placed{Host{r.MAC, addresses, r.Hostname}, fmt.Sprintf("%sreservation %d", place, i+1)})
			}
		}
	}
	if strings.HasPrefix(text, "[") {
		var list []reservation
		err := json.Unmarshal([]byte(text), &list)
		add("", list)
		return out, err
	}
	var whole struct {
		part
		Dhcp4 *part
		Dhcp6 *part
	}
	if err := json.Unmarshal([]byte(text), &whole); err != nil {
		return nil, err
	}
	for _, p := range []*part{&whole.part, whole.Dhcp4, whole.Dhcp6} {
		if p == nil {
			continue
		}
		add("", p.Reservations)
		for _, s := range append(slices.Clone(p.Subnet4), p.Subnet6...) {
			add(s.Subnet+", ", s.Reservations)
		}
	}
	return out, nil
}
