package endpoint

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"
)

// Seen says where the address that the service sees is none of those that the endpoint reports. Those that it reports
// count; the other shows that something stands between.
func Seen(r Record) []string {
	from, err := netip.ParseAddr(r.SeenFrom)
	if err != nil || from.Unmap().IsLoopback() {
		return nil
	}
	var own []string
	for _, q := range r.Report.Contexts {
		if q.Host != nil {
			continue // where the person sits is elsewhere
		}
		for _, a := range q.Addresses {
			if !slices.Contains(own, a) {
				own = append(own, a)
			}
		}
	}
	for _, a := range own {
		if ip, err := netip.ParseAddr(a); err == nil && ip.Unmap() == from.Unmap() {
			return nil
		}
	}
	if len(own) == 0 {
		return []string{fmt.Sprintf("it reports no address of its own, and its reports come from %s: rules for places go "+
			"by what it reports", from.Unmap())}
	}
	return []string{fmt.Sprintf("its reports come from %s, and its own addresses are %s: something stands between that "+
		"translates addresses; rules for places go by its own", from.Unmap(), strings.Join(own, ", "))}
}
