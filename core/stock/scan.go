package stock

import (
	"fmt"
	"net/netip"
	"strings"
	"time"

	"cirque/core/fault"
)

// Kept is what is kept of one server or device.
type Kept struct {
	Kind     string
	Name     string
	Check    Check
	Server   *Server
	Device   *Device
	Identity Identity
}

// A Capture is what a reference machine has.
type Capture struct {
	Machine  string    `json:"machine"`
	Platform string    `json:"platform,omitempty"`
	Queues   []Queue   `json:"queues"`
	Author   string    `json:"author"`
	At       time.Time `json:"at"`
}

// An Unlisted device answers at an address that no listed one has.
type Unlisted struct {
	Address string    `json:"address"`
	URI     string    `json:"uri"`
	Reading Device    `json:"reading"`
	At      time.Time `json:"at"`
}

// A Scan looks at every address of some ranges.
type Scan struct {
	ID     int64      `json:"id"`
	Author string     `json:"author"`
	Ranges []string   `json:"ranges"`
	State  string     `json:"state" enum:"running,done,stopped"`
	Rate   int        `json:"rate" doc:"Addresses a second, at most."`
	Total  int        `json:"total"`
	Done   int        `json:"done"`
	Found  int        `json:"found" doc:"What answered and is not listed."`
	At     time.Time  `json:"at"`
	Beat   time.Time  `json:"beat" doc:"When it last told how far it is."`
	Ended  *time.Time `json:"ended"`
	Stop   bool       `json:"stop"`
}

// MaxScan bounds the addresses of one scan: a scan is a walk along corridors, not over a continent.
const MaxScan = 16_384

// Addresses lists what a scan of ranges touches, in order: CIDR blocks without their network and broadcast addresses,
// ranges A-B, and single addresses. Errors are Invalid faults.
func Addresses(ranges []string) ([]netip.Addr, error) {
	var out []netip.Addr
	seen := map[netip.Addr]bool{}
	add := func(a netip.Addr) bool {
		if !seen[a] {
			seen[a] = true
			out = append(out, a)
		}
		return len(out) <= MaxScan
	}
	wide := func(r string) error {
		return fault.New(fault.Invalid, "scan-wide", "name smaller ranges", "%s holds more than the %d addresses that one "+
			"scan looks at", r, MaxScan)
	}
	for _, r := range ranges {
		r = strings.TrimSpace(r)
		from, to, isRange := strings.Cut(r, "-")
		switch {
		case strings.Contains(r, "/"):
			p, err := netip.ParsePrefix(r)
			if err != nil {
				return nil, badRange(r)
			}
			p = p.Masked()
			if p.Addr().BitLen()-p.Bits() > 14 {
				return nil, wide(r)
			}
			for a := p.Addr(); p.Contains(a); a = a.Next() {
				inner := a.Is4() && p.Bits() < 31 && (a == p.Addr() || !p.Contains(a.Next()))
				if !inner && !add(a) {
					return nil, wide(r)
				}
			}
		case isRange:
			a, err1 := netip.ParseAddr(strings.TrimSpace(from))
			b, err2 := netip.ParseAddr(strings.TrimSpace(to))
			if err1 != nil || err2 != nil || a.BitLen() != b.BitLen() || b.Less(a) {
				return nil, badRange(r)
			}
			for ; a.IsValid() && !b.Less(a); a = a.Next() {
				if !add(a) {
					return nil, wide(r)
				}
			}
		default:
			a, err := netip.ParseAddr(r)
			if err != nil {
				return nil, badRange(r)
			}
			if !add(a) {
				return nil, wide(r)
			}
		}
	}
	if len(out) == 0 {
		return nil, fault.New(fault.Invalid, "scan-empty", "name a subnet such as 10.40.8.0/24, or a range such as "+
			"10.40.8.20-10.40.8.60", "no address is named")
	}
	return out, nil
}

func badRange(r string) error {
	return fault.New(fault.Invalid, "scan-range", "write a subnet such as 10.40.8.0/24, a range such as "+
		"10.40.8.20-10.40.8.60, or an address", "%q is no range of addresses", fmt.Sprint(r))
}
