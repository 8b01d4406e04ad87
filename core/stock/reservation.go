package stock

import (
	"cmp"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/fault"
)

// Reservations makes one reservation for each device with an address and a hardware address, by address. lacking names
// the devices for which none can be made, and why.
func Reservations(devices []Listed) (out []Reservation, lacking []fault.Detail) {
	out = []Reservation{}
	for _, d := range devices {
		addr, ok := Address(d.URI)
		mac := d.MAC
		if mac == "" {
			mac = d.Identity.MAC
		}
		switch {
		case d.AddressKeptBy == "static":
			continue
		case !ok:
			lacking = append(lacking, fault.Detail{Place: d.Name, What: "it is reached by name, not by address",
				Fix: "reserve the address behind the name"})
		case mac == "":
			lacking = append(lacking, fault.Detail{Place: d.Name, What: "its hardware address is not known",
				Fix: "question it over SNMP, or read it off its configuration page"})
		default:
			out = append(out, Reservation{mac, addr, d.Name})
		}
	}
	slices.SortFunc(out, func(a, b Reservation) int { return a.Address.Compare(b.Address) })
	return out, lacking
}

// ReservationsCSV writes reservations with a head line.
func ReservationsCSV(list []Reservation) string {
	var b strings.Builder
	w := csv.NewWriter(&b)
	_ = w.Write([]string{"mac", "address", "name"}) // a builder takes everything
	for _, r := range list {
		_ = w.Write([]string{r.MAC, r.Address.String(), r.Name})
	}
	w.Flush()
	return b.String()
}

// dhcpReservation is a host reservation as the common open DHCP server reads it.
type dhcpReservation struct {
	MAC      string   `json:"hw-address,omitempty"`
	Address  string   `json:"ip-address,omitempty"`
	Addrs    []string `json:"ip-addresses,omitempty"`
	Hostname string   `json:"hostname,omitempty"`
}

type dhcpSubnet struct {
	Subnet       string            `json:"subnet,omitempty"`
	Reservations []dhcpReservation `json:"reservations"`
}

type dhcpPart struct {
	Subnet4      []dhcpSubnet      `json:"subnet4,omitempty"`
	Subnet6      []dhcpSubnet      `json:"subnet6,omitempty"`
	Reservations []dhcpReservation `json:"reservations,omitempty"`
}

// ReservationsJSON writes IPv4 reservations as the common open DHCP server's configuration has them, by the estate's
// subnets; what lies in none stands on its own.
func ReservationsJSON(doc *estate.Document, list []Reservation) (string, error) {
	placed := NewPlaced(doc)
	by := map[netip.Prefix][]dhcpReservation{}
	part := dhcpPart{}
	for _, r := range list {
		if !r.Address.Is4() {
			continue
		}
		one := dhcpReservation{MAC: r.MAC, Address: r.Address.String(), Hostname: r.Name}
		if _, subnet, ok := placed.At(r.Address); ok {
			by[subnet] = append(by[subnet], one)
		} else {
			part.Reservations = append(part.Reservations, one)
		}
	}
	for subnet, some := range by {
		part.Subnet4 = append(part.Subnet4, dhcpSubnet{subnet.String(), some})
	}
	slices.SortFunc(part.Subnet4, func(a, b dhcpSubnet) int { return cmp.Compare(a.Subnet, b.Subnet) })
	b, err := json.MarshalIndent(map[string]dhcpPart{"Dhcp4": part}, "", "  ")
	return string(b) + "\n", err
}

// ParseReservations reads reservations from CSV with a head line, or from the common open DHCP server's JSON. All that
// is wrong is told at once.
func ParseReservations(name, text string) ([]Reservation, error) {
	var out []Reservation
	var bad []fault.Detail
	seen := map[string]bool{}
	add := func(place, mac, address, host string) {
		m, ok := estate.NormalMAC(mac)
		a, err := netip.ParseAddr(strings.TrimSpace(address))
		switch {
		case !ok:
			bad = append(bad, fault.Detail{Place: place, What: fmt.Sprintf("%q is no hardware address", mac),
				Fix: "write twelve hex digits, such as 02:00:5e:10:00:31"})
		case err != nil:
			bad = append(bad, fault.Detail{Place: place, What: fmt.Sprintf("%q is no address", address),
				Fix: "write an IP address, such as 10.40.8.31"})
		case seen[m+a.String()]:
		default:
			seen[m+a.String()] = true
			out = append(out, Reservation{m, a.Unmap(), host})
		}
	}
	if t := strings.TrimSpace(text); strings.HasPrefix(t, "{") || strings.HasPrefix(t, "[") {
		if err := reservationsOf(t, func(place string, r dhcpReservation) {
			for _, a := range append(r.Addrs, r.Address) {
				if a != "" && r.MAC != "" {
					add(name+" "+place, r.MAC, a, r.Hostname)
				}
			}
		}); err != nil {
			return nil, fault.New(fault.Invalid, "reservations-invalid", "give the DHCP server's configuration, or CSV with "+
				"the columns mac, address, name", "%s is no JSON with reservations", name).Because(err)
		}
	} else {
		// Other programs' words for the columns.
		first, rest, _ := strings.Cut(text, "\n")
		first = strings.NewReplacer("hw-address", "mac", "hardware address", "mac", "ip-address", "address", "ip address",
			"address", "hostname", "name").Replace(strings.ToLower(first))
		rows, head, err := document.Table(name, first+"\n"+rest, []string{"mac", "address"}, []string{"name"}, maxRows)
		if err != nil {
			return nil, err
		}
		for i, r := range rows {
			add(fmt.Sprintf("%s:%d", name, i+2), r[head["mac"]], r[head["address"]], document.Cell(r, head, "name"))
		}
	}
	if len(bad) > 0 {
		return nil, fault.New(fault.Invalid, "reservations-invalid", bad[0].Fix, "%s: %s", bad[0].Place,
			bad[0].What).With(bad)
	}
	return out, nil
}

// reservationsOf walks the configuration: whole, its DHCP part, or a list.
func reservationsOf(text string, f func(place string, r dhcpReservation)) error {
	if strings.HasPrefix(text, "[") {
		var list []dhcpReservation
		if err := json.Unmarshal([]byte(text), &list); err != nil {
			return err
		}
		for i, r := range list {
			f(fmt.Sprintf("reservation %d", i+1), r)
		}
		return nil
	}
	var whole struct {
		dhcpPart
		Dhcp4 *dhcpPart
		Dhcp6 *dhcpPart
	}
	if err := json.Unmarshal([]byte(text), &whole); err != nil {
		return err
	}
	for _, p := range []*dhcpPart{&whole.dhcpPart, whole.Dhcp4, whole.Dhcp6} {
		if p == nil {
			continue
		}
		for i, r := range p.Reservations {
			f(fmt.Sprintf("reservation %d", i+1), r)
		}
		for _, s := range append(p.Subnet4, p.Subnet6...) {
			for i, r := range s.Reservations {
				f(fmt.Sprintf("%s, reservation %d", s.Subnet, i+1), r)
			}
		}
	}
	return nil
}
