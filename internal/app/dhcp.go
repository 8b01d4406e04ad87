package app

import (
	"net/netip"

	"cirque/core/stock"
	"cirque/internal/dhcp"
)

// reservations translates between what devices need reserved and a DHCP server's configuration.
type reservations struct{}

// Read takes the reservations out of a configuration, one for each address.
func (reservations) Read(text string) ([]stock.RawReservation, error) {
	list, err := dhcp.Parse(text)
	var out []stock.RawReservation
	for _, p := range list {
		for _, a := range p.Addresses {
			out = append(out, stock.RawReservation{Place: p.Place, MAC: p.MAC, Address: a, Name: p.Name})
		}
	}
	return out, err
}

// Write makes the part of a configuration in which reservations stand.
func (reservations) Write(by map[netip.Prefix][]stock.Reservation) (string, error) {
	var subnets []dhcp.Subnet
	var beside []dhcp.Host
	for prefix, list := range by {
		var hosts []dhcp.Host
		for _, r := range list {
			hosts = append(hosts, dhcp.Host{MAC: r.MAC, Addresses: []string{r.Address.String()}, Name: r.Name})
		}
		if prefix.IsValid() {
			subnets = append(subnets, dhcp.Subnet{CIDR: prefix.String(), Hosts: hosts})
		} else {
			beside = hosts
		}
	}
	b, err := dhcp.AppendV4(nil, subnets, beside)
	return string(b), err
}
