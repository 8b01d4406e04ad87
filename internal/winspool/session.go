package winspool

import (
	"bytes"
	"encoding/binary"
	"net/netip"
)

// Families of addresses (winsock2.h).
const (
	familyIPv4 = 2
	familyIPv6 = 23
)

// ReadClientAddress reads a WTS_CLIENT_ADDRESS: the family, and 20 octets. An IPv4 address stands in them from the
// third on, or as a text; an IPv6 address from the third on, or, where the first two say something, from the first: the
// two pages that describe it differ. Empty where it tells none.
func ReadClientAddress(b []byte) string {
	const at = 4
	if len(b) < at+20 {
		return ""
	}
	var ip netip.Addr
	switch binary.LittleEndian.Uint32(b) {
	case familyIPv4:
		said, _, _ := bytes.Cut(b[at:at+20], []byte{0})
		var err error
		if ip, err = netip.ParseAddr(string(said)); err != nil {
			ip = netip.AddrFrom4([4]byte(b[at+2 : at+6]))
		}
	case familyIPv6:
		from := at + 2
		if b[at] != 0 || b[at+1] != 0 {
			from = at
		}
		ip = netip.AddrFrom16([16]byte(b[from : from+16])).Unmap()
	}
	if !ip.IsValid() || ip.IsUnspecified() {
		return ""
	}
	return ip.String()
}
