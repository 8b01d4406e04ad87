package stock

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"cirque/core/estate"
)

// A Listed device is one that the estate names or somebody registered, with what is known of it.
type Listed struct {
	Watch
	InEstate bool
	Identity Identity // as it was first learned; of the estate's hardware address, where it has one
	Reading  *Device
	Check    *Check
}

// DeviceDifferences tells of each listed device what is not as it should be: moved, swapped or silent; its address kept
// by nobody, shared, outside of every subnet or other than reserved. elsewhere is what answers at addresses that no
// listed device has.
func DeviceDifferences(doc *estate.Document, devices []Listed, elsewhere []Sighting,
	reservations []Reservation) map[string][]Difference {
	placed := NewPlaced(doc)
	all := slices.Clone(elsewhere)
	holders := map[string][]string{} // by host
	servers := map[string]string{}
	for _, s := range doc.Servers {
		servers[Host(s.URI)] = s.Name
	}
	for _, d := range devices {
		all = append(all, Sighting{d.Name, d.URI, d.Identity, d.seen()})
		if h := Host(d.URI); h != "" {
			holders[h] = append(holders[h], d.Name)
		}
	}
	lately := NewLately(all)
	reserved := map[string]Reservation{} // by hardware address
	for _, r := range reservations {
		reserved[r.MAC] = r
	}
	out := map[string][]Difference{}
	for _, d := range devices {
		var at *estate.Ref
		if d.InEstate {
			at = &estate.Ref{List: "devices", Name: d.Name}
		}
		add := func(severity, kind, fix, format string, args ...any) {
			out[d.Name] = append(out[d.Name], Difference{Severity: severity, Kind: kind, At: at, Device: d.Name,
				Says: fmt.Sprintf(format, args...), Fix: fix})
		}
		if d.Check != nil {
			switch v := lately.Judge(Sighting{d.Name, d.URI, d.Identity, d.seen()}); v.Kind {
			case "moved":
				add("error", "moved", "write the new address into the estate, and reserve it", "%s: %s", d.Name, v.Says)
				last := &out[d.Name][len(out[d.Name])-1]
				last.To = v.To
			case "swapped":
				add("warning", "swapped", "if the change was meant, take the new hardware address over; else look who stands there",
					"%s: %s", d.Name, v.Says)
			case "silent":
				add("error", "silent", d.Check.Fix, "%s: %s", d.Name, d.Check.Says)
			}
		}
		h := Host(d.URI)
		addr, isAddr := Address(d.URI)
		if isAddr && (d.AddressKeptBy == "" || d.AddressKeptBy == "unknown") {
			add("warning", "address-unkept", "reserve it for the hardware address, or set it on the device, and note which",
				"nobody knows what keeps the address %s of %s", addr, d.Name)
		}
		if others := holders[h]; len(others) > 1 {
			add("error", "address-shared", "look which of them is there, and correct the other",
				"%s and %s have one address, %s", others[0], strings.Join(others[1:], " and "), h)
		}
		if s := servers[h]; s != "" {
			add("error", "address-shared", "give the device an address of its own",
				"%s has the address of the server %s", d.Name, s)
		}
		if isAddr && len(doc.Subnets) > 0 {
			if location, subnet, ok := placed.At(addr); !ok {
				add("warning", "address-outside", "add the subnet to the estate, or correct the address", "the address %s of %s "+
					"lies in no subnet of the estate", addr, d.Name)
			} else if site(location) != site(d.Location) && d.Location != "" {
				add("warning", "address-outside", "correct the location or the address", "%s is said to be at %s, and its "+
					"address %s is in %s of %s", d.Name, d.Location, addr, subnet, location)
			}
		}
		if len(reservations) > 0 && isAddr {
			out[d.Name] = append(out[d.Name], reservedOtherwise(d, at, addr, reserved, reservations)...)
		}
	}
	return out
}

// seen is the latest reading, unless the device did not answer since.
func (d Listed) seen() *Device {
	if d.Check == nil || !d.Check.OK {
		return nil
	}
	return d.Reading
}

func reservedOtherwise(d Listed, at *estate.Ref, addr netip.Addr, byMAC map[string]Reservation,
	all []Reservation) []Difference {
	diff := func(severity, fix, format string, args ...any) []Difference {
		return []Difference{{Severity: severity, Kind: "reservation", At: at, Device: d.Name, Says: fmt.Sprintf(format,
			args...), Fix: fix}}
	}
	mac := d.MAC
	if mac == "" {
		mac = d.Identity.MAC
	}
	if r, ok := byMAC[mac]; ok && mac != "" && r.Address != addr {
		return diff("error", "bring the reservation and the estate together", "%s is reserved for %s of %s, and the estate "+
			"sends to %s", r.Address, mac, d.Name, addr)
	} else if ok {
		return nil
	}
	if i := slices.IndexFunc(all, func(r Reservation) bool { return r.Address == addr }); i >= 0 && mac != "" {
		return diff("error", "correct the reservation", "the address %s of %s is reserved for another hardware address, %s",
			addr, d.Name, all[i].MAC)
	}
	if d.AddressKeptBy == "reservation" {
		return diff("warning", "import the reservations again, or make one", "%s is said to be reserved for %s, and no "+
			"reservation that was imported says so", addr, d.Name)
	}
	return nil
}

func site(location string) string {
	s, _, _ := strings.Cut(location, "/")
	return s
}

// QueueURI gives the URI of a server's queue by the address at which the server is known here: what it calls itself
// may lead nowhere from here.
func (d Listed) QueueURI(q Queue) string {
	scheme, rest, _ := strings.Cut(d.URI, "://")
	host, _, _ := strings.Cut(rest, "/")
	_, own, ok := strings.Cut(q.URI, "://")
	_, path, okPath := strings.Cut(own, "/")
	if !ok || !okPath {
		return d.URI
	}
	return scheme + "://" + host + "/" + path
}
