package stock

import (
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
	var rows [][]string
	for _, r := range list {
		rows = append(rows, []string{r.MAC, r.Address.String(), r.Name})
	}
	return document.WriteTable([]string{"mac", "address", "name"}, rows)
}

// A RawReservation is one as a DHCP server's configuration has it, with where it stands there. Nothing of it is
// checked.
type RawReservation struct{ Place, MAC, Address, Name string }

// BySubnet sorts IPv4 reservations by the estate's subnets, those in no subnet under the zero prefix.
func BySubnet(doc *estate.Document, list []Reservation) map[netip.Prefix][]Reservation {
	placed := NewPlaced(doc)
	by := map[netip.Prefix][]Reservation{}
	for _, r := range list {
		if r.Address.Is4() {
			_, subnet, _ := placed.At(r.Address)
			by[subnet] = append(by[subnet], r)
		}
	}
	return by
}

// ParseReservations reads reservations from CSV with a head line, or, where the text is JSON, from a DHCP server's
// configuration, which configuration reads. All that is wrong is told at once.
func ParseReservations(name, text string, configuration func(text string) ([]RawReservation, error)) ([]Reservation,
	error) {
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
		list, err := configuration(t)
		if err != nil {
			return nil, fault.New(fault.Invalid, "reservations-invalid", "give the DHCP server's configuration, or CSV with "+
				"the columns mac, address, name", "%s is no JSON with reservations", name).Because(err)
		}
		for _, r := range list {
			add(name+" "+r.Place, r.MAC, r.Address, r.Name)
		}
	} else {
		// Other programs' words for the columns.
		first, rest, _ := strings.Cut(text, "\n")
		first = strings.NewReplacer("hw-address", "mac", "hardware address", "mac", "ip-address", "address", "ip address",
			"address", "hostname", "name").Replace(strings.ToLower(first))
		rows, head, err := document.Table(name, first+"\n"+rest, []string{"mac", "address"}, []string{"name"},
			document.MaxRows)
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
