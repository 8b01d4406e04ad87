package dial

import (
	"errors"
	"fmt"
	"net"
	"net/netip"
	"slices"
	"sync"
	"syscall"
	"time"
)

// A Use is what a connection is for.
type Use string

// The uses.
const (
	IPP  Use = "IPP"
	Raw  Use = "raw printing"
	SNMP Use = "SNMP"
	LDAP Use = "LDAP"
	Mail Use = "mail"
	Post Use = "posting notices"
	// Drivers is for fetching packages of drivers.
	Drivers Use = "fetching drivers"
	// Syslog is for the audit.
	Syslog Use = "syslog"
)

// wellKnown are the ports below 1024 that each use has (IANA service names); above that any may be.
var wellKnown = map[Use][]int{IPP: {80, 443, 631}, Raw: {515}, SNMP: {161}, LDAP: {389, 636}, Mail: {25, 465, 587},
	Post: {80, 443}, Drivers: {80, 443}, Syslog: {601}}

// others are the ports from 1024 on that belong to services which take what HTTP sends for their own (WHATWG Fetch,
// section 2.9).
var others = []int{1719, 1720, 1723, 2049, 3659, 4045, 4190, 5060, 5061, 6000, 6566, 6665, 6666, 6667, 6668, 6669, 6679,
	6697, 10080}

// Rules say where connections may go. Any number of goroutines may use them.
type Rules struct {
	// Allow are networks that whoever started the process lets through, with all their ports, though they are this
	// machine's own or link-local.
	Allow []netip.Prefix
	// Local lets connections to this machine itself, as for an agent, which works for nobody but it.
	Local bool
	// Lists gives what the estate's settings allow, everything where that is empty, and deny.
	Lists func() (allow, deny []netip.Prefix)

	mu  sync.Mutex
	own []netip.Addr // of this machine; guarded by mu
	at  time.Time    // when own was read
}

// errOutgoing is a connection that the rules do not let out.
type errOutgoing struct{ says, fix string }

func (e errOutgoing) Error() string { return e.says }

const askOperator = "whoever runs the service may allow it: cirque serve --allow-outgoing NETWORK"

// port judges a port.
func (r *Rules) port(use Use, n int) error {
	web := use == IPP || use == Post || use == Drivers
	if n < 1024 && !slices.Contains(wellKnown[use], n) || web && slices.Contains(others, n) {
		return errOutgoing{fmt.Sprintf("port %d is not for %s", n, use), "write the port of the service that is meant"}
	}
	return nil
}

// judge judges where a connection really goes: names are looked up by then.
func (r *Rules) judge(use Use, at netip.AddrPort) error {
	a := plain(at.Addr())
	holds := func(list []netip.Prefix) bool {
		return slices.ContainsFunc(list, func(p netip.Prefix) bool { return p.Contains(a) })
	}
	var allow, deny []netip.Prefix
	if r.Lists != nil {
		allow, deny = r.Lists()
	}
	switch {
	case holds(deny):
		return errOutgoing{fmt.Sprintf("the settings deny %s", a), "see settings.outgoing in the estate"}
	case holds(r.Allow):
		return nil
	case a.IsLoopback() || a.IsUnspecified() || slices.Contains(r.ownAddresses(), a):
		if r.Local {
			return nil
		}
		return errOutgoing{fmt.Sprintf("%s is this machine itself", a), askOperator}
	case a.IsLinkLocalUnicast():
		return errOutgoing{fmt.Sprintf("%s is link-local", a), askOperator}
	case a.IsMulticast() || a == netip.AddrFrom4([4]byte{255, 255, 255, 255}):
		return errOutgoing{fmt.Sprintf("%s is nobody's address", a), "write the address of a server or device"}
	case len(allow) > 0 && !holds(allow):
		return errOutgoing{fmt.Sprintf("the settings do not allow %s", a), "see settings.outgoing in the estate"}
	}
	return r.port(use, int(at.Port()))
}

// plain takes an IPv4 address out of the IPv6 ones that carry one (RFC 4291, section 2.5.5; RFC 6052, section 2.1; RFC
// 3056).
func plain(a netip.Addr) netip.Addr {
	a = a.Unmap().WithZone("")
	b := a.As16()
	switch {
	case a.Is4():
	case netip.MustParsePrefix("64:ff9b::/96").Contains(a):
		return netip.AddrFrom4([4]byte(b[12:16]))
	case b[0] == 0x20 && b[1] == 0x02:
		return netip.AddrFrom4([4]byte(b[2:6]))
	case netip.MustParsePrefix("::/96").Contains(a) && !a.IsLoopback() && !a.IsUnspecified():
		return netip.AddrFrom4([4]byte(b[12:16]))
	}
	return a
}

// ownAddresses gives those of this machine, read anew now and then.
func (r *Rules) ownAddresses() []netip.Addr {
	r.mu.Lock()
	defer r.mu.Unlock()
	if time.Since(r.at) > 30*time.Second {
		r.own, r.at = nil, time.Now()
		list, err := net.InterfaceAddrs()
		if err != nil {
			return nil // the other rules hold
		}
		for _, a := range list {
			if p, err := netip.ParsePrefix(a.String()); err == nil {
				r.own = append(r.own, p.Addr().Unmap().WithZone(""))
			}
		}
	}
	return r.own
}

// Control judges the address of a socket right before it is connected, as net.Dialer asks: whatever a name led to, it
// is that address and no other.
func (r *Rules) Control(use Use) func(network, address string, c syscall.RawConn) error {
	return func(_, address string, _ syscall.RawConn) error {
		at, err := netip.ParseAddrPort(address)
		if err != nil {
			return errors.New("the address cannot be judged")
		}
		return r.judge(use, at)
	}
}
